//! The shift: what has to be done first, what lies on the beds, what broke off, what is late, and what one shift leaves for the next.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::floor::cards::Card;
use crate::things::machines::strips::{Strip, strips};
use crate::typed::Typed;
use askama::Template;
use axum::extract::Path;
use axum::response::{Html, Redirect};
use boustrophe_shop::app::App;
use boustrophe_store::{Note, Run, today};
use serde::Deserialize;

/// Longest note, letters.
const LONGEST: usize = 600;

/// Something to do, the most urgent first.
struct Todo {
    /// `stop` or `look`.
    severity: &'static str,
    words: String,
    href: String,
}

#[derive(Template)]
#[template(path = "things/shift/shift.html")]
struct Page {
    todo: Vec<Todo>,
    strips: Vec<Strip>,
    late: Vec<Card>,
    notes: Vec<Note>,
}

/// The shift.
pub async fn page(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, |app| html(&now(app)?)).await
}

fn now(app: &App) -> Result<Page, AppError> {
    let strips = strips(app)?;
    let made = app.store.parts_made()?;
    let today = today();
    let mut late: Vec<Card> = app.store.floor(false)?.into_iter().map(|on| Card::of(on, &made, &today)).collect();
    late.retain(|c| !c.due.is_empty() && c.due <= today && !c.is_made());
    late.sort_by_key(Card::order);
    let mut todo = Vec::new();
    for s in &strips {
        todo.extend(of_machine(app, s)?);
    }
    todo.sort_by_key(|t| t.severity != "stop");
    Ok(Page { todo, strips, late, notes: app.store.notes()? })
}

/// What a machine wants of a hand: its alarm, the sheet that is asked about, a run that waits to be started, the next sheet.
fn of_machine(app: &App, s: &Strip) -> Result<Vec<Todo>, AppError> {
    let mut out = Vec::new();
    let mut add = |severity, words: String, href: String| out.push(Todo { severity, words, href });
    if !s.alarm.is_empty() {
        add("stop", format!("{}: clear its alarm ({})", s.name, s.alarm), format!("/machines#{}", s.id));
    }
    if s.silent {
        add("look", format!("{} is not heard: look at its power and its line", s.name), format!("/machines#{}", s.id));
    }
    if let Some(run) = s.asks {
        let run: Run = app.store.run(run)?;
        let broke = if run.state.broke_off() { "broke off" } else { "has ended" };
        let job = app.store.job(run.job_id)?.name;
        add("stop", format!("{}: {job}, sheet {} {broke}; say what happens to its sheet", s.name, run.sheet), format!("/runs/{}", run.id));
    }
    match (&s.now, &s.next) {
        (Some(n), _) if n.state == "ready" => {
            add("look", format!("{}: {}, sheet {} is loaded and waits to be started", s.name, n.job, n.sheet), format!("/runs/{}", n.run));
        }
        (None, Some(n)) => {
            add("look", format!("{}: lay {} on the bed for {}, sheet {}", s.name, n.lay, n.job, n.sheet), format!("/runs/{}", n.run))
        }
        _ => {}
    }
    Ok(out)
}

/// A note as it is left.
#[derive(Deserialize)]
pub struct Left {
    text: String,
    #[serde(default)]
    person: String,
}

/// Leaves a note for the next shift.
pub async fn leave(app: Shared, Typed { form, .. }: Typed<Left>) -> Result<Redirect, AppError> {
    let text: String = form.text.trim().chars().take(LONGEST).collect();
    if text.is_empty() {
        return Err(AppError::sentence("a note needs words; type some.".into()));
    }
    blocking(&app, move |app| Ok(app.store.add_note(&text, app.signed(&form.person))?)).await?;
    Ok(Redirect::to("/shift"))
}

/// Who has seen to it.
#[derive(Deserialize)]
pub struct Seen {
    #[serde(default)]
    person: String,
}

/// A note has been seen to.
pub async fn done(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<Seen>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| Ok(app.store.note_done(id, app.signed(&form.person))?)).await?;
    Ok(Redirect::to("/shift"))
}

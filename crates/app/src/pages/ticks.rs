//! The list that is gone through before a run is started.

use super::typed::Typed;
use super::{Shared, blocking, escaped, named};
use crate::error::AppError;
use axum::extract::Path;
use axum::response::Html;
use boustrophe_core::run::RunState;
use boustrophe_shop::app::App;
use boustrophe_shop::papers::{LIST, zero_words};
use boustrophe_store::{Run, Tick};
use serde::Deserialize;

/// Ticked as well where an earlier run has burned some of the sheet.
const AGAIN: &str = "again";
/// Ticked as well where the run goes on from another on the same sheet, and where that lost its place.
const LIES: &str = "lies";
const ZERO: &str = "zero";

/// A line of the list.
pub(super) struct Item {
    pub(super) key: &'static str,
    pub(super) text: String,
    pub(super) tick: Option<Tick>,
}

impl Item {
    /// Who ticked and when.
    pub(super) fn signed(&self) -> String {
        self.tick.as_ref().map_or_else(String::new, signed)
    }
}

/// The list of a run with what is ticked.
pub(super) fn items(app: &App, run: &Run, (lying, size): (&str, (f64, f64)), ticks: &[Tick]) -> Result<Vec<Item>, AppError> {
    let mut texts: Vec<(&str, String)> = LIST.iter().map(|(key, text)| (*key, (*text).to_owned())).collect();
    texts[0].1 = lying.to_owned();
    if let Some(origin) = texts.iter_mut().find(|t| t.0 == "origin") {
        origin.1 = format!("Zero is set at the {}; outline walked", zero_words(run.pose, size));
    }
    if let Some(before) = run.goes_on.map(|b| app.store.run(b)).transpose()? {
        texts.push((LIES, "The sheet lies where it lay; nothing was moved".into()));
        if before.state == RunState::Lost {
            texts.push((ZERO, "The machine was switched off: its zero is found again at the sheet's corner".into()));
        }
    } else if let Some(before) = app.store.broken_off(run)? {
        let at = before.created_at.get(..16).unwrap_or_default().replace('T', " ");
        texts.push((
            AGAIN,
            format!(
                "Run {} of this sheet ({at}) broke off after {} of {} pieces of work: what it burned would be burned again. This is a fresh sheet",
                before.id, before.cuts_done, before.cuts
            ),
        ));
    }
    Ok(texts.into_iter().map(|(key, text)| Item { key, text, tick: ticks.iter().find(|t| t.item == key).cloned() }).collect())
}

/// A tick, as it is set.
#[derive(Deserialize)]
pub struct TickForm {
    item: String,
    #[serde(default)]
    on: String,
    #[serde(default)]
    person: String,
}

/// Ticks a line of the list, or takes the tick off. Only before the start.
pub async fn tick(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<TickForm>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| ticked_off(app, id, &form)).await
}

fn ticked_off(app: &Shared, id: i32, form: &TickForm) -> Result<Html<String>, AppError> {
    let run = app.store.run(id)?;
    let person = named(app.signed(&form.person));
    if !LIST.iter().any(|l| l.0 == form.item) && ![AGAIN, LIES, ZERO].contains(&form.item.as_str()) {
        return Err(AppError::sentence("that is not on the list; load the page again.".into()));
    }
    if !run.state.is_before_start() {
        return Err(AppError::sentence("the run has been started; its list is closed.".into()));
    }
    let on = form.on == "on";
    if on && person.is_empty() {
        return Err(AppError::sentence("type your name first: the list keeps who ticked.".into()));
    }
    app.store.tick(id, &form.item, &person, on)?;
    let tick = app.store.ticks(id)?.into_iter().find(|t| t.item == form.item);
    Ok(Html(tick.map_or_else(String::new, |t| escaped(&signed(&t)))))
}

/// Who ticked, and when.
pub(super) fn signed(tick: &Tick) -> String {
    format!("{}, {}", tick.person, tick.at.get(11..16).unwrap_or_default())
}

/// Fails while something on the run's list is not ticked.
pub(super) fn ticked(app: &App, run: &Run) -> Result<(), AppError> {
    let ticks = app.store.ticks(run.id)?;
    let open = items(app, run, ("the sheet lies on the bed", (1.0, 1.0)), &ticks)?;
    match open.iter().filter(|i| i.tick.is_none()).count() {
        0 => Ok(()),
        n => Err(AppError::sentence(format!("{n} of the list {} not ticked; go through it first.", if n == 1 { "is" } else { "are" }))),
    }
}

//! The floor: every job as a card, sorted by what needs a hand next. What it shows was stored when the job changed.

pub mod cards;

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::machines;
use crate::typed::Typed;
use crate::uploads;
use askama::Template;
use axum::extract::{Form, Multipart, Path, Query};
use axum::http::HeaderMap;
use axum::http::StatusCode;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE, ETAG, IF_NONE_MATCH};
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::decisions::Decisions;
use boustrophe_core::decisions::MOST_COPIES;
use boustrophe_core::quantity::count;
use boustrophe_shop::app::App;
use boustrophe_shop::{incoming, tables, wanted};
use boustrophe_store::{Order, today};
use cards::Card;
use serde::Deserialize;

#[derive(Template)]
#[template(path = "things/floor/floor.html")]
struct Floor {
    strips: String,
    cards: String,
    away: bool,
}

#[derive(Template)]
#[template(path = "things/floor/cards.html")]
struct Cards {
    cards: Vec<Card>,
    away: bool,
    /// What was looked for; empty for all.
    find: String,
}

/// Which jobs.
#[derive(Default, Deserialize)]
pub struct Which {
    /// Those that were put away.
    #[serde(default)]
    away: bool,
    /// Those that all of these words are told of, put away or not.
    #[serde(default)]
    find: String,
}

/// The start page.
pub async fn floor(app: Shared, Query(which): Query<Which>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let strips = machines::strips::Strips { strips: machines::strips::strips(app)? }.render();
        let cards = found(app, &which)?.render();
        let wrong = |e: askama::Error| AppError::sentence(format!("the page could not be made: {e}"));
        html(&Floor { strips: strips.map_err(wrong)?, cards: cards.map_err(wrong)?, away: which.away })
    })
    .await
}

/// The cards alone, as they are looked for.
pub async fn cards_of(app: Shared, Query(which): Query<Which>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| html(&found(app, &which)?)).await
}

fn found(app: &App, which: &Which) -> Result<Cards, AppError> {
    let (made, today) = (app.store.parts_made()?, today());
    let words: Vec<String> = which.find.split_whitespace().take(12).map(str::to_lowercase).collect();
    let mut all = app.store.floor(which.away)?;
    if !words.is_empty() {
        all.extend(app.store.floor(!which.away)?);
    }
    let mut cards: Vec<Card> = all.into_iter().map(|on| Card::of(on, &made, &today)).filter(|c| c.has(&words)).collect();
    cards.sort_by_key(Card::order);
    Ok(Cards { cards, away: which.away, find: which.find.trim().chars().take(80).collect() })
}

/// A job's first sheet in small.
pub async fn miniature(app: Shared, Path(job): Path<i32>, headers: HeaderMap) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let (revision, svg) = app.store.miniature(job)?.ok_or_else(|| AppError::NoPage(format!("/jobs/{job}/miniature")))?;
        let tag = format!("\"{revision}-{}\"", svg.len());
        if headers.get(IF_NONE_MATCH).is_some_and(|t| t.as_bytes() == tag.as_bytes()) {
            return Ok(StatusCode::NOT_MODIFIED.into_response());
        }
        Ok(([(CONTENT_TYPE, "image/svg+xml".to_owned()), (CACHE_CONTROL, "no-cache".into()), (ETAG, tag)], svg).into_response())
    })
    .await
}

/// What is done with a job as a whole.
#[derive(Deserialize)]
pub struct Fate {
    /// `away`, `back` or `delete`.
    what: String,
    /// For `delete` the job's name, typed again.
    #[serde(default)]
    name: String,
}

/// Puts a job away, takes it back, or deletes it.
pub async fn fate(app: Shared, Path(id): Path<i32>, Form(fate): Form<Fate>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| decided(app, id, fate)).await
}

fn decided(app: &Shared, id: i32, fate: Fate) -> Result<Redirect, AppError> {
    let job = app.store.job(id)?;
    match fate.what.as_str() {
        "away" => app.store.archive(id, true)?,
        "back" => app.store.archive(id, false)?,
        "delete" => {
            if fate.name.trim() != job.name {
                return Err(AppError::sentence(format!(
                    "type the job's name, {}, to delete it for good; or put it away instead.",
                    job.name
                )));
            }
            // What its runs used up is booked while it is known what they were.
            boustrophe_shop::rack::settle(app);
            app.store.delete_job(id)?;
            app.searches.stop(id);
        }
        other => return Err(AppError::sentence(format!("“{other}” cannot be done with a job"))),
    }
    Ok(Redirect::to(if fate.what == "back" { "/?away=true" } else { "/" }))
}

/// A new job: its name, and what is asked for.
#[derive(Deserialize)]
pub struct NewJob {
    name: String,
    #[serde(flatten)]
    asked: Asked,
}

/// What is asked for of a job, as it is typed.
#[derive(Default, Deserialize)]
pub struct Asked {
    #[serde(default)]
    customer: String,
    #[serde(default)]
    due: String,
    #[serde(default)]
    quantity: String,
}

impl Asked {
    fn order(&self) -> Result<Order, AppError> {
        let quantity = if self.quantity.trim().is_empty() { 1 } else { count(self.quantity.trim(), 1, MOST_COPIES)? };
        Ok(Order {
            customer: self.customer.trim().chars().take(80).collect(),
            due: Some(self.due.trim().to_owned()).filter(|d| !d.is_empty()),
            quantity: quantity as i32,
        })
    }
}

/// Notes what is asked for of a job.
pub async fn ask(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<Asked>) -> Result<Response, AppError> {
    blocking(&app, move |app| Ok(wanted::ask(app, id, &form.order()?, &app.by)?)).await?;
    Ok(([("hx-redirect", format!("/jobs/{id}"))], "").into_response())
}

/// The same job once more.
#[derive(Deserialize)]
pub struct Again {
    name: String,
    #[serde(default)]
    times: String,
}

/// Makes a job again, with other quantities where that is asked for.
pub async fn again(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<Again>) -> Result<Redirect, AppError> {
    let name: String = form.name.trim().chars().take(80).collect();
    if name.is_empty() {
        return Err(AppError::sentence("a job needs a name; type one.".into()));
    }
    let times = if form.times.trim().is_empty() { 1 } else { count(form.times.trim(), 1, MOST_COPIES)? };
    let made = blocking(&app, move |app| Ok(wanted::again(app, id, &name, times, &app.by)?)).await?;
    Ok(Redirect::to(&format!("/jobs/{made}")))
}

/// Begins a job.
pub async fn begin(app: Shared, Form(new): Form<NewJob>) -> Result<Redirect, AppError> {
    let name: String = new.name.trim().chars().take(80).collect();
    if name.is_empty() {
        return Err(AppError::sentence("a job needs a name; type one.".into()));
    }
    let order = new.asked.order()?;
    let id = blocking(&app, move |app| {
        let job = app.store.add_job(&name, &app.by, None, &Decisions::default())?.id;
        wanted::ask(app, job, &order, &app.by)?;
        Ok(job)
    })
    .await?;
    Ok(Redirect::to(&format!("/jobs/{id}/intake")))
}

/// Files dropped on the floor begin a job named after the first, each table with the drawing that it fills.
pub async fn dropped(app: Shared, multipart: Multipart) -> Result<Response, AppError> {
    let (tables, files): (Vec<_>, Vec<_>) = uploads::receive(&app, multipart).await?.into_iter().partition(|f| tables::is_table(&f.name));
    if let (Some(table), true) = (tables.first(), files.is_empty()) {
        let text = format!("{} begins no job by itself: drop it together with the drawing that it fills.", table.name);
        return Err(AppError::sentence(text));
    }
    let (taken, refused) = incoming::take(&app, files).await?;
    if !refused.is_empty() {
        return Err(incoming::told(&refused).into());
    }
    let id = blocking(&app, move |app| begun(app, taken, &tables)).await?;
    Ok(([("hx-redirect", format!("/jobs/{id}/intake"))], "").into_response())
}

fn begun(app: &Shared, taken: Vec<incoming::Taken>, tables: &[incoming::Dropped]) -> Result<i32, AppError> {
    // Before a job is begun: a table that nothing is filled by is told, and leaves none behind.
    tables::fitting(app, &taken, tables)?;
    let name = taken.first().map_or("Job", |f| f.name.rsplit_once('.').map_or(f.name.as_str(), |n| n.0)).to_owned();
    let job = app.store.add_job(&name, &app.by, None, &Decisions::default())?;
    incoming::add(app, job.id, taken, &app.by)?;
    tables::dropped(app, job.id, tables, &app.by)?;
    Ok(job.id)
}

//! The floor: every job as a card, sorted by what needs a hand next. What it shows was stored when the job changed.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::uploads;
use askama::Template;
use axum::extract::{Form, Multipart, Path, Query};
use axum::http::HeaderMap;
use axum::http::StatusCode;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE, ETAG, IF_NONE_MATCH};
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::decisions::Decisions;
use boustrophe_shop::cards::Figures;
use boustrophe_shop::{incoming, tables};
use boustrophe_store::{Job, OnFloor};
use serde::Deserialize;
use std::collections::BTreeMap;

/// A job on the floor.
struct Card {
    job: Job,
    due: String,
    figures: Figures,
    /// The revision that its miniature shows.
    revision: i32,
    /// Parts that its runs have made.
    made: i64,
}

impl Card {
    /// All parts that are wanted are made.
    fn is_made(&self) -> bool {
        self.made > 0 && self.made >= i64::from(self.figures.parts)
    }
}

#[derive(Template)]
#[template(path = "things/floor/floor.html")]
struct Floor {
    cards: Vec<Card>,
    archived: bool,
}

/// Which jobs.
#[derive(Default, Deserialize)]
pub struct Which {
    /// Those that were put away.
    #[serde(default)]
    away: bool,
}

/// The start page.
pub async fn floor(app: Shared, Query(which): Query<Which>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let made = app.store.parts_made()?;
        let mut cards: Vec<Card> = app.store.floor(which.away)?.into_iter().map(|on| card(on, &made)).collect();
        // Something to decide first, then by date; what is made last.
        cards.sort_by(|a, b| {
            let open = |c: &Card| c.figures.stops + c.figures.looks > 0;
            a.is_made().cmp(&b.is_made()).then(open(b).cmp(&open(a))).then(a.due.is_empty().cmp(&b.due.is_empty())).then(a.due.cmp(&b.due))
        });
        html(&Floor { cards, archived: which.away })
    })
    .await
}

/// A card that cannot be read, or is not there yet, shows the job's name alone.
fn card((job, stored): OnFloor, made: &BTreeMap<i32, i64>) -> Card {
    let (revision, body) = stored.unwrap_or_default();
    let figures = serde_json::from_str(&body).unwrap_or_default();
    let made = made.get(&job.id).copied().unwrap_or(0);
    Card { due: job.due.clone().unwrap_or_default(), figures, revision, made, job }
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

/// A new job by name.
#[derive(Deserialize)]
pub struct NewJob {
    name: String,
}

/// Begins a job.
pub async fn begin(app: Shared, Form(new): Form<NewJob>) -> Result<Redirect, AppError> {
    let name: String = new.name.trim().chars().take(80).collect();
    if name.is_empty() {
        return Err(AppError::sentence("a job needs a name; type one.".into()));
    }
    let id = blocking(&app, move |app| Ok(app.store.add_job(&name, &app.by, None, &Decisions::default())?.id)).await?;
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

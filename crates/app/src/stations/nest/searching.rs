//! Starting, watching and stopping a nest.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::changes;
use crate::typed::Typed;
use askama::Template;
use axum::extract::{Form, Path, Query};
use axum::http::StatusCode;
use axum::response::sse::{Event, KeepAlive, Sse};
use axum::response::{Html, Response};
use boustrophe_core::decisions::NestEdit;
use boustrophe_core::finding::Station;
use boustrophe_core::ids::BatchId;
use boustrophe_core::quantity::count;
use boustrophe_shop::{hosting, nests, rack, searches};
use futures_util::stream::{self, Stream, StreamExt};
use serde::Deserialize;
use std::convert::Infallible;
use std::time::Duration;

/// How often a page is told.
const TELL: Duration = Duration::from_millis(250);

/// How long, as it is typed.
#[derive(Default, Deserialize)]
pub struct Time {
    #[serde(default)]
    seconds: String,
    #[serde(default)]
    batch: BatchId,
    /// `on`: what lies stays.
    #[serde(default)]
    only: String,
}

/// Begins a search.
pub async fn start(app: Shared, Path(job): Path<i32>, Form(time): Form<Time>) -> Result<StatusCode, AppError> {
    let seconds = match time.seconds.trim() {
        "" => None,
        typed => Some(u64::from(count(typed, 1, 36_000)?)),
    };
    blocking(&app, move |app| {
        Ok(nests::start(app, job, time.batch, nests::Wish { seconds, only_new: time.only == "on", by: app.by.clone() })?)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Sheets of the rack that are ticked for a batch.
#[derive(Deserialize)]
pub struct Ticked {
    revision: i32,
    batch: BatchId,
    #[serde(default)]
    stock: Vec<i32>,
}

/// Takes sheets and offcuts of the stock rack for a batch; none: the material's own again.
pub async fn from_rack(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<Ticked>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let edit = NestEdit::SetSheets { sheets: rack::chosen(app, job, form.batch, &form.stock)? }.on(form.batch);
        changes::made(app, (job, form.revision), Station::Nest, form.batch, &edit)
    })
    .await
}

/// Which batch.
#[derive(Deserialize)]
pub struct Of {
    #[serde(default)]
    batch: BatchId,
}

#[derive(Template)]
#[template(path = "stations/nest/guests.html")]
struct Offers {
    job: i32,
    batch: BatchId,
    offers: Vec<hosting::Offer>,
}

/// Jobs whose parts could lie on this one's sheets.
pub async fn offers(app: Shared, Path(job): Path<i32>, Query(of): Query<Of>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?.about(of.batch);
        html(&Offers { job, batch: loaded.batch, offers: hosting::offered(app, &loaded)? })
    })
    .await
}

/// Another job, whose parts are taken in.
#[derive(Deserialize)]
pub struct From {
    #[serde(default)]
    batch: BatchId,
    from: i32,
}

/// Takes the parts of another job in.
pub async fn take_in(app: Shared, Path(job): Path<i32>, Form(form): Form<From>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        hosting::take_in(app, job, form.batch, form.from, &app.by)?;
        changes::answered(app, job, Station::Nest, form.batch)
    })
    .await
}

/// Keeps what a search had found when the shop was shut.
pub async fn take(app: Shared, Path(job): Path<i32>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let gone = || AppError::sentence("nothing was written down of that search; nest again.".into());
        let batch = app.store.was_searching(job)?.ok_or_else(gone)?;
        nests::keep(app, job, batch, app.store.search_best(job)?.ok_or_else(gone)?, &app.by)?;
        changes::answered(app, job, Station::Nest, batch)
    })
    .await
}

/// Another minute.
pub async fn longer(app: Shared, Path(job): Path<i32>) -> StatusCode {
    app.searches.prolong(job, Duration::from_secs(60));
    StatusCode::NO_CONTENT
}

/// Lets it stand still.
pub async fn pause(app: Shared, Path(job): Path<i32>) -> StatusCode {
    app.searches.pause(job, true);
    StatusCode::NO_CONTENT
}

/// Lets it go on.
pub async fn resume(app: Shared, Path(job): Path<i32>) -> StatusCode {
    app.searches.pause(job, false);
    StatusCode::NO_CONTENT
}

/// Ends it with what it has.
pub async fn stop(app: Shared, Path(job): Path<i32>) -> StatusCode {
    app.searches.stop(job);
    StatusCode::NO_CONTENT
}

/// Tells a page how the search stands until it ends.
pub async fn events(app: Shared, Path(job): Path<i32>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let told = stream::unfold((app, false), move |(app, ended)| async move {
        if ended {
            return None;
        }
        tokio::time::sleep(TELL).await;
        let progress = app.searches.progress(job);
        let ended = progress.as_ref().is_none_or(|p| p.phase == searches::Phase::Kept);
        let p = progress.unwrap_or_default();
        let sheets = p.layout.as_ref().map_or(0, |l| l.sheets.len());
        let data = serde_json::json!({ "tries": p.tries, "sheets": sheets, "worth": p.worth, "paused": p.paused, "left": p.left, "run": p.run, "waits": p.waits, "curve": p.curve, "ended": ended });
        Some((Ok(Event::default().data(data.to_string())), (app, ended)))
    });
    Sse::new(told.fuse()).keep_alive(KeepAlive::default())
}

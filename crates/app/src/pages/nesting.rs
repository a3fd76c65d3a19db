//! Starting, watching and stopping a nest.

use super::{Shared, blocking};
use crate::error::AppError;
use crate::searches;
use axum::extract::{Form, Path};
use axum::http::StatusCode;
use axum::response::sse::{Event, KeepAlive, Sse};
use boustrophe_core::ids::BatchId;
use boustrophe_core::quantity::count;
use futures_util::stream::{self, Stream};
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
}

/// Begins a search.
pub async fn start(app: Shared, Path(job): Path<i32>, Form(time): Form<Time>) -> Result<StatusCode, AppError> {
    let seconds = match time.seconds.trim() {
        "" => None,
        typed => Some(u64::from(count(typed, 1, 36_000).map_err(AppError::Sentence)?)),
    };
    blocking(&app, move |app| searches::start(app, job, time.batch, seconds)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Another minute.
pub async fn longer(app: Shared, Path(job): Path<i32>) -> StatusCode {
    app.searches.prolong(job, Duration::from_secs(60));
    StatusCode::NO_CONTENT
}

/// Ends it with what it has.
pub async fn stop(app: Shared, Path(job): Path<i32>) -> StatusCode {
    app.searches.stop(job);
    StatusCode::NO_CONTENT
}

/// Tells a page how the search stands until it ends.
pub async fn events(app: Shared, Path(job): Path<i32>) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let told = stream::unfold((app.0, false), move |(app, ended)| async move {
        if ended {
            return None;
        }
        tokio::time::sleep(TELL).await;
        let progress = app.searches.progress(job);
        let ended = progress.as_ref().is_none_or(|p| p.phase == searches::Phase::Kept);
        let p = progress.unwrap_or_default();
        let sheets = p.layout.as_ref().map_or(0, |l| l.sheets.len());
        let data = serde_json::json!({ "tries": p.tries, "sheets": sheets, "yield": p.yield_share, "left": p.left, "ended": ended });
        Some((Ok(Event::default().data(data.to_string())), (app, ended)))
    });
    Sse::new(told).keep_alive(KeepAlive::default())
}

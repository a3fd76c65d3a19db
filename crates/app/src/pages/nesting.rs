//! Starting, watching and stopping a nest.

use super::{Shared, blocking};
use crate::error::AppError;
use crate::searches;
use axum::extract::Path;
use axum::http::StatusCode;
use axum::response::sse::{Event, KeepAlive, Sse};
use futures_util::stream::{self, Stream};
use std::convert::Infallible;
use std::time::Duration;

/// How often a page is told.
const TELL: Duration = Duration::from_millis(250);

/// Begins a search.
pub async fn start(app: Shared, Path(job): Path<i32>) -> Result<StatusCode, AppError> {
    blocking(&app, move |app| searches::start(app, job)).await?;
    Ok(StatusCode::NO_CONTENT)
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
        let data = serde_json::json!({ "tries": p.tries, "sheets": sheets, "yield": p.yield_share, "ended": ended });
        Some((Ok(Event::default().data(data.to_string())), (app, ended)))
    });
    Sse::new(told).keep_alive(KeepAlive::default())
}

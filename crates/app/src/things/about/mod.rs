//! What the application is, and what others made of it.

use crate::assets;
use crate::error::{AppError, html};
use askama::Template;
use axum::response::{IntoResponse, Response};

#[derive(Template)]
#[template(path = "things/about/about.html")]
struct About {
    version: &'static str,
    /// Third-party parts: its name and version, and under which licence.
    others: Vec<(String, String)>,
}

/// The page.
pub async fn page() -> Result<Response, AppError> {
    let told = assets::text("third-party.txt");
    let head = told.split("\n====").next().unwrap_or_default();
    let others = head.lines().filter_map(|l| l.split_once(" | ")).map(|(what, licence)| (what.to_owned(), licence.to_owned()));
    Ok(html(&About { version: env!("CARGO_PKG_VERSION"), others: others.collect() })?.into_response())
}

//! Styles, scripts and fonts, inside the binary.

use crate::error::AppError;
use axum::extract::Path;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "static"]
struct Assets;

/// Scripts that lie in the folder of their station or thing, under `rooms/`.
#[derive(RustEmbed)]
#[folder = "src"]
#[include = "*.js"]
struct Rooms;

/// One file.
pub async fn asset(Path(path): Path<String>) -> Result<Response, AppError> {
    let found = path.strip_prefix("rooms/").map_or_else(|| Assets::get(&path), Rooms::get);
    let file = found.ok_or_else(|| AppError::NoPage(format!("/static/{path}")))?;
    let mime = match path.rsplit('.').next() {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("woff2") => "font/woff2",
        Some("svg") => "image/svg+xml",
        _ => "text/plain; charset=utf-8",
    };
    Ok(([(CONTENT_TYPE, mime), (CACHE_CONTROL, "max-age=300")], file.data.into_owned()).into_response())
}

/// A text among the files; empty where there is none.
pub fn text(name: &str) -> String {
    Assets::get(name).map(|f| String::from_utf8_lossy(&f.data).into_owned()).unwrap_or_default()
}

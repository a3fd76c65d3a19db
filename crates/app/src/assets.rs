//! Styles, scripts and fonts, inside the binary.

use crate::error::AppError;
use axum::extract::Path;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "static"]
struct Assets;

/// One file.
pub async fn asset(Path(path): Path<String>) -> Result<Response, AppError> {
    let file = Assets::get(&path).ok_or_else(|| AppError::NoPage(format!("/static/{path}")))?;
    let mime = match path.rsplit('.').next() {
        Some("css") => "text/css; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("woff2") => "font/woff2",
        Some("svg") => "image/svg+xml",
        _ => "text/plain; charset=utf-8",
    };
    Ok(([(CONTENT_TYPE, mime), (CACHE_CONTROL, "max-age=300")], file.data.into_owned()).into_response())
}

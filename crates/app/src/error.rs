//! What a person reads when something cannot be done.

use askama::Template;
use axum::http::{HeaderName, HeaderValue, StatusCode};
use axum::response::{Html, IntoResponse, Response};
use boustrophe_formats::ReadError;
use boustrophe_machine::DriverError;
use boustrophe_store::StoreError;

/// Anything that keeps a page from doing as asked, in a sentence.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    /// From the shop's memory.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// From a file.
    #[error(transparent)]
    Read(#[from] ReadError),
    /// From a machine.
    #[error(transparent)]
    Machine(#[from] DriverError),
    /// What was typed or asked will not do; the sentence says why.
    #[error("{0}")]
    Sentence(String),
    /// There is no such page.
    #[error("There is no page {0}. Go back to the floor.")]
    NoPage(String),
    /// A task broke off.
    #[error("the work broke off: {0}. What was decided is kept; load the page again.")]
    Task(#[from] tokio::task::JoinError),
}

impl AppError {
    fn status(&self) -> StatusCode {
        match self {
            Self::Store(StoreError::Moved { .. }) => StatusCode::CONFLICT,
            Self::Store(StoreError::Missing { .. }) | Self::NoPage(_) => StatusCode::NOT_FOUND,
            Self::Store(_) | Self::Task(_) => StatusCode::INTERNAL_SERVER_ERROR,
            Self::Machine(_) => StatusCode::BAD_GATEWAY,
            Self::Read(_) | Self::Sentence(_) => StatusCode::UNPROCESSABLE_ENTITY,
        }
    }
}

#[derive(Template)]
#[template(path = "error.html")]
struct Page {
    sentence: String,
}

/// First letter a capital, a full stop at the end.
fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
    let rest = chars.as_str().trim_end_matches('.');
    format!("{first}{rest}.")
}

impl IntoResponse for AppError {
    fn into_response(self) -> Response {
        let page = Page { sentence: sentence(&self.to_string()) };
        let html = page.render().unwrap_or_else(|_| page.sentence.clone());
        let mut response = (self.status(), Html(html)).into_response();
        // Within a page the sentence goes to the notice; everything else stays as it is.
        for (name, value) in [("hx-retarget", "#notice"), ("hx-reswap", "innerHTML"), ("hx-reselect", "#sentence")] {
            response.headers_mut().insert(HeaderName::from_static(name), HeaderValue::from_static(value));
        }
        response
    }
}

/// Renders a template, or says that it could not be.
pub fn html(template: &impl Template) -> Result<Html<String>, AppError> {
    template.render().map(Html).map_err(|e| AppError::Sentence(format!("the page could not be made: {e}")))
}

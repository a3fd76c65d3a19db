//! What a person reads when something cannot be done.

use crate::conflict::Conflict;
use askama::Template;
use axum::http::{HeaderName, HeaderValue, StatusCode};
use axum::response::{Html, IntoResponse, Response};
use boustrophe_shop::error::ShopError;
use boustrophe_store::StoreError;

/// Anything that keeps a page from doing as asked, in a sentence.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    /// The shop did not do it.
    #[error(transparent)]
    Shop(ShopError),
    /// From a page of another site, or under a name that is not ours.
    #[error("{0}")]
    Foreign(&'static str),
    /// The job has moved on, and what was asked would undo another's change.
    #[error("this page is no longer the newest: meanwhile “{theirs}” was done. Load it again, and undo that if it is what you want")]
    Moved {
        /// The page.
        station: String,
        /// What was done.
        theirs: String,
    },
    /// The shop's book has been changed by somebody else; the page shows both.
    #[error("this has been changed since the page was loaded")]
    Book(Box<Conflict>),
    /// There is no such page.
    #[error("There is no page {0}. Go back to the floor.")]
    NoPage(String),
}

impl<E> From<E> for AppError
where
    ShopError: From<E>,
{
    fn from(error: E) -> Self {
        Self::Shop(error.into())
    }
}

impl AppError {
    /// What was typed or asked will not do; the sentence says why.
    pub fn sentence(text: String) -> Self {
        Self::Shop(ShopError::Sentence(text))
    }

    fn status(&self) -> StatusCode {
        match self {
            Self::Shop(error) => status_of(error),
            Self::Book(_) | Self::Moved { .. } => StatusCode::CONFLICT,
            Self::Foreign(_) => StatusCode::FORBIDDEN,
            Self::NoPage(_) => StatusCode::NOT_FOUND,
        }
    }
}

fn status_of(error: &ShopError) -> StatusCode {
    match error {
        ShopError::Store(
            StoreError::Moved { .. }
            | StoreError::Changed { .. }
            | StoreError::Replaced { .. }
            | StoreError::Answered { .. }
            | StoreError::RunMoved { .. }
            | StoreError::AtMachine { .. }
            | StoreError::TooFew { .. }
            | StoreError::FewerThere { .. },
        )
        | ShopError::Book(_) => StatusCode::CONFLICT,
        ShopError::Store(StoreError::Unkeepable(_) | StoreError::TooLarge { .. }) => StatusCode::UNPROCESSABLE_ENTITY,
        ShopError::Store(StoreError::Busy(_) | StoreError::OnlyRead) => StatusCode::SERVICE_UNAVAILABLE,
        ShopError::Store(StoreError::Missing { .. }) => StatusCode::NOT_FOUND,
        ShopError::Store(_) | ShopError::Task(_) | ShopError::Unreadable { .. } => StatusCode::INTERNAL_SERVER_ERROR,
        ShopError::Unreached { .. } | ShopError::Machine(_) => StatusCode::BAD_GATEWAY,
        ShopError::Read(_) | ShopError::Limit { .. } | ShopError::Edit(_) | ShopError::Sentence(_) => StatusCode::UNPROCESSABLE_ENTITY,
    }
}

#[derive(Template)]
#[template(path = "error.html")]
struct Page {
    sentence: String,
    /// A job, and its revision that can be gone back from.
    back: Option<(i32, i32)>,
    /// A page to load again.
    again: Option<String>,
}

/// First letter a capital, a full stop at the end. A name is left as it is: `plate.dxf` is no `Plate.dxf`.
fn sentence(text: &str) -> String {
    let first = text.split_whitespace().next().unwrap_or_default().trim_end_matches([',', ':', '.', ';']);
    if first.contains(['.', '_', '/']) {
        return format!("{}.", text.trim_end_matches('.'));
    }
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
    let rest = chars.as_str().trim_end_matches('.');
    format!("{first}{rest}.")
}

impl IntoResponse for AppError {
    fn into_response(self) -> Response {
        let status = self.status();
        if status.is_server_error() {
            tracing::error!(error = %self, "not done");
        }
        if let Self::Book(conflict) = &self {
            let page = conflict.render().unwrap_or_else(|e| e.to_string());
            return (status, Html(page)).into_response();
        }
        let back = match &self {
            Self::Shop(ShopError::Unreadable { job, head, before: true, .. }) => Some((*job, *head)),
            _ => None,
        };
        let again = match &self {
            Self::Moved { station, .. } => Some(station.clone()),
            _ => None,
        };
        let page = Page { sentence: sentence(&self.to_string()), back, again };
        let html = page.render().unwrap_or_else(|_| page.sentence.clone());
        let mut response = (status, Html(html)).into_response();
        // Within a page the sentence goes to the notice; everything else stays as it is.
        for (name, value) in [("hx-retarget", "#notice"), ("hx-reswap", "innerHTML"), ("hx-reselect", "#sentence")] {
            response.headers_mut().insert(HeaderName::from_static(name), HeaderValue::from_static(value));
        }
        response
    }
}

/// Renders a template, or says that it could not be.
pub fn html(template: &impl Template) -> Result<Html<String>, AppError> {
    template.render().map(Html).map_err(|e| AppError::sentence(format!("the page could not be made: {e}")))
}

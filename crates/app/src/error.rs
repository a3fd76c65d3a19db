//! What a person reads when something cannot be done.

use askama::Template;
use axum::http::{HeaderName, HeaderValue, StatusCode};
use axum::response::{Html, IntoResponse, Response};
use boustrophe_core::decisions::EditError;
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
    /// A change that cannot be made.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// What was typed or asked will not do; the sentence says why.
    #[error("{0}")]
    Sentence(String),
    /// Reading a file would take more than it may.
    #[error(
        "{file} would take more than {what} to read, and was given up. Split it, leave out pictures and hidden layers, or export it in another format."
    )]
    Limit {
        /// File name.
        file: String,
        /// Which limit.
        what: String,
    },
    /// A word did not get to its machine.
    #[error("“{word}” did not reach {machine}: it does not answer. Look at the machine; stop it there if need be.")]
    Unreached {
        /// Machine.
        machine: String,
        /// What it was to be told.
        word: String,
    },
    /// From a page of another site, or under a name that is not ours.
    #[error("{0}")]
    Foreign(&'static str),
    /// A job whose revision in force cannot be read.
    #[error(
        "{name} cannot be opened: its last revision is not understood ({why}). All its other revisions and all other jobs are as they were."
    )]
    Unreadable {
        /// Job.
        job: i32,
        /// Its name.
        name: String,
        /// The revision.
        head: i32,
        /// True where there is one before it.
        before: bool,
        /// What is wrong with it.
        why: String,
    },
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
    Book(Box<crate::pages::book::Conflict>),
    /// There is no such page.
    #[error("There is no page {0}. Go back to the floor.")]
    NoPage(String),
    /// A task broke off.
    #[error("the work broke off: {0}. What was decided is kept; load the page again.")]
    Task(#[from] tokio::task::JoinError),
}

/// What is typed is refused in a sentence by whoever reads it.
impl From<String> for AppError {
    fn from(sentence: String) -> Self {
        Self::Sentence(sentence)
    }
}

impl AppError {
    fn status(&self) -> StatusCode {
        match self {
            Self::Store(
                StoreError::Moved { .. }
                | StoreError::Changed { .. }
                | StoreError::Replaced { .. }
                | StoreError::Answered { .. }
                | StoreError::RunMoved { .. }
                | StoreError::AtMachine { .. }
                | StoreError::TooFew { .. }
                | StoreError::FewerThere { .. },
            )
            | Self::Book(_)
            | Self::Moved { .. } => StatusCode::CONFLICT,
            Self::Store(StoreError::Unkeepable(_) | StoreError::TooLarge { .. }) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Store(StoreError::Busy(_) | StoreError::OnlyRead) => StatusCode::SERVICE_UNAVAILABLE,
            Self::Foreign(_) => StatusCode::FORBIDDEN,
            Self::Unreached { .. } => StatusCode::BAD_GATEWAY,
            Self::Store(StoreError::Missing { .. }) | Self::NoPage(_) => StatusCode::NOT_FOUND,
            Self::Store(_) | Self::Task(_) | Self::Unreadable { .. } => StatusCode::INTERNAL_SERVER_ERROR,
            Self::Machine(_) => StatusCode::BAD_GATEWAY,
            Self::Read(_) | Self::Limit { .. } | Self::Edit(_) | Self::Sentence(_) => StatusCode::UNPROCESSABLE_ENTITY,
        }
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

/// First letter a capital, a full stop at the end.
fn sentence(text: &str) -> String {
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
            Self::Unreadable { job, head, before: true, .. } => Some((*job, *head)),
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
    template.render().map(Html).map_err(|e| AppError::Sentence(format!("the page could not be made: {e}")))
}

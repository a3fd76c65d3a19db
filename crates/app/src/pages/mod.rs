//! Pages and what they post to: one module a concern, handlers that fetch, call and render.

pub mod after;
pub mod assign;
pub mod bed;
pub mod blanks;
pub mod book;
pub mod boxes;
pub mod cards;
pub mod changes;
pub mod dockets;
pub mod floor;
pub mod history;
pub mod holding;
pub mod intake;
pub mod live;
pub mod nesting;
pub mod ordering;
pub mod pictures;
pub mod plates;
pub mod proving;
pub mod queue;
pub mod regions;
pub mod release;
pub mod room;
mod run_words;
pub mod runs;
pub mod solids;
pub mod stage;
pub mod station;
pub mod tables;
pub mod typed;

use crate::shop::App;
use std::sync::Arc;

/// The shop, as handlers get it.
pub type Shared = axum::extract::State<Arc<App>>;

/// Runs work that computes or waits for the disk where it does not hold up other pages.
pub async fn blocking<T: Send + 'static>(
    app: &Arc<App>,
    work: impl FnOnce(&Arc<App>) -> Result<T, crate::error::AppError> + Send + 'static,
) -> Result<T, crate::error::AppError> {
    let app = Arc::clone(app);
    tokio::task::spawn_blocking(move || work(&app)).await?
}

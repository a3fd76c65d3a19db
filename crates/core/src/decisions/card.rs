//! What a job that is a test card tries out.

use super::Process;
use serde::{Deserialize, Serialize};

/// What a job tries out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Card {
    /// A grid: a row a feed, a column a power.
    Grid {
        /// What is tried.
        process: Process,
        /// Feeds from the lowest row up, mm/min.
        feeds: Vec<f64>,
        /// Powers from the left, percent.
        powers: Vec<f64>,
    },
    /// Blocks cut side by side without making up for the kerf.
    Gauge,
}

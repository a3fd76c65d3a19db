//! The shop's memory: jobs with every revision of their decisions, files, runs. SQLite through Diesel.
//!
//! Every change is one transaction; what was accepted is on disk before the answer goes out. Undo and redo move a job's
//! `head`, nothing is ever overwritten.

mod jobs;
mod runs;
mod schema;
mod settings;
#[cfg(test)]
mod tests;

pub use jobs::{Job, Revision};
pub use runs::{NewRun, Run};
pub use settings::{Setting, SettingChange};

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// Why the shop's memory did not do as asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The file cannot be opened or is of another kind.
    #[error("the shop's data in {path} cannot be opened: {reason}. Choose another folder with --data, or free this one.")]
    Open {
        /// The file.
        path: String,
        /// What SQLite says.
        reason: String,
    },
    /// It is not there.
    #[error("there is no {what} {id}; it may have been removed. Go back to the floor.")]
    Missing {
        /// What was sought.
        what: &'static str,
        /// Its number.
        id: i64,
    },
    /// The job has moved on since the page was loaded.
    #[error("the job has changed since this page was loaded")]
    Moved {
        /// The revision now in force.
        head: i32,
    },
    /// SQLite refused.
    #[error("the shop's data could not be read or written: {0}")]
    Sqlite(#[from] diesel::result::Error),
    /// What was stored is not understood.
    #[error("stored decisions are not understood: {0}")]
    Json(#[from] serde_json::Error),
}

/// An open shop.
pub struct Store {
    connection: Mutex<SqliteConnection>,
}

impl Store {
    /// Opens the shop in a folder, created and brought up to date as needed.
    pub fn open(folder: &Path) -> Result<Self, StoreError> {
        let path = folder.join("shop.sqlite");
        let failed = |reason: String| StoreError::Open { path: path.display().to_string(), reason };
        std::fs::create_dir_all(folder).map_err(|e| failed(e.to_string()))?;
        let mut connection = SqliteConnection::establish(&path.to_string_lossy()).map_err(|e| failed(e.to_string()))?;
        connection
            .batch_execute("PRAGMA busy_timeout = 5000; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;")
            .map_err(|e| failed(e.to_string()))?;
        connection.run_pending_migrations(MIGRATIONS).map_err(|e| failed(e.to_string()))?;
        Ok(Self { connection: Mutex::new(connection) })
    }

    fn connection(&self) -> MutexGuard<'_, SqliteConnection> {
        self.connection.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Now, as stored.
fn now() -> String {
    OffsetDateTime::now_utc().format(&Rfc3339).unwrap_or_default()
}

//! The shop's memory: jobs with every revision of their decisions, files, runs. SQLite through Diesel.
//!
//! Every change is one transaction; what was accepted is on disk before the answer goes out. Undo and redo move a job's
//! `head`, nothing is ever overwritten.

mod bookings;
mod cards;
mod clock;
mod columns;
mod events;
mod faces;
mod fates;
mod files;
mod jobs;
mod made;
mod notes;
mod past;
mod programs;
mod releases;
mod run;
mod runs;
mod schema;
mod settings;
mod stock;
#[cfg(test)]
mod tests;
mod ticks;
mod unknown;

pub use bookings::Unbalanced;
pub use cards::{Card, OnFloor};
pub use clock::{seconds_since, stop_clock, today};
pub use events::{StockEvent, Taken};
pub use faces::OwnFace;
pub use fates::Order;
pub use jobs::{Entry, Job, NewRevision, Revision};
pub use made::Made;
pub use notes::Note;
pub use past::PastRun;
pub use releases::{NewRelease, Release, SheetRow};
pub use run::Run;
pub use runs::{Heard, NewRun, Then};
pub use settings::{Kind, Setting, SettingChange};
pub use stock::{OnRack, Stocked};
pub use ticks::Tick;

use clock::{moment, now};
use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use std::fs::{File, TryLockError};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!();

/// An error with what is behind it: Diesel names the column, and only behind that what is wrong there.
fn with_cause(error: &dyn std::error::Error) -> String {
    let behind = std::iter::successors(error.source(), |e| e.source());
    behind.fold(error.to_string(), |text, cause| format!("{text}: {cause}"))
}

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
    /// Another server has the folder open.
    #[error("the shop in {path} is open already; shut the other one first, or choose another folder with --data.")]
    InUse {
        /// The folder.
        path: String,
    },
    /// It was written by a later version.
    #[error(
        "the shop in {path} was written by a newer Boustrophe (its data has “{migration}”, which is not known here); open it with that one. Nothing was changed."
    )]
    Newer {
        /// The file.
        path: String,
        /// What is not known.
        migration: String,
    },
    /// All connections were taken for too long.
    #[error("the shop's data is too busy just now ({0}); try again in a moment.")]
    Busy(String),
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
    /// The release that a page showed is not the last one any more.
    #[error("release {release} is not in force any more: a newer one was made; load the page again")]
    Replaced {
        /// The one that was shown.
        release: i32,
    },
    /// The rack has not so many sheets.
    #[error(
        "the rack has {free} more of sheet {id} that no run takes yet, and {wanted} would be burned; put sheets on the rack, or nest on others"
    )]
    TooFew {
        /// Its number on the rack.
        id: i32,
        /// How many are free.
        free: i64,
        /// How many would be taken.
        wanted: i64,
    },
    /// So many are not there to be taken away.
    #[error(
        "the rack has {there} of sheet {id}, runs are to burn {taken} of them, and {wanted} were to be taken away; take those runs out of the queue first. Nothing was changed."
    )]
    FewerThere {
        /// Its number on the rack.
        id: i32,
        /// How many there are.
        there: i32,
        /// How many of them runs take.
        taken: i64,
        /// How many were to be taken away.
        wanted: u32,
    },
    /// Somebody has said already what becomes of a run's sheet.
    #[error("what becomes of the sheet of run {run} has been said already; load the page again")]
    Answered {
        /// The run.
        run: i32,
    },
    /// A run stands where it cannot come to stand there.
    #[error("run {run} cannot be {to} now; load the page again")]
    RunMoved {
        /// The run.
        run: i32,
        /// Where it was to come.
        to: boustrophe_core::run::RunState,
    },
    /// Something of the job is at a machine, or its sheet lies there.
    #[error("{what}; a job with something at a machine stays until that is settled")]
    AtMachine {
        /// What is there.
        what: String,
    },
    /// Nothing is written, as the data are damaged, or must not be written to.
    #[error(
        "the shop's data are only read, nothing is changed: they are damaged, or their disk takes nothing. What can be saved is on the floor."
    )]
    OnlyRead,
    /// SQLite refused.
    #[error("the shop's data could not be read or written: {}", with_cause(.0))]
    Sqlite(diesel::result::Error),
    /// A thing of the shop's book is another by now.
    #[error("this has been changed since the page was loaded")]
    Changed {
        /// Its kind and name.
        what: (String, String),
    },
    /// What is to be stored could not be read back: a figure in it is none.
    #[error("this cannot be kept, for it could not be read again ({0}); a figure in it is no number. Nothing was changed.")]
    Unkeepable(String),
    /// A job's decisions have grown beyond measure.
    #[error(
        "what is decided on this job would take {mb} MB, and {most} MB is the most; take something back, or split the job. Nothing was changed."
    )]
    TooLarge {
        /// As much as it would be, MB.
        mb: usize,
        /// The most, MB.
        most: usize,
    },
    /// What was stored is not understood.
    #[error("stored decisions are not understood: {0}")]
    Json(#[from] serde_json::Error),
}

impl From<diesel::result::Error> for StoreError {
    fn from(error: diesel::result::Error) -> Self {
        match &error {
            diesel::result::Error::DatabaseError(_, told) if told.message().contains("readonly database") => Self::OnlyRead,
            _ => Self::Sqlite(error),
        }
    }
}

/// Connections at most: readers do not wait for a large file to be written.
const CONNECTIONS: u32 = 4;
/// How long a connection, or another's writing, is waited for.
const WAIT: Duration = Duration::from_secs(10);

/// An open shop.
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
    /// The name by which machines know this shop.
    identity: String,
    /// Nothing is written now.
    reads_only: AtomicBool,
    /// What is wrong with the data, where something is: then nothing is written.
    damage: Option<String>,
    /// Held as long as the shop is open, so that no second server opens it.
    _lock: Option<File>,
}

#[derive(Debug)]
struct Pragmas;

impl CustomizeConnection<SqliteConnection, diesel::r2d2::Error> for Pragmas {
    fn on_acquire(&self, c: &mut SqliteConnection) -> Result<(), diesel::r2d2::Error> {
        let wait = WAIT.as_millis();
        c.batch_execute(&format!("PRAGMA busy_timeout = {wait}; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;"))
            .map_err(diesel::r2d2::Error::QueryError)
    }
}

impl Store {
    /// Opens the shop in a folder, created and brought up to date as needed. Its files are for their owner alone.
    pub fn open(folder: &Path) -> Result<Self, StoreError> {
        let path = folder.join("shop.sqlite");
        let failed = |reason: String| StoreError::Open { path: path.display().to_string(), reason };
        std::fs::create_dir_all(folder).map_err(|e| failed(e.to_string()))?;
        let lock = private(&folder.join("shop.lock")).map_err(|e| failed(e.to_string()))?;
        match lock.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => return Err(StoreError::InUse { path: folder.display().to_string() }),
            Err(TryLockError::Error(e)) => return Err(failed(e.to_string())),
        }
        private(&path).map_err(|e| failed(e.to_string()))?;
        let mut first = SqliteConnection::establish(&path.to_string_lossy()).map_err(|e| failed(e.to_string()))?;
        first.batch_execute("PRAGMA busy_timeout = 5000; PRAGMA journal_mode = WAL;").map_err(|e| failed(e.to_string()))?;
        if let Some(migration) = unknown_migration(&mut first).map_err(failed)? {
            return Err(StoreError::Newer { path: path.display().to_string(), migration });
        }
        let damage = damaged(&mut first);
        if damage.is_none() {
            first.run_pending_migrations(MIGRATIONS).map_err(|e| failed(e.to_string()))?;
        }
        let known = schema::facts::table.find("identity").select(schema::facts::value);
        let identity = match known.first(&mut first) {
            // Its machines are not spoken to.
            Err(_) if damage.is_some() => String::new(),
            known => known.map_err(|e| failed(e.to_string()))?,
        };
        drop(first);
        let pool = Pool::builder()
            .max_size(CONNECTIONS)
            .min_idle(Some(1))
            .connection_timeout(WAIT)
            .connection_customizer(Box::new(Pragmas))
            .build(ConnectionManager::new(path.to_string_lossy()))
            .map_err(|e| failed(e.to_string()))?;
        let store = Self { pool, identity, reads_only: AtomicBool::new(false), damage, _lock: Some(lock) };
        if store.damage.is_some() {
            store.only_read(true);
        } else {
            store.note_files()?;
            store.drop_forgotten_files()?;
        }
        Ok(store)
    }

    /// Looks at the shop in a folder beside whoever has it open: nothing is made, locked, brought up to date or written.
    pub fn look_at(folder: &Path) -> Result<Self, StoreError> {
        let path = folder.join("shop.sqlite");
        let failed = |reason: String| StoreError::Open { path: path.display().to_string(), reason };
        let whole = std::fs::canonicalize(&path).map_err(|e| failed(e.to_string()))?;
        // Signs that mean something in an address of a file.
        let plain = whole.to_string_lossy().replace('%', "%25").replace('?', "%3f").replace('#', "%23");
        // Where nobody has it open, SQLite need not put down files of its own beside it to read it.
        let alone = !folder.join("shop.sqlite-wal").exists();
        let address = format!("file:{plain}?mode=ro{}", if alone { "&immutable=1" } else { "" });
        let mut first = SqliteConnection::establish(&address).map_err(|e| failed(e.to_string()))?;
        if !is_shop(&mut first).map_err(|e| failed(e.to_string()))? {
            return Err(failed("it holds no shop".into()));
        }
        if let Some(migration) = unknown_migration(&mut first).map_err(failed)? {
            return Err(StoreError::Newer { path: path.display().to_string(), migration });
        }
        if first.has_pending_migration(MIGRATIONS).map_err(|e| failed(e.to_string()))? {
            return Err(failed("it was last opened by an earlier version; open it once with `boustrophe serve --data`".into()));
        }
        drop(first);
        let pool = Pool::builder()
            .max_size(1)
            .connection_timeout(WAIT)
            .build(ConnectionManager::new(address))
            .map_err(|e| failed(e.to_string()))?;
        Ok(Self { pool, identity: String::new(), reads_only: AtomicBool::new(true), damage: None, _lock: None })
    }

    /// The name by which machines know this shop: made once.
    pub fn identity(&self) -> &str {
        &self.identity
    }

    /// What is wrong with the data, where something is: such a shop is only read.
    pub fn damage(&self) -> Option<&str> {
        self.damage.as_deref()
    }

    /// Refuses every change from now on, or takes them again: for a disk that must not be written to.
    pub fn only_read(&self, on: bool) {
        self.reads_only.store(on, Ordering::Release);
    }

    /// Reads and writes, as everything else does: for whoever asks whether the shop is well.
    pub fn answers(&self) -> Result<(), StoreError> {
        let beat = (schema::facts::name.eq("heard"), schema::facts::value.eq(now()));
        diesel::replace_into(schema::facts::table).values(beat).execute(&mut self.connection()?)?;
        Ok(())
    }

    fn connection(&self) -> Result<PooledConnection<ConnectionManager<SqliteConnection>>, StoreError> {
        let mut c = self.pool.get().map_err(|e| StoreError::Busy(e.to_string()))?;
        // A connection may have been used when that was otherwise.
        c.batch_execute(if self.reads_only.load(Ordering::Acquire) { "PRAGMA query_only = ON" } else { "PRAGMA query_only = OFF" })?;
        Ok(c)
    }
}

/// True where there is a shop's memory in it, of whatever version.
fn is_shop(c: &mut SqliteConnection) -> QueryResult<bool> {
    #[derive(QueryableByName)]
    struct Found {
        #[diesel(sql_type = diesel::sql_types::BigInt)]
        found: i64,
    }
    let tables = "SELECT count(*) AS found FROM sqlite_master WHERE name IN ('__diesel_schema_migrations', 'jobs')";
    Ok(diesel::sql_query(tables).get_result::<Found>(c)?.found == 2)
}

/// What is wrong with the data, where something is, in SQLite's words.
fn damaged(c: &mut SqliteConnection) -> Option<String> {
    #[derive(QueryableByName)]
    struct Found {
        #[diesel(sql_type = diesel::sql_types::Text)]
        quick_check: String,
    }
    match diesel::sql_query("PRAGMA quick_check(3)").load::<Found>(c) {
        Ok(found) if found.iter().all(|f| f.quick_check == "ok") => None,
        Ok(found) => Some(found.into_iter().map(|f| f.quick_check).collect::<Vec<_>>().join("; ")),
        Err(error) => Some(error.to_string()),
    }
}

/// A file that only its owner may read and write, made where it is not there. SQLite gives its side files the same rights.
fn private(path: &Path) -> std::io::Result<File> {
    let mut options = File::options();
    options.create(true).truncate(false).read(true).write(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    let file = options.open(path)?;
    #[cfg(unix)]
    file.set_permissions(std::os::unix::fs::PermissionsExt::from_mode(0o600))?;
    Ok(file)
}

/// The name of a migration in the data that is not known here, if there is one.
fn unknown_migration(c: &mut SqliteConnection) -> Result<Option<String>, String> {
    let known: Vec<String> = diesel::migration::MigrationSource::<diesel::sqlite::Sqlite>::migrations(&MIGRATIONS)
        .map_err(|e| e.to_string())?
        .iter()
        .map(|m| m.name().version().to_string())
        .collect();
    let applied = c.applied_migrations().map_err(|e| e.to_string())?;
    Ok(applied.iter().map(ToString::to_string).find(|a| !known.contains(a)))
}

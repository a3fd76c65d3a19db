//! What becomes of things on the rack, as it is written down.

use crate::now;
use crate::schema::stock_events;
use diesel::prelude::*;

/// What became of something on the rack.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StockEvent {
    /// When.
    pub at: String,
    /// Who.
    pub person: String,
    /// What.
    pub words: String,
}

/// Why something was taken off.
#[derive(Clone, Debug, Default)]
pub struct Taken<'a> {
    /// Who.
    pub person: &'a str,
    /// What is told of it.
    pub words: &'a str,
    /// The run that burned it.
    pub run: Option<i32>,
    /// Its job.
    pub job: Option<i32>,
    /// Pieces taken off at once: blanks of a tray; 0 is one.
    pub pieces: u32,
}

pub(crate) fn told(c: &mut SqliteConnection, id: i32, taken: &Taken) -> QueryResult<usize> {
    let values = (
        stock_events::stock_id.eq(id),
        stock_events::at.eq(now()),
        stock_events::person.eq(taken.person),
        stock_events::words.eq(taken.words),
        stock_events::run_id.eq(taken.run),
        stock_events::job_id.eq(taken.job),
    );
    diesel::insert_into(stock_events::table).values(values).execute(c)
}

//! The list that is gone through before a run is started.

use crate::schema::run_ticks;
use crate::{Store, StoreError, now};
use diesel::prelude::*;

/// A tick on a run's list.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable, Insertable)]
#[diesel(table_name = run_ticks)]
pub struct Tick {
    /// Run.
    pub run_id: i32,
    /// What was ticked.
    pub item: String,
    /// Who did.
    pub person: String,
    /// When.
    pub at: String,
}

impl Store {
    /// Ticks a thing on a run's list, or takes the tick off. A tick that is there stays whose it is.
    pub fn tick(&self, run: i32, item: &str, person: &str, on: bool) -> Result<(), StoreError> {
        let mut c = self.connection()?;
        if on {
            let tick = Tick { run_id: run, item: item.into(), person: person.into(), at: now() };
            diesel::insert_or_ignore_into(run_ticks::table).values(&tick).execute(&mut c)?;
        } else {
            diesel::delete(run_ticks::table.find((run, item))).execute(&mut c)?;
        }
        Ok(())
    }

    /// What is ticked on a run's list.
    pub fn ticks(&self, run: i32) -> Result<Vec<Tick>, StoreError> {
        Ok(run_ticks::table.filter(run_ticks::run_id.eq(run)).select(Tick::as_select()).load(&mut self.connection()?)?)
    }
}

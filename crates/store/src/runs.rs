//! Runs of programs on machines.

use crate::schema::runs;
use crate::{Store, StoreError, now};
use diesel::prelude::*;

/// A program sent to a machine.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = runs)]
pub struct Run {
    /// Number.
    pub id: i32,
    /// Job.
    pub job_id: i32,
    /// Revision of the job.
    pub revision: i32,
    /// Sheet, from 1.
    pub sheet: i32,
    /// Machine id.
    pub machine: String,
    /// File name of the program.
    pub file_name: String,
    /// The program as sent.
    pub program: String,
    /// State, in the protocol's words, or `lost`.
    pub state: String,
    /// What else there is to say.
    pub detail: String,
    /// Machine seconds run.
    pub seconds: f64,
    /// Machine seconds in all.
    pub total: f64,
    /// When it was sent.
    pub created_at: String,
    /// When it ended.
    pub ended_at: Option<String>,
}

/// A run to be made.
pub struct NewRun<'a> {
    /// Job.
    pub job: i32,
    /// Revision of the job.
    pub revision: i32,
    /// Sheet, from 1.
    pub sheet: i32,
    /// Machine id.
    pub machine: &'a str,
    /// File name of the program.
    pub file_name: &'a str,
    /// The program.
    pub program: &'a str,
    /// Seconds it is expected to take.
    pub total: f64,
}

impl Store {
    /// Adds a run that waits to be sent.
    pub fn add_run(&self, run: &NewRun) -> Result<i32, StoreError> {
        let values = (
            runs::job_id.eq(run.job),
            runs::revision.eq(run.revision),
            runs::sheet.eq(run.sheet),
            runs::machine.eq(run.machine),
            runs::file_name.eq(run.file_name),
            runs::program.eq(run.program),
            runs::state.eq("sending"),
            runs::detail.eq(""),
            runs::seconds.eq(0.0),
            runs::total.eq(run.total),
            runs::created_at.eq(now()),
        );
        Ok(diesel::insert_into(runs::table).values(values).returning(runs::id).get_result(&mut *self.connection())?)
    }

    /// One run.
    pub fn run(&self, id: i32) -> Result<Run, StoreError> {
        let found = runs::table.find(id).select(Run::as_select()).first(&mut *self.connection()).optional()?;
        found.ok_or(StoreError::Missing { what: "run", id: i64::from(id) })
    }

    /// A job's runs, the newest first.
    pub fn runs_of(&self, job: i32) -> Result<Vec<Run>, StoreError> {
        Ok(runs::table.filter(runs::job_id.eq(job)).order(runs::id.desc()).select(Run::as_select()).load(&mut *self.connection())?)
    }

    /// Notes how a run stands; `ended` closes it.
    pub fn set_run(&self, id: i32, state: &str, detail: &str, seconds: f64, ended: bool) -> Result<(), StoreError> {
        let end = ended.then(now);
        diesel::update(runs::table.find(id))
            .set((runs::state.eq(state), runs::detail.eq(detail), runs::seconds.eq(seconds), runs::ended_at.eq(end)))
            .execute(&mut *self.connection())?;
        Ok(())
    }

    /// Runs that were under way when the shop was shut: nobody watches them any more.
    pub fn close_lost_runs(&self) -> Result<usize, StoreError> {
        let open = runs::table.filter(runs::ended_at.is_null());
        let detail = "the shop was shut while it ran; look at the machine before anything else";
        Ok(diesel::update(open)
            .set((runs::state.eq("lost"), runs::detail.eq(detail), runs::ended_at.eq(now())))
            .execute(&mut *self.connection())?)
    }
}

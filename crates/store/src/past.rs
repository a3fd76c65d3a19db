//! Runs that have ended, as machines' pages list them.

use crate::columns::Word;
use crate::schema::{jobs, runs};
use crate::{Store, StoreError};
use boustrophe_core::run::RunState;
use diesel::prelude::*;

/// A run that has ended, without its program.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = runs)]
pub struct PastRun {
    /// Number.
    pub id: i32,
    /// Job.
    pub job_id: i32,
    /// Its name.
    #[diesel(select_expression = jobs::name)]
    pub job: String,
    /// Revision of the job.
    pub revision: i32,
    /// Sheet, from 1.
    pub sheet: i32,
    /// File name of the program.
    pub file_name: String,
    /// Where it stood at its end.
    #[diesel(deserialize_as = Word<RunState>)]
    pub state: RunState,
    /// As [`Run::alarm`].
    pub alarm: String,
    /// Machine seconds that it took.
    pub seconds: f64,
    /// Machine seconds that it was reckoned to take.
    pub total: f64,
    /// When it ended.
    pub ended_at: Option<String>,
    /// The run that it went on from.
    pub goes_on: Option<i32>,
    /// The release that it was of.
    pub release_id: Option<i32>,
}

impl Store {
    /// The last runs of a machine that have ended, the newest first; without those taken out of the queue.
    pub fn past_runs(&self, machine: &str, most: i64) -> Result<Vec<PastRun>, StoreError> {
        let ended = runs::table.inner_join(jobs::table).filter(runs::machine.eq(machine)).filter(runs::ended_at.is_not_null());
        let ended = ended.filter(runs::state.ne(RunState::Withdrawn.to_string())).order(runs::id.desc()).limit(most);
        Ok(ended.select(PastRun::as_select()).load(&mut self.connection()?)?)
    }
}

//! A run as the memory has it.

use crate::columns::{Lies, Word};
use crate::schema::runs;
use boustrophe_core::decisions::Pose;
use boustrophe_core::run::{Answer, RunState};
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
    /// Where it stands.
    #[diesel(deserialize_as = Word<RunState>)]
    pub state: RunState,
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
    /// Checksum of the program.
    pub sum: String,
    /// Line of the program that the machine was last heard at, from 1.
    pub line: i32,
    /// Pieces of work in the program, and how many of them were finished when the machine was last heard.
    pub cuts: i32,
    /// See `cuts`.
    pub cuts_done: i32,
    /// When the machine was last heard of it.
    pub heard_at: Option<String>,
    /// Where the head was then, mm.
    pub x: f64,
    /// See `x`.
    pub y: f64,
    /// The run that it goes on from.
    pub goes_on: Option<i32>,
    /// The alarm that it ended with, in the protocol's word; empty without one.
    pub alarm: String,
    /// Its place in the machine's queue, the first lowest.
    pub place: i32,
    /// How its sheet lies on the bed.
    #[diesel(deserialize_as = Lies)]
    pub pose: Pose,
    /// The release that it is of; none for what an earlier version sent.
    pub release_id: Option<i32>,
    /// What somebody said of its sheet when it had ended.
    #[diesel(deserialize_as = Word<Answer>)]
    pub answer: Answer,
    /// Who sent it.
    pub person: String,
    /// What it takes off the rack, by its number there.
    pub stock_id: Option<i32>,
}

impl Run {
    /// True where it burned something, or nobody can say that it did not.
    pub fn has_burned(&self) -> bool {
        self.state == RunState::Done || self.seconds > 0.0 || self.state == RunState::Lost
    }
    /// True while its sheet lies on the bed and nobody has said what becomes of it.
    pub fn asks(&self) -> bool {
        self.state.is_ended() && self.state != RunState::Withdrawn && self.has_burned() && self.answer == Answer::None
    }
}

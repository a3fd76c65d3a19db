//! Runs of programs on machines.

use crate::bookings::is_there;
use crate::columns::lying;
use crate::jobs::NewRevision;
use crate::programs::keep_program;
use crate::run::Run;
use crate::schema::{programs, run_ticks, run_work, runs};
use crate::{Store, StoreError, Tick, now};
use boustrophe_core::decisions::Pose;
use boustrophe_core::run::{Answer, RunState};
use diesel::prelude::*;

/// What a machine was heard to say of a run.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Heard {
    /// Where it stands.
    pub state: RunState,
    /// What else there is to say.
    pub detail: String,
    /// Machine seconds run.
    pub seconds: f64,
    /// Line of the program, from 1.
    pub line: i32,
    /// Pieces of work finished.
    pub cuts_done: i32,
    /// Where the head is, mm.
    pub at: (f64, f64),
    /// As [`Run::alarm`].
    pub alarm: String,
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
    /// Checksum of the program.
    pub sum: &'a str,
    /// Pieces of work in it.
    pub cuts: i32,
    /// Seconds it is expected to take.
    pub total: f64,
    /// The run that it goes on from.
    pub goes_on: Option<i32>,
    /// How its sheet lies on the bed.
    pub pose: Pose,
    /// The release that it is of.
    pub release: i32,
    /// Who sends it.
    pub person: &'a str,
    /// What it takes off the rack, by its number there, and how many pieces of it.
    pub stock: Option<(i32, i32)>,
    /// Its sheet was taken off the rack by the run before.
    pub booked: bool,
    /// Its own work, packed, where it is not that of the release's sheet.
    pub work: Option<Vec<u8>>,
}

/// What follows of an answer.
pub enum Then<'a> {
    /// Nothing.
    Nothing,
    /// Another run, which comes next on its machine.
    Run(&'a NewRun<'a>),
    /// A change of a job, made on a revision that has to be in force.
    Change {
        /// The job.
        job: i32,
        /// The revision.
        parent: i32,
        /// What is put in force.
        new: NewRevision<'a>,
    },
}

/// States of runs as they are stored.
fn words(states: impl IntoIterator<Item = RunState>) -> Vec<String> {
    states.into_iter().map(|s| s.to_string()).collect()
}

/// Puts a run into its machine's queue, at this place. Its program is kept.
fn queued(c: &mut SqliteConnection, run: &NewRun, place: i32) -> Result<i32, StoreError> {
    keep_program(c, run.sum, run.program)?;
    let values = (
        runs::job_id.eq(run.job),
        runs::revision.eq(run.revision),
        runs::sheet.eq(run.sheet),
        runs::machine.eq(run.machine),
        runs::file_name.eq(run.file_name),
        runs::program.eq(""),
        runs::state.eq(RunState::Waiting.to_string()),
        runs::detail.eq(""),
        runs::seconds.eq(0.0),
        runs::total.eq(run.total),
        runs::created_at.eq(now()),
        runs::sum.eq(run.sum),
        runs::cuts.eq(run.cuts),
        runs::goes_on.eq(run.goes_on),
        runs::pose.eq(lying(run.pose)?),
        runs::place.eq(place),
        runs::release_id.eq(run.release),
        runs::person.eq(run.person),
    );
    let values = (values, (runs::stock_id.eq(run.stock.map(|s| s.0)), runs::racked.eq(run.booked)));
    let id = diesel::insert_into(runs::table).values(values).returning(runs::id).get_result(c)?;
    if let Some(work) = &run.work {
        diesel::insert_into(run_work::table).values((run_work::run_id.eq(id), run_work::body.eq(work))).execute(c)?;
    }
    Ok(id)
}

/// What a run was to go on from is asked about again: nothing came of the run.
fn asked_again(c: &mut SqliteConnection, id: i32) -> Result<(), StoreError> {
    let before: Option<i32> = runs::table.find(id).select(runs::goes_on).first(c)?;
    if let Some(before) = before {
        diesel::update(runs::table.find(before)).set(runs::answer.eq(Answer::None.to_string())).execute(c)?;
    }
    Ok(())
}

/// Takes all out of the queues that waits of a job's releases other than this one.
pub(crate) fn withdraw_all(c: &mut SqliteConnection, job: i32, but: i32, why: &str) -> QueryResult<usize> {
    let waiting = runs::table.filter(runs::job_id.eq(job)).filter(runs::state.eq(RunState::Waiting.to_string()));
    let theirs = waiting.filter(runs::release_id.ne(but).or(runs::release_id.is_null())).filter(runs::goes_on.is_null());
    let set = (runs::state.eq(RunState::Withdrawn.to_string()), runs::detail.eq(why), runs::ended_at.eq(now()));
    diesel::update(theirs).set(set).execute(c)
}

impl Store {
    /// Puts a program into its machine's queue so often: so many of the same are in it then and not yet started. Gives the number of
    /// the first. Refused where the rack has not so many sheets for it, or its release is not in force any more.
    pub fn send(&self, run: &NewRun, times: usize) -> Result<i32, StoreError> {
        self.connection()?.immediate_transaction(|c| {
            let last: Option<i32> = crate::schema::releases::table
                .filter(crate::schema::releases::job_id.eq(run.job))
                .select(diesel::dsl::max(crate::schema::releases::id))
                .first(c)?;
            if last != Some(run.release) {
                return Err(StoreError::Replaced { release: run.release });
            }
            let before = words([RunState::Waiting, RunState::Sending, RunState::Ready, RunState::Walking]);
            let same = runs::table.filter(runs::machine.eq(run.machine)).filter(runs::state.eq_any(before));
            let same = same.filter(runs::release_id.eq(run.release)).filter(runs::sheet.eq(run.sheet)).filter(runs::goes_on.is_null());
            let mut all: Vec<i32> = same.order((runs::place, runs::id)).select(runs::id).load(c)?;
            let more = times.saturating_sub(all.len());
            if let Some(stock) = run.stock.filter(|_| more > 0) {
                is_there(c, stock, more)?;
            }
            for _ in 0..more {
                let last: Option<i32> = runs::table.select(diesel::dsl::max(runs::place)).first(c)?;
                all.push(queued(c, run, last.unwrap_or(0) + 1)?);
            }
            all.first().copied().ok_or(StoreError::Missing { what: "run", id: 0 })
        })
    }

    /// Takes the answer to what becomes of an ended run's sheet, once; with it, in the same step, what follows of it. Gives the number of
    /// that.
    pub fn answer(&self, run: i32, answer: Answer, person: &str, then: Then) -> Result<Option<i32>, StoreError> {
        let changed = if let Then::Change { new, .. } = &then { Some(crate::jobs::written(new.decisions)?) } else { None };
        self.connection()?.immediate_transaction(|c| {
            let open = runs::table.find(run).filter(runs::answer.eq(Answer::None.to_string())).filter(runs::ended_at.is_not_null());
            if diesel::update(open).set(runs::answer.eq(answer.to_string())).execute(c)? == 0 {
                return Err(StoreError::Answered { run });
            }
            let tick = Tick { run_id: run, item: answer.to_string(), person: person.into(), at: now() };
            diesel::insert_or_ignore_into(run_ticks::table).values(&tick).execute(c)?;
            let then = match (then, changed) {
                (Then::Run(run), _) => run,
                (Then::Change { job, parent, new }, Some(json)) => return crate::jobs::added(c, (job, parent), &new, json).map(Some),
                _ => return Ok(None),
            };
            let open = runs::table.filter(runs::machine.eq(then.machine)).filter(runs::ended_at.is_null());
            let first: Option<i32> = open.select(diesel::dsl::min(runs::place)).first(c)?;
            Ok(Some(queued(c, then, first.unwrap_or(1) - 1)?))
        })
    }

    /// The run whose sheet lies on a machine's bed without anybody having said what becomes of it.
    pub fn asking(&self, machine: &str) -> Result<Option<Run>, StoreError> {
        let ended = runs::table.filter(runs::machine.eq(machine)).filter(runs::answer.eq(Answer::None.to_string()));
        let ended = ended.filter(runs::ended_at.is_not_null()).filter(runs::state.ne(RunState::Withdrawn.to_string()));
        let ended = ended.order(runs::id.desc()).select(Run::as_select());
        Ok(ended.load::<Run>(&mut self.connection()?)?.into_iter().find(Run::asks))
    }

    /// Puts runs that have burned nothing in this order; those that are not named keep their places among themselves behind them.
    pub fn arrange(&self, machine: &str, order: &[i32]) -> Result<(), StoreError> {
        self.connection()?.immediate_transaction(|c| {
            let before = words([RunState::Waiting, RunState::Ready]);
            let waiting = runs::table.filter(runs::machine.eq(machine)).filter(runs::state.eq_any(before)).filter(runs::ended_at.is_null());
            let known: Vec<(i32, i32)> = waiting.order((runs::place.asc(), runs::id.asc())).select((runs::id, runs::place)).load(c)?;
            let mut wanted: Vec<i32> = Vec::new();
            for id in order.iter().copied().filter(|id| known.iter().any(|k| k.0 == *id)) {
                if !wanted.contains(&id) {
                    wanted.push(id);
                }
            }
            wanted.extend(known.iter().map(|k| k.0).filter(|id| !order.contains(id)));
            for (id, (_, place)) in wanted.iter().zip(&known) {
                diesel::update(runs::table.find(*id)).set(runs::place.eq(*place)).execute(c)?;
            }
            Ok(())
        })
    }

    /// The program of a run, as it was sent.
    pub fn program(&self, run: i32) -> Result<String, StoreError> {
        let c = &mut self.connection()?;
        let found: Option<(String, String)> = runs::table.find(run).select((runs::sum, runs::program)).first(c).optional()?;
        let (sum, own) = found.ok_or(StoreError::Missing { what: "run", id: i64::from(run) })?;
        // Earlier versions kept it with the run.
        let kept = programs::table.find(sum).select(programs::text).first(c).optional()?;
        Ok(kept.unwrap_or(own))
    }

    /// A run's own work, packed, where it has some: else its work is that of its release's sheet.
    pub fn own_work(&self, run: i32) -> Result<Option<Vec<u8>>, StoreError> {
        Ok(run_work::table.find(run).select(run_work::body).first(&mut self.connection()?).optional()?)
    }

    /// One run.
    pub fn run(&self, id: i32) -> Result<Run, StoreError> {
        let found = runs::table.find(id).select(Run::as_select()).first(&mut self.connection()?).optional()?;
        found.ok_or(StoreError::Missing { what: "run", id: i64::from(id) })
    }

    /// A job's runs, the newest first.
    pub fn runs_of(&self, job: i32) -> Result<Vec<Run>, StoreError> {
        Ok(runs::table.filter(runs::job_id.eq(job)).order(runs::id.desc()).select(Run::as_select()).load(&mut self.connection()?)?)
    }

    /// Runs of a machine that have not ended, the first in its queue first.
    pub fn open_runs(&self, machine: &str) -> Result<Vec<Run>, StoreError> {
        let open = runs::table.filter(runs::machine.eq(machine)).filter(runs::ended_at.is_null());
        Ok(open.order((runs::place.asc(), runs::id.asc())).select(Run::as_select()).load(&mut self.connection()?)?)
    }

    /// The last run before this one that burned some of the same sheet and did not come to its end, as long as nobody has said that
    /// the sheet is given up.
    pub fn broken_off(&self, run: &Run) -> Result<Option<Run>, StoreError> {
        let earlier = runs::table.filter(runs::job_id.eq(run.job_id)).filter(runs::sheet.eq(run.sheet)).filter(runs::id.lt(run.id));
        let burned = earlier.filter(runs::seconds.gt(0.0)).filter(runs::state.ne(RunState::Withdrawn.to_string()));
        let last: Option<Run> = burned.order(runs::id.desc()).select(Run::as_select()).first(&mut self.connection()?).optional()?;
        Ok(last.filter(|l| l.state.broke_off() && matches!(l.answer, Answer::None | Answer::Earlier)))
    }

    /// Notes what a machine was heard to say of a run: where it stands, and its figures. Refused where it cannot come to stand there
    /// from where it stands; what has ended stays as it ended.
    pub fn note_run(&self, id: i32, heard: &Heard) -> Result<(), StoreError> {
        let end = heard.state.is_ended().then(now);
        let values = (
            runs::state.eq(heard.state.to_string()),
            runs::detail.eq(&heard.detail),
            runs::seconds.eq(heard.seconds),
            runs::line.eq(heard.line),
            runs::cuts_done.eq(heard.cuts_done),
            runs::x.eq(heard.at.0),
            runs::y.eq(heard.at.1),
            runs::alarm.eq(&heard.alarm),
            runs::heard_at.eq(now()),
            runs::ended_at.eq(end),
        );
        // One that ends with nothing burned leaves what it was to go on from as it was.
        let for_nothing = heard.state.is_ended() && heard.seconds <= 0.0 && !matches!(heard.state, RunState::Done | RunState::Lost);
        self.connection()?.immediate_transaction(|c| {
            let from = runs::table.find(id).filter(runs::ended_at.is_null());
            let from = from.filter(runs::state.eq_any(words(RunState::before(heard.state))));
            self.changed(id, heard.state, diesel::update(from).set(values).execute(c)?)?;
            if for_nothing { asked_again(c, id) } else { Ok(()) }
        })
    }

    /// Puts a run that has burned nothing back into its queue, or takes one that waits there out of it. What it was to go on from
    /// is asked about again then.
    pub fn requeue(&self, id: i32, state: RunState, detail: &str) -> Result<(), StoreError> {
        let end = state.is_ended().then(now);
        self.connection()?.immediate_transaction(|c| {
            let from = runs::table.find(id).filter(runs::ended_at.is_null()).filter(runs::state.eq_any(words(RunState::before(state))));
            let set = (runs::state.eq(state.to_string()), runs::detail.eq(detail), runs::ended_at.eq(end));
            self.changed(id, state, diesel::update(from).set(set).execute(c)?)?;
            if state == RunState::Withdrawn { asked_again(c, id) } else { Ok(()) }
        })
    }

    /// A change that found nothing to change is none.
    fn changed(&self, id: i32, to: RunState, rows: usize) -> Result<(), StoreError> {
        if rows == 1 { Ok(()) } else { Err(StoreError::RunMoved { run: id, to }) }
    }
}

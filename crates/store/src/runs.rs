//! Runs of programs on machines.

use crate::schema::{jobs, run_ticks, runs};
use crate::{Store, StoreError, now};
use boustrophe_core::decisions::Pose;
use diesel::prelude::*;
use std::collections::BTreeMap;

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
    /// `waiting` in the machine's queue, `sending`, then a state in the protocol's words; `lost` where the machine no longer
    /// knows of it, `withdrawn` where it was taken out of the queue.
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
    /// How its sheet lies on the bed, as JSON; empty where it lies at the corner with its zero there.
    pub pose: String,
}

/// What a machine was heard to say of a run.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Heard {
    /// State, as in [`Run::state`].
    pub state: String,
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
    /// True where this closes the run.
    pub ended: bool,
    /// As [`Run::alarm`].
    pub alarm: String,
}

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
    /// As [`Run::state`].
    pub state: String,
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
}

impl Run {
    /// How its sheet lies on the bed.
    pub fn pose(&self) -> Pose {
        serde_json::from_str(&self.pose).unwrap_or_default()
    }
}

impl Store {
    /// Adds a run at the end of its machine's queue.
    pub fn add_run(&self, run: &NewRun) -> Result<i32, StoreError> {
        let values = (
            runs::job_id.eq(run.job),
            runs::revision.eq(run.revision),
            runs::sheet.eq(run.sheet),
            runs::machine.eq(run.machine),
            runs::file_name.eq(run.file_name),
            runs::program.eq(run.program),
            runs::state.eq("waiting"),
            runs::detail.eq(""),
            runs::seconds.eq(0.0),
            runs::total.eq(run.total),
            runs::created_at.eq(now()),
            runs::sum.eq(run.sum),
            runs::cuts.eq(run.cuts),
            runs::goes_on.eq(run.goes_on),
            runs::pose.eq(if run.pose == Pose::default() { String::new() } else { serde_json::to_string(&run.pose)? }),
        );
        self.connection()?.immediate_transaction(|c| {
            let last: Option<i32> = runs::table.select(diesel::dsl::max(runs::place)).first(c)?;
            let place = runs::place.eq(last.unwrap_or(0) + 1);
            Ok(diesel::insert_into(runs::table).values((values, place)).returning(runs::id).get_result(c)?)
        })
    }

    /// Puts runs that wait for a machine in this order; those that are not named, or wait no longer, keep their places among
    /// themselves behind them.
    pub fn arrange(&self, machine: &str, order: &[i32]) -> Result<(), StoreError> {
        self.connection()?.immediate_transaction(|c| {
            let waiting = runs::table.filter(runs::machine.eq(machine)).filter(runs::state.eq("waiting")).filter(runs::ended_at.is_null());
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

    /// The last runs of a machine that have ended, the newest first; without those taken out of the queue.
    pub fn past_runs(&self, machine: &str, most: i64) -> Result<Vec<PastRun>, StoreError> {
        let ended = runs::table.inner_join(jobs::table).filter(runs::machine.eq(machine)).filter(runs::ended_at.is_not_null());
        let ended = ended.filter(runs::state.ne("withdrawn")).order((runs::ended_at.desc(), runs::id.desc())).limit(most);
        Ok(ended.select(PastRun::as_select()).load(&mut self.connection()?)?)
    }

    /// Writes down how many parts a run made.
    pub fn set_made(&self, run: i32, parts: usize) -> Result<(), StoreError> {
        let parts = i32::try_from(parts).unwrap_or(i32::MAX);
        diesel::update(runs::table.find(run)).set(runs::made.eq(parts)).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Parts that the runs of each job made, by job; none of those that made none.
    pub fn parts_made(&self) -> Result<BTreeMap<i32, i64>, StoreError> {
        let made = runs::table.filter(runs::made.gt(0)).group_by(runs::job_id).select((runs::job_id, diesel::dsl::sum(runs::made)));
        let rows: Vec<(i32, Option<i64>)> = made.load(&mut self.connection()?)?;
        Ok(rows.into_iter().filter_map(|(job, n)| Some((job, n?))).collect())
    }

    /// The program of a run, as it was sent.
    pub fn program(&self, run: i32) -> Result<String, StoreError> {
        let found = runs::table.find(run).select(runs::program).first(&mut self.connection()?).optional()?;
        found.ok_or(StoreError::Missing { what: "run", id: i64::from(run) })
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

    /// The last run before this one that burned some of the same sheet and did not come to its end.
    pub fn broken_off(&self, run: &Run) -> Result<Option<Run>, StoreError> {
        let earlier = runs::table
            .filter(runs::job_id.eq(run.job_id))
            .filter(runs::sheet.eq(run.sheet))
            .filter(runs::id.lt(run.id))
            .order(runs::id.desc())
            .select(Run::as_select());
        let last: Option<Run> = earlier.first(&mut self.connection()?).optional()?;
        Ok(last.filter(|l| l.state != "done" && (l.seconds > 0.0 || l.line > 0)))
    }

    /// Notes what a machine was heard to say of a run. What has ended stays as it ended.
    pub fn set_run(&self, id: i32, heard: &Heard) -> Result<(), StoreError> {
        let end = heard.ended.then(now);
        let values = (
            runs::state.eq(&heard.state),
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
        diesel::update(runs::table.find(id)).filter(runs::ended_at.is_null()).set(values).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Puts a run that the machine has not taken in back into its queue, or takes it out of it (`withdrawn`).
    pub fn requeue(&self, id: i32, state: &str, detail: &str) -> Result<(), StoreError> {
        let end = (state == "withdrawn").then(now);
        diesel::update(runs::table.find(id))
            .filter(runs::ended_at.is_null())
            .set((runs::state.eq(state), runs::detail.eq(detail), runs::ended_at.eq(end)))
            .execute(&mut self.connection()?)?;
        Ok(())
    }

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

//! What becomes of a job as a whole: what is asked for of it, put away, deleted.

use crate::files::came_before;
use crate::programs::drop_unused_programs;
use crate::run::Run;
use crate::schema::{files, job_files, jobs, runs};
use crate::{Store, StoreError};
use diesel::prelude::*;

/// What is asked for of a job as a whole.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Order {
    /// For whom it is.
    pub customer: String,
    /// When it is due, as a date.
    pub due: Option<String>,
    /// How many of each drawing.
    pub quantity: i32,
}

/// The runs of a job, where none of them waits for a machine, is at one, or lies there unanswered for.
fn at_no_machine(c: &mut diesel::SqliteConnection, job: i32) -> Result<Vec<Run>, StoreError> {
    let runs: Vec<Run> = runs::table.filter(runs::job_id.eq(job)).select(Run::as_select()).load(c)?;
    match runs.iter().find(|r| r.ended_at.is_none() || r.asks()) {
        Some(run) => {
            let what = format!("sheet {} is {} on {} (run {})", run.sheet, run.state, run.machine, run.id);
            Err(StoreError::AtMachine { what })
        }
        None => Ok(runs),
    }
}

impl Store {
    /// Notes what is asked for of a job.
    pub fn set_order(&self, job: i32, order: &Order) -> Result<(), StoreError> {
        self.job(job)?;
        let values = (jobs::customer.eq(&order.customer), jobs::due.eq(&order.due), jobs::quantity.eq(order.quantity));
        diesel::update(jobs::table.find(job)).set(values).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// Puts a job away, or back on the floor.
    pub fn archive(&self, job: i32, away: bool) -> Result<(), StoreError> {
        self.job(job)?;
        self.connection()?.immediate_transaction(|c| {
            if away {
                at_no_machine(c, job)?;
            }
            diesel::update(jobs::table.find(job)).set(jobs::archived.eq(away)).execute(c)?;
            Ok(())
        })
    }

    /// Deletes a job with all its revisions, releases and runs, and the files that no other job names. Refused while something of it
    /// waits for a machine, is at one, or lies there unanswered for.
    pub fn delete_job(&self, job: i32) -> Result<(), StoreError> {
        self.job(job)?;
        self.connection()?.immediate_transaction(|c| {
            let runs = at_no_machine(c, job)?;
            // A sheet that was used up and could not be booked would stay on the rack for ever.
            let unbooked = crate::bookings::to_rack(c)?;
            for run in runs.iter().filter(|r| unbooked.contains(&r.id)) {
                crate::bookings::used_up(c, run)?;
            }
            let mine: Vec<String> = job_files::table.filter(job_files::job_id.eq(job)).select(job_files::hash).load(c)?;
            diesel::delete(jobs::table.find(job)).execute(c)?;
            let kept: Vec<String> = job_files::table.filter(job_files::hash.eq_any(&mine)).select(job_files::hash).load(c)?;
            let free: Vec<&String> = mine.iter().filter(|h| !kept.contains(h)).collect();
            // One that has just come in may be on its way to another job, which does not name it yet.
            diesel::delete(files::table.filter(files::hash.eq_any(free)).filter(files::added_at.lt(came_before()))).execute(c)?;
            drop_unused_programs(c)?;
            Ok(())
        })
    }
}

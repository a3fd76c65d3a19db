//! What runs made, for their own jobs and for others, and what a search had found when the power went.

use crate::schema::{jobs, made, runs, searches};
use crate::{Store, StoreError};
use boustrophe_core::ids::PartId;
use boustrophe_core::nest::Layout;
use diesel::prelude::*;
use std::collections::BTreeMap;

/// Copies of a part that were made in another job's run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Made {
    /// Which part.
    pub part: PartId,
    /// How many.
    pub count: u32,
    /// In whose run.
    pub host: (i32, String),
}

impl Store {
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

    /// Writes down what a run of `host` made for other jobs: job, part, count. Once, however often it is said.
    pub fn add_made(&self, run: i32, host: i32, all: &[(i32, PartId, u32)]) -> Result<(), StoreError> {
        let rows: Vec<_> = all
            .iter()
            .map(|(job, part, n)| {
                (
                    made::run_id.eq(run),
                    made::job_id.eq(*job),
                    made::part.eq(part.to_string()),
                    made::count.eq(i32::try_from(*n).unwrap_or(i32::MAX)),
                    made::host_id.eq(host),
                )
            })
            .collect();
        diesel::insert_or_ignore_into(made::table).values(rows).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// What was made for a job in others' runs.
    pub fn made_for(&self, job: i32) -> Result<Vec<Made>, StoreError> {
        let found = made::table.inner_join(jobs::table.on(jobs::id.eq(made::host_id))).filter(made::job_id.eq(job));
        let rows: Vec<(String, i32, i32, String)> =
            found.select((made::part, made::count, jobs::id, jobs::name)).order(made::run_id).load(&mut self.connection()?)?;
        let one = |(part, n, host, name): (String, i32, i32, String)| {
            Some(Made { part: part.parse().ok()?, count: u32::try_from(n).ok()?, host: (host, name) })
        };
        Ok(rows.into_iter().filter_map(one).collect())
    }

    /// Writes down the best that a job's search has found so far; nothing where none is under way.
    pub fn set_search_best(&self, job: i32, best: &Layout) -> Result<(), StoreError> {
        let text = serde_json::to_string(best)?;
        diesel::update(searches::table.find(job)).set(searches::best.eq(text)).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// What was written down of a job's search.
    pub fn search_best(&self, job: i32) -> Result<Option<Layout>, StoreError> {
        let found: Option<Option<String>> = searches::table.find(job).select(searches::best).first(&mut self.connection()?).optional()?;
        Ok(found.flatten().map(|text| serde_json::from_str(&text)).transpose()?)
    }
}

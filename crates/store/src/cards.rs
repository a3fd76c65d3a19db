//! What the floor shows of each job, as it was last worked out: reading it computes nothing.

use crate::schema::{cards, jobs};
use crate::{Job, Store, StoreError};
use diesel::prelude::*;

/// What the floor shows of a job.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable, Insertable, AsChangeset)]
#[diesel(table_name = cards)]
pub struct Card {
    /// Job.
    pub job_id: i32,
    /// The revision it was worked out for.
    pub revision: i32,
    /// Its figures, as JSON of whoever shows them.
    pub body: String,
    /// The first sheet, as an SVG drawing.
    pub miniature: String,
}

/// A job with the revision and body of its card, where it has one.
pub type OnFloor = (Job, Option<(i32, String)>);

impl Store {
    /// Keeps what the floor shows of a job.
    pub fn set_card(&self, card: &Card) -> Result<(), StoreError> {
        diesel::replace_into(cards::table).values(card).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// What the floor shows of one job.
    pub fn card(&self, job: i32) -> Result<Option<Card>, StoreError> {
        Ok(cards::table.find(job).select(Card::as_select()).first(&mut self.connection()?).optional()?)
    }

    /// Jobs that are on the floor, or those that were put away, the newest first, each with its card's revision and body.
    pub fn floor(&self, archived: bool) -> Result<Vec<OnFloor>, StoreError> {
        Ok(jobs::table
            .left_join(cards::table.on(cards::job_id.eq(jobs::id)))
            .filter(jobs::archived.eq(archived))
            .order(jobs::id.desc())
            .select((Job::as_select(), (cards::revision, cards::body).nullable()))
            .load(&mut self.connection()?)?)
    }

    /// A job's miniature with the revision that it shows.
    pub fn miniature(&self, job: i32) -> Result<Option<(i32, String)>, StoreError> {
        Ok(cards::table.find(job).select((cards::revision, cards::miniature)).first(&mut self.connection()?).optional()?)
    }
}

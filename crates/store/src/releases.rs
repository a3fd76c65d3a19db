//! Releases: written once, with their programs and papers, and never changed.

use crate::programs::keep_program;
use crate::runs::withdraw_all;
use crate::schema::{jobs, programs, release_batches, release_papers, release_sheets, releases};
use crate::{Store, StoreError, now};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ledger::Ledger;
use diesel::prelude::*;

/// A release, without what is in it.
#[derive(Clone, Debug, PartialEq)]
pub struct Release {
    /// Number, over all jobs.
    pub id: i32,
    /// Job.
    pub job: i32,
    /// Revision of the job that was released.
    pub revision: i32,
    /// Who released it.
    pub person: String,
    /// When.
    pub at: String,
    /// The figures of all of it.
    pub ledger: Ledger,
}

/// One sheet of a release.
#[derive(Clone, Debug, PartialEq, Queryable, Selectable, Insertable)]
#[diesel(table_name = release_sheets)]
pub struct SheetRow {
    /// Release.
    pub release_id: i32,
    /// As numbered through all batches, from 1.
    pub sheet: i32,
    /// Its batch.
    pub batch: i32,
    /// Its number in the batch, from 0.
    pub place: i32,
    /// Machine id.
    pub machine: String,
    /// File name of its program.
    pub file_name: String,
    /// Checksum of its program.
    pub sum: String,
    /// Pieces of work in it.
    pub pieces: i32,
    /// Machine seconds by the motion model.
    pub seconds: f64,
    /// What it is cut from, by its number on the rack.
    pub stock_id: Option<i32>,
    /// Pieces of that which it takes: 1, or as many blanks as are worked on.
    pub pieces_of_stock: i32,
    /// What has to lie on the bed.
    pub lay: String,
    /// The sheet in small, as an SVG drawing.
    pub miniature: String,
}

/// What a new release is made of.
pub struct NewRelease<'a> {
    /// Job.
    pub job: i32,
    /// The revision that is released: it has to be in force.
    pub revision: i32,
    /// Who releases it.
    pub person: &'a str,
    /// The figures of all of it.
    pub ledger: &'a Ledger,
    /// Each batch with its work, packed.
    pub batches: Vec<(BatchId, Vec<u8>)>,
    /// Its sheets, each with its program; their number of the release is filled in.
    pub sheets: Vec<(SheetRow, String)>,
    /// Its papers, by name.
    pub papers: Vec<(String, Vec<u8>)>,
}

type Row = (i32, i32, i32, String, String, String);

fn read((id, job, revision, person, at, ledger): Row) -> Result<Release, StoreError> {
    Ok(Release { id, job, revision, person, at, ledger: serde_json::from_str(&ledger)? })
}

impl Store {
    /// Keeps a release of the revision in force. What waited of the job's earlier releases is withdrawn with a word. Gives its
    /// number, and how many runs were withdrawn. Refused where another revision is in force by now.
    pub fn add_release(&self, new: &NewRelease) -> Result<(i32, usize), StoreError> {
        let ledger = serde_json::to_string(new.ledger)?;
        self.connection()?.immediate_transaction(|c| {
            let head: Option<i32> = jobs::table.find(new.job).select(jobs::head).first(c)?;
            if head != Some(new.revision) {
                return Err(StoreError::Moved { head: head.unwrap_or(0) });
            }
            let values = (
                releases::job_id.eq(new.job),
                releases::revision.eq(new.revision),
                releases::person.eq(new.person),
                releases::created_at.eq(now()),
                releases::ledger.eq(ledger),
            );
            let id: i32 = diesel::insert_into(releases::table).values(values).returning(releases::id).get_result(c)?;
            for (batch, body) in &new.batches {
                let batch = release_batches::batch.eq(i32::try_from(batch.0).unwrap_or(i32::MAX));
                let values = (release_batches::release_id.eq(id), batch, release_batches::body.eq(body));
                diesel::insert_into(release_batches::table).values(values).execute(c)?;
            }
            for (sheet, program) in &new.sheets {
                keep_program(c, &sheet.sum, program)?;
                let sheet = SheetRow { release_id: id, ..sheet.clone() };
                diesel::insert_into(release_sheets::table).values(&sheet).execute(c)?;
            }
            for (name, bytes) in &new.papers {
                let values = (release_papers::release_id.eq(id), release_papers::name.eq(name), release_papers::bytes.eq(bytes));
                diesel::insert_into(release_papers::table).values(values).execute(c)?;
            }
            let withdrawn = withdraw_all(c, new.job, id, &format!("release {id} was made in the place of the one that it was sent from"))?;
            Ok((id, withdrawn))
        })
    }

    /// A job's last release: the one in force.
    pub fn last_release(&self, job: i32) -> Result<Option<Release>, StoreError> {
        let last = releases::table.filter(releases::job_id.eq(job)).order(releases::id.desc());
        last.first::<Row>(&mut self.connection()?).optional()?.map(read).transpose()
    }

    /// A release.
    pub fn release(&self, id: i32) -> Result<Release, StoreError> {
        let found = releases::table.find(id).first::<Row>(&mut self.connection()?).optional()?;
        read(found.ok_or(StoreError::Missing { what: "release", id: i64::from(id) })?)
    }

    /// The sheets of a release, in order.
    pub fn release_sheets(&self, release: i32) -> Result<Vec<SheetRow>, StoreError> {
        let sheets = release_sheets::table.filter(release_sheets::release_id.eq(release)).order(release_sheets::sheet);
        Ok(sheets.select(SheetRow::as_select()).load(&mut self.connection()?)?)
    }

    /// A sheet of a release, as numbered through from 1.
    pub fn release_sheet(&self, release: i32, sheet: i32) -> Result<SheetRow, StoreError> {
        let found = release_sheets::table.find((release, sheet)).select(SheetRow::as_select());
        let found = found.first(&mut self.connection()?).optional()?;
        found.ok_or(StoreError::Missing { what: "sheet of the release with the number", id: i64::from(sheet) })
    }

    /// The packed work of a batch of a release.
    pub fn release_batch(&self, release: i32, batch: i32) -> Result<Vec<u8>, StoreError> {
        let found = release_batches::table.find((release, batch)).select(release_batches::body);
        let found = found.first(&mut self.connection()?).optional()?;
        found.ok_or(StoreError::Missing { what: "batch of the release with the number", id: i64::from(batch) })
    }

    /// A paper of a release, by name.
    pub fn release_paper(&self, release: i32, name: &str) -> Result<Option<Vec<u8>>, StoreError> {
        let found = release_papers::table.find((release, name)).select(release_papers::bytes);
        Ok(found.first(&mut self.connection()?).optional()?)
    }

    /// The names of a release's papers.
    pub fn release_papers(&self, release: i32) -> Result<Vec<String>, StoreError> {
        let all = release_papers::table.filter(release_papers::release_id.eq(release)).order(release_papers::name);
        Ok(all.select(release_papers::name).load(&mut self.connection()?)?)
    }

    /// A program by its checksum.
    pub fn program_of(&self, sum: &str) -> Result<String, StoreError> {
        let found = programs::table.find(sum).select(programs::text).first(&mut self.connection()?).optional()?;
        found.ok_or(StoreError::Missing { what: "program with that checksum", id: 0 })
    }
}

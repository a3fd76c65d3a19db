//! Drawings' files, as they came in.

use crate::schema::{files, job_files};
use crate::{Store, StoreError, now};
use diesel::prelude::*;
use time::Duration;
use time::format_description::well_known::Rfc3339;

/// A file that came in is kept for so long whether a job names it or not.
const COMING: Duration = Duration::HOUR;

/// What came in before this time, and that no job names, may go.
pub(crate) fn came_before() -> String {
    (crate::moment() - COMING).format(&Rfc3339).unwrap_or_default()
}

impl Store {
    /// Keeps a file; the same bytes are kept once. It stays for an hour also where no job names it.
    pub fn add_file(&self, hash: &str, name: &str, bytes: &[u8]) -> Result<(), StoreError> {
        self.connection()?.immediate_transaction(|c| {
            if diesel::update(files::table.find(hash)).set(files::added_at.eq(now())).execute(c)? == 0 {
                diesel::insert_into(files::table)
                    .values((files::hash.eq(hash), files::name.eq(name), files::bytes.eq(bytes), files::added_at.eq(now())))
                    .execute(c)?;
            }
            Ok(())
        })
    }

    /// Drops files that came in, and that no job came to name.
    pub(crate) fn drop_forgotten_files(&self) -> Result<(), StoreError> {
        let named = job_files::table.select(job_files::hash);
        diesel::delete(files::table.filter(files::hash.ne_all(named)).filter(files::added_at.lt(came_before())))
            .execute(&mut self.connection()?)?;
        Ok(())
    }

    /// A file's bytes.
    pub fn file(&self, hash: &str) -> Result<Vec<u8>, StoreError> {
        let found = files::table.find(hash).select(files::bytes).first(&mut self.connection()?).optional()?;
        found.ok_or(StoreError::Missing { what: "file", id: 0 })
    }
}

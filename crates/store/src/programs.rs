//! Programs by their checksum, each kept once.

use crate::schema::{programs, release_sheets, runs};
use diesel::prelude::*;

/// Keeps a program, once.
pub(crate) fn keep_program(c: &mut SqliteConnection, sum: &str, text: &str) -> QueryResult<usize> {
    diesel::insert_or_ignore_into(programs::table).values((programs::sum.eq(sum), programs::text.eq(text))).execute(c)
}

/// Drops programs that neither a release nor a run has any more.
pub(crate) fn drop_unused_programs(c: &mut SqliteConnection) -> QueryResult<usize> {
    let released = release_sheets::table.select(release_sheets::sum);
    let run = runs::table.select(runs::sum);
    diesel::delete(programs::table.filter(programs::sum.ne_all(released)).filter(programs::sum.ne_all(run))).execute(c)
}

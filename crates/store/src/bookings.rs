//! What runs take off the rack: what they will, what they have, and what is still to be booked.

use crate::StoreError;
use crate::runs::Run;
use crate::schema::{release_sheets, runs, stock};
use crate::stock::{Taken, told};
use boustrophe_core::run::{Answer, RunState};
use diesel::prelude::*;

/// Pieces of something on the rack that runs take which wait, run, or are not booked yet.
pub(crate) fn spoken_for(c: &mut SqliteConnection, id: i32) -> QueryResult<i64> {
    let open: Vec<Run> = runs::table.filter(runs::stock_id.eq(id)).filter(runs::racked.eq(false)).select(Run::as_select()).load(c)?;
    let takes = |r: &&Run| match r.state {
        RunState::Withdrawn => false,
        // Where another goes on from it, that one takes the sheet.
        state if state.broke_off() => r.has_burned() && r.answer != Answer::On,
        _ => true,
    };
    let taking: Vec<&Run> = open.iter().filter(takes).collect();
    taking.into_iter().map(|r| Ok(i64::from(pieces_of(c, r)?))).sum()
}

/// Pieces of the rack that a run takes: a sheet, or the blanks of a tray.
pub(crate) fn pieces_of(c: &mut SqliteConnection, run: &Run) -> QueryResult<i32> {
    let of = release_sheets::table.filter(release_sheets::release_id.eq(run.release_id.unwrap_or(0)));
    let of = of.filter(release_sheets::sheet.eq(run.sheet)).select(release_sheets::pieces_of_stock);
    Ok(of.first(c).optional()?.unwrap_or(1))
}

/// Fails where the rack has not so many more of a sheet as that many runs would take: those that wait or run count as taken.
pub(crate) fn is_there(c: &mut SqliteConnection, (id, pieces): (i32, i32), times: usize) -> Result<(), StoreError> {
    let there: Option<i32> = stock::table.find(id).select(stock::count).first(c).optional()?;
    let there = there.ok_or(StoreError::Missing { what: "sheet on the rack with the number", id: i64::from(id) })?;
    let free = i64::from(there) - spoken_for(c, id)?;
    let wanted = times as i64 * i64::from(pieces);
    if wanted > free { Err(StoreError::TooFew { id, free: free.max(0), wanted }) } else { Ok(()) }
}

/// Takes off what a run used up, with nothing back: its job is about to go.
pub(crate) fn used_up(c: &mut SqliteConnection, run: &Run) -> QueryResult<()> {
    let Some(id) = run.stock_id else { return Ok(()) };
    let pieces = pieces_of(c, run)?;
    let there: i32 = stock::table.find(id).select(stock::count).first(c)?;
    diesel::update(stock::table.find(id)).set(stock::count.eq((there - pieces).max(0))).execute(c)?;
    let words = format!("used up in run {}, whose job was deleted", run.id);
    told(c, id, &Taken { person: &run.person, words: &words, ..Taken::default() })?;
    Ok(())
}

/// See [`Store::runs_to_rack`].
pub(crate) fn to_rack(c: &mut SqliteConnection) -> QueryResult<Vec<i32>> {
    let given_up = runs::answer.eq_any([Answer::Gone.to_string(), Answer::Nest.to_string()]);
    let used = runs::state.eq(RunState::Done.to_string()).or(runs::ended_at.is_not_null().and(given_up));
    runs::table.filter(used).filter(runs::racked.eq(false)).order(runs::id).select(runs::id).load(c)
}

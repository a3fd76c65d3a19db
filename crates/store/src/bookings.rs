//! What runs take off the rack: what they will, what they have, and what is still to be booked.

use crate::events::{Taken, told};
use crate::run::Run;
use crate::schema::{release_sheets, runs, stock, stock_events};
use crate::{Store, StoreError};
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

/// What does not add up between runs and rack.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unbalanced {
    /// A run used up its sheet, and that could not be booked.
    Unbooked {
        /// The run.
        run: i32,
    },
    /// A run is called booked, and nothing was taken off for it.
    NotTaken {
        /// The run.
        run: i32,
        /// What it took, by its number on the rack.
        stock: i32,
    },
    /// Runs are to burn more than there are.
    Short {
        /// Of what, by its number on the rack.
        stock: i32,
        /// So many are there.
        there: i32,
        /// So many runs take.
        taken: i64,
    },
}

impl Store {
    /// Everything that does not add up between runs and rack.
    pub fn balance(&self) -> Result<Vec<Unbalanced>, StoreError> {
        let c = &mut self.connection()?;
        let mut out: Vec<Unbalanced> = to_rack(c)?.into_iter().map(|run| Unbalanced::Unbooked { run }).collect();
        let told = stock_events::table.filter(stock_events::run_id.is_not_null()).select(stock_events::run_id);
        let booked = runs::table.filter(runs::racked.eq(true)).filter(runs::stock_id.is_not_null()).filter(runs::goes_on.is_null());
        let booked = booked.filter(runs::state.eq(RunState::Done.to_string())).filter(runs::release_id.is_not_null());
        let silent: Vec<(i32, Option<i32>)> =
            booked.filter(runs::id.nullable().ne_all(told)).order(runs::id).select((runs::id, runs::stock_id)).load(c)?;
        out.extend(silent.into_iter().filter_map(|(run, stock)| Some(Unbalanced::NotTaken { run, stock: stock? })));
        let wanted =
            runs::table.filter(runs::racked.eq(false)).filter(runs::stock_id.is_not_null()).select(runs::stock_id.assume_not_null());
        let in_hand = stock::table.filter(stock::id.eq_any(wanted));
        for (id, there) in in_hand.order(stock::id).select((stock::id, stock::count)).load::<(i32, i32)>(c)? {
            let taken = spoken_for(c, id)?;
            if taken > i64::from(there) {
                out.push(Unbalanced::Short { stock: id, there, taken });
            }
        }
        Ok(out)
    }
}

//! The stock rack: what sheets and offcuts there are, which job has which in hand, and what became of each.

use crate::bookings::{spoken_for, to_rack};
use crate::events::{StockEvent, Taken, told};
use crate::schema::{jobs, reservations, runs, stock, stock_events};
use crate::{Store, StoreError, now};
use boustrophe_core::nest::Sheet;
use diesel::prelude::*;

/// Things of one material on the rack at most that are shown.
const MOST_SHOWN: i64 = 2000;

/// What stands on the rack: a sheet kind or an offcut.
#[derive(Clone, Debug, PartialEq)]
pub struct OnRack {
    /// Material.
    pub material: String,
    /// Thickness, mm.
    pub thickness: f64,
    /// Its size and outline.
    pub sheet: Sheet,
    /// A piece of its own, not one of many alike.
    pub offcut: bool,
    /// How many there are; 0 for what is used up.
    pub count: u32,
    /// What one costs; `None` for as the material says.
    pub price: Option<f64>,
    /// Where it stands.
    pub place: String,
    /// Where it comes from.
    pub origin: String,
}

/// The same with its number, and who has it in hand.
#[derive(Clone, Debug, PartialEq)]
pub struct Stocked {
    /// Number.
    pub id: i32,
    /// What it is.
    pub stock: OnRack,
    /// Jobs that have some of it in hand: number, name, how many.
    pub reserved: Vec<(i32, String, u32)>,
}

impl Stocked {
    /// How many no other job has in hand.
    pub fn free_for(&self, job: i32) -> u32 {
        let others: u32 = self.reserved.iter().filter(|r| r.0 != job).map(|r| r.2).sum();
        self.stock.count.saturating_sub(others)
    }
    /// A piece that was cut from it, to be put where it stood.
    pub fn piece(&self, sheet: &Sheet, origin: String) -> OnRack {
        OnRack {
            sheet: Sheet { count: None, ..sheet.clone() },
            offcut: true,
            count: 1,
            price: self.stock.price.map(|p| self.stock.sheet.worth_of(sheet, p)),
            origin,
            ..self.stock.clone()
        }
    }
}

type Row = (i32, String, f64, String, bool, i32, Option<f64>, String, String, String);

fn added(c: &mut SqliteConnection, new: &OnRack, person: &str) -> Result<i32, StoreError> {
    let values = (
        stock::material.eq(&new.material),
        stock::thickness.eq(new.thickness),
        stock::sheet.eq(serde_json::to_string(&new.sheet)?),
        stock::offcut.eq(new.offcut),
        stock::count.eq(i32::try_from(new.count).unwrap_or(i32::MAX)),
        stock::price.eq(new.price),
        stock::place.eq(&new.place),
        stock::origin.eq(&new.origin),
        stock::created_at.eq(now()),
    );
    let id = diesel::insert_into(stock::table).values(values).returning(stock::id).get_result(c)?;
    told(c, id, &Taken { person, words: &new.origin, ..Taken::default() })?;
    Ok(id)
}

impl Store {
    /// What is on the rack, used up or not; of one material and thickness (mm) where that is asked for.
    pub fn stock(&self, of: Option<(&str, f64)>) -> Result<Vec<Stocked>, StoreError> {
        let c = &mut self.connection()?;
        let mut query = stock::table.filter(stock::count.gt(0)).into_boxed();
        if let Some((material, thickness)) = of {
            query = query.filter(stock::material.eq(material.to_owned()).and(stock::thickness.between(thickness - 1e-6, thickness + 1e-6)));
        }
        let rows: Vec<Row> = query.order((stock::material, stock::thickness, stock::id)).limit(MOST_SHOWN).load(c)?;
        rows.into_iter().map(|r| stocked(c, r)).collect()
    }

    /// One thing on the rack, also when it is used up.
    pub fn stocked(&self, id: i32) -> Result<Stocked, StoreError> {
        let c = &mut self.connection()?;
        let row: Option<Row> = stock::table.find(id).first(c).optional()?;
        stocked(c, row.ok_or(StoreError::Missing { what: "sheet on the rack with the number", id: i64::from(id) })?)
    }

    /// Puts something on the rack.
    pub fn add_stock(&self, new: &OnRack, person: &str) -> Result<i32, StoreError> {
        self.connection()?.immediate_transaction(|c| added(c, new, person))
    }

    /// Puts more of it there or takes some away, and says what one costs and where it stands. What others put there or took meanwhile
    /// stays as it is; more than there are, or than runs leave, are not taken.
    pub fn change_stock(&self, id: i32, (more, price, place): (i32, Option<f64>, &str), taken: &Taken) -> Result<(), StoreError> {
        self.connection()?.immediate_transaction(|c| {
            let there: Option<i32> = stock::table.find(id).select(stock::count).first(c).optional()?;
            let there = there.ok_or(StoreError::Missing { what: "sheet on the rack with the number", id: i64::from(id) })?;
            let count = there.saturating_add(more);
            // What runs are about to burn is not to be taken away under them.
            let burning = spoken_for(c, id)?;
            if more < 0 && i64::from(count) < burning {
                return Err(StoreError::FewerThere { id, there, taken: burning, wanted: more.unsigned_abs() });
            }
            diesel::update(stock::table.find(id))
                .set((stock::count.eq(count), stock::price.eq(price), stock::place.eq(place)))
                .execute(c)?;
            told(c, id, taken)?;
            Ok(())
        })
    }

    /// Takes one off the rack, or as many blanks as are said, and puts on it what is left, in one step. A run takes its sheet once, however often it is said.
    /// What the run's job had in hand is one less.
    pub fn take_stock(&self, id: i32, taken: &Taken, rests: &[OnRack]) -> Result<Vec<i32>, StoreError> {
        self.connection()?.immediate_transaction(|c| {
            if let Some(run) = taken.run {
                let known = stock_events::table.filter(stock_events::run_id.eq(run)).count().get_result::<i64>(c)?;
                if known > 0 {
                    return Ok(Vec::new());
                }
            }
            let pieces = i32::try_from(taken.pieces.max(1)).unwrap_or(1);
            let there: i32 = stock::table.find(id).select(stock::count).first(c)?;
            diesel::update(stock::table.find(id)).set(stock::count.eq((there - pieces).max(0))).execute(c)?;
            let short = format!("{} (the rack had only {there})", taken.words);
            told(c, id, &Taken { words: if there < pieces { &short } else { taken.words }, ..taken.clone() })?;
            if let Some(job) = taken.job {
                let own = reservations::table.find((id, job));
                diesel::update(own).set(reservations::count.eq(reservations::count - pieces)).execute(c)?;
                diesel::delete(reservations::table.filter(reservations::count.le(0))).execute(c)?;
            }
            rests.iter().map(|r| added(c, r, taken.person)).collect()
        })
    }

    /// What became of something, the last first.
    pub fn stock_events(&self, id: i32) -> Result<Vec<StockEvent>, StoreError> {
        let c = &mut self.connection()?;
        let columns = (stock_events::at, stock_events::person, stock_events::words);
        let rows: Vec<(String, String, String)> =
            stock_events::table.filter(stock_events::stock_id.eq(id)).order(stock_events::id.desc()).select(columns).load(c)?;
        Ok(rows.into_iter().map(|(at, person, words)| StockEvent { at, person, words }).collect())
    }

    /// How many of it a job's runs have burned.
    pub fn cut_by(&self, id: i32, job: i32) -> Result<u32, StoreError> {
        let c = &mut self.connection()?;
        let by = stock_events::table.filter(stock_events::stock_id.eq(id).and(stock_events::job_id.eq(job)));
        Ok(u32::try_from(by.count().get_result::<i64>(c)?).unwrap_or(u32::MAX))
    }

    /// Sets what a job has in hand: so many of each, and nothing else. What others have is theirs: a job gets no more than is
    /// free. Returns what it did not get.
    pub fn reserve(&self, job: i32, wanted: &[(i32, u32)]) -> Result<Vec<i32>, StoreError> {
        self.connection()?.immediate_transaction(|c| {
            diesel::delete(reservations::table.filter(reservations::job_id.eq(job))).execute(c)?;
            let mut short = Vec::new();
            for (id, n) in wanted {
                let row: Option<Row> = stock::table.find(id).first(c).optional()?;
                let free = match row {
                    Some(row) => stocked(c, row)?.free_for(job),
                    None => 0,
                };
                if free < *n {
                    short.push(*id);
                }
                let got = free.min(*n);
                if got > 0 {
                    let values = (
                        reservations::stock_id.eq(id),
                        reservations::job_id.eq(job),
                        reservations::count.eq(i32::try_from(got).unwrap_or(i32::MAX)),
                    );
                    diesel::insert_into(reservations::table).values(values).execute(c)?;
                }
            }
            Ok(short)
        })
    }

    /// Runs that used up their sheets and whose sheets have not been looked up on the rack yet: those that ended well, and those that
    /// broke off and were given up.
    pub fn runs_to_rack(&self) -> Result<Vec<i32>, StoreError> {
        let c = &mut self.connection()?;
        Ok(to_rack(c)?)
    }

    /// Notes that a run's sheet has been looked up.
    pub fn set_racked(&self, run: i32) -> Result<(), StoreError> {
        diesel::update(runs::table.find(run)).set(runs::racked.eq(true)).execute(&mut self.connection()?)?;
        Ok(())
    }
}

fn stocked(c: &mut SqliteConnection, row: Row) -> Result<Stocked, StoreError> {
    let (id, material, thickness, sheet, offcut, count, price, place, origin, _) = row;
    let held = reservations::table.inner_join(jobs::table).filter(reservations::stock_id.eq(id));
    let reserved: Vec<(i32, String, i32)> = held.select((jobs::id, jobs::name, reservations::count)).order(jobs::id).load(c)?;
    let (sheet, count) = (serde_json::from_str(&sheet)?, u32::try_from(count).unwrap_or(0));
    Ok(Stocked {
        id,
        stock: OnRack { material, thickness, sheet, offcut, count, price, place, origin },
        reserved: reserved.into_iter().map(|(job, name, n)| (job, name, u32::try_from(n).unwrap_or(0))).collect(),
    })
}

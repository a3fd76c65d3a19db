//! What is asked for of a job as a whole: for whom, by when, how many; and the same job once more.

use crate::app::App;
use crate::error::ShopError;
use crate::incoming::on_top;
use boustrophe_core::decisions::{Edit, IntakeEdit, MOST_COPIES};
use boustrophe_store::Order;
use time::Date;
use time::format_description::BorrowedFormatItem;
use time::macros::format_description;

/// A day as it is kept and typed.
const DAY: &[BorrowedFormatItem] = format_description!("[year]-[month]-[day]");

/// Notes what is asked for. Where another quantity is, drawings of which as many were wanted as of the job are wanted as often, too.
pub fn ask(app: &App, job: i32, order: &Order, by: &str) -> Result<(), ShopError> {
    checked(order)?;
    let before = app.store.job(job)?;
    let decisions = app.store.revision(job, before.head.unwrap_or(0))?.decisions;
    app.store.set_order(job, order)?;
    let (was, now) = (before.quantity.unsigned_abs(), order.quantity.unsigned_abs());
    let alike = decisions.drawings.iter().filter(|d| was != now && d.quantity == was);
    let edits: Vec<Edit> = alike.map(|d| Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: d.id, quantity: now })).collect();
    if edits.is_empty() { Ok(()) } else { on_top(app, job, &Edit::All { edits }, by) }
}

/// The quantity and the date of an order, where they can be.
fn checked(order: &Order) -> Result<(), ShopError> {
    if !(1..=MOST_COPIES as i32).contains(&order.quantity) {
        return Err(ShopError::Sentence(format!("{} pieces cannot be made in one job; type 1 to {MOST_COPIES}.", order.quantity)));
    }
    let day = |d: &String| Date::parse(d, DAY).is_ok_and(|d| (2000..3000).contains(&d.year()));
    match order.due.as_ref().filter(|d| !day(d)) {
        Some(wrong) => Err(ShopError::Sentence(format!("“{wrong}” is no date; type year, month and day, such as 2026-12-31."))),
        None => Ok(()),
    }
}

/// The same job once more under another name, every part so many times as often. What was decided is taken along, parts of other jobs that were taken in
/// are not; it is nested anew where quantities differ, or where it lay on sheets of the rack, which are the other job's.
pub fn again(app: &App, job: i32, name: &str, times: u32, by: &str) -> Result<i32, ShopError> {
    let of = app.store.job(job)?;
    let mut decisions = app.store.revision(job, of.head.unwrap_or(0))?.decisions;
    let most = |n: u32| n.checked_mul(times).filter(|n| *n <= MOST_COPIES && times > 0);
    let wrong = || ShopError::Sentence(format!("{times} times as many are not between 1 and {MOST_COPIES} of each part."));
    // Parts of other jobs that lay on its sheets are those jobs' to be made again.
    decisions.drawings.retain(|d| d.guest.is_none());
    for drawing in &mut decisions.drawings {
        drawing.quantity = most(drawing.quantity).ok_or_else(wrong)?;
    }
    for part in decisions.parts.values_mut() {
        for n in part.quantity.values_mut() {
            *n = most(*n).ok_or_else(wrong)?;
        }
        part.elsewhere.clear();
    }
    for batch in decisions.batches.values_mut() {
        let nest = &mut batch.nest;
        let on_rack = nest.sheets.iter().any(|s| s.rack.is_some());
        nest.sheets.retain(|s| s.rack.is_none());
        if times != 1 || on_rack {
            (nest.layout, nest.aside) = (None, None);
            nest.held.clear();
        }
    }
    let quantity = most(of.quantity.unsigned_abs()).ok_or_else(wrong)?;
    let made = app.store.add_job(name, by, None, &decisions)?.id;
    app.store.set_order(made, &Order { customer: of.customer, due: None, quantity: quantity as i32 })?;
    app.keep_figures(&app.load(made)?)?;
    Ok(made)
}

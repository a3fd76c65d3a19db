//! The stock rack and the jobs: who has which sheet in hand, what a finished run took off, and what is told where a sheet is
//! not there any more.

#[cfg(test)]
mod tests;

use crate::app::{App, Loaded};
use crate::error::ShopError;
use crate::sheets::SheetOf;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{BatchDecisions, Decisions, Edit, NestDecisions, NestEdit, Stock};
use boustrophe_core::finding::{Code, Finding, Severity, Station, counted};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Sheet, rest};
use boustrophe_core::run::RunState;
use boustrophe_core::shop::{Machine, Shop};
use boustrophe_store::{OnRack, Run, Stocked, StoreError, Taken, Unbalanced};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What the rack keeps of the place of something that lies on a machine's bed: the machine by its id, whatever it is called.
pub fn place_on(machine: &str) -> String {
    format!("{BED}{machine}")
}

/// How such a place begins.
const BED: &str = "bed:";

/// A place in words.
pub fn place_words(shop: &Shop, place: &str) -> String {
    match place.strip_prefix(BED) {
        Some(id) => format!("on the bed of {}", shop.machine(id).map_or(id, |m| m.name.as_str())),
        None => place.to_owned(),
    }
}

/// Sheets whose sides differ by less are of one size, mm.
const SAME_SIZE: f64 = 0.5;

/// A sheet of the rack as Nest takes it for a machine. What lies on that machine's bed lies where it lies.
pub fn as_sheet(stocked: &Stocked, job: i32, machine: Option<&Machine>) -> Sheet {
    let lies_there = machine.is_some_and(|m| stocked.stock.place == place_on(&m.id));
    Sheet {
        on_bed: stocked.stock.sheet.on_bed.filter(|_| lies_there),
        count: Some(stocked.free_for(job)),
        rack: u32::try_from(stocked.id).ok(),
        price: stocked.stock.price,
        ..stocked.stock.sheet.clone()
    }
}

/// Sheets of the rack that a job chose, as Nest takes them: offcuts first, the smallest of them first.
pub fn chosen(app: &App, job: i32, batch: BatchId, ids: &[i32]) -> Result<Vec<Sheet>, ShopError> {
    let mut all: Vec<Stocked> = ids.iter().map(|id| app.store.stocked(*id)).collect::<Result<_, _>>()?;
    if let Some(taken) = all.iter().find(|s| s.free_for(job) == 0) {
        let others = others(taken, job);
        let why = if others.is_empty() { "is used up".to_owned() } else { format!("is in hand for {others}") };
        return Err(ShopError::Sentence(format!("{} {why}; choose another.", name(taken))));
    }
    all.sort_by(|a, b| b.stock.offcut.cmp(&a.stock.offcut).then(a.stock.sheet.area().total_cmp(&b.stock.sheet.area())));
    let loaded = app.store.job(job)?.head.map(|head| app.store.revision(job, head)).transpose()?;
    let shop = app.shop();
    let machine = loaded.as_ref().and_then(|r| shop.machine(&r.decisions.batch(batch).stock.machine));
    Ok(all.iter().map(|s| as_sheet(s, job, machine)).collect())
}

/// Which of the rack's it is, where it is of the rack.
pub fn number(sheet: &Sheet) -> Option<i32> {
    sheet.tray.as_ref().map_or(sheet.rack, |t| t.rack).and_then(|r| i32::try_from(r).ok())
}

/// The kind of sheet on the rack that a sheet of the material's own is, where the rack has such: whole, of the same size.
pub fn like(app: &App, stock: &Stock, sheet: &Sheet) -> Result<Option<i32>, ShopError> {
    if !sheet.outline.is_empty() || sheet.tray.is_some() {
        return Ok(None);
    }
    let same = |s: &Stocked| {
        let there = &s.stock.sheet;
        let sizes = [there.width - sheet.width, there.height - sheet.height];
        !s.stock.offcut && there.outline.is_empty() && sizes.iter().all(|d| d.abs() < SAME_SIZE)
    };
    Ok(app.store.stock(Some((&stock.material, stock.thickness)))?.iter().find(|s| same(s)).map(|s| s.id))
}

/// Other jobs that have it in hand, by name.
fn others(stocked: &Stocked, job: i32) -> String {
    let names: Vec<String> = stocked.reserved.iter().filter(|r| r.0 != job).map(|r| format!("“{}”", r.1)).collect();
    names.join(" and ")
}

/// What people call it.
pub fn name(stocked: &Stocked) -> String {
    let kind = if stocked.stock.offcut { "offcut" } else { "sheet" };
    format!("{kind} {}, {:.0} × {:.0} mm", stocked.id, stocked.stock.sheet.width, stocked.stock.sheet.height)
}

/// What some decisions take from the rack: of each, sheet by sheet, how many; of a tray as many blanks as are worked on.
/// Offcuts that were chosen are taken whether something lies on them yet or not.
fn wanted(decisions: &Decisions) -> BTreeMap<i32, Vec<u32>> {
    let mut out: BTreeMap<i32, Vec<u32>> = BTreeMap::new();
    for batch in decisions.batches.values() {
        for s in batch.nest.layout.iter().flat_map(|l| &l.sheets) {
            let Some(id) = number(&s.sheet) else { continue };
            let n = if s.sheet.tray.is_some() { u32::try_from(s.placed.len()).unwrap_or(u32::MAX) } else { 1 };
            out.entry(id).or_default().push(n);
        }
        let chosen = if batch.nest.tray.is_some() { &[][..] } else { &batch.nest.sheets };
        for id in chosen.iter().filter(|s| !s.outline.is_empty()).filter_map(number) {
            out.entry(id).or_insert_with(|| vec![1]);
        }
    }
    out
}

/// Takes in hand what a job's decisions need, as far as others have not.
pub fn reserve(app: &App, loaded: &Loaded) -> Result<(), ShopError> {
    let wanted: Vec<(i32, u32)> = wanted_still(app, loaded.job.id, &loaded.revision.decisions)?.into_iter().collect();
    app.store.reserve(loaded.job.id, &wanted)?;
    Ok(())
}

/// The same without what the job's own runs have burned.
fn wanted_still(app: &App, job: i32, decisions: &Decisions) -> Result<BTreeMap<i32, u32>, ShopError> {
    let mut out = BTreeMap::new();
    for (id, sheets) in wanted(decisions) {
        let cut = app.store.cut_by(id, job)? as usize;
        let still: u32 = sheets.iter().skip(cut).fold(0, |a, n| a.saturating_add(*n));
        if still > 0 {
            out.insert(id, still);
        }
    }
    Ok(out)
}

/// What stands in the way of a job's nests on the rack: sheets that are gone, or in another job's hand.
pub fn told(app: &App, job: i32, decisions: &Decisions) -> Result<Vec<Finding>, ShopError> {
    let mut findings = Vec::new();
    for (id, n) in wanted_still(app, job, decisions)? {
        let (text, code) = match app.store.stocked(id) {
            Ok(s) if s.free_for(job) >= n => continue,
            Ok(s) if s.stock.count >= n => (format!("On the rack {} is reserved for {}.", name(&s), others(&s, job)), Code::SheetTaken),
            Ok(s) => (format!("The rack has {} of {}; {n} are nested on.", s.stock.count, name(&s)), Code::SheetGone),
            Err(StoreError::Missing { .. }) => (format!("The rack has no sheet {id} any more."), Code::SheetGone),
            Err(other) => return Err(other.into()),
        };
        // Each batch that nests on it has its own way on.
        findings.extend(without(decisions, id).into_iter().map(|(batch, edit)| {
            Finding::new(Station::Nest, Severity::Stop, code, n as usize, text.clone()).choice("Nest without it", edit).of_batch(batch)
        }));
    }
    Ok(findings)
}

/// For each batch that nests on something of the rack, the change after which it does not.
fn without(decisions: &Decisions, id: i32) -> Vec<(BatchId, Edit)> {
    let of = |s: &Sheet| number(s) == Some(id);
    let uses = |nest: &NestDecisions| {
        nest.tray.is_none() && nest.sheets.iter().any(of) || nest.layout.iter().flat_map(|l| &l.sheets).any(|s| of(&s.sheet))
    };
    let batches = decisions.batches.iter().filter(|(_, b)| uses(&b.nest));
    let edit = |(batch, b): (&BatchId, &BatchDecisions)| {
        if b.nest.tray.is_some() {
            return (*batch, Edit::All { edits: vec![NestEdit::SetTray { tray: None }.on(*batch), NestEdit::Nest.on(*batch)] });
        }
        let sheets: Vec<Sheet> = b.nest.sheets.iter().filter(|s| !of(s)).cloned().collect();
        let edits = vec![NestEdit::SetSheets { sheets }.on(*batch), NestEdit::Nest.on(*batch)];
        (*batch, Edit::All { edits })
    };
    batches.map(edit).collect()
}

/// What has to lie on the bed for a sheet, and where it stands.
pub fn lay(app: &App, shop: &Shop, stock: &Stock, sheet: &Sheet) -> String {
    let material = shop.material(&stock.material).map_or(stock.material.as_str(), |m| m.name.as_str());
    let rack = number(sheet).and_then(|r| app.store.stocked(r).ok());
    let from = rack.map_or_else(String::new, |r| {
        let place = if r.stock.place.is_empty() { String::new() } else { format!(", {}", place_words(shop, &r.stock.place)) };
        format!(", {} {} of the rack{place}", if r.stock.offcut { "offcut" } else { "sheet" }, r.id)
    });
    format!("{material} {} mm, {:.0} × {:.0}{from}", stock.thickness, sheet.width, sheet.height)
}

/// Has the sheets of runs that have ended looked up, beside everything else.
pub fn settle_soon(app: &Arc<App>) {
    let settling = Arc::clone(app);
    app.aside.run(move || settle(&settling));
}

/// What does not add up between runs and rack, in sentences.
pub fn balance(app: &App) -> Result<Vec<String>, ShopError> {
    let said = |of: Unbalanced| match of {
        Unbalanced::Unbooked { run } => {
            format!("What run {run} used up could not be booked; take it off by hand, with a minus, and see the log for why.")
        }
        Unbalanced::NotTaken { run, stock } => {
            format!("Run {run} used up one of {stock}, and none was taken off; look how many are there.")
        }
        Unbalanced::Short { stock, there, taken } => {
            format!(
                "Runs in the queue are to burn {taken} of {stock}, and the rack has {there}; put sheets there, or take runs out of the queue."
            )
        }
    };
    Ok(app.store.balance()?.into_iter().map(said).collect())
}

/// Looks up the sheets of all runs that have used theirs up since: each comes off the rack, and what is left of it goes on it.
/// Where one cannot be worked out it is left for the next time, and said in the log.
pub fn settle(app: &App) {
    let _alone = app.book();
    let runs = match app.store.runs_to_rack() {
        Ok(runs) => runs,
        Err(error) => {
            tracing::error!(%error, "the rack cannot be looked up");
            return;
        }
    };
    for run in runs {
        if let Err(error) = app.store.run(run).map_err(ShopError::Store).and_then(|r| booked(app, &r)) {
            tracing::error!(run, %error, "what a run took off the rack could not be saved");
        }
    }
    for words in balance(app).unwrap_or_default() {
        tracing::warn!("the rack does not add up: {words}");
    }
}

/// Books a run: what it made, for whom, and the sheet that it used up.
fn booked(app: &App, run: &Run) -> Result<(), ShopError> {
    if run.release_id.is_none() {
        // Sent by an earlier version: what it was is not known any more.
        return Ok(app.store.set_racked(run.id)?);
    }
    let sheet = SheetOf::run(app, run)?;
    if run.state == RunState::Done {
        crate::guests::settle(app, run, &sheet)?;
        app.store.set_made(run.id, sheet.copies().len())?;
    }
    if let Some(id) = run.stock_id {
        cut(app, run, &sheet, id)?;
    }
    Ok(app.store.set_racked(run.id)?)
}

/// Takes the sheet of a run off the rack.
fn cut(app: &App, run: &Run, sheet: &SheetOf, id: i32) -> Result<(), ShopError> {
    let (batch, lying) = (sheet.batch(), &sheet.sheet()?.layout);
    let job = app.store.job(run.job_id)?;
    let taken = |words: &str, pieces: usize, rests: &[OnRack]| {
        let pieces = u32::try_from(pieces).unwrap_or(1);
        let taken = Taken { person: &run.person, words, run: Some(run.id), job: Some(job.id), pieces };
        app.store.take_stock(id, &taken, rests)
    };
    if lying.sheet.tray.is_some() {
        let words = format!("{} worked on in run {} of “{}”", counted(lying.placed.len(), "blank", "blanks"), run.id, job.name);
        taken(&words, lying.placed.len(), &[])?;
        return Ok(());
    }
    if run.state != RunState::Done {
        taken(&format!("given up after run {} of “{}” broke off", run.id, job.name), 1, &[])?;
        return Ok(());
    }
    let stocked = app.store.stocked(id)?;
    let kerf = batch.rows.get(Process::Cut, None).map_or(0.0, |r| r.kerf);
    let left = rest::rest(&batch.work, lying, kerf);
    let whole = left.pieces.len() == 1;
    let origin = format!("rest of {} after run {} of “{}”", name(&stocked), run.id, job.name);
    let rests: Vec<OnRack> = left.pieces.iter().map(|(sheet, _)| stocked.piece(sheet, origin.clone())).collect();
    let words = format!(
        "cut in run {} of “{}”: {}; {}",
        run.id,
        job.name,
        counted(lying.placed.len(), "part", "parts"),
        if whole { "the rest is back in one piece" } else { "what is of use of the rest is back" }
    );
    taken(&words, 1, &rests)?;
    Ok(())
}

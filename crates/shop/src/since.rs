//! What has moved on since a release was made: in the job, and in the shop's book.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use crate::figures::{Cell, ledger};
use boustrophe_core::print::Print;
use boustrophe_core::released::{ReleasedBatch, ReleasedSheet};
use boustrophe_core::route::BatchRoute;
use boustrophe_core::shop::Shop;
use boustrophe_store::{Entry, Release};
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeSet;

/// Changes that are told at most.
const MOST_TOLD: usize = 12;

/// What is not any more as it was when a release was made.
pub struct Since {
    /// What changed, a line each.
    pub changes: Vec<String>,
    /// Figures that would be others now: name, as released, as they would be.
    pub figures: Vec<(&'static str, String, String)>,
}

impl Since {
    /// In one line.
    pub fn words(&self) -> String {
        self.changes.join("; ")
    }
}

/// What has moved on since a release was made; `None` where releasing now would give the same again.
pub fn since(app: &App, release: &Release, loaded: &Loaded) -> Result<Option<Since>, ShopError> {
    let batches: BTreeSet<i32> = app.store.release_sheets(release.id)?.iter().map(|s| s.batch).collect();
    let mut changes = Vec::new();
    let mut same = true;
    let current = |b: &BatchRoute| !b.toolpath.sheets.is_empty();
    let now: BTreeSet<i32> =
        loaded.route.batches.iter().filter(|(_, b)| current(b)).filter_map(|(id, _)| i32::try_from(id.0).ok()).collect();
    for id in &batches {
        let kept = app.released(release.id, *id)?;
        let Some(batch) = loaded.route.batches.get(&kept.batch) else { continue };
        same &= alike(&kept, batch);
        changes.extend(in_the_book(&kept, batch, loaded));
    }
    same &= now == batches;
    let currency = &loaded.shop.house.currency;
    let figures = differing(ledger(&loaded.route.ledger, Some(&release.ledger), currency), ledger(&release.ledger, None, currency));
    if same && figures.is_empty() && changes.is_empty() {
        return Ok(None);
    }
    changes.extend(in_the_job(&app.store.history(loaded.job.id)?, release.revision, loaded.revision.id));
    if changes.is_empty() {
        changes.push("it would come out otherwise now".into());
    }
    let more = changes.len().saturating_sub(MOST_TOLD);
    changes.truncate(MOST_TOLD);
    if more > 0 {
        changes.push(format!("and {more} more"));
    }
    Ok(Some(Since { changes, figures }))
}

/// Work in one print: what the head does, what lies where, how it lies.
fn print_of(sheet: &ReleasedSheet) -> Print {
    Print::of(&(&sheet.path, &sheet.layout, sheet.pose))
}

/// True where the same would be burned.
fn alike(kept: &ReleasedBatch, now: &BatchRoute) -> bool {
    let sheets = now.toolpath.sheets.iter().zip(&now.nested.layout.sheets).enumerate();
    let now_prints = sheets.map(|(i, (path, layout))| Print::of(&(path, layout, now.pose(i))));
    let numbered = kept.numbered == (now.before, now.of) && kept.stock == now.stock;
    numbered && kept.sheets.len() == now.toolpath.sheets.len() && kept.sheets.iter().map(print_of).eq(now_prints)
}

fn differing(now: Vec<Cell>, was: Vec<Cell>) -> Vec<(&'static str, String, String)> {
    now.into_iter().zip(was).filter(|(n, _)| !n.change.is_empty()).map(|(n, w)| (n.name, w.value, n.value)).collect()
}

/// What a thing of the book says otherwise than it did, field by field: “kerf of birch 3 mm 0.18 → 0.2”.
fn fields(of: &str, was: &impl Serialize, now: &impl Serialize) -> Vec<String> {
    let (Ok(Value::Object(was)), Ok(Value::Object(now))) = (serde_json::to_value(was), serde_json::to_value(now)) else {
        return Vec::new();
    };
    let shown = |v: &Value| match v {
        Value::Null => "none".to_owned(),
        Value::String(s) => s.clone(),
        Value::Object(_) | Value::Array(_) => "…".into(),
        other => other.to_string(),
    };
    let other = now.iter().filter_map(|(k, n)| was.get(k).filter(|w| *w != n).map(|w| (k, w, n)));
    other.map(|(k, w, n)| format!("{} of {of} {} → {}", k.replace('_', " "), shown(w), shown(n))).collect()
}

fn in_the_book(kept: &ReleasedBatch, now: &BatchRoute, loaded: &Loaded) -> Vec<String> {
    let shop: &Shop = &loaded.shop;
    let mut out = Vec::new();
    let stock = format!("{} {} mm", kept.material_name(), kept.stock.thickness);
    let rows = shop.rows_for(&loaded.revision.decisions.assign, &now.stock);
    for (process, setting, row) in kept.rows.all() {
        match rows.exactly(process, setting) {
            // Who has looked at a row says nothing of what it burns.
            Some(now) => {
                let now = boustrophe_core::shop::ChartRow { unproved: row.unproved, ..now.clone() };
                out.extend(fields(&format!("{stock}, {}", process.slug()), row, &now));
            }
            None => out.push(format!("the row of {stock}, {} is gone", process.slug())),
        }
    }
    match shop.machine(&kept.machine.id) {
        Some(machine) => out.extend(fields(&kept.machine.name, &kept.machine, machine)),
        None => out.push(format!("{} is not in the shop's book any more", kept.machine.name)),
    }
    if let (Some(was), Some(now)) = (&kept.material, shop.material(&kept.stock.material)) {
        out.extend(fields(&was.name, was, now));
    }
    out
}

/// What was done in the job from one revision to another: labels on the way.
fn in_the_job(history: &[Entry], from: i32, to: i32) -> Vec<String> {
    let parent = |id: i32| history.iter().find(|r| r.id == id).and_then(|r| r.parent);
    let line = |id: i32| std::iter::successors(Some(id), |r| parent(*r)).take(history.len() + 1);
    let before: Vec<i32> = line(from).collect();
    let done: Vec<i32> = line(to).take_while(|id| !before.contains(id)).collect();
    let meet = line(to).find(|id| before.contains(id));
    let taken_back = before.iter().copied().take_while(|id| Some(*id) != meet);
    let label = |id: &i32| history.iter().find(|r| r.id == *id).map(|r| r.label.clone());
    let back = taken_back.filter_map(|id| label(&id)).map(|l| format!("taken back: {l}"));
    back.chain(done.iter().rev().filter_map(label)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn entry(id: i32, parent: Option<i32>) -> Entry {
        Entry { id, parent, label: format!("change {id}"), ledger: None, created_at: String::new(), person: String::new() }
    }

    #[test]
    fn what_was_done_since_is_told_along_the_history() {
        // 1 - 2 - 3, and 2 - 4 - 5.
        let history = [entry(1, None), entry(2, Some(1)), entry(3, Some(2)), entry(4, Some(2)), entry(5, Some(4))];
        assert_eq!(in_the_job(&history, 2, 5), ["change 4", "change 5"]);
        assert_eq!(in_the_job(&history, 3, 5), ["taken back: change 3", "change 4", "change 5"]);
        assert_eq!(in_the_job(&history, 5, 2), ["taken back: change 5", "taken back: change 4"]);
        assert!(in_the_job(&history, 4, 4).is_empty());
    }
}

//! What the frame of a job's page shows: route, findings, ledger.

use crate::shop::Loaded;
use boustrophe_core::finding::{Finding, Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ledger::Ledger;
use boustrophe_core::route::BatchRoute;
use boustrophe_core::time::clock;

/// A stop on the route line.
pub struct Stop {
    pub slug: &'static str,
    pub name: &'static str,
    pub x: i32,
    pub y: i32,
    /// `done`, `open`, `stale` or `ahead`.
    pub state: &'static str,
    pub count: usize,
    pub here: bool,
}

/// The eight stops: four from left to right, four back.
pub fn stops(loaded: &Loaded, here: Option<Station>) -> Vec<Stop> {
    let route = &loaded.route;
    let stale_nest = route.batches.values().any(|b| !b.nested.current && !b.nested.layout.sheets.is_empty());
    Station::ALL
        .into_iter()
        .enumerate()
        .map(|(i, station)| {
            let count = route.findings_of(station).filter(|f| f.severity != Severity::Note).count();
            let state = if stale_nest && station >= Station::Nest {
                "stale"
            } else if count > 0 {
                "open"
            } else if station < route.reached || route.released() {
                "done"
            } else {
                "ahead"
            };
            let (column, y) = if i < 4 { (i, 22) } else { (7 - i, 60) };
            Stop {
                slug: station.slug(),
                name: station.name(),
                x: 20 + 124 * i32::try_from(column).unwrap_or(0),
                y,
                state,
                count,
                here: here == Some(station),
            }
        })
        .collect()
}

/// A button of a finding.
pub struct RemedyView {
    pub label: String,
    /// What it comes to, in columns.
    pub comes_to: Vec<String>,
    pub edit: String,
    /// It leaves out what would be made.
    pub loses: bool,
}

/// A finding as the docket shows it.
pub struct FindingView {
    pub index: usize,
    pub severity: String,
    pub text: String,
    pub remedies: Vec<RemedyView>,
    /// True when the stage has something to show for it.
    pub shown: bool,
    /// The edit that accepts it as it is, where that may be.
    pub accept: Option<String>,
    pub code: String,
}

/// Findings of a station, the worst first.
pub fn findings(loaded: &Loaded, station: Station) -> Vec<FindingView> {
    let mut all: Vec<(usize, &Finding)> = loaded
        .route
        .findings
        .iter()
        .enumerate()
        // From Nest on a page is about one batch.
        .filter(|(_, f)| f.station == station && (station < Station::Nest || f.place.batch.is_none_or(|b| b == loaded.batch)))
        .collect();
    all.sort_by_key(|(_, f)| f.severity);
    all.into_iter()
        .map(|(index, f)| FindingView {
            index,
            severity: f.severity.to_string(),
            text: match f.place.batch.filter(|_| station < Station::Nest && loaded.route.batches.len() > 1) {
                Some(b) => format!("{}: {}", crate::shop::stock_words(&loaded.route.batch(b).stock, &loaded.shop), f.text),
                None => f.text.clone(),
            },
            remedies: f
                .remedies
                .iter()
                .map(|r| RemedyView {
                    label: r.label.clone(),
                    comes_to: r.comes_to.clone(),
                    loses: r.loses,
                    edit: serde_json::to_string(&r.edit).unwrap_or_default(),
                })
                .collect(),
            shown: !(f.place.points.is_empty() && f.place.contours.is_empty()),
            accept: (f.severity == Severity::Look
                && !f.remedies.iter().any(|r| matches!(r.edit, boustrophe_core::decisions::Edit::Accept { .. })))
            .then(|| serde_json::to_string(&f.acceptance()).unwrap_or_default()),
            code: f.code.clone(),
        })
        .collect()
}

/// One figure of the ledger.
#[derive(Default)]
pub struct Cell {
    pub name: &'static str,
    pub value: String,
    /// Difference to the baseline; empty when there is none.
    pub change: String,
    /// `better`, `worse` or empty.
    pub trend: &'static str,
    /// What it is of each batch, where there are several.
    pub each: String,
}

/// A batch to go to.
pub struct Tab {
    pub id: BatchId,
    pub words: String,
    /// Its material's own tone.
    pub tone: String,
    /// Findings to settle, of this station.
    pub open: usize,
    pub here: bool,
}

/// The batches of a job, where there are several.
pub fn tabs(loaded: &Loaded, station: Station) -> Vec<Tab> {
    if loaded.route.batches.len() < 2 || station < Station::Nest {
        return Vec::new();
    }
    let tab = |(id, b): (&BatchId, &BatchRoute)| {
        let material = loaded.shop.material(&b.stock.material);
        let of = |f: &&Finding| f.place.batch == Some(*id) && f.severity != Severity::Note;
        Tab {
            id: *id,
            words: format!("{} {} mm", material.map_or(b.stock.material.as_str(), |m| m.name.as_str()), b.stock.thickness),
            tone: material.map_or_else(|| "#d8d2c4".into(), |m| m.tone.clone()),
            open: loaded.route.findings_of(station).filter(of).count(),
            here: *id == loaded.batch,
        }
    };
    loaded.route.batches.iter().map(tab).collect()
}

/// The figures of all batches together, and under each what it is of every one.
pub fn ledger_of(loaded: &Loaded, before: Option<&Ledger>) -> Vec<Cell> {
    let mut cells = ledger(&loaded.route.ledger, before);
    if loaded.route.batches.len() > 1 {
        let each: Vec<Vec<Cell>> = loaded.route.batches.values().map(|b| ledger(&b.ledger, None)).collect();
        for (i, cell) in cells.iter_mut().enumerate() {
            cell.each = each.iter().take(EACH).map(|b| b[i].value.as_str()).collect::<Vec<_>>().join(" · ");
        }
    }
    cells
}

/// Batches told one by one under a figure.
const EACH: usize = 4;

/// A length in figures that suit it: mm, then m.
pub fn metres(mm: f64) -> String {
    if mm.abs() < 1000.0 { format!("{mm:.0} mm") } else { format!("{:.2} m", mm / 1000.0) }
}

fn cell(name: &'static str, now: f64, before: Option<f64>, more_is_better: Option<bool>, show: impl Fn(f64) -> String) -> Cell {
    let difference = before.map_or(0.0, |b| now - b);
    let shown = show(difference.abs());
    // A change too small for its figures is none.
    if shown == show(0.0) {
        return Cell { name, value: show(now), change: String::new(), trend: "", each: String::new() };
    }
    let sign = if difference > 0.0 { "+" } else { "−" };
    let trend = match more_is_better {
        Some(more) if more == (difference > 0.0) => "better",
        Some(_) => "worse",
        None => "",
    };
    Cell { name, value: show(now), change: format!("{sign}{shown}"), trend, each: String::new() }
}

/// The figures with their differences.
pub fn ledger(now: &Ledger, before: Option<&Ledger>) -> Vec<Cell> {
    let was = |of: fn(&Ledger) -> f64| before.map(of);
    vec![
        cell("sheets", now.sheets as f64, was(|l| l.sheets as f64), Some(false), |v| format!("{v:.0}")),
        cell("yield", now.yield_share * 100.0, was(|l| l.yield_share * 100.0), Some(true), |v| format!("{v:.1} %")),
        cell("cut", now.cut, was(|l| l.cut), None, metres),
        cell("travel", now.travel, was(|l| l.travel), Some(false), metres),
        cell("pierces", now.pierces as f64, was(|l| l.pierces as f64), Some(false), |v| format!("{v:.0}")),
        cell("engraved", now.engraved / 100.0, was(|l| l.engraved / 100.0), None, |v| format!("{v:.1} cm²")),
        cell("time", now.seconds, was(|l| l.seconds), Some(false), clock),
        cell("cost", now.cost, was(|l| l.cost), Some(false), |v| format!("{v:.2}")),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_carry_their_change() {
        let before = Ledger { seconds: 1005.0, sheets: 3, yield_share: 0.5, ..Ledger::default() };
        let now = Ledger { seconds: 880.0, sheets: 2, yield_share: 0.75, ..Ledger::default() };
        let cells = ledger(&now, Some(&before));
        let of = |name: &str| cells.iter().find(|c| c.name == name).map(|c| (c.value.as_str(), c.change.as_str(), c.trend));
        assert_eq!(of("time"), Some(("14:40", "−2:05", "better")));
        assert_eq!(of("sheets"), Some(("2", "−1", "better")));
        assert_eq!(of("yield"), Some(("75.0 %", "+25.0 %", "better")));
        assert_eq!(of("cut"), Some(("0 mm", "", "")));
        assert!(ledger(&now, None).iter().all(|c| c.change.is_empty()));
    }
}

//! Figures of a ledger as they are shown, with their change.

use boustrophe_core::ledger::Ledger;
use boustrophe_core::shop::Currency;
use boustrophe_core::time::duration;

/// One figure of the ledger.
#[derive(Default)]
pub struct Cell {
    /// What it is called.
    pub name: &'static str,
    /// As it is shown, with its unit.
    pub value: String,
    /// Difference to the baseline; empty when there is none.
    pub change: String,
    /// `better`, `worse` or empty.
    pub trend: &'static str,
    /// What it is of each batch, where there are several.
    pub each: String,
}

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

/// The figures with their differences, and what it costs in the shop's currency.
pub fn ledger(now: &Ledger, before: Option<&Ledger>, currency: &Currency) -> Vec<Cell> {
    let was = |of: fn(&Ledger) -> f64| before.map(of);
    vec![
        cell("sheets", now.sheets as f64, was(|l| l.sheets as f64), Some(false), |v| format!("{v:.0}")),
        cell("yield", now.yield_share * 100.0, was(|l| l.yield_share * 100.0), Some(true), |v| format!("{v:.1} %")),
        cell("cut", now.cut, was(|l| l.cut), None, metres),
        cell("travel", now.travel, was(|l| l.travel), Some(false), metres),
        cell("pierces", now.pierces as f64, was(|l| l.pierces as f64), Some(false), |v| format!("{v:.0}")),
        cell("engraved", now.engraved / 100.0, was(|l| l.engraved / 100.0), None, |v| format!("{v:.1} cm²")),
        cell("time", now.seconds, was(|l| l.seconds), Some(false), duration),
        cell("cost", now.cost, was(|l| l.cost), Some(false), |v| currency.told(v)),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_carry_their_change() {
        let before = Ledger { cost: 20.0, seconds: 1005.0, sheets: 3, yield_share: 0.5, ..Ledger::default() };
        let now = Ledger { cost: 1018.5, seconds: 880.0, sheets: 2, yield_share: 0.75, ..Ledger::default() };
        let cells = ledger(&now, Some(&before), &Currency::default());
        let of = |name: &str| cells.iter().find(|c| c.name == name).map(|c| (c.value.as_str(), c.change.as_str(), c.trend));
        assert_eq!(of("time"), Some(("14 min 40 s", "−2 min 5 s", "better")));
        assert_eq!(of("cost"), Some(("1\u{202f}018.50\u{a0}€", "+998.50\u{a0}€", "worse")));
        assert_eq!(of("sheets"), Some(("2", "−1", "better")));
        assert_eq!(of("yield"), Some(("75.0 %", "+25.0 %", "better")));
        assert_eq!(of("cut"), Some(("0 mm", "", "")));
        assert!(ledger(&now, None, &Currency::default()).iter().all(|c| c.change.is_empty()));
    }
}

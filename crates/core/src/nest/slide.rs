//! A copy that is laid by hand: where it cannot lie, it slides to the nearest place where it can.

use super::{Layout, Placement, Terms, lies};
use crate::assign::Work;

/// How far a copy slides at most, mm, and in how many rings of how many directions places are tried.
const FARTHEST: f64 = 40.0;
const RINGS: usize = 40;
const WAYS: usize = 24;
/// The place is brought as near as this, mm.
const FINE: f64 = 0.02;

/// The wanted placement on sheet `sheet` from 0, or the nearest place where the copy keeps its distances; `None` where there is
/// none near, or no such sheet.
pub fn slid(work: &Work, layout: &Layout, wanted: Placement, sheet: usize, terms: &Terms) -> Option<Placement> {
    let on = layout.sheets.get(sheet)?;
    let others: Vec<Placement> = on.placed.iter().filter(|p| p.copy != wanted.copy).copied().collect();
    let fits = |p: &Placement| lies(work, &on.sheet, &others, p, terms.spacing, terms.margin);
    if fits(&wanted) {
        return Some(wanted);
    }
    let at = |way: usize, by: f64| {
        let (sin, cos) = (way as f64 * std::f64::consts::TAU / WAYS as f64).sin_cos();
        Placement { x: wanted.x + cos * by, y: wanted.y + sin * by, ..wanted }
    };
    let step = FARTHEST / RINGS as f64;
    for ring in 1..=RINGS {
        let far = ring as f64 * step;
        let found = (0..WAYS).filter(|w| fits(&at(*w, far))).map(|way| {
            // Back towards where it was wanted, as far as it goes.
            let (mut free, mut blocked) = (far, far - step);
            while free - blocked > FINE {
                let middle = f64::midpoint(free, blocked);
                if fits(&at(way, middle)) { free = middle } else { blocked = middle }
            }
            (free, at(way, free))
        });
        if let Some((_, best)) = found.min_by(|a, b| a.0.total_cmp(&b.0)) {
            return Some(best);
        }
    }
    None
}

//! What was decided on a drawing, carried over to a revision of it that was moved or turned as a whole.
//!
//! Contours are named after what was drawn and where. A file that came back moved by 500, 300, or turned by a quarter, has
//! the same contours under other names: they are found again by their shape, and by the one motion that most of them share.

use super::{Cleaned, Contour, ContourId};
use crate::decisions::{Decisions, DrawingDecisions};
use crate::drawing::Drawing;
use crate::geometry::{Affine, Point, Tolerance, Vec2};
use crate::intake;
use crate::nest::turned;
use crate::shop::Machine;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeMap;

/// Contours of one shape that are tried against each other at most.
const MOST_ALIKE: usize = 24;
/// Lengths, areas and places nearer than this are the same, mm.
const SAME: f64 = 0.01;

/// How contours of a revision correspond to those before.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Carried {
    /// New names by the old ones, where they differ.
    pub names: BTreeMap<ContourId, ContourId>,
    /// From where the drawing was to where it is, mm; `None` where it stayed.
    pub moved: Option<Affine>,
}

/// Finds the contours of `before` again in `after`, both sized and cleaned by the same decisions on the drawing.
pub fn carry(before: &Drawing, after: &Drawing, decisions: &Decisions, drawing: u32, machine: &Machine, tolerance: &Tolerance) -> Carried {
    let Some(decided) = decisions.drawing(drawing) else { return Carried::default() };
    let cleaned = |d: &Drawing, decided: &DrawingDecisions| super::run(d, &intake::run(d, decided, &machine.bed()).0, decided, tolerance).0;
    let then = cleaned(before, decided);
    let mut carried = matched(&then, &cleaned(after, decided));
    if !decided.operations.is_empty() && !carried.names.is_empty() {
        // What operations made is named after what they were done to: done again to the new names, it is matched as well.
        let again = decisions.renamed(&carried.names);
        if let Some(decided) = again.drawing(drawing) {
            carried = matched(&then, &cleaned(after, decided));
        }
    }
    carried
}

/// What tells shapes apart wherever they lie and however they are turned by quarters.
fn print(c: &Contour) -> (i64, i64, bool, i64, i64) {
    let rounded = |v: f64| (v / SAME).round() as i64;
    let (w, h) = (c.bounds.width(), c.bounds.height());
    (rounded(c.length), rounded(c.area.abs()), c.path.closed, rounded(w.min(h)), rounded(w.max(h)))
}

fn matched(before: &Cleaned, after: &Cleaned) -> Carried {
    let stayed: FxHashSet<ContourId> = after.contours.iter().map(|c| c.id).collect();
    let lost: Vec<&Contour> = before.contours.iter().map(AsRef::as_ref).filter(|c| !stayed.contains(&c.id)).collect();
    let kept = before.contours.len() - lost.len();
    let mut shapes: FxHashMap<_, Vec<&Contour>> = FxHashMap::default();
    for c in &after.contours {
        shapes.entry(print(c)).or_default().push(c);
    }
    let alike = |c: &Contour| {
        let (l, a, closed, w, h) = print(c);
        let near = |v: i64| [v, v - 1, v + 1];
        let all = near(l).into_iter().flat_map(move |l| {
            near(a).into_iter().flat_map(move |a| near(w).into_iter().flat_map(move |w| near(h).map(move |h| (l, a, closed, w, h))))
        });
        all.filter_map(|p| shapes.get(&p)).flatten().copied().take(MOST_ALIKE).collect::<Vec<_>>()
    };
    // Each pair of equal shapes speaks for the motions that would carry one onto the other; the most spoken for is taken.
    let mut voices: FxHashMap<(u32, i64, i64), (usize, Vec2)> = FxHashMap::default();
    for c in &lost {
        for other in alike(c) {
            for quarter in 0..4_u32 {
                let by = other.bounds.center() - turned(90.0 * f64::from(quarter)) * c.bounds.center();
                let voice = voices.entry((quarter, (by.x / SAME).round() as i64, (by.y / SAME).round() as i64)).or_insert((0, by));
                voice.0 += 1;
            }
        }
    }
    let best = voices.iter().max_by(|a, b| a.1.0.cmp(&b.1.0).then((b.0.0, b.0.1, b.0.2).cmp(&(a.0.0, a.0.1, a.0.2))));
    let Some((&(quarter, _, _), &(n, by))) = best else { return Carried::default() };
    // A drawing that stayed has single contours that moved: those are new ones, as they always were.
    if n <= kept {
        return Carried::default();
    }
    let moved = Affine::translate(by) * turned(90.0 * f64::from(quarter));
    let mut used: FxHashSet<ContourId> = FxHashSet::default();
    let mut names = BTreeMap::new();
    for c in lost {
        let path = c.path.transformed(moved);
        let middle = |p: &crate::geometry::Path, share: f64| p.at(share * p.length()).0;
        let same = |other: &&&Contour| {
            let on = |p: Point| other.path.nearest(p).distance < 2.0 * SAME;
            !used.contains(&other.id) && [0.1, 0.45, 0.8].iter().all(|s| on(middle(&path, *s)))
        };
        if let Some(other) = alike(c).iter().find(same) {
            used.insert(other.id);
            names.insert(c.id, other.id);
        }
    }
    Carried { names, moved: Some(moved) }
}

//! Every edge of every copy is made by exactly one cut.
//!
//! It is asked of the copies as they lie, not of the plan: along each contour that is to be cut, places are looked at, and the
//! cuts are counted that say they make the edge there.

use super::Meant;
use super::faults::Faults;
use crate::finding::Code;
use crate::geometry::Point;
use crate::ids::EdgePlace;
use rustc_hash::FxHashMap;

/// Places looked at on each segment of a contour.
const LOOKS: usize = 5;
/// Most of them on one contour.
const MOST_LOOKS: usize = 2000;
/// Where one stretch ends and the next begins there may be so much between them, as a share of the contour's length.
const SLACK: f64 = 1e-3;
/// And so many kerfs: into an inner corner the beam does not get.
const CORNER: f64 = 1.5;

/// A stretch of a contour, mm along it; the whole where both are the same.
type Stretch = (EdgePlace, EdgePlace);

pub(super) fn check(meant: &Meant, faults: &mut Faults) {
    let mut made: FxHashMap<(usize, usize), Vec<Stretch>> = FxHashMap::default();
    for edge in meant.cuts.cuts.iter().filter(|c| c.process.frees()).flat_map(super::super::cuts::Cut::edges) {
        made.entry((edge.placement, edge.item)).or_default().push(edge.stretch);
    }
    let mut wrong: Vec<Point> = Vec::new();
    let corner = CORNER * meant.path.ops.iter().map(|op| op.kerf).fold(0.0, f64::max);
    for (placement, placed) in meant.layout.placed.iter().enumerate() {
        let Some(part) = meant.work.part(placed.copy.part) else { continue };
        for item in part.items().filter(|i| meant.work.items[*i].process.frees()) {
            let path = &meant.work.items[item].contour.path;
            let stretches = made.get(&(placement, item)).map_or(&[][..], Vec::as_slice);
            if let [(from, to)] = stretches
                && from == to
            {
                continue;
            }
            let total = path.length();
            let spans: Vec<(f64, f64)> = stretches.iter().map(|(a, b)| (a.along(path), b.along(path))).collect();
            let looks = (path.segments.len() * LOOKS).min(MOST_LOOKS);
            for k in 0..looks {
                let along = total * (k as f64 + 0.37) / looks as f64;
                let (sure, near) = counted(&spans, along, total, corner);
                if near == 0 || sure > 1 {
                    wrong.push(placed.affine() * path.at(along).0);
                }
            }
        }
    }
    faults.add(Code::EdgesNotOnce, &wrong, "places of parts' edges are made by no cut, or by two");
}

/// Stretches that surely have a place of a contour in them, and those that have it in or nearly so.
fn counted(spans: &[(f64, f64)], along: f64, total: f64, corner: f64) -> (usize, usize) {
    let slack = SLACK * total;
    let within = |(from, to): (f64, f64), by: f64| {
        let length = (to - from).rem_euclid(total);
        // Round a corner there is nothing between begin and end.
        let length = if length > total - slack { 0.0 } else { length };
        (along - (from - by)).rem_euclid(total) < length + 2.0 * by
    };
    let count = |by: f64| spans.iter().filter(|s| within(**s, by)).count();
    (count(-slack), count(slack.max(corner)))
}

//! What is to stay where it is: bridges keep their width, and what is cut free is not travelled over.

use super::compare::{Boxed, boxed};
use super::faults::{Faults, Told, figure};
use super::read::Read;
use super::{Action, Meant, SheetProof};
use crate::assign::Process;
use crate::cuts::Freeing;
use crate::finding::Code;
use crate::geometry::{Path, Point, Segment};
use crate::hold::Op;
use crate::shop::MachineKind;
use rstar::{AABB, RTree};

/// A bridge may be narrower than was meant by this much, mm: less is rounding.
const NARROWER: f64 = 0.05;
/// The ends of a bridge are equally far from its middle within this, mm.
const SAME_END: f64 = 0.02;
/// A way over a part is told from this depth within its outline on, mm.
const OVER: f64 = 0.2;
/// Distance of the looks along a way, mm, and most of them on one.
const LOOK: f64 = 1.0;
const MOST_LOOKS: f64 = 4000.0;

/// Every bridge that is to stay has the width that was meant, whatever else is burned beside it.
pub(super) fn bridges(proof: &SheetProof, meant: &Meant, faults: &mut Faults) {
    if meant.path.ops.iter().all(|op| op.line().nicks.is_empty()) {
        return;
    }
    let burned: Vec<Segment> = proof.moves.iter().filter(|m| m.process == Some(Process::Cut)).map(|m| m.path).collect();
    let index: RTree<Boxed> = RTree::bulk_load(burned.iter().enumerate().map(|(i, s)| boxed(s, i)).collect());
    let nearest = |p: Point, within: f64| {
        let near = AABB::from_corners([p.x - within, p.y - within], [p.x + within, p.y + within]);
        index.locate_in_envelope_intersecting(near).map(|b| burned[b.data].distance(p)).fold(within, f64::min)
    };
    let mut thin: Vec<Told> = Vec::new();
    for op in meant.path.ops.iter().filter(|op| op.process == Process::Cut) {
        for (p, across) in &op.line().nicks {
            // Its ends are the nearest of its own line. One of which an end was burned before this program, as where it goes on with a cut
            // that broke off, is not its own.
            let ends = op.line().runs.iter().filter_map(|r| Some([r.first()?.start, r.last()?.end])).flatten();
            let mut away: Vec<f64> = ends.map(|e| e.distance(*p)).collect();
            away.sort_by(f64::total_cmp);
            let [half, other, ..] = away[..] else { continue };
            if other - half > SAME_END || 2.0 * half <= op.kerf {
                continue;
            }
            // In its middle, and on either side of the kerf.
            let places: [Point; 3] = [-0.5, 0.0, 0.5].map(|k| *p + *across * (k * op.kerf));
            let left = places.into_iter().map(|q| nearest(q, half)).fold(half, f64::min);
            if 2.0 * (half - left) > NARROWER {
                let width = |half: f64| figure(((2.0 * half - op.kerf).max(0.0) * 100.0).round() / 100.0);
                thin.push(Told::new(*p, 0, format!("{} mm left, {} were meant", width(left), width(half))));
            }
        }
    }
    faults.told(Code::BridgeBurned, thin, "bridges would be burned away, or thinner than was meant");
}

/// A torch keeps off what it has cut free, or goes over it lifted.
pub(super) fn travel(read: &Read, proof: &SheetProof, meant: &Meant, faults: &mut Faults) {
    let Meant { path: intended, layout, work, machine, .. } = *meant;
    if machine.kind != MachineKind::Plasma || machine.lift <= 0.0 {
        return;
    }
    let mut freeing = Freeing::new(work, layout, meant.cuts);
    let mut loose = |k: usize| {
        let op = intended.ops.get(k).filter(|op| op.process.frees());
        let nicks = |op: &Op| op.line().nicks.iter().map(|n| n.0).collect::<Vec<_>>();
        op.map_or_else(Vec::new, |op| freeing.made(op.cut, &nicks(op), op.kerf))
    };
    let mut free: Vec<Path> = Vec::new();
    let (mut under_way, mut waited) = (None, 0.0);
    let mut over: Vec<Told> = Vec::new();
    let mut moves = proof.moves.iter();
    for action in &read.actions {
        match action {
            Action::Wait { seconds, .. } => waited += seconds,
            Action::Move { .. } => {
                let Some(m) = moves.next() else { break };
                if m.process.is_some() {
                    (under_way, waited) = (m.op.or(under_way), 0.0);
                    continue;
                }
                free.extend(under_way.take().into_iter().flat_map(&mut loose));
                // Out of the cut, and up and down again.
                let lifted = waited > 3.0 * machine.lift - 1e-3;
                if !lifted && let Some(at) = free.iter().find_map(|outline| met(&m.path, outline)) {
                    over.push(Told::new(at, m.line, String::new()));
                }
            }
        }
    }
    faults.told(Code::TravelOver, over, "ways of the torch go over what is cut free without being lifted");
}

/// The first place at which a way goes over a part.
fn met(way: &Segment, outline: &Path) -> Option<Point> {
    if !outline.bounds().meets(&way.bounds()) {
        return None;
    }
    let looks = (way.length() / LOOK).ceil().clamp(1.0, MOST_LOOKS) as usize;
    let over = |p: &Point| outline.contains(*p) && outline.nearest(*p).distance > OVER;
    (0..=looks).map(|k| way.at(k as f64 / looks as f64)).find(over)
}

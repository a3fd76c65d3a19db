//! Good parts are not cut into.

use super::compare::{Boxed, boxed, in_box};
use super::faults::Faults;
use super::{Meant, SheetProof, Traced};
use crate::assign::Process;
use crate::dialect::Dialect;
use crate::finding::Code;
use crate::geometry::{Path, Point, Segment, apart};
use rayon::prelude::*;
use rstar::{AABB, RTree};

/// A cut may come nearer to a part than half its kerf by this much, mm.
const GOUGE: f64 = 0.05;

/// So much of a move at either end, mm, is where it turns: round the corner of a gap that two parts share it may come [`CORNER`] nearer.
const TURNS: f64 = 0.25;

/// What a cut may come nearer to a corner where it turns, mm; it never touches.
const CORNER: f64 = 0.15;

/// Two lines that are nearer than this touch, mm.
const TOUCH: f64 = 1e-3;

/// A move without its ends; of a short one its middle.
fn within(path: &Segment) -> Segment {
    let share = (TURNS / path.length().max(1e-9)).min(0.5 - 1e-6);
    path.piece(share, 1.0 - share)
}

/// No closed cut and no lead may come nearer to any part's material than half its kerf.
pub(super) fn check(proof: &SheetProof, meant: &Meant, faults: &mut Faults) {
    let Meant { path: intended, layout, work, .. } = *meant;
    let mut edges: Vec<(Segment, usize)> = Vec::new();
    let mut outlines: Vec<(Path, Vec<Path>)> = Vec::new();
    for (k, p) in layout.placed.iter().enumerate() {
        let Some(part) = work.part(p.copy.part) else {
            outlines.push((Path::default(), Vec::new()));
            continue;
        };
        let lie = |path: &Path| path.transformed(p.affine());
        let outer = if part.outer.is_some() { lie(&part.outline) } else { Path::default() };
        let holes: Vec<Path> = part.holes.iter().map(|i| lie(&work.items[*i].contour.path)).collect();
        edges.extend(std::iter::once(&outer).chain(&holes).flat_map(|path| &path.segments).map(|s| (*s, k)));
        outlines.push((outer, holes));
    }
    let boxes: RTree<Boxed> = RTree::bulk_load(
        outlines.iter().enumerate().filter(|(_, o)| !o.0.segments.is_empty()).map(|(k, o)| in_box(o.0.bounds(), k)).collect(),
    );
    let index: RTree<Boxed> = RTree::bulk_load(edges.iter().enumerate().map(|(i, e)| boxed(&e.0, i)).collect());
    let dialect = Dialect::of(meant.machine);
    let chord = if dialect.arcs { 0.0 } else { dialect.chord };
    let into_parts = |m: &Traced| -> Vec<Point> {
        let mut bad = Vec::new();
        let Some(op) = m.op.map(|o| &intended.ops[o]) else { return bad };
        if !work.items[op.item].contour.path.closed {
            return bad;
        }
        let reach = (op.kerf / 2.0 - GOUGE - chord).max(0.0);
        let too_near = |path: &Segment, reach: f64| {
            let around = path.bounds().grown(reach);
            let around = AABB::from_corners([around.min.x, around.min.y], [around.max.x, around.max.y]);
            let near = index.locate_in_envelope_intersecting(around).map(|e| apart(path, &edges[e.data].0));
            near.filter(|n| n.1 < reach).min_by(|a, b| a.1.total_cmp(&b.1)).map(|n| n.0)
        };
        bad.extend(too_near(&within(&m.path), reach).or_else(|| too_near(&m.path, (reach - CORNER).max(TOUCH))));
        // Coming near an edge, or crossing it, shows by that; lying wholly inside a part does not.
        let p = m.path.at(0.5);
        let inside = |(outer, holes): &(Path, Vec<Path>)| outer.contains(p) && !holes.iter().any(|h| h.contains(p));
        if boxes.locate_in_envelope_intersecting(AABB::from_point([p.x, p.y])).any(|b| inside(&outlines[b.data])) {
            bad.push(p);
        }
        bad
    };
    let bad: Vec<Point> = proof.moves.par_iter().filter(|m| m.process == Some(Process::Cut)).flat_map_iter(into_parts).collect();
    faults.add(Code::Gouge, &bad, "places of good parts would be cut into");
}

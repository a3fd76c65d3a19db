//! Good parts are not cut into.

use super::compare::{Boxed, MOST_SAMPLES, STEP, boxed, in_box};
use super::faults::Faults;
use super::{Meant, SheetProof, Traced};
use crate::assign::Process;
use crate::geometry::{Path, Point, Segment};
use crate::release::Dialect;
use rayon::prelude::*;
use rstar::{AABB, RTree};

/// A cut may come nearer to a part than half its kerf by this much, mm.
const GOUGE: f64 = 0.05;

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
        let samples = (m.path.length() / STEP).ceil().clamp(1.0, MOST_SAMPLES) as usize;
        for i in 0..samples {
            let p = m.path.at((i as f64 + 0.5) / samples as f64);
            let mut near =
                index.locate_in_envelope_intersecting(AABB::from_corners([p.x - reach, p.y - reach], [p.x + reach, p.y + reach]));
            if near.any(|e| edges[e.data].0.distance(p) < reach) {
                bad.push(p);
            }
        }
        // Crossing an edge shows in the samples; lying wholly inside a part does not.
        let p = m.path.at(0.5);
        let within = |(outer, holes): &(Path, Vec<Path>)| outer.contains(p) && !holes.iter().any(|h| h.contains(p));
        if boxes.locate_in_envelope_intersecting(AABB::from_point([p.x, p.y])).any(|b| within(&outlines[b.data])) {
            bad.push(p);
        }
        bad
    };
    let bad: Vec<Point> = proof.moves.par_iter().filter(|m| m.process == Some(Process::Cut)).flat_map_iter(into_parts).collect();
    faults.add("gouge", &bad, "places of good parts would be cut into");
}

//! Corners of copies that share edges, where a third copy reaches in between them.

use super::common::{Of, Ring, SAME, Side};
use crate::assign::Work;
use crate::geometry::{Point, Segment, apart};
use crate::nest::{Placement, SheetLayout};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::FxHashMap;

/// An edge of a copy, by the copy's number.
type Boxed = GeomWithData<Rectangle<[f64; 2]>, (usize, Segment)>;

/// The outlines of all copies of a sheet.
pub(super) struct Material {
    edges: RTree<Boxed>,
}

impl Material {
    pub(super) fn of(work: &Work, sheet: &SheetLayout) -> Self {
        let outline = |(k, p): (usize, &Placement)| Some((k, work.part(p.copy.part)?.outline.transformed(p.affine())));
        let all = sheet.placed.iter().enumerate().filter_map(outline);
        let edges = all.flat_map(|(k, path)| path.segments.into_iter().map(move |s| (k, s))).map(|(k, s)| {
            let b = s.bounds();
            GeomWithData::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), (k, s))
        });
        Self { edges: RTree::bulk_load(edges.collect()) }
    }

    /// True where a stretch comes nearer to another copy than the cut's half width.
    fn is_cut_into(&self, stretch: &Segment, but: usize, half: f64) -> bool {
        let b = stretch.bounds().grown(half);
        let near = self.edges.locate_in_envelope_intersecting(AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]));
        near.filter(|e| e.data.0 != but).any(|e| apart(stretch, &e.data.1).1 < half - SAME)
    }
}

/// Corners whose point would be cut into a third copy are round, whatever is shared beside them: what is shared ends where the arc
/// begins.
pub(super) fn blunt(rings: &mut [Ring], material: &Material, half: f64) {
    let mut blunted = false;
    for ring in rings.iter_mut() {
        let n = ring.sides.len();
        for i in 0..n {
            let next = (i + 1) % n;
            let Some(arc) = ring.sides[i].corner else { continue };
            let (to, from) = (Segment::line(arc.start, ring.sides[i].line.end), Segment::line(ring.sides[next].line.start, arc.end));
            let used = ring.is_used_at(i);
            if !used || ![to, from].iter().any(|s| material.is_cut_into(s, ring.placement, half)) {
                continue;
            }
            blunted = true;
            ring.sides[i].blunted(arc, true);
            ring.sides[next].blunted(arc, false);
            ring.sides[i].blunt = true;
        }
    }
    if blunted {
        agree(rings);
    }
}

/// What is shared is what both sides say of it.
fn agree(rings: &mut [Ring]) {
    let said: FxHashMap<(Of, Of), (Point, Point)> = rings
        .iter()
        .enumerate()
        .flat_map(|(r, ring)| ring.sides.iter().enumerate().map(move |(k, side)| ((r, k), side)))
        .flat_map(|(of, side)| side.shared.iter().map(move |s| ((of, s.2), (side.at(s.0), side.at(s.1)))))
        .collect();
    for (r, ring) in rings.iter_mut().enumerate() {
        for (k, side) in ring.sides.iter_mut().enumerate() {
            let (start, way) = (side.line.start, side.line.direction(0.0));
            for s in &mut side.shared {
                // The other side runs the other way.
                *s = match said.get(&(s.2, (r, k))) {
                    Some((a, b)) => (s.0.max((*b - start).dot(way)), s.1.min((*a - start).dot(way)), s.2),
                    None => (0.0, 0.0, s.2),
                };
            }
            side.shared.retain(|s| s.1 - s.0 > SAME);
        }
    }
}

impl Side {
    /// A place so far along it, mm.
    fn at(&self, along: f64) -> Point {
        self.line.start + self.line.direction(0.0) * along
    }

    /// Ends where the arc of its corner begins, or begins where it ends.
    fn blunted(&mut self, arc: Segment, at_end: bool) {
        if at_end {
            self.line.end = arc.start;
        } else {
            let cut = self.line.start.distance(arc.end);
            self.line.start = arc.end;
            self.shared.iter_mut().for_each(|s| (s.0, s.1) = ((s.0 - cut).max(0.0), s.1 - cut));
        }
        let length = self.line.length();
        self.shared.iter_mut().for_each(|s| s.1 = s.1.min(length));
        self.shared.retain(|s| s.1 - s.0 > SAME);
    }
}

impl Ring {
    /// True where something is shared right beside the corner at the end of a side.
    pub(super) fn is_used_at(&self, i: usize) -> bool {
        let next = (i + 1) % self.sides.len();
        self.sides[i].shared.last().is_some_and(|s| s.1 > self.sides[i].line.length() - SAME)
            || self.sides[next].shared.first().is_some_and(|s| s.0 < SAME)
    }
}

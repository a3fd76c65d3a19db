//! Lattices whose motifs may lie in each other's pockets: places along the edge of what is forbidden, and where that edge meets itself
//! one step on.

use super::SLACK;
use crate::geometry::{Bounds, Point, Ring, Vec2};
use crate::nofit::NoFit;
use std::sync::Arc;

/// Where the motif may not be from itself.
pub(super) struct Forbidden {
    parts: Vec<(Arc<NoFit>, Vec2, f64)>,
    pub(super) edges: Vec<(Point, Point)>,
}

impl Forbidden {
    pub(super) fn new(parts: Vec<(Arc<NoFit>, Vec2, f64)>) -> Self {
        let edge = |r: &Ring, i: usize, by: Vec2, sign: f64| {
            let to = |p: Point| (by + sign * p.to_vec2()).to_point();
            (to(r[i]), to(r[(i + 1) % r.len()]))
        };
        let edges =
            parts.iter().flat_map(|(n, by, sign)| n.rings.iter().flat_map(move |r| (0..r.len()).map(move |i| edge(r, i, *by, *sign))));
        Self { edges: edges.collect(), parts }
    }

    /// `p` is at `by + sign · n` for some place `n` within a region.
    pub(super) fn has(&self, p: Point) -> bool {
        self.parts.iter().any(|(n, by, sign)| n.forbids((*sign * (p.to_vec2() - *by)).to_point(), SLACK))
    }

    /// Places along the edge that are not forbidden, about so many.
    pub(super) fn places(&self, most: usize) -> Vec<Point> {
        let length: f64 = self.edges.iter().map(|e| e.0.distance(e.1)).sum();
        let step = length / most.max(1) as f64;
        let along = |e: &(Point, Point)| -> Vec<Point> {
            let n = (e.0.distance(e.1) / step).ceil().max(1.0) as usize;
            (0..n).map(|k| e.0.lerp(e.1, k as f64 / n as f64)).collect()
        };
        self.edges.iter().flat_map(along).filter(|p| !self.has(*p)).collect()
    }

    /// Places straight to the right and straight up.
    pub(super) fn straight(&self) -> Vec<Point> {
        let cross = |e: &(Point, Point)| {
            let (a, b) = *e;
            let right = ((a.y > 0.0) != (b.y > 0.0)).then(|| Point::new(a.x + (b.x - a.x) * (-a.y / (b.y - a.y)), 0.0));
            let up = ((a.x > 0.0) != (b.x > 0.0)).then(|| Point::new(0.0, a.y + (b.y - a.y) * (-a.x / (b.x - a.x))));
            [right, up]
        };
        self.edges.iter().flat_map(cross).flatten().filter(|p| (p.x > 1e-6 || p.y > 1e-6) && !self.has(*p)).collect()
    }

    /// The best second vector for a first; nothing as good as `bound`.
    fn second(&self, first: Vec2, bound: f64) -> Option<(f64, Vec2)> {
        let length = first.hypot();
        if length < 1e-6 {
            return None;
        }
        // What is nearer to the first's line than this makes a lesser area.
        let height = |p: Point| (first.cross(p.to_vec2()) / length).abs();
        let most = bound / length;
        let near: Vec<&(Point, Point)> = self
            .edges
            .iter()
            .filter(|e| height(e.0).min(height(e.1)) < most || first.cross(e.0.to_vec2()) * first.cross(e.1.to_vec2()) < 0.0)
            .collect();
        let mut candidates: Vec<(f64, Point)> = near.iter().map(|e| (height(e.0), e.0)).collect();
        // The same edges one step on, by where they begin in x: only those are looked at that can meet.
        let box_of = |(i, e): (usize, &&(Point, Point))| (i, Bounds::of([e.0 + first, e.1 + first]));
        let mut moved: Vec<(usize, Bounds)> = near.iter().enumerate().map(box_of).collect();
        moved.sort_by(|a, b| a.1.min.x.total_cmp(&b.1.min.x).then(a.0.cmp(&b.0)));
        let widest = moved.iter().map(|m| m.1.width()).fold(0.0, f64::max);
        let mut met: Vec<usize> = Vec::new();
        for (a, b) in &near {
            let around = Bounds::of([*a, *b]);
            let from = moved.partition_point(|m| m.1.min.x < around.min.x - widest);
            let reached = moved[from..].iter().take_while(|m| m.1.min.x <= around.max.x);
            met.clear();
            met.extend(reached.filter(|m| m.1.meets(&around)).map(|m| m.0));
            met.sort_unstable();
            for (c, d) in met.iter().map(|i| near[*i]) {
                if let Some(p) = crossing(*a, *b, *c + first, *d + first) {
                    candidates.push((height(p), p));
                }
            }
        }
        candidates.retain(|c| c.0 < most && c.0 > 1e-6);
        candidates.sort_by(|a, b| a.0.total_cmp(&b.0));
        let good = |p: Point| (-2..=2).all(|k| !self.has(p + first * f64::from(k)));
        let (h, p) = candidates.into_iter().find(|c| good(c.1))?;
        // No other of its points may lie in what is forbidden.
        let clear = (2..=3).all(|j| (-4..=4).all(|i| !self.has((first * f64::from(i) + p.to_vec2() * f64::from(j)).to_point())));
        let line = (2..=4).all(|i| !self.has((first * f64::from(i)).to_point()));
        (clear && line).then(|| (h * length, p.to_vec2()))
    }

    /// Lattices from all these first vectors, the densest first; none that is worse than the densest by more than `loose` times.
    pub(super) fn lattices(&self, firsts: &[Point], mut bound: f64, loose: f64) -> Vec<(f64, Vec2, Vec2)> {
        let mut found: Vec<(f64, Vec2, Vec2)> = Vec::new();
        for first in firsts {
            if let Some((area, second)) = self.second(first.to_vec2(), bound) {
                found.push((area, first.to_vec2(), second));
                bound = bound.min(area * loose);
            }
        }
        found.sort_by(|a, b| a.0.total_cmp(&b.0));
        found
    }
}

fn crossing(a: Point, b: Point, c: Point, d: Point) -> Option<Point> {
    let (r, s) = (b - a, d - c);
    let cross = r.cross(s);
    if cross.abs() < 1e-12 * r.hypot() * s.hypot() {
        return None;
    }
    let (t, u) = ((c - a).cross(s) / cross, (c - a).cross(r) / cross);
    ((0.0..=1.0).contains(&t) && (0.0..=1.0).contains(&u)).then(|| a + r * t)
}

//! A mesh made whole: corners that lie on another triangle's edge divide it, and all triangles are wound alike.

use super::{P3, Solid, cross, dot, sub};
use rstar::{AABB, RTree};
use rustc_hash::FxHashMap;
use std::collections::HashSet;

/// A corner lies on an edge within this share of the solid's size.
const ON: f64 = 1e-6;
/// Triangles that a mesh may come to.
const MOST: usize = 1_500_000;

/// What was done to a mesh.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Stitched {
    /// Edges that a corner of another triangle lay on.
    pub divided: usize,
    /// Triangles that were wound against the others.
    pub turned: usize,
}

type Edge = (usize, usize);

fn edge(a: usize, b: usize) -> Edge {
    (a.min(b), a.max(b))
}

/// The three edges of a triangle as they are gone along.
fn sides(t: [usize; 3]) -> [Edge; 3] {
    [(t[0], t[1]), (t[1], t[2]), (t[2], t[0])]
}

impl Solid {
    /// Divides edges at the corners that lie on them, and winds all triangles outward.
    pub fn stitch(&mut self) -> Stitched {
        Stitched { divided: self.divide(), turned: self.wind() }
    }

    /// How many triangles share each edge.
    fn shared(&self) -> FxHashMap<Edge, usize> {
        let mut shared: FxHashMap<Edge, usize> = FxHashMap::default();
        self.triangles.iter().flat_map(|t| sides(*t)).for_each(|(a, b)| *shared.entry(edge(a, b)).or_default() += 1);
        shared
    }

    fn divide(&mut self) -> usize {
        let open: Vec<Edge> = self.shared().into_iter().filter(|(_, n)| *n == 1).map(|(e, _)| e).collect();
        if open.is_empty() {
            return 0;
        }
        let corners: HashSet<usize> = open.iter().flat_map(|(a, b)| [*a, *b]).collect();
        let size = self.size().into_iter().fold(0.0, f64::max);
        let on = (ON * size).max(1e-9);
        let placed = corners.into_iter().map(|v| rstar::primitives::GeomWithData::new(self.vertices[v], v)).collect();
        let index: RTree<rstar::primitives::GeomWithData<P3, usize>> = RTree::bulk_load(placed);
        let mut between: FxHashMap<Edge, Vec<usize>> = FxHashMap::default();
        for (a, b) in open {
            let (p, q) = (self.vertices[a], self.vertices[b]);
            let (along, length) = (sub(q, p), dot(sub(q, p), sub(q, p)).sqrt());
            let low = [0, 1, 2].map(|k| p[k].min(q[k]) - on);
            let high = [0, 1, 2].map(|k| p[k].max(q[k]) + on);
            let mut lying: Vec<(f64, usize)> = Vec::new();
            for v in index.locate_in_envelope(AABB::from_corners(low, high)).filter(|v| v.data != a && v.data != b) {
                let to = sub(*v.geom(), p);
                let (t, off) = (dot(to, along) / (length * length), cross(to, along));
                if dot(off, off).sqrt() / length <= on && t * length > 2.0 * on && (1.0 - t) * length > 2.0 * on {
                    lying.push((t, v.data));
                }
            }
            lying.sort_by(|x, y| x.0.total_cmp(&y.0));
            if !lying.is_empty() {
                let points: Vec<usize> = lying.into_iter().map(|l| l.1).collect();
                // From the smaller number to the larger.
                between.insert(edge(a, b), if a < b { points } else { points.into_iter().rev().collect() });
            }
        }
        let divided = between.len();
        let mut open: Vec<[usize; 3]> = std::mem::take(&mut self.triangles);
        open.reverse();
        while let Some(t) = open.pop() {
            let found = (0..3).find(|k| between.contains_key(&edge(t[*k], t[(k + 1) % 3])));
            let Some(k) = found.filter(|_| open.len() + self.triangles.len() < MOST) else {
                self.triangles.push(t);
                continue;
            };
            let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
            let points = &between[&edge(a, b)];
            let mut at = a;
            let mut step = |to: usize| {
                open.push([at, to, c]);
                at = to;
            };
            if a < b {
                points.iter().for_each(|v| step(*v))
            } else {
                points.iter().rev().for_each(|v| step(*v))
            }
            step(b);
        }
        self.triangles.retain(|t| t[0] != t[1] && t[1] != t[2] && t[2] != t[0]);
        divided
    }

    fn wind(&mut self) -> usize {
        let mut by: FxHashMap<Edge, Vec<usize>> = FxHashMap::default();
        for (i, t) in self.triangles.iter().enumerate() {
            sides(*t).into_iter().for_each(|(a, b)| by.entry(edge(a, b)).or_default().push(i));
        }
        let mut turned: Vec<Option<bool>> = vec![None; self.triangles.len()];
        let mut n = 0;
        for seed in 0..self.triangles.len() {
            if turned[seed].is_some() {
                continue;
            }
            turned[seed] = Some(false);
            let mut piece = vec![seed];
            let (mut at, mut closed) = (0, true);
            while let Some(t) = piece.get(at).copied() {
                at += 1;
                for (a, b) in sides(self.triangles[t]) {
                    let [x, y] = by[&edge(a, b)][..] else {
                        closed = false;
                        continue;
                    };
                    let other = if x == t { y } else { x };
                    // Neighbours go along their edge in opposite ways.
                    let alike = sides(self.triangles[other]).contains(&(a, b));
                    if turned[other].is_none() {
                        turned[other] = turned[t].map(|now| now ^ alike);
                        piece.push(other);
                    }
                }
            }
            let against = piece.iter().filter(|t| turned[**t] == Some(true)).count();
            let volume: f64 = piece.iter().map(|t| self.volume(*t) * if turned[*t] == Some(true) { -1.0 } else { 1.0 }).sum();
            // Of what is closed the outside is known; else the most say it.
            let over = if closed { volume < 0.0 } else { against * 2 > piece.len() };
            for t in piece {
                if (turned[t] == Some(true)) != over {
                    self.triangles[t].swap(1, 2);
                    n += 1;
                }
            }
        }
        n
    }

    /// Of the pyramid from a triangle to the origin, six times.
    fn volume(&self, t: usize) -> f64 {
        let [a, b, c] = self.triangles[t].map(|v| self.vertices[v]);
        dot(a, cross(b, c))
    }
}

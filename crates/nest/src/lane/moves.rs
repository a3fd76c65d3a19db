//! One part moved: places sampled, priced, and refined along the ways out.

use super::{Lane, Piece, clamped};
use crate::fence::Fence;
use crate::geometry::{Point, Vec2};
use rand::Rng;

/// Places tried over the rooms and near by, for one move.
const WIDE: usize = 10;
const NEAR: usize = 4;
/// Ways out that are followed from the deepest overlaps, and how often.
const DEEPEST: usize = 3;
const REFINE: usize = 10;
/// Places that one refinement tries at most: three for each way, and one for each pair of ways.
const TRIES: usize = 3 * DEEPEST + DEEPEST * (DEEPEST - 1) / 2;

/// The room round a part in which others may touch it, mm.
pub(super) struct Near([f32; 4]);

impl Near {
    /// Round a part of this size whose lower left is `at`, so far beyond it.
    pub(super) fn round(at: Point, size: Vec2, reach: Vec2) -> Self {
        let (low, high) = (at - reach, at + size + reach);
        Self([low.x as f32, low.y as f32, high.x as f32, high.y as f32])
    }

    /// True where a box comes into it.
    pub(super) fn meets(&self, other: &[f32; 4]) -> bool {
        other[0] < self.0[2] && other[1] < self.0[3] && other[2] > self.0[0] && other[3] > self.0[1]
    }
}

impl Lane<'_> {
    /// A place at random for a part: in the room, or in any.
    pub(super) fn anywhere(&mut self, i: usize, room: Option<usize>) -> Option<(usize, usize, Point)> {
        let shape = self.shape(i);
        let room = room.unwrap_or_else(|| self.rng.random_range(0..self.rooms.len()));
        let turn = self.rng.random_range(0..self.fences.problem.shapes[shape].turns.len().min(self.turns));
        let inner = self.inner(room, self.fences.number(shape, turn))?;
        let at = inner.min + Vec2::new(self.rng.random::<f64>() * inner.width(), self.rng.random::<f64>() * inner.height());
        Some((room, turn, at))
    }

    /// What it costs to have part `i` there; no more is told than that it is `bound` or more.
    pub(super) fn price(&mut self, i: usize, room: usize, turned: usize, at: Point, bound: f64) -> f64 {
        self.priced += 1;
        let n = self.pieces.len();
        let weights = &self.weights[i * n..(i + 1) * n];
        let (bound, let_be) = (bound.min(f64::from(f32::MAX)) as f32, self.let_be as f32);
        let near = Near::round(at, self.fences.size(turned), self.fences.reach());
        let mut sum = 0.0_f32;
        let members = &mut self.by_room[room];
        for k in 0..members.len() {
            let j = members[k] as usize;
            // Most lie nowhere near.
            if !near.meets(&self.boxes[j]) || j == i {
                continue;
            }
            let depth = self.fences.between(self.turned[j], turned).quick((at - self.pieces[j].at).to_point());
            if depth > let_be {
                sum += weights[j] * depth;
                if sum >= bound {
                    // What has stood in the way will again: it is asked sooner next time.
                    members.swap(k, k / 2);
                    return f64::from(sum);
                }
            }
        }
        for wall in self.fences.walls(self.rooms[room].kind, turned) {
            let depth = wall.quick(at);
            if depth > let_be {
                sum += self.walls[i] * depth;
            }
        }
        f64::from(sum)
    }

    /// The ways out of the deepest overlaps at a place: depth and way, and how many. Which are the deepest is asked in a hurry, and
    /// of these alone how deep they are exactly.
    fn ways_out(&self, i: usize, room: usize, turned: usize, at: Point) -> ([(f64, Vec2); DEEPEST], usize) {
        let mut deep: [(f32, Option<(&Fence, Point)>); DEEPEST] = [(0.0, None); DEEPEST];
        let mut add = |weighs: f32, fence, by| {
            if let Some(place) = deep.iter().position(|d| weighs > d.0) {
                deep[place..].rotate_right(1);
                deep[place] = (weighs, Some((fence, by)));
            }
        };
        let (n, let_be) = (self.pieces.len(), self.let_be as f32);
        let near = Near::round(at, self.fences.size(turned), self.fences.reach());
        for j in self.by_room[room].iter().map(|j| *j as usize) {
            if near.meets(&self.boxes[j]) && j != i {
                let (fence, by) = (self.fences.between(self.turned[j], turned), (at - self.pieces[j].at).to_point());
                let depth = fence.quick(by);
                if depth > let_be {
                    add(self.weights[i * n + j] * depth, fence, by);
                }
            }
        }
        for wall in self.fences.walls(self.rooms[room].kind, turned) {
            let depth = wall.quick(at);
            if depth > let_be {
                add(self.walls[i] * depth, wall, at);
            }
        }
        let mut found = [(0.0, Vec2::ZERO); DEEPEST];
        let mut count = 0;
        for out in deep.iter().filter_map(|d| d.1).filter_map(|(fence, by)| fence.depth(by)) {
            found[count] = out;
            count += 1;
        }
        (found, count)
    }

    /// From a place along the ways out as long as it gets better.
    pub(super) fn refined(&mut self, i: usize, room: usize, turned: usize, mut at: Point, mut price: f64) -> (Point, f64) {
        let Some(inner) = self.inner(room, turned) else { return (at, price) };
        for _ in 0..REFINE {
            if price <= 0.0 {
                break;
            }
            let (ways, count) = self.ways_out(i, room, turned, at);
            let mut tries = [Vec2::ZERO; TRIES];
            let mut n = 0;
            let mut add = |by: Vec2| {
                tries[n] = by;
                n += 1;
            };
            for (k, (depth, way)) in ways[..count].iter().enumerate() {
                let out = *way / depth.max(1e-12);
                add(*way);
                // Straight along the sides, to the same edge.
                if out.x.abs() > 0.2 && out.y.abs() > 0.01 {
                    add(Vec2::new(depth / out.x, 0.0));
                }
                if out.y.abs() > 0.2 && out.x.abs() > 0.01 {
                    add(Vec2::new(0.0, depth / out.y));
                }
                for (other_depth, other) in &ways[k + 1..count] {
                    let b = *other / other_depth.max(1e-12);
                    let cross = out.cross(b);
                    // To where both edges cross.
                    if cross.abs() > 0.05 {
                        add(Vec2::new(depth * b.y - other_depth * out.y, other_depth * out.x - depth * b.x) / cross);
                    }
                }
            }
            let mut best = (price - 1e-6, at);
            for by in &tries[..n] {
                let to = clamped(at + *by, inner);
                let p = self.price(i, room, turned, to, best.0);
                if p < best.0 {
                    best = (p, to);
                }
            }
            if best.1 == at {
                break;
            }
            (price, at) = best;
        }
        (at, price)
    }

    /// Moves one part to the best place that is found for it.
    pub(super) fn shift(&mut self, i: usize) {
        let p = self.pieces[i];
        let here = self.price(i, p.room, self.turned[i], p.at, f64::INFINITY);
        if here <= 0.0 {
            return;
        }
        let shape = self.shape(i);
        let turns = self.fences.problem.shapes[shape].turns.len().min(self.turns);
        let mut best: Option<(f64, usize, usize, Point)> = None;
        for n in 0..WIDE + NEAR {
            let place = if n < WIDE {
                let own = self.rooms.len() > 1 && self.rng.random_bool(0.5);
                self.anywhere(i, own.then_some(p.room))
            } else {
                let turn = if self.rng.random_bool(0.3) { self.rng.random_range(0..turns) } else { p.turn };
                let reach = self.size(i, p.turn) * 0.35;
                let by = Vec2::new((self.rng.random::<f64>() * 2.0 - 1.0) * reach.x, (self.rng.random::<f64>() * 2.0 - 1.0) * reach.y);
                self.inner(p.room, self.fences.number(shape, turn)).map(|inner| (p.room, turn, clamped(p.at + by, inner)))
            };
            let Some((room, turn, at)) = place else { continue };
            let bound = best.map_or(f64::INFINITY, |b| b.0);
            let price = self.price(i, room, self.fences.number(shape, turn), at, bound);
            if price < bound {
                best = Some((price, room, turn, at));
            }
        }
        let (at, price) = self.refined(i, p.room, self.turned[i], p.at, here);
        let mut to = (price, p.room, p.turn, at);
        if let Some((price, room, turn, at)) = best {
            let (at, price) = self.refined(i, room, self.fences.number(shape, turn), at, price);
            if price < to.0 {
                to = (price, room, turn, at);
            }
        }
        if to.0 < here - 1e-6 {
            self.lay(i, to.1, to.2, to.3);
        }
    }

    pub(super) fn lay(&mut self, i: usize, room: usize, turn: usize, at: Point) {
        let was = self.pieces[i].room;
        if was != room {
            self.by_room[was].retain(|j| *j as usize != i);
            self.by_room[room].push(i as u32);
        }
        self.turned[i] = self.fences.number(self.shape(i), turn);
        self.pieces[i] = Piece { room, turn, at, ..self.pieces[i] };
        self.lies(i);
    }
}

//! All pairs: what overlaps, what that weighs, and pushing and sliding at the end.

use super::moves::Near;
use super::{EXACT, Lane, Piece, clamped};
use crate::geometry::Vec2;

/// What the weights of overlapping pairs grow by, the shallowest and the deepest, and what the others fall by.
const RAISE: (f64, f64) = (1.05, 1.5);
const DECAY: f32 = 0.95;
/// Rounds of pushing apart at the end.
const PUSHES: usize = 400;

impl Lane<'_> {
    /// Every pair that overlaps by more than is let be, with its depth and the way out of the first; walls have the number of no
    /// part. And the sum of all.
    pub(super) fn overlaps(&self) -> (Vec<(usize, usize, f64, Vec2)>, f64) {
        let mut pairs = Vec::new();
        let n = self.pieces.len();
        for (room, members) in self.by_room.iter().enumerate() {
            for (k, i) in members.iter().enumerate() {
                let i = *i as usize;
                let p = self.pieces[i];
                let near = Near::round(p.at, self.fences.size(self.turned[i]), self.fences.reach());
                for j in &members[k + 1..] {
                    let j = *j as usize;
                    if !near.meets(&self.boxes[j]) {
                        continue;
                    }
                    let by = (p.at - self.pieces[j].at).to_point();
                    let fence = self.fences.between(self.turned[j], self.turned[i]);
                    if fence.may_hold(by)
                        && let Some((depth, way)) = fence.depth(by)
                        && depth > self.let_be
                    {
                        pairs.push((i, j, depth, way));
                    }
                }
                for wall in self.fences.walls(self.rooms[room].kind, self.turned[i]) {
                    if wall.may_hold(p.at)
                        && let Some((depth, way)) = wall.depth(p.at)
                        && depth > self.let_be
                    {
                        pairs.push((i, n, depth, way));
                    }
                }
            }
        }
        let total = pairs.iter().map(|p| p.2).sum();
        (pairs, total)
    }

    pub(super) fn weigh(&mut self, pairs: &[(usize, usize, f64, Vec2)]) {
        let deepest = pairs.iter().map(|p| p.2).fold(0.0, f64::max);
        let n = self.pieces.len();
        self.weights.iter_mut().chain(&mut self.walls).filter(|w| **w > 1.0).for_each(|w| *w = (*w * DECAY).max(1.0));
        for (i, j, depth, _) in pairs {
            // What has just been lowered is raised from where it was.
            let by = ((RAISE.0 + (RAISE.1 - RAISE.0) * depth / deepest) / f64::from(DECAY)) as f32;
            if *j == n {
                self.walls[*i] *= by;
            } else {
                self.weights[i * n + j] *= by;
                self.weights[j * n + i] *= by;
            }
        }
    }

    /// Pushes apart, both of a pair by half, what overlaps by no more than is let be; false where that does not come to an end,
    /// and everything is where it was.
    pub(super) fn pushed_apart(&mut self) -> bool {
        let (was, let_be) = (self.pieces.clone(), self.let_be);
        self.let_be = EXACT;
        let n = self.pieces.len();
        let mut done = false;
        for _ in 0..PUSHES {
            let (pairs, _) = self.overlaps();
            if pairs.is_empty() {
                done = true;
                break;
            }
            for (i, j, depth, way) in pairs {
                // A hair more than needed, so that it ends.
                let way = way * (1.0 + EXACT / depth);
                let halves = if j == n { [(i, way), (i, Vec2::ZERO)] } else { [(i, way / 2.0), (j, -way / 2.0)] };
                for (k, by) in halves {
                    if let Some(inner) = self.inner(self.pieces[k].room, self.turned[k]) {
                        self.pieces[k].at = clamped(self.pieces[k].at + by, inner);
                        self.lies(k);
                    }
                }
            }
        }
        self.let_be = let_be;
        if !done {
            self.pieces = was;
            (0..n).for_each(|i| self.lies(i));
        }
        done
    }

    /// Slides every part left and down until it touches, as long as that moves anything.
    pub(crate) fn settle(&mut self, passes: usize) {
        for _ in 0..passes {
            let mut moved = 0.0;
            for way in [Vec2::new(-1.0, 0.0), Vec2::new(0.0, -1.0)] {
                let mut order: Vec<usize> = (0..self.pieces.len()).collect();
                let along = |p: &Piece| -(way.x * p.at.x + way.y * p.at.y);
                order.sort_by(|a, b| along(&self.pieces[*a]).total_cmp(&along(&self.pieces[*b])));
                for i in order {
                    let by = self.free_way(i, way);
                    if by > EXACT {
                        self.pieces[i].at += way * by;
                        self.lies(i);
                        moved += by;
                    }
                }
            }
            if moved < 0.01 {
                break;
            }
        }
    }

    /// How far a part may slide along a side of its room, mm.
    pub(super) fn free_way(&self, i: usize, way: Vec2) -> f64 {
        let p = self.pieces[i];
        let Some(inner) = self.inner(p.room, self.turned[i]) else { return 0.0 };
        let far = if way.x < 0.0 { p.at.x - inner.min.x } else { p.at.y - inner.min.y };
        let mut free = far.max(0.0);
        for j in &self.by_room[p.room] {
            let j = *j as usize;
            if j != i && free > 0.0 {
                let by = (p.at - self.pieces[j].at).to_point();
                free = free.min(self.fences.between(self.turned[j], self.turned[i]).free_way(by, way, free));
            }
        }
        self.fences.walls(self.rooms[p.room].kind, self.turned[i]).fold(free, |free, wall| wall.free_way(p.at, way, free))
    }
}

//! Pairs: a part and the same turned by half or mirrored, which goes round it; and their lattices by rows.

use super::rows::{self, Cell};
use super::{Depth, Lattice, Pose};
use crate::geometry::{Point, Vec2};
use crate::nofit::{NoFit, Oriented};

/// A pair of parts whose second goes round the first.
pub(super) struct Pair {
    base: (Pose, Vec2),
    partner: (Pose, Vec2),
    own: Vec<(Point, Point)>,
    between: Vec<(Point, Point)>,
    /// Where each edge of `between` begins on the way round, and how long that is.
    begins: Vec<f64>,
    length: f64,
}

/// A pair's lattice: how far round the second lies, and the direction of its rows.
#[derive(Clone, Copy)]
pub(super) struct Rowed {
    round: f64,
    direction: f64,
    pub(super) cell: Cell,
}

pub(super) fn edges(region: &NoFit) -> impl Iterator<Item = (Point, Point)> + '_ {
    region.rings.iter().flat_map(|r| (0..r.len()).map(move |i| (r[i], r[(i + 1) % r.len()])))
}

impl Pair {
    pub(super) fn new(base: &Oriented, partner: &Oriented) -> Self {
        let region = |a: &Oriented, b: &Oriented| NoFit::new(a.grown(), b);
        let mut own: Vec<_> = edges(&region(base, base)).collect();
        if base.mirrored != partner.mirrored {
            // Turned by half it is the same region; mirrored it is another.
            own.extend(edges(&region(partner, partner)));
        }
        let between: Vec<_> = edges(&region(base, partner)).collect();
        let mut length = 0.0;
        let mut begins = Vec::with_capacity(between.len());
        for (from, to) in &between {
            begins.push(length);
            length += from.distance(*to);
        }
        let pose = |o: &Oriented| ((o.angle, o.mirrored), o.shift);
        Self { base: pose(base), partner: pose(partner), own, between, begins, length }
    }

    /// About so many ways for the second to lie, all corners of the way round among them: there two sides are flush.
    pub(super) fn offsets(&self, many: usize) -> Vec<f64> {
        let step = self.length / many as f64;
        let along = |(n, e): (usize, &(Point, Point))| {
            let (begin, length) = (self.begins[n], e.0.distance(e.1));
            let parts = (length / step).ceil().max(1.0) as usize;
            (0..parts).map(move |k| begin + length * k as f64 / parts as f64)
        };
        self.between.iter().enumerate().flat_map(along).collect()
    }

    /// So many directions evenly, and those in which a row's parts touch with a corner.
    pub(super) fn directions(&self, many: usize) -> Vec<f64> {
        let even = (0..many).map(|k| std::f64::consts::PI * k as f64 / many as f64);
        let corners = self.own.iter().map(|e| e.0.to_vec2().atan2()).filter(|a| *a >= 0.0);
        even.chain(corners).collect()
    }

    /// Where the second lies, so far round.
    fn offset(&self, round: f64) -> Vec2 {
        let round = round.rem_euclid(self.length.max(1e-9));
        let n = self.begins.partition_point(|b| *b <= round).max(1) - 1;
        let (from, to) = self.between[n];
        let length = from.distance(to);
        from.lerp(to, if length > 0.0 { (round - self.begins[n]) / length } else { 0.0 }).to_vec2()
    }

    pub(super) fn rows(&self, round: f64, direction: f64) -> Vec<Rowed> {
        let by = self.offset(round);
        let to = |e: &(Point, Point)| (e.0 - by, e.1 - by);
        let back = |e: &(Point, Point)| ((by - e.0.to_vec2()).to_point(), (by - e.1.to_vec2()).to_point());
        let all = self.own.iter().copied().chain(self.between.iter().map(to)).chain(self.between.iter().map(back));
        rows::along(all, direction).into_iter().map(|cell| Rowed { round, direction, cell }).collect()
    }

    /// Goes on to denser ones as long as there are any near by.
    pub(super) fn descended(&self, begun: Rowed, depth: &Depth) -> Rowed {
        let mut best = begun;
        let mut steps = (self.length / depth.offsets as f64 / 2.0, std::f64::consts::PI / depth.directions as f64 / 2.0);
        for _ in 0..9 {
            let (r, d) = (best.round, best.direction);
            for (round, direction) in [(r + steps.0, d), (r - steps.0, d), (r, d + steps.1), (r, d - steps.1)] {
                let found = self.rows(round, direction).into_iter().min_by(|a, b| a.cell.area.total_cmp(&b.cell.area));
                best = found.filter(|f| f.cell.area < best.cell.area).unwrap_or(best);
            }
            steps = (steps.0 / 2.0, steps.1 / 2.0);
        }
        best
    }

    pub(super) fn lattice(&self, r: &Rowed) -> Lattice {
        // From where a shape's box begins the drawing's origin lies by its shift.
        let motif = vec![self.base, (self.partner.0, self.offset(r.round) + self.partner.1)];
        Lattice { first: r.cell.first, second: r.cell.second, motif }
    }
}

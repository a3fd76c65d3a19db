//! Lattices by rows: a row of motifs as close as they go in some direction, and the next row as close as it goes above it.
//!
//! All that a row forbids to the next is what one motif forbids, repeated; its upper envelope over one period tells how high the next row
//! has to lie for each shift along the row. Direction, shift and the way the second part of a pair lies by the first are what is
//! searched: over all directions, then by descent.

use crate::geometry::{Point, Vec2};

/// Shifts that are looked at first.
const SHIFTS: usize = 48;
/// Halvings of a step of shifting, down to some millionths of the row's period.
const HALVINGS: usize = 15;
/// Shifts of one row that are kept, and multiples of the second vector that are looked at.
const KEPT: usize = 3;
const MULTIPLES: usize = 4;
/// Rounding, mm.
const ROUNDING: f64 = 1e-6;

/// Two vectors and the area between them, mm².
#[derive(Clone, Copy, Debug)]
pub(super) struct Cell {
    pub(super) area: f64,
    pub(super) first: Vec2,
    pub(super) second: Vec2,
}

/// A stretch of what a row forbids: from, height there, to, height there.
type Stretch = (f64, f64, f64, f64);

/// The rows along one direction, degrees apart from nothing: what is forbidden is given by its edges, which are the same turned by half.
pub(super) fn along(edges: impl Iterator<Item = (Point, Point)>, direction: f64) -> Vec<Cell> {
    let along = Vec2::from_angle(direction);
    let (mut period, mut highest) = (0.0_f64, 0.0_f64);
    let mut raised: Vec<Stretch> = Vec::new();
    for (p, q) in edges {
        let (p, q) = (p.to_vec2(), q.to_vec2());
        let (low, high) = (along.cross(p), along.cross(q));
        let (from, to) = (along.dot(p), along.dot(q));
        if (low > 0.0) != (high > 0.0) {
            period = period.max(from + (to - from) * (-low / (high - low)));
        }
        if low > 0.0 || high > 0.0 {
            highest = highest.max(low).max(high);
            raised.push(if from <= to { (from, low, to, high) } else { (to, high, from, low) });
        }
    }
    if period < ROUNDING || highest < ROUNDING {
        return Vec::new();
    }
    period += ROUNDING;
    let row = Row::new(&raised, period);
    let mut heights: Vec<f64> = vec![0.0; SHIFTS];
    row.heights(&mut heights);
    let at = |i: usize| (i as f64 + 0.5) * period / SHIFTS as f64;
    let mut dents: Vec<usize> = (0..SHIFTS)
        .filter(|i| heights[*i] <= heights[(i + 1) % SHIFTS] && heights[*i] < heights[(i + SHIFTS - 1) % SHIFTS] + ROUNDING)
        .collect();
    dents.sort_by(|a, b| heights[*a].total_cmp(&heights[*b]));
    dents.truncate(KEPT);
    let mut found: Vec<Cell> = Vec::new();
    for dent in dents {
        let (shift, height) = row.dent(at(dent), heights[dent], period / SHIFTS as f64);
        let height = height + ROUNDING;
        // Rows further on have to clear the first too.
        let clear = |k: usize| {
            let up = height * k as f64;
            up >= highest || row.height(shift * k as f64) <= up + ROUNDING
        };
        if height > ROUNDING && (2..=MULTIPLES).all(clear) {
            let second = along * shift + along.turn_90() * height;
            if found.iter().all(|f| (f.second - second).hypot() > 1e-3) {
                found.push(Cell { area: period * height, first: along * period, second });
            }
        }
    }
    found
}

/// What a row forbids above itself, over one period.
struct Row {
    stretches: Vec<Stretch>,
    period: f64,
}

impl Row {
    fn new(raised: &[Stretch], period: f64) -> Self {
        let mut stretches = Vec::with_capacity(raised.len() * 3);
        for (from, low, to, high) in raised {
            let mut k = (from / period).floor();
            while k * period < *to {
                stretches.push((from - k * period, *low, to - k * period, *high));
                k += 1.0;
            }
        }
        Self { stretches, period }
    }

    /// Heights at the middles of so many even shares of the period.
    fn heights(&self, out: &mut [f64]) {
        let step = self.period / out.len() as f64;
        for (from, low, to, high) in &self.stretches {
            let first = (from / step - 0.5).ceil().max(0.0) as usize;
            let last = (to / step - 0.5).floor();
            if last < 0.0 {
                continue;
            }
            let rise = (high - low) / (to - from).max(1e-12);
            for (i, h) in out.iter_mut().enumerate().take(last as usize + 1).skip(first) {
                *h = h.max(low + rise * ((i as f64 + 0.5) * step - from));
            }
        }
    }

    /// The height at one place.
    fn height(&self, at: f64) -> f64 {
        let at = at.rem_euclid(self.period);
        self.stretches.iter().map(|s| height(s, at)).fold(0.0, f64::max)
    }

    /// The lowest place by one, no further away than `reach`, and its height.
    fn dent(&self, at: f64, high: f64, reach: f64) -> (f64, f64) {
        let (from, to) = (at - reach, at + reach);
        let mut near: Vec<Stretch> = Vec::new();
        for by in [-self.period, 0.0, self.period] {
            let moved = self.stretches.iter().map(|s| (s.0 + by, s.1, s.2 + by, s.3));
            near.extend(moved.filter(|s| s.0 <= to && s.2 >= from));
        }
        let height = |at: f64| near.iter().map(|s| height(s, at)).fold(0.0, f64::max);
        let mut best = (at, high);
        // Corners of the envelope that are corners of its stretches, a little to each side, where it may jump.
        let ends = near.iter().flat_map(|s| [s.0, s.2]).filter(|s| *s > from && *s < to);
        for place in ends.flat_map(|s| [s - ROUNDING, s + ROUNDING]) {
            let h = height(place);
            if h < best.1 - 1e-9 {
                best = (place, h);
            }
        }
        let mut step = reach / 2.0;
        for _ in 0..HALVINGS {
            for place in [best.0 - step, best.0 + step] {
                let h = height(place);
                if h < best.1 - 1e-9 && place > from && place < to {
                    best = (place, h);
                }
            }
            step /= 2.0;
        }
        best
    }
}

fn height((from, low, to, high): &Stretch, at: f64) -> f64 {
    if at < *from || at > *to { 0.0 } else { low + (high - low) * (at - from) / (to - from).max(1e-12) }
}

//! Changes that shorten a tour, one at a time: a run of one to three stops goes elsewhere, as it is or turned round (Or,
//! 1976), or a stretch is walked backward (Croes, 1958). Only stops that lie near each other are brought together. Every
//! change keeps each contour after those inside it.

use super::pins::Pins;
use super::tour::{Ends, Entry, Metric, Stop};
use crate::geometry::Point;
use rstar::RTree;
use rstar::primitives::GeomWithData;

/// Pairs of stops looked at before a search stops, so that its time is bounded.
const MOST_TRIES: usize = 1_500_000;
/// Near neighbours weighed for each stop.
const NEIGHBOURS: usize = 8;
/// Stretches longer than this are not walked backward.
const LONGEST_TURN: usize = 1000;
/// What gains less than this, mm, is no change.
const LEAST_GAIN: f64 = 1e-7;

/// A tour that is being shortened.
pub(super) struct Search<'a> {
    stops: &'a [Stop],
    ends: Ends,
    pins: &'a Pins,
    metric: Metric,
    /// Stop and entry, in order.
    pub(super) order: Vec<(usize, usize)>,
    place: Vec<usize>,
    near: Vec<Vec<usize>>,
    /// Stops whose neighbourhood is to be looked at, and whether each waits there.
    queue: Vec<usize>,
    waits: Vec<bool>,
    tries: usize,
    /// The changes since the last kick.
    made: Vec<Change>,
}

/// A change of the order.
#[derive(Clone, Copy, Debug)]
enum Change {
    /// The run from..to moves so that it begins at `at` (an index after its removal).
    Shift { from: usize, to: usize, at: usize },
    /// The run from..to is walked backward.
    Reverse { from: usize, to: usize },
}

impl Change {
    /// Makes the change; gives the range of places that changed.
    fn apply(self, order: &mut [(usize, usize)]) -> (usize, usize) {
        match self {
            Self::Shift { from, to, at } if at < from => {
                order[at..to].rotate_right(to - from);
                (at, to)
            }
            Self::Shift { from, to, at } => {
                order[from..at + (to - from)].rotate_left(to - from);
                (from, at + (to - from))
            }
            Self::Reverse { from, to } => {
                order[from..to].reverse();
                (from, to)
            }
        }
    }

    /// What takes it back.
    fn inverse(self) -> Self {
        match self {
            Self::Shift { from, to, at } => Self::Shift { from: at, to: at + (to - from), at: from },
            Self::Reverse { .. } => self,
        }
    }
}

impl<'a> Search<'a> {
    pub(super) fn new(stops: &'a [Stop], ends: Ends, order: Vec<(usize, usize)>, pins: &'a Pins, metric: Metric) -> Self {
        let mut place = vec![0; stops.len()];
        order.iter().enumerate().for_each(|(i, o)| place[o.0] = i);
        let (near, waits) = (neighbours(stops, &order, metric), vec![false; stops.len()]);
        Self { stops, ends, pins, metric, order, place, near, queue: Vec::new(), waits, tries: 0, made: Vec::new() }
    }

    /// True when it has looked at as much as it may.
    pub(super) fn spent(&self) -> bool {
        self.tries >= MOST_TRIES
    }

    /// Shortens the tour until nothing more is gained.
    pub(super) fn shorten_all(&mut self) {
        let all: Vec<usize> = self.order.iter().rev().map(|o| o.0).collect();
        all.into_iter().for_each(|stop| self.look_at(stop));
        self.shorten();
        self.made.clear();
    }

    /// The runs from..to and to..gap change places; gives how much longer the tour is.
    pub(super) fn kick(&mut self, from: usize, to: usize, gap: usize) -> f64 {
        self.made.clear();
        let before = from.wrapping_sub(1);
        let old = self.hop(before, from) + self.hop(to - 1, to) + self.hop(gap - 1, gap);
        let new = self.hop(before, to) + self.hop(gap - 1, from) + self.hop(to - 1, gap);
        self.make(Change::Shift { from, to, at: gap - (to - from) });
        new - old
    }

    /// Takes back all changes since the last kick, and the kick.
    pub(super) fn take_back(&mut self) {
        while let Some(change) = self.made.pop() {
            let (from, to) = change.inverse().apply(&mut self.order);
            self.renumber(from, to);
        }
    }

    /// The tour as it was.
    pub(super) fn put_back(&mut self, order: Vec<(usize, usize)>) {
        self.order = order;
        self.made.clear();
        self.renumber(0, self.order.len());
    }

    fn renumber(&mut self, from: usize, to: usize) {
        for i in from..to {
            self.place[self.order[i].0] = i;
        }
    }

    fn look_at(&mut self, stop: usize) {
        if !self.waits[stop] {
            self.waits[stop] = true;
            self.queue.push(stop);
        }
    }

    /// Makes a change; the stops at its seams are to be looked at.
    fn make(&mut self, change: Change) {
        let (from, to) = change.apply(&mut self.order);
        self.renumber(from, to);
        let seams = match change {
            Change::Shift { from: f, to: t, at } => [at.min(t), at, at + (t - f), f],
            Change::Reverse { .. } => [from, to, from, to],
        };
        for at in seams.into_iter().chain([from, to]) {
            for i in [at.wrapping_sub(1), at] {
                if let Some(stop) = self.order.get(i).map(|o| o.0) {
                    self.look_at(stop);
                }
            }
        }
        self.made.push(change);
    }

    /// Shortens what the changes before have upset; gives what was gained, mm.
    pub(super) fn shorten(&mut self) -> f64 {
        let mut gained = 0.0;
        while let Some(stop) = self.queue.pop() {
            self.waits[stop] = false;
            if self.order.len() < 2 {
                continue;
            }
            let mut k = 0;
            while k < self.near[stop].len() && !self.spent() {
                self.tries += 1;
                let (i, j) = (self.place[stop], self.place[self.near[stop][k]]);
                // A new hop that is longer than all that it could do away with gains nothing, nor do those to stops still further off.
                if self.metric.hop(self.entry(i).arrive, self.entry(j).arrive) > self.longest_hop(i) {
                    break;
                }
                match self.better(i, j) {
                    Some((gain, change)) => {
                        gained += gain;
                        self.make(change);
                        k = 0;
                    }
                    None => k += 1,
                }
            }
        }
        gained
    }

    fn entry(&self, i: usize) -> Entry {
        let (stop, entry) = self.order[i];
        self.stops[stop].entries[entry]
    }

    /// Travel from place i to place j of the order; i may be -1 for where it comes from (given as `usize::MAX`), and j past the end
    /// for where it goes when all is done.
    fn hop(&self, i: usize, j: usize) -> f64 {
        let to = self.order.get(j).map(|(stop, entry)| self.stops[*stop].entries[*entry].arrive).or(self.ends.to);
        let from = if i == usize::MAX { self.ends.from } else { self.entry(i).leave };
        to.map_or(0.0, |to| self.metric.hop(from, to))
    }

    /// The longest of the hops that a change of the run at i takes away.
    fn longest_hop(&self, i: usize) -> f64 {
        (i..(i + 4).min(self.order.len() + 1)).map(|k| self.hop(k.wrapping_sub(1), k)).fold(0.0, f64::max)
    }

    /// A change that brings the stop at i next to the one at j and shortens the tour, with what it gains.
    fn better(&self, i: usize, j: usize) -> Option<(f64, Change)> {
        self.elsewhere(i, j).or_else(|| {
            // Behind the nearer of the two up to the further, or from the nearer to before the further: either way they meet.
            let (low, high) = (i.min(j), i.max(j));
            self.backward(low + 1, high + 1).or_else(|| self.backward(low, high))
        })
    }

    /// A run that begins or ends with the stop at i goes next to the one at j.
    fn elsewhere(&self, i: usize, j: usize) -> Option<(f64, Change)> {
        let n = self.order.len();
        for size in 1..=3_usize {
            let (from, to) = (i, i + size);
            if to > n || (from..to).contains(&j) {
                continue;
            }
            let closes = self.hop(from.wrapping_sub(1), from) + self.hop(to - 1, to) - self.hop(from.wrapping_sub(1), to);
            // Behind j, then before j.
            for gap in [j + 1, j] {
                if gap >= from && gap <= to {
                    continue;
                }
                let before = gap.wrapping_sub(1);
                let opens = self.hop(before, from) + self.hop(to - 1, gap) - self.hop(before, gap);
                if closes - opens > LEAST_GAIN {
                    let at = if gap > to { gap - size } else { gap };
                    if self.may_shift(from, to, gap) {
                        return Some((closes - opens, Change::Shift { from, to, at }));
                    }
                }
            }
        }
        None
    }

    /// The stretch from..to walked backward.
    fn backward(&self, from: usize, to: usize) -> Option<(f64, Change)> {
        if to < from + 2 || to > self.order.len() {
            return None;
        }
        let before = from.wrapping_sub(1);
        let old = self.hop(before, from) + self.hop(to - 1, to);
        let new = self.hop(before, to - 1) + self.hop(from, to);
        let gains = old - new > LEAST_GAIN && self.closed_within(from, to) && self.may_reverse(from, to);
        gains.then_some((old - new, Change::Reverse { from, to }))
    }

    /// Reversal keeps the hops inside only where contours end where they start.
    fn closed_within(&self, from: usize, to: usize) -> bool {
        to - from <= LONGEST_TURN
            && (from..to).all(|k| {
                let e = self.entry(k);
                e.arrive == e.leave
            })
    }

    /// True when the run from..to may go to before `gap`.
    pub(super) fn may_shift(&self, from: usize, to: usize, gap: usize) -> bool {
        if !self.pins.are_beyond(from.min(gap), to.max(gap)) {
            return false;
        }
        let outer_in =
            |k: usize, range: std::ops::Range<usize>| self.stops[self.order[k].0].after.iter().any(|o| range.contains(&self.place[*o]));
        if gap > to {
            // Moving back: none of the passed may be around one of these.
            (from..to).all(|k| !outer_in(k, to..gap))
        } else {
            // Moving forward: none of the passed may lie inside one of these.
            (gap..from).all(|k| !outer_in(k, from..to))
        }
    }

    fn may_reverse(&self, from: usize, to: usize) -> bool {
        self.pins.are_beyond(from, to)
            && (from..to).all(|k| self.stops[self.order[k].0].after.iter().all(|o| !(from..to).contains(&self.place[*o])))
    }
}

fn neighbours(stops: &[Stop], order: &[(usize, usize)], metric: Metric) -> Vec<Vec<usize>> {
    let at = |(stop, entry): (usize, usize)| stops[stop].entries[entry].arrive;
    let tree: RTree<GeomWithData<[f64; 2], usize>> =
        RTree::bulk_load(order.iter().map(|o| GeomWithData::new([at(*o).x, at(*o).y], o.0)).collect());
    let mut near = vec![Vec::new(); stops.len()];
    for o in order {
        let p = at(*o);
        let far = |g: &&GeomWithData<[f64; 2], usize>| g.data != o.0 && p.distance(Point::new(g.geom()[0], g.geom()[1])) >= metric.least;
        near[o.0] = tree.nearest_neighbor_iter([p.x, p.y]).filter(far).map(|g| g.data).take(NEIGHBOURS).collect();
    }
    near
}

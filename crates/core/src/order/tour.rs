//! A short tour through contours that must not be cut before what lies inside them.
//!
//! First the nearest contour that may be cut is taken each time; then moves of one to three neighbours (Or, 1976) and
//! reversals (Croes, 1958) between near neighbours shorten the tour as long as they keep every contour after those inside
//! it; in between, for the order as it stands, the best start on every contour is found exactly by dynamic programming.

use crate::geometry::Point;
use rstar::RTree;
use rstar::primitives::GeomWithData;

/// A way to cut a contour: where the head arrives, where it leaves.
#[derive(Clone, Copy, Debug)]
pub(super) struct Entry {
    pub(super) arrive: Point,
    pub(super) leave: Point,
    pub(super) share: f64,
}

/// A contour to visit.
#[derive(Clone, Debug)]
pub(super) struct Stop {
    /// The ways to cut it, at least one.
    pub(super) entries: Vec<Entry>,
    /// The stop that has to come later: the contour around this one.
    pub(super) after: Option<usize>,
}

/// The order found: stop and entry, and the travel between them in mm.
pub(super) struct Tour {
    pub(super) order: Vec<(usize, usize)>,
    pub(super) travel: f64,
}

/// Moves looked at before the search stops, so that its time is bounded.
const MOST_TRIES: usize = 1_500_000;
/// Near neighbours weighed for each stop.
const NEIGHBOURS: usize = 8;

/// Finds a tour from `home`.
pub(super) fn find(stops: &[Stop], home: Point) -> Tour {
    let mut order = nearest_first(stops, home);
    let mut tries = 0;
    best_entries(stops, &mut order, home);
    for _ in 0..4 {
        let before = length(stops, &order, home);
        shorten(stops, &mut order, home, &mut tries);
        best_entries(stops, &mut order, home);
        if before - length(stops, &order, home) < 1e-6 || tries > MOST_TRIES {
            break;
        }
    }
    let travel = length(stops, &order, home);
    Tour { order, travel }
}

fn length(stops: &[Stop], order: &[(usize, usize)], home: Point) -> f64 {
    let mut at = home;
    let mut sum = 0.0;
    for (stop, entry) in order {
        let e = stops[*stop].entries[*entry];
        sum += at.distance(e.arrive);
        at = e.leave;
    }
    sum
}

type Place = GeomWithData<[f64; 2], (usize, usize)>;

/// Takes the nearest stop that nothing still waits inside of.
fn nearest_first(stops: &[Stop], home: Point) -> Vec<(usize, usize)> {
    let mut waiting = vec![0_usize; stops.len()];
    for after in stops.iter().filter_map(|s| s.after) {
        waiting[after] += 1;
    }
    let places =
        |stop: usize| stops[stop].entries.iter().enumerate().map(move |(e, entry)| Place::new([entry.arrive.x, entry.arrive.y], (stop, e)));
    let mut open: RTree<Place> = RTree::bulk_load((0..stops.len()).filter(|i| waiting[*i] == 0).flat_map(places).collect());
    let mut order = Vec::with_capacity(stops.len());
    let mut at = home;
    while let Some(next) = open.nearest_neighbor([at.x, at.y]).map(|p| p.data) {
        for place in places(next.0) {
            open.remove(&place);
        }
        order.push(next);
        at = stops[next.0].entries[next.1].leave;
        if let Some(outer) = stops[next.0].after {
            waiting[outer] -= 1;
            if waiting[outer] == 0 {
                places(outer).for_each(|p| open.insert(p));
            }
        }
    }
    order
}

/// For the order as it stands, the entries with the least travel: shortest path through layers, one a stop.
fn best_entries(stops: &[Stop], order: &mut [(usize, usize)], home: Point) {
    let mut cost: Vec<f64> = vec![0.0];
    let mut leaving = vec![home];
    let mut from: Vec<Vec<usize>> = Vec::with_capacity(order.len());
    for (stop, _) in order.iter() {
        let entries = &stops[*stop].entries;
        let mut next = Vec::with_capacity(entries.len());
        let mut came = Vec::with_capacity(entries.len());
        for e in entries {
            let (mut best, mut by) = (f64::INFINITY, 0);
            for (k, (c, p)) in cost.iter().zip(&leaving).enumerate() {
                let total = c + p.distance(e.arrive);
                if total < best {
                    (best, by) = (total, k);
                }
            }
            next.push(best);
            came.push(by);
        }
        leaving = entries.iter().map(|e| e.leave).collect();
        cost = next;
        from.push(came);
    }
    let Some(mut k) = (0..cost.len()).min_by(|a, b| cost[*a].total_cmp(&cost[*b])) else { return };
    for i in (0..order.len()).rev() {
        order[i].1 = k;
        k = from[i][k];
    }
}

fn shorten(stops: &[Stop], order: &mut Vec<(usize, usize)>, home: Point, tries: &mut usize) {
    let n = order.len();
    if n < 3 {
        return;
    }
    let mut place = vec![0_usize; stops.len()];
    let renumber = |order: &[(usize, usize)], place: &mut [usize], from: usize, to: usize| {
        for i in from..to {
            place[order[i].0] = i;
        }
    };
    renumber(order, &mut place, 0, n);
    let near = neighbours(stops, order);
    let mut improved = true;
    while improved && *tries < MOST_TRIES {
        improved = false;
        for stop in 0..stops.len() {
            for other in &near[stop] {
                *tries += 1;
                let (i, j) = (place[stop], place[*other]);
                let run = Run { stops, order, place: &place, home };
                if let Some(change) = run.better(i, j) {
                    let (from, to) = change.apply(order);
                    renumber(order, &mut place, from, to);
                    improved = true;
                }
            }
        }
    }
}

fn neighbours(stops: &[Stop], order: &[(usize, usize)]) -> Vec<Vec<usize>> {
    let at = |(stop, entry): (usize, usize)| stops[stop].entries[entry].arrive;
    let tree: RTree<GeomWithData<[f64; 2], usize>> =
        RTree::bulk_load(order.iter().map(|o| GeomWithData::new([at(*o).x, at(*o).y], o.0)).collect());
    let mut near = vec![Vec::new(); stops.len()];
    for o in order {
        let p = at(*o);
        near[o.0] = tree.nearest_neighbor_iter([p.x, p.y]).map(|g| g.data).filter(|s| *s != o.0).take(NEIGHBOURS).collect();
    }
    near
}

/// A change of the order.
enum Change {
    /// The run from..to moves so that it begins at `at` (an index after its removal).
    Shift { from: usize, to: usize, at: usize },
    /// The run from..to is walked backward.
    Reverse { from: usize, to: usize },
}

impl Change {
    /// Makes the change; gives the range of places that changed.
    fn apply(&self, order: &mut [(usize, usize)]) -> (usize, usize) {
        match *self {
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
}

struct Run<'a> {
    stops: &'a [Stop],
    order: &'a [(usize, usize)],
    place: &'a [usize],
    home: Point,
}

impl Run<'_> {
    fn entry(&self, i: usize) -> Entry {
        let (stop, entry) = self.order[i];
        self.stops[stop].entries[entry]
    }
    /// Travel from place i to place j of the order; i may be -1 for home (given as usize::MAX), j may be past the end.
    fn hop(&self, i: usize, j: usize) -> f64 {
        if j >= self.order.len() {
            return 0.0;
        }
        let from = if i == usize::MAX { self.home } else { self.entry(i).leave };
        from.distance(self.entry(j).arrive)
    }

    /// A change that brings the stop at i next to the one at j and shortens the tour.
    fn better(&self, i: usize, j: usize) -> Option<Change> {
        const LEAST_GAIN: f64 = 1e-7;
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
                let opens = self.hop(before, from) + if gap < n { self.hop(to - 1, gap) } else { 0.0 } - self.hop(before, gap);
                if closes - opens > LEAST_GAIN {
                    let at = if gap > to { gap - size } else { gap };
                    if self.may_shift(from, to, gap) {
                        return Some(Change::Shift { from, to, at });
                    }
                }
            }
        }
        let (from, to) = if i < j { (i + 1, j + 1) } else { (j + 1, i + 1) };
        if to - from >= 2 {
            let old = self.hop(from - 1, from) + self.hop(to - 1, to);
            let tail = if to < n { self.entry(from).leave.distance(self.entry(to).arrive) } else { 0.0 };
            let new = self.entry(from - 1).leave.distance(self.entry(to - 1).arrive) + tail;
            if old - new > LEAST_GAIN && self.closed_within(from, to) && self.may_reverse(from, to) {
                return Some(Change::Reverse { from, to });
            }
        }
        None
    }

    /// Reversal keeps the hops inside only where contours end where they start.
    fn closed_within(&self, from: usize, to: usize) -> bool {
        to - from <= 1000
            && (from..to).all(|k| {
                let e = self.entry(k);
                e.arrive == e.leave
            })
    }

    fn may_shift(&self, from: usize, to: usize, gap: usize) -> bool {
        let outer_in =
            |k: usize, range: std::ops::Range<usize>| self.stops[self.order[k].0].after.is_some_and(|o| range.contains(&self.place[o]));
        if gap > to {
            // Moving back: none of the passed may be around one of these.
            (from..to).all(|k| !outer_in(k, to..gap))
        } else {
            // Moving forward: none of the passed may lie inside one of these.
            (gap..from).all(|k| !outer_in(k, from..to))
        }
    }

    fn may_reverse(&self, from: usize, to: usize) -> bool {
        (from..to).all(|k| self.stops[self.order[k].0].after.is_none_or(|o| !(from..to).contains(&self.place[o])))
    }
}

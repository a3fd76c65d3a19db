//! A short tour through contours that must not be cut before what lies inside them.
//!
//! First the nearest contour that may be cut is taken each time; then the changes of [`super::shorten`] make the tour
//! shorter as long as they keep every contour after those inside it; in between, for the order as it stands, the best start
//! on every contour is found exactly by dynamic programming. At last the tour is kicked: two runs of it that follow each
//! other change places, what that upset is shortened again, and the new tour stays if it is shorter (Martin, Otto and
//! Felten, "Large-step Markov chains for the traveling salesman problem", 1991).

use super::pins::Pins;
use super::shorten::Search;
use crate::geometry::Point;
use rand::rngs::SmallRng;
use rand::{Rng as _, SeedableRng};
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
    /// The stops that have to come later: of a hole, the cuts that free what is around it.
    pub(super) after: Vec<usize>,
}

/// What a hop costs: its length, and more where it ends nearer to where it began than it should, so that heat is spread.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Metric {
    /// Hops should be no shorter than this, mm.
    pub(super) least: f64,
}

/// A hop that is too short costs so many times what it lacks.
const TOO_NEAR: f64 = 25.0;

impl Metric {
    /// Cost of a hop, mm.
    pub(super) fn hop(self, from: Point, to: Point) -> f64 {
        let far = from.distance(to);
        far + TOO_NEAR * (self.least - far).max(0.0)
    }
}

/// Where the head comes from, and where it goes when all is done; `None` where something else follows.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Ends {
    pub(super) from: Point,
    pub(super) to: Option<Point>,
}

/// The order found: stop and entry, and the travel between them in mm.
pub(super) struct Tour {
    pub(super) order: Vec<(usize, usize)>,
    pub(super) travel: f64,
}

/// Kicks for each stop, and how many there are at most.
const KICKS: (usize, usize) = (6, 8000);
/// Few stops are kicked more often: about so many times a stop is moved in all, and this is the most.
const KICKS_OF_FEW: (usize, usize) = (20_000, 3000);
/// Runs that change places have no more stops than this.
const LONGEST_RUN: usize = 30;
/// Up to so many stops, the best starts are looked for after every kick.
const FEW: usize = 64;
/// How much longer a tour of few stops may be and still be followed, at first: this share of a hop.
const PATIENCE: f64 = 0.5;

/// Finds a tour between `ends` in which what is pinned has its place.
pub(super) fn find(stops: &[Stop], ends: Ends, pins: &Pins, metric: Metric) -> Tour {
    let mut order = pins.merged(stops, nearest_first(stops, ends, metric));
    best_entries(stops, &mut order, ends, metric);
    for _ in 0..4 {
        let before = length(stops, &order, ends, metric);
        let mut search = Search::new(stops, ends, order, pins, metric);
        search.shorten_all();
        let spent = search.spent();
        order = search.order;
        best_entries(stops, &mut order, ends, metric);
        if before - length(stops, &order, ends, metric) < 1e-6 || spent {
            break;
        }
    }
    let order = kicked(stops, ends, order, pins, metric);
    Tour::of(stops, order, ends, metric)
}

impl Tour {
    /// A tour in this order, each stop from where it is best.
    pub(super) fn of(stops: &[Stop], mut order: Vec<(usize, usize)>, ends: Ends, metric: Metric) -> Self {
        best_entries(stops, &mut order, ends, metric);
        let travel = length(stops, &order, ends, Metric::default());
        Self { order, travel }
    }
}

/// Two runs of a tour that follow each other: from..to and to..gap.
fn runs(n: usize, dice: &mut SmallRng) -> (usize, usize, usize) {
    let from = dice.random_range(0..n - 1);
    let to = from + dice.random_range(1..=LONGEST_RUN.min(n - 1 - from));
    (from, to, to + dice.random_range(1..=LONGEST_RUN.min(n - to)))
}

/// Kicks a tour and keeps what is shorter. Always the same for the same stops.
fn kicked(stops: &[Stop], ends: Ends, order: Vec<(usize, usize)>, pins: &Pins, metric: Metric) -> Vec<(usize, usize)> {
    let n = order.len();
    match n {
        0..2 => order,
        2..=FEW => kicked_few(stops, ends, order, pins, metric),
        _ => {
            let mut dice = SmallRng::seed_from_u64(n as u64);
            let mut search = Search::new(stops, ends, order, pins, metric);
            for _ in 0..(n * KICKS.0).min(KICKS.1) {
                if search.spent() {
                    break;
                }
                let (from, to, gap) = runs(n, &mut dice);
                if search.may_shift(from, to, gap) && search.kick(from, to, gap) - search.shorten() > -1e-9 {
                    search.take_back();
                }
            }
            search.order
        }
    }
}

/// The same for few stops: starts are chosen anew after each kick, and tours that are a little longer are followed too,
/// less and less so.
fn kicked_few(stops: &[Stop], ends: Ends, order: Vec<(usize, usize)>, pins: &Pins, metric: Metric) -> Vec<(usize, usize)> {
    let n = order.len();
    let mut dice = SmallRng::seed_from_u64(n as u64);
    let mut search = Search::new(stops, ends, order, pins, metric);
    let kicks = (n * KICKS.0).max((KICKS_OF_FEW.0 / n).min(KICKS_OF_FEW.1));
    let (mut now, mut best) = (length(stops, &search.order, ends, metric), search.order.clone());
    let mut least = now;
    for k in 0..kicks {
        if search.spent() {
            break;
        }
        let (from, to, gap) = runs(n, &mut dice);
        if !search.may_shift(from, to, gap) {
            continue;
        }
        let before = search.order.clone();
        search.kick(from, to, gap);
        best_entries(stops, &mut search.order, ends, metric);
        if k % 2 == 0 {
            search.shorten();
            best_entries(stops, &mut search.order, ends, metric);
        }
        let kicked = length(stops, &search.order, ends, metric);
        if kicked > now + least / n as f64 * PATIENCE * (kicks - k) as f64 / kicks as f64 {
            search.put_back(before);
            continue;
        }
        now = kicked;
        if now < least - 1e-9 {
            (least, best) = (now, search.order.clone());
        }
    }
    best
}

fn length(stops: &[Stop], order: &[(usize, usize)], ends: Ends, metric: Metric) -> f64 {
    let mut at = ends.from;
    let mut sum = 0.0;
    for (stop, entry) in order {
        let e = stops[*stop].entries[*entry];
        sum += metric.hop(at, e.arrive);
        at = e.leave;
    }
    sum + ends.to.map_or(0.0, |to| metric.hop(at, to))
}

type Place = GeomWithData<[f64; 2], (usize, usize)>;

/// Takes the nearest stop that nothing still waits inside of.
fn nearest_first(stops: &[Stop], ends: Ends, metric: Metric) -> Vec<(usize, usize)> {
    let mut waiting = vec![0_usize; stops.len()];
    for after in stops.iter().flat_map(|s| &s.after) {
        waiting[*after] += 1;
    }
    let places =
        |stop: usize| stops[stop].entries.iter().enumerate().map(move |(e, entry)| Place::new([entry.arrive.x, entry.arrive.y], (stop, e)));
    let mut open: RTree<Place> = RTree::bulk_load((0..stops.len()).filter(|i| waiting[*i] == 0).flat_map(places).collect());
    let mut order = Vec::with_capacity(stops.len());
    let mut at = ends.from;
    while let Some(next) = cheapest(&open, at, metric) {
        for place in places(next.0) {
            open.remove(&place);
        }
        order.push(next);
        at = stops[next.0].entries[next.1].leave;
        for outer in &stops[next.0].after {
            waiting[*outer] -= 1;
            if waiting[*outer] == 0 {
                places(*outer).for_each(|p| open.insert(p));
            }
        }
    }
    order
}

/// The place with the cheapest hop: the first that is far enough, or one before it.
fn cheapest(open: &RTree<Place>, at: Point, metric: Metric) -> Option<(usize, usize)> {
    let mut best: Option<(f64, (usize, usize))> = None;
    for place in open.nearest_neighbor_iter([at.x, at.y]) {
        let to = Point::new(place.geom()[0], place.geom()[1]);
        let cost = metric.hop(at, to);
        if best.is_none_or(|b| cost < b.0) {
            best = Some((cost, place.data));
        }
        if at.distance(to) >= metric.least {
            break;
        }
    }
    best.map(|b| b.1)
}

/// For the order as it stands, the entries with the least travel: shortest path through layers, one a stop.
fn best_entries(stops: &[Stop], order: &mut [(usize, usize)], ends: Ends, metric: Metric) {
    let mut cost: Vec<f64> = vec![0.0];
    let mut leaving = vec![ends.from];
    let mut from: Vec<Vec<usize>> = Vec::with_capacity(order.len());
    for (stop, _) in order.iter() {
        let entries = &stops[*stop].entries;
        let mut next = Vec::with_capacity(entries.len());
        let mut came = Vec::with_capacity(entries.len());
        for e in entries {
            let (mut best, mut by) = (f64::INFINITY, 0);
            for (k, (c, p)) in cost.iter().zip(&leaving).enumerate() {
                let total = c + metric.hop(*p, e.arrive);
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
    let whole = |k: usize| cost[k] + ends.to.map_or(0.0, |to| metric.hop(leaving[k], to));
    let Some(mut k) = (0..cost.len()).min_by(|a, b| whole(*a).total_cmp(&whole(*b))) else { return };
    for i in (0..order.len()).rev() {
        order[i].1 = k;
        k = from[i][k];
    }
}

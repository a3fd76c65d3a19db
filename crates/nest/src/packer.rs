//! Puts parts down one after the other, each at the best corner that is left.
//!
//! For every kind and turn of part a sheet keeps the corners of its free region: corners of no-fit regions and crossings
//! of their edges that no region forbids. When a part is put down, the corners it covers go and those that it makes are
//! added, so that finding the best place is a look through a list.

use crate::geometry::{Bounds, Point, Vec2};
use crate::nofit::NoFit;
use crate::plan::Put;
use crate::problem::Problem;
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// Two parts may come nearer than the spacing by this much, mm: rounding, not room.
const SLACK: f64 = 2e-5;

/// What makes one place better than another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Taste {
    /// As far left as possible, then as low.
    Left,
    /// As low as possible, then as far left.
    Low,
    /// Least growth of the box round everything.
    Box,
    /// Near the lower left corner.
    Corner,
}

impl Taste {
    pub(crate) const ALL: [Self; 4] = [Self::Left, Self::Low, Self::Box, Self::Corner];

    fn score(self, at: Point, size: Vec2, used: Vec2) -> (f64, f64) {
        let (right, top) = (at.x + size.x, at.y + size.y);
        match self {
            Self::Left => (right, at.y),
            Self::Low => (top, at.x),
            Self::Box => (used.x.max(right) * used.y.max(top), right + top),
            Self::Corner => (right * right + top * top, at.x),
        }
    }
}

/// How a part is put down.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Pick {
    pub(crate) taste: Taste,
    /// No more than the first so many of its turns are tried.
    pub(crate) turns: usize,
    /// The box of what it shall lie beside; that goes before taste.
    pub(crate) beside: Option<Bounds>,
}

impl Pick {
    pub(crate) fn new(taste: Taste, turns: usize) -> Self {
        Self { taste, turns, beside: None }
    }

    fn score(&self, at: Point, size: Vec2, used: Vec2) -> (f64, f64) {
        match self.beside {
            Some(others) => {
                let all = others.union(Bounds { min: at, max: at + size });
                (all.width() * all.height(), self.taste.score(at, size, used).0)
            }
            None => self.taste.score(at, size, used),
        }
    }
}

/// What came of putting a part down.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Outcome {
    /// It has its place.
    Put,
    /// The sheet has no place for it.
    Full,
    /// It was stopped before a place was found.
    Stopped,
}

/// The free corners for one kind and turn of part on one sheet.
#[derive(Clone)]
struct Corners {
    points: Vec<Point>,
    /// Regions of everything put down so far, at their places.
    regions: Vec<(Vec2, Arc<NoFit>)>,
    /// How many of the sheet's parts are worked in.
    seen: usize,
    inner: Bounds,
}

/// One sheet being filled.
#[derive(Clone)]
pub(crate) struct Filling {
    pub(crate) kind: usize,
    pub(crate) put: Vec<Put>,
    pub(crate) used: Vec2,
    corners: FxHashMap<(usize, usize), Corners>,
    full_for: Vec<bool>,
}

impl Filling {
    pub(crate) fn new(kind: usize, shapes: usize) -> Self {
        Self::of(kind, shapes, Vec::new(), Vec2::ZERO)
    }

    /// A sheet on which something lies already.
    pub(crate) fn of(kind: usize, shapes: usize, put: Vec<Put>, used: Vec2) -> Self {
        Self { kind, put, used, corners: FxHashMap::default(), full_for: vec![false; shapes] }
    }

    /// Puts one copy of `demand` at its best place. Looking for it ends early when `go_on` says so.
    pub(crate) fn put(&mut self, problem: &Problem, demand: usize, pick: Pick, go_on: &dyn Fn() -> bool) -> Outcome {
        let shape = problem.demands[demand].shape;
        if self.full_for[shape] {
            return Outcome::Full;
        }
        let mut best: Option<((f64, f64), usize, Point)> = None;
        for (turn, oriented) in problem.shapes[shape].turns.iter().enumerate().take(pick.turns) {
            if !self.corners_for(problem, shape, turn, go_on) {
                return Outcome::Stopped;
            }
            for at in &self.corners[&(shape, turn)].points {
                let score = pick.score(*at, oriented.size, self.used);
                if best.is_none_or(|b| score < b.0) {
                    best = Some((score, turn, *at));
                }
            }
        }
        let Some((_, turn, at)) = best else {
            self.full_for[shape] = true;
            return Outcome::Full;
        };
        let size = problem.shapes[shape].turns[turn].size;
        self.used = Vec2::new(self.used.x.max(at.x + size.x), self.used.y.max(at.y + size.y));
        self.put.push(Put { demand, turn, at });
        Outcome::Put
    }

    /// Brings the corner list of one kind and turn up to date; false when it was stopped.
    fn corners_for(&mut self, problem: &Problem, shape: usize, turn: usize, go_on: &dyn Fn() -> bool) -> bool {
        let Self { kind, put, corners, .. } = self;
        let list = corners.entry((shape, turn)).or_insert_with(|| Corners::new(problem, *kind, shape, turn));
        while list.seen < put.len() {
            let p = put[list.seen];
            let region = problem.region((problem.demands[p.demand].shape, p.turn), (shape, turn));
            list.add(p.at.to_vec2(), region);
            list.seen += 1;
            if !go_on() {
                return false;
            }
        }
        true
    }
}

impl Corners {
    fn new(problem: &Problem, kind: usize, shape: usize, turn: usize) -> Self {
        let sheet = &problem.sheets[kind];
        let size = problem.shapes[shape].turns[turn].size;
        let m = problem.distances.margin;
        let max = Point::new(sheet.width - m - size.x, sheet.height - m - size.y);
        // A part exactly as wide as the room has a free region without width.
        let inner = Bounds {
            min: Point::new(m, m),
            max: Point::new(if (max.x - m).abs() < SLACK { m } else { max.x }, if (max.y - m).abs() < SLACK { m } else { max.y }),
        };
        let mut corners = Self { points: Vec::new(), regions: Vec::new(), seen: 0, inner };
        if inner.is_empty() {
            return corners;
        }
        corners.points = vec![inner.min, Point::new(inner.max.x, inner.min.y), inner.max, Point::new(inner.min.x, inner.max.y)];
        for n in 0..problem.blocked[kind].len() {
            corners.add(Vec2::ZERO, problem.obstacle(kind, n, (shape, turn)));
        }
        corners
    }

    fn add(&mut self, by: Vec2, region: Arc<NoFit>) {
        if self.inner.is_empty() {
            return;
        }
        self.points.retain(|p| !region.forbids(*p - by, SLACK));
        let mut fresh: Vec<Point> = Vec::new();
        let near: Vec<(Vec2, &NoFit)> = self
            .regions
            .iter()
            .filter(|(at, r)| moved(r.bounds, *at).meets(&moved(region.bounds, by)))
            .map(|(at, r)| (*at, r.as_ref()))
            .collect();
        for ring in &region.rings {
            for i in 0..ring.len() {
                let (a, b) = (ring[i] + by, ring[(i + 1) % ring.len()] + by);
                self.consider(a, &near, &mut fresh);
                for p in rectangle_crossings(a, b, self.inner) {
                    self.consider(p, &near, &mut fresh);
                }
                let edge = Bounds::of([a, b]);
                for (at, other) in &near {
                    if !moved(other.bounds, *at).meets(&edge) {
                        continue;
                    }
                    for other_ring in &other.rings {
                        for k in 0..other_ring.len() {
                            let (c, d) = (other_ring[k] + *at, other_ring[(k + 1) % other_ring.len()] + *at);
                            if let Some(p) = crossing(a, b, c, d) {
                                self.consider(p, &near, &mut fresh);
                            }
                        }
                    }
                }
            }
        }
        // Corners of older regions stay where the new one does not forbid them; the new region cannot forbid its own.
        fresh.retain(|p| !region.forbids(*p - by, SLACK));
        self.points.extend(fresh);
        self.regions.push((by, region));
    }

    fn consider(&self, p: Point, near: &[(Vec2, &NoFit)], fresh: &mut Vec<Point>) {
        let p = Point::new(snapped(p.x, self.inner.min.x, self.inner.max.x), snapped(p.y, self.inner.min.y, self.inner.max.y));
        if self.inner.has(p) && near.iter().all(|(at, r)| !r.forbids(p - *at, SLACK)) {
            fresh.push(p);
        }
    }
}

/// `v`, or the limit that it misses by rounding.
fn snapped(v: f64, min: f64, max: f64) -> f64 {
    if (v - min).abs() < SLACK {
        min
    } else if (v - max).abs() < SLACK {
        max
    } else {
        v
    }
}

fn moved(b: Bounds, by: Vec2) -> Bounds {
    Bounds { min: b.min + by, max: b.max + by }
}

/// Where two edges cross, ends included.
fn crossing(a: Point, b: Point, c: Point, d: Point) -> Option<Point> {
    if a.x.max(b.x) < c.x.min(d.x) || c.x.max(d.x) < a.x.min(b.x) || a.y.max(b.y) < c.y.min(d.y) || c.y.max(d.y) < a.y.min(b.y) {
        return None;
    }
    let (r, s) = (b - a, d - c);
    let cross = r.cross(s);
    if cross.abs() < 1e-12 * r.hypot() * s.hypot() {
        return None;
    }
    let t = (c - a).cross(s) / cross;
    let u = (c - a).cross(r) / cross;
    ((-1e-9..=1.0 + 1e-9).contains(&t) && (-1e-9..=1.0 + 1e-9).contains(&u)).then(|| a + r * t)
}

/// Where an edge crosses the four sides of the box.
fn rectangle_crossings(a: Point, b: Point, inner: Bounds) -> impl Iterator<Item = Point> {
    let d = b - a;
    let at_x = move |x: f64| (d.x != 0.0 && (a.x - x) * (b.x - x) <= 0.0).then(|| Point::new(x, a.y + d.y * (x - a.x) / d.x));
    let at_y = move |y: f64| (d.y != 0.0 && (a.y - y) * (b.y - y) <= 0.0).then(|| Point::new(a.x + d.x * (y - a.y) / d.y, y));
    [at_x(inner.min.x), at_x(inner.max.x), at_y(inner.min.y), at_y(inner.max.y)].into_iter().flatten()
}

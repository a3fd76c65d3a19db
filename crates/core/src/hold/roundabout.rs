//! Travel round what is cut free: a part that has come loose may have tipped, and a torch that travels over it at its usual height
//! strikes it. The head goes round, by the shortest way past the corners of what lies there; where there is no way round it
//! is lifted.
//!
//! Corners that see each other and the shortest path among them: Lozano-Pérez and Wesley, "An algorithm for planning
//! collision-free paths among polyhedral obstacles", 1979.

use super::{Doing, Op};
use crate::geometry::{Bounds, Corners, Path, Point, Segment, ring_area, ring_contains};
use rustc_hash::FxHashSet;
use serde::{Deserialize, Serialize};
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// Distances that are kept from what is free, mm, the widest first; the last is that share of half a kerf, in which nothing is
/// burned.
const ROOMS: [f64; 2] = [8.0, 3.0];
const LEAST_ROOM: f64 = 0.9;
/// Error of curves, mm; outlines grow by it besides.
const ERROR: f64 = 0.05;
/// Corners of all that stands in one way, at most: beyond it the head is lifted.
const MOST_CORNERS: usize = 600;
/// Rounds in which more is found to stand in the way.
const ROUNDS: usize = 12;

/// How the head comes to where it burns next.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Approach {
    /// Places on its way there.
    pub by: Vec<Point>,
    /// It goes over what is cut free, lifted.
    pub lifted: bool,
}

/// Something that has been cut free, as a polygon.
struct Loose {
    outline: Path,
    bounds: Bounds,
    /// For each of the rooms: its corners grown by it.
    grown: Vec<Vec<Vec<Point>>>,
}

/// What has been cut free so far on a sheet.
pub(super) struct Field {
    loose: Vec<Loose>,
    rooms: Vec<f64>,
    bed: Bounds,
}

impl Field {
    pub(super) fn new(kerf: f64, bed: Bounds) -> Self {
        let rooms = ROOMS.into_iter().chain([LEAST_ROOM * kerf / 2.0]).collect();
        Self { loose: Vec::new(), rooms, bed }
    }

    /// A part has been cut free.
    pub(super) fn free(&mut self, outline: Path) {
        let corners = |by: f64| outline.grown(by + ERROR, Corners::Mitre).iter().map(|p| p.points(ERROR)).collect();
        let grown = self.rooms.iter().map(|by| corners(*by)).collect();
        self.loose.push(Loose { bounds: outline.bounds().grown(ROOMS[0] + 1.0), grown, outline });
    }

    /// The way from one place to another; straight where nothing stands in it.
    pub(super) fn approach(&self, from: Point, to: Point) -> Approach {
        let straight = Segment::line(from, to);
        let over = |l: &&Loose| l.bounds.meets(&straight.bounds()) && passes(&l.outline.points(ERROR), from, to);
        if !self.loose.iter().any(|l| over(&l)) {
            return Approach::default();
        }
        let ways = (0..self.rooms.len()).filter_map(|room| self.way(from, to, room));
        ways.into_iter().next().map_or(Approach { by: Vec::new(), lifted: true }, |by| Approach { by, lifted: false })
    }

    /// The shortest way that keeps a room; `None` where there is none.
    fn way(&self, from: Point, to: Point, room: usize) -> Option<Vec<Point>> {
        let mut standing: Vec<usize> = Vec::new();
        let mut way = vec![from, to];
        for _ in 0..ROUNDS {
            let met: Vec<usize> = (0..self.loose.len())
                .filter(|i| !standing.contains(i))
                .filter(|i| way.windows(2).any(|w| self.crosses(*i, room, w[0], w[1])))
                .collect();
            if met.is_empty() {
                return Some(way[1..way.len() - 1].to_vec());
            }
            standing.extend(met);
            way = self.shortest(from, to, room, &standing)?;
        }
        None
    }

    fn crosses(&self, i: usize, room: usize, a: Point, b: Point) -> bool {
        let l = &self.loose[i];
        l.bounds.meets(&Segment::line(a, b).bounds()) && l.grown[room].iter().any(|ring| passes(ring, a, b))
    }

    /// The shortest way past the corners of what stands there.
    fn shortest(&self, from: Point, to: Point, room: usize, standing: &[usize]) -> Option<Vec<Point>> {
        let within = |p: &Point| self.bed.has(*p) && !standing.iter().any(|i| self.loose[*i].grown[room].iter().any(|r| inside(r, *p)));
        let corners = standing.iter().flat_map(|i| self.loose[*i].grown[room].iter().flat_map(|r| bulging(r)));
        let mut places = vec![from, to];
        places.extend(corners.filter(within));
        if places.len() > MOST_CORNERS {
            return None;
        }
        let free = |a: usize, b: usize| !standing.iter().any(|i| self.crosses(*i, room, places[a], places[b]));
        let mut best = vec![f64::INFINITY; places.len()];
        let mut came = vec![usize::MAX; places.len()];
        let mut open = BinaryHeap::from([(Reverse(0_u64), 0_usize)]);
        let mut done: FxHashSet<usize> = FxHashSet::default();
        best[0] = 0.0;
        while let Some((_, at)) = open.pop() {
            if !done.insert(at) {
                continue;
            }
            if at == 1 {
                let mut way = vec![1];
                while let Some(last) = way.last().copied().filter(|l| *l != 0) {
                    way.push(came[last]);
                }
                return Some(way.into_iter().rev().map(|i| places[i]).collect());
            }
            for next in (1..places.len()).filter(|n| !done.contains(n)).collect::<Vec<_>>() {
                let far = best[at] + places[at].distance(places[next]);
                if far < best[next] && free(at, next) {
                    (best[next], came[next]) = (far, at);
                    // Micrometres, and what is left at least: the nearest first.
                    open.push((Reverse(((far + places[next].distance(to)) * 1e3) as u64), next));
                }
            }
        }
        None
    }
}

/// Corners at which a way may bend: those that bulge outward.
fn bulging(ring: &[Point]) -> impl Iterator<Item = Point> + '_ {
    let n = ring.len();
    let area = ring_area(ring);
    (0..n)
        .filter(move |i| {
            let (before, here, behind) = (ring[(i + n - 1) % n], ring[*i], ring[(i + 1) % n]);
            (here - before).cross(behind - here) * area > 0.0
        })
        .map(|i| ring[i])
}

/// True inside a ring and not on its edge, nor a hair from it.
fn inside(ring: &[Point], p: Point) -> bool {
    let on_edge = |i: usize| Segment::line(ring[i], ring[(i + 1) % ring.len()]).distance(p) < 1e-6;
    ring_contains(ring, p) && !(0..ring.len()).any(on_edge)
}

/// True where the straight way from a to b goes through the inside of a ring.
fn passes(ring: &[Point], a: Point, b: Point) -> bool {
    let n = ring.len();
    let way = b - a;
    // Places on the way at which it meets the ring: between two that follow each other it is inside or outside as a whole.
    let mut at = vec![0.0, 1.0];
    for i in 0..n {
        let (c, d) = (ring[i], ring[(i + 1) % n]);
        let along = d - c;
        let denominator = way.cross(along);
        if denominator.abs() > 1e-12 {
            let (t, u) = ((c - a).cross(along) / denominator, (c - a).cross(way) / denominator);
            if (-1e-9..=1.0 + 1e-9).contains(&t) && (-1e-9..=1.0 + 1e-9).contains(&u) {
                at.push(t.clamp(0.0, 1.0));
            }
        } else if way.cross(c - a).abs() < 1e-9 {
            at.extend([c, d].map(|p| ((p - a).dot(way) / way.hypot2().max(1e-12)).clamp(0.0, 1.0)));
        }
    }
    at.sort_by(f64::total_cmp);
    at.windows(2).filter(|w| w[1] - w[0] > 1e-9).any(|w| inside(ring, a + way * f64::midpoint(w[0], w[1])))
}

/// Finds the way to each operation, from `home`, and gives the way back there. `frees` names the outlines of the parts that an
/// operation cuts free.
pub(super) fn lay(ops: &mut [Op], mut field: Field, home: Point, mut frees: impl FnMut(&Op) -> Vec<Path>) -> Approach {
    let mut at = home;
    for op in ops {
        let Some((start, end)) = op.start().zip(op.end()) else { continue };
        // Where it stays lit it goes through the scrap.
        if op.line().bridge.is_empty() {
            let approach = field.approach(at, start);
            if let Doing::Line(line) = &mut op.doing {
                line.approach = approach;
            }
        }
        frees(op).into_iter().for_each(|outline| field.free(outline));
        at = end;
    }
    field.approach(at, home)
}

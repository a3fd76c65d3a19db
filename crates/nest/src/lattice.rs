//! Lattices for quantities: one part, or a part and the same turned by half or mirrored, repeated by two vectors.
//!
//! Two vectors on the edge of what a motif may not be from itself make a lattice; the densest has the least area between them.
//! After Milenkovic, "Densest translational lattice packing of non-convex polygons" (2000), and Stoyan and Patsuk, "A method of optimal
//! lattice packing of congruent oriented polygons in the plane" (2000), over sampled places of the edge, refined.

use crate::cost::Cost;
use crate::engine::Engine;
use crate::geometry::{Bounds, Point, Ring, Vec2};
use crate::greedy::{Greedy, empty};
use crate::nofit::NoFit;
use crate::plan::Put;
use crate::plan::{Filled, Plan};
use crate::problem::Problem;
use rayon::prelude::*;
use std::sync::Arc;

/// Fewer copies of a shape than this make no lattice.
const LEAST_COPIES: usize = 8;
/// Turns of a shape for which lattices are sought, and lattices of a shape that are laid to see which holds most.
const TURNS: usize = 8;
const LAID: usize = 10;
/// Places on the edge that are tried for the first vector of one part and of a pair, and for the second part of a pair.
const PLACES: (usize, usize, usize) = (96, 20, 20);
/// Refinements of how a pair lies.
const REFINED: usize = 3;
/// Corners of the shape that lattices are sought for.
const CORNERS: usize = 24;
/// Phases tried along each vector.
const PHASES: usize = 12;
/// Rounding, mm.
const SLACK: f64 = 2e-5;
/// More sheets than this are not one job.
const MOST_SHEETS: usize = 200;

/// Two vectors, and what is repeated by them: turn and place.
#[derive(Clone, Debug)]
struct Lattice {
    first: Vec2,
    second: Vec2,
    motif: Vec<(usize, Vec2)>,
}

impl Lattice {
    /// Area for each copy, mm².
    fn each(&self) -> f64 {
        self.first.cross(self.second).abs() / self.motif.len() as f64
    }
}

/// Where the motif may not be from itself.
struct Forbidden {
    parts: Vec<(Arc<NoFit>, Vec2, f64)>,
    edges: Vec<(Point, Point)>,
}

impl Forbidden {
    fn new(parts: Vec<(Arc<NoFit>, Vec2, f64)>) -> Self {
        let edge = |r: &Ring, i: usize, by: Vec2, sign: f64| {
            let to = |p: Point| (by + sign * p.to_vec2()).to_point();
            (to(r[i]), to(r[(i + 1) % r.len()]))
        };
        let edges =
            parts.iter().flat_map(|(n, by, sign)| n.rings.iter().flat_map(move |r| (0..r.len()).map(move |i| edge(r, i, *by, *sign))));
        Self { edges: edges.collect(), parts }
    }

    /// `p` is at `by + sign · n` for some place `n` within a region.
    fn has(&self, p: Point) -> bool {
        self.parts.iter().any(|(n, by, sign)| n.forbids((*sign * (p.to_vec2() - *by)).to_point(), SLACK))
    }

    /// Places along the edge that are not forbidden, about so many.
    fn places(&self, most: usize) -> Vec<Point> {
        let length: f64 = self.edges.iter().map(|e| e.0.distance(e.1)).sum();
        let step = length / most.max(1) as f64;
        let along = |e: &(Point, Point)| -> Vec<Point> {
            let n = (e.0.distance(e.1) / step).ceil().max(1.0) as usize;
            (0..n).map(|k| e.0.lerp(e.1, k as f64 / n as f64)).collect()
        };
        self.edges.iter().flat_map(along).filter(|p| !self.has(*p)).collect()
    }

    /// Places straight to the right and straight up.
    fn straight(&self) -> Vec<Point> {
        let cross = |e: &(Point, Point)| {
            let (a, b) = *e;
            let right = ((a.y > 0.0) != (b.y > 0.0)).then(|| Point::new(a.x + (b.x - a.x) * (-a.y / (b.y - a.y)), 0.0));
            let up = ((a.x > 0.0) != (b.x > 0.0)).then(|| Point::new(0.0, a.y + (b.y - a.y) * (-a.x / (b.x - a.x))));
            [right, up]
        };
        self.edges.iter().flat_map(cross).flatten().filter(|p| (p.x > 1e-6 || p.y > 1e-6) && !self.has(*p)).collect()
    }

    /// The best second vector for a first; nothing as good as `bound`.
    fn second(&self, first: Vec2, bound: f64) -> Option<(f64, Vec2)> {
        let length = first.hypot();
        if length < 1e-6 {
            return None;
        }
        // What is nearer to the first's line than this makes a lesser area.
        let height = |p: Point| (first.cross(p.to_vec2()) / length).abs();
        let most = bound / length;
        let near: Vec<&(Point, Point)> = self
            .edges
            .iter()
            .filter(|e| height(e.0).min(height(e.1)) < most || first.cross(e.0.to_vec2()) * first.cross(e.1.to_vec2()) < 0.0)
            .collect();
        let mut candidates: Vec<(f64, Point)> = near.iter().map(|e| (height(e.0), e.0)).collect();
        // The same edges one step on, by where they begin in x: only those are looked at that can meet.
        let box_of = |(i, e): (usize, &&(Point, Point))| (i, Bounds::of([e.0 + first, e.1 + first]));
        let mut moved: Vec<(usize, Bounds)> = near.iter().enumerate().map(box_of).collect();
        moved.sort_by(|a, b| a.1.min.x.total_cmp(&b.1.min.x).then(a.0.cmp(&b.0)));
        let widest = moved.iter().map(|m| m.1.width()).fold(0.0, f64::max);
        let mut met: Vec<usize> = Vec::new();
        for (a, b) in &near {
            let around = Bounds::of([*a, *b]);
            let from = moved.partition_point(|m| m.1.min.x < around.min.x - widest);
            let reached = moved[from..].iter().take_while(|m| m.1.min.x <= around.max.x);
            met.clear();
            met.extend(reached.filter(|m| m.1.meets(&around)).map(|m| m.0));
            met.sort_unstable();
            for (c, d) in met.iter().map(|i| near[*i]) {
                if let Some(p) = crossing(*a, *b, *c + first, *d + first) {
                    candidates.push((height(p), p));
                }
            }
        }
        candidates.retain(|c| c.0 < most && c.0 > 1e-6);
        candidates.sort_by(|a, b| a.0.total_cmp(&b.0));
        let good = |p: Point| (-2..=2).all(|k| !self.has(p + first * f64::from(k)));
        let (h, p) = candidates.into_iter().find(|c| good(c.1))?;
        // No other of its points may lie in what is forbidden.
        let clear = (2..=3).all(|j| (-4..=4).all(|i| !self.has((first * f64::from(i) + p.to_vec2() * f64::from(j)).to_point())));
        let line = (2..=4).all(|i| !self.has((first * f64::from(i)).to_point()));
        (clear && line).then(|| (h * length, p.to_vec2()))
    }

    /// Lattices from all these first vectors, the densest first; none that is worse than the densest by more than `loose` times.
    fn lattices(&self, firsts: &[Point], mut bound: f64, loose: f64) -> Vec<(f64, Vec2, Vec2)> {
        let mut found: Vec<(f64, Vec2, Vec2)> = Vec::new();
        for first in firsts {
            if let Some((area, second)) = self.second(first.to_vec2(), bound) {
                found.push((area, first.to_vec2(), second));
                bound = bound.min(area * loose);
            }
        }
        found.sort_by(|a, b| a.0.total_cmp(&b.0));
        found
    }
}

fn crossing(a: Point, b: Point, c: Point, d: Point) -> Option<Point> {
    let (r, s) = (b - a, d - c);
    let cross = r.cross(s);
    if cross.abs() < 1e-12 * r.hypot() * s.hypot() {
        return None;
    }
    let (t, u) = ((c - a).cross(s) / cross, (c - a).cross(r) / cross);
    ((0.0..=1.0).contains(&t) && (0.0..=1.0).contains(&u)).then(|| a + r * t)
}

/// The densest lattices of a shape, and those with rows along the sheet's sides.
fn lattices(problem: &Problem, demand: usize, go_on: &(dyn Fn() -> bool + Sync)) -> Vec<Lattice> {
    let shape = problem.demands[demand].shape;
    let coarse = problem.coarse(demand, CORNERS);
    let turns = problem.shapes[shape].turns.len().min(TURNS);
    // Boxes in rows and columns are a lattice too.
    let size = problem.shapes[shape].turns[0].size;
    let bound = (size.x + problem.spacing * 1.1) * (size.y + problem.spacing * 1.1) * 1.001;
    let region = |a: usize, b: usize| Arc::new(NoFit::new(coarse[a].grown(), &coarse[b]));
    // From the lower left of a coarse shape to that of the true one.
    let fine = |turn: usize| coarse[turn].shift - problem.shapes[shape].turns[turn].shift;
    let mut all: Vec<Lattice> = Vec::new();
    for turn in 0..turns {
        let own = Forbidden::new(vec![(region(turn, turn), Vec2::ZERO, 1.0)]);
        let straight = own.lattices(&own.straight(), bound, 1.2).into_iter().take(2);
        let dense = own.lattices(&own.places(PLACES.0), bound, 1.01).into_iter().take(4);
        let motif = vec![(turn, Vec2::ZERO)];
        all.extend(straight.chain(dense).map(|(_, first, second)| Lattice { first, second, motif: motif.clone() }));
    }
    let facing = |turn: usize| {
        let t = &problem.shapes[shape].turns[turn];
        (turn + 1..turns).filter(move |o| {
            let other = &problem.shapes[shape].turns[*o];
            other.mirrored != t.mirrored || ((other.angle - t.angle).abs() - 180.0).abs() < 1e-6
        })
    };
    let pairs: Vec<(usize, usize)> = (0..turns).flat_map(|a| facing(a).map(move |b| (a, b))).take(6).collect();
    for (a, b) in pairs {
        if !go_on() {
            break;
        }
        let (between, own_a, own_b) = (region(a, b), region(a, a), region(b, b));
        let pair = |by: Vec2, firsts: usize, bound: f64| {
            let f = Forbidden::new(vec![
                (Arc::clone(&own_a), Vec2::ZERO, 1.0),
                (Arc::clone(&own_b), Vec2::ZERO, 1.0),
                (Arc::clone(&between), -by, 1.0),
                (Arc::clone(&between), by, -1.0),
            ]);
            let mut places = f.straight();
            places.extend(f.places(firsts));
            f.lattices(&places, bound, 1.0).into_iter().next().map(|(area, first, second)| (area, by, first, second))
        };
        let own = Forbidden::new(vec![(Arc::clone(&between), Vec2::ZERO, 1.0)]);
        let mut places: Vec<Vec2> = own.places(PLACES.2).into_iter().map(Point::to_vec2).collect();
        places.extend(own.straight().into_iter().map(Point::to_vec2));
        let mut found: Vec<(f64, Vec2, Vec2, Vec2)> = Vec::new();
        let mut step = own.edges.iter().map(|e| e.0.distance(e.1)).sum::<f64>() / PLACES.2 as f64;
        for _ in 0..=REFINED {
            // In batches, so that what one finds bounds the others, whatever the number of threads.
            for batch in places.chunks(8) {
                let bound = found.last().filter(|_| found.len() == 3).map_or(2.0 * bound, |f| f.0);
                let more: Vec<_> = batch.par_iter().filter(|_| go_on()).filter_map(|p| pair(*p, PLACES.1, bound)).collect();
                found.extend(more);
                found.sort_by(|x, y| x.0.total_cmp(&y.0));
                found.truncate(3);
            }
            let near = found.iter().flat_map(|f| own.edges.iter().filter_map(move |e| beside(e, f.1, step)).flatten());
            places = near.filter(|p| !own.has(p.to_point())).collect();
            step /= 2.5;
        }
        all.extend(found.into_iter().map(|(_, by, first, second)| Lattice {
            first,
            second,
            motif: vec![(a, Vec2::ZERO), (b, by + fine(b) - fine(a))],
        }));
    }
    all.sort_by(|x, y| x.each().total_cmp(&y.each()));
    all
}

/// Area of the sheet for each copy of the first part in the densest lattice that is found for it, mm²; for the bench.
pub fn densest_lattice(problem: &Problem) -> Option<f64> {
    lattices(problem, 0, &|| true).first().map(Lattice::each)
}

/// The places on both sides of one on an edge.
fn beside(e: &(Point, Point), at: Vec2, step: f64) -> Option<[Vec2; 2]> {
    let (way, length) = (e.1 - e.0, e.0.distance(e.1));
    let t = (at.to_point() - e.0).dot(way) / length.max(1e-12).powi(2);
    let on = e.0.lerp(e.1, t.clamp(0.0, 1.0));
    (on.distance(at.to_point()) < 1e-6).then(|| [-1.0, 1.0].map(|s| e.0.lerp(e.1, (t + s * step / length).clamp(0.0, 1.0)).to_vec2()))
}

/// The places of a lattice on a kind of sheet, as many as there are in the best phase, from the left.
fn laid(problem: &Problem, shape: usize, lattice: &Lattice, kind: usize) -> Vec<(usize, Point)> {
    let (sheet, m) = (&problem.sheets[kind], problem.distances.margin);
    let rooms: Vec<Bounds> = lattice
        .motif
        .iter()
        .map(|(turn, _)| {
            let size = problem.shapes[shape].turns[*turn].size;
            Bounds { min: Point::new(m, m), max: Point::new(sheet.width - m - size.x + SLACK, sheet.height - m - size.y + SLACK) }
        })
        .collect();
    if rooms.iter().any(Bounds::is_empty) {
        return Vec::new();
    }
    let (a, b) = (lattice.first, lattice.second);
    let turned = a.cross(b);
    let whole = rooms.iter().fold(Bounds::EMPTY, |all, r| all.union(*r));
    let spread = |phase: Vec2| -> Vec<(usize, Point)> {
        let mut out = Vec::new();
        for ((turn, offset), room) in lattice.motif.iter().zip(&rooms) {
            // Which multiples of both vectors come to lie in the room's box.
            let corners = [whole.min, Point::new(whole.max.x, whole.min.y), whole.max, Point::new(whole.min.x, whole.max.y)];
            let at = corners.map(|c| c.to_vec2() - phase - *offset);
            let range = |f: &dyn Fn(Vec2) -> f64| {
                let all = at.map(f);
                (
                    all.iter().copied().fold(f64::INFINITY, f64::min).floor() as i64,
                    all.iter().copied().fold(f64::NEG_INFINITY, f64::max).ceil() as i64,
                )
            };
            let (i0, i1) = range(&|v: Vec2| v.cross(b) / turned);
            let (j0, j1) = range(&|v: Vec2| a.cross(v) / turned);
            for i in i0..=i1 {
                for j in j0..=j1 {
                    let p = (phase + *offset + a * i as f64 + b * j as f64).to_point();
                    if p.x > room.min.x - SLACK && p.y > room.min.y - SLACK && p.x < room.max.x && p.y < room.max.y {
                        out.push((*turn, Point::new(p.x.max(room.min.x), p.y.max(room.min.y))));
                    }
                }
            }
        }
        out
    };
    // A row that begins in a corner, and phases between.
    let corner = whole.min.to_vec2();
    let mut phases: Vec<Vec2> = lattice.motif.iter().map(|(_, offset)| corner - *offset).collect();
    let share = |k: usize| k as f64 / PHASES as f64;
    phases.extend((0..PHASES * PHASES).map(|k| corner + a * share(k % PHASES) + b * share(k / PHASES)));
    // Phases at which something touches the left or the lower side.
    let touching: Vec<Vec2> = phases
        .iter()
        .map(|phase| {
            let all = spread(*phase);
            let least = |f: &dyn Fn(Point) -> f64| all.iter().map(|p| f(p.1)).fold(f64::INFINITY, f64::min);
            let by = Vec2::new(least(&|p| p.x) - m, least(&|p| p.y) - m);
            if by.is_finite() { *phase - by } else { *phase }
        })
        .collect();
    let free = |kind: usize, (turn, p): (usize, Point)| {
        (0..problem.blocked[kind].len()).all(|n| !problem.obstacle(kind, n, (shape, turn)).forbids(p, SLACK))
    };
    let open = |phase: &Vec2| -> Vec<(usize, Point)> { spread(*phase).into_iter().filter(|at| free(kind, *at)).collect() };
    let mut best: Vec<(usize, Point)> = Vec::new();
    for phase in touching.iter().chain(&phases) {
        let all = open(phase);
        if all.len() > best.len() {
            best = all;
        }
    }
    best.sort_by(|x, y| x.1.x.total_cmp(&y.1.x).then(x.1.y.total_cmp(&y.1.y)));
    best
}

/// The engine: one try, at the beginning.
pub(crate) struct Lattices<'p> {
    problem: &'p Problem<'p>,
}

impl<'p> Lattices<'p> {
    pub(crate) fn new(problem: &'p Problem<'p>) -> Self {
        Self { problem }
    }

    /// True where few shapes make up most of what is to be laid.
    pub(crate) fn promise_much(&self) -> bool {
        let p = self.problem;
        let mut areas = vec![0.0; p.shapes.len()];
        p.demands.iter().for_each(|d| areas[d.shape] += f64::from(d.quantity) * p.shapes[d.shape].area);
        let all: f64 = areas.iter().sum();
        areas.sort_by(|a, b| b.total_cmp(a));
        areas.iter().take(2).sum::<f64>() > 0.6 * all
    }

    /// Copies of a shape, by demand.
    fn wanted(&self, shape: usize) -> Vec<usize> {
        let of = self.problem.demands.iter().enumerate().filter(|(_, d)| d.shape == shape && !d.filler);
        of.flat_map(|(i, d)| std::iter::repeat_n(i, d.quantity as usize)).collect()
    }
}

impl Engine for Lattices<'_> {
    fn improve(&mut self, _: &Plan, cost: Cost, go_on: &(dyn Fn() -> bool + Sync)) -> Option<Plan> {
        let p = self.problem;
        let mut many: Vec<(usize, Vec<usize>)> =
            (0..p.shapes.len()).map(|s| (s, self.wanted(s))).filter(|w| w.1.len() >= LEAST_COPIES).collect();
        many.sort_by(|a, b| (b.1.len() as f64 * p.shapes[b.0].area).total_cmp(&(a.1.len() as f64 * p.shapes[a.0].area)));
        many.truncate(6);
        let mut whole = empty(p);
        let mut begun = empty(p);
        let mut rest: Vec<usize> = Vec::new();
        let mut left: Vec<u32> = p.sheets.iter().map(|s| s.count.unwrap_or(u32::MAX)).collect();
        (0..left.len()).filter(|k| !p.held[*k].is_empty()).for_each(|k| left[k] = 0);
        for (shape, wanted) in &many {
            let found = lattices(p, wanted[0], go_on);
            let mut wanted = wanted.clone();
            while !wanted.is_empty() && whole.sheets.len() < MOST_SHEETS {
                let Some(kind) = left.iter().position(|n| *n > 0) else { break };
                let places = found.par_iter().take(LAID).map(|l| laid(p, *shape, l, kind)).collect::<Vec<_>>();
                let best = places.into_iter().rev().max_by_key(|l| (l.len().min(wanted.len()), l.len()))?;
                if best.is_empty() {
                    break;
                }
                left[kind] -= 1;
                let full = best.len() <= wanted.len();
                let put: Vec<Put> = best.into_iter().map_while(|(turn, at)| Some(Put { demand: wanted.pop()?, turn, at })).collect();
                if !full {
                    rest.extend(put.iter().map(|p| p.demand));
                } else {
                    begun.sheets.push(Filled { kind, put: put.clone() });
                }
                whole.sheets.push(Filled { kind, put });
            }
            whole.unplaced.extend(&wanted);
            begun.unplaced.extend(wanted);
        }
        let kept: Vec<usize> = many.iter().map(|m| m.0).collect();
        let others = p.demands.iter().enumerate().filter(|(_, d)| !kept.contains(&d.shape) || d.filler);
        let others: Vec<usize> = others.flat_map(|(i, d)| std::iter::repeat_n(i, d.quantity as usize)).collect();
        whole.unplaced.extend(&others);
        begun.unplaced.extend(others.iter().chain(&rest));
        if whole.sheets.is_empty() {
            return None;
        }
        // Either every shape keeps its begun sheet to itself, but for what fits into the gaps, or the begun ones are mixed.
        let plans = [whole, begun].map(|plan| Greedy::filled_up(p, &plan, go_on));
        plans
            .into_iter()
            .flatten()
            .map(|plan| (plan.cost(p), plan))
            .filter(|c| c.0 < cost)
            .min_by(|a, b| a.0.partial_cmp(&b.0).unwrap_or(std::cmp::Ordering::Equal))
            .map(|c| c.1)
    }
}

//! Lattices for quantities: one part, or a part and the same turned by half or mirrored, repeated by two vectors.
//!
//! Two vectors on the edge of what a motif may not be from itself make a lattice; the densest has the least area between them.
//! After Milenkovic, "Densest translational lattice packing of non-convex polygons" (2000), and Stoyan and Patsuk, "A method of optimal
//! lattice packing of congruent oriented polygons in the plane" (2000). The densest is seldom the one of which most fit a sheet: many
//! that are nearly as dense are found ([`rows`], [`pockets`]) and each is laid in every turn and at many phases ([`fit`]).

mod fit;
mod pair;
mod pockets;
mod rows;

use crate::cost::{Cost, cheapest};
use crate::engine::Engine;
use crate::geometry::{Bounds, Point, Vec2, hull};
use crate::greedy::{Greedy, MOST_SHEETS, empty};
use crate::nofit::{NoFit, Oriented};
use crate::plan::{Filled, Plan, Put};
use crate::problem::Problem;
use fit::{InTheWay, Turned};
use pair::{Pair, Rowed, edges};
use pockets::Forbidden;
use rayon::prelude::*;
use rows::Cell;
use std::borrow::Cow;
use std::sync::Arc;

/// Fewer copies of a shape than this make no lattice.
const LEAST_COPIES: usize = 8;
/// Corners of the shape that lattices are sought for, and of what stands for the disc that it is grown by.
const CORNERS: usize = 40;
const DISC: usize = 24;
/// Ways that the second part of a pair may be turned and mirrored against the first.
const PARTNERS: usize = 5;
/// A lattice that takes more than so many times the area of the densest is not laid.
const LOOSE: f64 = 1.10;
/// Lattices whose figures differ by less than such a share are alike.
const ALIKE: f64 = 0.012;
/// Places on the edge that are tried for the first vector of one part.
const PLACES: usize = 96;
/// Rounding, mm.
const SLACK: f64 = 1e-5;

/// How thoroughly lattices are sought and laid.
pub(crate) struct Depth {
    /// Kinds of parts, those that take most room first.
    kinds: usize,
    /// Ways that the second of a pair lies by the first, and directions of rows.
    offsets: usize,
    directions: usize,
    /// Lattices that are refined and laid, and turns of each.
    kept: usize,
    turns: usize,
    /// Phases along each vector, at first and for the most promising, and how many those are.
    phases: (usize, usize),
    promising: usize,
}

/// At once, and with time.
pub(crate) const DEPTHS: [Depth; 2] = [
    Depth { kinds: 6, offsets: 32, directions: 60, kept: 60, turns: 16, phases: (4, 12), promising: 24 },
    Depth { kinds: 2, offsets: 160, directions: 180, kept: 400, turns: 125, phases: (6, 24), promising: 400 },
];

/// A turn in degrees, mirrored or not.
type Pose = (f64, bool);

/// Two vectors, and what is repeated by them: poses, and where the drawing's origin comes to lie.
#[derive(Clone, Debug)]
pub(crate) struct Lattice {
    pub(crate) first: Vec2,
    pub(crate) second: Vec2,
    pub(crate) motif: Vec<(Pose, Vec2)>,
}

impl Lattice {
    /// Area for each copy, mm².
    pub(crate) fn each(&self) -> f64 {
        self.first.cross(self.second).abs() / self.motif.len() as f64
    }

    /// Figures that tell it from another.
    fn print(&self) -> [i64; 5] {
        let (mut a, mut b) = (self.first, self.second);
        // The shortest two vectors of the same lattice (Lagrange).
        for _ in 0..60 {
            if a.hypot2() > b.hypot2() {
                std::mem::swap(&mut a, &mut b);
            }
            let times = (a.dot(b) / a.hypot2().max(1e-12)).round();
            if times == 0.0 {
                break;
            }
            b -= a * times;
        }
        // What differs by less holds as many on most sheets.
        let unit = self.each().sqrt() * ALIKE;
        let rounded = |x: f64| (x / unit).round() as i64;
        let (lean, turn) = (a.cross(b).signum() * a.dot(b) / a.hypot().max(1e-9), a.atan2().to_degrees().rem_euclid(180.0));
        [
            (self.each().ln() / ALIKE * 2.0).round() as i64,
            rounded(a.hypot()),
            rounded(b.hypot()),
            rounded(lean),
            (turn / 2.0).round() as i64,
        ]
    }
}

/// Many dense lattices of a shape, the densest first, no two alike.
pub(crate) fn lattices(problem: &Problem, demand: usize, depth: &Depth, go_on: &(dyn Fn() -> bool + Sync)) -> Vec<Lattice> {
    let shape = &problem.shapes[problem.demands[demand].shape];
    let coarse = problem.coarse(demand, CORNERS);
    let oriented = |t: &Oriented| Oriented::grown_by(&coarse, (t.angle, t.mirrored), (problem.spacing, DISC));
    let first = &shape.turns[0];
    let base = oriented(first);
    let partner = |t: &&Oriented| {
        let by = (t.angle - first.angle).rem_euclid(360.0);
        if t.mirrored == first.mirrored { (by - 180.0).abs() < 1e-6 } else { (by % 90.0).abs() < 1e-6 }
    };
    let partners: Vec<Oriented> = shape.turns.iter().filter(partner).take(PARTNERS).map(oriented).collect();
    let mut all = singles(problem, &base, depth);
    let mut least = all.iter().map(Lattice::each).fold(f64::INFINITY, f64::min);
    for partner in &partners {
        let pair = Pair::new(&base, partner);
        let directions = pair.directions(depth.directions);
        let rowed = |round: &f64| -> Vec<Rowed> {
            directions.iter().take_while(|_| go_on()).flat_map(|direction| pair.rows(*round, *direction)).collect()
        };
        let mut found: Vec<Rowed> = pair.offsets(depth.offsets).par_iter().flat_map_iter(rowed).collect();
        found.sort_by(|a, b| a.cell.area.total_cmp(&b.cell.area));
        least = found.first().map_or(least, |f| least.min(f.cell.area / 2.0));
        // What is a tenth looser than it may be can still become denser.
        found.retain(|f| f.cell.area / 2.0 < least * LOOSE * 1.1);
        let apart = distinct(found.iter().map(|f| pair.lattice(f)), 2 * depth.kept);
        let begun: Vec<Rowed> = apart.into_iter().map(|i| found[i]).collect();
        let ended: Vec<Rowed> = begun.par_iter().filter(|_| go_on()).map(|b| pair.descended(*b, depth)).collect();
        all.extend(begun.iter().chain(&ended).map(|r| pair.lattice(r)));
    }
    all.sort_by(|x, y| x.each().total_cmp(&y.each()));
    least = all.first().map_or(least, Lattice::each);
    all.retain(|l| l.each() < least * LOOSE);
    distinct(all.iter().cloned(), depth.kept).into_iter().map(|i| all[i].clone()).collect()
}

/// Which of many are not like one before them, so many at most.
fn distinct(all: impl Iterator<Item = Lattice>, most: usize) -> Vec<usize> {
    let mut seen = rustc_hash::FxHashSet::default();
    all.enumerate().filter(|(_, l)| seen.insert(l.print())).map(|l| l.0).take(most).collect()
}

/// Lattices of one part alone: rows in all directions, in pockets, and along the sheet's sides.
fn singles(problem: &Problem, base: &Oriented, depth: &Depth) -> Vec<Lattice> {
    let region = Arc::new(NoFit::new(base.grown(), base));
    let own: Vec<_> = edges(&region).collect();
    let motif = vec![((base.angle, base.mirrored), base.shift)];
    let directions = 4 * depth.directions;
    let direction = |k: usize| std::f64::consts::PI * k as f64 / directions as f64;
    let mut cells: Vec<Cell> = (0..directions).flat_map(|k| rows::along(own.iter().copied(), direction(k))).collect();
    let own = Forbidden::new(vec![(region, Vec2::ZERO, 1.0)]);
    // Boxes in rows and columns are a lattice too.
    let bound = (base.size.x + problem.spacing * 1.1) * (base.size.y + problem.spacing * 1.1) * 1.001;
    let more = own.lattices(&own.straight(), bound, 1.2).into_iter().chain(own.lattices(&own.places(PLACES), bound, LOOSE));
    cells.extend(more.map(|(area, first, second)| Cell { area, first, second }));
    cells.into_iter().map(|c| Lattice { first: c.first, second: c.second, motif: motif.clone() }).collect()
}

/// Area of the sheet for each copy of the first part in the densest lattice that is found for it, mm²; for the bench.
pub fn densest_lattice(problem: &Problem) -> Option<f64> {
    lattices(problem, 0, &DEPTHS[1], &|| true).first().map(Lattice::each)
}

/// A lattice in a turn at a phase, and how many a sheet holds of it.
struct Laying<'l> {
    count: usize,
    lattice: &'l Lattice,
    turned: Turned,
    phase: Vec2,
}

/// The ways to lay lattices of a shape on a kind of sheet that hold most, the best first.
fn layings<'l>(
    problem: &Problem,
    (shape, kind): (usize, usize),
    found: &'l [Lattice],
    depth: &Depth,
    go_on: &(dyn Fn() -> bool + Sync),
) -> Vec<Laying<'l>> {
    let (sheet, m) = (&problem.sheets[kind], problem.distances.margin);
    let room = Bounds { min: Point::new(m, m), max: Point::new(sheet.width - m, sheet.height - m) };
    let around = hull(problem.shapes[shape].polygon.outer.clone());
    let laid = |lattice: &'l Lattice| -> Vec<Laying<'l>> {
        let turns = fit::turns(problem, shape, lattice, depth.turns).into_iter().take_while(|_| go_on());
        let turned = turns.filter_map(|by| Turned::new(lattice, by, &around, room));
        let laying = |turned: Turned| {
            let (count, phase) = turned.best(depth.phases.0);
            Laying { count, lattice, turned, phase }
        };
        turned.map(laying).collect()
    };
    let best_first = |all: &mut Vec<Laying>| all.sort_by(|a, b| b.count.cmp(&a.count).then(a.lattice.each().total_cmp(&b.lattice.each())));
    let mut all: Vec<Laying<'l>> = found.par_iter().flat_map_iter(laid).collect();
    best_first(&mut all);
    all.truncate(depth.promising);
    all.par_iter_mut().filter(|_| go_on()).for_each(|l| {
        let (count, phase) = l.turned.best(depth.phases.1);
        if count > l.count {
            (l.count, l.phase) = (count, phase);
        }
    });
    best_first(&mut all);
    all
}

/// A laying with nothing hit that stands in the way: the poses that it needs, and its places from the left.
struct Places {
    poses: Vec<Pose>,
    /// Which of the poses, and the copy's lower left corner.
    at: Vec<(usize, Point)>,
    /// How far to the right each of the poses reaches from there, mm.
    reach: Vec<f64>,
}

impl Places {
    fn new(problem: &Problem, (shape, kind): (usize, usize), laying: &Laying, depth: &Depth) -> Self {
        let s = &problem.shapes[shape];
        let poses: Vec<Pose> = laying.lattice.motif.iter().map(|(pose, _)| (pose.0 + laying.turned.by, pose.1)).collect();
        let oriented = |pose: &Pose| match s.turns.number(*pose) {
            Some(number) => Cow::Borrowed(&s.turns[number]),
            None => Cow::Owned(Oriented::new(&s.polygon, *pose, problem.spacing)),
        };
        let oriented: Vec<Cow<Oriented>> = poses.iter().map(oriented).collect();
        let ways: Vec<InTheWay> = oriented.iter().map(|o| InTheWay::new(problem, kind, o)).collect();
        let phase = if problem.blocked[kind].is_empty() {
            laying.phase
        } else {
            laying.turned.best_between(depth.phases.0, |n, at| ways[n].lets(at)).1
        };
        let m = problem.distances.margin;
        let place = |(n, at): (usize, Vec2)| {
            let p = (at - oriented[n].shift).to_point();
            (n, Point::new(p.x.max(m), p.y.max(m)))
        };
        let mut at: Vec<(usize, Point)> = laying.turned.places(phase).into_iter().filter(|(n, at)| ways[*n].lets(*at)).map(place).collect();
        at.sort_by(|x, y| x.1.x.total_cmp(&y.1.x).then(x.1.y.total_cmp(&y.1.y)));
        Self { poses, at, reach: oriented.iter().map(|o| o.size.x).collect() }
    }

    /// How far to the right the first so many reach, mm.
    fn end(&self, wanted: usize) -> f64 {
        self.at.iter().take(wanted).map(|(n, at)| at.x + self.reach[*n]).fold(0.0, f64::max)
    }

    /// As parts put down: the numbers of their turns, which are added where they are not there. `None` where there is no room for one.
    fn put(&self, problem: &Problem, shape: usize) -> Option<Vec<(usize, Point)>> {
        let s = &problem.shapes[shape];
        let number = |pose: &Pose| s.turns.add(*pose, &s.polygon, problem.spacing);
        let numbers: Vec<usize> = self.poses.iter().map(number).collect::<Option<_>>()?;
        Some(self.at.iter().map(|(n, at)| (numbers[*n], *at)).collect())
    }
}

/// The engine: what is there at once, and what time finds.
pub(crate) struct Lattices<'p> {
    problem: &'p Problem<'p>,
    tried: usize,
}

impl<'p> Lattices<'p> {
    pub(crate) fn new(problem: &'p Problem<'p>) -> Self {
        Self { problem, tried: 0 }
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

    /// True where lattices were tried, and could be more thoroughly.
    pub(crate) fn have_more(&self) -> bool {
        (1..DEPTHS.len()).contains(&self.tried)
    }

    /// Copies of a shape, by demand.
    fn wanted(&self, shape: usize) -> Vec<usize> {
        let of = self.problem.demands.iter().enumerate().filter(|(_, d)| d.shape == shape && !d.filler);
        of.flat_map(|(i, d)| std::iter::repeat_n(i, d.quantity as usize)).collect()
    }

    /// The best way to lay so many of a shape on a kind of sheet: most of them, or all in the least room. Turns are added for that one
    /// alone: those of the ways that are only compared would soon leave no room for what is found later.
    fn laid(&self, at: (usize, usize), wanted: usize, layings: &[Laying], depth: &Depth) -> Option<Vec<(usize, Point)>> {
        let free = self.problem.blocked[at.1].is_empty();
        let enough = layings.first().is_some_and(|l| l.count >= wanted);
        let tried = if free && !enough { 1 } else { 12 };
        let mut all: Vec<Places> = layings.iter().take(tried).map(|l| Places::new(self.problem, at, l, depth)).collect();
        all.retain(|places| !places.at.is_empty());
        let worth = |places: &Places| places.at.len().min(wanted);
        all.sort_by(|a, b| worth(b).cmp(&worth(a)).then(a.end(wanted).total_cmp(&b.end(wanted))));
        let more = layings.iter().skip(tried).map(|l| Places::new(self.problem, at, l, depth)).filter(|places| !places.at.is_empty());
        all.into_iter().chain(more).find_map(|places| places.put(self.problem, at.0))
    }
}

impl Engine for Lattices<'_> {
    fn improve(&mut self, _: &Plan, cost: Cost, go_on: &(dyn Fn() -> bool + Sync)) -> Option<Plan> {
        let p = self.problem;
        let depth = DEPTHS.get(self.tried)?;
        self.tried += 1;
        let mut many: Vec<(usize, Vec<usize>)> =
            (0..p.shapes.len()).map(|s| (s, self.wanted(s))).filter(|w| w.1.len() >= LEAST_COPIES).collect();
        many.sort_by(|a, b| (b.1.len() as f64 * p.shapes[b.0].area).total_cmp(&(a.1.len() as f64 * p.shapes[a.0].area)));
        many.truncate(depth.kinds);
        let mut whole = empty(p);
        let mut begun = empty(p);
        let mut rest: Vec<usize> = Vec::new();
        let mut left: Vec<u32> = p.sheets.iter().map(|s| s.count.unwrap_or(u32::MAX)).collect();
        (0..left.len()).filter(|k| !p.held[*k].is_empty()).for_each(|k| left[k] = 0);
        for (shape, wanted) in &many {
            let found = lattices(p, wanted[0], depth, go_on);
            let mut wanted = wanted.clone();
            let mut on: Option<(usize, Vec<Laying>)> = None;
            while !wanted.is_empty() && whole.sheets.len() < MOST_SHEETS {
                let Some(kind) = left.iter().position(|n| *n > 0) else { break };
                if on.as_ref().is_none_or(|o| o.0 != kind) {
                    on = Some((kind, layings(p, (*shape, kind), &found, depth, go_on)));
                }
                let ways = on.as_ref().map_or(&[][..], |o| &o.1);
                let Some(best) = self.laid((*shape, kind), wanted.len(), ways, depth) else { break };
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
        cheapest(p, plans.into_iter().flatten()).filter(|c| c.0 < cost).map(|c| c.1)
    }
}

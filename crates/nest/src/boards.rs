//! Boards: where every part is a rectangle, laying them is a matter of order alone.
//!
//! A sheet is filled from its end: the lowest place of the front is found, and of all boards the one that fits it best is set
//! there (after Burke, Kendall and Whitwell, "A new placement heuristic for the orthogonal stock-cutting problem", 2004). How
//! well a board fits is weighed by a figure of its own, and those figures are what is searched: many thousand fillings a second.

use crate::cost::{Cost, cheapest};
use crate::engine::{Engine, LANES};
use crate::geometry::{Point, Vec2};
use crate::plan::Put;
use crate::plan::{Filled, Plan};
use crate::problem::Problem;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use rayon::prelude::*;

/// Boards set down in each lane between two times that what was found is compared.
const EPOCH: usize = 400_000;
/// Two ends of boards are flush within this, mm.
const FLUSH: f64 = 1e-6;
/// Fillings without gain after which a lane begins anew.
const STALE: usize = 4000;
/// More sheets than this are not one job.
const MOST_SHEETS: usize = 200;

/// A kind of board: its size with the spacing, for each turn that it may have.
struct Board {
    demand: usize,
    quantity: u32,
    /// Turn, and size along the sheet and across it.
    turns: Vec<(usize, Vec2)>,
}

/// The engine with its lanes.
pub(crate) struct Boards<'p> {
    problem: &'p Problem<'p>,
    boards: Vec<Board>,
    lanes: Vec<Lane>,
}

struct Lane {
    rng: SmallRng,
    weights: Vec<f64>,
    across: bool,
    worth: (usize, usize, f64),
    stale: usize,
}

/// A stretch of the front: from, to, and how far the sheet is filled there.
#[derive(Clone, Copy)]
struct Front {
    from: f64,
    to: f64,
    at: f64,
}

/// What was set down: sheet, board, which of its turns, where.
type Set = (usize, usize, usize, Point);

impl<'p> Boards<'p> {
    /// `None` where something is no rectangle, or something is in the way.
    pub(crate) fn new(problem: &'p Problem<'p>, seed: u64) -> Option<Self> {
        let free = problem.blocked.iter().all(Vec::is_empty)
            && problem.held.iter().all(Vec::is_empty)
            && problem.demands.iter().all(|d| !d.filler);
        let board = |(i, d): (usize, &crate::problem::Demand)| {
            let shape = &problem.shapes[d.shape];
            let upright = |t: &crate::nofit::Oriented| (t.size.x * t.size.y - shape.net).abs() < 1e-6 * shape.net;
            let turns: Vec<(usize, Vec2)> = shape
                .turns
                .iter()
                .enumerate()
                .filter(|(_, t)| upright(t))
                .map(|(k, t)| (k, t.size + Vec2::new(problem.spacing, problem.spacing)))
                .collect();
            // A turn by half is the same board.
            let mut apart: Vec<(usize, Vec2)> = Vec::new();
            turns.into_iter().for_each(|t| {
                if apart.iter().all(|a| (a.1 - t.1).hypot() > FLUSH) {
                    apart.push(t);
                }
            });
            (!apart.is_empty()).then_some(Board { demand: i, quantity: d.quantity, turns: apart })
        };
        let boards: Vec<Board> = problem.demands.iter().enumerate().filter(|(_, d)| d.quantity > 0).map(board).collect::<Option<_>>()?;
        let lane = |n: usize| Lane {
            rng: SmallRng::seed_from_u64(seed.wrapping_mul(0x9e37_79b9).wrapping_add(n as u64)),
            weights: vec![1.0; boards.len()],
            across: n % 2 == 1,
            worth: (usize::MAX, 0, 0.0),
            stale: 0,
        };
        if !free || boards.is_empty() {
            return None;
        }
        let lanes = (0..LANES).map(lane).collect();
        Some(Self { problem, boards, lanes })
    }

    /// Sheets to fill in order: kind and size within the margin, with one spacing more.
    fn sheets(&self) -> Vec<(usize, Vec2)> {
        let p = self.problem;
        let room =
            |k: usize| Vec2::new(p.sheets[k].width, p.sheets[k].height) - Vec2::new(1.0, 1.0) * (2.0 * p.distances.margin - p.spacing);
        let kinds =
            p.sheets.iter().enumerate().flat_map(|(k, s)| std::iter::repeat_n((k, room(k)), s.count.map_or(MOST_SHEETS, |n| n as usize)));
        kinds.take(MOST_SHEETS).collect()
    }

    /// Fills sheets with boards by some weights; `across` fills each from below instead of from the left. What is left over
    /// comes first in the worth, then sheets, then how far the last is filled.
    fn filled(&self, weights: &[f64], across: bool, sheets: &[(usize, Vec2)]) -> ((usize, usize, f64), Vec<Set>) {
        let mut left: Vec<u32> = self.boards.iter().map(|b| b.quantity).collect();
        let mut wait: usize = left.iter().map(|n| *n as usize).sum();
        let mut set: Vec<Set> = Vec::with_capacity(wait);
        let mut used = (0, 0.0);
        // What fits on no empty sheet of a kind fits on none of them.
        let mut fits_nothing: Option<usize> = None;
        for (s, (kind, size)) in sheets.iter().enumerate() {
            if wait == 0 {
                break;
            }
            if fits_nothing == Some(*kind) {
                continue;
            }
            let (length, width) = if across { (size.y, size.x) } else { (size.x, size.y) };
            let mut front = vec![Front { from: 0.0, to: width, at: 0.0 }];
            let (begun, mut end) = (set.len(), 0.0_f64);
            while let Some((k, low)) = front.iter().copied().enumerate().min_by(|a, b| a.1.at.total_cmp(&b.1.at)) {
                let gap = low.to - low.from;
                let (before, after) = (k.checked_sub(1).map(|i| front[i].at), front.get(k + 1).map(|f| f.at));
                let mut best: Option<(f64, usize, usize, Vec2)> = None;
                for (b, board) in self.boards.iter().enumerate().filter(|(b, _)| left[*b] > 0) {
                    for (turn, (_, size)) in board.turns.iter().enumerate() {
                        let size = if across { Vec2::new(size.y, size.x) } else { *size };
                        if size.y > gap + FLUSH || low.at + size.x > length + FLUSH {
                            continue;
                        }
                        let flush = |at: Option<f64>| at.is_some_and(|at| (low.at + size.x - at).abs() < FLUSH);
                        let exact = if (gap - size.y).abs() < FLUSH { 0.5 } else { 0.0 };
                        let level = if flush(before) || flush(after) { 0.3 } else { 0.0 };
                        let fit = (size.y / gap + exact + level) * weights[b];
                        if best.is_none_or(|x| fit > x.0) {
                            best = Some((fit, b, turn, size));
                        }
                    }
                }
                let Some((_, b, turn, size)) = best else {
                    // Nothing goes there: it is filled up to the lower neighbour, or the sheet is done with.
                    let up = before.unwrap_or(f64::INFINITY).min(after.unwrap_or(f64::INFINITY));
                    if !up.is_finite() {
                        break;
                    }
                    front[k].at = up;
                    level(&mut front);
                    continue;
                };
                // Beside the neighbour that it is flush with, else beside the higher one.
                let near = |at: Option<f64>| at.map_or(-1.0, |at| (low.at + size.x - at).abs());
                let first = if (near(before) < FLUSH) == (near(after) < FLUSH) {
                    before.unwrap_or(f64::INFINITY) >= after.unwrap_or(f64::INFINITY)
                } else {
                    near(before) < FLUSH
                };
                let from = if first { low.from } else { low.to - size.y };
                let at = if across { Point::new(from, low.at) } else { Point::new(low.at, from) };
                set.push((s, b, turn, at));
                left[b] -= 1;
                wait -= 1;
                end = end.max(low.at + size.x);
                let filled = Front { from, to: from + size.y, at: low.at + size.x };
                let rest = if first { Front { from: filled.to, ..low } } else { Front { to: filled.from, ..low } };
                let both = if first { [filled, rest] } else { [rest, filled] };
                front.splice(k..=k, both.into_iter().filter(|f| f.to - f.from > FLUSH));
                level(&mut front);
            }
            if set.len() > begun {
                used = (used.0 + 1, end / length);
            } else {
                fits_nothing = Some(*kind);
            }
        }
        ((wait, used.0, used.1), set)
    }

    fn plan(&self, set: &[Set], sheets: &[(usize, Vec2)]) -> Plan {
        let mut plan = Plan::default();
        let mut of: Vec<Option<usize>> = vec![None; sheets.len()];
        let mut laid: Vec<u32> = vec![0; self.boards.len()];
        let margin = Vec2::new(1.0, 1.0) * self.problem.distances.margin;
        for (s, b, turn, at) in set {
            let place = *of[*s].get_or_insert_with(|| {
                plan.sheets.push(Filled { kind: sheets[*s].0, put: Vec::new() });
                plan.sheets.len() - 1
            });
            laid[*b] += 1;
            let board = &self.boards[*b];
            plan.sheets[place].put.push(Put { demand: board.demand, turn: board.turns[*turn].0, at: *at + margin });
        }
        for (b, n) in self.boards.iter().zip(laid) {
            plan.unplaced.extend(std::iter::repeat_n(b.demand, (b.quantity - n) as usize));
        }
        plan
    }
}

/// Stretches of the front that are equally far are one.
fn level(front: &mut Vec<Front>) {
    let mut i = 1;
    while i < front.len() {
        if (front[i].at - front[i - 1].at).abs() < FLUSH {
            front[i - 1].to = front[i].to;
            front.remove(i);
        } else {
            i += 1;
        }
    }
}

impl Engine for Boards<'_> {
    fn improve(&mut self, _: &Plan, cost: Cost, go_on: &(dyn Fn() -> bool + Sync)) -> Option<Plan> {
        let sheets = self.sheets();
        let copies: usize = self.boards.iter().map(|b| b.quantity as usize).sum();
        let mut lanes = std::mem::take(&mut self.lanes);
        let found: Vec<Option<Vec<Set>>> = lanes
            .par_iter_mut()
            .map(|lane| {
                let mut best: Option<Vec<Set>> = None;
                for n in 0..EPOCH / copies.max(1) + 1 {
                    if n % 16 == 0 && !go_on() {
                        break;
                    }
                    let (mut weights, across) = (lane.weights.clone(), lane.across);
                    if lane.stale > STALE {
                        lane.stale = 0;
                        lane.worth = (usize::MAX, 0, 0.0);
                        weights.iter_mut().for_each(|w| *w = lane.rng.random_range(0.5..1.5));
                    } else {
                        for _ in 0..lane.rng.random_range(1..4) {
                            let i = lane.rng.random_range(0..weights.len());
                            weights[i] = lane.rng.random_range(0.3..1.7);
                        }
                    }
                    let (worth, set) = self.filled(&weights, across, &sheets);
                    lane.stale += 1;
                    if worth < lane.worth {
                        lane.stale = 0;
                    }
                    if worth <= lane.worth {
                        (lane.worth, lane.weights) = (worth, weights);
                        best = Some(set);
                    }
                }
                best
            })
            .collect();
        self.lanes = lanes;
        let plans = found.iter().flatten().map(|set| self.plan(set, &sheets));
        let best = cheapest(self.problem, plans)?;
        (best.0 < cost).then_some(best.1)
    }
}

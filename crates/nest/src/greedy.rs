//! Puts parts down one after the other, in many orders: a layout at once, and what is left over laid into the gaps.

use crate::cost::Cost;
use crate::engine::{Engine, LANES};
use crate::packer::{Filling, Outcome, Taste};
use crate::plan::{Filled, Plan};
use crate::problem::Problem;
use rand::rngs::SmallRng;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rayon::prelude::*;

/// More sheets than this are not one job.
pub(crate) const MOST_SHEETS: usize = 200;
/// Turns tried for every place: a part may have dozens, the greedy looks at the first of them.
const MOST_TURNS: usize = 8;

/// How parts are put down.
#[derive(Clone, Debug)]
struct Way {
    order: Vec<usize>,
    taste: Taste,
    /// Only so many of a part's turns.
    turns: usize,
}

/// The engine.
pub(crate) struct Greedy<'p> {
    problem: &'p Problem<'p>,
    best: Option<(Cost, Way)>,
    seed: u64,
    tried: usize,
    starts: Vec<(usize, Taste, usize)>,
}

impl<'p> Greedy<'p> {
    pub(crate) fn new(problem: &'p Problem<'p>, seed: u64) -> Self {
        let most = problem.shapes.iter().map(|s| s.turns.len()).max().unwrap_or(1).min(MOST_TURNS);
        // More freedom is not always better for one who never looks back: fewer turns are tried as well.
        let freedoms: Vec<usize> =
            [most, 1, 2, 4].into_iter().filter(|n| *n <= most).collect::<std::collections::BTreeSet<_>>().into_iter().rev().collect();
        let starts = (0..4).flat_map(|by| Taste::ALL.map(|t| (by, t)));
        let starts = starts.flat_map(|(by, taste)| freedoms.iter().map(move |f| (by, taste, *f)).collect::<Vec<_>>()).collect();
        Self { problem, best: None, seed, tried: 0, starts }
    }

    /// Convex hulls in one order: it is there soon, whatever the parts. `None` when it was stopped.
    pub(crate) fn hulls(problem: &Problem, go_on: &dyn Fn() -> bool) -> Option<Plan> {
        let way = Way { order: sorted(problem, 0), taste: Taste::Left, turns: 4 };
        put_down(&problem.hulls(), &way, &empty(problem), None, go_on)
    }

    /// What a plan leaves without a place, laid into the gaps of its sheets, and on further ones.
    pub(crate) fn filled_up(problem: &Problem, plan: &Plan, go_on: &dyn Fn() -> bool) -> Option<Plan> {
        let mut order = plan.unplaced.clone();
        order.sort_by(|a, b| key(problem, *b, 0).total_cmp(&key(problem, *a, 0)));
        let base = Plan { sheets: plan.sheets.clone(), unplaced: Vec::new() };
        put_down(problem, &Way { order, taste: Taste::Left, turns: MOST_TURNS }, &base, None, go_on)
    }

    /// A plan with one of its sheets' parts on a sheet of a cheaper kind, where one takes them all; the emptiest sheet first.
    pub(crate) fn cheaper(problem: &Problem, plan: &Plan, go_on: &dyn Fn() -> bool) -> Option<Plan> {
        let left = |kind: usize| {
            let used = plan.sheets.iter().filter(|s| s.kind == kind).count();
            problem.held[kind].is_empty() && problem.sheets[kind].count.is_none_or(|n| n as usize > used)
        };
        let area = |s: &Filled| s.put.iter().map(|p| problem.shapes[problem.demands[p.demand].shape].net).sum::<f64>();
        for (i, sheet) in plan.sheets.iter().enumerate().rev().filter(|s| problem.held[s.1.kind].is_empty()) {
            let price = problem.price(sheet.kind);
            let takes = |k: &usize| problem.price(*k) < price - 1e-9 && problem.sheets[*k].area() > area(sheet) && left(*k);
            let mut kinds: Vec<usize> = (0..problem.sheets.len()).filter(takes).collect();
            kinds.sort_by(|a, b| problem.price(*a).total_cmp(&problem.price(*b)));
            let mut order: Vec<usize> = sheet.put.iter().map(|p| p.demand).collect();
            order.sort_by(|a, b| key(problem, *b, 0).total_cmp(&key(problem, *a, 0)));
            for kind in kinds {
                let mut fresh = Filling::new(kind, problem.shapes.len());
                if order.iter().all(|d| fresh.put(problem, *d, (Taste::Left, MOST_TURNS), go_on) == Outcome::Put) {
                    let mut sheets = plan.sheets.clone();
                    sheets[i] = Filled { kind, put: fresh.put };
                    return Some(Plan { sheets, unplaced: plan.unplaced.clone() });
                }
            }
        }
        None
    }

    fn way(&self, number: usize) -> Way {
        match (self.starts.get(number), &self.best) {
            (None, Some((_, best))) => disturbed(best, self.seed, number),
            (start, _) => {
                let (by, taste, turns) = start.copied().unwrap_or((0, Taste::Left, MOST_TURNS));
                Way { order: sorted(self.problem, by), taste, turns }
            }
        }
    }
}

impl Engine for Greedy<'_> {
    fn improve(&mut self, best: &Plan, cost: Cost, go_on: &(dyn Fn() -> bool + Sync)) -> Option<Plan> {
        let _ = best;
        // The first layout of true shapes alone, so that it is there soon.
        let lanes = if self.tried == 0 { 1 } else { LANES };
        let ways: Vec<Way> = (0..lanes).map(|lane| self.way(self.tried + lane)).collect();
        self.tried += lanes;
        let limit = self.best.as_ref().map_or(cost, |b| if b.0 > cost { b.0 } else { cost });
        let empty = empty(self.problem);
        let found: Vec<_> = ways.into_par_iter().map(|way| (put_down(self.problem, &way, &empty, Some(limit), go_on), way)).collect();
        let mut better: Option<(Cost, Plan)> = None;
        for (plan, way) in found {
            let Some(plan) = plan else { continue };
            let cost = plan.cost(self.problem);
            if self.best.as_ref().is_none_or(|b| cost <= b.0) {
                self.best = Some((cost, way));
            }
            if better.as_ref().is_none_or(|b| cost < b.0) {
                better = Some((cost, plan));
            }
        }
        better.filter(|b| b.0 < cost).map(|b| b.1)
    }
}

/// Only the sheets on which something is held.
pub(crate) fn empty(problem: &Problem) -> Plan {
    let held = (0..problem.sheets.len()).filter(|k| !problem.held[*k].is_empty());
    Plan { sheets: held.map(|kind| Filled { kind, put: Vec::new() }).collect(), unplaced: Vec::new() }
}

/// All demands, once for each copy, the largest first, fillers last.
fn sorted(problem: &Problem, by: usize) -> Vec<usize> {
    let mut order: Vec<usize> = problem.demands.iter().enumerate().flat_map(|(i, d)| std::iter::repeat_n(i, d.quantity as usize)).collect();
    let turn = |d: usize| (!problem.demands[d].first, problem.demands[d].filler);
    order.sort_by(|a, b| turn(*a).cmp(&turn(*b)).then(key(problem, *b, by).total_cmp(&key(problem, *a, by))));
    order
}

/// Sizes to sort by: area, longest side, box area, shortest side.
fn key(problem: &Problem, demand: usize, by: usize) -> f64 {
    let shape = &problem.shapes[problem.demands[demand].shape];
    match by {
        0 => shape.area,
        1 => shape.size.x.max(shape.size.y),
        2 => shape.size.x * shape.size.y,
        _ => shape.size.x.min(shape.size.y),
    }
}

/// A way, disturbed as the seed and the number of the try say.
fn disturbed(best: &Way, seed: u64, number: usize) -> Way {
    let mut rng = SmallRng::seed_from_u64(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15).wrapping_add(number as u64));
    let Way { mut order, mut taste, turns } = best.clone();
    let n = order.len();
    if rng.random_bool(0.15) {
        taste = Taste::ALL[rng.random_range(0..4)];
    }
    for _ in 0..if n < 2 { 0 } else { rng.random_range(1..=3) } {
        let (i, j) = (rng.random_range(0..n), rng.random_range(0..n));
        match rng.random_range(0..10) {
            0..5 => order.swap(i, j),
            5..8 => order[i.min(j)..=i.max(j)].rotate_right(1),
            8 => order[i.min(j)..=i.max(j)].reverse(),
            _ => order[i..(i + 8).min(n)].shuffle(&mut rng),
        }
    }
    Way { order, taste, turns }
}

/// Puts parts down upon what lies there already. `None` when it was stopped or cannot beat the limit.
fn put_down(problem: &Problem, way: &Way, base: &Plan, limit: Option<Cost>, go_on: &dyn Fn() -> bool) -> Option<Plan> {
    let shapes = problem.shapes.len();
    let mut sheets: Vec<Filling> = base.sheets.iter().map(|s| Filling::of(s.kind, shapes, s.put.clone(), s.used(problem))).collect();
    let mut left: Vec<u32> = problem.sheets.iter().map(|s| s.count.unwrap_or(u32::MAX)).collect();
    // Sheets on which something is held are there from the beginning.
    (0..left.len()).filter(|k| !problem.held[*k].is_empty()).for_each(|k| left[k] = 0);
    sheets.iter().for_each(|s| left[s.kind] = left[s.kind].saturating_sub(1));
    let mut kind = 0;
    let mut unplaced: Vec<usize> = Vec::new();
    let mut hopeless = vec![false; shapes];
    for demand in &way.order {
        if limit.is_some_and(|cost| sheets.len() > cost.1 && cost.0 == 0) || !go_on() {
            return None;
        }
        let shape = problem.demands[*demand].shape;
        let mut put = false;
        if !hopeless[shape] {
            for sheet in &mut sheets {
                match sheet.put(problem, *demand, (way.taste, way.turns), go_on) {
                    Outcome::Put => put = true,
                    Outcome::Full => continue,
                    Outcome::Stopped => return None,
                }
                break;
            }
        }
        // A new sheet of the next kind there is; a kind that the part does not fit is passed over for it alone.
        let mut next = kind;
        while !put && !hopeless[shape] && !problem.demands[*demand].filler && next < problem.sheets.len() && sheets.len() < MOST_SHEETS {
            if left[next] == 0 {
                kind += usize::from(next == kind);
                next += 1;
                continue;
            }
            let mut fresh = Filling::new(next, shapes);
            if fresh.put(problem, *demand, (way.taste, usize::MAX), &|| true) == Outcome::Put {
                put = true;
                left[next] -= 1;
                sheets.push(fresh);
            } else {
                next += 1;
            }
        }
        if !put {
            unplaced.push(*demand);
            hopeless[shape] |= !problem.demands[*demand].filler;
        }
    }
    Some(Plan { sheets: sheets.into_iter().map(|s| Filled { kind: s.kind, put: s.put }).collect(), unplaced })
}

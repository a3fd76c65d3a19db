//! Which sheets: combinations of kinds of sheets, the cheapest first.
//!
//! The other engines open sheets in the order in which their kinds are named. Here all combinations whose area may do are gone through by
//! price (a best-first search: what a combination costs, and what the area that it still wants would cost at the cheapest rate there is),
//! parts are laid on each, and where only a few found no place, what separates overlaps is set on it.

use crate::cost::{Cost, cheapest, rounded};
use crate::engine::{Engine, LANES};
use crate::fences::Fences;
use crate::greedy::{Greedy, MOST_SHEETS, empty};
use crate::packer::Taste;
use crate::plan::Plan;
use crate::problem::Problem;
use crate::separation::Separation;
use rayon::prelude::*;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// Rounding of areas, as a share.
const SLACK: f64 = 1e-4;
/// Steps of the search for combinations, and combinations that are laid at most.
const STEPS: usize = 40_000;
const COMBINATIONS: usize = 96;
/// Combinations that held nearly all: so many are gone on with, each for so many tries, if no more of the parts' area waits than this.
const NEAR: usize = 8;
const TRIES: usize = 10;
const WAITS: f64 = 0.25;

/// Sheets taken together, kinds in rising order.
#[derive(Clone, Debug, PartialEq)]
struct Combination {
    /// Its price, and that of the area which it wants still, at the cheapest rate.
    least: f64,
    price: f64,
    /// Area that it wants still, mm².
    wants: f64,
    kinds: Vec<usize>,
}

impl Eq for Combination {}

impl PartialOrd for Combination {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Combination {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        let least = self.least.total_cmp(&other.least);
        least.then(self.kinds.len().cmp(&other.kinds.len())).then_with(|| self.kinds.cmp(&other.kinds))
    }
}

/// A combination on which nearly all has its place, and who goes on with it.
struct Near<'p> {
    plan: Plan,
    price: f64,
    /// Share of the parts' area that waits, as it was laid first.
    waits: f64,
    engine: Option<Separation<'p>>,
    tried: usize,
}

/// The engine.
pub(crate) struct Stock<'p> {
    problem: &'p Problem<'p>,
    fences: Option<&'p Fences<'p>>,
    seed: u64,
    open: BinaryHeap<Reverse<Combination>>,
    steps: usize,
    laid: usize,
    near: Vec<Near<'p>>,
}

impl<'p> Stock<'p> {
    /// Begins with no sheet but those on which something is held. Of a single kind there is nothing to choose.
    pub(crate) fn new(problem: &'p Problem<'p>, fences: Option<&'p Fences<'p>>, seed: u64) -> Self {
        let wanted: f64 = problem.demands.iter().filter(|d| !d.filler).map(|d| problem.shapes[d.shape].net * f64::from(d.quantity)).sum();
        let held: f64 = empty(problem).sheets.iter().map(|s| problem.sheets[s.kind].area()).sum();
        let price = empty(problem).sheets.iter().map(|s| problem.price(s.kind)).sum();
        let mut stock = Self { problem, fences, seed, open: BinaryHeap::new(), steps: 0, laid: 0, near: Vec::new() };
        if stock.kinds().count() > 1 {
            stock.opened(Combination { least: 0.0, price, wants: wanted * (1.0 - SLACK) - held, kinds: Vec::new() });
        }
        stock
    }

    /// Kinds that may be taken.
    fn kinds(&self) -> impl Iterator<Item = usize> + use<'p> {
        let problem = self.problem;
        (0..problem.sheets.len()).filter(|k| problem.held[*k].is_empty() && problem.sheets[*k].count != Some(0))
    }

    fn opened(&mut self, combination: Combination) {
        let rate = self.kinds().map(|k| self.problem.price(k) / self.problem.sheets[k].area()).fold(f64::INFINITY, f64::min);
        let least = combination.price + rate * combination.wants.max(0.0);
        self.open.push(Reverse(Combination { least, ..combination }));
    }

    /// The cheapest combination that was not given yet and costs less than a plan, if there is one.
    fn next(&mut self, cost: &Cost) -> Option<Combination> {
        while self.steps < STEPS {
            let cheapest = self.open.pop()?.0;
            if !costs_less(cheapest.least, cheapest.kinds.len(), cost) {
                self.open.clear();
                return None;
            }
            self.steps += 1;
            // What has area enough may still not hold everything: those with a sheet more are there as well.
            if cheapest.kinds.len() < MOST_SHEETS {
                self.opened_beyond(&cheapest);
            }
            if cheapest.wants <= 0.0 && !cheapest.kinds.is_empty() {
                return Some(cheapest);
            }
        }
        None
    }

    /// The combinations with one sheet more.
    fn opened_beyond(&mut self, cheapest: &Combination) {
        let from = cheapest.kinds.last().copied().unwrap_or(0);
        for kind in self.kinds().filter(|k| *k >= from) {
            let taken = cheapest.kinds.iter().filter(|k| **k == kind).count();
            if self.problem.sheets[kind].count.is_none_or(|n| n as usize > taken) {
                let kinds = cheapest.kinds.iter().copied().chain([kind]).collect();
                let (price, wants) = (cheapest.price + self.problem.price(kind), cheapest.wants - self.problem.sheets[kind].area());
                self.opened(Combination { least: 0.0, price, wants, kinds });
            }
        }
    }

    /// True where a combination that costs less than a plan may still be tried.
    pub(crate) fn has_more(&self, cost: &Cost) -> bool {
        let open = self.laid < COMBINATIONS && self.steps < STEPS;
        let next = self.open.peek().filter(|_| open).is_some_and(|c| costs_less(c.0.least, c.0.kinds.len(), cost));
        next || self.near.iter().any(|n| n.is_open(cost))
    }

    /// Area without a place, as a share of all that is laid and waits.
    fn waits(&self, plan: &Plan) -> f64 {
        let area = |d: &usize| self.problem.shapes[self.problem.demands[*d].shape].net;
        let fixed = |d: &&usize| !self.problem.demands[**d].filler;
        let waiting: f64 = plan.unplaced.iter().filter(fixed).map(area).sum();
        waiting / (waiting + plan.sheets.iter().flat_map(|s| &s.put).map(|p| area(&p.demand)).sum::<f64>()).max(1e-9)
    }
}

/// True where sheets of a price, so many or more, may be had for less than a plan.
fn costs_less(price: f64, sheets: usize, cost: &Cost) -> bool {
    let price = rounded(price);
    cost.unplaced > 0 || price < cost.price || price == cost.price && sheets < cost.sheets
}

impl Near<'_> {
    fn is_open(&self, cost: &Cost) -> bool {
        self.tried < TRIES && costs_less(self.price, self.plan.sheets.len(), cost)
    }
}

impl Engine for Stock<'_> {
    fn improve(&mut self, _: &Plan, cost: Cost, go_on: &(dyn Fn() -> bool + Sync)) -> Option<Plan> {
        let most = LANES.min(COMBINATIONS.saturating_sub(self.laid));
        let next: Vec<Combination> = std::iter::from_fn(|| self.next(&cost)).take(most).collect();
        self.laid += next.len();
        if !next.is_empty() {
            let lay = |c: &Combination| {
                let plans = [Taste::Left, Taste::Box].map(|taste| Greedy::on(self.problem, &c.kinds, taste, go_on));
                cheapest(self.problem, plans.into_iter().flatten())
            };
            let laid: Vec<_> = next.par_iter().map(lay).collect();
            let mut best: Option<(Cost, Plan)> = None;
            for (combination, (found, plan)) in next.iter().zip(laid).filter_map(|(c, l)| Some((c, l?))) {
                if found < cost {
                    best = best.filter(|b| b.0 <= found).or(Some((found, plan)));
                } else {
                    self.near.push(Near { waits: self.waits(&plan), plan, price: combination.price, engine: None, tried: 0 });
                }
            }
            self.near.retain(|n| n.waits < WAITS);
            self.near.sort_by(|a, b| a.waits.total_cmp(&b.waits));
            self.near.truncate(NEAR);
            return best.map(|b| b.1);
        }
        let near = self.near.iter_mut().filter(|n| n.is_open(&cost)).min_by_key(|n| n.tried)?;
        near.tried += 1;
        if near.engine.is_none() {
            near.engine = self.fences.and_then(|f| Separation::new(f, &near.plan, self.seed));
        }
        let Some(engine) = &mut near.engine else {
            near.tried = TRIES;
            return None;
        };
        if let Some(better) = engine.improve(&near.plan, near.plan.cost(self.problem), go_on) {
            near.plan = better;
            // What comes nearer is gone on with.
            near.tried = near.tried.saturating_sub(TRIES / 2);
        }
        Some(near.plan.clone()).filter(|plan| plan.cost(self.problem) < cost)
    }
}

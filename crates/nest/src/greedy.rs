//! Puts parts down one after the other, in many orders: a layout at once, and what is left over laid into the gaps.

use crate::cost::{Cost, rounded};
use crate::engine::{Engine, LANES};
use crate::geometry::Bounds;
use crate::ids::PartId;
use crate::kits::Kits;
use crate::packer::{Filling, Outcome, Pick, Taste};
use crate::plan::{Filled, Plan};
use crate::problem::Problem;
use rand::rngs::SmallRng;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rayon::prelude::*;
use rustc_hash::FxHashSet;

/// More sheets than this are not one job.
pub(crate) const MOST_SHEETS: usize = 200;
/// Turns tried for every place: a part may have dozens, the greedy looks at the first of them.
const MOST_TURNS: usize = 8;

/// How parts are put down.
#[derive(Clone, Debug)]
struct Way {
    /// Parts by demand, kits by their number after them all.
    order: Vec<usize>,
    taste: Taste,
    /// Only so many of a part's turns.
    turns: usize,
    /// Only so many sheets.
    sheets: usize,
}

impl Way {
    fn new(order: Vec<usize>, taste: Taste, turns: usize) -> Self {
        Self { order, taste, turns, sheets: MOST_SHEETS }
    }
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
        let way = Way::new(sorted(problem, 0), Taste::Left, 4);
        put_down(&problem.hulls(), &way, &empty(problem), None, go_on)
    }

    /// What a plan leaves without a place, laid into the gaps of its sheets, and on further ones.
    pub(crate) fn filled_up(problem: &Problem, plan: &Plan, go_on: &dyn Fn() -> bool) -> Option<Plan> {
        let (mut order, sizes) = (units(problem, plan.unplaced.iter().copied()), unit_keys(problem, 0));
        order.sort_by(|a, b| sizes[*b].total_cmp(&sizes[*a]));
        let base = Plan { sheets: plan.sheets.clone(), unplaced: Vec::new() };
        put_down(problem, &Way::new(order, Taste::Left, MOST_TURNS), &base, None, go_on)
    }

    /// All parts on these sheets and those on which something is held, the largest parts first; what finds no place there has none.
    /// `None` when it was stopped.
    pub(crate) fn on(problem: &Problem, kinds: &[usize], taste: Taste, go_on: &dyn Fn() -> bool) -> Option<Plan> {
        let mut base = empty(problem);
        base.sheets.extend(kinds.iter().map(|kind| Filled { kind: *kind, put: Vec::new() }));
        let way = Way { sheets: base.sheets.len(), ..Way::new(sorted(problem, 0), taste, MOST_TURNS) };
        let mut plan = put_down(problem, &way, &base, None, go_on)?;
        plan.sheets.retain(|s| !s.put.is_empty() || !problem.held[s.kind].is_empty());
        Some(plan)
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
                if order.iter().all(|d| fresh.put(problem, *d, Pick::new(Taste::Left, MOST_TURNS), go_on) == Outcome::Put) {
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
                Way::new(sorted(self.problem, by), taste, turns)
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

/// All that is put down at once, the largest first, fillers last.
fn sorted(problem: &Problem, by: usize) -> Vec<usize> {
    let copies = problem.demands.iter().enumerate().flat_map(|(i, d)| std::iter::repeat_n(i, d.quantity as usize));
    let mut order = units(problem, copies);
    let kits = members(problem);
    let first = |unit: usize| unit.checked_sub(problem.demands.len()).map_or(unit, |k| kits[k][0]);
    let turn = |unit: usize| (!problem.demands[first(unit)].first, problem.demands[first(unit)].filler);
    let sizes = unit_keys(problem, by);
    order.sort_by(|a, b| turn(*a).cmp(&turn(*b)).then(sizes[*b].total_cmp(&sizes[*a])));
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
    let Way { mut order, mut taste, turns, .. } = best.clone();
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
    Way::new(order, taste, turns)
}

/// Sheets while parts are put down on them.
struct Laying<'p> {
    problem: &'p Problem<'p>,
    way: &'p Way,
    sheets: Vec<Filling>,
    /// Sheets of each kind that there are still.
    left: Vec<u32>,
    price: f64,
    /// The kind of which the next sheet is.
    kind: usize,
    /// Units that found no place once, and sheets that had none for a kit.
    hopeless: FxHashSet<usize>,
    full: FxHashSet<(usize, usize)>,
}

/// What is put down at once: a part by its demand, a kit by its number after them all; what belongs to it, by demand.
struct Unit<'a> {
    number: usize,
    members: &'a [usize],
    /// They shall lie side by side.
    near: bool,
}

impl Laying<'_> {
    /// On a sheet that is there, or on a new one of the next kind there is; a kind that it does not fit is passed over for it alone.
    /// `None` when it was stopped.
    fn lay(&mut self, unit: &Unit, go_on: &dyn Fn() -> bool) -> Option<bool> {
        let (problem, pick) = (self.problem, Pick::new(self.way.taste, self.way.turns));
        let key = if let [one] = unit.members { problem.demands[*one].shape } else { problem.shapes.len() + unit.number };
        if self.hopeless.contains(&key) {
            return Some(false);
        }
        for (i, sheet) in self.sheets.iter_mut().enumerate() {
            if self.full.contains(&(i, key)) {
                continue;
            }
            match put(problem, sheet, unit, pick, go_on) {
                Outcome::Put => return Some(true),
                Outcome::Full if unit.members.len() > 1 => _ = self.full.insert((i, key)),
                Outcome::Full => {}
                Outcome::Stopped => return None,
            }
        }
        let fills = unit.members.iter().all(|d| problem.demands[*d].filler);
        let mut next = self.kind;
        while !fills && next < problem.sheets.len() && self.sheets.len() < self.way.sheets {
            if self.left[next] == 0 {
                self.kind += usize::from(next == self.kind);
                next += 1;
                continue;
            }
            let mut fresh = Filling::new(next, problem.shapes.len());
            if put(problem, &mut fresh, unit, Pick { turns: usize::MAX, ..pick }, &|| true) == Outcome::Put {
                self.left[next] -= 1;
                self.price += problem.price(next);
                self.sheets.push(fresh);
                return Some(true);
            }
            next += 1;
        }
        if !fills {
            self.hopeless.insert(key);
        }
        Some(false)
    }
}

/// Puts a part down, or all of a kit or nothing of it.
fn put(problem: &Problem, sheet: &mut Filling, unit: &Unit, pick: Pick, go_on: &dyn Fn() -> bool) -> Outcome {
    if let [one] = unit.members {
        return sheet.put(problem, *one, pick, go_on);
    }
    let mut trial = sheet.clone();
    let mut beside: Option<Bounds> = None;
    for member in unit.members {
        let outcome = trial.put(problem, *member, Pick { beside, ..pick }, go_on);
        if outcome != Outcome::Put {
            return outcome;
        }
        if let Some(p) = trial.put.last().filter(|_| unit.near) {
            let own = Bounds { min: p.at, max: p.at + problem.shapes[problem.demands[p.demand].shape].turns[p.turn].size };
            beside = Some(beside.map_or(own, |b| b.union(own)));
        }
    }
    *sheet = trial;
    Outcome::Put
}

/// Puts parts down upon what lies there already. `None` when it was stopped or cannot beat the limit.
fn put_down(problem: &Problem, way: &Way, base: &Plan, limit: Option<Cost>, go_on: &dyn Fn() -> bool) -> Option<Plan> {
    let shapes = problem.shapes.len();
    let sheets: Vec<Filling> = base.sheets.iter().map(|s| Filling::of(s.kind, shapes, s.put.clone(), s.used(problem))).collect();
    let mut left: Vec<u32> = problem.sheets.iter().map(|s| s.count.unwrap_or(u32::MAX)).collect();
    // Sheets on which something is held are there from the beginning.
    (0..left.len()).filter(|k| !problem.held[*k].is_empty()).for_each(|k| left[k] = 0);
    sheets.iter().for_each(|s| left[s.kind] = left[s.kind].saturating_sub(1));
    let price = sheets.iter().map(|s| problem.price(s.kind)).sum();
    let mut laying = Laying { problem, way, sheets, left, price, kind: 0, hopeless: FxHashSet::default(), full: FxHashSet::default() };
    let mut unplaced: Vec<usize> = Vec::new();
    let kits = members(problem);
    for number in &way.order {
        if limit.is_some_and(|cost| rounded(laying.price) > cost.price && cost.unplaced == 0 && cost.torn == 0) || !go_on() {
            return None;
        }
        let kit = number.checked_sub(problem.demands.len()).map(|k| (&kits[k], problem.kits[k].kit.near));
        if let Some((members, near)) = kit
            && laying.lay(&Unit { number: *number, members, near }, go_on)?
        {
            continue;
        }
        // A kit that no sheet holds is torn rather than without a place.
        for one in kit.map_or(std::slice::from_ref(number), |k| k.0) {
            if !laying.lay(&Unit { number: *one, members: &[*one], near: false }, go_on)? {
                unplaced.push(*one);
            }
        }
    }
    Some(Plan { sheets: laying.sheets.into_iter().map(|s| Filled { kind: s.kind, put: s.put }).collect(), unplaced })
}

/// What belongs to one of each kit, by demand, the largest first.
fn members(problem: &Problem) -> Vec<Vec<usize>> {
    let demand = |part: PartId| problem.demands.iter().position(|d| d.part == part);
    let of = |kits: &Kits| {
        let mut all: Vec<usize> =
            kits.each.iter().filter_map(|(part, each)| Some(std::iter::repeat_n(demand(*part)?, *each as usize))).flatten().collect();
        all.sort_by(|a, b| key(problem, *b, 0).total_cmp(&key(problem, *a, 0)));
        all
    };
    problem.kits.iter().map(of).collect()
}

/// Copies by demand as what is put down at once: as many whole kits as they make, and the others one by one.
fn units(problem: &Problem, copies: impl Iterator<Item = usize>) -> Vec<usize> {
    if problem.kits.is_empty() {
        return copies.collect();
    }
    let mut left = vec![0_usize; problem.demands.len()];
    copies.for_each(|d| left[d] += 1);
    let mut all = Vec::new();
    for (k, members) in members(problem).iter().enumerate() {
        let wanted = |d: usize| members.iter().filter(|m| **m == d).count();
        let whole = members.iter().map(|d| left[*d] / wanted(*d)).min().unwrap_or(0);
        members.iter().for_each(|d| left[*d] -= whole);
        all.extend(std::iter::repeat_n(problem.demands.len() + k, whole));
    }
    all.extend(left.iter().enumerate().flat_map(|(d, n)| std::iter::repeat_n(d, *n)));
    all
}

/// Sizes of all that may be put down at once, to sort by.
fn unit_keys(problem: &Problem, by: usize) -> Vec<f64> {
    let kits = members(problem).into_iter().map(|kit| kit.iter().map(|d| key(problem, *d, by)).sum());
    (0..problem.demands.len()).map(|d| key(problem, d, by)).chain(kits).collect()
}

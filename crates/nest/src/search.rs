//! The search: engines in turn, what they find checked, the best kept, for as long as it is let.

use crate::aim::Merits;
use crate::boards::Boards;
use crate::check::faults;
use crate::cost::Cost;
use crate::engine::Engine;
use crate::fences::Fences;
use crate::greedy::Greedy;
use crate::ids::CopyId;
use crate::in_line::rows_in_line;
use crate::lattice::Lattices;
use crate::layout::Layout;
use crate::plan::Plan;
use crate::problem::Problem;
use crate::separation::Separation;
use crate::shelves::on_shelves;
use crate::snap::snapped;
use crate::stock::Stock;
use crate::ways::Aim;

/// How a search is run and watched. There is no clock in here: the caller decides when it is enough.
pub struct Control<'a> {
    /// Asked again and again; false ends the search with the best so far.
    pub go_on: &'a (dyn Fn() -> bool + Sync),
    /// Told of each better layout and the number of tries so far.
    pub better: &'a (dyn Fn(&Layout, usize) + Sync),
    /// Told how many tries have been made, after each: whoever has a clock lets the first true layout be finished by it.
    pub tried: &'a (dyn Fn(usize) + Sync),
    /// Start of the random sequence.
    pub seed: u64,
    /// Greatest number of tries; `usize::MAX` to go by `go_on` alone.
    pub tries: usize,
}

/// Tries of the greedy before the others have their turn, and how seldom it has one after.
const GREEDY_FIRST: usize = 8;
const GREEDY_EVERY: usize = 12;
/// The try in which combinations of kinds of sheets have their turn first, and how often from then on.
const STOCK_FIRST: usize = 2;
const STOCK_EVERY: usize = 3;
/// More copies than this are not laid at once by their hulls.
const MANY: usize = 150;
/// Tries without a better plan after which lattices are sought thoroughly.
const STALE: usize = 6;
/// Tries without a better plan after which it is enough: for a few parts all that can be found has been.
const PATIENCE: (usize, usize) = (24, 40);

struct Best<'a> {
    problem: &'a Problem<'a>,
    plan: Plan,
    cost: Cost,
    layout: Layout,
    found_at: usize,
    /// What is aimed at, where the engines do not know it: more is better.
    worth: f64,
}

impl Best<'_> {
    /// Takes a plan over if it is better and lies as it should, by a measure that the engines have no part in.
    fn take(&mut self, plan: Plan, tries: usize, control: &Control) -> bool {
        let cost = plan.cost(self.problem);
        if cost >= self.bar() {
            return false;
        }
        let held = |c: &CopyId| self.problem.held.iter().flatten().any(|p| p.copy == *c);
        let mut layout = snapped(self.problem.work, plan.layout(self.problem), self.problem.distances, held);
        if self.problem.aim == Aim::Rows {
            layout = rows_in_line(self.problem.work, layout, self.problem.distances, &held);
        }
        if faults(self.problem.work, &layout, self.problem.distances).count > 0 {
            return false;
        }
        let worth = self.worth_of(&layout, cost);
        if cost.as_dear(&self.cost) && worth <= self.worth + 1e-9 {
            return false;
        }
        (self.plan, self.cost, self.layout, self.found_at, self.worth) = (plan, cost, layout, tries, worth);
        (control.better)(&self.layout, tries);
        true
    }

    /// What is aimed at; of the room that is left the engines' own measure, which is the finer one.
    fn worth_of(&self, layout: &Layout, cost: Cost) -> f64 {
        let merits = Merits::with_kerf(layout, self.problem.work, self.problem.distances.common);
        Merits { rest: -cost.room, ..merits }.worth(self.problem.aim)
    }

    /// What a plan has to cost less than. What is aimed at beside room no engine knows: whatever is no dearer is looked at.
    fn bar(&self) -> Cost {
        if !self.has_nothing() && (self.problem.distances.common.is_some() || self.problem.aim != Aim::Rest) {
            Cost { room: f64::INFINITY, ..self.cost }
        } else {
            self.cost
        }
    }

    /// Puts what lies on one sheet on a cheaper kind as long as that goes.
    fn make_cheaper(&mut self, tries: usize, control: &Control) {
        while let Some(plan) = Greedy::cheaper(self.problem, &self.plan, control.go_on) {
            if !self.take(plan, tries, control) {
                break;
            }
        }
    }

    /// True as long as no plan has been taken.
    fn has_nothing(&self) -> bool {
        self.cost.unplaced == usize::MAX
    }

    /// One part alone in its corner: there is nothing to be had.
    fn is_as_good_as_can_be(&self) -> bool {
        self.plan.unplaced.is_empty() && self.problem.copies() == 1
    }
}

/// Searches until told to stop, until the tries are used up, or until nothing better is to be expected.
pub fn search(problem: &Problem, control: &Control) -> Layout {
    if let Some(on_blanks) = &problem.on_blanks {
        (control.better)(on_blanks, 1);
        (control.tried)(1);
        return on_blanks.clone();
    }
    let copies = problem.copies();
    let nothing = Plan {
        unplaced: (0..problem.demands.len()).flat_map(|d| std::iter::repeat_n(d, problem.demands[d].quantity as usize)).collect(),
        ..Plan::default()
    };
    let mut best =
        Best { problem, layout: nothing.layout(problem), plan: nothing, cost: Cost::NOTHING, found_at: 0, worth: f64::NEG_INFINITY };
    if copies == 0 {
        let held = crate::greedy::empty(problem);
        best.take(held, 1, control);
        return best.layout;
    }
    // Something to show and to keep, however short the time is: what is there already, or hulls.
    let start = problem.start.as_ref().and_then(|s| Greedy::filled_up(problem, s, &|| true));
    let started = start.is_some_and(|s| best.take(s, 1, control));
    if !started {
        // Of very many boxes on shelves, so that the time that is given does for them.
        let shelves = if copies > MANY { on_shelves(problem) } else { None };
        let laid = shelves.is_some_and(|plan| best.take(plan, 1, control));
        if let Some(plan) = Greedy::hulls(problem, &|| !laid || (control.go_on)()) {
            best.take(plan, 1, control);
        }
    }
    best.make_cheaper(1, control);
    let mut tries = 1;
    (control.tried)(tries);
    let mut greedy = Greedy::new(problem, control.seed);
    let fences = Fences::new(problem);
    let mut lattices = Lattices::new(problem);
    let mut separation: Option<Separation> = None;
    let mut boards = Boards::new(problem, control.seed);
    let mut stock = Stock::new(problem, fences.as_ref(), control.seed);
    // Of many kinds of parts none makes a sheet: the time is the others'.
    let thorough = lattices.promise_much();
    let lattice_try = if thorough { 3 } else { 3 * GREEDY_EVERY + 1 };
    let patience = PATIENCE.0 + PATIENCE.1 * copies * copies;
    // Hulls may not do: then true shapes are laid, however short the time is.
    let on = |best: &Best, tries: usize| (control.go_on)() || best.has_nothing() && tries <= GREEDY_FIRST;
    while on(&best, tries) && tries < control.tries && tries - best.found_at <= patience && !best.is_as_good_as_can_be() {
        tries += 1;
        if best.has_nothing() {
            if let Some(plan) = greedy.improve(&best.plan, best.bar(), &|| true) {
                best.take(plan, tries, control);
            }
            (control.tried)(tries);
            continue;
        }
        let early = tries <= GREEDY_FIRST;
        let by_order = boards.as_mut().filter(|_| tries.is_multiple_of(2));
        let found = if tries % STOCK_EVERY == STOCK_FIRST && stock.has_more(&best.cost) {
            stock.improve(&best.plan, best.cost, control.go_on)
        } else if let Some(boards) = by_order {
            boards.improve(&best.plan, best.bar(), control.go_on)
        } else if tries == lattice_try || thorough && lattices.have_more() && tries - best.found_at >= STALE {
            lattices.improve(&best.plan, best.bar(), control.go_on)
        } else if early || tries.is_multiple_of(GREEDY_EVERY) || fences.is_none() {
            greedy.improve(&best.plan, best.bar(), control.go_on)
        } else {
            if separation.is_none() {
                separation = fences.as_ref().and_then(|f| Separation::new(f, &best.plan, control.seed));
            }
            match &mut separation {
                Some(s) => s.improve(&best.plan, best.bar(), control.go_on),
                None => greedy.improve(&best.plan, best.bar(), control.go_on),
            }
        };
        if found.is_some_and(|plan| best.take(plan, tries, control)) {
            best.make_cheaper(tries, control);
        }
        (control.tried)(tries);
    }
    best.layout
}

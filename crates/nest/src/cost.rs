//! What a plan costs, what layout it is, and which of two is better.

use crate::aim::Merits;
use crate::geometry::{Bounds, Vec2};
use crate::ids::{CopyId, PartId};
use crate::kits::{Torn, all_torn, torn};
use crate::layout::{Layout, Placement, Sheet, SheetLayout};
use crate::parts::Parts;
use crate::plan::{Filled, Plan, Put};
use crate::problem::Problem;
use crate::terms::Terms;
use std::cmp::Ordering;
use std::collections::BTreeMap;

/// A part that goes first counts so many times where it has no place.
const FIRST: usize = 1000;

/// Cost of a plan, smaller is better, in this order.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
pub(crate) struct Cost {
    /// Parts without a place.
    pub(crate) unplaced: usize,
    /// Kits that do not lie on one sheet.
    pub(crate) torn: u32,
    /// Price of the sheets: three small ones may be cheaper than a large one.
    pub(crate) price: f64,
    pub(crate) sheets: usize,
    /// Kits that should lie side by side on their sheet, and do not.
    pub(crate) apart: u32,
    /// Share of the room used on the last sheet.
    pub(crate) room: f64,
}

impl Cost {
    /// More than any plan costs.
    pub(crate) const NOTHING: Self = Self { unplaced: usize::MAX, torn: 0, price: 0.0, sheets: 0, apart: 0, room: 0.0 };

    /// The same but for the room.
    pub(crate) fn as_dear(&self, other: &Self) -> bool {
        Self { room: 0.0, ..*self } == Self { room: 0.0, ..*other }
    }
}

impl Filled {
    /// Right and upper end of what lies there, mm.
    pub(crate) fn used(&self, problem: &Problem) -> Vec2 {
        self.put.iter().fold(problem.held_end(self.kind), |used, p| {
            let size = problem.shapes[problem.demands[p.demand].shape].turns[p.turn].size;
            Vec2::new(used.x.max(p.at.x + size.x), used.y.max(p.at.y + size.y))
        })
    }
    pub(crate) fn area(&self, problem: &Problem) -> f64 {
        self.put.iter().map(|p| problem.shapes[problem.demands[p.demand].shape].area).sum()
    }
}

impl Plan {
    /// What it costs.
    pub(crate) fn cost(&self, problem: &Problem) -> Cost {
        let share = |s: &Filled| {
            let (sheet, used) = (&problem.sheets[s.kind], s.used(problem));
            // What stays free in one piece is what lies beyond the used box, along the better side.
            let strip = (used.x * sheet.height).min(used.y * sheet.width);
            (strip + 0.05 * used.x * used.y) / (sheet.width * sheet.height)
        };
        let last = self.sheets.last().map_or(0.0, share);
        // To tell two of one last sheet apart, a little of how near to the corner the others lie.
        let spread: f64 = self.sheets.iter().map(share).sum::<f64>() * 1e-4;
        let price = rounded(self.sheets.iter().map(|s| problem.price(s.kind)).sum());
        let waits = |d: &usize| if problem.demands[*d].first { FIRST } else { 1 };
        let unplaced = self.unplaced.iter().map(waits).sum();
        let Torn { sheets: torn, apart } = self.torn(problem);
        Cost { unplaced, torn, price, sheets: self.sheets.len(), apart, room: last + spread }
    }

    /// Kits that are torn.
    fn torn(&self, problem: &Problem) -> Torn {
        if problem.kits.is_empty() {
            return Torn::default();
        }
        let put = |p: &Put| {
            let demand = &problem.demands[p.demand];
            (demand.part, Bounds { min: p.at, max: p.at + problem.shapes[demand.shape].turns[p.turn].size })
        };
        let held = |p: &Placement| Some((p.copy.part, problem.work.part(p.copy.part)?.outline.transformed(p.affine()).bounds()));
        let lying = |s: &Filled| s.put.iter().map(put).chain(problem.held[s.kind].iter().filter_map(held)).collect();
        all_torn(&problem.kits, &self.sheets.iter().map(lying).collect::<Vec<_>>(), problem.distances.spacing)
    }

    /// As placements of copies, numbered.
    pub(crate) fn layout(&self, problem: &Problem) -> Layout {
        let mut missing: BTreeMap<_, u32> = BTreeMap::new();
        for demand in &self.unplaced {
            *missing.entry(problem.demands[*demand].part).or_insert(0) += 1;
        }
        let place = |p: &Put| {
            let demand = &problem.demands[p.demand];
            let turn = &problem.shapes[demand.shape].turns[p.turn];
            // On the sheet = turned and mirrored (drawing - corner) + shift + at.
            let home = turn.motion() * demand.corner.to_point();
            let by = p.at.to_vec2() + turn.shift - home.to_vec2();
            Placement { copy: CopyId { part: demand.part, number: 0 }, x: by.x, y: by.y, angle: turn.angle, mirrored: turn.mirrored }
        };
        let sheets = self.sheets.iter().map(|s| SheetLayout {
            sheet: Sheet { count: Some(1), ..problem.sheets[s.kind].clone() },
            placed: problem.held[s.kind].iter().copied().chain(s.put.iter().map(place)).collect(),
        });
        Layout { sheets: sheets.collect(), unplaced: missing, ..Layout::default() }.numbered()
    }
}

/// The cheapest of several plans, with what it costs; of equals the first.
pub(crate) fn cheapest(problem: &Problem, plans: impl Iterator<Item = Plan>) -> Option<(Cost, Plan)> {
    plans.map(|p| (p.cost(problem), p)).min_by(|a, b| a.0.partial_cmp(&b.0).unwrap_or(Ordering::Equal))
}

/// True where a layout is better than another of the same parts: more of them laid, those that go first before all, fewer
/// kits torn, on cheaper sheets, on fewer, or with more of what is aimed at. One on sheets that are not to be had any more is no better
/// than one of as many parts on those that are.
pub fn is_better(a: &Layout, b: &Layout, work: &dyn Parts, terms: &Terms) -> bool {
    let first = |part: &PartId| terms.parts.get(part).is_some_and(|p| p.first);
    let cost = |l: &Layout| {
        let price = rounded(l.sheets.iter().map(|s| terms.price(&s.sheet)).sum());
        let waits = l.unplaced.iter().map(|(p, n)| *n as usize * if first(p) { FIRST } else { 1 }).sum::<usize>();
        let torn: Torn = torn(work, l, terms).into_iter().map(|(_, t)| t).sum();
        let room = -Merits::of(l, work, terms).worth(terms.aim);
        Cost { unplaced: waits, torn: torn.sheets, price, sheets: l.sheets.len(), apart: torn.apart, room }
    };
    let offered =
        |s: &Sheet| terms.sheets.iter().any(|k| (k.width, k.height, k.rack) == (s.width, s.height, s.rack) && k.outline == s.outline);
    let gone = |l: &Layout| l.sheets.iter().filter(|s| !offered(&s.sheet)).count();
    let (gone, (a, b)) = ((gone(a), gone(b)), (cost(a), cost(b)));
    if a.unplaced == b.unplaced && gone.0 != gone.1 {
        return gone.0 < gone.1;
    }
    Cost { room: a.room + 1e-5, ..a } < b
}

/// Prices that differ by less than a ten-thousandth are one.
pub(crate) fn rounded(price: f64) -> f64 {
    (price * 1e4).round() / 1e4
}

//! Parts on sheets as the engines see them, and what that costs.

use super::lane::{Lane, Piece, Room};
use super::packer::Put;
use super::problem::Problem;
use super::{Layout, Merits, Placement, Sheet, SheetLayout, Terms};
use crate::assign::Work;
use crate::geometry::{Point, Vec2};
use crate::ids::{CopyId, PartId};
use std::collections::BTreeMap;

/// A part that goes first counts so many times where it has no place.
const FIRST: usize = 1000;

/// Cost of a plan, smaller is better: parts without a place, sheets, their price, then the room used on the last sheet.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
pub(super) struct Cost(pub(super) usize, pub(super) usize, pub(super) f64, pub(super) f64);

/// A sheet of a kind and what is put on it.
#[derive(Clone, Debug)]
pub(super) struct Filled {
    pub(super) kind: usize,
    pub(super) put: Vec<Put>,
}

/// Every part on a sheet or without a place.
#[derive(Clone, Debug, Default)]
pub(super) struct Plan {
    pub(super) sheets: Vec<Filled>,
    /// Demands, once for each copy.
    pub(super) unplaced: Vec<usize>,
}

impl Filled {
    /// Right and upper end of what lies there, mm.
    pub(super) fn used(&self, problem: &Problem) -> Vec2 {
        self.put.iter().fold(problem.held_end(self.kind), |used, p| {
            let size = problem.shapes[problem.demands[p.demand].shape].turns[p.turn].size;
            Vec2::new(used.x.max(p.at.x + size.x), used.y.max(p.at.y + size.y))
        })
    }
    fn area(&self, problem: &Problem) -> f64 {
        self.put.iter().map(|p| problem.shapes[problem.demands[p.demand].shape].area).sum()
    }
}

impl Plan {
    /// What it costs.
    pub(super) fn cost(&self, problem: &Problem) -> Cost {
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
        Cost(self.unplaced.iter().map(waits).sum(), self.sheets.len(), price, last + spread)
    }

    /// The sheets as rooms with their parts.
    pub(super) fn rooms(&self, problem: &Problem) -> (Vec<Room>, Vec<Piece>) {
        let rooms = self.sheets.iter().map(|s| Room::whole(problem, s.kind)).collect();
        let piece = |room: usize| move |p: &Put| Piece { demand: p.demand, turn: p.turn, room, at: p.at };
        (rooms, self.sheets.iter().enumerate().flat_map(|(r, s)| s.put.iter().map(piece(r))).collect())
    }

    /// What lies apart in a lane's rooms; rooms of one kind by how full they are, empty ones left out.
    pub(super) fn of(lane: &Lane, problem: &Problem, unplaced: Vec<usize>) -> Self {
        let mut sheets: Vec<Filled> = lane.rooms.iter().map(|r| Filled { kind: r.kind, put: Vec::new() }).collect();
        for p in &lane.pieces {
            sheets[p.room].put.push(Put { demand: p.demand, turn: p.turn, at: p.at });
        }
        let free = |s: &Filled| problem.held[s.kind].is_empty();
        sheets.retain(|s| !s.put.is_empty() || !free(s));
        sheets.sort_by(|a, b| free(a).cmp(&free(b)).then(a.kind.cmp(&b.kind)).then(b.area(problem).total_cmp(&a.area(problem))));
        Self { sheets, unplaced }
    }

    /// As placements of copies, numbered.
    pub(super) fn layout(&self, problem: &Problem) -> Layout {
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
        Layout { sheets: sheets.collect(), unplaced: missing, made_for: None }.numbered()
    }
}

/// True where a layout is better than another of the same parts: more of them laid, those that go first before all, on fewer
/// sheets, on cheaper ones, or with more of what is aimed at.
pub fn is_better(a: &Layout, b: &Layout, work: &Work, terms: &Terms) -> bool {
    let first = |part: &PartId| terms.parts.get(part).is_some_and(|p| p.first);
    let cost = |l: &Layout| {
        let price = rounded(l.sheets.iter().map(|s| terms.price(&s.sheet)).sum());
        let waits = l.unplaced.iter().map(|(p, n)| *n as usize * if first(p) { FIRST } else { 1 }).sum::<usize>();
        (waits, l.sheets.len(), price, -Merits::of(l, work, terms).worth(terms.aim))
    };
    let (a, b) = (cost(a), cost(b));
    a.0.cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.total_cmp(&b.2)).then((a.3 + 1e-5).total_cmp(&b.3)).is_lt()
}

/// Prices that differ by less than a ten-thousandth are one.
fn rounded(price: f64) -> f64 {
    (price * 1e4).round() / 1e4
}

impl Room {
    /// All of a sheet, less its margin.
    pub(super) fn whole(problem: &Problem, kind: usize) -> Self {
        let (sheet, margin) = (&problem.sheets[kind], problem.distances.margin);
        Self { kind, end: Point::new(sheet.width - margin, sheet.height - margin) }
    }
}

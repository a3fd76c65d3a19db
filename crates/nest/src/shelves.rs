//! Boxes on shelves: a layout of thousands of parts at once, for others to better.
//!
//! First fit by falling height, after Coffman, Garey, Johnson and Tarjan, "Performance bounds for level-oriented two-dimensional packing
//! algorithms" (1980).

use crate::geometry::{Point, Vec2};
use crate::greedy::{MOST_SHEETS, empty};
use crate::plan::{Filled, Plan, Put};
use crate::problem::Problem;

/// Turns that are looked at for the one in which a part is lowest.
const TURNS: usize = 4;

/// A row of boxes on a sheet, from the left.
struct Shelf {
    sheet: usize,
    y: f64,
    height: f64,
    /// Where the next box begins, and where the room ends.
    x: f64,
    end: f64,
}

/// All parts in rows; `None` where something stands in the way on some sheet, or parts belong together. Kinds of sheets are used in their order.
pub(crate) fn on_shelves(problem: &Problem) -> Option<Plan> {
    if !problem.kits.is_empty() || problem.blocked.iter().any(|b| !b.is_empty()) || problem.held.iter().any(|h| !h.is_empty()) {
        return None;
    }
    let (m, gap) = (problem.distances.margin, problem.spacing);
    let lowest = |demand: usize| {
        let turns = &problem.shapes[problem.demands[demand].shape].turns;
        let sizes = turns.iter().take(TURNS).map(|t| t.size).enumerate();
        sizes.min_by(|a, b| a.1.y.total_cmp(&b.1.y)).unwrap_or((0, Vec2::ZERO))
    };
    let mut order: Vec<(usize, usize, Vec2)> =
        (0..problem.demands.len()).map(|d| (d, lowest(d))).map(|(d, (turn, size))| (d, turn, size)).collect();
    let turn = |d: usize| (!problem.demands[d].first, problem.demands[d].filler);
    order.sort_by(|a, b| turn(a.0).cmp(&turn(b.0)).then(b.2.y.total_cmp(&a.2.y)).then(a.0.cmp(&b.0)));
    let room = |kind: usize| Vec2::new(problem.sheets[kind].width - m, problem.sheets[kind].height - m);
    let mut left: Vec<u32> = problem.sheets.iter().map(|s| s.count.unwrap_or(u32::MAX)).collect();
    let mut plan = empty(problem);
    let mut tops: Vec<f64> = Vec::new();
    let mut shelves: Vec<Shelf> = Vec::new();
    for (demand, turn, size) in order {
        let quantity = problem.demands[demand].quantity;
        for n in 0..quantity {
            let fits = |s: &Shelf| s.height >= size.y && s.x + size.x <= s.end;
            let shelf = shelves.iter().position(fits).or_else(|| {
                // A new one on a sheet that is there, or on a new sheet; what only fills gaps opens none.
                let above = (0..tops.len()).find(|s| {
                    let end = room(plan.sheets[*s].kind);
                    tops[*s] + size.y <= end.y && m + size.x <= end.x
                });
                let sheet = above.or_else(|| {
                    let takes = |k: &usize| left[*k] > 0 && m + size.x <= room(*k).x && m + size.y <= room(*k).y;
                    let kind =
                        (0..left.len()).find(takes).filter(|_| !problem.demands[demand].filler && plan.sheets.len() < MOST_SHEETS)?;
                    left[kind] -= 1;
                    plan.sheets.push(Filled { kind, put: Vec::new() });
                    tops.push(m);
                    Some(plan.sheets.len() - 1)
                })?;
                shelves.push(Shelf { sheet, y: tops[sheet], height: size.y, x: m, end: room(plan.sheets[sheet].kind).x });
                tops[sheet] += size.y + gap;
                Some(shelves.len() - 1)
            });
            let Some(shelf) = shelf.map(|s| &mut shelves[s]) else {
                plan.unplaced.extend(std::iter::repeat_n(demand, (quantity - n) as usize));
                break;
            };
            plan.sheets[shelf.sheet].put.push(Put { demand, turn, at: Point::new(shelf.x, shelf.y) });
            shelf.x += size.x + gap;
        }
    }
    Some(plan)
}

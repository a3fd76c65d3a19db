//! The search: many orders of putting parts down, the best kept, for as long as it is let.

use super::packer::{Filling, Outcome, Taste};
use super::problem::Problem;
use super::{Layout, Placement, SheetLayout};
use crate::assign::Work;
use crate::geometry::Bounds;
use crate::ids::CopyId;
use rand::rngs::SmallRng;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicUsize, Ordering};

/// How a search is run and watched. There is no clock in here: the caller decides when it is enough.
pub struct Control<'a> {
    /// Asked between tries and now and then within the first; false ends the search with the best so far.
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

/// Cost of a layout, smaller is better: parts without a place, sheets, then the room used on the last sheet.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
struct Cost(usize, usize, f64);

struct Best {
    cost: Cost,
    order: Vec<usize>,
    taste: Taste,
    layout: Layout,
    found_at: usize,
}

/// Orders tried side by side from one best layout. It does not follow the machine: the same seed and number of tries give
/// the same layout on any number of cores.
const LANES: usize = 4;

/// Searches until told to stop, until the tries are used up, or until long nothing better was found.
pub fn search(problem: &Problem, control: &Control) -> Layout {
    let mut order: Vec<usize> = problem.demands.iter().enumerate().flat_map(|(i, d)| std::iter::repeat_n(i, d.quantity as usize)).collect();
    if order.is_empty() {
        return Layout::default();
    }
    order.sort_by(|a, b| key(problem, *b, 0).total_cmp(&key(problem, *a, 0)));
    // Hulls first: something to show and to keep, however short the time is.
    let first =
        try_order(&problem.hulls(), &order, Taste::Left, None, &|| true).unwrap_or_else(|| (Cost(usize::MAX, 0, 0.0), Layout::default()));
    (control.better)(&first.1, 1);
    let mut best = Best { cost: first.0, order: order.clone(), taste: Taste::Left, layout: first.1, found_at: 1 };
    let starts: Vec<(usize, Taste)> = (0..4).flat_map(|by| Taste::ALL.map(|t| (by, t))).collect();
    // Long without a better one: enough. Small jobs have few orders worth trying.
    let patience = 200 + 40 * order.len().min(200);
    let tries = AtomicUsize::new(1);
    while (control.go_on)() {
        let begun = tries.load(Ordering::Relaxed);
        if begun >= control.tries || begun - best.found_at > patience || best.cost.0 == 0 && order.len() == 1 {
            break;
        }
        // The first true layout alone, so that it is there soon.
        let lanes = if begun == 1 { 1 } else { LANES.min(control.tries - begun) };
        let tried = |lane: usize| {
            let number = begun + lane;
            let (candidate, taste) = match starts.get(number - 1) {
                Some((by, taste)) => {
                    let mut sorted = order.clone();
                    sorted.sort_by(|a, b| key(problem, *b, *by).total_cmp(&key(problem, *a, *by)));
                    (sorted, *taste)
                }
                None => disturbed(&best, control.seed, number),
            };
            let found = try_order(problem, &candidate, taste, Some(best.cost), control.go_on);
            (control.tried)(tries.fetch_add(1, Ordering::Relaxed) + 1);
            found.map(|(cost, layout)| Best { cost, order: candidate, taste, layout, found_at: number + 1 })
        };
        let found: Vec<Option<Best>> = (0..lanes).into_par_iter().map(tried).collect();
        for new in found.into_iter().flatten().filter(|b| b.cost <= best.cost).collect::<Vec<_>>() {
            if new.cost < best.cost {
                (control.better)(&new.layout, new.found_at);
                best = new;
            } else if new.cost == best.cost {
                // As good: the search goes on from there, the layout stays.
                (best.order, best.taste) = (new.order, new.taste);
            }
        }
    }
    best.layout
}

/// Sizes to sort by at first: area, longest side, box area.
fn key(problem: &Problem, demand: usize, by: usize) -> f64 {
    let shape = &problem.shapes[problem.demands[demand].shape];
    match by {
        0 => shape.area,
        1 => shape.size.x.max(shape.size.y),
        2 => shape.size.x * shape.size.y,
        _ => shape.size.x.min(shape.size.y),
    }
}

/// The best order, disturbed as the seed and the number of the try say.
fn disturbed(best: &Best, seed: u64, number: usize) -> (Vec<usize>, Taste) {
    let mut rng = SmallRng::seed_from_u64(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15).wrapping_add(number as u64));
    let (mut order, mut taste) = (best.order.clone(), best.taste);
    disturb(&mut order, &mut taste, &mut rng);
    (order, taste)
}

fn disturb(order: &mut [usize], taste: &mut Taste, rng: &mut SmallRng) {
    let n = order.len();
    if rng.random_bool(0.15) {
        *taste = Taste::ALL[rng.random_range(0..4)];
    }
    if n < 2 {
        return;
    }
    for _ in 0..rng.random_range(1..=3) {
        let (i, j) = (rng.random_range(0..n), rng.random_range(0..n));
        match rng.random_range(0..10) {
            0..5 => order.swap(i, j),
            5..8 => order[i.min(j)..=i.max(j)].rotate_right(1),
            8 => order[i.min(j)..=i.max(j)].reverse(),
            _ => {
                let end = (i + 8).min(n);
                order[i..end].shuffle(rng);
            }
        }
    }
}

/// Puts the parts down in this order. `None` when it was stopped or cannot beat the limit.
fn try_order(problem: &Problem, order: &[usize], taste: Taste, limit: Option<Cost>, go_on: &dyn Fn() -> bool) -> Option<(Cost, Layout)> {
    let mut sheets: Vec<Filling> = Vec::new();
    let mut left: Vec<u32> = problem.sheets.iter().map(|s| s.count.unwrap_or(u32::MAX)).collect();
    let mut kind = 0;
    let mut unplaced: Vec<usize> = Vec::new();
    let mut hopeless = vec![false; problem.shapes.len()];
    for demand in order {
        if limit.is_some_and(|cost| sheets.len() > cost.1 && cost.0 == 0) || !go_on() {
            return None;
        }
        let shape = problem.demands[*demand].shape;
        if hopeless[shape] {
            unplaced.push(*demand);
            continue;
        }
        let mut put = false;
        for sheet in &mut sheets {
            match sheet.put(problem, *demand, taste, go_on) {
                Outcome::Put => put = true,
                Outcome::Full => continue,
                Outcome::Stopped => return None,
            }
            break;
        }
        // A new sheet of the next kind there is; a kind that the part does not fit is passed over for it alone.
        let mut next = kind;
        while !put && next < problem.sheets.len() && sheets.len() < MOST_SHEETS {
            if left[next] == 0 {
                kind += usize::from(next == kind);
                next += 1;
                continue;
            }
            let mut fresh = Filling::new(next, problem.shapes.len());
            if fresh.put(problem, *demand, taste, &|| true) == Outcome::Put {
                put = true;
                left[next] -= 1;
                sheets.push(fresh);
            } else {
                next += 1;
            }
        }
        if !put {
            unplaced.push(*demand);
            hopeless[shape] = true;
        }
    }
    Some((cost(problem, &sheets, unplaced.len()), layout(problem, &sheets, &unplaced)))
}

/// More sheets than this are not one job.
const MOST_SHEETS: usize = 200;

/// True where a layout is better than another of the same parts: more of them laid, on fewer sheets, or with less room used
/// on the last.
pub fn is_better(a: &Layout, b: &Layout, work: &Work) -> bool {
    let cost = |l: &Layout| {
        let used = l.sheets.last().map_or(0.0, |s| {
            let boxes = s.placed.iter().filter_map(|p| Some(work.part(p.copy.part)?.outline.transformed(p.affine()).bounds()));
            let b = boxes.fold(Bounds::EMPTY, Bounds::union);
            (b.max.x.max(0.0) * s.sheet.height).min(b.max.y.max(0.0) * s.sheet.width)
        });
        let area: f64 = l.sheets.iter().map(|s| s.sheet.area()).sum();
        (l.unplaced.values().sum::<u32>(), l.sheets.len(), area, used)
    };
    let (a, b) = (cost(a), cost(b));
    a.0.cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.total_cmp(&b.2)).then((a.3 + 1.0).total_cmp(&b.3)).is_lt()
}

fn cost(problem: &Problem, sheets: &[Filling], unplaced: usize) -> Cost {
    let room = sheets.last().map_or(0.0, |last| {
        let sheet = &problem.sheets[last.kind];
        // What stays free in one piece is what lies beyond the used box, along the better side.
        let strip = (last.used.x * sheet.height).min(last.used.y * sheet.width);
        strip / (sheet.width * sheet.height) + 0.05 * last.used.x * last.used.y / (sheet.width * sheet.height)
    });
    let spread: f64 = sheets.iter().map(|s| s.used.x * s.used.y).sum::<f64>() * 1e-10;
    Cost(unplaced, sheets.len(), room + spread)
}

fn layout(problem: &Problem, sheets: &[Filling], unplaced: &[usize]) -> Layout {
    let mut missing: BTreeMap<_, u32> = BTreeMap::new();
    for demand in unplaced {
        *missing.entry(problem.demands[*demand].part).or_insert(0) += 1;
    }
    let sheets = sheets
        .iter()
        .map(|s| SheetLayout {
            sheet: super::Sheet { count: Some(1), ..problem.sheets[s.kind].clone() },
            placed: s
                .put
                .iter()
                .map(|p| {
                    let demand = &problem.demands[p.demand];
                    let turn = &problem.shapes[demand.shape].turns[p.turn];
                    // On the sheet = turned (drawing - corner) + shift + at.
                    let home = super::turned(turn.angle) * demand.corner.to_point();
                    let by = p.at.to_vec2() + turn.shift - home.to_vec2();
                    Placement { copy: CopyId { part: demand.part, number: 0 }, x: by.x, y: by.y, angle: turn.angle, mirrored: false }
                })
                .collect(),
        })
        .collect();
    Layout { sheets, unplaced: missing }.numbered()
}

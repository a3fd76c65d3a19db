//! What the torch travels over, asked of the programs alone: which loops are closed, what lies in them, and whether there was a
//! way round on a grid of squares.

use crate::controller;
use crate::jobs::{drawn, inside, job, plate};
use boustrophe_core::decisions::Stock;
use boustrophe_core::geometry::Point;
use boustrophe_core::route::Route;
use boustrophe_house::played;
use proptest::prelude::*;
use std::collections::VecDeque;

/// Side of a square of the grid, mm, and how near to a loose part a square counts as blocked.
const SQUARE: f64 = 2.0;
const NEAR: f64 = 3.0;

type Ring = Vec<Point>;

fn distance(ring: &Ring, p: Point) -> f64 {
    ring.iter().map(|q| q.distance(p)).fold(f64::INFINITY, f64::min)
}

/// The outlines of all copies of a sheet as they lie, in points a millimetre apart at most.
fn outlines(route: &Route, sheet: usize) -> Vec<Ring> {
    let placed = &route.first().nested.layout.sheets[sheet].placed;
    placed
        .iter()
        .map(|p| {
            let path = route.work.part(p.copy.part).expect("the part").outline.transformed(p.affine());
            path.segments
                .iter()
                .flat_map(|s| {
                    let n = (s.length() / 1.0).ceil().max(1.0) as usize;
                    (0..n).map(move |i| s.at(i as f64 / n as f64))
                })
                .collect()
        })
        .collect()
}

/// True where squares lead from one place to another without coming near to what is loose.
pub fn there_is_a_way(loose: &[&Ring], from: Point, to: Point, bed: (f64, f64)) -> bool {
    let (w, h) = ((bed.0 / SQUARE) as usize, (bed.1 / SQUARE) as usize);
    let middle = |i: usize| Point::new((i % w) as f64 * SQUARE + SQUARE / 2.0, (i / w) as f64 * SQUARE + SQUARE / 2.0);
    let mut open = vec![true; w * h];
    for ring in loose {
        let box_of = |of: fn(&Point) -> f64| {
            let along = ring.iter().map(of);
            (along.clone().fold(f64::INFINITY, f64::min) - NEAR, along.fold(f64::NEG_INFINITY, f64::max) + NEAR)
        };
        let ((left, right), (low, high)) = (box_of(|p| p.x), box_of(|p| p.y));
        let close = |p: &Point| p.x > left && p.x < right && p.y > low && p.y < high;
        for (i, o) in open.iter_mut().enumerate() {
            let p = middle(i);
            *o &= !close(&p) || !(inside(p, ring) || distance(ring, p) < NEAR);
        }
    }
    let at = |p: Point| ((p.x / SQUARE) as usize).min(w - 1) + ((p.y / SQUARE) as usize).min(h - 1) * w;
    let (start, goal) = (at(from), at(to));
    if !open[start] || !open[goal] {
        return false;
    }
    let mut seen = vec![false; w * h];
    let mut queue = VecDeque::from([start]);
    seen[start] = true;
    while let Some(i) = queue.pop_front() {
        if i == goal {
            return true;
        }
        let (x, y) = (i % w, i / w);
        let next = [(x > 0).then(|| i - 1), (x + 1 < w).then_some(i + 1), (y > 0).then(|| i - w), (y + 1 < h).then_some(i + w)];
        for n in next.into_iter().flatten() {
            if open[n] && !std::mem::replace(&mut seen[n], true) {
                queue.push_back(n);
            }
        }
    }
    false
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(100)))]
    /// No torch travels over a part that is cut free where there is a way round.
    #[test]
    fn a_torch_goes_round_what_is_free(plates in prop::collection::vec(plate(), 2..6), quantity in 1..4_u32, thick in any::<bool>()) {
        let stock = Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: if thick { 6.0 } else { 3.0 } };
        let mut job = job(&drawn(&plates), stock, quantity);
        job.nest(1, 2);
        let route = job.settled();
        prop_assert!(!route.first().programs.is_empty(), "{:?}", route.findings);
        let machine = job.shop.machine("anvil").expect("the table").clone();
        for sheet in 0..route.first().programs.len() {
            let outlines = outlines(&route, sheet);
            let mut loose = vec![false; outlines.len()];
            let (mut loop_, mut from): (Ring, Point) = (Vec::new(), Point::ZERO);
            let mut travel: Vec<Point> = Vec::new();
            for path in controller::moves(&job.text(&route, sheet)) {
                if path.lit {
                    if loop_.is_empty() {
                        // The beam is lit: the travel has ended here.
                        let over = |ring: &Ring| travel.windows(2).any(|w| {
                            let n = (w[0].distance(w[1]) / 0.25).ceil().max(1.0) as usize;
                            (0..=n).map(|i| w[0].lerp(w[1], i as f64 / n as f64)).any(|p| inside(p, ring) && distance(ring, p) > 0.8)
                        });
                        let free: Vec<&Ring> = outlines.iter().zip(&loose).filter(|l| *l.1).map(|l| l.0).collect();
                        if free.iter().any(|r| over(r)) {
                            let bed = (machine.bed_width, machine.bed_height);
                            prop_assert!(!there_is_a_way(&free, from, path.from, bed), "sheet {sheet}: from {from:?} to {:?}", path.from);
                        }
                        travel.clear();
                    }
                    loop_.extend(path.spread(1.0));
                } else {
                    if !loop_.is_empty() {
                        from = path.from;
                        for (i, ring) in outlines.iter().enumerate() {
                            loose[i] |= ring.iter().all(|p| inside(*p, &loop_));
                        }
                        loop_.clear();
                        travel.push(path.from);
                    }
                    travel.push(path.to);
                }
            }
            prop_assert!(loose.iter().all(|l| *l), "every part comes free");
        }
    }
}

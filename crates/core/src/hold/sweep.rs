//! Engraving: areas swept in rows, there and back.
//!
//! Rows lie at whole multiples of the pitch on the sheet, so areas at the same height share their rows when they are
//! swept together. Together and one by one are both planned; the one that takes less time by the time model is kept.

use super::{Op, blank};
use crate::assign::{Process, Work};
use crate::geometry::{Path, Point};
use crate::nest::SheetLayout;
use crate::order::Step;
use crate::shop::{ChartRow, Machine};
use crate::time::run_up;
use std::collections::BTreeMap;

/// Chord error of the swept area's edge, mm.
const ERROR: f64 = 0.01;
/// Most crossings of rows and edges that are planned for one sheet.
const MOST_CROSSINGS: usize = 20_000_000;

/// One row: the stretches burned, from left to right, and which way it is swept.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// Height on the sheet, mm.
    pub y: f64,
    /// Left and right end of each burned stretch, ascending.
    pub spans: Vec<(f64, f64)>,
    /// True when swept from right to left.
    pub backward: bool,
}

impl Row {
    /// First burned point.
    pub fn start(&self) -> Point {
        let x = if self.backward { self.spans[self.spans.len() - 1].1 } else { self.spans[0].0 };
        Point::new(x, self.y)
    }
    /// Last burned point.
    pub fn end(&self) -> Point {
        let x = if self.backward { self.spans[0].0 } else { self.spans[self.spans.len() - 1].1 };
        Point::new(x, self.y)
    }
    /// From the first to the last burned point, mm.
    pub fn width(&self) -> f64 {
        self.spans[self.spans.len() - 1].1 - self.spans[0].0
    }
}

/// Where a row meets outlines: x, and +1 or -1 as the outline goes up or down.
type Crossings = BTreeMap<i64, Vec<(f64, i32)>>;

/// The sweeps of a sheet.
pub(super) fn plan(work: &Work, layout: &SheetLayout, steps: &[&Step], row: &ChartRow, machine: &Machine) -> Vec<Op> {
    let pitch = row.pitch.max(0.02);
    let mut regions: Vec<(usize, Vec<&Step>)> = Vec::new();
    for step in steps.iter().filter(|s| work.items[s.item].contour.path.closed) {
        match regions.iter_mut().find(|r| r.0 == step.placement) {
            Some(r) => r.1.push(step),
            None => regions.push((step.placement, vec![step])),
        }
    }
    let mut budget = MOST_CROSSINGS;
    let areas: Vec<Area> = regions
        .into_iter()
        .map(|(placement, steps)| {
            let affine = layout.placed[placement].affine();
            let paths: Vec<Path> = steps.iter().map(|s| work.items[s.item].contour.path.transformed(affine)).collect();
            let winding = steps.iter().all(|s| work.items[s.item].contour.style.winding);
            Area { step: steps[0], contour: work.items[steps[0].item].contour.id, rows: rows(&paths, winding, pitch, &mut budget) }
        })
        .filter(|a| !a.rows.is_empty())
        .collect();
    let apart: Vec<Op> = areas.iter().map(|a| op(a, order_rows(a.rows.clone(), pitch), row, machine)).collect();
    if areas.len() < 2 {
        return apart;
    }
    let mut shared: BTreeMap<i64, Vec<(f64, f64)>> = BTreeMap::new();
    for (k, spans) in areas.iter().flat_map(|a| &a.rows) {
        shared.entry(*k).or_default().extend(spans);
    }
    for spans in shared.values_mut() {
        spans.sort_by(|a, b| a.0.total_cmp(&b.0));
    }
    let together = op(&areas[0], order_rows(shared, pitch), row, machine);
    let alone: f64 = apart.iter().map(|o| seconds(o, machine)).sum();
    if seconds(&together, machine) <= alone { vec![together] } else { apart }
}

struct Area<'a> {
    step: &'a Step,
    contour: crate::clean::ContourId,
    rows: BTreeMap<i64, Vec<(f64, f64)>>,
}

/// Burned stretches by row number: row k lies at (k + ½) pitch. By winding number where the source fills so,
/// else even-odd, over all outlines of the part.
fn rows(paths: &[Path], winding: bool, pitch: f64, budget: &mut usize) -> BTreeMap<i64, Vec<(f64, f64)>> {
    let mut crossings: Crossings = BTreeMap::new();
    for path in paths {
        let points = path.points(ERROR);
        for i in 0..points.len() {
            let (a, b) = (points[i], points[(i + 1) % points.len()]);
            let (low, high, way) = if a.y < b.y { (a, b, 1) } else { (b, a, -1) };
            let first = (low.y / pitch - 0.5).ceil() as i64;
            let end = (high.y / pitch - 0.5).ceil() as i64;
            for k in first..end {
                if *budget == 0 {
                    break;
                }
                *budget -= 1;
                let y = (k as f64 + 0.5) * pitch;
                crossings.entry(k).or_default().push((low.x + (y - low.y) / (high.y - low.y) * (high.x - low.x), way));
            }
        }
    }
    crossings
        .into_iter()
        .filter_map(|(k, mut xs)| {
            xs.sort_by(|a, b| a.0.total_cmp(&b.0));
            let spans: Vec<(f64, f64)> = filled(&xs, winding).into_iter().filter(|s| s.1 - s.0 > 1e-4).collect();
            (!spans.is_empty()).then_some((k, spans))
        })
        .collect()
}

/// Stretches of a row that are inside, from its crossings in order.
fn filled(xs: &[(f64, i32)], winding: bool) -> Vec<(f64, f64)> {
    if !winding {
        return xs.chunks_exact(2).map(|p| (p[0].0, p[1].0)).collect();
    }
    let mut spans = Vec::new();
    let (mut around, mut from) = (0, 0.0);
    for (x, way) in xs {
        if around == 0 {
            from = *x;
        }
        around += way;
        if around == 0 {
            spans.push((from, *x));
        }
    }
    spans
}

fn order_rows(rows: BTreeMap<i64, Vec<(f64, f64)>>, pitch: f64) -> Vec<Row> {
    rows.into_iter().enumerate().map(|(i, (k, spans))| Row { y: (k as f64 + 0.5) * pitch, spans, backward: i % 2 == 1 }).collect()
}

fn op(area: &Area, rows: Vec<Row>, row: &ChartRow, machine: &Machine) -> Op {
    let pitch = row.pitch.max(0.02);
    let burned: f64 = rows.iter().flat_map(|r| &r.spans).map(|s| s.1 - s.0).sum();
    Op {
        process: Process::Engrave,
        rows,
        run_up: run_up(row.feed / 60.0, machine.acceleration),
        area: burned * pitch,
        ..blank(area.step, area.contour, row)
    }
}

/// (width + 2 run-up) / v plus the turn-round, for every row.
fn seconds(op: &Op, machine: &Machine) -> f64 {
    let v = op.feed / 60.0;
    let turn = machine.row_turn + 2.0 * v / machine.acceleration;
    op.rows.iter().map(|r| (r.width() + 2.0 * op.run_up) / v + turn).sum()
}

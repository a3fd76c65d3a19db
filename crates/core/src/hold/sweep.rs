//! Engraving: areas swept in rows, there and back.
//!
//! What is filled follows the rule of its source; areas that overlap become one, so that nothing is burned twice. Rows
//! lie at half odd multiples of the pitch on the sheet, so areas at the same height share their rows. Which areas are
//! swept together and which way is planned in [`super::plough`].

use super::plough::{self, Area, Extent, Pace, Rows, Spans, united};
use super::{AreaSweep, Doing, Op, Swept, blank};
use crate::assign::{Process, Work};
use crate::decisions::{Pose, Sweep};
use crate::geometry::{Affine, Bounds, Path, Point, Vec2};
use crate::ids::ContourId;
use crate::nest::SheetLayout;
use crate::order::Step;
use crate::shop::{ChartRow, Machine};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Chord error of the swept area's edge, mm.
const ERROR: f64 = 0.01;
/// Most crossings of rows and edges that are planned for one sheet.
const MOST_CROSSINGS: usize = 20_000_000;
/// Burned stretches shorter than this are left out, mm.
const SHORTEST: f64 = 1e-4;

/// One row: the stretches burned, and which way it is swept.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Row {
    /// Direction of the row, a unit vector.
    pub way: Vec2,
    /// Distance of the row from the origin, to the left of its direction, mm.
    pub at: f64,
    /// Begin and end of each burned stretch along the direction, ascending, mm.
    pub spans: Vec<(f64, f64)>,
    /// From where to where the head goes at speed: over all that burns, and further where that makes the way to the next row
    /// quicker, mm along the direction.
    pub reach: (f64, f64),
    /// True when swept against its direction.
    pub backward: bool,
    /// For each gap between two stretches whether it is crossed at travel speed.
    pub fast: Vec<bool>,
}

impl Row {
    /// The place on the sheet `along` mm from the row's foot.
    pub fn point(&self, along: f64) -> Point {
        (self.way * along + self.way.turn_90() * self.at).to_point()
    }
    /// First burned point.
    pub fn start(&self) -> Point {
        self.point(if self.backward { self.spans[self.spans.len() - 1].1 } else { self.spans[0].0 })
    }
    /// Last burned point.
    pub fn end(&self) -> Point {
        self.point(if self.backward { self.spans[0].0 } else { self.spans[self.spans.len() - 1].1 })
    }
    /// Where the head has come up to speed.
    pub fn enter(&self) -> Point {
        self.point(if self.backward { self.reach.1 } else { self.reach.0 })
    }
    /// Where the head begins to brake.
    pub fn leave(&self) -> Point {
        self.point(if self.backward { self.reach.0 } else { self.reach.1 })
    }
}

/// An engraving whose rows have not the room that the head needs to come up to speed.
#[derive(Clone, Debug)]
pub(super) struct ShortRunUp {
    pub(super) contours: Vec<ContourId>,
    pub(super) process: Process,
    /// Where a row begins or ends too slowly.
    pub(super) at: Point,
    /// Speed there, as a share of the feed.
    pub(super) share: f64,
    /// Feed, mm/min, and power, percent.
    pub(super) feed: f64,
    pub(super) power: f64,
    /// Room needed, mm.
    pub(super) run_up: f64,
}

/// Speeds nearer to the feed than this share are as good as it.
const UP_TO_SPEED: f64 = 0.97;

/// Finds the slowest place of an engraving at the bed's edge: with room d before it the head has come to v = √(2 a d).
pub(super) fn short_run_up(op: &Op, machine: &Machine, pose: Pose) -> Option<ShortRunUp> {
    if !op.is_swept() || op.run_up() <= 0.0 {
        return None;
    }
    let room = |p: Point, way: Vec2| pose.room(p, way, (machine.bed_width, machine.bed_height));
    let rows = op.rows().iter().cloned().chain(op.picture_rows());
    let ends = rows.flat_map(|r| {
        let way = if r.backward { -r.way } else { r.way };
        // The head brakes or gathers speed only outside of what burns: beyond its reach there may be room within the row.
        let (first, last) = (r.start(), r.end());
        [(first, room(first, -way)), (last, room(last, way))]
    });
    let (at, room) = ends.min_by(|a, b| a.1.total_cmp(&b.1))?;
    let share = (room / op.run_up()).sqrt();
    (share < UP_TO_SPEED).then(|| ShortRunUp {
        contours: op.contours(),
        process: op.process,
        at,
        share,
        feed: op.feed,
        power: op.power,
        run_up: op.run_up(),
    })
}

/// How a machine sweeps with these settings.
pub(super) fn pace(row: &ChartRow, machine: &Machine, sweep: &Sweep) -> Pace {
    Pace {
        speed: row.feed / 60.0,
        acceleration: machine.acceleration,
        rapid: machine.rapid / 60.0,
        turn: machine.row_turn,
        pitch: row.pitch.max(0.02),
        both_ways: !sweep.one_way,
        fast_gaps: machine.fast_gaps,
    }
}

/// Angles that rows may have, radians: the chosen one, or along x and along y.
fn directions(sweep: &Sweep) -> Vec<f64> {
    sweep.angle.map_or_else(|| vec![0.0, std::f64::consts::FRAC_PI_2], |a| vec![a.to_radians()])
}

/// What is engraved on a sheet with one setting.
pub(super) struct Engraved<'a> {
    pub(super) work: &'a Work,
    pub(super) layout: &'a SheetLayout,
    pub(super) steps: &'a [&'a Step],
}

/// The sweeps of a sheet with one setting, and how long they take by the plan and at full width.
pub(super) fn plan(engraved: &Engraved, row: &ChartRow, machine: &Machine, sweep: &Sweep) -> (Vec<Op>, Swept) {
    let pace = pace(row, machine, sweep);
    let angles = directions(sweep);
    let regions = regions(engraved, &angles, pace.pitch);
    let areas: Vec<Area> = regions.iter().map(|r| Area { rows: r.rows.clone() }).collect();
    let groups = plough::plan(&areas, &pace);
    let swept = Swept {
        planned: plough::total(&groups, &pace) * f64::from(row.passes.max(1)),
        full: plough::full_width(&areas, &pace) * f64::from(row.passes.max(1)),
    };
    let ops = groups
        .iter()
        .map(|g| {
            let mut rows: Rows = Rows::new();
            for m in &g.members {
                regions[*m].rows[g.direction].iter().for_each(|(k, spans)| rows.entry(*k).or_default().extend(spans));
            }
            let first = &regions[g.members.iter().copied().min().unwrap_or(0)];
            let swept = g.members.iter().flat_map(|m| regions[*m].contours.iter().copied()).collect();
            let sweep = sweep_of(swept, rows, angles[g.direction], &pace);
            Op { process: Process::Engrave, doing: Doing::Sweep(sweep), ..blank(first.step, first.contours[0], row) }
        })
        .collect();
    (nearest_first(ops), swept)
}

/// Sweeps in the order in which the next lies nearest to where the last ended, from the origin.
fn nearest_first(mut ops: Vec<Op>) -> Vec<Op> {
    let mut out: Vec<Op> = Vec::with_capacity(ops.len());
    let mut at = Point::ZERO;
    while !ops.is_empty() {
        let distance = |o: &Op| o.start().map_or(f64::INFINITY, |s| s.distance(at));
        let next = (0..ops.len()).min_by(|a, b| distance(&ops[*a]).total_cmp(&distance(&ops[*b]))).unwrap_or(0);
        let op = ops.swap_remove(next);
        at = op.rows().last().map_or(at, Row::end);
        out.push(op);
    }
    out
}

/// An area that is one by itself: outlines drawn together, or overlapping.
struct Region<'a> {
    step: &'a Step,
    contours: Vec<ContourId>,
    bounds: Bounds,
    rows: Vec<Rows>,
}

fn regions<'a>(engraved: &Engraved<'a>, angles: &[f64], pitch: f64) -> Vec<Region<'a>> {
    let Engraved { work, layout, steps } = *engraved;
    let mut budget = MOST_CROSSINGS;
    // Outlines of one element are filled together; those that stand alone are, within a copy, an outline and its openings.
    let mut elements: BTreeMap<(usize, u32, u32), Vec<&Step>> = BTreeMap::new();
    for step in steps.iter().copied().filter(|s| work.items[s.item].contour.path.closed) {
        let c = &work.items[step.item].contour;
        elements.entry((step.placement, c.drawing, c.compound)).or_default().push(step);
    }
    let mut out: Vec<Region<'a>> = Vec::new();
    for ((placement, _, _), steps) in elements {
        let affine = layout.placed[placement].affine();
        let paths: Vec<Path> = steps.iter().map(|s| work.items[s.item].contour.path.transformed(affine)).collect();
        let winding = steps.iter().all(|s| work.items[s.item].contour.style.winding);
        let rows: Vec<Rows> = angles
            .iter()
            .map(|angle| {
                let turned: Vec<Path> =
                    if *angle == 0.0 { paths.clone() } else { paths.iter().map(|p| p.transformed(Affine::rotate(-angle))).collect() };
                rows(&turned, winding, pitch, &mut budget)
            })
            .collect();
        if rows.iter().all(Rows::is_empty) {
            continue;
        }
        let bounds = paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()));
        let contours = steps.iter().map(|s| work.items[s.item].contour.id).collect();
        out.push(Region { step: steps[0], contours, bounds, rows });
    }
    merged(out)
}

/// Regions that overlap as one.
fn merged(regions: Vec<Region>) -> Vec<Region> {
    let mut out: Vec<Region> = Vec::with_capacity(regions.len());
    for mut region in regions {
        // What it overlaps may overlap other things by way of it.
        while let Some(i) = out.iter().position(|o| o.bounds.meets(&region.bounds) && overlap(&o.rows[0], &region.rows[0])) {
            let other = out.swap_remove(i);
            for (mine, theirs) in region.rows.iter_mut().zip(other.rows) {
                theirs.into_iter().for_each(|(k, spans)| mine.entry(k).or_default().extend(spans));
                mine.values_mut().for_each(|s| *s = united(std::mem::take(s)));
            }
            region.bounds = region.bounds.union(other.bounds);
            region.step = other.step;
            region.contours.splice(0..0, other.contours);
        }
        out.push(region);
    }
    out
}

fn overlap(a: &Rows, b: &Rows) -> bool {
    let (few, many) = if a.len() < b.len() { (a, b) } else { (b, a) };
    few.iter().any(|(k, spans)| many.get(k).is_some_and(|others| spans.iter().any(|s| others.iter().any(|o| s.0 <= o.1 && o.0 <= s.1))))
}

/// Burned stretches by row number, in x: by winding number where the source fills so, else even-odd.
pub(super) fn rows(paths: &[Path], winding: bool, pitch: f64, budget: &mut usize) -> Rows {
    let mut crossings: BTreeMap<i64, Vec<(f64, i32)>> = BTreeMap::new();
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
    let burned = |(k, mut xs): (i64, Vec<(f64, i32)>)| {
        xs.sort_by(|a, b| a.0.total_cmp(&b.0));
        let spans: Spans = united(filled(&xs, winding)).into_iter().filter(|s| s.1 - s.0 > SHORTEST).collect();
        (!spans.is_empty()).then_some((k, spans))
    };
    crossings.into_iter().filter_map(burned).collect()
}

/// Stretches of a row that are inside, from its crossings in order.
fn filled(xs: &[(f64, i32)], winding: bool) -> Spans {
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

/// The sweep of some contours by their rows at an angle, radians.
fn sweep_of(swept: Vec<ContourId>, rows: Rows, angle: f64, pace: &Pace) -> AreaSweep {
    let way = Vec2::from_angle(angle);
    // A quarter turn is one exactly.
    let way = if way.x.abs() < 1e-12 { Vec2::new(0.0, way.y.signum()) } else { way };
    let rows: Vec<(i64, Spans)> = rows.into_iter().map(|(k, spans)| (k, united(spans))).collect();
    let extents: Vec<Extent> = rows.iter().map(|(row, s)| Extent::new(*row, s[0].0, s[s.len() - 1].1)).collect();
    let rows: Vec<Row> = rows
        .into_iter()
        .zip(pace.reaches(&extents))
        .enumerate()
        .map(|(i, ((k, spans), reach))| {
            let at = (k as f64 + 0.5) * pace.pitch;
            let fast = spans.windows(2).map(|w| pace.saved(w[1].0 - w[0].1) > 0.0).collect();
            Row { way, at, spans, reach, backward: pace.both_ways && i % 2 == 1, fast }
        })
        .collect();
    let burned: f64 = rows.iter().flat_map(|r| &r.spans).map(|s| s.1 - s.0).sum();
    AreaSweep { swept, rows, pitch: pace.pitch, run_up: pace.run_up(), area: burned * pace.pitch }
}

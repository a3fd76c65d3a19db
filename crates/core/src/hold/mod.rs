//! Station 6: what the head will do. Kerf, nicks, leads, engraved rows.

mod kerf;
mod leads;
mod lineup;
mod nicks;
mod plough;
mod raster;
mod sweep;
#[cfg(test)]
mod tests;
mod thin;
mod troubles;

pub use sweep::Row;

use crate::assign::{Part, Process, Work};
use crate::clean::ContourId;
use crate::decisions::Decisions;
use crate::finding::Finding;
use crate::geometry::{Path, Point, Segment, Vec2};
use crate::nest::{Layout, SheetLayout};
use crate::order::{Sequence, SheetSequence, Step};
use crate::picture::Raster;
use crate::shop::{ChartRow, Machine, MachineKind, Shop};
use leads::Yard;
use rayon::prelude::*;
use std::borrow::Cow;
use std::sync::Arc;
use troubles::Troubles;

/// What is burned for one step, in sheet mm.
#[derive(Clone, Debug, Default)]
pub struct Op {
    /// The contour; for a sweep the first of those it sweeps.
    pub contour: ContourId,
    /// All contours of a sweep.
    pub swept: Vec<ContourId>,
    /// Index into the sheet's placements.
    pub placement: usize,
    /// Index into the work's items.
    pub item: usize,
    /// Process.
    pub process: Process,
    /// From the pierce to the contour, in the scrap.
    pub lead_in: Vec<Segment>,
    /// The contour after kerf, in pieces between nicks.
    pub runs: Vec<Vec<Segment>>,
    /// From the pierce to the contour for each run after the first: where the torch is lit again behind a nick.
    pub restarts: Vec<Vec<Segment>>,
    /// From the contour back into the scrap.
    pub lead_out: Vec<Segment>,
    /// Engraved rows, for a sweep.
    pub rows: Vec<Row>,
    /// The picture as it burns, for a picture.
    pub raster: Option<Arc<Raster>>,
    /// Distance of rows, mm.
    pub pitch: f64,
    /// Number of the tool, where another than beam or torch is used.
    pub tool: Option<u32>,
    /// Middles of the nicks and the direction across them.
    pub nicks: Vec<(Point, Vec2)>,
    /// Feed, mm/min.
    pub feed: f64,
    /// Power, percent of full.
    pub power: f64,
    /// Power at which a picture's lightest tone burns, percent of full.
    pub least_power: f64,
    /// Times round.
    pub passes: u32,
    /// Wait after piercing, s.
    pub pierce: f64,
    /// Kerf, mm.
    pub kerf: f64,
    /// Assist air.
    pub air: bool,
    /// Length without beam before and after each row, mm.
    pub run_up: f64,
    /// [`Row::reach`] of a picture's rows.
    pub reaches: Vec<(f64, f64)>,
    /// Swept area, mm².
    pub area: f64,
}

impl Op {
    /// Where the head first burns.
    pub fn start(&self) -> Option<Point> {
        let line = self.lead_in.first().or_else(|| self.runs.first().and_then(|r| r.first()));
        line.map(|s| s.start).or_else(|| self.rows.first().map(Row::start)).or_else(|| self.picture_rows().next().map(|r| r.start()))
    }
    /// Where the head last burns.
    pub fn end(&self) -> Option<Point> {
        let line = self.lead_out.last().or_else(|| self.runs.last().and_then(|r| r.last()));
        let picture = || self.picture_rows().last().map(|r| r.end());
        line.map(|s| s.end).or_else(|| self.rows.last().map(Row::end)).or_else(picture)
    }
    /// Rows of a picture from the lowest up, there and back, without those in which nothing burns. Each has one stretch,
    /// from its first to its last burned pixel.
    pub fn picture_rows(&self) -> impl Iterator<Item = Row> + '_ {
        self.numbered_picture_rows().map(|r| r.1)
    }
    /// The same, each with its number in the raster.
    pub fn numbered_picture_rows(&self) -> impl Iterator<Item = (usize, Row)> + '_ {
        let pitch = self.pitch;
        let burned = self.raster.iter().flat_map(|r| (0..r.height).filter_map(move |k| Some((r, k, r.burned(k)?))));
        burned.enumerate().map(move |(i, (r, k, (from, to)))| {
            let x = |c: usize| (r.column + c as i64) as f64 * pitch;
            let at = ((r.row + k as i64) as f64 + 0.5) * pitch;
            let span = (x(from), x(to));
            let reach = self.reaches.get(i).copied().unwrap_or(span);
            (k, Row { way: Vec2::new(1.0, 0.0), at, spans: vec![span], reach, backward: i % 2 == 1 })
        })
    }
    /// Share of full power, in percent, for a picture's burn of 0 to 255.
    pub fn power_of(&self, burn: u8) -> f64 {
        if burn == 0 { 0.0 } else { self.least_power + (self.power - self.least_power) * f64::from(burn) / 255.0 }
    }
    /// True for what is swept in rows.
    pub fn is_swept(&self) -> bool {
        matches!(self.process, Process::Engrave | Process::Picture)
    }
    /// The lead before a run, by its number; empty where it begins on the line.
    pub fn lead_before(&self, run: usize) -> &[Segment] {
        match run.checked_sub(1) {
            None => &self.lead_in,
            Some(i) => self.restarts.get(i).map_or(&[], Vec::as_slice),
        }
    }
    /// All leads.
    pub fn leads(&self) -> impl Iterator<Item = &Segment> {
        self.lead_in.iter().chain(self.restarts.iter().flatten()).chain(&self.lead_out)
    }
    /// Burned length of the contour itself, one pass, leads apart, mm.
    pub fn length(&self) -> f64 {
        self.runs.iter().flatten().map(Segment::length).sum()
    }
    /// Times the beam is lit, one pass.
    pub fn pierces(&self) -> usize {
        self.runs.len()
    }
}

/// All a sheet needs.
#[derive(Clone, Debug, Default)]
pub struct SheetPath {
    /// Sheet width, mm.
    pub width: f64,
    /// Sheet height, mm.
    pub height: f64,
    /// What is done, in order.
    pub ops: Vec<Op>,
    /// What planning the engraving came to.
    pub swept: Swept,
}

/// How long engraved areas take, by the time model, s.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Swept {
    /// As planned.
    pub planned: f64,
    /// If every row went over the whole width and height of all areas.
    pub full: f64,
}

/// All sheets.
#[derive(Clone, Debug, Default)]
pub struct Toolpath {
    /// One a sheet.
    pub sheets: Vec<SheetPath>,
}

/// The settings in force at Hold.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Setting {
    /// Nicks on outlines.
    pub nicks: bool,
    /// Width of a bridge, mm.
    pub nick_width: f64,
    /// Outline per nick, mm.
    pub nick_pitch: f64,
    /// Leads on closed cuts.
    pub leads: bool,
}

impl Setting {
    /// What was decided, and the machine's custom for the rest.
    pub fn of(decisions: &Decisions, machine: &Machine, shop: &Shop) -> Self {
        let plasma = machine.kind == MachineKind::Plasma;
        let hold = &decisions.hold;
        Self {
            nicks: hold.nicks.unwrap_or(!plasma),
            nick_width: hold.nick_width.unwrap_or(shop.nick_width),
            nick_pitch: hold.nick_pitch.unwrap_or(shop.nick_pitch),
            leads: hold.leads.unwrap_or(plasma),
        }
    }
}

/// Works out what the head does on every sheet.
pub fn run(
    work: &Work,
    layout: &Layout,
    sequence: &Sequence,
    decisions: &Decisions,
    machine: &Machine,
    shop: &Shop,
) -> (Toolpath, Vec<Finding>) {
    let setting = Setting::of(decisions, machine, shop);
    let done: Vec<(SheetPath, Troubles, Option<Finding>)> = layout
        .sheets
        .par_iter()
        .zip(&sequence.sheets)
        .enumerate()
        .map(|(i, (lying, sequence))| {
            let bench = Bench { work, layout: lying, decisions, machine, shop, setting };
            let (sheet, troubles) = bench.sheet(sequence);
            let lined_up = lineup::proposed(&bench, sequence, sheet.swept, i, layout);
            (sheet, troubles, lined_up)
        })
        .collect();
    let mut findings = Vec::new();
    let mut toolpath = Toolpath::default();
    for (i, (sheet, troubles, lined_up)) in done.into_iter().enumerate() {
        toolpath.sheets.push(sheet);
        findings.extend(troubles.findings(i, decisions, machine));
        findings.extend(lined_up);
    }
    findings.extend(thin::webs(work, layout, decisions, shop));
    (toolpath, findings)
}

/// One sheet being worked out.
struct Bench<'a> {
    work: &'a Work,
    layout: &'a SheetLayout,
    decisions: &'a Decisions,
    machine: &'a Machine,
    shop: &'a Shop,
    setting: Setting,
}

impl Bench<'_> {
    fn sheet(&self, sequence: &SheetSequence) -> (SheetPath, Troubles) {
        let mut troubles = Troubles::default();
        let mut sheet =
            SheetPath { width: self.layout.sheet.width, height: self.layout.sheet.height, ops: Vec::new(), swept: Swept::default() };
        for step in sequence.steps.iter().filter(|s| s.process == Process::Picture) {
            let Some(row) = self.row(step) else { continue };
            match raster::op(self.work, self.layout, step, &row, self.machine, self.decisions) {
                Some(op) => sheet.ops.push(op),
                None => {
                    let place = self.layout.placed[step.placement].affine();
                    let c = &self.work.items[step.item].contour;
                    troubles.large_pictures.push((c.id, place * c.bounds.center()));
                }
            }
        }
        // Each setting of engraving is planned and swept by itself, in the order in which the job lists them.
        let mut settings: Vec<Option<u32>> = Vec::new();
        for step in sequence.steps.iter().filter(|s| s.process == Process::Engrave) {
            let setting = self.work.items[step.item].setting;
            if !settings.contains(&setting) {
                settings.push(setting);
            }
        }
        for setting in settings {
            let same = |s: &&Step| s.process == Process::Engrave && self.work.items[s.item].setting == setting;
            let steps: Vec<&Step> = sequence.steps.iter().filter(same).collect();
            let Some(row) = steps.first().and_then(|s| self.row(s)) else { continue };
            let (ops, swept) = sweep::plan(self.work, self.layout, &steps, &row, self.machine, &self.decisions.hold.sweep);
            sheet.ops.extend(ops);
            sheet.swept.planned += swept.planned;
            sheet.swept.full += swept.full;
        }
        let mut yard = Yard::new(self.work, self.layout);
        for step in sequence.steps.iter().filter(|s| !matches!(s.process, Process::Engrave | Process::Picture)) {
            let Some(row) = self.row(step) else { continue };
            sheet.ops.extend(self.op(step, &row, &mut yard, &mut troubles));
        }
        troubles.short_run_up = sheet.ops.iter().filter_map(|o| sweep::short_run_up(o, self.machine)).collect();
        (sheet, troubles)
    }

    /// What a step is done with: the cut chart's row, changed where the job has a setting of its own for it.
    fn row(&self, step: &Step) -> Option<Cow<'_, ChartRow>> {
        self.shop.row_for(self.decisions, step.process, self.work.items[step.item].setting)
    }

    fn op(&self, step: &Step, row: &ChartRow, yard: &mut Yard, troubles: &mut Troubles) -> Option<Op> {
        let placement = &self.layout.placed[step.placement];
        let part = self.work.part(placement.part)?;
        let item = &self.work.items[step.item];
        let path = item.contour.path.transformed(placement.affine());
        let mut op = blank(step, item.contour.id, row);
        if step.process != Process::Cut || !path.closed {
            let path = if step.start > 0.5 && !path.closed { path.reversed() } else { path };
            let path = if path.closed { path.started_at(step.start * path.length()) } else { path };
            op.runs = vec![path.segments];
            if step.process == Process::Cut {
                yard.burn(op.runs[0].iter().copied());
            }
            return Some(op);
        }
        self.closed_cut(step, part, &path, op, yard, troubles)
    }

    /// A closed cut: moved aside by half the kerf, started in its place, with leads or nicks.
    fn closed_cut(&self, step: &Step, part: &Part, path: &Path, mut op: Op, yard: &mut Yard, troubles: &mut Troubles) -> Option<Op> {
        let outer = part.outer == Some(step.item);
        let side = if outer { kerf::Side::Outside } else { kerf::Side::Inside };
        let mark = (op.contour, path.bounds().center());
        let mut moved = match kerf::offset(path, op.kerf / 2.0, side) {
            kerf::Offset::Whole(p) => p,
            kerf::Offset::Largest(p) => {
                troubles.narrow.push(mark);
                p
            }
            kerf::Offset::Nothing => {
                troubles.vanished.push(mark);
                return None;
            }
        };
        if !outer
            && self.machine.kind == MachineKind::Plasma
            && path.bounds().width().min(path.bounds().height()) < self.decisions.batch.thickness
        {
            troubles.small_holes.push(mark);
        }
        // Outers run clockwise where the good side of the torch is the right one; holes the other way.
        let clockwise = outer == self.machine.clockwise;
        if (moved.area() < 0.0) != clockwise {
            moved = moved.reversed();
        }
        let wanted = path.at(step.start * path.length()).0;
        moved = moved.started_at(moved.nearest(wanted).along);
        if self.setting.leads {
            match yard.lead(&moved, outer, self.decisions.batch.thickness, op.kerf) {
                Some(led) => {
                    moved = moved.started_at(led.along);
                    (op.lead_in, op.lead_out) = (led.lead_in, led.lead_out);
                }
                None => {
                    let at = moved.at(0.0).0;
                    let list = if yard.in_a_cut(at, op.kerf) { &mut troubles.in_a_cut } else { &mut troubles.no_lead };
                    list.push((op.contour, at));
                }
            }
        }
        let places = if self.setting.nicks && outer {
            nicks::places(&moved, self.setting.nick_pitch, self.setting.nick_width + op.kerf)
        } else {
            Vec::new()
        };
        op.nicks = places.iter().map(|at| moved.at(*at)).map(|(p, d)| (p, d.turn_90())).collect();
        op.runs = nicks::split(&moved, &places, self.setting.nick_width + op.kerf);
        if self.setting.leads {
            // Behind every nick the torch is lit again: in the scrap there too, not on the finished edge.
            for run in op.runs.iter().skip(1) {
                let at = run[0].start;
                match yard.lead_to(at, run[0].direction(0.0), &moved, outer, self.decisions.batch.thickness, op.kerf) {
                    Some(lead) => op.restarts.push(vec![lead]),
                    None => {
                        op.restarts.push(Vec::new());
                        troubles.on_the_edge.push((op.contour, at));
                    }
                }
            }
        }
        yard.burn(op.runs.iter().flatten().chain(op.leads()).copied());
        Some(op)
    }
}

fn blank(step: &Step, contour: ContourId, row: &ChartRow) -> Op {
    Op {
        contour,
        swept: Vec::new(),
        placement: step.placement,
        item: step.item,
        process: step.process,
        lead_in: Vec::new(),
        runs: Vec::new(),
        restarts: Vec::new(),
        lead_out: Vec::new(),
        rows: Vec::new(),
        raster: None,
        pitch: 0.0,
        tool: row.tool,
        nicks: Vec::new(),
        feed: row.feed,
        power: row.power,
        least_power: row.least_power.min(row.power),
        passes: row.passes.max(1),
        pierce: row.pierce,
        kerf: row.kerf,
        air: row.air,
        run_up: 0.0,
        reaches: Vec::new(),
        area: 0.0,
    }
}

//! Station 6: what the head will do. Kerf, nicks, leads, engraved rows.

mod kerf;
mod leads;
mod nicks;
mod sweep;
#[cfg(test)]
mod tests;

pub use sweep::Row;

use crate::assign::{Part, Process, Work};
use crate::clean::ContourId;
use crate::decisions::Decisions;
use crate::edit::Edit;
use crate::finding::{Finding, Severity, Station, counted};
use crate::geometry::{Path, Point, Segment, Vec2};
use crate::nest::{Layout, SheetLayout};
use crate::order::{Sequence, SheetSequence, Step};
use crate::shop::{ChartRow, Machine, MachineKind, Shop};
use leads::Yard;
use rayon::prelude::*;

/// What is burned for one step, in sheet mm.
#[derive(Clone, Debug)]
pub struct Op {
    /// The contour; for a sweep the first of those it sweeps.
    pub contour: ContourId,
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
    /// From the contour back into the scrap.
    pub lead_out: Vec<Segment>,
    /// Engraved rows, for a sweep.
    pub rows: Vec<Row>,
    /// Middles of the nicks and the direction across them.
    pub nicks: Vec<(Point, Vec2)>,
    /// Feed, mm/min.
    pub feed: f64,
    /// Power, percent of full.
    pub power: f64,
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
    /// Swept area, mm².
    pub area: f64,
}

impl Op {
    /// Where the head first burns.
    pub fn start(&self) -> Option<Point> {
        let line = self.lead_in.first().or_else(|| self.runs.first().and_then(|r| r.first()));
        line.map(|s| s.start).or_else(|| self.rows.first().map(Row::start))
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

/// What could not be done as it should, gathered over a sheet.
#[derive(Default)]
struct Troubles {
    vanished: Vec<(ContourId, Point)>,
    narrow: Vec<(ContourId, Point)>,
    no_lead: Vec<(ContourId, Point)>,
    small_holes: Vec<(ContourId, Point)>,
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
    let done: Vec<(SheetPath, Troubles)> = layout
        .sheets
        .par_iter()
        .zip(&sequence.sheets)
        .map(|(layout, sequence)| Bench { work, layout, decisions, machine, shop, setting }.sheet(sequence))
        .collect();
    let mut findings = Vec::new();
    let mut toolpath = Toolpath::default();
    for (i, (sheet, troubles)) in done.into_iter().enumerate() {
        toolpath.sheets.push(sheet);
        findings.extend(troubles.findings(i, decisions.batch.thickness));
    }
    (toolpath, findings)
}

impl Troubles {
    fn findings(self, sheet: usize, thickness: f64) -> Vec<Finding> {
        let place = |f: Finding, at: &[(ContourId, Point)]| f.on(at.iter().map(|a| a.0)).on_sheet(sheet, at.iter().map(|a| a.1));
        let mut out = Vec::new();
        let on = format!("on sheet {}", sheet + 1);
        if let n @ 1.. = self.vanished.len() {
            let text = format!("{} {on} {} narrower than the kerf and would vanish.", counted(n, "hole", "holes"), are(n));
            let drop = Edit::SetContours { contours: self.vanished.iter().map(|v| v.0).collect(), process: Some(Process::Reference) };
            out.push(
                place(Finding::new(Station::Hold, Severity::Stop, "hole-vanishes", n, text), &self.vanished).choice("Leave them out", drop),
            );
        }
        if let n @ 1.. = self.narrow.len() {
            let text = format!(
                "{} {on} {} a neck narrower than the kerf; the piece beyond it would be lost.",
                counted(n, "contour", "contours"),
                has(n)
            );
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, "narrow-neck", n, text), &self.narrow)
                    .choice("Cut it so", Edit::Accept { code: "narrow-neck".into() }),
            );
        }
        if let n @ 1.. = self.no_lead.len() {
            let text =
                format!("{} {on} {} no free place for a lead and would pierce on the line.", counted(n, "contour", "contours"), has(n));
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, "no-lead", n, text), &self.no_lead)
                    .choice("Pierce on the line", Edit::Accept { code: "no-lead".into() }),
            );
        }
        if let n @ 1.. = self.small_holes.len() {
            let text = format!(
                "{} {on} {} narrower than the plate is thick ({thickness} mm) and would come out ragged.",
                counted(n, "hole", "holes"),
                are(n)
            );
            let contours = self.small_holes.iter().map(|v| v.0).collect();
            out.push(
                place(Finding::new(Station::Hold, Severity::Look, "small-holes", n, text), &self.small_holes)
                    .choice("Cut them all the same", Edit::Accept { code: "small-holes".into() })
                    .choice("Leave them out", Edit::SetContours { contours, process: Some(Process::Reference) }),
            );
        }
        out
    }
}

fn are(n: usize) -> &'static str {
    if n == 1 { "is" } else { "are" }
}

fn has(n: usize) -> &'static str {
    if n == 1 { "has" } else { "have" }
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
        let mut sheet = SheetPath { width: self.layout.sheet.width, height: self.layout.sheet.height, ops: Vec::new() };
        let engraved: Vec<&Step> = sequence.steps.iter().filter(|s| s.process == Process::Engrave).collect();
        if let Some(row) = self.row(Process::Engrave) {
            sheet.ops.extend(sweep::plan(self.work, self.layout, &engraved, row, self.machine));
        }
        let mut yard = Yard::new(self.work, self.layout);
        for step in sequence.steps.iter().filter(|s| s.process != Process::Engrave) {
            let Some(row) = self.row(step.process) else { continue };
            sheet.ops.extend(self.op(step, row, &mut yard, &mut troubles));
        }
        (sheet, troubles)
    }

    fn row(&self, process: Process) -> Option<&ChartRow> {
        let b = &self.decisions.batch;
        self.shop.row(&b.machine, &b.material, b.thickness, process)
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
                None => troubles.no_lead.push((op.contour, moved.at(0.0).0)),
            }
        }
        let places = if self.setting.nicks && outer {
            nicks::places(&moved, self.setting.nick_pitch, self.setting.nick_width + op.kerf)
        } else {
            Vec::new()
        };
        op.nicks = places.iter().map(|at| moved.at(*at)).map(|(p, d)| (p, d.turn_90())).collect();
        op.runs = nicks::split(&moved, &places, self.setting.nick_width + op.kerf);
        Some(op)
    }
}

fn blank(step: &Step, contour: ContourId, row: &ChartRow) -> Op {
    Op {
        contour,
        placement: step.placement,
        item: step.item,
        process: step.process,
        lead_in: Vec::new(),
        runs: Vec::new(),
        lead_out: Vec::new(),
        rows: Vec::new(),
        nicks: Vec::new(),
        feed: row.feed,
        power: row.power,
        passes: row.passes.max(1),
        pierce: row.pierce,
        kerf: row.kerf,
        air: row.air,
        run_up: 0.0,
        area: 0.0,
    }
}

//! Station 6: what the head will do. Kerf, nicks, leads, engraved rows.

mod blocks;
mod kerf;
mod leads;
mod lineup;
mod nicks;
mod op;
mod plough;
mod raster;
mod sweep;
#[cfg(test)]
mod tests;
mod thin;
mod troubles;

pub use op::{AreaSweep, Doing, Op, PictureSweep, Track};
pub use sweep::Row;

use crate::assign::{Part, Process, Work};
use crate::cuts::{Cut, CutPlan, Line, SheetCuts};
use crate::decisions::HoldDecisions;
use crate::finding::Finding;
use crate::geometry::{Path, Segment};
use crate::ids::ContourId;
use crate::nest::{Layout, SheetLayout, Terms};
use crate::order::{Sequence, SheetSequence, Step};
use crate::picture::Tone;
use crate::shop::{ChartRow, Machine, MachineKind, Rows};
use leads::Yard;
use op::blank;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use serde::Serialize;
use std::collections::BTreeMap;
use troubles::Troubles;

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

/// What Hold gets to see: no more than it needs, so that nothing else makes it work again.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct Given<'a> {
    /// What was decided at Hold.
    pub decisions: &'a HoldDecisions,
    /// Thickness, mm.
    pub thickness: f64,
    /// How pictures are toned.
    pub pictures: &'a BTreeMap<ContourId, Tone>,
    /// A number that none of the job's own settings has.
    pub next_setting: u32,
    /// What each process is done with.
    pub rows: &'a Rows,
    /// The distances that parts keep.
    pub terms: &'a Terms,
    /// The machine.
    pub machine: &'a Machine,
    /// The shop's usual nick: width of the bridge and outline for each, mm.
    pub nick: (f64, f64),
    /// Webs thinner than so many kerfs, or such a share of the thickness, are told.
    pub web: (f64, f64),
}

/// How parts are held: what was decided, and the machine's custom for the rest.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Holding {
    /// Nicks on outlines.
    pub nicks: bool,
    /// Width of a bridge, mm.
    pub nick_width: f64,
    /// Outline per nick, mm.
    pub nick_pitch: f64,
    /// Leads on closed cuts.
    pub leads: bool,
}

impl Holding {
    /// What was decided, and the machine's custom for the rest. `nick` is the shop's usual width and pitch, mm.
    pub fn of(hold: &HoldDecisions, machine: &Machine, nick: (f64, f64)) -> Self {
        let plasma = machine.kind == MachineKind::Plasma;
        Self {
            nicks: hold.nicks.unwrap_or(!plasma),
            nick_width: hold.nick_width.unwrap_or(nick.0),
            nick_pitch: hold.nick_pitch.unwrap_or(nick.1),
            leads: hold.leads.unwrap_or(plasma),
        }
    }
}

/// Works out what the head does on every sheet.
pub fn run(work: &Work, layout: &Layout, plan: &CutPlan, sequence: &Sequence, given: &Given) -> (Toolpath, Vec<Finding>) {
    let holding = Holding::of(given.decisions, given.machine, given.nick);
    let done: Vec<(SheetPath, Troubles, Option<Finding>)> = layout
        .sheets
        .par_iter()
        .zip(&plan.sheets)
        .zip(&sequence.sheets)
        .enumerate()
        .map(|(i, ((lying, cuts), sequence))| {
            let kerf = given.rows.get(Process::Cut, None).map_or(0.0, |r| r.kerf);
            let block_nicks = if holding.nicks { blocks::places(cuts, holding.nick_width + kerf) } else { FxHashMap::default() };
            let bench = Bench { work, layout: lying, cuts, given, holding, block_nicks };
            let (sheet, troubles) = bench.sheet(sequence);
            let lined_up = lineup::proposed(&bench, sequence, sheet.swept, i, layout);
            (sheet, troubles, lined_up)
        })
        .collect();
    let mut findings = Vec::new();
    let mut toolpath = Toolpath::default();
    for (i, (sheet, troubles, lined_up)) in done.into_iter().enumerate() {
        toolpath.sheets.push(sheet);
        findings.extend(troubles.findings(i, given));
        findings.extend(lined_up);
    }
    findings.extend(thin::webs(work, layout, given));
    (toolpath, findings)
}

/// One sheet being worked out.
struct Bench<'a> {
    work: &'a Work,
    layout: &'a SheetLayout,
    cuts: &'a SheetCuts,
    given: &'a Given<'a>,
    holding: Holding,
    /// Middles of the nicks on shared edges, by cut, as lengths along it.
    block_nicks: FxHashMap<usize, Vec<f64>>,
}

impl Bench<'_> {
    fn sheet(&self, sequence: &SheetSequence) -> (SheetPath, Troubles) {
        let mut troubles = Troubles::default();
        let mut sheet =
            SheetPath { width: self.layout.sheet.width, height: self.layout.sheet.height, ops: Vec::new(), swept: Swept::default() };
        for step in sequence.steps.iter().filter(|s| s.process == Process::Picture) {
            let Some(row) = self.row(step) else { continue };
            match raster::op(self.work, self.layout, step, row, self.given) {
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
            let (ops, swept) = sweep::plan(self.work, self.layout, &steps, row, self.given.machine, &self.given.decisions.sweep);
            sheet.ops.extend(ops);
            sheet.swept.planned += swept.planned;
            sheet.swept.full += swept.full;
        }
        let mut yard = Yard::new(self.work, self.layout);
        for step in sequence.steps.iter().filter(|s| !matches!(s.process, Process::Engrave | Process::Picture)) {
            let Some(row) = self.row(step) else { continue };
            sheet.ops.extend(self.op(step, row, &mut yard, &mut troubles));
        }
        troubles.short_run_up = sheet.ops.iter().filter_map(|o| sweep::short_run_up(o, self.given.machine)).collect();
        (sheet, troubles)
    }

    /// What a step is done with: the cut chart's row, changed where the job has a setting of its own for it.
    fn row(&self, step: &Step) -> Option<&ChartRow> {
        self.given.rows.get(step.process, self.work.items[step.item].setting)
    }

    fn op(&self, step: &Step, row: &ChartRow, yard: &mut Yard, troubles: &mut Troubles) -> Option<Op> {
        let placement = &self.layout.placed[step.placement];
        let part = self.work.part(placement.copy.part)?;
        let item = &self.work.items[step.item];
        let cut = &self.cuts.cuts[step.cut];
        let path = cut.path.clone();
        let mut op = blank(step, item.contour.id, row);
        if cut.line == Line::Shared {
            return Some(self.shared_cut(step, cut, op, yard, troubles));
        }
        if step.process != Process::Cut || !path.closed {
            let path = if step.start > 0.5 && !path.closed { path.reversed() } else { path };
            let path = if path.closed { path.started_at(step.start * path.length()) } else { path };
            op.doing = Doing::Line(Track { runs: vec![path.segments], ..Track::default() });
            if step.process == Process::Cut {
                yard.burn(op.line().runs[0].iter().copied());
            }
            return Some(op);
        }
        let moved = self.moved(cut, part, step, &op, troubles)?;
        Some(self.closed_cut(step, part, moved, op, yard, troubles))
    }

    /// True where the good side of a closed cut lies within it.
    fn is_outer(cut: &Cut, part: &Part, step: &Step) -> bool {
        match cut.line {
            Line::Rim { inner } => !inner,
            Line::Drawn | Line::Shared => part.outer == Some(step.item),
        }
    }

    /// A closed cut moved aside by half the kerf, where that is not made up for yet.
    fn moved(&self, cut: &Cut, part: &Part, step: &Step, op: &Op, troubles: &mut Troubles) -> Option<Path> {
        let path = &cut.path;
        if cut.line != Line::Drawn {
            return Some(path.clone());
        }
        let outer = Self::is_outer(cut, part, step);
        let mark = (op.contour, path.bounds().center());
        let side = if outer { kerf::Side::Outside } else { kerf::Side::Inside };
        let moved = match kerf::offset(path, op.kerf / 2.0, side) {
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
            && self.given.machine.kind == MachineKind::Plasma
            && path.bounds().width().min(path.bounds().height()) < self.given.thickness
        {
            troubles.small_holes.push(mark);
        }
        Some(moved)
    }

    /// A closed cut as the head goes: started in its place, with leads or nicks.
    fn closed_cut(&self, step: &Step, part: &Part, mut moved: Path, mut op: Op, yard: &mut Yard, troubles: &mut Troubles) -> Op {
        let cut = &self.cuts.cuts[step.cut];
        let outer = Self::is_outer(cut, part, step);
        // Outers run clockwise where the good side of the torch is the right one; holes the other way.
        let clockwise = outer == self.given.machine.clockwise;
        if (moved.area() < 0.0) != clockwise {
            moved = moved.reversed();
        }
        let wanted = cut.path.at(step.start * cut.path.length()).0;
        moved = moved.started_at(moved.nearest(wanted).along);
        let mut line = Track::default();
        if self.holding.leads {
            match yard.lead(&moved, outer, self.given.thickness, op.kerf) {
                Some(led) => {
                    moved = moved.started_at(led.along);
                    (line.lead_in, line.lead_out) = (led.lead_in, led.lead_out);
                }
                None => {
                    let at = moved.at(0.0).0;
                    let list = if yard.in_a_cut(at, op.kerf) { &mut troubles.in_a_cut } else { &mut troubles.no_lead };
                    list.push((op.contour, at));
                }
            }
        }
        let places = if self.holding.nicks && outer {
            nicks::places(&moved, self.holding.nick_pitch, self.holding.nick_width + op.kerf)
        } else {
            Vec::new()
        };
        line.nicks = places.iter().map(|at| moved.at(*at)).map(|(p, d)| (p, d.turn_90())).collect();
        line.runs = nicks::split(&moved, &places, self.holding.nick_width + op.kerf);
        if self.holding.leads {
            // Behind every nick the torch is lit again: in the scrap there too, not on the finished edge.
            let begins: Vec<Segment> = line.runs.iter().skip(1).map(|r| r[0]).collect();
            for first in begins {
                let at = first.start;
                match yard.lead_to(at, first.direction(0.0), &moved, outer, self.given.thickness, op.kerf) {
                    Some(lead) => line.restarts.push(vec![lead]),
                    None => {
                        line.restarts.push(Vec::new());
                        troubles.on_the_edge.push((op.contour, at));
                    }
                }
            }
        }
        op.doing = Doing::Line(line);
        yard.burn(op.line().runs.iter().flatten().chain(op.leads()).copied());
        op
    }
}

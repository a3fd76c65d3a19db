//! Station 6: what the head will do. Kerf, nicks, leads, engraved rows.

mod blocks;
mod bridges;
mod chained;
mod closed;
mod corners;
mod falls;
pub mod hand;
mod kerf;
mod leads;
mod lineup;
mod nicks;
mod op;
mod plough;
mod raster;
mod roundabout;
mod sweep;
#[cfg(test)]
mod tests;
mod thin;
mod troubles;

pub use falls::{Fate, Piece, Slats, fate};
pub use op::{AreaSweep, Doing, Op, PictureSweep, Track};
pub use roundabout::Approach;
pub use sweep::Row;
pub use thin::thinner_than;

use crate::assign::{Part, Process, Work};
use crate::cuts::{Cut, CutPlan, Freeing, Line, SheetCuts};
use crate::decisions::{HoldDecisions, HoldEdit, LineSide, NickWhich, Pose, Way};
use crate::finding::Finding;
use crate::geometry::{Bounds, Path, Point};
use crate::ids::ContourId;
use crate::nest::{Layout, SheetLayout, Terms};
use crate::order::{Sequence, SheetSequence, Step};
use crate::picture::Tone;
use crate::shop::{ChartRow, Machine, MachineKind, Nicks, Rows};
use closed::Closed;
use leads::Yard;
use op::blank;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use troubles::Troubles;

/// All a sheet needs.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct SheetPath {
    /// Sheet width, mm.
    pub width: f64,
    /// Sheet height, mm.
    pub height: f64,
    /// What is done, in order.
    pub ops: Vec<Op>,
    /// What planning the engraving came to.
    pub swept: Swept,
    /// What comes free, and what becomes of it.
    pub pieces: Vec<Piece>,
    /// How the head comes back to the program's zero, where it has to keep off what it has cut free.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub home: Option<Approach>,
}

/// How long engraved areas take, by the time model, s.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Swept {
    /// As planned.
    pub planned: f64,
    /// If every row went over the whole width and height of all areas.
    pub full: f64,
}

/// All sheets.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
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
    /// How each sheet lies on the bed.
    pub poses: &'a [Pose],
    /// The machine.
    pub machine: &'a Machine,
    /// How nicks are set in this material.
    pub nick: Nicks,
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
    /// Fewest and most nicks of a contour.
    pub nick_count: (u32, u32),
    /// Leads on closed cuts.
    pub leads: bool,
}

impl Holding {
    /// What was decided, and the machine's and material's custom for the rest; `thickness` in mm.
    pub fn of(hold: &HoldDecisions, machine: &Machine, nick: Nicks, thickness: f64) -> Self {
        let plasma = machine.kind == MachineKind::Plasma;
        Self {
            nicks: hold.nicks.unwrap_or(!plasma),
            nick_width: hold.nick_width.unwrap_or(nick.width),
            nick_pitch: hold.nick_pitch.unwrap_or(nick.pitch),
            nick_count: hold.nick_count.unwrap_or(nick.count),
            leads: hold.leads.unwrap_or(plasma || machine.leads_from > 0.0 && thickness >= machine.leads_from - 1e-6),
        }
    }
}

/// Works out what the head does on every sheet.
pub fn run(work: &Work, layout: &Layout, plan: &CutPlan, sequence: &Sequence, given: &Given) -> (Toolpath, Vec<Finding>) {
    let holding = Holding::of(given.decisions, given.machine, given.nick, given.thickness);
    let done: Vec<(SheetPath, Troubles, Option<Finding>)> = layout
        .sheets
        .par_iter()
        .zip(&plan.sheets)
        .zip(&sequence.sheets)
        .enumerate()
        .map(|(i, ((lying, cuts), sequence))| {
            let kerf = given.rows.get(Process::Cut, None).map_or(0.0, |r| r.kerf);
            let mut block_nicks = if holding.nicks { blocks::places(cuts, holding.nick_width + kerf) } else { FxHashMap::default() };
            if !given.decisions.common_nicks.is_empty() {
                blocks::by_hand(cuts, given.decisions, &mut block_nicks);
            }
            let pose = given.poses.get(i).copied().unwrap_or_default();
            let bench = Bench { work, layout: lying, cuts, given, pose, holding, block_nicks };
            let (sheet, troubles) = bench.sheet(sequence);
            let lined_up = lineup::proposed(&bench, sequence, sheet.swept, i, layout);
            (sheet, troubles, lined_up)
        })
        .collect();
    let mut findings = Vec::new();
    let mut toolpath = Toolpath::default();
    for (i, (sheet, troubles, lined_up)) in done.into_iter().enumerate() {
        findings.extend(falls::struck(i, &sheet, &plan.sheets[i], given.decisions.nicks == Some(false)));
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
    /// How the sheet lies on the bed.
    pose: Pose,
    holding: Holding,
    /// Middles of the nicks on shared edges, by cut, as lengths along it.
    block_nicks: FxHashMap<usize, Vec<f64>>,
}

impl Bench<'_> {
    fn sheet(&self, sequence: &SheetSequence) -> (SheetPath, Troubles) {
        let mut troubles = Troubles::default();
        let mut sheet =
            SheetPath { width: self.layout.sheet.width, height: self.layout.sheet.height, ops: Vec::new(), ..SheetPath::default() };
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
            let (ops, swept) = sweep::plan(
                &sweep::Engraved { work: self.work, layout: self.layout, steps: &steps },
                row,
                self.given.machine,
                &self.given.decisions.sweep,
            );
            sheet.ops.extend(ops);
            sheet.swept.planned += swept.planned;
            sheet.swept.full += swept.full;
        }
        let mut yard = Yard::new(self.work, self.layout);
        for step in sequence.steps.iter().filter(|s| !s.process.is_swept()) {
            let Some(row) = self.row(step) else { continue };
            sheet.ops.extend(self.op(step, row, &mut yard, &mut troubles));
        }
        if self.holding.leads && self.given.decisions.lead.chain > 0.0 {
            chained::lay(&mut sheet.ops, &yard, self.given.decisions.lead.chain);
        }
        if self.given.machine.kind == MachineKind::Plasma {
            sheet.home = Some(self.go_round(&mut sheet.ops));
        }
        sheet.pieces = falls::pieces(self, &sheet.ops);
        troubles.short_run_up = sheet.ops.iter().filter_map(|o| sweep::short_run_up(o, self.given.machine, self.pose)).collect();
        (sheet, troubles)
    }

    /// The bed as seen from the sheet; of a sheet laid askew as much as lies under it.
    fn bed(&self) -> Bounds {
        let (m, at) = (self.given.machine, self.pose.at.to_vec2());
        if self.pose.is_turned() {
            return Bounds { min: Point::ZERO, max: Point::new(self.layout.sheet.width, self.layout.sheet.height) };
        }
        Bounds { min: Point::ZERO - at, max: Point::new(m.bed_width, m.bed_height) - at }
    }

    /// A torch goes round what it has cut free.
    fn go_round(&self, ops: &mut [Op]) -> Approach {
        let kerf = ops.iter().map(|o| o.kerf).fold(0.0, f64::max);
        let field = roundabout::Field::new(kerf, self.bed());
        let mut freeing = Freeing::new(self.work, self.layout, self.cuts);
        roundabout::lay(ops, field, self.pose.zero, |op| {
            if !op.process.frees() {
                return Vec::new();
            }
            let nicks: Vec<Point> = op.line().nicks.iter().map(|n| n.0).collect();
            freeing.made(op.cut, &nicks, op.kerf)
        })
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
        if cut.line == Line::Shared || self.holding.leads && matches!(cut.line, Line::Rim { .. }) && !path.closed {
            return Some(self.block_cut(step, cut, op, yard, troubles));
        }
        if !step.process.frees() || !path.closed {
            let path = if step.start > 0.5 && !path.closed { path.reversed() } else { path };
            let path = if path.closed { path.started_at(step.start * path.length()) } else { path };
            let path = if path.closed && step.way == Some(Way::Against) { path.reversed() } else { path };
            let path = if step.process.frees() { self.beside(path, cut, op.kerf) } else { path };
            op.doing = Doing::Line(Track { runs: vec![path.segments], ..Track::default() });
            if step.process.frees() {
                yard.burn(op.line().runs[0].iter().copied());
            }
            return Some(op);
        }
        if !Self::is_outer(cut, part, step) && self.narrowness(cut) < self.given.machine.slow_holes {
            op.feed *= self.given.machine.slow_share;
        }
        let moved = self.moved(cut, part, step, &op, troubles)?;
        Some(self.closed_cut(Closed { step, part, moved }, op, yard, troubles))
    }

    /// An open cut on the side of its line that a hand said.
    fn beside(&self, path: Path, cut: &Cut, kerf: f64) -> Path {
        let Some(edge) = cut.edges().next().filter(|_| !path.closed) else { return path };
        let left = match self.given.decisions.sides.get(&edge.contour) {
            None | Some(LineSide::Middle) => return path,
            Some(LineSide::Left) => 1.0,
            Some(LineSide::Right) => -1.0,
        };
        let mirrored = self.layout.placed.get(edge.placement).is_some_and(|p| p.mirrored);
        let against = path.segments.first().map(|s| s.start) != cut.path.segments.first().map(|s| s.start);
        let by = left * kerf / 2.0 * if mirrored != against { -1.0 } else { 1.0 };
        let moved = path.moved_left(by).into_iter().max_by(|a, b| a.length().total_cmp(&b.length()));
        moved.map_or(path, |m| Path { closed: false, ..m })
    }

    /// Where a hand set a cut's nicks, as it lies, mm; none where the rule sets them.
    fn nicks_by_hand(&self, cut: &Cut) -> Option<Vec<Point>> {
        if cut.line != Line::Drawn && self.given.decisions.common_nicks.is_empty() {
            return None;
        }
        let edge = cut.edges().next()?;
        let places = match cut.line {
            Line::Drawn => self.given.decisions.nicks_at(edge.copy, edge.contour)?,
            // It is one of several cuts that make the copy's outline.
            Line::Rim { .. } | Line::Shared => {
                let mut cuts = self.cuts.cuts.iter().zip(self.cuts.names());
                let name = cuts.find(|c| std::ptr::eq(c.0, cut))?.1;
                self.given.decisions.common_nicks.get(&name)?
            }
        };
        Some(places.iter().map(|p| cut.path.at(p.along(&cut.path)).0).collect())
    }

    /// Where a hand put the begin of a cut and its pierce, as it lies, mm; none where the rule does.
    fn pierce_by_hand(&self, cut: &Cut) -> Option<(Point, Point)> {
        let edge = cut.edges().next().filter(|_| cut.line == Line::Drawn)?;
        let pierce = self.given.decisions.pierce_at(edge.copy, edge.contour)?;
        let (at, ahead) = cut.path.at(pierce.at.along(&cut.path));
        // What was to the left of the drawn contour is to the right of a mirrored copy's.
        let mirrored = self.layout.placed.get(edge.placement).is_some_and(|p| p.mirrored);
        let left = if mirrored { -ahead.turn_90() } else { ahead.turn_90() };
        Some((at, at + ahead * pierce.ahead + left * pierce.aside))
    }

    /// True where the rule gives a part's contour nicks.
    fn wants_nicks(&self, part: &Part, outer: bool) -> bool {
        match self.given.decisions.nick_which {
            NickWhich::Outlines => outer,
            NickWhich::Small => outer && part.bounds.width().min(part.bounds.height()) < self.given.machine.slat_pitch,
            NickWhich::All => true,
        }
    }
}

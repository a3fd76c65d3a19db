//! What lifts a fault of a program: the way on where Proof holds a job up.
//!
//! A program that differs from the work is a fault of ours, or a setting that the machine cannot follow. Neither may leave a
//! person without a way: what is concerned is done within the machine's limits, laid anew on the bed, or left out.

use super::Meant;
use crate::assign::{Process, Work};
use crate::cuts::Line;
use crate::decisions::{AssignEdit, Edit, HoldEdit, JobSetting, NestEdit, ReleaseEdit};
use crate::finding::{Code, Finding, Severity, counted};
use crate::geometry::{Bounds, Point};
use crate::hold::{Op, SheetPath};
use crate::ids::BatchId;
use crate::ids::ContourId;
use crate::nest::{Sheet, SheetLayout};
use crate::shop::Machine;
use std::collections::{BTreeMap, BTreeSet};

/// A fault belongs to the work within this distance, mm.
const NEAR: f64 = 1.0;

/// The findings on a sheet with what lifts them; a setting of the job's own would have the number `next_setting`. Those that a person may accept have their own remedies already.
pub(crate) fn offered(findings: Vec<Finding>, meant: &Meant, next_setting: u32) -> Vec<Finding> {
    let Meant { path, layout, work, machine, pose, .. } = *meant;
    let common_edges = meant.cuts.cuts.iter().any(|c| c.line == Line::Shared);
    let lift = |f: Finding| {
        if f.severity != Severity::Stop {
            return f;
        }
        match f.code {
            Code::OffBed if pose.is_moved() => {
                f.choice("Place the sheets at the bed's corner", ReleaseEdit::LayAtCorner.on(BatchId::FIRST))
            }
            Code::OffBed => on_the_bed(f, layout, machine),
            Code::FeedOver => within(f, path, next_setting, |op| op.feed > machine.feed_limit, |s| s.feed = Some(machine.feed_limit)),
            Code::EdgesNotOnce => f.mend("Cut each part by itself", by_itself()),
            // Nothing is lost by it but the way that was saved.
            Code::Gouge | Code::BurnedTwice | Code::NotBurned if common_edges => f.mend("Cut each part by itself", by_itself()),
            Code::BridgeBurned => by_rule(f, path),
            Code::PowerOver => within(f, path, next_setting, |op| op.power > 100.0, |s| s.power = Some(100.0)),
            _ => f,
        }
    };
    findings.into_iter().map(lift).map(|f| left_out(f, path, layout, work)).collect()
}

/// Nicks that a hand set are the rule's again.
fn by_rule(finding: Finding, path: &SheetPath) -> Finding {
    let near = |op: &&Op| op.line().nicks.iter().any(|n| finding.place.points.iter().any(|p| p.distance(n.0) < NEAR));
    let contours: BTreeSet<ContourId> = path.ops.iter().filter(near).map(|op| op.contour).collect();
    let back = |contour: ContourId| HoldEdit::SetNickPlaces { contour, places: None, copy: None }.on(BatchId::FIRST);
    let edits: Vec<Edit> = contours.into_iter().map(back).collect();
    if edits.is_empty() { finding } else { finding.choice("Use the rule for these nicks", Edit::All { edits }) }
}

/// No more common edges: every contour is a cut of its own.
fn by_itself() -> Edit {
    Edit::All { edits: vec![NestEdit::SetCommonEdges { on: false }.on(BatchId::FIRST), NestEdit::Nest.on(BatchId::FIRST)] }
}

fn on_the_bed(finding: Finding, layout: &SheetLayout, machine: &Machine) -> Finding {
    let sheet = Sheet::rectangle(layout.sheet.width.min(machine.bed_width), layout.sheet.height.min(machine.bed_height));
    let label = format!("Nest again on {:.0} × {:.0} mm", sheet.width, sheet.height);
    finding.choice(
        label,
        Edit::All { edits: vec![NestEdit::SetSheets { sheets: vec![sheet] }.on(BatchId::FIRST), NestEdit::Nest.on(BatchId::FIRST)] },
    )
}

/// A setting of the job's own within the machine's limits, for what is over them: one for each process.
fn within(finding: Finding, path: &SheetPath, first: u32, over: impl Fn(&Op) -> bool, limit: impl Fn(&mut JobSetting)) -> Finding {
    let mut concerned: BTreeMap<Process, BTreeSet<ContourId>> = BTreeMap::new();
    for op in path.ops.iter().filter(|op| over(op)) {
        concerned.entry(op.process).or_default().extend(op.contours());
    }
    let edits: Vec<Edit> = (first..)
        .zip(concerned)
        .flat_map(|(id, (process, contours))| {
            let name = format!("{} within limits", process.name());
            let mut setting = JobSetting { id, name, process, feed: None, power: None, passes: None, pitch: None, tool: None, kerf: None };
            limit(&mut setting);
            [
                Edit::Assign(AssignEdit::SetSetting { setting }),
                Edit::Assign(AssignEdit::UseForContours { contours: contours.into_iter().collect(), setting: Some(id) }),
            ]
        })
        .collect();
    if edits.is_empty() { finding } else { finding.choice("Run at the machine's limit", Edit::All { edits }) }
}

/// With a button that leaves out what the fault is at: the work there, or, where it is nowhere in particular, the sheet's parts.
fn left_out(finding: Finding, path: &SheetPath, layout: &SheetLayout, work: &Work) -> Finding {
    if finding.severity != Severity::Stop {
        return finding;
    }
    let near = |op: &Op| {
        let on_line = |p: &Point| op.leads().chain(op.line().runs.iter().flatten()).any(|s| s.distance(*p) < NEAR);
        let rows = op.rows().iter().cloned().chain(op.picture_rows());
        let swept = Bounds::of(rows.flat_map(|r| [r.start(), r.end()])).grown(NEAR);
        finding.place.points.iter().any(|p| on_line(p) || swept.has(*p))
    };
    let contours: BTreeSet<ContourId> = path.ops.iter().filter(|op| near(op)).flat_map(Op::contours).collect();
    if !contours.is_empty() {
        let label = format!("Leave {} out", counted(contours.len(), "line there", "lines there"));
        let contours = contours.into_iter().collect();
        return finding.leaving_out(label, Edit::Assign(AssignEdit::SetContours { contours, process: Some(Process::Reference) }));
    }
    let mut on_it: BTreeMap<_, u32> = BTreeMap::new();
    layout.placed.iter().for_each(|p| *on_it.entry(p.copy.part).or_insert(0) += 1);
    let fewer = on_it.into_iter().filter_map(|(id, n)| Some((id, work.part(id)?.quantity.saturating_sub(n))));
    let edits = fewer
        .map(|(part, quantity)| NestEdit::SetQuantity { part, quantity }.on(BatchId::FIRST))
        .chain([NestEdit::Nest.on(BatchId::FIRST)])
        .collect();
    finding.leaving_out("Leave this sheet's parts out", Edit::All { edits })
}

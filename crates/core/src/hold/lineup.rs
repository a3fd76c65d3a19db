//! Equal parts that nearly stand in line: brought into line, their engraved rows coincide and cost their run-up once.

use super::{Bench, Swept, sweep};
use crate::assign::{Process, Work};
use crate::edit::Edit;
use crate::finding::{Finding, Severity, Station};
use crate::nest::{self, Layout, Placement, SheetLayout};
use crate::order::{SheetSequence, Step};
use crate::time::clock;

/// Copies nearer in line than this belong in one line, mm.
const REACH: f64 = 2.0;
/// Gains below this many seconds are not worth a word.
const WORTH: f64 = 2.0;

/// Which way copies are moved into line.
#[derive(Clone, Copy)]
enum Axis {
    X,
    Y,
}

impl Axis {
    fn get(self, p: &Placement) -> f64 {
        match self {
            Self::X => p.x,
            Self::Y => p.y,
        }
    }
    fn set(self, p: &mut Placement, v: f64) {
        match self {
            Self::X => p.x = v,
            Self::Y => p.y = v,
        }
    }
}

/// What lining up the copies of a sheet would gain, with the edit that does it; `swept` is how it stands.
pub(super) fn proposed(bench: &Bench, sequence: &SheetSequence, swept: Swept, sheet: usize, layout: &Layout) -> Option<Finding> {
    let engraved: Vec<&Step> = sequence.steps.iter().filter(|s| s.process == Process::Engrave).collect();
    let row = bench.row(engraved.first()?)?;
    let setting = nest::Setting::of(bench.decisions, bench.machine, bench.shop);
    let mut best: Option<(f64, usize, usize, f64, SheetLayout)> = None;
    for axis in [Axis::Y, Axis::X] {
        let Some((lying, lines, moved, furthest)) = in_line(bench.work, bench.layout, &engraved, axis) else { continue };
        let one = Layout { sheets: vec![lying], ..Layout::default() };
        if nest::faults(bench.work, &one, setting.spacing, setting.margin).0 > 0 {
            continue;
        }
        let [lying] = one.sheets.as_slice() else { continue };
        let (_, after) = sweep::plan(bench.work, lying, &engraved, &row, bench.machine, &bench.decisions.hold.sweep);
        let gain = swept.planned - after.planned;
        if gain > WORTH && best.as_ref().is_none_or(|b| gain > b.0) {
            best = Some((gain, lines, moved, furthest, lying.clone()));
        }
    }
    let (gain, lines, moved, furthest, lying) = best?;
    let mut after = layout.clone();
    *after.sheets.get_mut(sheet)? = lying;
    let text = format!(
        "{moved} copies on sheet {} stand up to {furthest:.2} mm out of line, in {lines} {}; their engraved rows do not coincide, which costs {}.",
        sheet + 1,
        if lines == 1 { "line" } else { "lines" },
        clock(gain)
    );
    let finding = Finding::new(Station::Hold, Severity::Note, "out-of-line", moved, text);
    Some(finding.on_sheet(sheet, []).mend("Line them up", Edit::KeepLayout { layout: after }))
}

/// The sheet with equal copies brought into line, the number of lines, how many copies move, and how far at most. `None`
/// where all are in line.
fn in_line(work: &Work, layout: &SheetLayout, engraved: &[&Step], axis: Axis) -> Option<(SheetLayout, usize, usize, f64)> {
    let mut out = layout.clone();
    let same = |a: &Placement, b: &Placement| a.part == b.part && a.mirrored == b.mirrored && (a.angle - b.angle).abs() < 1e-9;
    let mut order: Vec<usize> = (0..layout.placed.len())
        .filter(|i| engraved.iter().any(|s| s.placement == *i) && work.part(layout.placed[*i].part).is_some())
        .collect();
    order.sort_by(|a, b| axis.get(&layout.placed[*a]).total_cmp(&axis.get(&layout.placed[*b])));
    let (mut lines, mut moved, mut furthest) = (0, 0, 0.0_f64);
    let mut taken = vec![false; layout.placed.len()];
    for (n, first) in order.iter().enumerate() {
        if taken[*first] {
            continue;
        }
        let from = axis.get(&layout.placed[*first]);
        let line: Vec<usize> = order[n..]
            .iter()
            .copied()
            .filter(|i| !taken[*i] && same(&layout.placed[*first], &layout.placed[*i]) && axis.get(&layout.placed[*i]) - from <= REACH)
            .collect();
        line.iter().for_each(|i| taken[*i] = true);
        let spread = line.iter().map(|i| axis.get(&layout.placed[*i]) - from).fold(0.0, f64::max);
        if line.len() < 2 || spread < 1e-6 {
            continue;
        }
        // Where most of them stand already, the fewest are moved.
        let middle = axis.get(&layout.placed[line[line.len() / 2]]);
        lines += 1;
        furthest = furthest.max(spread);
        for i in line {
            moved += usize::from((axis.get(&out.placed[i]) - middle).abs() > 1e-9);
            axis.set(&mut out.placed[i], middle);
        }
    }
    (lines > 0).then_some((out, lines, moved, furthest))
}

//! Parts of one size that nearly stand in line: brought into line, their engraved rows coincide and cost their run-up once.

use super::{Bench, Swept, sweep};
use crate::assign::{Process, Work};
use crate::decisions::NestEdit;
use crate::finding::{Finding, Severity, Station};
use crate::geometry::{Bounds, Point};
use crate::ids::BatchId;
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
    fn of(self, p: Point) -> f64 {
        match self {
            Self::X => p.x,
            Self::Y => p.y,
        }
    }
    fn shift(self, p: &mut Placement, by: f64) {
        match self {
            Self::X => p.x += by,
            Self::Y => p.y += by,
        }
    }
}

/// Outlines whose boxes differ by less than this are alike, mm.
const ALIKE: f64 = 0.02;

/// What lining up the copies of a sheet would gain, with the edit that does it; `swept` is how it stands.
pub(super) fn proposed(bench: &Bench, sequence: &SheetSequence, swept: Swept, sheet: usize, layout: &Layout) -> Option<Finding> {
    let engraved: Vec<&Step> = sequence.steps.iter().filter(|s| s.process == Process::Engrave).collect();
    let row = bench.row(engraved.first()?)?;
    let terms = bench.given.terms;
    let mut best: Option<(f64, usize, usize, f64, SheetLayout)> = None;
    for axis in [Axis::Y, Axis::X] {
        let Some((lying, lines, moved, furthest)) = in_line(bench.work, bench.layout, &engraved, axis) else { continue };
        let one = Layout { sheets: vec![lying], ..Layout::default() };
        if nest::faults(bench.work, &one, terms.distances()).0 > 0 {
            continue;
        }
        let [lying] = one.sheets.as_slice() else { continue };
        let (_, after) = sweep::plan(bench.work, lying, &engraved, row, bench.given.machine, &bench.given.decisions.sweep);
        let gain = swept.planned - after.planned;
        if gain > WORTH && best.as_ref().is_none_or(|b| gain > b.0) {
            best = Some((gain, lines, moved, furthest, lying.clone()));
        }
    }
    let (gain, lines, moved, furthest, lying) = best?;
    let mut after = layout.clone();
    *after.sheets.get_mut(sheet)? = lying;
    let text = format!(
        "{moved} parts on sheet {} stand up to {furthest:.2} mm out of line, in {lines} {}; their engraved rows do not coincide, which costs {}.",
        sheet + 1,
        if lines == 1 { "line" } else { "lines" },
        clock(gain)
    );
    let finding = Finding::new(Station::Hold, Severity::Note, "out-of-line", moved, text);
    Some(finding.on_sheet(sheet, []).mend("Line them up", NestEdit::KeepLayout { layout: after }.on(BatchId::FIRST)))
}

/// The sheet with parts of one size brought into line, the number of lines, how many parts move, and how far at most.
/// `None` where all are in line. Parts need not be equal: plates of one size with other numbers line up as well.
fn in_line(work: &Work, layout: &SheetLayout, engraved: &[&Step], axis: Axis) -> Option<(SheetLayout, usize, usize, f64)> {
    let mut out = layout.clone();
    let boxes: Vec<Option<Bounds>> = layout
        .placed
        .iter()
        .enumerate()
        .map(|(i, p)| {
            let part = work.part(p.copy.part).filter(|_| engraved.iter().any(|s| s.placement == i))?;
            Some(part.outline.transformed(p.affine()).bounds())
        })
        .collect();
    let alike = |a: &Bounds, b: &Bounds| (a.width() - b.width()).abs() < ALIKE && (a.height() - b.height()).abs() < ALIKE;
    let mut order: Vec<(usize, Bounds)> = boxes.iter().enumerate().filter_map(|(i, b)| Some((i, (*b)?))).collect();
    order.sort_by(|a, b| axis.of(a.1.min).total_cmp(&axis.of(b.1.min)));
    let (mut lines, mut moved, mut furthest) = (0, 0, 0.0_f64);
    let mut taken = vec![false; layout.placed.len()];
    for (n, (first, first_box)) in order.iter().enumerate() {
        if taken[*first] {
            continue;
        }
        let from = axis.of(first_box.min);
        let line: Vec<(usize, f64)> = order[n..]
            .iter()
            .map(|(i, b)| (*i, b, axis.of(b.min)))
            .filter(|(i, b, at)| !taken[*i] && alike(first_box, b) && at - from <= REACH)
            .map(|(i, _, at)| (i, at))
            .collect();
        line.iter().for_each(|(i, _)| taken[*i] = true);
        let spread = line.iter().map(|(_, at)| at - from).fold(0.0, f64::max);
        if line.len() < 2 || spread < 1e-6 {
            continue;
        }
        // Where most of them stand already, the fewest are moved.
        let middle = line[line.len() / 2].1;
        lines += 1;
        furthest = furthest.max(spread);
        for (i, at) in line {
            moved += usize::from((at - middle).abs() > 1e-9);
            axis.shift(&mut out.placed[i], middle - at);
        }
    }
    (lines > 0).then_some((out, lines, moved, furthest))
}

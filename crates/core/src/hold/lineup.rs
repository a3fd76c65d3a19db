//! Parts of one size that nearly stand in line: brought into line, their engraved rows coincide and cost their run-up once.

use super::{Bench, Swept, sweep};
use crate::assign::Process;
use crate::decisions::NestEdit;
use crate::finding::{Code, Finding, Severity, Station};
use crate::ids::BatchId;
use crate::nest::{self, Axis, Layout, Lined, SheetLayout, in_line};
use crate::order::{SheetSequence, Step};
use crate::time::duration;

/// Copies nearer in line than this belong in one line, mm.
const REACH: f64 = 2.0;
/// Gains below this many seconds are not worth a word.
const WORTH: f64 = 2.0;

/// What lining up the copies of a sheet would gain, with the edit that does it; `swept` is how it stands.
pub(super) fn proposed(bench: &Bench, sequence: &SheetSequence, swept: Swept, sheet: usize, layout: &Layout) -> Option<Finding> {
    let engraved: Vec<&Step> = sequence.steps.iter().filter(|s| s.process == Process::Engrave).collect();
    let row = bench.row(engraved.first()?)?;
    let terms = bench.given.terms;
    let mut best: Option<(f64, usize, usize, f64, SheetLayout)> = None;
    for axis in [Axis::Y, Axis::X] {
        let takes_part = |i: usize| engraved.iter().any(|s| s.placement == i);
        let Some(lined) = in_line(bench.work, bench.layout, &takes_part, axis, REACH) else { continue };
        let Lined { lines, moved, furthest, .. } = lined;
        let one = Layout { sheets: vec![lined.sheet], ..Layout::default() };
        if nest::faults(bench.work, &one, terms.distances()).count > 0 {
            continue;
        }
        let [lying] = one.sheets.as_slice() else { continue };
        let engraved = sweep::Engraved { work: bench.work, layout: lying, steps: &engraved };
        let (_, after) = sweep::plan(&engraved, row, bench.given.machine, &bench.given.decisions.sweep);
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
        duration(gain)
    );
    let finding = Finding::new(Station::Hold, Severity::Note, Code::OutOfLine, moved, text);
    Some(finding.on_sheet(sheet, []).mend("Line them up", NestEdit::KeepLayout { layout: after }.on(BatchId::FIRST)))
}

//! A drawing that came under the name of one that is there: a new revision of it, or another.

use crate::clean::carry::{Replacement, replacing};
use crate::decisions::{Decisions, Edit, IntakeEdit};
use crate::drawing::Drawing;
use crate::finding::{Code, Finding, Severity, Station};
use crate::shop::Shop;
use std::sync::Arc;

/// Asks of each such drawing which it is; `drawings` are those of `decisions`, in order.
pub(super) fn told(drawings: &[Arc<Drawing>], decisions: &Decisions, shop: &Shop) -> Vec<Finding> {
    let of = |id: u32| decisions.drawings.iter().zip(drawings).find(|(d, _)| d.id == id);
    let one = |(d, after): (&crate::decisions::DrawingDecisions, &Arc<Drawing>)| {
        let (first, before) = of(d.again?)?;
        let same = first.file == d.file;
        let machine = shop.machine_or_stand_in(&decisions.batch(first.batch).stock.machine);
        let new = Replacement { drawing: first.id, before, after, file: d.file.clone(), name: d.name.clone() };
        let revised = replacing(new, decisions, &machine, &shop.tolerance);
        let gone = Edit::Intake(IntakeEdit::RemoveDrawing { drawing: d.id });
        let text = format!(
            "{} came a second time{}: is it a new revision of the first, or another drawing? As it stands the parts of both are made.",
            d.name,
            if same { ", with the same lines" } else { "" }
        );
        let label = if same { "Take it once" } else { "It is a new revision" };
        let edit = if same { gone } else { Edit::All { edits: vec![gone, revised] } };
        let kept = Edit::Intake(IntakeEdit::Apart { drawing: d.id });
        let found = Finding::new(Station::Intake, Severity::Look, Code::NameAgain, 1, text).at(d.id, []);
        Some(found.choice(label, edit).choice("Keep both: they are different drawings", kept))
    };
    decisions.drawings.iter().zip(drawings).filter_map(one).collect()
}

//! What a person does with contours at Clean: delete, weld, offset, round corners, add holes and writing, copy, move,
//! fit slots. Operations are decisions: they are kept in order, listed, taken back one by one, and replayed when the
//! drawing is read again.

mod add;
mod areas;
mod corners;
mod mend;
mod place;
pub mod slots;
#[cfg(test)]
mod tests;
pub mod words;
mod work;

use super::Contour;
use super::identity::{self, mixed};
use crate::decisions::Naming;
pub use crate::decisions::clean::{Anchor, CornerShape, Edge, MOST_COPIES, Operation, Repeat, Spot};
use std::sync::Arc;
use work::Work;

/// An operation that could not be done as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Lost {
    /// Place in the list.
    pub(super) at: usize,
    /// What it is.
    pub(super) sentence: String,
}

/// Does all operations in order. Those whose contours are all gone are told.
pub(super) fn run(contours: Vec<Arc<Contour>>, operations: &[Operation], naming: Naming) -> (Vec<Arc<Contour>>, Vec<Lost>) {
    let mut work = Work { contours, seed: 0, made: 0 };
    let mut lost = Vec::new();
    let mut before: Vec<u64> = Vec::new();
    for (at, operation) in operations.iter().enumerate() {
        // Named after what is done, so that taking back another operation renames nothing.
        let own = identity::of_words(&serde_json::to_vec(operation).unwrap_or_default(), naming);
        let again = before.iter().filter(|h| **h == own).count() as u64;
        before.push(own);
        (work.seed, work.made) = (mixed(own.wrapping_add(again)), 0);
        if !apply(&mut work, operation) {
            lost.push(Lost { at, sentence: operation.sentence() });
        }
    }
    (work.contours, lost)
}

/// Does one operation; false when there is nothing left to do it to.
fn apply(work: &mut Work, operation: &Operation) -> bool {
    match operation {
        Operation::Centre { contours } => mend::centre(work, contours),
        Operation::Delete { contours } => {
            let at = work.all(contours);
            work.remove(&at);
            !at.is_empty()
        }
        Operation::TakeApart { contours } => areas::take_apart(work, contours),
        Operation::Combine { contours } => areas::combine(work, contours),
        Operation::Weld { contours } => areas::weld(work, contours),
        Operation::Subtract { from, contours } => areas::subtract(work, *from, contours),
        Operation::Intersect { contours } => areas::intersect(work, contours),
        Operation::Offset { contours, by, corners, rings, keep } => areas::offset(work, contours, *by, *corners, *rings, *keep),
        Operation::Corner { contours, size, shape } => corners::shape(work, contours, *size, *shape),
        Operation::Hole { part, spot, diameter } => add::hole(work, *part, spot, *diameter),
        Operation::Slot { part, spot, length, width, angle } => add::slot(work, *part, spot, (*length, *width), *angle),
        Operation::Tab { part, spot, outer, hole } => add::tab(work, *part, spot, *outer, *hole),
        Operation::Marks { part, spot, pitch, count, length, numbered, angle, middle, by, both } => {
            let scale = add::Scale {
                pitch: *pitch,
                count: *count,
                length: *length,
                numbered: *numbered,
                angle: *angle,
                middle: *middle,
                by: if *by == 0 { *numbered } else { *by },
                both: *both,
            };
            add::marks(work, *part, spot, &scale)
        }
        Operation::Write { part, spot, text, height, face, angle } => add::write(work, *part, spot, text, *height, *face, *angle),
        Operation::Move { contours, dx, dy } => place::shift(work, contours, *dx, *dy),
        Operation::Turn { contours, degrees } => place::turn(work, contours, *degrees),
        Operation::Mirror { contours, upright, keep } => place::mirror(work, contours, *upright, *keep),
        Operation::Array { contours, columns, rows, dx, dy } => place::array(work, contours, (*columns, *rows), (*dx, *dy)),
        Operation::Align { contours, edge } => place::align(work, contours, *edge),
        Operation::Widen { contours, width } => mend::widen(work, contours, *width),
        Operation::Close { contours } => mend::close(work, contours),
        Operation::Reletter { contours, text, face } => mend::reletter(work, contours, text, *face),
        Operation::SlotFit { nominal, measured, clearance, leave } => slots::fit(work, *nominal, measured + clearance, leave),
    }
}

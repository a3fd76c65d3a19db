//! What a person does with contours at Clean: delete, weld, offset, round corners, add holes and writing, copy, move,
//! fit slots. Operations are decisions: they are kept in order, listed, taken back one by one, and replayed when the
//! drawing is read again.

mod add;
mod areas;
mod corners;
mod judge;
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
use crate::geometry::Path;
pub use judge::Judged;
use rustc_hash::FxHashMap;
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

/// An operation that did not come to what was asked.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Odd {
    /// Place in the list.
    pub(super) at: usize,
    /// What it is.
    pub(super) sentence: String,
    /// What it came to.
    pub(super) judged: Judged,
}

/// What operations came to.
#[derive(Default)]
pub(super) struct Done {
    /// The contours after all of them.
    pub(super) contours: Vec<Arc<Contour>>,
    /// Those that have nothing left to work on.
    pub(super) lost: Vec<Lost>,
    /// Those that came to something else than was asked.
    pub(super) odd: Vec<Odd>,
}

/// What an operation would come to, before it counts.
#[derive(Clone, Debug, Default)]
pub struct Tried {
    /// New contours, and those that change, as they would be.
    pub shown: Vec<Path>,
    /// What is to be said of it.
    pub judged: Judged,
}

/// Tries an operation on a drawing's contours as they are.
pub fn tried(contours: &[Arc<Contour>], operation: &Operation) -> Tried {
    let mut work = Work { contours: contours.to_vec(), seed: 1, made: 0 };
    if !apply(&mut work, operation) {
        let judged = Judged { said: vec!["there is nothing to do it to".into()], at: Vec::new() };
        return Tried { shown: Vec::new(), judged };
    }
    let known: FxHashMap<_, _> = contours.iter().map(|c| (c.id, c)).collect();
    let is_same = |c: &Arc<Contour>| known.get(&c.id).is_some_and(|k| Arc::ptr_eq(k, c));
    let shown = work.contours.iter().filter(|c| !is_same(c)).map(|c| c.path.clone()).collect();
    Tried { shown, judged: judge::judged(contours, &work.contours, operation) }
}

/// Does all operations in order. Those whose contours are all gone are told.
pub(super) fn run(contours: Vec<Arc<Contour>>, operations: &[Operation], naming: Naming) -> Done {
    let mut work = Work { contours, seed: 0, made: 0 };
    let mut done = Done::default();
    let mut before: Vec<u64> = Vec::new();
    for (at, operation) in operations.iter().enumerate() {
        // Named after what is done, so that taking back another operation renames nothing.
        let own = identity::of_words(&serde_json::to_vec(operation).unwrap_or_default(), naming);
        let again = before.iter().filter(|h| **h == own).count() as u64;
        before.push(own);
        (work.seed, work.made) = (mixed(own.wrapping_add(again)), 0);
        let was = work.contours.clone();
        if !apply(&mut work, operation) {
            done.lost.push(Lost { at, sentence: operation.sentence() });
            continue;
        }
        let judged = judge::judged(&was, &work.contours, operation);
        if !judged.said.is_empty() {
            done.odd.push(Odd { at, sentence: operation.sentence(), judged });
        }
    }
    Done { contours: work.contours, ..done }
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
        Operation::Offset { contours, by, corners, rings, keep } => {
            areas::offset(work, contours, &areas::Rings { by: *by, corners: *corners, count: *rings, keep: *keep })
        }
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
        Operation::Write { part, spot, text, height, face, angle, setting } => {
            add::write(work, *part, spot, &add::Writing { text, height: *height, face: *face, angle: *angle, setting })
        }
        Operation::Move { contours, dx, dy } => place::shift(work, contours, *dx, *dy),
        Operation::Turn { contours, degrees } => place::turn(work, contours, *degrees),
        Operation::Mirror { contours, upright, keep } => place::mirror(work, contours, *upright, *keep),
        Operation::Array { contours, columns, rows, dx, dy } => place::array(work, contours, (*columns, *rows), (*dx, *dy)),
        Operation::Align { contours, edge } => place::align(work, contours, *edge),
        Operation::Thicken { contours, width } => areas::thicken(work, contours, *width),
        Operation::Widen { contours, width } => mend::widen(work, contours, *width),
        Operation::Close { contours } => mend::close(work, contours),
        Operation::Reletter { contours, text, face } => mend::reletter(work, contours, text, *face),
        Operation::SlotFit { nominal, measured, clearance, leave } => slots::fit(work, *nominal, measured + clearance, leave),
    }
}

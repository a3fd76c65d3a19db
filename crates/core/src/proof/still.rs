//! What a program had still to burn when the machine stopped in it.

use super::{Action, Interpreter};
use crate::decisions::Pose;
use crate::geometry::Point;
use crate::release::{Dialect, Still};
use std::ops::Range;

/// Where a machine stopped.
#[derive(Clone, Copy, Debug)]
pub struct Stopped {
    /// Line of the program, from 1.
    pub line: usize,
    /// Place on the sheet, mm.
    pub at: Point,
}

/// What a program had still to burn of the piece of work that stands in these lines of it, from 1. What it cannot read has
/// nothing that burns.
pub fn still(program: &str, dialect: Dialect, lines: Range<usize>, stopped: Stopped, pose: Pose) -> Still {
    let here = pose.to_program() * stopped.at;
    let mut reader = Interpreter::new(dialect);
    let mut actions = Vec::new();
    let (mut length, mut next) = (0.0, None);
    for (line, text) in (1..lines.end).zip(program.lines()) {
        actions.clear();
        if reader.line(text, &mut actions).is_err() {
            break;
        }
        if line < lines.start.max(stopped.line) {
            continue;
        }
        for action in &actions {
            let Action::Move { path, power, .. } = action else { continue };
            if *power <= 0.0 {
                continue;
            }
            let from = if line == stopped.line { path.nearest(here) } else { 0.0 };
            let left = path.length() * (1.0 - from);
            if left > 0.0 {
                length += left;
                next.get_or_insert(path.at(from));
            }
        }
    }
    Still { at: next.map_or(stopped.at, |p: Point| pose.to_sheet() * p), length }
}

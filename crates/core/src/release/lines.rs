//! Where in a program its pieces of work stand.

use serde::{Deserialize, Serialize};
use std::ops::Range;

/// Lines of a program, as its writer counted them.
///
/// ```
/// use boustrophe_core::release::Lines;
/// let lines = Lines { begins: vec![4, 9], home: 15 };
/// assert_eq!((lines.finished_at(8), lines.finished_at(9), lines.finished_at(15)), (0, 1, 2));
/// assert_eq!(lines.of_piece(1), 9..15);
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Lines {
    /// The line, from 1, at which each piece of work begins, in order.
    pub begins: Vec<usize>,
    /// The line, from 1, from which on all is done and the head goes home.
    pub home: usize,
}

impl Lines {
    /// The lines, from 1, in which a piece of work stands, by its number from 0.
    pub fn of_piece(&self, piece: usize) -> Range<usize> {
        let begin = |k: usize| self.begins.get(k).copied().unwrap_or(self.home);
        begin(piece)..begin(piece + 1)
    }

    /// Pieces of work that are finished when a machine is at a line, from 1. On its way home all are.
    pub fn finished_at(&self, line: usize) -> usize {
        if line >= self.home { self.begins.len() } else { self.begins.partition_point(|begin| *begin <= line).saturating_sub(1) }
    }
}

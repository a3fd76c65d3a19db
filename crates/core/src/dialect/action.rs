//! What a program does, or why it cannot be run.

use super::Word;
use crate::geometry::{Point, Segment};

/// What a program does.
#[derive(Clone, Debug, PartialEq)]
pub enum Action {
    /// A move.
    Move {
        /// The way, in mm on the bed.
        path: Segment,
        /// Feed in mm/min; `None` for a rapid.
        feed: Option<f64>,
        /// Power word while the beam is on; 0 with it off.
        power: f64,
        /// Tool in the holder; 0 for the beam or torch.
        tool: u32,
        /// Assist air on.
        air: bool,
        /// Line of the program, from 1.
        line: usize,
    },
    /// Standing still.
    Wait {
        /// For this long, s.
        seconds: f64,
        /// Power word while it waits.
        power: f64,
        /// Line of the program, from 1.
        line: usize,
    },
}

/// Why a program cannot be run.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("line {line}: {what}")]
pub struct ProgramFault {
    /// Line, from 1.
    pub line: usize,
    /// What is wrong with it.
    pub what: String,
}

/// What a program does that no move and no wait shows.
#[derive(Clone, Debug, Default)]
pub struct Oddities {
    /// Lit and put out again on the spot.
    pub flashes: Vec<(usize, Point)>,
    /// Halts with the beam on.
    pub lit_halts: Vec<(usize, Point)>,
    /// Words that mean the same to the controller's reader as the one that is written, and may not to the controller: the word, and
    /// the one that is written.
    pub words: Vec<(usize, Word, Word)>,
}

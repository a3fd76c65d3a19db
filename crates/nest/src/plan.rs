//! Parts on sheets as the engines see them.

use crate::geometry::Point;

/// A part put down: shape, turn, sheet, lower left of its box.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Put {
    pub(crate) demand: usize,
    pub(crate) turn: usize,
    pub(crate) at: Point,
}

/// A sheet of a kind and what is put on it.
#[derive(Clone, Debug)]
pub(crate) struct Filled {
    pub(crate) kind: usize,
    pub(crate) put: Vec<Put>,
}

/// Every part on a sheet or without a place.
#[derive(Clone, Debug, Default)]
pub(crate) struct Plan {
    pub(crate) sheets: Vec<Filled>,
    /// Demands, once for each copy.
    pub(crate) unplaced: Vec<usize>,
}

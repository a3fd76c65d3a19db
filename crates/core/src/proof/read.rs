//! A program as it was read.

use super::reader::Short;
use super::{Action, Oddities};
use crate::geometry::{Affine, Point};
use rustc_hash::FxHashMap;

/// A program as it was read.
pub(super) struct Read {
    /// What it does, a picture's row as one move.
    pub(super) actions: Vec<Action>,
    /// What is still on at its end: beam, air.
    pub(super) left_on: (bool, bool),
    /// Places in the program where the torch burns without its height being held, or travels with it held.
    pub(super) wrong_height: Vec<Point>,
    /// What it does that no move and no wait shows.
    pub(super) odd: Oddities,
    /// Line of the first move that relies on what the machine was left in.
    pub(super) relies_on_before: Option<usize>,
    /// Op of each such row, by its number among the actions.
    pub(super) folded: FxHashMap<usize, usize>,
    /// Middles of rows that burn something else than was meant, that are not burned, and that are burned too often.
    pub(super) wrong: Vec<Point>,
    /// Ends of pictures' rows with too little room.
    pub(super) short: Vec<Short>,
    pub(super) missing: Vec<Point>,
    pub(super) twice: Vec<Point>,
}

/// The same with its places as they lie on the sheet.
pub(super) fn on_the_sheet(odd: &Oddities, to_sheet: Option<Affine>) -> Oddities {
    let mut odd = odd.clone();
    if let Some(to_sheet) = to_sheet {
        odd.flashes.iter_mut().chain(&mut odd.lit_halts).for_each(|(_, p)| *p = to_sheet * *p);
    }
    odd
}

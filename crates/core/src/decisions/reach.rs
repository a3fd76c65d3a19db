//! For whom a decision on a contour holds: every copy, or one alone; the narrower wins.

use super::set_or_clear;
use crate::ids::{ContourId, CopyId};
use std::collections::BTreeMap;

/// What is said of one copy's contour, or of every copy's.
pub(super) fn said<'a, T>(
    all: &'a BTreeMap<ContourId, T>,
    own: &'a BTreeMap<CopyId, BTreeMap<ContourId, T>>,
    of: (CopyId, ContourId),
) -> Option<&'a T> {
    own.get(&of.0).and_then(|c| c.get(&of.1)).or_else(|| all.get(&of.1))
}

/// Says it, of one copy or of every one; `None` takes it back.
pub(super) fn say<T>(
    all: &mut BTreeMap<ContourId, T>,
    own: &mut BTreeMap<CopyId, BTreeMap<ContourId, T>>,
    (copy, contour): (Option<CopyId>, ContourId),
    what: Option<T>,
) {
    match copy {
        None => set_or_clear(all, contour, what),
        Some(copy) => {
            set_or_clear(own.entry(copy).or_default(), contour, what);
            own.retain(|_, said| !said.is_empty());
        }
    }
}

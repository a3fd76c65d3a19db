//! Another file in the place of a drawing's: what was decided on contours that are there again, under other names, moved, drawn from
//! another corner or the other way round.

use super::nest::Placement;
use super::{BatchDecisions, Decisions, EditError};
use crate::geometry::Affine;
use crate::ids::{ContourId, EdgePlace};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// A place on a contour, as it was called before a revision and as it is called since.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct MovedPlace {
    /// The contour, by its name since.
    pub contour: ContourId,
    /// The place before.
    pub was: EdgePlace,
    /// The place since.
    pub is: EdgePlace,
}

/// Another file in the place of a drawing's, with what was decided on contours that are there again under other names.
pub(super) fn replace(
    d: &mut Decisions,
    drawing: u32,
    (file, name): (&str, &str),
    (carried, moved): (&BTreeMap<ContourId, ContourId>, Option<[f64; 6]>),
) -> Result<(), EditError> {
    d.find(drawing)?;
    if !carried.is_empty() {
        *d = d.renamed(carried);
        carry_copies(d, carried, moved);
    }
    let found = d.find(drawing)?;
    found.before = Some((std::mem::replace(&mut found.file, file.into()), std::mem::replace(&mut found.name, name.into())));
    Ok(())
}

/// What a hand said of places and sides stays where it was, on contours that are drawn from another corner or the other way round now.
pub(super) fn redrawn(d: &mut Decisions, places: &[MovedPlace], reversed: &BTreeSet<ContourId>) {
    d.each_place(|contour, at| {
        if let Some(to) = places.iter().find(|p| p.contour == contour && p.was == *at) {
            *at = to.is;
        }
    });
    for BatchDecisions { order, hold, .. } in d.batches.values_mut() {
        let ways = order.ways.iter_mut().chain(order.copy_ways.values_mut().flatten());
        ways.filter(|w| reversed.contains(w.0)).for_each(|(_, way)| *way = way.other());
        let pierces = hold.pierces.iter_mut().chain(hold.copy_pierces.values_mut().flatten());
        for (_, pierce) in pierces.filter(|p| reversed.contains(p.0)) {
            (pierce.ahead, pierce.aside) = (-pierce.ahead, -pierce.aside);
        }
        hold.sides.iter_mut().filter(|s| reversed.contains(s.0)).for_each(|(_, side)| *side = side.other());
    }
}

/// Copies of parts that a revision moved within their drawing stay where they lie on their sheets.
fn carry_copies(d: &mut Decisions, carried: &BTreeMap<ContourId, ContourId>, moved: Option<[f64; 6]>) {
    let Some(back) = moved.map(|m| Affine::new(m).inverse()).filter(Affine::is_finite) else { return };
    let new: BTreeSet<&ContourId> = carried.values().collect();
    let layouts = d.batches.values_mut().flat_map(|b| &mut b.nest.layout);
    for p in layouts.flat_map(|l| &mut l.sheets).flat_map(|s| &mut s.placed).filter(|p| new.contains(&p.copy.part.0)) {
        *p = Placement::of(p.copy, p.affine() * back);
    }
}

//! What is left out as reference takes no part in what is mended: a leader's head is joined to no outline, a centre line's dash
//! to no other, whatever gaps are closed later.

use super::chain::{self, Chained, Options};
use super::views::Views;
use super::{Piece, fits_the_shop, identity};
use crate::decisions::DrawingDecisions;
use crate::drawing::{Drawing, Style};
use crate::geometry::Tolerance;
use crate::ids::ContourId;
use crate::intake::Intake;
use std::collections::BTreeSet;

/// The names that contours of a drawing have before anything of it is mended: what is left out under one of these stays apart. Drawn
/// solids and tracings are not looked at: none, then.
pub fn plain_names(drawing: &Drawing, intake: &Intake, decisions: &DrawingDecisions, tolerance: &Tolerance) -> BTreeSet<ContourId> {
    if !fits_the_shop(intake) || drawing.bitmap.is_some() || drawing.solid.is_some() {
        return BTreeSet::new();
    }
    let mut pieces = super::pieces::of(drawing, (intake, decisions.naming), &Views::of(decisions), tolerance);
    pieces.retain(|p| !drawing.styles[p.style].added);
    identity::of(&plain(pieces, &drawing.styles, tolerance), decisions.id).into_iter().collect()
}

/// Takes the pieces out that contours left out are made of before anything is mended, and gives these contours with their names.
pub(super) fn set_aside(
    pieces: &mut Vec<Piece>,
    left_out: &BTreeSet<ContourId>,
    styles: &[Style],
    tolerance: &Tolerance,
    drawing: u32,
) -> Vec<(Chained, ContourId)> {
    if left_out.is_empty() {
        return Vec::new();
    }
    let counted = |(i, p): (usize, &Piece)| Piece { from: vec![i as u32], ..p.clone() };
    let chained = plain(pieces.iter().enumerate().map(counted).collect(), styles, tolerance);
    let ids = identity::of(&chained, drawing);
    let aside: Vec<(Chained, ContourId)> = chained.into_iter().zip(ids).filter(|(_, id)| left_out.contains(id)).collect();
    let mut gone = vec![false; pieces.len()];
    aside.iter().flat_map(|(c, _)| &c.from).for_each(|i| gone[*i as usize] = true);
    let mut at = 0;
    pieces.retain(|_| {
        at += 1;
        !gone[at - 1]
    });
    aside
}

/// Contours as they are chained where nothing is mended.
fn plain(pieces: Vec<Piece>, styles: &[Style], tolerance: &Tolerance) -> Vec<Chained> {
    let aside: Vec<bool> = styles.iter().map(Style::aside).collect();
    let typed: Vec<bool> = styles.iter().map(|s| !s.line_type.is_empty()).collect();
    chain::run(pieces, &aside, &typed, Options::plain(tolerance)).contours
}

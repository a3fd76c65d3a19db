//! Kerf: the cut is moved aside by half its width, so that what stays has the drawn size.

use crate::geometry::Path;

/// On which side of a closed contour the waste lies.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Side {
    /// An outline: the cut runs round it.
    Outside,
    /// A hole: the cut runs within.
    Inside,
}

/// What moving a contour aside gives.
#[derive(Clone, Debug)]
pub(super) enum Offset {
    /// One contour.
    Whole(Path),
    /// Several: a neck was narrower than the cut. This is the largest.
    Largest(Path),
    /// It was narrower than the cut everywhere.
    Nothing,
}

/// A closed path moved by `by` mm to a side; arcs stay arcs.
pub(super) fn offset(path: &Path, by: f64, side: Side) -> Offset {
    if by <= 0.0 {
        return Offset::Whole(path.clone());
    }
    let anticlockwise = path.area() > 0.0;
    // To the left of the direction of travel lies the inside when anticlockwise.
    let left = anticlockwise == (side == Side::Inside);
    let mut found: Vec<Path> = path.moved_left(if left { by } else { -by }).into_iter().filter(|p| sensible(path, p, by, side)).collect();
    found.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
    match found.len() {
        0 => Offset::Nothing,
        1 => Offset::Whole(found.swap_remove(0)),
        // Moving an outline outward can leave closed-off bays; those are waste anyway.
        _ if side == Side::Outside => Offset::Whole(found.swap_remove(0)),
        _ => Offset::Largest(found.swap_remove(0)),
    }
}

/// Slivers from rounding are no contours; an outline must have grown, a hole shrunk.
fn sensible(from: &Path, to: &Path, by: f64, side: Side) -> bool {
    let (before, after) = (from.area().abs(), to.area().abs());
    if to.segments.len() < 2 || after < 1e-6 {
        return false;
    }
    match side {
        // It may close over bays and pockets whose mouths are narrower than the kerf, but it stays round the outline.
        Side::Outside => after > before * 0.999 && from.bounds().grown(by * 1.01 + 1e-3).holds(&to.bounds()),
        Side::Inside => after < before,
    }
}

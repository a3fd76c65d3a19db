//! Contours moved, turned, mirrored, repeated, lined up.

use super::{Edge, Work};
use crate::clean::ContourId;
use crate::geometry::{Affine, Vec2};

pub(super) fn shift(work: &mut Work, contours: &[ContourId], dx: f64, dy: f64) -> bool {
    let at = work.all(contours);
    work.transform(&at, Affine::translate(Vec2::new(dx, dy)));
    !at.is_empty()
}

/// About the middle of all of them.
pub(super) fn turn(work: &mut Work, contours: &[ContourId], degrees: f64) -> bool {
    let at = work.all(contours);
    let middle = work.bounds(&at).center().to_vec2();
    work.transform(&at, Affine::translate(middle) * crate::decisions::nest::turned(degrees) * Affine::translate(-middle));
    !at.is_empty()
}

pub(super) fn mirror(work: &mut Work, contours: &[ContourId], upright: bool, keep: bool) -> bool {
    let at = work.all(contours);
    if at.is_empty() {
        return false;
    }
    let b = work.bounds(&at);
    let (sx, sy) = if upright { (1.0, -1.0) } else { (-1.0, 1.0) };
    // A copy goes to the other side of the right or upper edge, in place it stays on its middle.
    let axis = match (keep, upright) {
        (true, false) => Vec2::new(b.max.x, 0.0),
        (true, true) => Vec2::new(0.0, b.max.y),
        (false, _) => b.center().to_vec2(),
    };
    let by = Affine::translate(axis) * Affine::scale_non_uniform(sx, sy) * Affine::translate(-axis);
    if keep {
        for i in at {
            let path = work.contours[i].path.transformed(by);
            work.add(i, path);
        }
    } else {
        work.transform(&at, by);
    }
    true
}

pub(super) fn array(work: &mut Work, contours: &[ContourId], (columns, rows): (u32, u32), (dx, dy): (f64, f64)) -> bool {
    let at = work.all(contours);
    for row in 0..rows {
        for column in 0..columns {
            if row == 0 && column == 0 {
                continue;
            }
            let by = Affine::translate(Vec2::new(f64::from(column) * dx, f64::from(row) * dy));
            for i in &at {
                let path = work.contours[*i].path.transformed(by);
                work.add(*i, path);
            }
        }
    }
    !at.is_empty()
}

pub(super) fn align(work: &mut Work, contours: &[ContourId], edge: Edge) -> bool {
    let at = work.all(contours);
    let Some((first, rest)) = at.split_first() else { return false };
    let to = work.contours[*first].bounds;
    for i in rest {
        let b = work.contours[*i].bounds;
        let middle = to.center() - b.center();
        let by = match edge {
            Edge::Left => Vec2::new(to.min.x - b.min.x, 0.0),
            Edge::Right => Vec2::new(to.max.x - b.max.x, 0.0),
            Edge::Bottom => Vec2::new(0.0, to.min.y - b.min.y),
            Edge::Top => Vec2::new(0.0, to.max.y - b.max.y),
            Edge::Centre => middle,
            Edge::CentreX => Vec2::new(middle.x, 0.0),
            Edge::CentreY => Vec2::new(0.0, middle.y),
        };
        work.transform(&[*i], Affine::translate(by));
    }
    !rest.is_empty()
}

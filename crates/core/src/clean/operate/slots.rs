//! Slots and tabs that were drawn for a nominal thickness, set to the thickness that was measured.
//!
//! A slot or tab shows by its end: a straight edge as long as the nominal thickness between two parallel edges that leave
//! it at right angles, both to the same side; or a half circle of that diameter. Its two sides are moved apart or together;
//! everything else stays where it is.

use super::Work;
use crate::clean::{Contour, ContourId};
use crate::geometry::{Path, Point, Segment, Vec2};
use serde::Serialize;
use std::sync::Arc;

/// A width within this of the nominal one is meant to be it, mm.
const NEAR: f64 = 0.06;
/// Sides may be out of parallel and out of square by this much, radians: a degree.
const SQUARE: f64 = 0.018;
/// A side is at least this share of the width; shorter it is a step.
const LEAST_SIDE: f64 = 0.4;

/// Whether material or air is as wide as the sheet is thick.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Air between two sides.
    Slot,
    /// Material between two sides.
    Tab,
}

/// A slot or tab.
#[derive(Clone, Copy, Debug)]
pub struct Found {
    /// The contour it is in.
    pub contour: ContourId,
    /// What it is.
    pub kind: Kind,
    /// Middle of its end.
    pub at: Point,
    /// The end's segment.
    end: usize,
}

/// Slots and tabs of this width, mm. `outer` tells of each contour whether material lies inside it.
pub fn find(contours: &[Arc<Contour>], nominal: f64) -> Vec<Found> {
    let outer = outer(contours);
    let mut out = Vec::new();
    for (c, outer) in contours.iter().zip(outer) {
        if !c.path.closed || c.style.text {
            continue;
        }
        for end in ends(&c.path, nominal) {
            // Sides that lie to the left of an anticlockwise path's end have the inside between them.
            let inside = opens_inward(&c.path, end);
            let kind = if inside == outer { Kind::Tab } else { Kind::Slot };
            out.push(Found { contour: c.id, kind, at: c.path.segments[end].at(0.5), end });
        }
    }
    out
}

/// For each contour whether it bounds material on its inside: even depth.
fn outer(contours: &[Arc<Contour>]) -> Vec<bool> {
    let closed: Vec<usize> = (0..contours.len()).filter(|i| contours[*i].path.closed).collect();
    let paths: Vec<&Path> = closed.iter().map(|i| &contours[*i].path).collect();
    let parents = crate::geometry::parents(&paths);
    let mut out = vec![true; contours.len()];
    for (k, i) in closed.iter().enumerate() {
        let depth = std::iter::successors(parents[k], |p| parents[*p]).take(closed.len()).count();
        out[*i] = depth.is_multiple_of(2);
    }
    out
}

/// True when the end's two sides have the path's inside between them.
fn opens_inward(path: &Path, end: usize) -> bool {
    let n = path.segments.len();
    let (s, side) = (&path.segments[end], &path.segments[(end + 1) % n]);
    let along = s.end - s.start;
    let left = along.cross(side.direction(0.0)) > 0.0;
    left == (path.area() > 0.0)
}

/// Segments that are the end of a slot or tab.
fn ends(path: &Path, nominal: f64) -> Vec<usize> {
    let n = path.segments.len();
    if n < 4 {
        return Vec::new();
    }
    (0..n)
        .filter(|i| {
            let (a, s, b) = (&path.segments[(i + n - 1) % n], &path.segments[*i], &path.segments[(i + 1) % n]);
            if !a.is_line() || !b.is_line() || (s.chord() - nominal).abs() > NEAR || a.length().min(b.length()) < LEAST_SIDE * nominal {
                return false;
            }
            let along = (s.end - s.start) / s.chord();
            let (came, goes) = (a.direction(1.0), b.direction(0.0));
            let square = came.dot(along).abs() < SQUARE && goes.dot(along).abs() < SQUARE && came.dot(goes) < -1.0 + SQUARE;
            square && (s.is_line() || (s.bulge.abs() - 1.0).abs() < 0.02)
        })
        .collect()
}

/// Sets all slots and tabs as wide as `nominal` to `width`, but for those of the contours in `leave`.
pub(super) fn fit(work: &mut Work, nominal: f64, width: f64, leave: &[ContourId]) -> bool {
    let found = find(&work.contours, nominal);
    for i in 0..work.contours.len() {
        let id = work.contours[i].id;
        let ends: Vec<usize> = found.iter().filter(|f| f.contour == id && !leave.contains(&id)).map(|f| f.end).collect();
        if !ends.is_empty() {
            let path = widened(&work.contours[i].path, &ends, width - nominal);
            work.set(i, path);
        }
    }
    !found.is_empty()
}

/// The path with the sides of each end moved apart by `more` mm in all.
fn widened(path: &Path, ends: &[usize], more: f64) -> Path {
    let n = path.segments.len();
    // How each segment is shifted.
    let mut shift = vec![Vec2::ZERO; n];
    for end in ends {
        let s = &path.segments[*end];
        let along = (s.end - s.start) / s.chord();
        // A slot closed at both ends names its sides twice, with the same shift.
        shift[(end + n - 1) % n] = -along * (more / 2.0);
        shift[(end + 1) % n] = along * (more / 2.0);
    }
    let corner = |i: usize| -> Point {
        let (a, b) = (&path.segments[(i + n - 1) % n], &path.segments[i]);
        let (da, db) = (shift[(i + n - 1) % n], shift[i]);
        if da == Vec2::ZERO && db == Vec2::ZERO {
            return b.start;
        }
        let (p, q) = (a.end + da, b.start + db);
        if !a.is_line() || !b.is_line() {
            // A round end follows its sides.
            return if a.is_line() { p } else { q };
        }
        let (r, s) = (a.end - a.start, b.end - b.start);
        let cross = r.cross(s);
        if cross.abs() < 1e-9 * r.hypot() * s.hypot() { p.midpoint(q) } else { p + r * ((q - p).cross(s) / cross) }
    };
    let corners: Vec<Point> = (0..n).map(corner).collect();
    let segments = (0..n).map(|i| Segment { start: corners[i], end: corners[(i + 1) % n], bulge: path.segments[i].bulge }).collect();
    Path::new(segments, true)
}

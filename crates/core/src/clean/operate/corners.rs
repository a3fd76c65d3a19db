//! Corners rounded or cut.

use super::{CornerShape, Work};
use crate::clean::ContourId;
use crate::geometry::{Path, Segment};

/// Directions that differ by less than this go straight on: 3°.
const STRAIGHT: f64 = 0.052;

pub(super) fn shape(work: &mut Work, contours: &[ContourId], size: f64, shape: CornerShape) -> bool {
    let at = work.all(contours);
    for i in &at {
        let path = shaped(&work.contours[*i].path, size, shape);
        work.set(*i, path);
    }
    !at.is_empty()
}

/// How many corners of a path there are, how many of them get less than `size`, and the least that one gets, mm.
pub(super) fn reached(path: &Path, size: f64, shape: CornerShape) -> (usize, usize, f64) {
    let taken: Vec<f64> =
        (0..path.segments.len()).filter_map(|i| corner(path, i, size, shape)).map(|c| c.taken / c.wanted * size).collect();
    let less = taken.iter().filter(|t| **t < size * (1.0 - 1e-3)).count();
    (taken.len(), less, taken.into_iter().fold(f64::INFINITY, f64::min))
}

/// A corner: how it turns, radians, and how much of its edges is wanted and taken, mm.
struct Corner {
    turned: f64,
    wanted: f64,
    taken: f64,
}

/// The corner where a path's segment `i` begins; `None` where it is none between straight edges.
fn corner(path: &Path, i: usize, size: f64, shape: CornerShape) -> Option<Corner> {
    let n = path.segments.len();
    let before = (i + n - 1) % n;
    if n < 2 || i == 0 && !path.closed || !path.segments[before].is_line() || !path.segments[i].is_line() {
        return None;
    }
    let (a, b) = (path.segments[before].direction(1.0), path.segments[i].direction(0.0));
    let turned = a.cross(b).atan2(a.dot(b));
    if turned.abs() < STRAIGHT || turned.abs() > std::f64::consts::PI - STRAIGHT {
        return None;
    }
    let half = (turned / 2.0).tan().abs();
    let room = 0.5 * path.segments[before].length().min(path.segments[i].length()) * 0.999;
    let wanted = if shape == CornerShape::Round { size * half } else { size };
    Some(Corner { turned, wanted, taken: wanted.min(room) })
}

/// The path with every corner between two straight edges rounded by radius `size`, or cut `size` off both edges. A corner
/// whose edges are too short for it gets as much as they have room for, half of each edge.
fn shaped(path: &Path, size: f64, shape: CornerShape) -> Path {
    let n = path.segments.len();
    if n < 2 {
        return path.clone();
    }
    let mut segments: Vec<Segment> = Vec::with_capacity(n * 2);
    // How much is taken off the start and end of each edge.
    let mut off = vec![(0.0_f64, 0.0_f64); n];
    let mut joints: Vec<Option<f64>> = vec![None; n];
    for i in 0..n {
        let Some(Corner { turned, taken, .. }) = corner(path, i, size, shape) else { continue };
        let before = (i + n - 1) % n;
        (off[before].1, off[i].0) = (taken, taken);
        joints[i] = Some((turned / 4.0).tan());
    }
    for (s, (head, tail)) in path.segments.iter().zip(&off) {
        let length = s.length();
        let trimmed = length > 0.0 && (*head > 0.0 || *tail > 0.0);
        segments.push(if trimmed { s.piece(head / length, 1.0 - tail / length) } else { *s });
    }
    let mut out: Vec<Segment> = Vec::with_capacity(n * 2);
    for i in 0..n {
        if let Some(bulge) = joints[i] {
            let bulge = if shape == CornerShape::Round { bulge } else { 0.0 };
            out.push(Segment { start: segments[(i + n - 1) % n].end, end: segments[i].start, bulge });
        }
        out.push(segments[i]);
    }
    Path::new(out, path.closed)
}

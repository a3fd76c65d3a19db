//! Names of contours that outlive a new reading of the file.
//!
//! A contour is named after the drawn entities it was chained from, in the file's own units: closing a gap, changing the
//! unit or removing its double leaves its name alone.

use super::chain::Chained;
use crate::drawing::Picture;
use crate::geometry::{Curve, Point};
use crate::ids::ContourId;
use rustc_hash::{FxHashMap, FxHasher};
use std::hash::{Hash, Hasher};

/// Hash of an entity's geometry in drawing units.
pub(super) fn of_entity(curves: &[Curve]) -> u64 {
    let mut h = FxHasher::default();
    for curve in curves {
        let mut point = |p: Point| {
            h.write_u64(p.x.to_bits());
            h.write_u64(p.y.to_bits());
        };
        match curve {
            Curve::Line(a, b) => [*a, *b].into_iter().for_each(&mut point),
            Curve::Cubic(c) => [c.p0, c.p1, c.p2, c.p3].into_iter().for_each(&mut point),
            Curve::Ellipse { center, u, v, from, sweep } => {
                [*center, u.to_point(), v.to_point(), Point::new(*from, *sweep)].into_iter().for_each(&mut point)
            }
            Curve::Spline(n) => {
                let spans = n.spans();
                spans.iter().for_each(|s| point(n.at(s.0, *s).0));
                point(curve.ends().1);
            }
        }
    }
    mixed(h.finish())
}

/// One id a contour, other than in any other drawing of the job; equal contours are numbered in the order in which they occur.
pub(super) fn of(contours: &[Chained], drawing: u32) -> Vec<ContourId> {
    let mut seen: FxHashMap<u64, u64> = FxHashMap::default();
    contours
        .iter()
        .map(|c| {
            let n = seen.entry(c.name).or_insert(0);
            *n += 1;
            ContourId(mixed(c.name ^ mixed(u64::from(drawing)).wrapping_add(*n)))
        })
        .collect()
}

/// The id of the first contour of a name in a drawing.
pub(super) fn first(name: u64, drawing: u32) -> ContourId {
    ContourId(mixed(name ^ mixed(u64::from(drawing)).wrapping_add(1)))
}

/// Name of a picture by where it lies in the drawing and how large it is; `i` tells equal ones apart.
pub(super) fn of_picture(picture: &Picture, drawing: u32, i: usize) -> u64 {
    let mut h = FxHasher::default();
    picture.place.as_coeffs().iter().for_each(|c| h.write_u64(c.to_bits()));
    (picture.bitmap.width, picture.bitmap.height, i).hash(&mut h);
    mixed(h.finish() ^ mixed(u64::from(drawing)))
}

/// Spreads the bits of `x` (the finalizer of Steele, Lea and Flood's SplitMix64, 2014), so that sums of hashes do not clash.
pub(super) fn mixed(x: u64) -> u64 {
    let x = (x ^ (x >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    let x = (x ^ (x >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    x ^ (x >> 31)
}

//! Names of contours that outlive a new reading of the file.
//!
//! A contour is named after the drawn entities it was chained from, in the file's own units: closing a gap, changing the
//! unit or removing its double leaves its name alone.

mod early;

use super::chain::Chained;
use crate::decisions::Naming;
use crate::drawing::Picture;
use crate::geometry::{Curve, Point};
use crate::ids::ContourId;
use crate::print;
use rustc_hash::FxHashMap;
use std::collections::BTreeSet;

/// Name of an entity by its geometry in drawing units.
pub(super) fn of_entity(curves: &[Curve], naming: Naming) -> u64 {
    let mut figures: Vec<f64> = Vec::with_capacity(8);
    for curve in curves {
        let mut point = |p: Point| figures.extend([p.x, p.y]);
        match curve {
            Curve::Line(a, b) => [*a, *b].into_iter().for_each(&mut point),
            Curve::Cubic(c) => [c.p0, c.p1, c.p2, c.p3].into_iter().for_each(&mut point),
            Curve::Ellipse { center, u, v, from, sweep } => {
                [*center, u.to_point(), v.to_point(), Point::new(*from, *sweep)].into_iter().for_each(&mut point);
            }
            Curve::Spline(n) => {
                let spans = n.spans();
                spans.iter().for_each(|s| point(n.at(s.0, *s).0));
                point(curve.ends().1);
            }
        }
    }
    of_figures(&figures, naming)
}

fn of_figures(figures: &[f64], naming: Naming) -> u64 {
    match naming {
        Naming::Early => mixed(early::of_words(figures.iter().map(|v| v.to_bits()))),
        Naming::Digest => print::name(&figures.iter().flat_map(|v| v.to_le_bytes()).collect::<Vec<u8>>()),
    }
}

/// One id a contour, other than in any other drawing of the job; equal contours are numbered in the order in which they occur.
pub(super) fn of(contours: &[Chained], drawing: u32) -> Vec<ContourId> {
    beside(contours, drawing, BTreeSet::new())
}

/// The same where some of the drawing's contours have their names already.
pub(super) fn beside(contours: &[Chained], drawing: u32, named: BTreeSet<ContourId>) -> Vec<ContourId> {
    let mut seen: FxHashMap<u64, u64> = FxHashMap::default();
    contours
        .iter()
        .map(|c| {
            let n = seen.entry(c.name).or_insert(0);
            loop {
                *n += 1;
                let id = ContourId(mixed(c.name ^ mixed(u64::from(drawing)).wrapping_add(*n)));
                if !named.contains(&id) {
                    break id;
                }
            }
        })
        .collect()
}

/// The id of the first contour of a name in a drawing.
pub(super) fn first(name: u64, drawing: u32) -> ContourId {
    ContourId(mixed(name ^ mixed(u64::from(drawing)).wrapping_add(1)))
}

/// Name of a picture by where it lies in the drawing and how large it is; `i` tells equal ones apart.
pub(super) fn of_picture(picture: &Picture, drawing: u32, i: usize, naming: Naming) -> u64 {
    let place = picture.place.as_coeffs();
    let counts = [picture.bitmap.width, picture.bitmap.height, i];
    let name = match naming {
        Naming::Early => early::of_words(place.iter().map(|c| c.to_bits()).chain(counts.iter().map(|n| *n as u64))),
        Naming::Digest => of_figures(&place.iter().copied().chain(counts.iter().map(|n| *n as f64)).collect::<Vec<f64>>(), naming),
    };
    mixed(name ^ mixed(u64::from(drawing)))
}

/// Name of what is done with contours, by its words as they are stored.
pub(super) fn of_words(words: &[u8], naming: Naming) -> u64 {
    match naming {
        Naming::Early => early::of_bytes(words),
        Naming::Digest => print::name(words),
    }
}

/// Spreads the bits of `x` (the finalizer of Steele, Lea and Flood's SplitMix64, 2014), so that sums of hashes do not clash.
pub(super) fn mixed(x: u64) -> u64 {
    let x = (x ^ (x >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    let x = (x ^ (x >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    x ^ (x >> 31)
}

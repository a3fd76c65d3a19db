//! Polygons round parts, with few corners: what the engines see of them.

use crate::geometry::{Path, Point, Polygon, Ring, Vec2, ring_area};

/// A polygon round the part, its box starting at 0, 0 but for the covering error, with no more than `most`
/// corners if 2 mm of error are enough for that.
pub(crate) fn cover(outline: &Path, holes: &[&Path], error: f64, corner: Vec2, most: usize) -> Polygon {
    let mut allowed = error;
    loop {
        let outer = fewer_corners(Polygon::covering(outline, allowed), allowed);
        let holes: Vec<Ring> = holes
            .iter()
            .map(|h| {
                let mut ring = Polygon::within(h, allowed);
                if ring_area(&ring) > 0.0 {
                    ring.reverse();
                }
                fewer_corners(ring, allowed)
            })
            .filter(|r| r.len() >= 3)
            .collect();
        let corners = outer.len() + holes.iter().map(Vec::len).sum::<usize>();
        if corners <= most || allowed > 2.0 {
            let home = |r: Ring| r.into_iter().map(|p| p - corner).collect::<Ring>();
            return Polygon { outer: home(outer), holes: holes.into_iter().map(home).collect() };
        }
        allowed *= 1.6;
    }
}

/// Drops corners whose removal adds material, by triangles no higher than `allowed` mm; material lies left of the ring.
fn fewer_corners(mut ring: Ring, allowed: f64) -> Ring {
    loop {
        let n = ring.len();
        if n <= 3 {
            return ring;
        }
        let mut kept: Ring = Vec::with_capacity(n);
        let mut skipped = false;
        for i in 0..n {
            let before: Point = if skipped { ring[(i + n - 2) % n] } else { ring[(i + n - 1) % n] };
            let (p, after) = (ring[i], ring[(i + 1) % n]);
            let chord = after - before;
            let height = chord.cross(p - before) / chord.hypot().max(1e-12);
            // Left of the chord is a notch: filling it adds material.
            let drop = !skipped && (-1e-9..=allowed).contains(&height) && n - (i - kept.len()) > 3;
            if drop {
                skipped = true;
            } else {
                kept.push(p);
                skipped = false;
            }
        }
        if kept.len() == n {
            return ring;
        }
        ring = kept;
    }
}

//! Convex pieces of a polygon, sums of convex polygons.

use crate::geometry::Point;
use crate::geometry::{Polygon, Ring, ring_area};
use earcut::Earcut;
use std::collections::HashMap;

/// Cuts a polygon into convex anticlockwise rings: triangles, joined along diagonals while the result stays convex
/// (Hertel and Mehlhorn, 1983; at most four times the least number).
pub(crate) fn pieces(polygon: &Polygon) -> Vec<Ring> {
    let points: Vec<Point> = polygon.outer.iter().chain(polygon.holes.iter().flatten()).copied().collect();
    let mut holes: Vec<u32> = Vec::new();
    let mut at = polygon.outer.len();
    for hole in &polygon.holes {
        holes.push(at as u32);
        at += hole.len();
    }
    let mut triangles: Vec<u32> = Vec::new();
    Earcut::new().earcut(points.iter().map(|p| [p.x, p.y]), &holes, &mut triangles);
    let mut rings: Vec<Vec<u32>> = triangles
        .chunks_exact(3)
        .map(|t| {
            if turn(points[t[0] as usize], points[t[1] as usize], points[t[2] as usize]) >= 0.0 {
                t.to_vec()
            } else {
                vec![t[2], t[1], t[0]]
            }
        })
        .collect();
    join_convex(&points, &mut rings);
    rings.into_iter().map(|r| r.into_iter().map(|i| points[i as usize]).collect::<Ring>()).filter(|r| ring_area(r) > 1e-12).collect()
}

fn turn(a: Point, b: Point, c: Point) -> f64 {
    (b - a).cross(c - b)
}

fn join_convex(points: &[Point], rings: &mut Vec<Vec<u32>>) {
    let mut owner: HashMap<(u32, u32), usize> = HashMap::new();
    for (i, ring) in rings.iter().enumerate() {
        for k in 0..ring.len() {
            owner.insert((ring[k], ring[(k + 1) % ring.len()]), i);
        }
    }
    let edges: Vec<(u32, u32)> = {
        let mut e: Vec<_> = owner.keys().copied().filter(|(a, b)| a < b && owner.contains_key(&(*b, *a))).collect();
        e.sort_unstable();
        e
    };
    for (a, b) in edges {
        let (Some(&left), Some(&right)) = (owner.get(&(a, b)), owner.get(&(b, a))) else { continue };
        if left == right {
            continue;
        }
        let Some(joined) = join(&rings[left], &rings[right], a, b) else { continue };
        let p = |i: usize| points[joined[i % joined.len()] as usize];
        if (0..joined.len()).any(|i| turn(p(i), p(i + 1), p(i + 2)) < -1e-12) {
            continue;
        }
        owner.remove(&(a, b));
        owner.remove(&(b, a));
        for k in 0..joined.len() {
            owner.insert((joined[k], joined[(k + 1) % joined.len()]), left);
        }
        rings[left] = joined;
        rings[right].clear();
    }
    rings.retain(|r| !r.is_empty());
}

/// The ring round two rings that share the edge a → b of the first.
fn join(left: &[u32], right: &[u32], a: u32, b: u32) -> Option<Vec<u32>> {
    let from = left.iter().position(|i| *i == b)?;
    let other = right.iter().position(|i| *i == a)?;
    let mut out: Vec<u32> = (0..left.len()).map(|k| left[(from + k) % left.len()]).collect();
    out.extend((1..right.len() - 1).map(|k| right[(other + k) % right.len()]));
    Some(out)
}

/// The set of all sums of a point of `a` and a point of `b`: both convex and anticlockwise; edges merged by direction.
pub(crate) fn sum(a: &[Point], b: &[Point]) -> Ring {
    let lowest = |r: &[Point]| {
        (0..r.len()).min_by(|i, j| (r[*i].y, r[*i].x).partial_cmp(&(r[*j].y, r[*j].x)).unwrap_or(std::cmp::Ordering::Equal)).unwrap_or(0)
    };
    let (i0, j0) = (lowest(a), lowest(b));
    let (mut i, mut j) = (0, 0);
    let mut out = Ring::with_capacity(a.len() + b.len());
    while i < a.len() || j < b.len() {
        let p = a[(i0 + i) % a.len()];
        let q = b[(j0 + j) % b.len()];
        out.push(p + q.to_vec2());
        let e = a[(i0 + i + 1) % a.len()] - p;
        let f = b[(j0 + j + 1) % b.len()] - q;
        let cross = e.cross(f);
        if j >= b.len() || i < a.len() && cross > 0.0 {
            i += 1;
        } else if i >= a.len() || cross < 0.0 {
            j += 1;
        } else {
            i += 1;
            j += 1;
        }
    }
    out
}

/// True when a simple anticlockwise ring nowhere turns right.
pub(crate) fn is_convex(ring: &[Point]) -> bool {
    let n = ring.len();
    (0..n).all(|i| turn(ring[i], ring[(i + 1) % n], ring[(i + 2) % n]) >= -1e-9) && ring_area(ring) > 0.0
}

/// The closed convolution of a simple anticlockwise outline `a` with a convex anticlockwise ring `b`: the outline is
/// walked, and at every corner the edges of `b` whose direction the corner turns through are walked too, backward where
/// it turns right. Its points of winding above 0 are the sum of the two areas.
pub(crate) fn convolution(a: &[Point], b: &[Point]) -> Ring {
    let (n, m) = (a.len(), b.len());
    let edge = |r: &[Point], i: usize| r[(i + 1) % r.len()] - r[i % r.len()];
    // Directions of b's edges, rising from the first; edge k + m has that of k and a full turn.
    // An edge that turns back by rounding goes straight on, not all the way round.
    let mut angles: Vec<f64> = Vec::with_capacity(m);
    for k in 0..m {
        let (before, after) = (edge(b, (k + m - 1) % m), edge(b, k));
        let turned = before.cross(after).atan2(before.dot(after));
        angles.push(angles.last().map_or(after.atan2(), |last| last + turned.max(0.0)));
    }
    let angle_of = |k: i64| angles[k.rem_euclid(m as i64) as usize] + std::f64::consts::TAU * k.div_euclid(m as i64) as f64;
    let vertex = |k: i64| b[k.rem_euclid(m as i64) as usize].to_vec2();
    let mut heading = edge(a, n - 1).atan2();
    // The corner of b that lies furthest to the right of the heading.
    let mut k: i64 = 0;
    while angle_of(k) < heading {
        k += 1;
    }
    while angle_of(k - 1) >= heading {
        k -= 1;
    }
    let mut out = Ring::with_capacity(n + m + 8);
    for i in 0..n {
        let (before, after) = (edge(a, (i + n - 1) % n), edge(a, i));
        let turned = before.cross(after).atan2(before.dot(after));
        heading += turned;
        out.push(a[i] + vertex(k));
        while angle_of(k) < heading {
            k += 1;
            out.push(a[i] + vertex(k));
        }
        while angle_of(k - 1) >= heading {
            k -= 1;
            out.push(a[i] + vertex(k));
        }
    }
    out
}

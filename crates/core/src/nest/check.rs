//! Does a layout keep its distances? Measured on the true outlines, apart from the search.

use super::{Layout, Placement, Sheet};
use crate::assign::Work;
use crate::geometry::{Bounds, Path, Point};
use rayon::prelude::*;

/// Flattening error and the slack given to it, mm.
const ERROR: f64 = 0.005;
const SLACK: f64 = 0.015;

/// A part on a sheet, as points.
struct Lying {
    rings: Vec<Vec<Point>>,
    outline: Path,
    holes: Vec<Path>,
    bounds: Bounds,
}

/// Number of parts nearer than `spacing` to another or than `margin` to the edge, and where on the first such sheet.
pub fn faults(work: &Work, layout: &Layout, spacing: f64, margin: f64) -> (usize, (usize, Vec<Point>)) {
    let all: Vec<(usize, Vec<Point>)> = layout
        .sheets
        .par_iter()
        .map(|s| {
            let lying: Vec<Lying> = s.placed.iter().filter_map(|p| lay(work, p)).collect();
            let bad: Vec<Point> = (0..lying.len())
                .into_par_iter()
                .filter(|i| crowded(&lying, *i, spacing) || off_sheet(&lying[*i], &s.sheet, margin))
                .map(|i| lying[i].bounds.center())
                .collect();
            (bad.len(), bad)
        })
        .collect();
    let total = all.iter().map(|a| a.0).sum();
    let first = all.iter().position(|a| a.0 > 0).unwrap_or(0);
    (total, (first, all.into_iter().nth(first).map(|a| a.1).unwrap_or_default()))
}

/// True when a placement on a sheet keeps its distances from the others there and from the edge, mm.
pub fn lies(work: &Work, sheet: &Sheet, others: &[Placement], one: &Placement, spacing: f64, margin: f64) -> bool {
    let Some(lying) = lay(work, one) else { return false };
    if off_sheet(&lying, sheet, margin) {
        return false;
    }
    let reach = lying.bounds.grown(spacing);
    let near = |p: &&Placement| work.part(p.copy.part).is_some_and(|part| boxed(part.bounds, p).meets(&reach));
    let mut all: Vec<Lying> = vec![lying];
    all.extend(others.iter().filter(near).filter_map(|p| lay(work, p)));
    !crowded(&all, 0, spacing)
}

/// The box of a placed box.
fn boxed(b: Bounds, p: &Placement) -> Bounds {
    let corners = [b.min, Point::new(b.max.x, b.min.y), b.max, Point::new(b.min.x, b.max.y)];
    Bounds::of(corners.map(|c| p.affine() * c))
}

fn lay(work: &Work, placement: &Placement) -> Option<Lying> {
    let part = work.part(placement.copy.part)?;
    let affine = placement.affine();
    let outline = part.outline.transformed(affine);
    let holes: Vec<Path> = part.holes.iter().map(|i| work.items[*i].contour.path.transformed(affine)).collect();
    let rings = std::iter::once(&outline).chain(&holes).map(|p| p.points(ERROR)).collect();
    Some(Lying { rings, bounds: outline.bounds(), outline, holes })
}

fn crowded(lying: &[Lying], i: usize, spacing: f64) -> bool {
    let a = &lying[i];
    lying
        .iter()
        .enumerate()
        .any(|(j, b)| j != i && a.bounds.grown(spacing).meets(&b.bounds) && (inside(a, b) || inside(b, a) || near(a, b, spacing - SLACK)))
}

/// True when the outline of `a` starts within the material of `b`.
fn inside(a: &Lying, b: &Lying) -> bool {
    let Some(p) = a.outline.segments.first().map(|s| s.at(0.5)) else { return false };
    b.outline.contains(p) && !b.holes.iter().any(|h| h.contains(p)) && b.rings.iter().all(|r| distance_to(r, p) > SLACK)
}

fn near(a: &Lying, b: &Lying, least: f64) -> bool {
    let reach = b.bounds.grown(least.max(0.0));
    let edges = |l: &Lying, within: Bounds| -> Vec<(Point, Point)> {
        let all = l.rings.iter().flat_map(|r| (0..r.len()).map(move |i| (r[i], r[(i + 1) % r.len()])));
        all.filter(|(p, q)| Bounds::of([*p, *q]).meets(&within)).collect()
    };
    let mine = edges(a, reach);
    let theirs = edges(b, a.bounds.grown(least.max(0.0)));
    mine.iter().any(|(p, q)| {
        let b = Bounds::of([*p, *q]).grown(least.max(0.0));
        theirs.iter().any(|(r, s)| b.meets(&Bounds::of([*r, *s])) && edge_distance(*p, *q, *r, *s) < least.max(-SLACK))
    })
}

fn off_sheet(a: &Lying, sheet: &Sheet, margin: f64) -> bool {
    let room = Bounds { min: Point::ZERO, max: Point::new(sheet.width, sheet.height) }.grown(SLACK - margin);
    if !room.holds(&a.bounds) {
        return true;
    }
    let Some((edge, holes)) = sheet.outline.split_first() else { return false };
    let points = || a.rings.iter().flatten();
    let keeps = |p: &Point| edge.contains(*p) && !holes.iter().any(|h| h.contains(*p));
    points().any(|p| !keeps(p) || sheet.outline.iter().any(|o| o.nearest(*p).distance < margin - SLACK - ERROR * 20.0))
}

fn distance_to(ring: &[Point], p: Point) -> f64 {
    (0..ring.len()).map(|i| point_edge(p, ring[i], ring[(i + 1) % ring.len()])).fold(f64::INFINITY, f64::min)
}

fn point_edge(p: Point, a: Point, b: Point) -> f64 {
    let d = b - a;
    let t = ((p - a).dot(d) / d.hypot2().max(1e-300)).clamp(0.0, 1.0);
    p.distance(a + d * t)
}

/// Distance of two edges; 0 when they cross.
fn edge_distance(p: Point, q: Point, r: Point, s: Point) -> f64 {
    let side = |a: Point, b: Point, c: Point| (b - a).cross(c - a);
    if side(p, q, r) * side(p, q, s) < 0.0 && side(r, s, p) * side(r, s, q) < 0.0 {
        return -f64::INFINITY;
    }
    point_edge(p, r, s).min(point_edge(q, r, s)).min(point_edge(r, p, q)).min(point_edge(s, p, q))
}

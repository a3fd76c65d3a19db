//! What is to be nested, in the form the search works on.

use super::convex;
use super::nofit::{NoFit, Oriented, Standing, grow};
use super::{Sheet, Terms};
use crate::assign::{PartId, Work};
use crate::geometry::{Bounds, Path, Point, Polygon, Ring, Tolerance, Vec2, ring_area};
use rustc_hash::FxHashMap;
use std::collections::HashMap;
use std::sync::{Arc, RwLock};

/// Most corners a shape may have in the search; beyond it the shape is covered more coarsely, never less.
const MOST_CORNERS: usize = 96;

/// A shape that one or more parts have.
pub(super) struct Shape {
    pub(super) turns: Vec<Oriented>,
    pub(super) area: f64,
    pub(super) size: Vec2,
}

/// One part to be placed.
pub(super) struct Demand {
    pub(super) part: PartId,
    pub(super) shape: usize,
    pub(super) quantity: u32,
    /// Lower left of the part's box in its drawing.
    pub(super) corner: Vec2,
}

/// A fixed shape's and a moving shape's key: shape and turn of each; obstacles of sheet `s` count as fixed shape usize::MAX - s.
type Pair = (usize, usize, usize, usize);

/// Parts, sheets and distances, with the no-fit regions found so far.
pub struct Problem {
    pub(super) shapes: Vec<Shape>,
    pub(super) demands: Vec<Demand>,
    pub(super) sheets: Vec<Sheet>,
    pub(super) margin: f64,
    /// For each kind of sheet what lies outside an offcut's outline, grown by the margin.
    pub(super) blocked: Vec<Vec<Standing>>,
    regions: RwLock<HashMap<Pair, Arc<NoFit>>>,
}

impl Problem {
    /// Gathers parts of one shape, covers their arcs by corners, and drops holes that nothing fits into.
    pub fn new(work: &Work, terms: &Terms, tolerance: &Tolerance) -> Self {
        let wanted: Vec<_> = work.parts.iter().filter(|p| p.quantity > 0).collect();
        let least = wanted.iter().map(|p| p.bounds.width().min(p.bounds.height())).fold(f64::INFINITY, f64::min);
        let least_area = wanted.iter().map(|p| p.area).fold(f64::INFINITY, f64::min);
        let mut known: FxHashMap<Vec<(i64, i64)>, usize> = FxHashMap::default();
        let mut shapes = Vec::new();
        let mut demands = Vec::new();
        for part in wanted {
            let corner = part.bounds.min.to_vec2();
            let holes: Vec<&Path> = part
                .holes
                .iter()
                .map(|i| &work.items[*i].contour)
                .filter(|c| c.area.abs() > least_area && c.bounds.width().min(c.bounds.height()) > least)
                .map(|c| &c.path)
                .collect();
            let polygon = cover(&part.outline, &holes, tolerance.nest, corner);
            let print: Vec<(i64, i64)> = std::iter::once(&polygon.outer)
                .chain(&polygon.holes)
                .flatten()
                .map(|p| ((p.x * 1000.0).round() as i64, (p.y * 1000.0).round() as i64))
                .collect();
            let shape = *known.entry(print).or_insert_with(|| {
                shapes.push(shape(&polygon, terms));
                shapes.len() - 1
            });
            demands.push(Demand { part: part.id, shape, quantity: part.quantity, corner });
        }
        let blocked = terms.sheets.iter().map(|s| blocked(s, terms.margin, tolerance.nest)).collect();
        Self { shapes, demands, sheets: terms.sheets.clone(), margin: terms.margin, blocked, regions: RwLock::new(HashMap::new()) }
    }

    /// The same with convex hulls for shapes: laid out at once, however many kinds there are.
    pub(super) fn hulls(&self) -> Self {
        let shapes = self.shapes.iter().map(|s| Shape { turns: s.turns.iter().map(Oriented::hull).collect(), ..*s }).collect();
        let demands = self.demands.iter().map(|d| Demand { ..*d }).collect();
        Self {
            shapes,
            demands,
            sheets: self.sheets.clone(),
            margin: self.margin,
            blocked: self.blocked.clone(),
            regions: RwLock::default(),
        }
    }

    /// Copies in all.
    pub fn copies(&self) -> usize {
        self.demands.iter().map(|d| d.quantity as usize).sum()
    }

    /// The no-fit region of a moving shape against a fixed one.
    pub(super) fn region(&self, fixed: (usize, usize), moving: (usize, usize)) -> Arc<NoFit> {
        self.cached((fixed.0, fixed.1, moving.0, moving.1), || {
            NoFit::new(self.shapes[fixed.0].turns[fixed.1].grown(), &self.shapes[moving.0].turns[moving.1])
        })
    }

    /// The no-fit region of a moving shape against obstacle `n` of sheet kind `sheet`.
    pub(super) fn obstacle(&self, sheet: usize, n: usize, moving: (usize, usize)) -> Arc<NoFit> {
        self.cached((usize::MAX - sheet, n, moving.0, moving.1), || {
            NoFit::new(&self.blocked[sheet][n], &self.shapes[moving.0].turns[moving.1])
        })
    }

    fn cached(&self, key: Pair, make: impl FnOnce() -> NoFit) -> Arc<NoFit> {
        if let Some(found) = self.regions.read().ok().and_then(|r| r.get(&key).cloned()) {
            return found;
        }
        let made = Arc::new(make());
        if let Ok(mut regions) = self.regions.write() {
            regions.insert(key, Arc::clone(&made));
        }
        made
    }
}

fn shape(polygon: &Polygon, terms: &Terms) -> Shape {
    let mut turns: Vec<Oriented> = Vec::new();
    let mut prints: Vec<Vec<(i64, i64)>> = Vec::new();
    for angle in terms.turn.angles() {
        // Each distance of two parts is kept by growing the one that stands.
        let turned = Oriented::new(polygon, angle, terms.spacing);
        let print = turned.fingerprint();
        if !prints.contains(&print) {
            prints.push(print);
            turns.push(turned);
        }
    }
    let bounds = polygon.bounds();
    Shape { turns, area: ring_area(&polygon.outer).abs(), size: Vec2::new(bounds.width(), bounds.height()) }
}

/// A polygon round the part, its box starting at 0, 0 but for the covering error, with few corners.
fn cover(outline: &Path, holes: &[&Path], error: f64, corner: Vec2) -> Polygon {
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
        if corners <= MOST_CORNERS || allowed > 2.0 {
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

/// What of the sheet's box is not sheet: beyond an offcut's edge and in its holes, grown by the margin.
fn blocked(sheet: &Sheet, margin: f64, error: f64) -> Vec<Standing> {
    if sheet.outline.is_empty() {
        return Vec::new();
    }
    let frame = Bounds::of([Point::ZERO, Point::new(sheet.width, sheet.height)]).grown(margin + 10.0);
    let mut material: Vec<Ring> = Vec::new();
    for (i, path) in sheet.outline.iter().enumerate() {
        material.push(if i == 0 { Polygon::within(path, error) } else { Polygon::covering(path, error) });
    }
    let off = convex::difference(&[Polygon::rectangle(frame).outer], &material);
    off.iter().map(|p| grow(&convex::pieces(p), margin)).collect()
}

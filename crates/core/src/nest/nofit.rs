//! Where a part may not be put, seen from another: the no-fit region.
//!
//! For a fixed shape A and a moving shape B it is A ⊕ (−B): every offset at which they would share a point. It is made
//! as the union of the sums of their convex pieces, so holes of A into which B fits come out as holes of the region.

use super::convex;
use crate::geometry::{Affine, Bounds, Point, Polygon, Ring, Vec2};

/// A shape in one turn, its box starting at 0, 0.
#[derive(Clone, Debug)]
pub(super) struct Oriented {
    /// Turn, degrees.
    pub(super) angle: f64,
    /// What was added to the turned shape to bring its box to 0, 0.
    pub(super) shift: Vec2,
    /// Width and height.
    pub(super) size: Vec2,
    /// Convex pieces of the shape.
    pieces: Vec<Ring>,
    /// The shape grown by the spacing.
    grown: Standing,
}

/// A shape that stands still: simple outlines where it has no holes, convex pieces otherwise.
#[derive(Clone, Debug)]
pub(super) enum Standing {
    /// Anticlockwise outlines without holes.
    Outlines(Vec<Ring>),
    /// Anticlockwise convex pieces.
    Pieces(Vec<Ring>),
}

impl Oriented {
    /// `polygon` turned by `angle`, with its pieces grown by `spacing` mm.
    pub(super) fn new(polygon: &Polygon, angle: f64, spacing: f64) -> Self {
        let turned = polygon.transformed(super::turned(angle));
        let bounds = turned.bounds();
        let shift = -bounds.min.to_vec2();
        let home = turned.transformed(Affine::translate(shift));
        let pieces = convex::pieces(&home);
        let grown = grow(&pieces, spacing);
        Self { angle, shift, size: Vec2::new(bounds.width(), bounds.height()), pieces, grown }
    }

    /// Points that tell equal turns of a symmetric shape apart.
    pub(super) fn fingerprint(&self) -> Vec<(i64, i64)> {
        let mut all: Vec<_> = self.pieces.iter().flatten().map(|p| ((p.x * 1000.0).round() as i64, (p.y * 1000.0).round() as i64)).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    /// The grown shape, for one that stands still.
    pub(super) fn grown(&self) -> &Standing {
        &self.grown
    }
}

/// The area within `by` mm of the convex pieces, by at most 4 % more in the directions between the twelve of the
/// dodecagon that stands for the disc; exact along the axes and the sides of hexagons.
pub(super) fn grow(pieces: &[Ring], by: f64) -> Standing {
    let reach = by / (std::f64::consts::PI / 12.0).cos();
    let disc: Ring = (0..12).map(|i| (reach * Vec2::from_angle((f64::from(i) + 0.5) * std::f64::consts::PI / 6.0)).to_point()).collect();
    let sums: Vec<Ring> = if by > 0.0 { pieces.iter().map(|p| convex::sum(p, &disc)).collect() } else { pieces.to_vec() };
    if sums.len() == 1 {
        return Standing::Outlines(sums);
    }
    let whole = convex::union(&sums);
    if whole.iter().all(|p| p.holes.is_empty()) {
        return Standing::Outlines(whole.into_iter().map(|p| p.outer).collect());
    }
    Standing::Pieces(whole.iter().flat_map(convex::pieces).collect())
}

/// The offsets at which a moving shape would touch or overlap a fixed one.
#[derive(Clone, Debug)]
pub(super) struct NoFit {
    /// Its rings: outlines and holes alike.
    pub(super) rings: Vec<Ring>,
    /// Box round them.
    pub(super) bounds: Bounds,
}

impl NoFit {
    /// Region for the moving shape `b` against the grown pieces of a fixed one.
    ///
    /// A simple outline and a convex piece have a single closed convolution, and what it winds round is their sum
    /// (Guibas, Ramshaw and Stolfi, "A kinetic framework for computational geometry", 1983).
    pub(super) fn new(fixed: &Standing, b: &Oriented) -> Self {
        let mirrored: Vec<Ring> = b.pieces.iter().map(|r| r.iter().map(|p| Point::new(-p.x, -p.y)).collect()).collect();
        let sums: Vec<Ring> = match fixed {
            Standing::Outlines(outlines) => outlines.iter().flat_map(|f| mirrored.iter().map(|m| convex::convolution(f, m))).collect(),
            Standing::Pieces(pieces) => pieces.iter().flat_map(|f| mirrored.iter().map(|m| convex::sum(f, m))).collect(),
        };
        let convex = match fixed {
            Standing::Outlines(outlines) | Standing::Pieces(outlines) => outlines.iter().all(|r| convex::is_convex(r)),
        };
        let rings: Vec<Ring> = match sums.as_slice() {
            [_] if convex => sums,
            _ => convex::union(&sums).into_iter().flat_map(|p| std::iter::once(p.outer).chain(p.holes)).collect(),
        };
        let bounds = Bounds::of(rings.iter().flatten().copied());
        Self { rings, bounds }
    }

    /// True when offset `p` lies inside by more than `slack` mm.
    pub(super) fn forbids(&self, p: Point, slack: f64) -> bool {
        if p.x <= self.bounds.min.x + slack || p.x >= self.bounds.max.x - slack || p.y <= self.bounds.min.y + slack || p.y >= self.bounds.max.y - slack {
            return false;
        }
        let mut inside = false;
        for ring in &self.rings {
            let Some(mut a) = ring.last().copied() else { continue };
            for &b in ring {
                if (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x) {
                    inside = !inside;
                }
                a = b;
            }
        }
        inside && self.rings.iter().all(|r| edge_distance_over(r, p, slack))
    }
}

/// True when `p` is further than `slack` from every edge of the ring.
fn edge_distance_over(ring: &[Point], p: Point, slack: f64) -> bool {
    let Some(mut a) = ring.last().copied() else { return true };
    for &b in ring {
        let d = b - a;
        let t = ((p - a).dot(d) / d.hypot2().max(1e-300)).clamp(0.0, 1.0);
        if (a + d * t).distance_squared(p) <= slack * slack {
            return false;
        }
        a = b;
    }
    true
}

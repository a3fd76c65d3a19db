//! Where a part may not be put, seen from another: the no-fit region.
//!
//! For a fixed shape A and a moving shape B it is A ⊕ (−B): every offset at which they would share a point. It is made
//! from their filled outlines; the offsets at which one lies wholly in an opening of the other are found apart, and only
//! where the opening is large enough, so that a part full of holes costs no more than its outline.

use crate::convex;
use crate::geometry::{Affine, Bounds, Point, Polygon, Ring, Vec2, hull, ring_area};

/// Openings of a region narrower than this are cracks, mm.
const CRACK: f64 = 1e-3;

/// Corners of what stands for the disc that a shape is grown by.
const DISC: usize = 12;

/// A shape in one turn, its box starting at 0, 0.
#[derive(Clone, Debug)]
pub(crate) struct Oriented {
    /// Turn, degrees.
    pub(crate) angle: f64,
    /// Mirrored in x before the turn.
    pub(crate) mirrored: bool,
    /// What was added to the turned shape to bring its box to 0, 0.
    pub(crate) shift: Vec2,
    /// Width and height.
    pub(crate) size: Vec2,
    /// Convex pieces of the shape, its openings filled.
    pieces: Vec<Ring>,
    /// Openings that another part may lie in.
    openings: Vec<Ring>,
    /// The shape grown by the spacing.
    grown: Standing,
}

/// A shape that stands still.
#[derive(Clone, Debug, Default)]
pub(crate) struct Standing {
    /// Anticlockwise outlines, openings filled.
    outlines: Vec<Ring>,
    /// What is left of its openings.
    openings: Vec<Ring>,
}

impl Oriented {
    /// `polygon` mirrored and turned by an angle in degrees, and grown by `spacing` mm for when it stands.
    pub(crate) fn new(polygon: &Polygon, pose: (f64, bool), spacing: f64) -> Self {
        Self::grown_by(polygon, pose, (spacing, DISC))
    }

    /// The same, grown with so many corners for a disc.
    pub(crate) fn grown_by(polygon: &Polygon, (angle, mirrored): (f64, bool), (spacing, corners): (f64, usize)) -> Self {
        let turned = polygon.transformed(motion(angle, mirrored));
        let bounds = turned.bounds();
        let shift = -bounds.min.to_vec2();
        let home = turned.transformed(Affine::translate(shift));
        let grown = grown(&convex::pieces(&home), spacing, corners);
        let pieces = convex::pieces(&Polygon { outer: home.outer, holes: Vec::new() });
        Self { angle, mirrored, shift, size: Vec2::new(bounds.width(), bounds.height()), pieces, openings: home.holes, grown }
    }

    /// The same with its convex hull for its shape: what is known of hulls is known at once.
    pub(crate) fn hull(&self) -> Self {
        let around = |rings: &[Ring]| hull(rings.iter().flatten().copied().collect());
        Self {
            pieces: vec![around(&self.pieces)],
            openings: Vec::new(),
            grown: Standing { outlines: vec![around(&self.grown.outlines)], openings: Vec::new() },
            ..self.clone()
        }
    }

    /// From the part's drawing, but for where it lies.
    pub(crate) fn motion(&self) -> Affine {
        motion(self.angle, self.mirrored)
    }

    /// Points that tell equal turns of a symmetric shape apart.
    pub(crate) fn fingerprint(&self) -> Vec<(i64, i64)> {
        let corners = self.pieces.iter().chain(&self.openings).flatten();
        let mut all: Vec<_> = corners.map(|p| ((p.x * 1000.0).round() as i64, (p.y * 1000.0).round() as i64)).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    /// The grown shape, for one that stands still.
    pub(crate) fn grown(&self) -> &Standing {
        &self.grown
    }
}

/// Mirrored in x, then turned by an angle in degrees.
pub(crate) fn motion(angle: f64, mirrored: bool) -> Affine {
    let mirror = if mirrored { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY };
    crate::layout::turned(angle) * mirror
}

/// The area within `by` mm of the convex pieces, by at most 4 % more in the directions between the twelve of the
/// dodecagon that stands for the disc; exact along the axes and the sides of hexagons.
pub(crate) fn grow(pieces: &[Ring], by: f64) -> Standing {
    grown(pieces, by, DISC)
}

/// The same with so many corners for the disc.
fn grown(pieces: &[Ring], by: f64, corners: usize) -> Standing {
    let part = std::f64::consts::TAU / corners as f64;
    let reach = by / (part / 2.0).cos();
    let disc: Ring = (0..corners).map(|i| (reach * Vec2::from_angle((i as f64 + 0.5) * part)).to_point()).collect();
    let sums: Vec<Ring> = if by > 0.0 { pieces.iter().map(|p| convex::sum(p, &disc)).collect() } else { pieces.to_vec() };
    if sums.len() == 1 {
        return Standing { outlines: sums, openings: Vec::new() };
    }
    let mut standing = Standing::default();
    for polygon in Polygon::union(&sums) {
        standing.outlines.push(polygon.outer);
        standing.openings.extend(polygon.holes);
    }
    standing
}

/// The offsets at which a moving shape would touch or overlap a fixed one.
#[derive(Clone, Debug)]
pub(crate) struct NoFit {
    /// Its rings: outlines and openings alike.
    pub(crate) rings: Vec<Ring>,
    /// Box round them.
    pub(crate) bounds: Bounds,
}

impl NoFit {
    /// Region for the moving shape `b` against a fixed one: where their filled outlines meet, less where one lies within
    /// an opening of the other.
    ///
    /// A simple outline and a convex piece have a single closed convolution, and what it winds round is their sum
    /// (Guibas, Ramshaw and Stolfi, "A kinetic framework for computational geometry", 1983).
    pub(crate) fn new(fixed: &Standing, b: &Oriented) -> Self {
        let mirrored: Vec<Ring> = b.pieces.iter().map(|r| turned_over(r)).collect();
        let sums: Vec<Ring> = fixed.outlines.iter().flat_map(|f| mirrored.iter().map(|m| convex::convolution(f, m))).collect();
        let mut rings: Vec<Ring> = match sums.as_slice() {
            [_] if convex::is_convex(&fixed.outlines[0]) => sums,
            _ => Polygon::union(&sums).into_iter().flat_map(|p| std::iter::once(p.outer).chain(p.holes)).collect(),
        };
        for opening in &fixed.openings {
            rings.extend(room_within(opening, &b.pieces));
        }
        for outline in fixed.outlines.iter().filter(|_| !b.openings.is_empty()) {
            let pieces = convex::pieces(&Polygon { outer: outline.clone(), holes: Vec::new() });
            // The fixed shape may lie in an opening of the moving one: the offset is the other way round.
            rings.extend(b.openings.iter().flat_map(|o| room_within(o, &pieces)).map(|r| turned_over(&r)));
        }
        // Where two sums meet, rounding leaves cracks; they are no room to put anything into.
        rings.iter_mut().for_each(close_cracks);
        rings.retain(|r| r.len() >= 3 && 2.0 * ring_area(r).abs() > CRACK * perimeter(r));
        let bounds = Bounds::of(rings.iter().flatten().copied());
        Self { rings, bounds }
    }

    /// True when offset `p` lies inside by more than `slack` mm.
    pub(crate) fn forbids(&self, p: Point, slack: f64) -> bool {
        if p.x <= self.bounds.min.x + slack
            || p.x >= self.bounds.max.x - slack
            || p.y <= self.bounds.min.y + slack
            || p.y >= self.bounds.max.y - slack
        {
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

/// Drops corners at which the ring goes in and straight back out again.
fn close_cracks(ring: &mut Ring) {
    let mut i = 0;
    let mut steady = 0;
    while ring.len() >= 3 && steady < ring.len() {
        let n = ring.len();
        let (a, b, c) = (ring[(i + n - 1) % n], ring[i], ring[(i + 1) % n]);
        let (came, goes) = (b - a, c - b);
        let shorter = came.hypot().min(goes.hypot());
        let back = came.dot(goes) < 0.0 && came.cross(goes).abs() <= CRACK * came.hypot().max(goes.hypot());
        if shorter < 1e-6 || back {
            ring.remove(i);
            // What lies before may now be a crack.
            i = (i + n - 2) % (n - 1);
            steady = 0;
        } else {
            i = (i + 1) % n;
            steady += 1;
        }
    }
}

fn perimeter(ring: &[Point]) -> f64 {
    (0..ring.len()).map(|i| ring[i].distance(ring[(i + 1) % ring.len()])).sum()
}

/// The ring turned by half a turn about the origin.
fn turned_over(ring: &[Point]) -> Ring {
    ring.iter().map(|p| Point::new(-p.x, -p.y)).collect()
}

/// The offsets at which a body, given by its convex pieces, lies within an opening: the holes that are left in the no-fit
/// region of a frame round the opening.
fn room_within(opening: &Ring, body: &[Ring]) -> Vec<Ring> {
    let (around, size) = (Bounds::of(opening.iter().copied()), Bounds::of(body.iter().flatten().copied()));
    if size.width() > around.width() || size.height() > around.height() {
        return Vec::new();
    }
    let frame = Polygon::rectangle(around.grown(size.width() + size.height() + 1.0)).outer;
    let mut hole = opening.clone();
    if ring_area(&hole) > 0.0 {
        hole.reverse();
    }
    let frame = convex::pieces(&Polygon { outer: frame, holes: vec![hole] });
    let sums: Vec<Ring> =
        body.iter().map(|b| turned_over(b)).flat_map(|b| frame.iter().map(|f| convex::sum(f, &b)).collect::<Vec<_>>()).collect();
    Polygon::union(&sums).into_iter().flat_map(|p| p.holes).collect()
}

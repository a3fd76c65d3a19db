//! Straight-edged areas: what nesting reasons with.

use super::{Bounds, Path};
use i_overlay::core::fill_rule::FillRule;
use i_overlay::core::overlay_rule::OverlayRule;
use i_overlay::float::simplify::SimplifyShape;
use i_overlay::float::single::SingleFloatOverlay;
use kurbo::{Affine, Point};

/// A closed ring of points without repeat of the first.
pub type Ring = Vec<Point>;

/// An area with holes. The outer ring is anticlockwise, holes clockwise.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Polygon {
    /// The outline.
    pub outer: Ring,
    /// Openings in it.
    pub holes: Vec<Ring>,
}

/// Area of a ring, positive anticlockwise.
///
/// ```
/// # use boustrophe_geometry::*;
/// let square = [(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (0.0, 4.0)].map(Point::from);
/// assert_eq!(ring_area(&square), 16.0);
/// ```
pub fn ring_area(ring: &[Point]) -> f64 {
    let n = ring.len();
    (0..n).map(|i| ring[i].to_vec2().cross(ring[(i + 1) % n].to_vec2())).sum::<f64>() / 2.0
}

/// Even-odd test of a point against a ring.
pub fn ring_contains(ring: &[Point], p: Point) -> bool {
    let mut inside = false;
    let mut a = match ring.last() {
        Some(a) => *a,
        None => return false,
    };
    for &b in ring {
        if (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x) {
            inside = !inside;
        }
        a = b;
    }
    inside
}

/// The smallest convex ring round points, anticlockwise (Andrew's monotone chain, 1979).
///
/// ```
/// # use boustrophe_geometry::*;
/// let points = [(0.0, 0.0), (4.0, 0.0), (2.0, 1.0), (4.0, 4.0), (0.0, 4.0)].map(Point::from);
/// assert_eq!(hull(points.to_vec()).len(), 4);
/// ```
pub fn hull(mut points: Vec<Point>) -> Ring {
    points.sort_by(|a, b| a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y)));
    points.dedup();
    if points.len() < 3 {
        return points;
    }
    let right = |a: Point, b: Point, c: Point| (b - a).cross(c - b) <= 0.0;
    let half = |points: &mut dyn Iterator<Item = Point>| {
        let mut chain: Ring = Vec::new();
        for p in points {
            while chain.len() >= 2 && right(chain[chain.len() - 2], chain[chain.len() - 1], p) {
                chain.pop();
            }
            chain.push(p);
        }
        chain.pop();
        chain
    };
    let mut ring = half(&mut points.iter().copied());
    ring.extend(half(&mut points.iter().rev().copied()));
    ring
}

impl Polygon {
    /// Everything covered by any of the rings, all anticlockwise.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let square = |x: f64| Path::rectangle(x, 0.0, 10.0, 10.0).points(0.1);
    /// let both = Polygon::union(&[square(0.0), square(5.0)]);
    /// assert!(both.len() == 1 && (both[0].area() - 150.0).abs() < 1e-6);
    /// ```
    pub fn union(rings: &[Ring]) -> Vec<Self> {
        polygons(plain(rings).simplify_shape_as::<i64>(FillRule::NonZero))
    }
    /// What is in `from` and in none of `less`, each given by rings under the even-odd rule.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let rectangle = |side: f64| Path::rectangle(-side / 2.0, -side / 2.0, side, side).points(0.1);
    /// let frame = Polygon::difference(&[rectangle(10.0)], &[rectangle(6.0)]);
    /// assert!(frame[0].holes.len() == 1 && (frame[0].area() - 64.0).abs() < 1e-6);
    /// ```
    pub fn difference(from: &[Ring], less: &[Ring]) -> Vec<Self> {
        polygons(plain(from).overlay_as::<i64>(&plain(less), OverlayRule::Difference, FillRule::EvenOdd))
    }
    /// A rectangle between two corners.
    pub fn rectangle(b: Bounds) -> Self {
        Self { outer: vec![b.min, Point::new(b.max.x, b.min.y), b.max, Point::new(b.min.x, b.max.y)], holes: Vec::new() }
    }
    /// Area without the holes.
    pub fn area(&self) -> f64 {
        ring_area(&self.outer).abs() - self.holes.iter().map(|h| ring_area(h).abs()).sum::<f64>()
    }
    /// Box round the outline.
    pub fn bounds(&self) -> Bounds {
        Bounds::of(self.outer.iter().copied())
    }
    /// True when `p` is in the area and in no hole.
    pub fn contains(&self, p: Point) -> bool {
        ring_contains(&self.outer, p) && !self.holes.iter().any(|h| ring_contains(h, p))
    }
    /// Moved, turned or mirrored; rings keep their sense.
    pub fn transformed(&self, a: Affine) -> Self {
        let ring = |r: &Ring| -> Ring {
            let points = r.iter().map(|p| a * *p);
            if a.determinant() < 0.0 { points.rev().collect() } else { points.collect() }
        };
        Self { outer: ring(&self.outer), holes: self.holes.iter().map(ring).collect() }
    }

    /// A polygon that covers the area inside `path` and exceeds it by at most `error` mm. `path` is walked
    /// anticlockwise first; arcs that bulge outward are replaced by tangents, arcs that bulge inward by chords.
    pub fn covering(path: &Path, error: f64) -> Ring {
        if path.area() < 0.0 { outside_of(&path.reversed(), error) } else { outside_of(path, error) }
    }

    /// A polygon that lies inside `path` and falls short of it by at most `error` mm: for openings.
    pub fn within(path: &Path, error: f64) -> Ring {
        let mut ring = if path.area() > 0.0 { outside_of(&path.reversed(), error) } else { outside_of(path, error) };
        ring.reverse();
        ring
    }
}

/// Points of a ring on the right-hand side of `path` or on it: the side away from the area of an anticlockwise path.
fn outside_of(path: &Path, error: f64) -> Ring {
    let mut out: Ring = Vec::with_capacity(path.segments.len());
    for s in &path.segments {
        out.push(s.start);
        if s.is_line() {
            continue;
        }
        let (c, r, sweep) = (s.center(), s.radius(), s.sweep());
        if sweep > 0.0 {
            // Tangent polygon: corners at radius r / cos(half step), so the overshoot r (1/cos - 1) is the error.
            let step = 2.0 * (r / (r + error)).acos();
            let n = ((sweep / step).ceil()).clamp(1.0, 512.0);
            let n = if sweep / n > 2.0 { n + 1.0 } else { n };
            let half = sweep / n / 2.0;
            let from = (s.start - c).atan2();
            let reach = r / half.cos();
            let mut k = 0.0;
            while k < n {
                out.push(c + reach * kurbo::Vec2::from_angle(from + half * (2.0 * k + 1.0)));
                k += 1.0;
            }
        } else {
            let n = s.steps(error);
            out.extend((1..n).map(|i| s.at(i as f64 / n as f64)));
        }
    }
    out.dedup_by(|a, b| a.distance_squared(*b) < 1e-18);
    out
}

fn plain(rings: &[Ring]) -> Vec<Vec<[f64; 2]>> {
    rings.iter().map(|r| r.iter().map(|p| [p.x, p.y]).collect()).collect()
}

fn polygons(shapes: Vec<Vec<Vec<[f64; 2]>>>) -> Vec<Polygon> {
    let ring = |r: Vec<[f64; 2]>, anticlockwise: bool| -> Ring {
        let mut ring: Ring = r.into_iter().map(|p| Point::new(p[0], p[1])).collect();
        if (ring_area(&ring) > 0.0) != anticlockwise {
            ring.reverse();
        }
        ring
    };
    shapes
        .into_iter()
        .filter_map(|shape| {
            let mut rings = shape.into_iter();
            let outer = ring(rings.next()?, true);
            Some(Polygon { outer, holes: rings.map(|r| ring(r, false)).collect() })
        })
        .collect()
}

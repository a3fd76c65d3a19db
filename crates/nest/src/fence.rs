//! How deep a part lies in what it may not touch, and which way out is the shortest.
//!
//! Made from a no-fit region for the separation's many questions: a question costs a look at the box for most neighbours, and
//! tens of nanoseconds for those near by.

use crate::geometry::{Bounds, Point, Vec2};
use crate::nofit::NoFit;
use crate::quick::Quick;

/// An edge with what is asked of it again and again.
#[derive(Clone, Copy, Debug)]
struct Edge {
    from: Point,
    along: Vec2,
    /// One over the square of its length.
    scale: f64,
    /// Unit normal that leads out of a convex region.
    out: Vec2,
}

/// A no-fit region, made for asking.
#[derive(Debug)]
pub(crate) struct Fence {
    bounds: Bounds,
    edges: Vec<Edge>,
    convex: bool,
    quick: Quick,
}

impl Fence {
    pub(crate) fn new(region: &NoFit) -> Self {
        let mut edges = Vec::new();
        for ring in &region.rings {
            for (i, from) in ring.iter().enumerate() {
                let along = ring[(i + 1) % ring.len()] - *from;
                let length = along.hypot();
                if length > 1e-9 {
                    edges.push(Edge { from: *from, along, scale: 1.0 / (length * length), out: Vec2::new(along.y, -along.x) / length });
                }
            }
        }
        let convex = matches!(region.rings.as_slice(), [ring] if crate::convex::is_convex(ring));
        let ends: Vec<(Point, Point)> = edges.iter().map(|e| (e.from, e.from + e.along)).collect();
        Self { bounds: region.bounds, quick: Quick::new(&ends, convex), edges, convex }
    }

    /// False where an offset surely lies outside.
    pub(crate) fn may_hold(&self, p: Point) -> bool {
        p.x > self.bounds.min.x && p.x < self.bounds.max.x && p.y > self.bounds.min.y && p.y < self.bounds.max.y
    }

    /// The depth alone, in single precision, mm; 0 outside.
    pub(crate) fn quick(&self, p: Point) -> f32 {
        if self.may_hold(p) { self.quick.depth(p.x as f32, p.y as f32) } else { 0.0 }
    }

    /// Distance from an offset within the region to its edge, mm, and the move that leads there; `None` outside.
    pub(crate) fn depth(&self, p: Point) -> Option<(f64, Vec2)> {
        if self.convex {
            let mut best: Option<(f64, Vec2)> = None;
            for e in &self.edges {
                let depth = (e.from - p).dot(e.out);
                if depth <= 0.0 {
                    return None;
                }
                if best.is_none_or(|b| depth < b.0) {
                    best = Some((depth, e.out * depth));
                }
            }
            return best;
        }
        if !self.holds(p) {
            return None;
        }
        let mut best = (f64::INFINITY, Vec2::ZERO);
        for e in &self.edges {
            let from = e.from - p;
            let t = (-from.dot(e.along) * e.scale).clamp(0.0, 1.0);
            let way = from + e.along * t;
            let squared = way.hypot2();
            if squared < best.0 {
                best = (squared, way);
            }
        }
        Some((best.0.sqrt(), best.1))
    }

    /// Inside, by the parity of crossings.
    fn holds(&self, p: Point) -> bool {
        let mut inside = false;
        for e in &self.edges {
            let (y0, y1) = (e.from.y, e.from.y + e.along.y);
            if (y0 > p.y) != (y1 > p.y) && p.x < e.from.x + (p.y - y0) / (y1 - y0) * e.along.x {
                inside = !inside;
            }
        }
        inside
    }

    /// How far an offset outside may go along a unit way, at most `far` mm, before it is within; less than nothing is nothing.
    pub(crate) fn free_way(&self, p: Point, way: Vec2, far: f64) -> f64 {
        let reach = Bounds::of([p, p + way * far]);
        if !reach.meets(&self.bounds) {
            return far;
        }
        // Along the way every crossing splits it; the first stretch whose middle is within ends it.
        let mut at: Vec<f64> = vec![0.0, far];
        for e in &self.edges {
            let cross = way.cross(e.along);
            if cross.abs() < 1e-12 * e.along.hypot() {
                continue;
            }
            let t = (e.from - p).cross(e.along) / cross;
            let u = (e.from - p).cross(way) / cross;
            if (-1e-9..=1.0 + 1e-9).contains(&u) && t > 0.0 && t < far {
                at.push(t);
            }
        }
        at.sort_by(f64::total_cmp);
        at.windows(2)
            .find(|w| w[1] - w[0] > 1e-7 && self.depth(p + way * f64::midpoint(w[0], w[1])).is_some_and(|d| d.0 > 1e-6))
            .map_or(far, |w| w[0])
    }
}

//! Depths in a hurry: the edges of a no-fit region eight by eight, each figure of eight edges side by side.
//!
//! The separation asks for the price of a place millions of times a second, and wants the depth alone. In single precision it is
//! right to some hundredths of a micrometre at a metre; whatever ends a search is asked in double ([`crate::fence`]).

use crate::geometry::Point;

/// Edges that are looked at together.
const LANES: usize = 8;
/// Further away than anything.
const FAR: f32 = 1e30;
/// No place of a sheet, mm: what fills the last eight lies there.
const NOWHERE: f32 = 1e9;

type Eight = [f32; LANES];

/// Eight edges of a convex region: a place is in where it lies before all of them.
#[derive(Debug)]
struct Sides {
    /// Distance of the edge from the origin, along its normal.
    far: Eight,
    /// Unit normal that leads out.
    out: [Eight; 2],
}

/// Eight edges of any region.
#[derive(Debug)]
struct Edges {
    from: [Eight; 2],
    along: [Eight; 2],
    /// One over the square of their length.
    scale: Eight,
    /// y of their ends, and x for every y along them.
    end: Eight,
    slope: Eight,
}

/// A region's edges for quick questions.
#[derive(Debug)]
pub(crate) enum Quick {
    /// A convex one.
    Convex(Sided),
    /// Any.
    Any(Edged),
}

/// The sides of a convex region.
#[derive(Debug)]
pub(crate) struct Sided(Vec<Sides>);

/// The edges of any region.
#[derive(Debug)]
pub(crate) struct Edged(Vec<Edges>);

impl Quick {
    /// From the edges of a region, each from a place to the next; `convex` where it is one anticlockwise convex ring.
    pub(crate) fn new(edges: &[(Point, Point)], convex: bool) -> Self {
        if convex { Self::Convex(Sided::new(edges)) } else { Self::Any(Edged::new(edges)) }
    }

    /// Depth of a place, mm; 0 outside.
    pub(crate) fn depth(&self, x: f32, y: f32) -> f32 {
        match self {
            Self::Convex(sides) => sides.depth(x, y),
            Self::Any(edges) => edges.depth(x, y),
        }
    }
}

impl Sided {
    fn new(edges: &[(Point, Point)]) -> Self {
        let eight = |some: &[(Point, Point)]| {
            let mut sides = Sides { far: [FAR; LANES], out: [[0.0; LANES]; 2] };
            for (k, (a, b)) in some.iter().enumerate() {
                let along = *b - *a;
                let out = -along.turn_90() / along.hypot();
                sides.far[k] = a.to_vec2().dot(out) as f32;
                (sides.out[0][k], sides.out[1][k]) = (out.x as f32, out.y as f32);
            }
            sides
        };
        Self(edges.chunks(LANES).map(eight).collect())
    }

    fn depth(&self, x: f32, y: f32) -> f32 {
        let mut least = [FAR; LANES];
        for sides in &self.0 {
            for (k, least) in least.iter_mut().enumerate() {
                let depth = sides.far[k] - x * sides.out[0][k] - y * sides.out[1][k];
                *least = if depth < *least { depth } else { *least };
            }
        }
        least.into_iter().fold(FAR, f32::min).max(0.0)
    }
}

impl Edged {
    fn new(edges: &[(Point, Point)]) -> Self {
        let eight = |some: &[(Point, Point)]| {
            let mut all = Edges {
                from: [[NOWHERE; LANES]; 2],
                along: [[0.0; LANES]; 2],
                scale: [0.0; LANES],
                end: [NOWHERE; LANES],
                slope: [0.0; LANES],
            };
            for (k, (a, b)) in some.iter().enumerate() {
                let along = *b - *a;
                (all.from[0][k], all.from[1][k]) = (a.x as f32, a.y as f32);
                (all.along[0][k], all.along[1][k]) = (along.x as f32, along.y as f32);
                all.scale[k] = (1.0 / along.hypot2()) as f32;
                all.end[k] = b.y as f32;
                all.slope[k] = if along.y.abs() > 1e-12 { (along.x / along.y) as f32 } else { 0.0 };
            }
            all
        };
        Self(edges.chunks(LANES).map(eight).collect())
    }

    /// Distance to the nearest edge and parity of the edges to the right, in one pass.
    fn depth(&self, x: f32, y: f32) -> f32 {
        let mut least = [FAR; LANES];
        let mut crossed = [0_u32; LANES];
        for e in &self.0 {
            for k in 0..LANES {
                let (dx, dy) = (e.from[0][k] - x, e.from[1][k] - y);
                let t = -(dx * e.along[0][k] + dy * e.along[1][k]) * e.scale[k];
                let t = if t < 0.0 { 0.0 } else { t };
                let t = if t > 1.0 { 1.0 } else { t };
                let (wx, wy) = (dx + e.along[0][k] * t, dy + e.along[1][k] * t);
                let squared = wx * wx + wy * wy;
                least[k] = if squared < least[k] { squared } else { least[k] };
                let spans = u32::from(e.from[1][k] > y) ^ u32::from(e.end[k] > y);
                crossed[k] ^= spans & u32::from(dx - dy * e.slope[k] > 0.0);
            }
        }
        let inside = crossed.into_iter().fold(0, |a, b| a ^ b) == 1;
        if inside { least.into_iter().fold(FAR, f32::min).sqrt() } else { 0.0 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fence::Fence;
    use crate::geometry::{Bounds, Vec2};
    use crate::nofit::NoFit;
    use proptest::prelude::*;

    proptest! {
        /// In a hurry it is the same as at leisure, for stars and for what is convex.
        #[test]
        fn quick_is_as_deep_as_exact(radii in prop::collection::vec(8.0..60.0_f64, 3..40), spiky in any::<bool>(), x in -70.0..70.0_f64, y in -70.0..70.0_f64) {
            let n = radii.len();
            let corner = |i: usize| (Vec2::from_angle(i as f64 / n as f64 * std::f64::consts::TAU) * if spiky { radii[i] } else { 40.0 }).to_point();
            let ring: Vec<Point> = (0..n).map(corner).collect();
            let fence = Fence::new(&NoFit { bounds: Bounds::of(ring.iter().copied()), rings: vec![ring] });
            let p = Point::new(x, y);
            let exact = if fence.may_hold(p) { fence.depth(p).map_or(0.0, |d| d.0) } else { 0.0 };
            prop_assert!((f64::from(fence.quick(p)) - exact).abs() < 1e-3, "{} for {exact}", fence.quick(p));
        }
    }
}

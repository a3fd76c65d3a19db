//! Points, lines, arcs and the chains made of them.

mod area;
mod clip;
mod containment;
mod curve;
mod ellipse;
mod fit;
pub mod ids;
mod intersect;
mod linear;
mod nurbs;
mod path;
mod polygon;
mod refit;
mod region;
mod segment;
mod shown;
#[cfg(test)]
mod tests;

pub use area::Corners;
pub use clip::Clip;
pub use containment::{Outlines, parents};
pub use curve::{Curve, subpaths};
pub use fit::{biarc, fit_curves};
pub use intersect::{Meeting, alongside, apart, meetings};
pub use kurbo::{Affine, Point, Vec2};
pub use linear::solved;
pub use nurbs::Nurbs;
pub use path::{Nearest, Path};
pub use polygon::{Polygon, Ring, hull, ring_area, ring_contains};
pub use region::{Region, Residue};
pub use segment::{Bounds, Segment};
pub use shown::{Filled, shown};

use serde::{Deserialize, Serialize};

/// How closely geometry is followed, in mm. Passed in everywhere; no algorithm holds a distance of its own.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tolerance {
    /// Greatest distance between a drawn curve and the lines and arcs that stand for it.
    pub curve: f64,
    /// Points nearer than this are one point; lines this near each other are the same line.
    pub same: f64,
    /// A line that runs within this of another is that line drawn twice.
    pub double: f64,
    /// Free ends up to this far apart are joined.
    pub gap: f64,
    /// Whatever is smaller than this in both directions is a speck.
    pub speck: f64,
    /// Greatest error of the polygons used for nesting; always on the safe side.
    pub nest: f64,
}

impl Default for Tolerance {
    fn default() -> Self {
        Self { curve: 0.02, same: 0.001, double: 0.01, gap: 0.05, speck: 0.4, nest: 0.1 }
    }
}

/// Largest coordinate, in mm, that any station accepts: 100 m. Beyond it a drawing is surely in the wrong unit.
pub const LARGEST_COORDINATE: f64 = 100_000.0;

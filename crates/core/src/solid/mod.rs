//! Solids: the flat faces of a mesh as parts, with numbers on the edges where they join and joints by choice.
//!
//! Triangles that share an edge and a plane make a face. Faces of one size and shape share a style, so that the drawing key
//! lists them with their number; edges where two faces join carry the same number on both. Curved walls fall into facets too
//! small to be parts; they are counted.

mod faces;
mod joints;
mod lay;
mod plate;
mod stitched;
#[cfg(test)]
mod tests;

pub use crate::decisions::{Joints, SolidChoices};
pub use joints::Pair;
pub use stitched::Stitched;

pub use crate::mesh::{P3, Solid};

use crate::drawing::{Drawing, FileUnits};
use crate::mesh::{cross, dot, sub, unit};

impl Solid {
    /// Triangles up to which joints can be chosen; what has more is no solid of plates.
    pub const MOST_CHOSEN: usize = 20_000;

    /// Width and height of its largest face as it is laid, in the file's units.
    pub fn largest(&self, choices: &SolidChoices) -> (f64, f64) {
        let of = |f: &faces::Face| f.paths().iter().map(crate::geometry::Path::bounds).reduce(crate::geometry::Bounds::union);
        self.faces(choices.apart).first().and_then(of).map_or((0.0, 0.0), |b| (b.width(), b.height()))
    }
    /// Draws its faces into a drawing, in the file's units; one of them is `mm` long. Holes and what edges are shortened by are
    /// in mm.
    pub fn draw(&self, choices: &SolidChoices, mm: f64, drawing: &mut Drawing) {
        lay::lay_out(self, choices, mm, drawing);
    }
    /// The same as a drawing of its own, under the name and in the unit of the one that it was read into.
    pub fn drawn(&self, choices: &SolidChoices, mm: f64, read: &Drawing) -> Drawing {
        let mut drawing = Drawing { leans: read.leans, ..Drawing::new(&read.file, FileUnits::Unsaid) };
        self.draw(choices, mm, &mut drawing);
        drawing
    }
    /// Which edges join, by the numbers on them.
    pub fn pairs(&self, choices: &SolidChoices, mm: f64) -> Vec<Pair> {
        joints::pairs(self, choices, mm)
    }
}

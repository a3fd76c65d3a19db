//! Solids: the flat faces of a mesh as parts, with numbers on the edges where they join and joints by choice.
//!
//! Triangles that share an edge and a plane make a face. Faces of one size and shape share a style, so that the drawing key
//! lists them with their number; edges where two faces join carry the same number on both. Curved walls fall into facets too
//! small to be parts; they are counted.

mod faces;
mod joints;
mod lay;
#[cfg(test)]
mod tests;

pub use crate::decisions::{Joints, SolidChoices};
pub use joints::Pair;

use crate::drawing::{Drawing, FileUnits};
use serde::{Deserialize, Serialize};

/// A point in space.
pub type P3 = [f64; 3];

fn sub(a: P3, b: P3) -> P3 {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}
fn cross(a: P3, b: P3) -> P3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
fn dot(a: P3, b: P3) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
fn unit(a: P3) -> Option<P3> {
    let n = dot(a, a).sqrt();
    (n > 1e-12).then(|| [a[0] / n, a[1] / n, a[2] / n])
}

/// A mesh of triangles, its corners shared, in the file's units.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Solid {
    /// Corners.
    pub vertices: Vec<P3>,
    /// Triangles, anticlockwise seen from outside.
    pub triangles: Vec<[usize; 3]>,
}

impl Solid {
    /// Triangles up to which joints can be chosen; what has more is no solid of plates.
    pub const MOST_CHOSEN: usize = 20_000;

    fn normal(&self, t: [usize; 3]) -> Option<P3> {
        let [a, b, c] = t.map(|v| self.vertices[v]);
        unit(cross(sub(b, a), sub(c, a)))
    }
    /// True where three corners are no line.
    pub fn has_area(&self, t: [usize; 3]) -> bool {
        self.normal(t).is_some()
    }
    /// Its size along x, y and z, in the file's units.
    pub fn size(&self) -> P3 {
        let mut all = [(f64::INFINITY, f64::NEG_INFINITY); 3];
        for v in &self.vertices {
            all.iter_mut().zip(v).for_each(|(range, v)| *range = (range.0.min(*v), range.1.max(*v)));
        }
        all.map(|(low, high)| (high - low).max(0.0))
    }
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

//! A mesh of triangles as a file holds it.

use serde::{Deserialize, Serialize};

/// A point in space.
pub type P3 = [f64; 3];

pub(crate) fn sub(a: P3, b: P3) -> P3 {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}
pub(crate) fn cross(a: P3, b: P3) -> P3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
pub(crate) fn dot(a: P3, b: P3) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
pub(crate) fn unit(a: P3) -> Option<P3> {
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
    /// Where a triangle looks; `None` where its corners are on a line.
    pub(crate) fn normal(&self, t: [usize; 3]) -> Option<P3> {
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
}

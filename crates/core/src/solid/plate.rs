//! A solid that is one flat plate: two faces alike, and its rim square between them. One of them is the part.

use super::faces::Face;
use super::{Solid, dot, sub};

/// The two faces are of one area, and what else there is is square to them, within this share.
const ALIKE: f64 = 1e-3;
/// A plate is no thicker than this share of the root of its area: what is thicker may be a box.
const THIN: f64 = 0.2;
/// Cosine of the angle at which faces look against each other.
const AGAINST: f64 = 0.9999;

impl Solid {
    /// How thick it is, in the file's units, where it is a flat plate.
    pub fn plate(&self) -> Option<f64> {
        plate(self, &self.faces(false))
    }
}

/// How thick a plate of these faces is, the largest first; `None` where it is none.
pub(super) fn plate(solid: &Solid, faces: &[Face]) -> Option<f64> {
    let [top, bottom, rest @ ..] = faces else { return None };
    let against = dot(top.normal, bottom.normal) < -AGAINST;
    let alike = (top.area - bottom.area).abs() <= ALIKE * top.area;
    let square: f64 = rest.iter().filter(|f| dot(f.normal, top.normal).abs() < 1.0 - AGAINST.powi(2)).map(|f| f.area).sum();
    let others: f64 = rest.iter().map(|f| f.area).sum();
    let (a, b) = (top.loops.first()?.first()?, bottom.loops.first()?.first()?);
    let thick = dot(sub(solid.vertices[*a], solid.vertices[*b]), top.normal).abs();
    // Its rim is as large as it is long and thick.
    let rim: f64 =
        top.loops.iter().map(|ring| (0..ring.len()).map(|k| solid.length((ring[k], ring[(k + 1) % ring.len()]))).sum::<f64>()).sum();
    let whole = (rim * thick - others).abs() <= 0.01 * others.max(1e-12);
    (against && alike && whole && square >= (1.0 - ALIKE) * others && thick > 0.0 && thick <= THIN * top.area.sqrt()).then_some(thick)
}

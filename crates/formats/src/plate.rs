//! A name plate from its figures: its letters on one layer, its backing beside them on another.

use crate::ReadError;
use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Shape, Style, Unit};
use boustrophe_core::geometry::{Affine, Curve, Path};
use boustrophe_core::plate::{LAYERS, NamePlate};

/// Between the letters and the backing, mm.
const APART: f64 = 10.0;
/// The longest file of figures, bytes.
const LONGEST: usize = 20_000;

/// Reads a name plate's figures and draws it.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |what: String| ReadError::Broken { file: file.into(), line: 1, what };
    let text = std::str::from_utf8(&bytes[..bytes.len().min(LONGEST)])
        .map_err(|_| broken("these are no figures of a name plate: it is no text.".into()))?;
    let drawn = NamePlate::from_text(text)
        .and_then(|p| p.drawn())
        .map_err(|what| broken(format!("the figures of the name plate will not do: {what}.")))?;
    let mut drawing = Drawing::new(file, FileUnits::Known(Unit::Mm));
    let [top, backing] = LAYERS.map(|layer| drawing.style(&Style { layer: layer.into(), stroke: Some([0; 3]), ..Style::default() }));
    let below = Affine::translate((0.0, -(drawn.backing.bounds().height() + APART)));
    for path in &drawn.top {
        push(&mut drawing, top, path);
    }
    for path in std::iter::once(&drawn.backing).chain(&drawn.hole) {
        push(&mut drawing, backing, &path.transformed(below));
    }
    drawing.read = 2;
    Ok(drawing)
}

fn push(drawing: &mut Drawing, style: usize, path: &Path) {
    let curves = path.segments.iter().map(Curve::segment).collect();
    drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: path.closed }));
}

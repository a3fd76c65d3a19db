//! A box from its figures: its panels side by side, each on a layer that is called by its place, joints' numbers written on them.

use crate::ReadError;
use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Nature, Shape, Style, Unit};
use boustrophe_core::geometry::{Affine, Curve, Path, Vec2};
use boustrophe_core::lettering;
use boustrophe_core::panels::BoxSpec;

/// Between panels, mm.
const APART: f64 = 12.0;
/// The longest file of figures, bytes.
const LONGEST: usize = 20_000;

/// Reads a box's figures and draws its panels.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |what: String| ReadError::Broken { file: file.into(), line: 1, what };
    let text = std::str::from_utf8(&bytes[..bytes.len().min(LONGEST)])
        .map_err(|_| broken("these are no figures of a box: it is no text.".into()))?;
    let spec = BoxSpec::from_text(text).map_err(|what| broken(format!("the figures of the box will not do: {what}.")))?;
    let panels = spec.panels().map_err(|what| broken(format!("the figures of the box will not do: {what}.")))?;
    let mut drawing = Drawing::new(file, FileUnits::Known(Unit::Mm));
    let wide = panels.iter().map(|p| p.outline.bounds().width()).fold(0.0, f64::max) * 2.0 + APART;
    let (mut x, mut y, mut row) = (0.0, 0.0, 0.0_f64);
    for panel in &panels {
        let b = panel.outline.bounds();
        if x > 0.0 && x + b.width() > wide {
            (x, y, row) = (0.0, y + row + APART, 0.0);
        }
        let home = Affine::translate(Vec2::new(x, y) - b.min.to_vec2());
        let style = drawing.style(&Style { layer: panel.name.clone(), stroke: Some([0; 3]), ..Style::default() });
        for path in std::iter::once(&panel.outline).chain(&panel.holes) {
            push(&mut drawing, style, &path.transformed(home));
        }
        let numbers = drawing.style(&Style {
            layer: "joint numbers".into(),
            stroke: Some([0; 3]),
            nature: Nature::Writing,
            added: true,
            ..Style::default()
        });
        for (text, height, middle) in &panel.numbers {
            let line = lettering::strokes(text, *height);
            let place = home * Affine::translate(middle.to_vec2() - Vec2::new(line.width, *height) / 2.0);
            line.paths.iter().for_each(|p| push(&mut drawing, numbers, &p.transformed(place)));
        }
        drawing.read += 1;
        x += b.width() + APART;
        row = row.max(b.height());
    }
    Ok(drawing)
}

fn push(drawing: &mut Drawing, style: usize, path: &Path) {
    let curves = path.segments.iter().map(Curve::segment).collect();
    drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: path.closed }));
}

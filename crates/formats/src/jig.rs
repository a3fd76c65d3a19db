//! A jig from the figures of a tray: a plate with a pocket for every blank, cut from whatever is at hand.

use crate::ReadError;
use boustrophe_core::decisions::{Tray, checked_tray};
use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Nature, Shape, Style, Unit};
use boustrophe_core::geometry::{Affine, Corners, Curve, Path, Vec2};
use boustrophe_core::lettering;

/// What files of a jig's figures end in.
pub const ENDING: &str = ".jig";
/// The longest file of figures, bytes: a blank's outline may have many corners.
const LONGEST: usize = 4 << 20;
/// Height of what is written on it, mm.
const LETTERS: f64 = 4.0;

/// The figures of a jig as a file.
pub fn to_text(tray: &Tray) -> String {
    serde_json::to_string(tray).unwrap_or_default()
}

/// Reads a tray's figures and draws the plate with its pockets; its lower left corner is at 0, 0.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |what: String| ReadError::Broken { file: file.into(), line: 1, what };
    let tray: Tray =
        serde_json::from_slice(&bytes[..bytes.len().min(LONGEST)]).map_err(|e| broken(format!("these are no figures of a jig: {e}.")))?;
    checked_tray(&tray).map_err(|e| broken(format!("the figures of the jig will not do: {e}.")))?;
    let mut drawing = Drawing::new(file, FileUnits::Known(Unit::Mm));
    let style = drawing.style(&Style { layer: "jig".into(), stroke: Some([0; 3]), ..Style::default() });
    let (w, h) = tray.size();
    push(&mut drawing, style, &Path::rectangle(0.0, 0.0, w, h));
    // A pocket is the blank's edge with room round it; what is open in a blank needs no pocket.
    let pockets: Vec<Path> = tray.outline.first().map_or_else(Vec::new, |edge| {
        let edge = if edge.area() < 0.0 { edge.reversed() } else { edge.clone() };
        if tray.play > 0.0 { edge.grown(tray.play, Corners::Mitre) } else { vec![edge] }
    });
    for k in 0..tray.count() {
        pockets.iter().for_each(|p| push(&mut drawing, style, &p.transformed(tray.place(k))));
    }
    let letters = Style { layer: "jig".into(), stroke: Some([0; 3]), nature: Nature::Writing, added: true, ..Style::default() };
    let letters = drawing.style(&letters);
    let height = LETTERS.min(tray.border * 0.6);
    let line = lettering::strokes(&format!("{} {} x {}", tray.name, tray.columns, tray.rows), height);
    if height >= 1.5 && line.width < w - 2.0 * tray.border {
        let place = Affine::translate(Vec2::new(tray.border, (tray.border - tray.play - height) / 2.0));
        line.paths.iter().for_each(|p| push(&mut drawing, letters, &p.transformed(place)));
    }
    drawing.read = 1 + tray.count();
    Ok(drawing)
}

fn push(drawing: &mut Drawing, style: usize, path: &Path) {
    let curves = path.segments.iter().map(Curve::segment).collect();
    drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: path.closed }));
}

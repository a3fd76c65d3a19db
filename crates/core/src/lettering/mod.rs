//! Lines of writing as outlines or as single strokes.
//!
//! The outline face is Commissioner (SIL Open Font License, see `fonts/LICENSE`), a static instance at weight 500; the
//! stroke face is ours: letters of lines and quarter circles on a grid, for scores, scales and part numbers.

mod outline;
mod stroke;

pub use outline::FONT;

use crate::geometry::{Affine, Path, Vec2};
use serde::{Deserialize, Serialize};

/// Which letters.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Face {
    /// Areas, for engraving or cutting.
    Outline,
    /// Lines, for scoring.
    #[default]
    Stroke,
}

/// A line of writing, its base line along x from 0, 0.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Line {
    /// The letters, in mm.
    pub paths: Vec<Path>,
    /// Advance of all letters, mm.
    pub width: f64,
}

/// `text` with capitals `height` mm high. Letters that the face lacks become boxes.
pub fn line(text: &str, height: f64, face: Face) -> Line {
    match face {
        Face::Outline => outline::line(text, height),
        Face::Stroke => strokes(text, height),
    }
}

/// `text` in single strokes, capitals `height` mm high.
pub fn strokes(text: &str, height: f64) -> Line {
    let size = height / stroke::CAPITAL;
    let mut line = Line::default();
    for c in text.chars() {
        let (paths, width) = stroke::letter(c);
        let place = Affine::translate(Vec2::new(line.width, 0.0)) * Affine::scale(size);
        line.paths.extend(paths.iter().map(|p| p.transformed(place)));
        line.width += width * size;
    }
    // No room behind the last letter.
    line.width = (line.width - stroke::BETWEEN * size).max(0.0);
    line
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Bounds;

    fn bounds(line: &Line) -> Bounds {
        line.paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()))
    }

    #[test]
    fn letters_have_the_height_asked_for() {
        for face in [Face::Outline, Face::Stroke] {
            let b = bounds(&line("HIVE", 10.0, face));
            assert!((b.height() - 10.0).abs() < 0.15 && b.min.y.abs() < 0.1, "{face:?} {b:?}");
            let twice = line("HIVEHIVE", 10.0, face).width;
            assert!(twice > 1.9 * line("HIVE", 10.0, face).width);
        }
    }

    #[test]
    fn outlines_enclose_and_strokes_do_not() {
        let o = line("O", 10.0, Face::Outline);
        assert_eq!(o.paths.len(), 2, "an outline and its opening");
        assert!(o.paths.iter().all(|p| p.closed) && o.paths[0].area() * o.paths[1].area() < 0.0, "wound against each other");
        assert!(line("L", 10.0, Face::Stroke).paths.iter().all(|p| !p.closed));
        assert!(!line("Ω中", 10.0, Face::Stroke).paths.is_empty(), "a box for what is missing");
        assert!(line("", 5.0, Face::Outline).paths.is_empty());
    }

    #[test]
    fn every_stroke_letter_is_whole() {
        for c in ('!'..='~').chain(['°', '×']) {
            let (paths, width) = stroke::letter(c);
            assert!(!paths.is_empty() && width > 0.0, "{c}");
            for p in paths {
                assert!(p.segments.iter().all(|s| s.length() > 0.0), "{c}: {p:?}");
                let b = p.bounds();
                assert!(b.min.x > -1.5 && b.max.x < 11.0 && b.min.y > -4.0 && b.max.y < 12.0, "{c}: {b:?}");
            }
        }
    }
}

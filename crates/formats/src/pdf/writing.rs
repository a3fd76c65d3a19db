//! Where a line of a PDF's writing ends: runs of letters are cut where they jump, and joined where one goes on behind the other.

use super::Collector;
use boustrophe_core::drawing::{Entity, Shape, Text};
use boustrophe_core::geometry::Affine;

/// A letter that begins further than this behind the last one, in thousandths of the font's size, begins another line of
/// writing.
pub(super) const JUMP: f64 = 2000.0;
/// What is shown anew this near behind the last letter goes on with its line: writers show ligatures and words by themselves.
const GOES_ON: f64 = 1500.0;

/// What a letter takes at most in common faces, in thousandths of the font's size: behind that another word begins.
pub(super) fn widest(letter: Option<char>) -> f64 {
    match letter {
        Some(' ') | None => f64::INFINITY,
        Some(c) if c.is_ascii_digit() || c.is_lowercase() && !matches!(c, 'm' | 'w') => 900.0,
        Some(_) => 1180.0,
    }
}

/// Half a space between words and a little, in thousandths of the font's size.
const HALF_A_SPACE: f64 = 180.0;

/// What a letter takes in common faces, in thousandths of the font's size.
fn usual(letter: char) -> f64 {
    match letter {
        ' ' => f64::INFINITY,
        'i' | 'j' | 'l' | 'f' | 't' | 'I' | '.' | ',' | ':' | ';' | '\'' | '|' | '!' | '(' | ')' | '[' | ']' | '/' => 300.0,
        'm' | 'w' | 'M' | 'W' | '@' | '%' => 880.0,
        c if c.is_uppercase() => 700.0,
        _ => 570.0,
    }
}

impl Collector {
    /// Adds a piece of writing to the line before it where it stands right behind it and is as large.
    pub(super) fn goes_on(&mut self, place: Affine, text: &Text) -> bool {
        let Some((of, end)) = self.written.filter(|_| place.determinant() != 0.0) else { return false };
        let step = place.inverse() * end;
        let Some(Entity { shape: Shape::Text(line), .. }) = self.drawing.entities.get_mut(of) else { return false };
        let alike = (line.height / text.height - 1.0).abs() < 0.01 && (line.angle - text.angle).abs() < 1e-3;
        let behind = (-GOES_ON..-1.0).contains(&step.x) && step.y.abs() < JUMP / 40.0;
        if !alike || !behind {
            return false;
        }
        if line.value.chars().last().is_some_and(|c| step.x < -usual(c) - HALF_A_SPACE) {
            line.value.push(' ');
        }
        line.value.push_str(&text.value);
        true
    }
}

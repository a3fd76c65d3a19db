//! Letters as areas, from the shipped font.

use super::Line;
use crate::geometry::{Affine, Curve, Path, Point, Vec2};
use kurbo::CubicBez;
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use ttf_parser::{Face, GlyphId, OutlineBuilder};
use unicode_normalization::UnicodeNormalization;

/// The outline face as a TrueType font.
pub static FONT: &[u8] = include_bytes!("../../fonts/commissioner-medium.ttf");
/// Letters are followed within this share of their height, but no closer and no further than this, mm.
const CLOSENESS: (f64, f64, f64) = (0.002, 0.002, 0.02);
/// Room for a letter that the face lacks, in heights of capitals.
const ABSENT: f64 = 0.7;
/// Letters that are kept; with more of them they are worked out anew.
const MOST_KEPT: usize = 4096;

/// A letter with capitals 1 high: its outlines, and how far on the next one stands.
struct Letter {
    outlines: Vec<Path>,
    width: f64,
}

/// Letters as they were worked out, by glyph and by how closely they are followed: fitting arcs to one takes far longer than
/// setting it.
type Known = HashMap<(u16, u64), Arc<Letter>>;

static FACE: LazyLock<Option<Face<'static>>> = LazyLock::new(|| Face::parse(FONT, 0).ok());
static KNOWN: LazyLock<Mutex<Known>> = LazyLock::new(Mutex::default);

/// True for a letter that the face has.
pub(super) fn has(c: char) -> bool {
    FACE.as_ref().is_some_and(|f| f.glyph_index(c).is_some())
}

pub(super) fn line(text: &str, height: f64) -> Line {
    let Some(face) = FACE.as_ref() else { return Line::default() };
    let (share, least, most) = CLOSENESS;
    // The same share for most heights, so that a letter is the same at each of them.
    let close = if (least..=most).contains(&(share * height)) { share } else { (share * height).clamp(least, most) / height };
    let mut line = Line::default();
    for c in text.nfc() {
        // Where a face has no such blank it has another.
        let glyph = face.glyph_index(c).or_else(|| face.glyph_index(' ').filter(|_| c.is_whitespace()));
        let Some(glyph) = glyph else {
            line.missing.push(c);
            line.width += ABSENT * height;
            continue;
        };
        let letter = letter(face, glyph, close);
        let place = Affine::translate(Vec2::new(line.width, 0.0)) * Affine::scale(height);
        line.paths.extend(letter.outlines.iter().map(|p| p.transformed(place)));
        line.width += letter.width * height;
    }
    line
}

fn letter(face: &Face, glyph: GlyphId, close: f64) -> Arc<Letter> {
    let key = (glyph.0, close.to_bits());
    let known = || KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(letter) = known().get(&key) {
        return Arc::clone(letter);
    }
    let capital = f64::from(face.capital_height().unwrap_or(700));
    let unit = Affine::scale(1.0 / capital);
    let mut pen = Pen::default();
    face.outline_glyph(glyph, &mut pen);
    let placed = pen.done.iter().map(|curves| curves.iter().map(|c| c.transformed(unit)).collect::<Vec<Curve>>());
    let outlines = placed.map(|curves| Path::fitted(&curves, true, close)).collect();
    let width = f64::from(face.glyph_hor_advance(glyph).unwrap_or(500)) / capital;
    let letter = Arc::new(Letter { outlines, width });
    let mut known = known();
    if known.len() >= MOST_KEPT {
        known.clear();
    }
    known.insert(key, Arc::clone(&letter));
    letter
}

#[derive(Default)]
struct Pen {
    done: Vec<Vec<Curve>>,
    curves: Vec<Curve>,
    start: Point,
    at: Point,
}

fn p(x: f32, y: f32) -> Point {
    Point::new(f64::from(x), f64::from(y))
}

impl OutlineBuilder for Pen {
    fn move_to(&mut self, x: f32, y: f32) {
        self.start = p(x, y);
        self.at = self.start;
    }
    fn line_to(&mut self, x: f32, y: f32) {
        if self.at != p(x, y) {
            self.curves.push(Curve::Line(self.at, p(x, y)));
        }
        self.at = p(x, y);
    }
    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        self.curves.push(Curve::quadratic(self.at, p(x1, y1), p(x, y)));
        self.at = p(x, y);
    }
    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        self.curves.push(Curve::Cubic(CubicBez::new(self.at, p(x1, y1), p(x2, y2), p(x, y))));
        self.at = p(x, y);
    }
    fn close(&mut self) {
        if self.at != self.start {
            self.curves.push(Curve::Line(self.at, self.start));
        }
        if !self.curves.is_empty() {
            self.done.push(std::mem::take(&mut self.curves));
        }
    }
}

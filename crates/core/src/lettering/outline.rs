//! Letters as areas, from the shipped font.

use super::Line;
use crate::geometry::{Affine, Curve, Path, Point, Vec2};
use kurbo::CubicBez;
use ttf_parser::{Face, GlyphId, OutlineBuilder};

/// The outline face as a TrueType font.
pub static FONT: &[u8] = include_bytes!("../../fonts/commissioner-medium.ttf");
/// Letters are followed within this share of their height.
const CLOSENESS: f64 = 0.002;

pub(super) fn line(text: &str, height: f64) -> Line {
    let Ok(face) = Face::parse(FONT, 0) else { return Line::default() };
    let capital = f64::from(face.capital_height().unwrap_or(700));
    let size = height / capital;
    let mut line = Line::default();
    for c in text.chars() {
        let glyph = face.glyph_index(c).unwrap_or(GlyphId(0));
        let place = Affine::translate(Vec2::new(line.width, 0.0)) * Affine::scale(size);
        let mut pen = Pen::default();
        face.outline_glyph(glyph, &mut pen);
        for curves in pen.done {
            let placed: Vec<Curve> = curves.iter().map(|c| c.transformed(place)).collect();
            line.paths.push(Path::fitted(&placed, true, (CLOSENESS * height).clamp(0.002, 0.02)));
        }
        line.width += f64::from(face.glyph_hor_advance(glyph).unwrap_or(500)) * size;
    }
    line
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

//! Letters as areas, from a face's outlines, set with the face's own kerning and joined letters.

use super::{Letter, Line, own};
use crate::geometry::{Affine, Curve, Path, Point, Vec2};
use kurbo::CubicBez;
use rustybuzz::{Face, UnicodeBuffer};
use std::collections::HashMap;
use std::ops::Range;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use ttf_parser::{GlyphId, OutlineBuilder};
use unicode_normalization::UnicodeNormalization;

/// The plain face as a TrueType font.
pub static FONT: &[u8] = include_bytes!("../../fonts/sans.ttf");
static CONDENSED: &[u8] = include_bytes!("../../fonts/condensed.ttf");
static SERIF: &[u8] = include_bytes!("../../fonts/serif.ttf");
static STENCIL: &[u8] = include_bytes!("../../fonts/stencil.ttf");
static SCRIPT: &[u8] = include_bytes!("../../fonts/script.ttf");

/// Letters are followed within this share of their height, but no closer and no further than this, mm.
const CLOSENESS: (f64, f64, f64) = (0.002, 0.002, 0.02);
/// Room for a letter that the face lacks, in heights of capitals.
const ABSENT: f64 = 0.7;
/// Letters that are kept; with more of them they are worked out anew.
const MOST_KEPT: usize = 8192;

/// Letters as they were worked out with capitals 1 high, by face, glyph and how closely they are followed: fitting arcs to one takes
/// far longer than setting it.
type Known = HashMap<(super::Face, u16, u64), Arc<Vec<Path>>>;

static FACES: LazyLock<[Option<Face<'static>>; 5]> =
    LazyLock::new(|| [FONT, CONDENSED, SERIF, STENCIL, SCRIPT].map(|bytes| Face::from_slice(bytes, 0)));
static KNOWN: LazyLock<Mutex<Known>> = LazyLock::new(Mutex::default);

/// Does something with a face; `None` where there is none: strokes, and a face that is gone.
fn with<T>(face: super::Face, of: impl FnOnce(&Face) -> T) -> Option<T> {
    let at = match face {
        super::Face::Outline => 0,
        super::Face::Condensed => 1,
        super::Face::Serif => 2,
        super::Face::Stencil => 3,
        super::Face::Script => 4,
        super::Face::Stroke => return None,
        super::Face::Own(face) => return Some(of(&Face::from_slice(own::bytes(face)?, 0)?)),
    };
    FACES[at].as_ref().map(of)
}

/// True for a letter that the face has.
pub(super) fn has(c: char, face: super::Face) -> bool {
    with(face, |f| f.glyph_index(c).is_some()) == Some(true)
}

pub(super) fn line(text: &str, height: f64, face: super::Face) -> Line {
    let set = with(face, |f| Setter { face, font: f, height, line: Line::default() }.set(text));
    // A face that is gone has none of the letters.
    set.unwrap_or_else(|| Line { missing: text.nfc().filter(|c| !c.is_whitespace()).collect(), ..Line::default() })
}

struct Setter<'a, 'b> {
    face: super::Face,
    font: &'a Face<'b>,
    height: f64,
    line: Line,
}

impl Setter<'_, '_> {
    fn set(mut self, text: &str) -> Line {
        let mut run = String::new();
        for c in text.nfc() {
            // Where a face has no such blank it has another.
            let there = self.font.glyph_index(c).is_some();
            if there || c.is_whitespace() {
                run.push(if there { c } else { ' ' });
                continue;
            }
            self.shape(&std::mem::take(&mut run));
            self.line.missing.push(c);
            self.line.width += ABSENT * self.height;
        }
        self.shape(&run);
        self.line
    }

    /// Height of capitals, in the face's units.
    fn capital(&self) -> f64 {
        let said = self.font.capital_height().filter(|h| *h > 0);
        let drawn = || self.font.glyph_index('H').and_then(|g| self.font.glyph_bounding_box(g)).map(|b| b.y_max).filter(|h| *h > 0);
        f64::from(said.or_else(drawn).unwrap_or(700))
    }

    /// Sets letters that the face has, behind what is there.
    fn shape(&mut self, run: &str) {
        if run.is_empty() {
            return;
        }
        let mut buffer = UnicodeBuffer::new();
        buffer.push_str(run);
        buffer.guess_segment_properties();
        let shaped = rustybuzz::shape(self.font, &[], buffer);
        let unit = self.height / self.capital();
        // What belongs to one letter, its marks among it, stands together.
        let mut open: Option<(u32, Range<usize>, f64)> = None;
        for (info, at) in shaped.glyph_infos().iter().zip(shaped.glyph_positions()) {
            let place = Vec2::new(self.line.width + f64::from(at.x_offset) * unit, f64::from(at.y_offset) * unit);
            let outlines = self.letter(GlyphId(u16::try_from(info.glyph_id).unwrap_or(0)));
            let first = self.line.paths.len();
            let home = Affine::translate(place) * Affine::scale(self.height);
            self.line.paths.extend(outlines.iter().map(|p| p.transformed(home)));
            let last = self.line.paths.len();
            match &mut open {
                Some((cluster, paths, _)) if *cluster == info.cluster => paths.end = last,
                _ => {
                    self.close(open.take());
                    open = Some((info.cluster, first..last, self.line.width));
                }
            }
            self.line.width += f64::from(at.x_advance) * unit;
        }
        self.close(open);
    }

    fn close(&mut self, open: Option<(u32, Range<usize>, f64)>) {
        if let Some((_, paths, at)) = open {
            self.line.letters.push(Letter { paths, at, width: self.line.width - at });
        }
    }

    fn letter(&self, glyph: GlyphId) -> Arc<Vec<Path>> {
        let (share, least, most) = CLOSENESS;
        // The same share for most heights, so that a letter is the same at each of them.
        let within = (least..=most).contains(&(share * self.height));
        let close = if within { share } else { (share * self.height).clamp(least, most) / self.height };
        let key = (self.face, glyph.0, close.to_bits());
        let known = || KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(letter) = known().get(&key) {
            return Arc::clone(letter);
        }
        let unit = Affine::scale(1.0 / self.capital());
        let mut pen = Pen::default();
        self.font.outline_glyph(glyph, &mut pen);
        let placed = pen.done.iter().map(|curves| curves.iter().map(|c| c.transformed(unit)).collect::<Vec<Curve>>());
        let letter = Arc::new(placed.map(|curves| Path::fitted(&curves, true, close)).collect());
        let mut known = known();
        if known.len() >= MOST_KEPT {
            known.clear();
        }
        known.insert(key, Arc::clone(&letter));
        letter
    }
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

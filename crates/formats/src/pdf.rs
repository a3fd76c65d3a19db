//! PDF: lines and areas of all pages, side by side; writing stays readable as reference; pictures are counted.

use crate::{MOST_ENTITIES, ReadError};
use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Shape, Style, Text};
use boustrophe_core::geometry::{Affine, Bounds, Curve, Point, Vec2};
use boustrophe_core::lettering;
use hayro_interpret::font::GlyphRun;
use hayro_interpret::{
    BlendMode, ClipPath, Context, Device, DrawMode, DrawProps, FillRule, Image, ImageDrawProps, InterpreterCache, InterpreterSettings,
    Paint, SoftMask, interpret_page,
};
use hayro_syntax::Pdf;
use hayro_syntax::object::{Dict, String as PdfString};
use kurbo::{BezPath, PathEl, Rect, Shape as _};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

/// Points in an inch: the unit of PDF.
const POINTS: f64 = 72.0;
/// Pages read at most.
const MOST_PAGES: usize = 200;
/// Room between pages, points.
const APART: f64 = 40.0;
/// Height of capitals as a share of the font's size.
const CAPITALS: f64 = 0.7;

/// Reads a PDF. Pages lie side by side from the left; each is noted in [`Drawing::pages`].
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |what: &str| ReadError::Broken { file: file.into(), line: 1, what: what.into() };
    // The library is not ours: should it panic on damage, that is damage too.
    let damaged = || broken("the PDF is damaged or protected and cannot be followed. Save it again, or print it into a new PDF.");
    let pdf = catch_unwind(AssertUnwindSafe(|| Pdf::new(bytes.to_vec()))).map_err(|_| damaged())?.map_err(|_| damaged())?;
    let mut collector = Collector::new(file);
    let mut x = 0.0;
    for (i, page) in pdf.pages().iter().enumerate().take(MOST_PAGES) {
        let (w, h) = page.render_dimensions();
        let (w, h) = (f64::from(w), f64::from(h));
        collector.begin(i + 1, x, w, h);
        let cache = InterpreterCache::new();
        let page_box = Rect::new(0.0, 0.0, w, h);
        let place = Affine::translate(Vec2::new(x, 0.0)) * affine(page.initial_transform(false));
        let read = catch_unwind(AssertUnwindSafe(|| {
            let mut context = Context::new(place, page_box + Vec2::new(x, 0.0), &cache, pdf.xref(), settings());
            interpret_page(page, &mut context, &mut collector);
        }));
        if read.is_err() {
            collector.drawing.refuse("page", format!("page {} is damaged and was left after what could be read of it.", i + 1));
        }
        collector.end();
        x += w + APART;
    }
    if collector.over {
        return Err(ReadError::TooMany { file: file.into() });
    }
    if collector.drawing.pages.is_empty() {
        return Err(damaged());
    }
    Ok(collector.drawing)
}

/// Writing is kept as text, so one face does for all that a file does not bring itself.
fn settings() -> InterpreterSettings {
    InterpreterSettings { font_resolver: Arc::new(|_| Some((Arc::new(lettering::FONT), 0))), ..InterpreterSettings::default() }
}

fn affine(t: hayro_syntax::transform::Transform) -> Affine {
    Affine::new(t.as_coeffs())
}

struct Collector {
    drawing: Drawing,
    page: String,
    /// Names of the optional content that is open; empty ones are other marked content.
    layers: Vec<String>,
    clips: Vec<Rect>,
    over: bool,
}

impl Collector {
    fn new(file: &str) -> Self {
        let drawing = Drawing::new(file, FileUnits::Scale(25.4 / POINTS));
        Self { drawing, page: String::new(), layers: Vec::new(), clips: Vec::new(), over: false }
    }

    fn begin(&mut self, number: usize, x: f64, w: f64, h: f64) {
        self.page = format!("page {number}");
        self.clips = vec![Rect::new(x, 0.0, x + w, h)];
        self.drawing.pages.push(Bounds { min: Point::new(x, 0.0), max: Point::new(x + w, h) });
    }

    fn end(&mut self) {
        self.layers.clear();
        self.clips.clear();
    }

    fn layer(&self) -> String {
        self.layers.iter().rev().find(|l| !l.is_empty()).unwrap_or(&self.page).clone()
    }

    /// True when nothing of the box is left by the clips.
    fn clipped(&self, b: Rect) -> bool {
        self.clips.iter().any(|c| b.x1 < c.x0 || b.x0 > c.x1 || b.y1 < c.y0 || b.y0 > c.y1)
    }
}

fn colour(paint: &Paint) -> Option<[u8; 3]> {
    match paint {
        Paint::Color(c) => {
            let [r, g, b, a] = c.to_rgba().to_rgba8();
            (a > 0).then_some([r, g, b])
        }
        Paint::Pattern(_) => Some([128, 128, 128]),
    }
}

/// The subpaths of a path as curves, each with whether it was closed.
fn curves(path: &BezPath) -> Vec<(Vec<Curve>, bool)> {
    let mut out: Vec<(Vec<Curve>, bool)> = Vec::new();
    let (mut start, mut at) = (Point::ZERO, Point::ZERO);
    let mut current: Vec<Curve> = Vec::new();
    let mut lift = |current: &mut Vec<Curve>, closed: bool| {
        if !current.is_empty() {
            out.push((std::mem::take(current), closed));
        }
    };
    for element in path.elements() {
        match *element {
            PathEl::MoveTo(p) => {
                lift(&mut current, false);
                (start, at) = (p, p);
            }
            PathEl::LineTo(p) => {
                if p != at {
                    current.push(Curve::Line(at, p));
                }
                at = p;
            }
            PathEl::QuadTo(a, p) => {
                current.push(Curve::quadratic(at, a, p));
                at = p;
            }
            PathEl::CurveTo(a, b, p) => {
                current.push(Curve::Cubic(kurbo::CubicBez::new(at, a, b, p)));
                at = p;
            }
            PathEl::ClosePath => {
                if at != start {
                    current.push(Curve::Line(at, start));
                }
                lift(&mut current, true);
                at = start;
            }
        }
    }
    lift(&mut current, false);
    out
}

impl<'a> Device<'a> for Collector {
    fn draw_path(&mut self, path: &BezPath, props: DrawProps<'a>, mode: &DrawMode) {
        if self.drawing.entities.len() > MOST_ENTITIES {
            self.over = true;
            return;
        }
        let placed = props.transform * path;
        let b = placed.bounding_box();
        if ![b.x0, b.y0, b.x1, b.y1].iter().all(|v| v.is_finite() && v.abs() <= Drawing::LARGEST_NUMBER) {
            return self.drawing.refuse("path", format!("a path on {} has coordinates that are no place on a drawing.", self.page));
        }
        if self.clipped(b) {
            return self.drawing.skip("path outside its clip");
        }
        let paint = colour(&props.paint);
        let (fill, stroke, props_of_stroke, rule) = match mode {
            DrawMode::Fill(rule) => (paint, None, None, Some(*rule)),
            DrawMode::Stroke(s) => (None, paint, Some(s), None),
            DrawMode::FillAndStroke(rule, s) => (paint, paint, Some(s), Some(*rule)),
            DrawMode::Invisible => (None, None, None, None),
        };
        if stroke.is_none() && fill.is_none_or(|f| f == [255; 3]) {
            return self.drawing.skip("white or invisible area");
        }
        let scale = props.transform.determinant().abs().sqrt();
        let width = props_of_stroke.map_or(0, |s| (f64::from(s.line_width) * scale * 25_400.0 / POINTS).round().clamp(0.0, 1e6) as u32);
        let dashes =
            props_of_stroke.map_or_else(String::new, |s| s.dash_array.iter().map(|d| format!("{d}")).collect::<Vec<_>>().join(" "));
        let winding = rule == Some(FillRule::NonZero);
        let style = Style { layer: self.layer(), stroke, fill, line_type: dashes, width, winding, ..Style::default() };
        let style = self.drawing.style(&style);
        let filled = stroke.is_none();
        for (curves, closed) in curves(&placed) {
            let closed = closed || filled && curves.len() > 1;
            self.drawing.entities.push(Entity { style, shape: Shape::Path { curves, closed } });
        }
        self.drawing.read += 1;
    }

    fn push_clip_path(&mut self, clip: &ClipPath) {
        self.clips.push(clip.path.bounding_box());
    }
    fn push_transparency_group(&mut self, _: f32, _: Option<SoftMask<'a>>, _: BlendMode) {}

    fn draw_glyph_run(&mut self, run: &GlyphRun<'_, 'a>, props: DrawProps<'a>, mode: &DrawMode) {
        use std::fmt::Write;
        if matches!(mode, DrawMode::Invisible) {
            return;
        }
        let mut value = String::new();
        for glyph in run.glyphs() {
            match glyph.as_unicode() {
                Some(hayro_interpret::hayro_cmap::BfString::Char(c)) => value.push(c),
                Some(hayro_interpret::hayro_cmap::BfString::String(s)) => value.push_str(&s),
                None => {
                    let code = glyph.char_code();
                    let _ = write!(value, "{}", char::from_u32(code).filter(|c| c.is_ascii_graphic() || *c == ' ').unwrap_or('?'));
                }
            }
        }
        let Some(first) = run.glyphs().first().filter(|_| !value.trim().is_empty()) else { return };
        let place = props.transform * first.transform();
        let at = place * Point::ZERO;
        if !at.is_finite() || self.clipped(Rect::from_points(at, at)) {
            return self.drawing.skip("text outside its clip");
        }
        // Glyphs are drawn in thousandths of the font's size, and made wider or narrower to the width the file gives.
        let (along, up) = (place * Point::new(1000.0, 0.0) - at, place * Point::new(0.0, 1000.0) - at);
        let style = self.drawing.style(&Style { layer: self.layer(), stroke: colour(&props.paint), text: true, ..Style::default() });
        let text = Text { at, height: up.hypot() * CAPITALS, angle: along.atan2(), value };
        self.drawing.entities.push(Entity { style, shape: Shape::Text(text) });
        self.drawing.read += 1;
    }

    fn draw_image(&mut self, _: Image<'a, '_>, _: ImageDrawProps<'a>) {
        self.drawing.skip("picture");
    }
    fn pop_clip(&mut self) {
        self.clips.pop();
    }
    fn pop_transparency_group(&mut self) {}

    fn begin_marked_content(&mut self, tag: &[u8], properties: Option<&Dict<'_>>) {
        let name = properties.filter(|_| tag == b"OC").and_then(|p| p.get::<PdfString>(b"Name".as_slice()));
        self.layers.push(name.map_or_else(String::new, |n| String::from_utf8_lossy(n.as_bytes()).into_owned()));
    }
    fn end_marked_content(&mut self) {
        self.layers.pop();
    }
}

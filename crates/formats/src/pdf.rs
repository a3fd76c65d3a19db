//! PDF: lines, areas and pictures of all pages, side by side; writing stays readable as reference.

mod writing;

use crate::bitmap::on_paper;
use crate::{MOST_ENTITIES, ReadError, clipping};
use boustrophe_core::drawing::{Anchor, Bitmap, Drawing, Entity, FileUnits, Nature, Picture, Shape, Style, Text};
use boustrophe_core::finding::counted;
use boustrophe_core::geometry::{Affine, Bounds, Clip, Curve, Point, Vec2, subpaths};
use boustrophe_core::lettering;
use hayro_interpret::font::GlyphRun;
use hayro_interpret::{
    BlendMode, ClipPath, Context, Device, DrawMode, DrawProps, FillRule, Image, ImageData, ImageDrawProps, InterpreterCache,
    InterpreterSettings, LumaData, Paint, SoftMask, interpret_page,
};
use hayro_syntax::Pdf;
use hayro_syntax::object::{Dict, String as PdfString};
use kurbo::{BezPath, Rect, Shape as _};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use writing::{JUMP, widest};

/// Points in an inch: the unit of PDF.
const POINTS: f64 = 72.0;
/// Pages read at most.
const MOST_PAGES: usize = 200;
/// Room between pages, points.
const APART: f64 = 40.0;
/// Pixels of one picture at most, and pictures of one file.
const MOST_PIXELS: u64 = 120_000_000;
const MOST_PICTURES: usize = 500;
/// The end mark of a file stands in its last so many bytes, and a list of pages is looked for no farther round.
const TAIL: usize = 2048;
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
        // A page may count in more than points (ISO 32000-1, table 30).
        let unit = page.raw().get::<f32>(b"UserUnit").map_or(1.0, f64::from);
        let unit = if unit.is_finite() && (1e-3..=75_000.0).contains(&unit) { unit } else { 1.0 };
        let (w, h) = (f64::from(w) * unit, f64::from(h) * unit);
        collector.begin(i + 1, x, w, h);
        let cache = InterpreterCache::new();
        let page_box = Rect::new(0.0, 0.0, w, h);
        let place = Affine::translate(Vec2::new(x, 0.0)) * Affine::scale(unit) * affine(page.initial_transform(false));
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
        return Err(ReadError::TooMany { file: file.into(), most: crate::MOST_ENTITIES });
    }
    if collector.drawing.pages.is_empty() {
        return Err(damaged());
    }
    let pages = collector.drawing.pages.len();
    collector.drawing.damage.extend(damage(bytes, pages));
    Ok(collector.drawing)
}

/// What is to be said of a file that ends before its end (ISO 32000-1, 7.5.5), or has fewer pages than it says.
fn damage(bytes: &[u8], pages: usize) -> Option<String> {
    let tail = &bytes[bytes.len().saturating_sub(TAIL)..];
    let ended = tail.windows(9).any(|w| w == b"startxref");
    let says = bytes
        .windows(6)
        .enumerate()
        .filter(|(_, w)| w == b"/Count")
        .filter_map(|(at, _)| {
            let number = bytes[at + 6..].trim_ascii_start();
            let digits = number.iter().take(6).take_while(|b| b.is_ascii_digit()).count();
            // Outlines count too, but stand in no dictionary of pages.
            let (before, after) = (&bytes[at.saturating_sub(TAIL)..at], &bytes[at..(at + TAIL).min(bytes.len())]);
            let begins = before.windows(2).rposition(|w| w == b"<<").unwrap_or(0);
            let ends = after.windows(2).position(|w| w == b">>").unwrap_or(after.len());
            let of_pages = [&before[begins..], &after[..ends]].iter().any(|part| part.windows(5).any(|w| w == b"/Kids"));
            std::str::from_utf8(&number[..digits]).ok().filter(|_| of_pages)?.parse::<usize>().ok()
        })
        .max()
        .unwrap_or(0);
    let found = counted(pages, "page", "pages");
    match (ended, says > pages.min(MOST_PAGES)) {
        (true, false) => None,
        (_, true) => Some(format!("it says that it has {says} pages, but only {found} could be found.")),
        (false, false) => Some(format!("it ends before its end mark, so it was cut off on its way; {found} could be found.")),
    }
}

/// Writing is kept as text, so one face does for all that a file does not bring itself.
fn settings() -> InterpreterSettings {
    InterpreterSettings { font_resolver: Arc::new(|_| Some((Arc::new(lettering::FONT), 0))), ..InterpreterSettings::default() }
}

fn affine(t: hayro_syntax::transform::Transform) -> Affine {
    Affine::new(t.as_coeffs())
}

/// A clip in force: its box, and its outlines where they are more than a box round everything.
struct Clipped {
    rect: Rect,
    outlines: Option<Clip>,
}

struct Collector {
    drawing: Drawing,
    page: String,
    /// Names of the optional content that is open; empty ones are other marked content.
    layers: Vec<String>,
    clips: Vec<Clipped>,
    /// Elements with outlines so far.
    compounds: u32,
    pictures: usize,
    /// The area that was filled last, and its entities: a line along it is the line of its edge.
    filled: Option<(BezPath, std::ops::Range<usize>)>,
    /// The last line of writing: which entity, and where its last letter stands.
    written: Option<(usize, Point)>,
    over: bool,
}

impl Collector {
    fn new(file: &str) -> Self {
        let drawing = Drawing::new(file, FileUnits::Scale(25.4 / POINTS));
        Self {
            drawing,
            page: String::new(),
            layers: Vec::new(),
            clips: Vec::new(),
            compounds: 0,
            pictures: 0,
            filled: None,
            written: None,
            over: false,
        }
    }

    fn begin(&mut self, number: usize, x: f64, w: f64, h: f64) {
        self.page = format!("page {number}");
        self.written = None;
        self.clips = vec![Clipped { rect: Rect::new(x, 0.0, x + w, h), outlines: None }];
        self.drawing.pages.push(Bounds { min: Point::new(x, 0.0), max: Point::new(x + w, h) });
    }

    fn end(&mut self) {
        self.layers.clear();
        self.clips.clear();
    }

    fn layer(&self) -> String {
        self.layers.iter().rev().find(|l| !l.is_empty()).unwrap_or(&self.page).clone()
    }

    /// A number for an element whose outlines are filled together.
    fn compound(&mut self) -> u32 {
        self.compounds += 1;
        self.compounds
    }

    /// Cuts what was drawn from entity `first` on, within box `b`, to what the clips show.
    fn cut(&mut self, first: usize, b: Rect) {
        for c in &self.clips {
            let within = b.x0 >= c.rect.x0 && b.x1 <= c.rect.x1 && b.y0 >= c.rect.y0 && b.y1 <= c.rect.y1;
            match &c.outlines {
                Some(outlines) if !(within && outlines.is_rectangle()) => clipping::cut(&mut self.drawing, first, outlines),
                _ => {}
            }
        }
    }

    /// True when nothing of the box is left by the clips.
    fn clipped(&self, b: Rect) -> bool {
        self.clips.iter().map(|c| c.rect).any(|c| b.x1 < c.x0 || b.x0 > c.x1 || b.y1 < c.y0 || b.y0 > c.y1)
    }
}

/// Lightness of a colour as people see it (ITU-R BT.709).
fn luma(c: &[u8]) -> u8 {
    ((2126 * u32::from(c[0]) + 7152 * u32::from(c[1]) + 722 * u32::from(c[2])) / 10_000) as u8
}

/// Grey levels of a picture over white paper.
fn grey(data: &ImageData, alpha: Option<&LumaData>) -> Bitmap {
    let (width, height) = (data.width() as usize, data.height() as usize);
    let levels: Vec<u8> = match data {
        ImageData::Rgb(d) => d.data.chunks_exact(3).map(luma).collect(),
        ImageData::Luma(d) => d.data.clone(),
    };
    let opaque = alpha.filter(|a| a.width as usize * a.height as usize == a.data.len() && a.width > 0 && a.height > 0);
    let seen = |(i, level): (usize, u8)| {
        let Some(a) = opaque else { return level };
        // The mask may have a resolution of its own.
        let (x, y) = (i % width * a.width as usize / width, i / width * a.height as usize / height);
        on_paper(level, a.data[y * a.width as usize + x])
    };
    Bitmap { width, height, grey: levels.into_iter().enumerate().map(seen).collect() }
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
        // White on white paper does not show.
        let hidden = fill.is_none() && stroke == Some([255; 3]);
        let mut style = Style { layer: self.layer(), stroke, fill, line_type: dashes, width, winding, hidden, ..Style::default() };
        let before = self.filled.take();
        if let Some((_, entities)) = before
            .filter(|(path, e)| stroke.is_some() && fill.is_none() && !hidden && e.end == self.drawing.entities.len() && *path == placed)
        {
            // Filled, then stroked: one outline with both.
            let area = self.drawing.styles[self.drawing.entities[entities.start].style].clone();
            (style.fill, style.winding) = (area.fill, area.winding);
            let style = self.drawing.style(&style);
            self.drawing.entities[entities].iter_mut().for_each(|e| e.style = style);
            return;
        }
        let style = self.drawing.style(&style);
        let filled = stroke.is_none();
        let first = self.drawing.entities.len();
        let compound = self.compound();
        for (curves, closed) in subpaths(&placed) {
            let closed = closed || filled && curves.len() > 1;
            self.drawing.entities.push(Entity { style, shape: Shape::Path { curves, closed }, compound });
        }
        self.drawing.read += 1;
        let drawn = self.drawing.entities.len();
        self.cut(first, b);
        // What a clip has cut is not the whole any more.
        let whole = filled && self.drawing.entities.len() == drawn;
        self.filled = whole.then_some((placed, first..drawn));
    }

    fn push_clip_path(&mut self, clip: &ClipPath) {
        let rect = clip.path.bounding_box();
        let outlines = rect.is_finite().then(|| {
            let outlines: Vec<Vec<Curve>> = subpaths(&clip.path).into_iter().map(|c| c.0).collect();
            clipping::clip(&outlines)
        });
        self.clips.push(Clipped { rect, outlines });
    }
    fn push_transparency_group(&mut self, _: f32, _: Option<SoftMask<'a>>, _: BlendMode) {}

    fn draw_glyph_run(&mut self, run: &GlyphRun<'_, 'a>, props: DrawProps<'a>, mode: &DrawMode) {
        use std::fmt::Write;
        if matches!(mode, DrawMode::Invisible) {
            return;
        }
        // One run may carry words from all over the page: where it jumps, a line of writing ends.
        let mut lines: Vec<(Affine, String, Point)> = Vec::new();
        let mut last = Point::ZERO;
        for glyph in run.glyphs() {
            let place = props.transform * glyph.transform();
            let at = place * Point::ZERO;
            let step = place.inverse() * last;
            let jumps = step.x < -JUMP || step.x > JUMP / 2.0 || step.y.abs() > JUMP / 4.0;
            if lines.is_empty() || jumps && place.determinant() != 0.0 {
                lines.push((place, String::new(), at));
            } else if let Some((_, value, _)) = lines.last_mut()
                && step.x < -widest(value.chars().last())
            {
                value.push(' ');
            }
            last = at;
            let Some((_, value, end)) = lines.last_mut() else { continue };
            *end = at;
            match glyph.as_unicode() {
                Some(hayro_interpret::hayro_cmap::BfString::Char(c)) => value.push(c),
                Some(hayro_interpret::hayro_cmap::BfString::String(s)) => value.push_str(&s),
                None => {
                    let code = glyph.char_code();
                    let _ = write!(value, "{}", char::from_u32(code).filter(|c| c.is_ascii_graphic() || *c == ' ').unwrap_or('?'));
                }
            }
        }
        let stroke = colour(&props.paint);
        for (place, value, end) in lines.into_iter().filter(|(_, value, _)| !value.trim().is_empty()) {
            let at = place * Point::ZERO;
            if !at.is_finite() || self.clipped(Rect::from_points(at, at)) {
                self.drawing.skip("text outside its clip");
                continue;
            }
            // Glyphs are drawn in thousandths of the font's size, and made wider or narrower to the width the file gives.
            let (along, up) = (place * Point::new(1000.0, 0.0) - at, place * Point::new(0.0, 1000.0) - at);
            let style = self.drawing.style(&Style { layer: self.layer(), stroke, text: true, ..Style::default() });
            let text = Text::anchored(at, (Anchor::Begin, 0.0), up.hypot() * CAPITALS, along.atan2(), value);
            if self.goes_on(place, &text) {
                self.written = self.written.map(|(of, _)| (of, end));
                continue;
            }
            self.written = Some((self.drawing.entities.len(), end));
            self.drawing.entities.push(Entity::new(style, Shape::Text(text)));
            self.drawing.read += 1;
        }
    }

    fn draw_image(&mut self, image: Image<'a, '_>, props: ImageDrawProps<'a>) {
        let pixels = (u64::from(image.width()), u64::from(image.height()));
        if pixels.0 * pixels.1 > MOST_PIXELS || self.pictures >= MOST_PICTURES {
            return self.drawing.skip("picture too large, or one of too many");
        }
        self.pictures += 1;
        let mut bitmap = None;
        match image {
            Image::Raster(raster) => raster.with_rgba(|data, alpha| bitmap = Some(grey(&data, alpha.as_ref())), None),
            // A stencil is ink where it is set, in its paint's colour.
            Image::Stencil(stencil) => stencil.with_stencil(
                |mask, paint| {
                    let ink = colour(paint).map_or(0, |c| luma(&c));
                    let levels = mask.data.iter().map(|a| on_paper(ink, *a)).collect();
                    bitmap = Some(Bitmap { width: mask.width as usize, height: mask.height as usize, grey: levels });
                },
                None,
            ),
        }
        let Some(bitmap) = bitmap.filter(|b| b.width > 0 && b.height > 0 && b.grey.len() == b.width * b.height) else {
            return self.drawing.refuse("picture", format!("a picture on {} cannot be decoded.", self.page));
        };
        // Drawn in its own pixels, y down from its upper left corner.
        let (w, h) = (pixels.0 as f64, pixels.1 as f64);
        let place = props.transform * Affine::new([w, 0.0, 0.0, -h, 0.0, h]);
        let corners = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)].map(|(x, y)| place * Point::new(x, y));
        if place.determinant() == 0.0 || !corners.iter().all(|p| p.is_finite() && p.x.abs().max(p.y.abs()) <= Drawing::LARGEST_NUMBER) {
            return self.drawing.refuse("picture", format!("a picture on {} has no place on the page.", self.page));
        }
        let b = Rect::from_points(corners[0], corners[2]).union_pt(corners[1]).union_pt(corners[3]);
        if self.clipped(b) {
            return self.drawing.skip("picture outside its clip");
        }
        let style = self.drawing.style(&Style { layer: self.layer(), nature: Nature::Picture, ..Style::default() });
        let (first, compound) = (self.drawing.entities.len(), self.compound());
        self.drawing.entities.push(Entity { style, shape: Shape::Picture(Picture { bitmap: Arc::new(bitmap), place }), compound });
        self.drawing.read += 1;
        self.cut(first, b);
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

//! Paper: PDF at true size, and the setup sheet of a program.
//!
//! Lengths are mm from the lower left corner of the page; a PDF's own unit is 1/72 inch. Type is Helvetica, which every reader of
//! PDF has.

mod ink;
mod paper;
mod setup;

pub use paper::{Paper, fitted, tiled};
pub use setup::{Setting, Setup, setup};

use boustrophe_core::geometry::{Affine, Path, Point};
use pdf_writer::{Content, Finish, Name, Pdf, Rect, Ref, Str};

/// Points in a mm.
const PT: f64 = 72.0 / 25.4;

/// Weight of a face.
#[derive(Clone, Copy, PartialEq)]
pub(crate) enum Face {
    Plain,
    Bold,
}

/// A page on its way.
pub(crate) struct Page {
    size: (f64, f64),
    content: Content,
}

impl Page {
    /// A blank page of a size in mm.
    pub(crate) fn new(width: f64, height: f64) -> Self {
        Self { size: (width, height), content: Content::new() }
    }
    fn pt(v: f64) -> f32 {
        (v * PT) as f32
    }
    /// Width of lines from here on, mm, and their grey, 0 black to 1 white.
    pub(crate) fn pen(&mut self, width: f64, grey: f32) {
        self.content.set_line_width(Self::pt(width)).set_stroke_gray(grey);
        self.dashes(&[]);
    }
    /// Dashes and gaps from here on, mm; none for a whole line.
    pub(crate) fn dashes(&mut self, dashes: &[f64]) {
        self.content.set_dash_pattern(dashes.iter().map(|d| Self::pt(*d)), 0.0);
    }
    /// A line along points, mm.
    pub(crate) fn line(&mut self, points: &[Point], closed: bool) {
        self.trace(points, closed);
        self.content.stroke();
    }
    fn trace(&mut self, points: &[Point], closed: bool) {
        let Some((first, rest)) = points.split_first() else { return };
        self.content.move_to(Self::pt(first.x), Self::pt(first.y));
        rest.iter().for_each(|p| {
            self.content.line_to(Self::pt(p.x), Self::pt(p.y));
        });
        if closed {
            self.content.close_path();
        }
    }
    /// A path as it lies on the page.
    pub(crate) fn path(&mut self, path: &Path, lies: Affine) {
        let points: Vec<Point> = path.points(0.01).into_iter().map(|p| lies * p).collect();
        self.line(&points, path.closed);
    }
    /// Paints only within closed paths, until [`Self::unclip`].
    pub(crate) fn clip(&mut self, paths: &[(&Path, Affine)]) {
        self.content.save_state();
        for (path, lies) in paths {
            let points: Vec<Point> = path.points(0.02).into_iter().map(|p| *lies * p).collect();
            self.trace(&points, true);
        }
        self.content.clip_even_odd().end_path();
    }
    /// See [`Self::clip`].
    pub(crate) fn unclip(&mut self) {
        self.content.restore_state();
    }
    /// A filled box, its grey 0 black to 1 white.
    pub(crate) fn filled(&mut self, (x, y): (f64, f64), (w, h): (f64, f64), grey: f32) {
        self.content.set_fill_gray(grey).rect(Self::pt(x), Self::pt(y), Self::pt(w), Self::pt(h)).fill_nonzero();
        self.content.set_fill_gray(0.0);
    }
    /// An empty box.
    pub(crate) fn boxed(&mut self, (x, y): (f64, f64), (w, h): (f64, f64)) {
        self.content.rect(Self::pt(x), Self::pt(y), Self::pt(w), Self::pt(h)).stroke();
    }
    /// Text from a place on, its height in mm.
    pub(crate) fn text(&mut self, x: f64, y: f64, height: f64, face: Face, text: &str) {
        let name = if face == Face::Bold { Name(b"B") } else { Name(b"F") };
        // Latin-1 and WinAnsi agree on all that is printed.
        let bytes: Vec<u8> = text.chars().map(|c| if (c as u32) < 256 && !c.is_control() { c as u32 as u8 } else { typed(c) }).collect();
        self.content.begin_text().set_font(name, Self::pt(height) * 1.35).next_line(Self::pt(x), Self::pt(y)).show(Str(&bytes)).end_text();
    }
    /// Runs `paint` as a later page would: what has a state of its own keeps it.
    pub(crate) fn apart(&mut self, paint: impl FnOnce(&mut Self)) {
        self.content.save_state();
        paint(self);
        self.content.restore_state();
    }
}

/// What Latin-1 has not got.
fn typed(c: char) -> u8 {
    match c {
        '–' | '—' | '−' => b'-',
        '“' | '”' => b'"',
        '’' | '‘' => b'\'',
        _ => b'?',
    }
}

/// Pages as one file.
pub(crate) fn bound(pages: Vec<Page>, title: &str) -> Vec<u8> {
    let mut pdf = Pdf::new();
    let (catalog, tree, plain, bold, about) = (Ref::new(1), Ref::new(2), Ref::new(3), Ref::new(4), Ref::new(5));
    let id = |i: usize| Ref::new(10 + i as i32);
    pdf.catalog(catalog).pages(tree);
    pdf.document_info(about).title(pdf_writer::TextStr(title)).producer(pdf_writer::TextStr("Boustrophe"));
    pdf.pages(tree).kids((0..pages.len()).map(|i| id(2 * i))).count(pages.len() as i32);
    for (font, base) in [(plain, "Helvetica"), (bold, "Helvetica-Bold")] {
        pdf.type1_font(font).base_font(Name(base.as_bytes())).encoding_predefined(Name(b"WinAnsiEncoding"));
    }
    for (i, page) in pages.into_iter().enumerate() {
        let mut p = pdf.page(id(2 * i));
        p.parent(tree).media_box(Rect::new(0.0, 0.0, Page::pt(page.size.0), Page::pt(page.size.1))).contents(id(2 * i + 1));
        let mut resources = p.resources();
        resources.fonts().pair(Name(b"F"), plain).pair(Name(b"B"), bold);
        resources.finish();
        p.finish();
        pdf.stream(id(2 * i + 1), &page.content.finish());
    }
    pdf.finish()
}

//! The paper proof: a sheet at exactly 1:1 over as many pages as it takes, or small on one page.

use super::{Face, Page, bound, ink};
use boustrophe_core::assign::Work;
use boustrophe_core::geometry::{Affine, Path, Point, Vec2};
use boustrophe_core::nest::SheetLayout;
use std::str::FromStr;

/// Paper that is printed on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Paper {
    /// 210 × 297 mm.
    A4,
    /// 297 × 420 mm.
    A3,
    /// 8½ × 11 in.
    Letter,
}

impl FromStr for Paper {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        match s.trim().to_ascii_lowercase().as_str() {
            "a4" => Ok(Self::A4),
            "a3" => Ok(Self::A3),
            "letter" => Ok(Self::Letter),
            _ => Err(format!("“{s}” is no paper; there are a4, a3 and letter")),
        }
    }
}

/// Room left at each edge: printers do not reach it, and the bars stand there, mm.
const MARGIN: f64 = 12.0;
/// What a page shows of its neighbour's, mm.
const OVERLAP: f64 = 10.0;
/// Length of the bars to measure, mm.
const BAR: f64 = 100.0;
/// More pages than this are not printed.
const MOST_PAGES: usize = 400;

impl Paper {
    /// Width and height, mm.
    pub fn size(self) -> (f64, f64) {
        match self {
            Self::A4 => (210.0, 297.0),
            Self::A3 => (297.0, 420.0),
            Self::Letter => (215.9, 279.4),
        }
    }
}

/// How a sheet is cut into pages.
struct Tiles {
    paper: (f64, f64),
    /// What a page shows, mm.
    shown: (f64, f64),
    columns: usize,
    rows: usize,
}

impl Tiles {
    /// Upright or on its side, whichever takes fewer pages.
    fn of(paper: Paper, sheet: (f64, f64)) -> Self {
        let (w, h) = paper.size();
        let tiles = |paper: (f64, f64)| {
            let shown = (paper.0 - 2.0 * MARGIN, paper.1 - 2.0 * MARGIN);
            let count = |whole: f64, shown: f64| (((whole - OVERLAP) / (shown - OVERLAP)).ceil() as usize).max(1);
            Self { paper, shown, columns: count(sheet.0, shown.0), rows: count(sheet.1, shown.1) }
        };
        let (upright, aside) = (tiles((w, h)), tiles((h, w)));
        if aside.columns * aside.rows < upright.columns * upright.rows { aside } else { upright }
    }
    /// Lower left corner of what a page shows, on the sheet, mm. Rows count from the top.
    fn corner(&self, column: usize, row: usize) -> Point {
        let step = (self.shown.0 - OVERLAP, self.shown.1 - OVERLAP);
        Point::new(column as f64 * step.0, (self.rows - 1 - row) as f64 * step.1)
    }
}

/// A sheet at 1:1, tiled over pages with overlap, register marks and bars of 100 mm; the first page is a map of them. Fails where that
/// takes more pages than anyone would glue together.
pub fn tiled(work: &Work, layout: &SheetLayout, paper: Paper, title: &str) -> Result<Vec<u8>, String> {
    let sheet = (layout.sheet.width, layout.sheet.height);
    let tiles = Tiles::of(paper, sheet);
    let (w, h) = tiles.paper;
    let n = tiles.columns * tiles.rows;
    if n > MOST_PAGES {
        return Err(format!("a sheet of {} × {} mm takes {n} pages; choose larger paper", sheet.0, sheet.1));
    }
    let mut pages = vec![map(work, layout, &tiles, title)];
    for row in 0..tiles.rows {
        for column in 0..tiles.columns {
            let corner = tiles.corner(column, row);
            let lies = Affine::translate(Vec2::new(MARGIN, MARGIN) - corner.to_vec2());
            let mut page = Page::new(w, h);
            let window = Path::rectangle(MARGIN, MARGIN, tiles.shown.0, tiles.shown.1);
            page.clip(&[(&window, Affine::IDENTITY)]);
            edge(&mut page, layout, lies);
            ink::sheet(&mut page, work, layout, lies);
            page.unclip();
            registers(&mut page, &tiles, column, row);
            bars(&mut page);
            let number = row * tiles.columns + column + 1;
            page.text(
                MARGIN,
                h - 6.0,
                2.6,
                Face::Plain,
                &format!("{title} - page {number} of {n}, row {} column {} - 1:1", row + 1, column + 1),
            );
            pages.push(page);
        }
    }
    Ok(bound(pages, title))
}

/// A sheet on one page, not to scale.
pub fn fitted(work: &Work, layout: &SheetLayout, paper: Paper, title: &str) -> Vec<u8> {
    let (mut w, mut h) = paper.size();
    if layout.sheet.width > layout.sheet.height {
        (w, h) = (h, w);
    }
    let mut page = Page::new(w, h);
    let room = (w - 2.0 * MARGIN, h - 2.0 * MARGIN - 8.0);
    let lies = fit(layout, (MARGIN, MARGIN), room).1;
    edge(&mut page, layout, lies);
    ink::sheet(&mut page, work, layout, lies);
    page.text(MARGIN, h - 12.0, 3.0, Face::Bold, &format!("{title} - not to scale"));
    bound(vec![page], title)
}

/// The scale at which a sheet fits a room, and what takes it there.
pub(super) fn fit(layout: &SheetLayout, at: (f64, f64), room: (f64, f64)) -> (f64, Affine) {
    let scale = (room.0 / layout.sheet.width).min(room.1 / layout.sheet.height);
    (scale, Affine::translate(at) * Affine::scale(scale))
}

/// The outline of the sheet.
pub(super) fn edge(page: &mut Page, layout: &SheetLayout, lies: Affine) {
    page.pen(0.1, 0.4);
    layout.sheet.edges().iter().for_each(|p| page.path(p, lies));
}

/// A bar of 100 mm each way, to be measured.
fn bars(page: &mut Page) {
    page.pen(0.2, 0.0);
    let p = Point::new;
    page.line(&[p(MARGIN, 6.0), p(MARGIN + BAR, 6.0)], false);
    page.line(&[p(6.0, MARGIN), p(6.0, MARGIN + BAR)], false);
    for end in [0.0, BAR] {
        page.line(&[p(MARGIN + end, 4.5), p(MARGIN + end, 7.5)], false);
        page.line(&[p(4.5, MARGIN + end), p(7.5, MARGIN + end)], false);
    }
    page.text(MARGIN + BAR + 3.0, 5.0, 2.2, Face::Plain, "100 mm each way: measure it before you trust the rest");
}

/// Crosses where the overlaps of neighbouring pages meet: laid over each other the pages fit.
fn registers(page: &mut Page, tiles: &Tiles, column: usize, row: usize) {
    page.pen(0.15, 0.0);
    let (w, h) = tiles.shown;
    let inner = OVERLAP / 2.0;
    let xs = [(column > 0).then_some(inner), (column + 1 < tiles.columns).then_some(w - inner)];
    let ys = [(row + 1 < tiles.rows).then_some(inner), (row > 0).then_some(h - inner)];
    let ends = |both: [Option<f64>; 2], whole: f64| -> Vec<f64> {
        if both == [None; 2] { vec![whole / 2.0] } else { both.into_iter().flatten().collect() }
    };
    if xs == [None; 2] && ys == [None; 2] {
        return;
    }
    for x in ends(xs, w) {
        for y in ends(ys, h) {
            let at = Point::new(MARGIN + x, MARGIN + y);
            let arm = |dx: f64, dy: f64| [at - Vec2::new(dx, dy), at + Vec2::new(dx, dy)];
            page.line(&arm(3.0, 0.0), false);
            page.line(&arm(0.0, 3.0), false);
            page.path(&Path::circle(at, 1.5), Affine::IDENTITY);
        }
    }
}

/// The first page: which page shows what, and how the six processes look.
fn map(work: &Work, layout: &SheetLayout, tiles: &Tiles, title: &str) -> Page {
    let (w, h) = tiles.paper;
    let mut page = Page::new(w, h);
    page.text(MARGIN, h - 16.0, 4.0, Face::Bold, title);
    let n = tiles.columns * tiles.rows;
    page.text(
        MARGIN,
        h - 22.0,
        2.8,
        Face::Plain,
        &format!(
            "{n} page{} at 1:1, {OVERLAP} mm over each other: lay cross on cross. This map is not to scale.",
            if n == 1 { "" } else { "s" }
        ),
    );
    // All pages have room on the map, also where they go on beyond the sheet.
    let last = tiles.corner(tiles.columns - 1, 0);
    let whole = (last.x + tiles.shown.0, last.y + tiles.shown.1);
    let room = (w - 2.0 * MARGIN, h - 2.0 * MARGIN - 66.0);
    let scale = (room.0 / whole.0).min(room.1 / whole.1);
    let lies = Affine::translate((MARGIN, MARGIN + 42.0)) * Affine::scale(scale);
    edge(&mut page, layout, lies);
    page.apart(|page| ink::sheet(page, work, layout, lies));
    for row in 0..tiles.rows {
        for column in 0..tiles.columns {
            let at = lies * tiles.corner(column, row);
            page.pen(0.15, 0.0);
            page.dashes(&[1.5, 1.0]);
            page.boxed((at.x, at.y), (tiles.shown.0 * scale, tiles.shown.1 * scale));
            page.text(at.x + 1.5, at.y + 1.5, 3.0, Face::Bold, &format!("{}", row * tiles.columns + column + 1));
        }
    }
    key(&mut page, (MARGIN, MARGIN + 6.0));
    page
}

/// How the processes look.
fn key(page: &mut Page, (x, y): (f64, f64)) {
    let line =
        |x: f64| Path::new(vec![boustrophe_core::geometry::Segment::line(Point::new(x, y + 10.0), Point::new(x + 22.0, y + 10.0))], false);
    let field = |x: f64| Path::rectangle(x, y + 6.0, 22.0, 8.0);
    let step = 30.0;
    for (i, name) in ["cut", "score", "engrave", "picture", "mark", "reference"].into_iter().enumerate() {
        let at = x + step * i as f64;
        match i {
            0 => ink::cut(page, &line(at), Affine::IDENTITY),
            1 => ink::score(page, &line(at), Affine::IDENTITY),
            2 => ink::engraved(page, &[&field(at)], Affine::IDENTITY),
            3 => ink::picture(page, &field(at), Affine::IDENTITY),
            4 => ink::mark(page, &line(at), Affine::IDENTITY),
            _ => ink::reference(page, &line(at), Affine::IDENTITY),
        }
        page.text(at, y, 2.6, Face::Plain, name);
    }
}

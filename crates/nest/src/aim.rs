//! What tells layouts of equally many sheets apart: room that stays usable, engraved rows that coincide, cuts in common.

use crate::geometry::Bounds;
use crate::in_line::Axis;
use crate::layout::{Layout, Placement, SheetLayout};
use crate::parts::{Part, Parts};
use crate::snap;
use crate::terms::Terms;
use crate::ways::Aim;

/// How much less what is not aimed at weighs.
const BESIDE: f64 = 0.05;

/// What a layout has to be said for it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Merits {
    /// What of the last sheet stays free in one piece beyond what lies there, along the better side, as a share of it.
    pub rest: f64,
    /// The same, mm².
    pub rest_area: f64,
    /// Height of all rows that engraving takes, mm: where copies stand in line they have theirs in common.
    pub rows: f64,
    /// The same if no copy stood in line with another, mm.
    pub rows_apart: f64,
    /// Length of edges that two copies share, each counted once, mm; 0 where none are to be shared.
    pub shared: f64,
    /// Length of all outlines, mm.
    pub outlines: f64,
}

impl Merits {
    /// What a layout comes to under these terms.
    pub fn of(layout: &Layout, work: &dyn Parts, terms: &Terms) -> Self {
        Self::with_kerf(layout, work, terms.common)
    }

    pub(crate) fn with_kerf(layout: &Layout, work: &dyn Parts, common: Option<f64>) -> Self {
        let mut out = Self::default();
        for sheet in &layout.sheets {
            let (rows, apart) = rows(sheet, work);
            out.rows += rows;
            out.rows_apart += apart;
            out.outlines += parts(sheet, work).map(|(_, part)| part.outline.length()).sum::<f64>();
        }
        if let Some(last) = layout.sheets.last() {
            let b = parts(last, work).map(|(p, part)| part.outline.transformed(p.affine()).bounds()).fold(Bounds::EMPTY, Bounds::union);
            out.rest = 1.0 - (b.max.x / last.sheet.width).min(b.max.y / last.sheet.height).clamp(0.0, 1.0);
            out.rest_area = out.rest * last.sheet.width * last.sheet.height;
        }
        out.shared = common.map_or(0.0, |kerf| snap::shared(work, layout, kerf));
        out
    }

    /// One figure for all, for what is aimed at: more is better.
    pub fn worth(&self, aim: Aim) -> f64 {
        let in_line = if self.rows_apart > 0.0 { 1.0 - self.rows / self.rows_apart } else { 0.0 };
        let shared = self.shared / self.outlines.max(1.0);
        match aim {
            Aim::Rest => self.rest + shared,
            Aim::Rows => in_line + BESIDE * (self.rest + shared),
            Aim::Cuts => shared + BESIDE * self.rest,
        }
    }
}

/// What the shop pays: for room, for standing in rows, for cutting.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Prices {
    /// A square millimetre of sheet.
    pub area: f64,
    /// A second of the machine.
    pub second: f64,
    /// Distance of engraved rows, mm; 0 where nothing is engraved.
    pub pitch: f64,
    /// Seconds that a row takes besides its length: coming up to speed, braking, turning.
    pub row: f64,
    /// Seconds that a millimetre of cut takes.
    pub cut: f64,
}

impl Merits {
    /// Rows that engraving takes fewer because copies stand in line.
    pub fn fewer_rows(&self, prices: &Prices) -> f64 {
        if prices.pitch > 0.0 { (self.rows_apart - self.rows) / prices.pitch } else { 0.0 }
    }
    /// What the layout has of an aim, in money.
    pub fn price(&self, aim: Aim, prices: &Prices) -> f64 {
        match aim {
            Aim::Rest => self.rest_area * prices.area,
            // A row that two copies have in common is turned round at once instead of twice.
            Aim::Rows => self.fewer_rows(prices) * prices.row * prices.second,
            Aim::Cuts => self.shared * prices.cut * prices.second,
        }
    }
}

fn parts<'a>(sheet: &'a SheetLayout, work: &'a dyn Parts) -> impl Iterator<Item = (&'a Placement, Part<'a>)> {
    sheet.placed.iter().filter_map(|p| Some((p, work.part(p.copy.part)?)))
}

/// Height of the rows that a sheet's engraving takes, along x or along y, whichever takes fewer; and if every copy had rows of
/// its own; mm.
fn rows(sheet: &SheetLayout, work: &dyn Parts) -> (f64, f64) {
    let engraved = |p: &Placement| {
        let paths = work.engraved(p.copy.part).into_iter();
        paths.map(|path| path.transformed(p.affine()).bounds()).fold(Bounds::EMPTY, Bounds::union)
    };
    let boxes: Vec<Bounds> = sheet.placed.iter().map(engraved).filter(|b| !b.is_empty()).collect();
    let along = |axis: Axis| {
        let mut spans: Vec<(f64, f64)> = boxes.iter().map(|b| (axis.of(b.min), axis.of(b.max))).collect();
        spans.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (mut union, mut end) = (0.0, f64::NEG_INFINITY);
        for (from, to) in &spans {
            union += (to - from.max(end)).max(0.0);
            end = end.max(*to);
        }
        (union, spans.iter().map(|s| s.1 - s.0).sum::<f64>())
    };
    let (x, y) = (along(Axis::X), along(Axis::Y));
    if x.0 < y.0 { x } else { y }
}

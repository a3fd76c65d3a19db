//! Borders of pages, frames within them, and the marks of their zones.

use super::writing::Line;
use super::{Contour, Kind, Plan, rectangle, squared};
use crate::geometry::{Bounds, Path, Segment};
use std::sync::Arc;

/// Ratios of the long to the short side of drawing paper: the ISO series, and the three American formats.
const PAPER: [f64; 4] = [std::f64::consts::SQRT_2, 11.0 / 8.5, 17.0 / 11.0, 22.0 / 17.0];
/// A border keeps a ratio of paper within this share, or is inset from one by an even margin.
const RATIO: f64 = 0.004;
/// A border takes at least this share of its page each way.
const PAGE: f64 = 0.85;
/// A frame lies no further inside the border than this share of its short side.
const INSET: f64 = 0.12;
/// A border that is the page itself may be off it by this, mm.
const OFF: f64 = 0.5;
/// A border's line is no thicker than this share of its short side.
const THICK: f64 = 0.02;
/// A sheet of paper is at least so many heights of its writing high.
const LETTERS: f64 = 25.0;

/// The borders with the frames just inside them, by the writing in them. `letters` is how high most of it is.
pub(super) fn found(contours: &[Arc<Contour>], pages: &[Bounds], lines: &[Line], letters: f64) -> Vec<usize> {
    let boxes: Vec<usize> = (0..contours.len()).filter(|i| rectangle(&contours[*i].path) || ring(&contours[*i].path)).collect();
    // A border holds what is drawn on its page: other contours, and writing where no page of the file tells it.
    let border = |i: &usize| {
        let b = contours[*i].bounds;
        // What is quickly told comes first: most rectangles are none.
        let as_page = pages.iter().any(|p| p.grown(OFF).holds(&b) && b.width() >= PAGE * p.width() && b.height() >= PAGE * p.height());
        let large = b.width().min(b.height()) >= LETTERS * letters;
        (as_page || contours.len() > 3 && large && paper(b) && lines.iter().any(|t| b.has(t.at)))
            && contours.iter().enumerate().any(|(j, c)| j != *i && b.grown(-1e-6).holds(&c.bounds))
    };
    let candidates: Vec<usize> = boxes.iter().copied().filter(border).collect();
    let within = |i: usize, j: usize| {
        i != j && contours[j].bounds.grown(1e-6).holds(&contours[i].bounds) && contours[j].area.abs() > contours[i].area.abs()
    };
    let mut found: Vec<usize> = candidates.iter().copied().filter(|i| !candidates.iter().any(|j| within(*i, *j))).collect();
    for outer in found.clone() {
        let outer = contours[outer].bounds;
        let inset = outer.grown(-INSET * outer.width().min(outer.height()));
        let frame = |i: &usize| outer.grown(1e-6).holds(&contours[*i].bounds) && contours[*i].bounds.holds(&inset);
        let frames: Vec<usize> = boxes.iter().copied().filter(|i| !found.contains(i) && frame(i)).collect();
        found.extend(frames);
    }
    found
}

impl Plan<'_> {
    pub(super) fn borders(&mut self) {
        let borders = found(self.contours, self.pages, &self.lines, self.letters);
        borders.iter().for_each(|i| self.take(*i, Kind::Border));
        // Marks of zones stand between the border and its innermost frame, or reach from the one edge to the paper's.
        for outer in borders.iter().map(|i| self.contours[*i].bounds) {
            let inner =
                borders.iter().map(|i| self.contours[*i].bounds).filter(|b| outer.holds(b)).reduce(|a, b| if a.holds(&b) { b } else { a });
            let Some(inner) = inner else { continue };
            let page = self.pages.iter().find(|p| p.grown(1e-3).holds(&outer)).copied().unwrap_or(outer);
            let beside = |b: Bounds| {
                let c = b.center();
                page.grown(1.0).holds(&b) && !inner.grown(-0.5).has(c)
            };
            let marks: Vec<usize> =
                self.near(page).filter(|i| !self.path(*i).closed && squared(self.path(*i)) && beside(self.contours[*i].bounds)).collect();
            marks.into_iter().for_each(|i| self.take(i, Kind::Border));
        }
    }
    /// Bounds of all borders that were found.
    pub(super) fn bordered(&self) -> Vec<Bounds> {
        let is = |i: &usize| self.found[*i] == Some(Kind::Border) && self.path(*i).closed;
        (0..self.contours.len()).filter(is).map(|i| self.contours[i].bounds).collect()
    }
}

/// A rectangle drawn as an area along its edges: a thick line of some writers.
fn ring(path: &Path) -> bool {
    let b = path.bounds();
    let (inner, thin) = (b.grown(-THICK * b.width().min(b.height())), 2.0 * THICK * b.width() * b.height());
    let along = |s: &Segment| s.is_line() && [0.0, 0.5].iter().all(|t| !inner.has(s.at(*t)));
    path.closed && path.segments.len() <= 16 && path.area().abs() < thin && path.segments.iter().all(along)
}

fn paper(b: Bounds) -> bool {
    let (long, short) = (b.width().max(b.height()), b.width().min(b.height()));
    let fits = |long: f64, short: f64| PAPER.iter().any(|r| (long / short / r - 1.0).abs() < RATIO);
    // A border lies 5 to 20 mm inside the paper's edge.
    fits(long, short) || [5.0, 7.0, 10.0, 15.0, 20.0].iter().any(|m| fits(long + 2.0 * m, short + 2.0 * m))
}

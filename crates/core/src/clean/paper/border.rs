//! Borders of pages, frames within them, and the marks of their zones.

use super::writing::Line;
use super::{Contour, Kind, Plan, TOUCH, rectangle, squared};
use crate::geometry::{Bounds, Path, Point, Segment};
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
/// A mark of a frame's scale and its figure stand out of it by no more than so many heights of letters.
const MARK: f64 = 3.0;
/// A sheet of paper is at least so many heights of its writing high.
const LETTERS: f64 = 25.0;

/// The borders with the frames just inside them, by the writing in them. `letters` is how high most of it is.
///
/// `left_out` are the boxes of what is reference already.
pub(super) fn found(contours: &[Arc<Contour>], pages: &[Bounds], left_out: &[Bounds], lines: &[Line], letters: f64) -> Vec<usize> {
    let boxes: Vec<usize> = (0..contours.len()).filter(|i| rectangle(&contours[*i].path) || ring(&contours[*i].path)).collect();
    // A border holds what is drawn on its page: other contours, and writing where no page of the file tells it.
    let border = |i: &usize| {
        let b = contours[*i].bounds;
        // What is quickly told comes first: most rectangles are none.
        let as_page = pages.iter().any(|p| p.grown(OFF).holds(&b) && b.width() >= PAGE * p.width() && b.height() >= PAGE * p.height());
        let large = b.width().min(b.height()) >= LETTERS * letters;
        // Within a border that is left out already there is no second one, and what is screwed on at its corners is a plate.
        let alone = || !left_out.iter().any(|l| l.grown(1e-6).holds(&b) && paper(*l)) && !is_screwed(contours, b);
        (as_page || contours.len() > 3 && large && paper(b) && lines.iter().any(|t| b.has(t.at)) && alone())
            && contours.iter().enumerate().any(|(j, c)| j != *i && b.grown(-1e-6).holds(&c.bounds))
    };
    let candidates: Vec<usize> = boxes.iter().copied().filter(border).collect();
    // Where no page tells, a border has all that there is within it, or within others like it.
    let is_page = |b: Bounds| pages.iter().any(|p| p.grown(OFF).holds(&b));
    let astray = |c: &Contour| !candidates.iter().any(|k| contours[*k].bounds.grown(1e-6).holds(&c.bounds));
    let stray = contours.iter().any(|c| astray(c));
    let candidates: Vec<usize> = candidates.into_iter().filter(|i| !stray || is_page(contours[*i].bounds)).collect();
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

/// A hole lies in a corner where its middle is no further from it than this share of the short side.
const CORNER: f64 = 0.18;

/// True for a rectangle with holes of one size in all four corners.
fn is_screwed(contours: &[Arc<Contour>], b: Bounds) -> bool {
    let reach = CORNER * b.width().min(b.height());
    let corners = [b.min, Point::new(b.max.x, b.min.y), b.max, Point::new(b.min.x, b.max.y)];
    let is_hole = |c: &Contour| {
        let (w, h) = (c.bounds.width(), c.bounds.height());
        c.path.closed && (w - h).abs() <= 0.02 * w && w < reach && !c.style.text
    };
    let holes: Vec<&Arc<Contour>> = contours.iter().filter(|c| is_hole(c)).collect();
    let near = |hole: &Contour, corner: Point| (hole.bounds.center() - corner).hypot() <= std::f64::consts::SQRT_2 * reach;
    holes.iter().filter(|h| near(h, corners[0])).any(|first| {
        let same = |c: &Contour| (c.bounds.width() - first.bounds.width()).abs() <= 0.02 * first.bounds.width();
        corners[1..].iter().all(|at| holes.iter().any(|h| same(h) && near(h, *at)))
    })
}

impl Plan<'_> {
    pub(super) fn borders(&mut self) {
        let borders = found(self.contours, self.pages, self.left_out, &self.lines, self.letters);
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
    /// Frames with a scale along two sides or more: strokes that stand out of them, all as long, with writing beyond. Lines from
    /// edge to edge within are their grid.
    pub(super) fn scales(&mut self) {
        let boxes: Vec<usize> = (0..self.contours.len()).filter(|i| self.found[*i].is_none() && rectangle(self.path(*i))).collect();
        for frame in boxes {
            let b = self.contours[frame].bounds;
            if b.width().min(b.height()) < LETTERS * self.letters {
                continue;
            }
            let (marks, grid) = self.marks(frame);
            if marks.iter().filter(|side| self.is_scale(side, b)).count() >= 2 {
                self.take(frame, Kind::Border);
                // The marks of two sides meet at a corner.
                let corners: Vec<usize> = self
                    .near(b.grown(TOUCH * self.letters))
                    .filter(|i| {
                        let c = self.contours[*i].bounds;
                        self.is_strokes(*i)
                            && squared(self.path(*i))
                            && c.width().max(c.height()) <= MARK * self.letters
                            && !b.has(c.center())
                    })
                    .collect();
                marks.into_iter().flatten().map(|m| m.0).chain(grid).chain(corners).for_each(|i| self.take(i, Kind::Border));
            }
        }
    }

    /// Strokes that stand out of a frame on each of its sides, by how much, and those that go from edge to edge.
    fn marks(&self, frame: usize) -> ([Vec<(usize, f64)>; 4], Vec<usize>) {
        let (b, reach, most) = (self.contours[frame].bounds, TOUCH * self.letters, MARK * self.letters);
        let mut marks: [Vec<(usize, f64)>; 4] = Default::default();
        let mut grid = Vec::new();
        let strokes = self.near(b.grown(reach)).filter(|i| *i != frame && self.is_strokes(*i) && squared(self.path(*i)));
        // One behind the other is one: a mark and the line of the grid that goes on from it.
        for i in strokes.filter(|i| self.contours[*i].bounds.width().min(self.contours[*i].bounds.height()) < 1e-6) {
            // Where it begins and ends across the frame, and the frame's own two edges there.
            let q = self.contours[i].bounds;
            let upright = q.width() < q.height();
            let (low, high, near, far) = if upright { (q.min.y, q.max.y, b.min.y, b.max.y) } else { (q.min.x, q.max.x, b.min.x, b.max.x) };
            let (before, behind) = (near - low, high - far);
            let through = before >= -reach && behind >= -reach && before.max(behind) <= most;
            // A mark may go on as a line of the grid, or a little into the frame.
            let (first, last) =
                (through || high >= near - reach && high - near <= most, through || low <= far + reach && far - low <= most);
            let side = usize::from(!upright);
            if first && before > reach && before <= most {
                marks[side].push((i, before));
            } else if last && behind > reach && behind <= most {
                marks[side + 2].push((i, behind));
            } else if through {
                grid.push(i);
            }
        }
        (marks, grid)
    }

    /// Three marks or more on one side of a frame, as long as each other, half of them with writing by them outside of it.
    fn is_scale(&self, side: &[(usize, f64)], frame: Bounds) -> bool {
        let alike = side.iter().filter(|m| (m.1 / side[0].1 - 1.0).abs() < 0.1).count();
        let written = |i: usize| {
            let around = self.contours[i].bounds.grown(MARK * self.letters);
            self.lines.iter().any(|l| around.has(l.middle) && !frame.has(l.middle))
        };
        side.len() >= 3 && alike * 10 >= side.len() * 9 && side.iter().filter(|m| written(m.0)).count() * 2 >= side.len()
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

//! What of a plan is paper and not part: borders, title blocks, tables, dimensions, centre lines, hatchings, arrows.
//!
//! A plan is read as a person reads it: by its writing. A line with a figure beside it and something at its ends is a
//! dimension, lines that part writing into cells are a table, and a table that hangs on the border is the title block.

mod border;
mod dimension;
mod grid;
mod strokes;
#[cfg(test)]
mod tests;
mod told;

pub use told::leftovers;

use super::Contour;
use crate::drawing::Text;
use crate::geometry::{Bounds, Path, Point, Segment};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use std::sync::Arc;

/// Contours and lines of writing that are looked through; more is no plan that a person reads.
const MOST: (usize, usize) = (60_000, 6_000);

/// A kind of thing that belongs to the paper.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Kind {
    /// Borders and the marks of their zones.
    Border,
    /// The block that says what the plan is of.
    TitleBlock,
    /// Rows and columns of writing.
    Table,
    /// Dimension lines with what ends them and what leads to them.
    Dimension,
    /// Lines through the middles of things.
    CentreLine,
    /// Lines that fill an area.
    Hatching,
    /// Arrows and leaders.
    Arrow,
}

impl Kind {
    /// In the order in which they are told.
    pub const ALL: [Self; 7] =
        [Self::Border, Self::TitleBlock, Self::Table, Self::Dimension, Self::CentreLine, Self::Hatching, Self::Arrow];

    /// `lines of borders`, for a count before it.
    pub fn words(self) -> &'static str {
        match self {
            Self::Border => "of borders",
            Self::TitleBlock => "of title blocks",
            Self::Table => "of tables",
            Self::Dimension => "of dimensions",
            Self::CentreLine => "of centre lines",
            Self::Hatching => "of hatchings",
            Self::Arrow => "of arrows",
        }
    }
}

/// What is drawn on the plan, with where to find it.
struct Plan<'a> {
    contours: &'a [Arc<Contour>],
    pages: &'a [Bounds],
    texts: &'a [Text],
    /// Boxes of all contours.
    index: RTree<GeomWithData<Rectangle<[f64; 2]>, usize>>,
    /// Height of most of the writing, mm; 0 without any.
    letters: f64,
    found: Vec<Option<Kind>>,
}

/// What of the contours is paper. `pages` are the file's own pages, where it has some, and `texts` its writing, all in mm.
fn found(contours: &[Arc<Contour>], pages: &[Bounds], texts: &[Text]) -> Vec<(Kind, usize)> {
    let mut heights: Vec<f64> = texts.iter().map(|t| t.height).collect();
    heights.sort_by(f64::total_cmp);
    let letters = heights.get(heights.len() / 2).copied().unwrap_or(0.0);
    if contours.len() > MOST.0 || texts.len() > MOST.1 {
        let at: Vec<Point> = texts.iter().take(MOST.1).map(|t| t.at).collect();
        return border::found(contours, pages, &at, letters).into_iter().map(|i| (Kind::Border, i)).collect();
    }
    let boxed = |(i, c): (usize, &Arc<Contour>)| {
        let b = c.bounds;
        GeomWithData::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), i)
    };
    let index = RTree::bulk_load(contours.iter().enumerate().filter(|(_, c)| !c.bounds.is_empty()).map(boxed).collect());
    let mut plan = Plan { contours, pages, texts, index, letters, found: vec![None; contours.len()] };
    plan.borders();
    if plan.letters > 0.0 {
        plan.dimensions();
        plan.arrows();
    }
    plan.centre_lines();
    if plan.letters > 0.0 || !pages.is_empty() {
        plan.hatchings();
    }
    if plan.letters > 0.0 {
        plan.grids();
    }
    plan.found.iter().enumerate().filter_map(|(i, k)| k.map(|k| (k, i))).collect()
}

impl Plan<'_> {
    /// Contours whose boxes meet this one.
    fn near(&self, b: Bounds) -> impl Iterator<Item = usize> + '_ {
        self.index.locate_in_envelope_intersecting(AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y])).map(|g| g.data)
    }
    /// Contours that are not known to be paper and come within `reach` of a point.
    fn touching(&self, p: Point, reach: f64) -> Vec<usize> {
        let b = Bounds { min: p, max: p }.grown(reach);
        self.near(b).filter(|i| self.found[*i].is_none() && self.contours[*i].path.nearest(p).distance <= reach).collect()
    }
    fn take(&mut self, i: usize, kind: Kind) {
        self.found[i].get_or_insert(kind);
    }
    fn path(&self, i: usize) -> &Path {
        &self.contours[i].path
    }
    /// An open run of a few straight lines: all that dimensions, leaders and arrows are drawn with.
    fn is_strokes(&self, i: usize) -> bool {
        let p = self.path(i);
        self.found[i].is_none() && !p.closed && (1..=12).contains(&p.segments.len()) && p.segments.iter().all(Segment::is_line)
    }
    /// Something small and straight-edged that may end a line: an arrowhead, a barb, a slanted stroke.
    fn is_small(&self, i: usize, letters: f64) -> bool {
        let (p, b) = (self.path(i), self.contours[i].bounds);
        (1..=if p.closed { 5 } else { 2 }).contains(&p.segments.len())
            && p.segments.iter().all(Segment::is_line)
            && b.width().max(b.height()) <= SMALL * letters
    }
    /// What small things end a line at `end`.
    fn ends(&self, line: usize, end: Point, letters: f64) -> Vec<usize> {
        let at = self.touching(end, TOUCH * letters);
        at.into_iter().filter(|i| *i != line && self.is_small(*i, letters)).collect()
    }
}

/// What ends a line is no larger than so many letters, and comes this near, in heights of letters.
const SMALL: f64 = 3.5;
const TOUCH: f64 = 0.2;

/// All straight and along x or y.
fn squared(path: &Path) -> bool {
    path.segments.iter().all(|s| s.is_line() && ((s.start.x - s.end.x).abs() < 1e-6 || (s.start.y - s.end.y).abs() < 1e-6))
}

fn rectangle(path: &Path) -> bool {
    let b = path.bounds();
    path.closed
        && squared(path)
        && path.segments.len() <= 8
        && (path.area().abs() - b.width() * b.height()).abs() < 1e-6 * b.width() * b.height()
}

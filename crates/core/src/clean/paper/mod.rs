//! What of a plan is paper and not part: borders, title blocks, tables, dimensions, centre lines, hatchings, sections, item
//! numbers, arrows, and writing that came as outlines.
//!
//! A plan is read as a person reads it: by its writing. A line with a figure beside it and something at its ends is a
//! dimension, lines that part writing into cells are a table, and a table that hangs on the border is the title block.

mod border;
mod chained;
mod dimension;
mod grid;
mod items;
mod scale;
mod section;
mod strokes;
#[cfg(test)]
mod tests;
mod told;
mod writing;

pub use scale::scale_said;
pub use told::leftovers;

use super::{Cleaned, Contour, ContourId};
use crate::drawing::Text;
use crate::geometry::{Bounds, Path, Point, Segment};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::FxHashSet;
use std::sync::Arc;
use writing::{Line, usual};

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
    /// What is drawn as if sawn through, with its name by it.
    Section,
    /// Numbers in circles that lead to a part.
    ItemNumber,
    /// Arrows and leaders.
    Arrow,
    /// Writing that came as outlines or letters.
    Writing,
}

impl Kind {
    /// In the order in which they are told.
    pub const ALL: [Self; 10] = [
        Self::Border,
        Self::TitleBlock,
        Self::Table,
        Self::Dimension,
        Self::CentreLine,
        Self::Hatching,
        Self::Section,
        Self::ItemNumber,
        Self::Arrow,
        Self::Writing,
    ];

    /// `lines of borders`, for a count before it.
    pub fn words(self) -> &'static str {
        match self {
            Self::Border => "of borders",
            Self::TitleBlock => "of title blocks",
            Self::Table => "of tables",
            Self::Dimension => "of dimensions",
            Self::CentreLine => "of centre lines",
            Self::Hatching => "of hatchings",
            Self::Section => "of sections",
            Self::ItemNumber => "of item numbers",
            Self::Arrow => "of arrows",
            Self::Writing => "of writing",
        }
    }
}

/// What is drawn on the plan, with where to find it.
struct Plan<'a> {
    contours: &'a [Arc<Contour>],
    pages: &'a [Bounds],
    /// Boxes of what is reference already.
    left_out: &'a [Bounds],
    /// Its writing, and what came as outlines once that is known to be writing.
    lines: Vec<Line<'a>>,
    /// What letters among the contours say.
    lettered: Vec<&'a Text>,
    /// Boxes of all contours.
    index: RTree<GeomWithData<Rectangle<[f64; 2]>, usize>>,
    /// Height of most of the writing, mm; 0 without any.
    letters: f64,
    found: Vec<Option<Kind>>,
}

impl<'a> Plan<'a> {
    /// `pages` are the file's own pages, where it has some, and `texts` its writing, all in mm.
    fn new(contours: &'a [Arc<Contour>], pages: &'a [Bounds], left_out: &'a [Bounds], texts: &'a [Text]) -> Self {
        let boxed = |(i, c): (usize, &Arc<Contour>)| {
            let b = c.bounds;
            GeomWithData::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), i)
        };
        let index = RTree::bulk_load(contours.iter().enumerate().filter(|(_, c)| !c.bounds.is_empty()).map(boxed).collect());
        let made: FxHashSet<u32> = contours.iter().filter(|c| c.style.text).map(|c| c.compound).collect();
        let written = texts.iter().filter(|t| t.height > 0.0);
        let (lettered, written): (Vec<&Text>, Vec<&Text>) = written.partition(|t| t.compound > 0 && made.contains(&t.compound));
        let lines: Vec<Line> = written.into_iter().map(Line::of).collect();
        Self { contours, pages, left_out, letters: usual(&lines), lines, lettered, index, found: vec![None; contours.len()] }
    }

    /// Everything on it that is paper.
    fn read(&mut self) {
        self.borders();
        let outlined = self.writing();
        // Crosses through circles come first: a leader may end on one, and would take it for its head.
        self.centre_lines();
        if self.letters > 0.0 {
            self.scales();
            self.dimensions();
            // Writing as outlines tells a border only where there are dimensions too: a sign has a frame and letters.
            if outlined && self.found.contains(&Some(Kind::Dimension)) {
                self.borders();
            }
            self.item_numbers();
            self.arrows();
        }
        if self.letters > 0.0 || !self.pages.is_empty() {
            self.hatchings();
            self.sections();
        }
        if self.letters > 0.0 {
            self.grids();
            if outlined && self.found.contains(&Some(Kind::Table)) {
                self.borders();
            }
        }
        // Without a plan round it, it is work.
        let plan = [Kind::Border, Kind::TitleBlock, Kind::Table, Kind::Dimension];
        if !self.found.iter().flatten().any(|k| plan.contains(k)) {
            // So are crosses and dashes that no line type calls centre lines: marks of a template, a stitch for show.
            let work = |i: usize, k: Kind| match k {
                Kind::Writing => true,
                Kind::CentreLine => !strokes::chain_dotted(&self.contours[i].style.line_type),
                _ => false,
            };
            let gone: Vec<usize> = (0..self.found.len()).filter(|i| self.found[*i].is_some_and(|k| work(*i, k))).collect();
            gone.into_iter().for_each(|i| self.found[i] = None);
        }
    }
}

/// What of a drawing's contours is paper, each of its areas read by itself: what is written on one says nothing of another,
/// and is of another size where that is to another scale.
fn found_by_area(drawing: &Cleaned, contours: &[Arc<Contour>]) -> Vec<(Kind, usize)> {
    let Cleaned { pages, areas, texts, .. } = drawing;
    let made: FxHashSet<ContourId> = contours.iter().map(|c| c.id).collect();
    let left_out: Vec<Bounds> = drawing.contours.iter().filter(|c| !made.contains(&c.id) && rectangle(&c.path)).map(|c| c.bounds).collect();
    if areas.len() < 2 || contours.len() > MOST.0 {
        return found(contours, pages, &left_out, texts);
    }
    let area = |p: Point| areas.iter().position(|a| a.has(p)).unwrap_or(areas.len());
    let mut of: Vec<Vec<usize>> = vec![Vec::new(); areas.len() + 1];
    contours.iter().enumerate().for_each(|(i, c)| of[area(c.bounds.center())].push(i));
    let mut out = Vec::new();
    for (n, indices) in of.into_iter().enumerate().filter(|(_, of)| !of.is_empty()) {
        let within: Vec<Arc<Contour>> = indices.iter().map(|i| Arc::clone(&contours[*i])).collect();
        let pages: Vec<Bounds> = pages.iter().filter(|p| area(p.center()) == n).copied().collect();
        let texts: Vec<Text> = texts.iter().filter(|t| area(t.middle()) == n).cloned().collect();
        out.extend(found(&within, &pages, &left_out, &texts).into_iter().map(|(kind, i)| (kind, indices[i])));
    }
    out
}

/// What of the contours is paper.
fn found(contours: &[Arc<Contour>], pages: &[Bounds], left_out: &[Bounds], texts: &[Text]) -> Vec<(Kind, usize)> {
    if contours.len() > MOST.0 || texts.len() > MOST.1 {
        let lines: Vec<Line> = texts.iter().take(MOST.1).map(Line::of).collect();
        return border::found(contours, pages, left_out, &lines, usual(&lines)).into_iter().map(|i| (Kind::Border, i)).collect();
    }
    let mut plan = Plan::new(contours, pages, left_out, texts);
    plan.read();
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

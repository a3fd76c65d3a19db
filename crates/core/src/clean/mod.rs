//! Station 2: geometry a machine can follow.
//!
//! Curves become lines and arcs, loose pieces become contours, what would burn twice or not at all is found.

pub mod carry;
mod cells;
mod chain;
mod compare;
pub mod coupon;
mod crossed;
mod crossings;
mod dashes;
mod hairs;
mod identity;
mod kinks;
mod left_out;
mod nicked;
pub mod operate;
mod overlaps;
mod paper;
mod pieces;
mod scan;
mod strays;
mod table;
#[cfg(test)]
mod tests;
mod told;
pub mod trace;
mod twins;
mod views;

pub use crate::ids::ContourId;
pub use compare::{Compared, compare};
pub use left_out::plain_names;
pub use operate::Operation;
pub use paper::{leftovers, scale_said};
pub use views::region_at;

use crate::decisions::{DrawingDecisions, Mend, SolidChoices};
use crate::drawing::{Bitmap, Drawing, Nature, Picture, Shape, Style, Text};
use crate::finding::Finding;
use crate::geometry::{Affine, Bounds, LARGEST_COORDINATE, Path, Point, Tolerance};
use crate::intake::Intake;

use rayon::prelude::*;
use rustc_hash::FxHashSet;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::Arc;
use told::Told;
use views::Views;

/// Free ends further apart than the tolerance but nearer than this, in mm, are reported as gaps.
const GAP_WORTH_ASKING: f64 = 1.0;

/// A chain of lines and arcs with the looks of its source.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Contour {
    /// Stays the same when the drawing is read again.
    pub id: ContourId,
    /// The chain, in mm.
    pub path: Path,
    /// Looks.
    pub style: Arc<Style>,
    /// Drawing it comes from.
    pub drawing: u32,
    /// Length, mm.
    pub length: f64,
    /// Area with sign: positive anticlockwise, mm².
    pub area: f64,
    /// Box round it.
    pub bounds: Bounds,
    /// Number of the element that it was drawn with; outlines of one number are filled together. 0 for what stands alone.
    pub compound: u32,
    /// The picture that it frames: its first edge is the picture's lower one.
    pub picture: Option<Arc<Bitmap>>,
    /// The row of the drawing's table that it was filled from, from 1; 0 where there is no table.
    pub row: u32,
    /// What it is a copy of: the contour that decisions on all rows are kept under; itself where there is no table.
    pub source: ContourId,
}

/// A drawing made clean.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Cleaned {
    /// Number within the job.
    pub drawing: u32,
    /// File name.
    pub name: String,
    /// Its contours.
    pub contours: Vec<Arc<Contour>>,
    /// Its writing, in mm.
    pub texts: Vec<Text>,
    /// Pages of the file as they lie, mm, where it has pages.
    pub pages: Vec<Bounds>,
    /// What is drawn to one scale each, as it lies, mm: pages, or regions with scales of their own.
    pub areas: Vec<Bounds>,
    /// Box round all contours.
    pub bounds: Bounds,
    /// Widths of the gaps between free ends, joined or not, mm.
    pub gaps: Vec<f64>,
    /// What the copies of a drawing that a table fills are called, row by row; empty without a table.
    pub rows: Vec<String>,
}

impl Contour {
    /// A contour with its measures.
    fn new(id: ContourId, path: Path, style: Arc<Style>, drawing: u32) -> Self {
        let (length, area, bounds) = (path.length(), path.area(), path.bounds());
        Self { id, path, style, drawing, length, area, bounds, compound: 0, picture: None, row: 0, source: id }
    }
    /// A letter of a label that was added to a drawing; all letters of a drawing's labels are filled as they are wound.
    pub(crate) fn of_label(id: ContourId, path: Path, style: &Arc<Style>, drawing: u32) -> Self {
        Self { compound: u32::MAX, ..Self::new(id, path, Arc::clone(style), drawing) }
    }
    /// The same contour with another path.
    fn with(&self, path: Path) -> Self {
        let new = Self::new(self.id, path, Arc::clone(&self.style), self.drawing);
        Self { compound: self.compound, picture: self.picture.clone(), row: self.row, source: self.source, ..new }
    }
    /// A copy of it under another name; what is decided on it is decided on the copy too.
    pub(crate) fn copied(&self, id: ContourId, path: Path) -> Self {
        Self { id, source: self.id, ..self.with(path) }
    }
    /// Where its picture lies: from the unit square, lower left corner at 0, 0, to the contour's mm. `None` without a
    /// picture, and where the frame is no parallelogram any more.
    pub fn picture_place(&self) -> Option<Affine> {
        let [a, b, c, d] = self.path.segments.as_slice() else { return None };
        let frame = self.picture.is_some() && [a, b, c, d].iter().all(|s| s.is_line());
        let (x, y) = (b.start - a.start, d.start - a.start);
        let square = (c.start - a.start - x - y).hypot() < 1e-6 * (x.hypot() + y.hypot());
        (frame && square && x.cross(y) != 0.0).then(|| Affine::new([x.x, x.y, y.x, y.y, a.start.x, a.start.y]))
    }
}

impl Cleaned {
    /// Its writing that is reference only: not what letters say.
    pub fn reference(&self) -> impl Iterator<Item = &Text> {
        self.texts.iter().filter(|t| t.compound == 0)
    }
    /// Closed and open contours.
    pub fn counts(&self) -> (usize, usize) {
        let closed = self.contours.iter().filter(|c| c.path.closed).count();
        (closed, self.contours.len() - closed)
    }
}

/// A run of segments from one entity, on its way to a contour.
#[derive(Clone, Debug)]
pub(crate) struct Piece {
    pub(crate) path: Path,
    pub(crate) style: usize,
    /// Hash of the source entity's geometry in drawing units.
    pub(crate) source: u64,
    /// See [`Contour::compound`].
    pub(crate) compound: u32,
    /// The pieces of an earlier chaining that it was made from, where that is asked.
    pub(crate) from: Vec<u32>,
}

/// Cleans one drawing as decided. Fails on nothing: what cannot be used is a finding.
pub fn run(drawing: &Drawing, intake: &Intake, decisions: &DrawingDecisions, tolerance: &Tolerance) -> (Cleaned, Vec<Finding>) {
    run_beside(drawing, intake, decisions, tolerance, &BTreeSet::new())
}

/// The same beside contours that are left out as reference: under the names of [`plain_names`] they stay as they are drawn.
pub fn run_beside(
    drawing: &Drawing,
    intake: &Intake,
    decisions: &DrawingDecisions,
    tolerance: &Tolerance,
    left_out: &BTreeSet<ContourId>,
) -> (Cleaned, Vec<Finding>) {
    // A solid's faces are drawn as they are to be joined.
    let joined = drawing
        .solid
        .as_ref()
        .filter(|_| decisions.solid != SolidChoices::default())
        .map(|s| s.drawn(&decisions.solid, intake.mm(), drawing));
    let drawing = joined.as_ref().unwrap_or(drawing);
    let views = Views::of(decisions);
    let mut told = Told { file: &drawing.file, decisions, findings: Vec::new() };
    let mut pieces = if fits_the_shop(intake) { pieces::of(drawing, (intake, decisions.naming), &views, tolerance) } else { Vec::new() };
    let mut styles = drawing.styles.clone();
    if let Some(bitmap) = drawing.bitmap.as_ref().filter(|_| !decisions.engraved) {
        let style = Style { layer: "traced".into(), fill: Some([0; 3]), nature: Nature::Area, ..Style::default() };
        styles.push(style);
        told.traced(bitmap, intake, styles.len() - 1, &mut pieces);
    }

    told.centres(&mut pieces, &styles);
    if told.mended(Mend::DropZero) {
        pieces.retain(|p| p.path.length() >= tolerance.same);
    } else {
        told.zero_length(pieces.iter().filter(|p| p.path.length() < tolerance.same).filter_map(start_of).collect());
    }
    // Our own numbers and letters are clean as they were made: they are neither joined nor mended nor suspected.
    let own: Vec<Piece> = pieces.extract_if(.., |p| styles[p.style].added).collect();
    let aside = left_out::set_aside(&mut pieces, left_out, &styles, tolerance, decisions.id);
    let overlaps = overlaps::find(&pieces, &styles, tolerance.double);
    told.overlaps(&overlaps);
    if told.mended(Mend::RemoveDoubles) {
        pieces = overlaps::without(pieces, &overlaps);
    }
    let usual = chain::Options::plain(tolerance);
    let options = chain::Options {
        gap: decisions.gap.unwrap_or(usual.gap),
        join: match (told.mended(Mend::JoinDashes), told.mended(Mend::JoinRows)) {
            (true, _) => chain::Join::All,
            (false, true) => chain::Join::Sure,
            _ => chain::Join::No,
        },
        across_styles: !told.mended(Mend::KeepStylesApart),
        close_nicks: told.mended(Mend::CloseNicks),
        ..usual
    };
    let unmended: Vec<bool> = styles.iter().map(Style::aside).collect();
    let typed: Vec<bool> = styles.iter().map(|s| !s.line_type.is_empty()).collect();
    let mut chained = chain::run(pieces, &unmended, &typed, options);
    told.chaining(&chained);
    if let Some(refit) = decisions.refit {
        chained.contours.par_iter_mut().for_each(|c| c.path = c.path.refitted(refit));
    }
    // Letters are swept in rows: nothing brakes at their joints.
    let swept: Vec<bool> = styles.iter().map(|s| s.aside() || s.text).collect();
    told.kinks(&mut chained.contours, &swept, tolerance.curve * 2.0);
    split_crossings(&mut chained.contours, &styles, &mut told, tolerance.same);
    filled_lines(&mut chained.contours, &styles, &mut told, tolerance);
    twins::run(&mut chained.contours, &styles, &mut told);
    crossed::run(&mut chained.contours, &styles, &mut told, tolerance.same);
    chained.contours.extend(own.into_iter().map(chain::Chained::from));

    let ids = identity::beside(&chained.contours, decisions.id, aside.iter().map(|a| a.1).collect());
    let styles: Vec<Arc<Style>> = styles.into_iter().map(Arc::new).collect();
    let mut contours: Vec<Arc<Contour>> = chained
        .contours
        .into_par_iter()
        .zip(ids)
        .chain(aside)
        .map(|(c, id)| Arc::new(Contour { compound: c.compound, ..Contour::new(id, c.path, Arc::clone(&styles[c.style]), decisions.id) }))
        .collect();
    if fits_the_shop(intake) {
        contours.extend(pictures(drawing, intake, decisions, &views));
    }
    let operate::Done { mut contours, lost, odd } = operate::run(contours, &decisions.operations, decisions.naming);
    told.lost(&lost);
    told.odd(odd);
    told.letters(&decisions.operations);
    let texts = texts(drawing, intake, &views, &contours);
    told.specks(&mut contours, tolerance);
    if decisions.refit.is_none() {
        told.dense(&contours, tolerance.curve);
    }

    let gaps = chained.joined.iter().chain(&chained.open).map(|g| g.width).collect();
    let bounds = contours.iter().fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
    let lying = |p: Bounds| Bounds::of([p.min, p.max].map(|c| intake.transform * c));
    let pages: Vec<Bounds> = drawing.pages.iter().filter_map(|p| views.page(p)).map(lying).collect();
    let areas = if views.laid_anew() { views.laid().into_iter().map(lying).collect() } else { pages.clone() };
    let cleaned =
        Cleaned { drawing: decisions.id, name: drawing.file.clone(), contours, texts, pages, areas, bounds, gaps, rows: Vec::new() };
    let mut findings = told.findings;
    let Some(table) = &decisions.table else { return (cleaned, findings) };
    let (filled, more) = table::filled(cleaned, table);
    findings.extend(more);
    (filled, findings)
}

/// The name of a contour's copy.
pub(crate) fn row_name(of: ContourId, copy: u64) -> ContourId {
    ContourId(identity::mixed(of.0 ^ identity::mixed(copy)))
}

/// Open lines that are drawn with a fill: closed along the fill's last edge where that was decided, told where not.
fn filled_lines(contours: &mut [chain::Chained], styles: &[Style], told: &mut Told, tolerance: &Tolerance) {
    let filled = |c: &chain::Chained| {
        let s = &styles[c.style];
        let drawn = s.fill.is_some() && s.stroke.is_some() && !s.aside() && !s.text && !s.added;
        drawn && !c.path.closed && c.path.closed_straight().area().abs() > tolerance.speck * tolerance.speck
    };
    if told.mended(Mend::CloseFilled) {
        contours.iter_mut().filter(|c| filled(c)).for_each(|c| c.path = c.path.closed_straight());
    } else {
        told.filled_open(contours.iter().filter(|c| filled(c)).map(|c| c.path.segments[0].start).collect());
    }
}

/// Looks for outlines that cross themselves, and lets them fall into loops where that was decided.
///
/// What is only filled is left alone: its fill rule says what is inside, and letters are drawn so.
fn split_crossings(contours: &mut Vec<chain::Chained>, styles: &[Style], told: &mut Told, same: f64) {
    let filled = |s: &Style| s.aside() || s.text || s.stroke.is_none() && s.fill.is_some();
    let found: Vec<Vec<crossings::Crossing>> =
        contours.par_iter().map(|c| if filled(&styles[c.style]) { Vec::new() } else { crossings::find(&c.path, same) }).collect();
    if found.iter().all(Vec::is_empty) {
        return;
    }
    if !told.mended(Mend::SplitCrossings) {
        told.crossings(&found);
        return;
    }
    let mut loops = Vec::new();
    for (c, crossings) in contours.iter_mut().zip(&found).filter(|(_, f)| !f.is_empty()) {
        let mut simple = crossings::split(&c.path, crossings);
        simple.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
        let mut simple = simple.into_iter();
        // The largest loop keeps the name.
        if let Some(largest) = simple.next() {
            c.path = largest;
        }
        loops.extend(simple.map(|path| chain::Chained { path, style: c.style, name: c.name, compound: c.compound, from: Vec::new() }));
    }
    contours.extend(loops);
}

/// Frames of the pictures in the drawing, and of the drawing itself where it is one that is to be engraved.
fn pictures(drawing: &Drawing, intake: &Intake, decisions: &DrawingDecisions, views: &Views) -> Vec<Arc<Contour>> {
    let whole = drawing.bitmap.as_ref().filter(|_| decisions.engraved).map(|bitmap| {
        let place = Affine::scale_non_uniform(bitmap.width as f64, bitmap.height as f64);
        (Style { nature: Nature::Picture, ..Style::default() }, Picture { bitmap: Arc::clone(bitmap), place })
    });
    let within = drawing.entities.iter().filter_map(|e| match &e.shape {
        Shape::Picture(p) => {
            let laid = views.place(std::iter::once(p.place * Point::new(0.5, 0.5)))?;
            Some((drawing.styles[e.style].clone(), Picture { place: laid * p.place, ..p.clone() }))
        }
        _ => None,
    });
    within
        .chain(whole)
        .enumerate()
        .map(|(i, (style, picture))| {
            let corners =
                [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)].map(|(x, y)| intake.transform * (picture.place * Point::new(x, y)));
            let id = ContourId(identity::of_picture(&picture, decisions.id, i, decisions.naming));
            let contour = Contour::new(id, Path::polygon(&corners), Arc::new(style), decisions.id);
            Arc::new(Contour { picture: Some(picture.bitmap), ..contour })
        })
        .collect()
}

fn start_of(piece: &Piece) -> Option<Point> {
    piece.path.segments.first().map(|s| s.start)
}

/// Coordinates beyond 1 km or sizes beyond the limit were reported at Intake; they are not worked on.
fn fits_the_shop(intake: &Intake) -> bool {
    let corners = [intake.raw.min, intake.raw.max].map(|p| intake.transform * p);
    !intake.raw.is_empty()
        && corners.iter().all(|p| p.is_finite() && p.x.abs() <= LARGEST_COORDINATE * 10.0 && p.y.abs() <= LARGEST_COORDINATE * 10.0)
        && corners[0].distance(corners[1]) <= LARGEST_COORDINATE * 2.0
}

/// The drawing's writing as it lies, and what letters say that are still there.
fn texts(drawing: &Drawing, intake: &Intake, views: &Views, contours: &[Arc<Contour>]) -> Vec<Text> {
    let shown: FxHashSet<u32> = contours.iter().filter(|c| c.style.text && !c.style.hidden).map(|c| c.compound).collect();
    let written = drawing.entities.iter().filter_map(|e| if let Shape::Text(t) = &e.shape { Some(t) } else { None });
    let lie = |t: &Text| {
        let laid = intake.transform * views.place(std::iter::once(t.at))?;
        let scale = laid.determinant().abs().sqrt();
        let along = laid * (t.at + kurbo::Vec2::from_angle(t.angle)) - laid * t.at;
        Some(Text { at: laid * t.at, height: t.height * scale, angle: along.atan2(), ..t.clone() })
    };
    written.chain(drawing.lettered.iter().filter(|t| shown.contains(&t.compound))).filter_map(lie).collect()
}

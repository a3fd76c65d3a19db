//! Station 2: geometry a machine can follow.
//!
//! Curves become lines and arcs, loose pieces become contours, what would burn twice or not at all is found.

mod cells;
mod chain;
mod doubles;
mod identity;
#[cfg(test)]
mod tests;

pub use identity::ContourId;

use crate::decisions::DrawingDecisions;
use crate::drawing::{Drawing, Shape, Style, Text};
use crate::edit::Edit;
use crate::finding::{Finding, Severity, Station, counted};
use crate::geometry::{Bounds, LARGEST_COORDINATE, Path, Point, Segment, Tolerance};
use crate::intake::Intake;
use rayon::prelude::*;
use std::sync::Arc;

/// Free ends further apart than the tolerance but nearer than this, in mm, are reported as gaps.
const GAP_WORTH_ASKING: f64 = 1.0;

/// A chain of lines and arcs with the looks of its source.
#[derive(Clone, Debug)]
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
}

/// A drawing made clean.
#[derive(Clone, Debug)]
pub struct Cleaned {
    /// Number within the job.
    pub drawing: u32,
    /// File name.
    pub name: String,
    /// Its contours.
    pub contours: Vec<Arc<Contour>>,
    /// Its writing, in mm.
    pub texts: Vec<Text>,
    /// Box round all contours.
    pub bounds: Bounds,
}

impl Cleaned {
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
}

/// Cleans one drawing as decided. Fails on nothing: what cannot be used is a finding.
pub fn run(drawing: &Drawing, intake: &Intake, decisions: &DrawingDecisions, tolerance: &Tolerance) -> (Cleaned, Vec<Finding>) {
    let mut findings = Vec::new();
    let styles: Vec<Arc<Style>> = drawing.styles.iter().cloned().map(Arc::new).collect();
    let mut pieces = if fits_the_shop(intake) { pieces(drawing, intake, tolerance) } else { Vec::new() };

    let zero: Vec<Point> = pieces.iter().filter(|p| p.path.length() < tolerance.same).filter_map(start_of).collect();
    if !zero.is_empty() {
        if decisions.drop_zero {
            pieces.retain(|p| p.path.length() >= tolerance.same);
        } else {
            let n = zero.len();
            let text = format!(
                "{} in {} {} no length; each would burn a dot.",
                counted(n, "piece", "pieces"),
                drawing.file,
                if n == 1 { "has" } else { "have" }
            );
            let edit = Edit::DropZero { drawing: decisions.id };
            findings.push(
                Finding::new(Station::Clean, Severity::Look, "zero-length", n, text)
                    .at(decisions.id, zero)
                    .mend(format!("Drop the {n}"), edit),
            );
        }
    }

    let doubled = doubles::find(&pieces, &drawing.styles, tolerance.same * 10.0);
    if doubled.count > 0 {
        let n = doubled.count;
        if decisions.remove_doubles {
            pieces = doubles::without(pieces, &doubled);
        } else {
            let text =
                format!("{} exactly on another in {}; each would be burned twice.", counted(n, "line lies", "lines lie"), drawing.file);
            let edit = Edit::RemoveDoubles { drawing: decisions.id };
            findings.push(
                Finding::new(Station::Clean, Severity::Look, "doubled-lines", n, text)
                    .at(decisions.id, doubled.places.clone())
                    .mend(format!("Remove the {n}"), edit),
            );
        }
    }

    let gap = decisions.gap.unwrap_or(tolerance.gap);
    let chained = chain::run(pieces, tolerance.same, gap, GAP_WORTH_ASKING);
    if !chained.joined.is_empty() {
        let n = chained.joined.len();
        let largest = chained.joined.iter().map(|g| g.width).fold(0.0, f64::max);
        let text = format!("{} in {} closed, the largest {largest:.3} mm.", counted(n, "gap", "gaps"), drawing.file);
        findings.push(
            Finding::new(Station::Clean, Severity::Note, "gaps-closed", n, text).at(decisions.id, chained.joined.iter().map(|g| g.at)),
        );
    }
    if !chained.open.is_empty() {
        let n = chained.open.len();
        let largest = chained.open.iter().map(|g| g.width).fold(0.0, f64::max);
        let text = format!(
            "{} in {} up to {largest:.3} mm wide; an outline with a gap is open and cannot be nested or offset.",
            counted(n, "gap", "gaps"),
            drawing.file
        );
        let wide = (largest * 1.01 * 1000.0).ceil() / 1000.0;
        findings.push(
            Finding::new(Station::Clean, Severity::Look, "gaps", n, text)
                .at(decisions.id, chained.open.iter().map(|g| g.at))
                .mend(format!("Close gaps up to {wide:.3} mm"), Edit::SetGap { drawing: decisions.id, gap: wide })
                .choice("Leave them open", Edit::Accept { code: "gaps".into() }),
        );
    }

    let ids = identity::of(&chained.contours, decisions.id);
    let contours: Vec<Arc<Contour>> = chained
        .contours
        .into_par_iter()
        .zip(ids)
        .map(|(c, id)| {
            let (length, area, bounds) = (c.path.length(), c.path.area(), c.path.bounds());
            Arc::new(Contour { id, style: Arc::clone(&styles[c.style]), drawing: decisions.id, length, area, bounds, path: c.path })
        })
        .collect();
    let bounds = contours.iter().fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
    (Cleaned { drawing: decisions.id, name: drawing.file.clone(), contours, texts: texts(drawing, intake), bounds }, findings)
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

fn pieces(drawing: &Drawing, intake: &Intake, tolerance: &Tolerance) -> Vec<Piece> {
    drawing
        .entities
        .par_iter()
        .filter_map(|entity| {
            let Shape::Path { curves, closed } = &entity.shape else { return None };
            let placed: Vec<_> = curves.iter().map(|c| c.transformed(intake.transform)).collect();
            let mut path = Path::fitted(&placed, *closed, tolerance.curve);
            if path.segments.len() > 1 {
                let first = path.segments[0];
                path.segments.retain(|s| s.chord() > 1e-9);
                if path.segments.is_empty() {
                    path.segments.push(first);
                }
            }
            close(&mut path, tolerance.same);
            Some(Piece { path, style: entity.style, source: identity::of_entity(curves) })
        })
        .collect()
}

/// Closes a path whose file says that it is closed, and one whose ends meet.
fn close(path: &mut Path, same: f64) {
    let (Some(first), Some(last)) = (path.segments.first(), path.segments.last()) else { return };
    let (start, end) = (first.start, last.end);
    let gap = start.distance(end);
    if path.closed && gap > same {
        path.segments.push(Segment::line(end, start));
    } else if gap <= same && path.segments.len() > 1 && path.length() > 3.0 * same {
        path.closed = true;
        if let Some(last) = path.segments.last_mut() {
            last.end = start;
        }
    } else if path.segments.len() == 1 {
        path.closed = false;
    }
}

fn texts(drawing: &Drawing, intake: &Intake) -> Vec<Text> {
    let scale = intake.transform.determinant().abs().sqrt();
    drawing
        .entities
        .iter()
        .filter_map(|e| match &e.shape {
            Shape::Text(t) => {
                let along = intake.transform * (t.at + kurbo::Vec2::from_angle(t.angle)) - intake.transform * t.at;
                Some(Text { at: intake.transform * t.at, height: t.height * scale, angle: along.atan2(), value: t.value.clone() })
            }
            Shape::Path { .. } => None,
        })
        .collect()
}

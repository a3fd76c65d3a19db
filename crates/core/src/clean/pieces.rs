//! Curves of a drawing as runs of lines and arcs, closed where they are.

use super::views::Views;
use super::{Piece, hairs, identity};
use crate::decisions::Naming;
use crate::drawing::{Drawing, Shape};
use crate::geometry::{Path, Segment, Tolerance};
use crate::intake::Intake;
use rayon::prelude::*;

/// What is drawn, as runs of lines and arcs in mm.
pub(super) fn of(drawing: &Drawing, (intake, naming): (&Intake, Naming), views: &Views, tolerance: &Tolerance) -> Vec<Piece> {
    drawing
        .entities
        .par_iter()
        .filter_map(|entity| {
            let Shape::Path { curves, closed } = &entity.shape else { return None };
            let laid = intake.transform * views.place(curves.iter().map(|c| c.ends().0))?;
            let placed: Vec<_> = curves.iter().map(|c| c.transformed(laid)).collect();
            let mut path = Path::fitted(&placed, *closed, tolerance.curve);
            if path.segments.len() > 1 {
                let first = path.segments[0];
                path.segments.retain(|s| s.chord() > 1e-9);
                if path.segments.is_empty() {
                    path.segments.push(first);
                }
            }
            close(&mut path, tolerance.same, tolerance.curve);
            hairs::shave(&mut path, tolerance.gap, tolerance.same);
            Some(Piece {
                path,
                style: entity.style,
                source: identity::of_entity(curves, naming),
                compound: entity.compound,
                from: Vec::new(),
            })
        })
        .collect()
}

/// Closes a path whose file says that it is closed, and one whose ends meet. What the digits of a file leave open at its last
/// corner, less than `hair` mm, is no edge of its own: it would lie across the corner.
fn close(path: &mut Path, same: f64, hair: f64) {
    // Readers close a path by a line of its own, however short.
    while path.closed && path.segments.len() > 2 && path.segments.last().is_some_and(|s| s.is_line() && s.chord() < hair) {
        let crumb = path.segments.pop();
        if let (Some(last), Some(crumb)) = (path.segments.last_mut(), crumb) {
            last.end = crumb.end;
        }
    }
    let (Some(first), Some(last)) = (path.segments.first(), path.segments.last()) else { return };
    let (start, end) = (first.start, last.end);
    let gap = start.distance(end);
    if path.closed && gap > same && (gap > hair || path.segments.len() < 2) {
        path.segments.push(Segment::line(end, start));
    } else if path.closed && gap > same {
        if let Some(last) = path.segments.last_mut() {
            last.end = start;
        }
    } else if gap <= same && path.segments.len() > 1 && path.length() > 3.0 * same {
        path.closed = true;
        if let Some(last) = path.segments.last_mut() {
            last.end = start;
        }
    } else if path.segments.len() == 1 {
        path.closed = false;
    }
}

//! Engraving that would not happen: open lines, and areas thinner than the beam.

use super::{Item, Process};
use crate::clean::{ContourId, Operation};
use crate::decisions::{AssignEdit, CleanEdit, Edit};
use crate::finding::{Code, Finding, Severity, Station, counted};

/// Open outlines whose ends are nearer than this share of their length can be closed.
const NEARLY_CLOSED: f64 = 0.2;

/// Open lines that are to be engraved: they can be scored, given a width, or closed where they nearly are.
pub(super) fn open(items: &[Item], spot: f64) -> Option<Finding> {
    let open: Vec<&Item> = items.iter().filter(|i| i.process == Process::Engrave && !i.contour.path.closed).collect();
    let n = open.len();
    if n == 0 {
        return None;
    }
    let ids: Vec<ContourId> = open.iter().map(|i| i.contour.id).collect();
    let text = format!(
        "{} to be engraved but {} no area: nothing would happen there.",
        counted(n, "open line is", "open lines are"),
        if n == 1 { "has" } else { "have" }
    );
    let score = Edit::Assign(AssignEdit::SetContours { contours: ids.clone(), process: Some(Process::Score) });
    let wide = spot * 3.0;
    let finding = Finding::new(Station::Assign, Severity::Look, Code::EngraveOpen, n, text)
        .on(ids)
        .mend(format!("Score the {n} instead"), score)
        .choice(format!("Give them a width of {wide:.2} mm"), operations(&open, |contours| Operation::Widen { contours, width: wide }));
    let gap = |i: &Item| {
        let s = &i.contour.path.segments;
        s.first().zip(s.last()).map_or(f64::INFINITY, |(a, b)| a.start.distance(b.end))
    };
    let nearly = open.iter().all(|i| i.contour.path.segments.len() > 1 && gap(i) <= i.contour.length * NEARLY_CLOSED);
    Some(if nearly {
        finding.choice(format!("Close the {n}"), operations(&open, |contours| Operation::Close { contours }))
    } else {
        finding
    })
}

/// Areas that are thinner than the beam on the whole: twice their area over their outline's length.
pub(super) fn thin(items: &[Item], spot: f64) -> Option<Finding> {
    let thin: Vec<&Item> = items
        .iter()
        .filter(|i| i.process == Process::Engrave && i.contour.path.closed && i.contour.area.abs() * 2.0 < spot * i.contour.length)
        .filter(|i| !is_counter(i, items))
        .collect();
    let n = thin.len();
    if n == 0 {
        return None;
    }
    let ids: Vec<ContourId> = thin.iter().map(|i| i.contour.id).collect();
    let text = format!(
        "{} thinner than the beam ({spot} mm) {} to be engraved; rows may miss {} altogether.",
        counted(n, "area", "areas"),
        if n == 1 { "is" } else { "are" },
        if n == 1 { "it" } else { "them" }
    );
    let score = Edit::Assign(AssignEdit::SetContours { contours: ids.clone(), process: Some(Process::Score) });
    Some(
        Finding::new(Station::Assign, Severity::Look, Code::EngraveThin, n, text)
            .on(ids)
            .mend(format!("Score the {n} instead"), score)
            .choice(
                format!("Make them {spot} mm wider"),
                operations(&thin, |contours| Operation::Offset {
                    contours,
                    by: spot / 2.0,
                    corners: crate::geometry::Corners::Mitre,
                    rings: 1,
                    keep: false,
                }),
            )
            .acceptable("Engrave anyway"),
    )
}

/// True for an opening in an area of the same element: it is not engraved itself.
fn is_counter(item: &Item, items: &[Item]) -> bool {
    let c = &item.contour;
    c.compound != 0
        && items.iter().any(|o| {
            o.contour.compound == c.compound && o.contour.drawing == c.drawing && o.contour.id != c.id && o.contour.bounds.holds(&c.bounds)
        })
}

/// The same operation on the contours of each drawing.
fn operations(items: &[&Item], make: impl Fn(Vec<ContourId>) -> Operation) -> Edit {
    let mut drawings: Vec<u32> = items.iter().map(|i| i.contour.drawing).collect();
    drawings.dedup();
    let of = |d: u32| items.iter().filter(|i| i.contour.drawing == d).map(|i| i.contour.id).collect();
    Edit::All {
        edits: drawings.into_iter().map(|drawing| Edit::Clean(CleanEdit::Operate { drawing, operation: make(of(drawing)) })).collect(),
    }
}

//! Work laid on blanks: part after part in the order of the work, blank after blank in reading order, tray after tray.

use super::{Layout, NestEdit, Placement};
use crate::assign::{Part, Work};
use crate::decisions::{Edit, Lie, Tray};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Bounds, Point};
use crate::ids::BatchId;
use std::collections::BTreeSet;

/// How closely curves are followed where it is asked whether they lie on a blank, mm; so much may be over its edge.
const CLOSE: f64 = 0.02;

/// Copies of which something would be burned beside their blank.
pub(super) fn outside(work: &Work, layout: &Layout) -> Option<Finding> {
    let mut at: Vec<Point> = Vec::new();
    let mut first = None;
    let mut parts = BTreeSet::new();
    let mut name = String::new();
    for (i, s) in layout.sheets.iter().enumerate() {
        let Some(tray) = &s.sheet.tray else { continue };
        for p in &s.placed {
            let Some(part) = work.part(p.copy.part) else { continue };
            if !on_one(work, part, p, tray) {
                name.clone_from(&tray.name);
                parts.insert(part.id);
                if *first.get_or_insert(i) == i {
                    at.push(p.affine() * part.bounds.center());
                }
            }
        }
    }
    let (first, n) = (first?, parts.len());
    let text = format!(
        "{} beside the blank ({name}): what lies there would be burned into the jig or the bed.",
        counted(n, "part reaches", "parts reach")
    );
    let none: Vec<Edit> = parts.iter().map(|part| NestEdit::SetQuantity { part: *part, quantity: 0 }.on(BatchId::FIRST)).collect();
    let mut finding = Finding::new(Station::Nest, Severity::Stop, Code::OutsideBlank, n, text).on_sheet(first, at);
    let tray = layout.sheets[first].sheet.tray.as_deref().filter(|t| t.lie != Lie::Centred).cloned();
    if let Some(tray) = tray {
        let tray = Some(Box::new(Tray { lie: Lie::Centred, ..tray }));
        let edits = vec![NestEdit::SetTray { tray }.on(BatchId::FIRST), NestEdit::Nest.on(BatchId::FIRST)];
        finding = finding.choice("Centre all of them", Edit::All { edits });
    }
    let edits = none.into_iter().chain([NestEdit::Nest.on(BatchId::FIRST)]).collect();
    Some(finding.choice(format!("Make none of the {n}"), Edit::All { edits }))
}

/// True where all of a copy lies on one and the same blank.
fn on_one(work: &Work, part: &Part, placed: &Placement, tray: &Tray) -> bool {
    let place = placed.affine();
    let contours: Vec<_> = part.items().map(|i| work.items[i].contour.path.transformed(place)).collect();
    let Some(first) = contours.first().and_then(|p| p.segments.first()).map(|s| s.start) else { return true };
    let blank = tray.blank();
    let on = (0..tray.count()).map(|k| tray.place(k)).find(|k| {
        let min = *k * blank.min;
        Bounds { min, max: min + (blank.max - blank.min) }.grown(CLOSE).has(first)
    });
    let Some(on) = on else { return false };
    let edges: Vec<_> = tray.outline.iter().map(|p| p.transformed(on)).collect();
    let Some((edge, holes)) = edges.split_first() else { return false };
    let holds = |p: Point| {
        (edge.contains(p) || edge.nearest(p).distance <= CLOSE) && !holes.iter().any(|h| h.contains(p) && h.nearest(p).distance > CLOSE)
    };
    contours.iter().all(|c| c.points(CLOSE).into_iter().all(holds))
}

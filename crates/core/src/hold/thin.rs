//! Webs, necks and tongues that are so thin that they burn away or break.

use super::Given;
use crate::assign::{Part, Process, Work};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Path, Point, Region};
use crate::nest::Layout;
use rayon::prelude::*;

/// Edges of one part that are looked at; parts with more are drawn from pictures and full of thin places.
const MOST_EDGES: usize = 20_000;
/// Thin places that go on for less than this share of the least width are corners' tips.
const LEAST_DEPTH: f64 = 0.25;

/// Thin places of the parts that are laid, one finding for all sheets: they are in every copy.
pub(super) fn webs(work: &Work, layout: &Layout, given: &Given) -> Option<Finding> {
    let kerf = given.rows.get(Process::Cut, None)?.kerf;
    let least = (given.web.0 * kerf).max(given.web.1 * given.thickness);
    if kerf <= 0.0 || least <= 0.0 {
        return None;
    }
    let laid = |p: &&Part| layout.sheets.iter().flat_map(|s| &s.placed).any(|placed| placed.copy.part == p.id);
    let parts: Vec<&Part> = work.parts.iter().filter(laid).collect();
    let found: Vec<(&Part, Vec<Point>)> =
        parts.into_par_iter().map(|p| (p, thin_places(work, p, least))).filter(|f| !f.1.is_empty()).collect();
    let n: usize = found.iter().map(|f| f.1.len()).sum();
    let (first, _) = found.first()?;
    let text = format!(
        "{} in {} {} thinner than {least:.1} mm ({} kerfs, or {:.0} % of the sheet's thickness): {} may burn away or break.",
        counted(n, "web or neck", "webs or necks"),
        if found.len() == 1 { first.name.clone() } else { counted(found.len(), "part", "parts") },
        if n == 1 { "is" } else { "are" },
        given.web.0,
        given.web.1 * 100.0,
        if n == 1 { "it" } else { "they" }
    );
    // Shown on the first copy of each part that has some, those of the first such sheet.
    let mut shown: Option<(usize, Vec<Point>)> = None;
    for (part, places) in &found {
        let lying = layout.sheets.iter().enumerate().find_map(|(i, s)| Some((i, s.placed.iter().find(|p| p.copy.part == part.id)?)));
        if let Some((sheet, placed)) = lying {
            let (on, points) = shown.get_or_insert((sheet, Vec::new()));
            if *on == sheet {
                points.extend(places.iter().map(|p| placed.affine() * *p));
            }
        }
    }
    let (sheet, points) = shown?;
    let finding = Finding::new(Station::Hold, Severity::Look, Code::ThinWeb, n, text);
    Some(finding.on(found.iter().flat_map(|f| std::iter::repeat_n(f.0.id.0, f.1.len()))).on_sheet(sheet, points).acceptable("Cut it so"))
}

/// Where a part, as drawn, is thinner than each of these widths, mm, the least first: outlines of those places. Corners, which
/// are thin only at their tips, are none.
pub fn thinner_than(work: &Work, part: &Part, widths: &[f64]) -> Vec<Vec<Path>> {
    let Some(whole) = whole(work, part) else { return vec![Vec::new(); widths.len()] };
    let narrow = |piece: &Region| piece.residues(&whole).iter().any(boustrophe_geometry::Residue::is_narrow);
    let within = |width: &f64| whole.beyond(&whole.opened(*width)).pieces().filter(narrow).flat_map(|p| p.outlines()).collect();
    widths.iter().map(within).collect()
}

/// A part as an area; none where it is too finely drawn to look at.
fn whole(work: &Work, part: &Part) -> Option<Region> {
    let holes = part.holes.iter().map(|i| &work.items[*i].contour.path);
    let outlines: Vec<&Path> = std::iter::once(&part.outline).chain(holes).collect();
    let fine = part.outer.is_none() || outlines.iter().map(|p| p.segments.len()).sum::<usize>() > MOST_EDGES;
    (!fine).then(|| Region::within(&outlines))
}

/// Places of a part, as drawn, where it is thinner than `least` mm.
fn thin_places(work: &Work, part: &Part, least: f64) -> Vec<Point> {
    let Some(whole) = whole(work, part) else { return Vec::new() };
    let thin = whole.beyond(&whole.opened(least)).residues(&whole);
    thin.into_iter().filter(|r| r.is_narrow() && r.depth > LEAST_DEPTH * least).map(|r| r.at).collect()
}

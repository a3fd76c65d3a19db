//! Webs, necks and tongues that are so thin that they burn away or break.

use super::Given;
use crate::assign::{Part, Process, Work};
use crate::decisions::clean::Operation;
use crate::decisions::{CleanEdit, Edit};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Bounds, Path, Point, Region, Segment, apart};
use crate::nest::Layout;
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

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
    // Widened where it is asked, in the drawing: what it changes is seen there, and nested anew.
    let wide = (least * 100.0).ceil() / 100.0;
    let thicken = |p: &Part| {
        let contours = p.outer.iter().chain(&p.holes).map(|i| work.items[*i].contour.id).collect();
        Edit::Clean(CleanEdit::Operate { drawing: p.drawing, operation: Operation::Thicken { contours, width: wide } })
    };
    let edits = found.iter().map(|f| thicken(f.0)).collect();
    let finding = finding.on(found.iter().flat_map(|f| std::iter::repeat_n(f.0.id.0, f.1.len()))).on_sheet(sheet, points);
    Some(finding.acceptable("Cut anyway").choice(format!("Make what is thinner than {wide} mm that thick"), Edit::All { edits }))
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

/// Pairs of edges that are looked at before an area is: with more of them it is looked at at once.
const MOST_PAIRS: usize = 400_000;

/// True where edges come nearer to each other than so many mm, those apart that share a corner: else nothing is thinner than that but
/// corners. A plate of thousands of holes is told so without its area.
fn come_near<'a>(outlines: impl Iterator<Item = &'a Path>, near: f64) -> bool {
    let mut edges: Vec<(usize, usize, usize, Segment)> = Vec::new();
    for (of, path) in outlines.enumerate() {
        edges.extend(path.segments.iter().enumerate().map(|(k, s)| (of, k, path.segments.len(), *s)));
    }
    let corners = |b: Bounds| ([b.min.x, b.min.y], [b.max.x, b.max.y]);
    let boxed = |(i, e): (usize, &(usize, usize, usize, Segment))| {
        let (min, max) = corners(e.3.bounds());
        GeomWithData::new(Rectangle::from_corners(min, max), i)
    };
    let tree = RTree::bulk_load(edges.iter().enumerate().map(boxed).collect());
    let mut pairs = 0;
    for (i, (of, k, n, edge)) in edges.iter().enumerate() {
        let (min, max) = corners(edge.bounds().grown(near));
        for j in tree.locate_in_envelope_intersecting(AABB::from_corners(min, max)).map(|b| b.data).filter(|j| *j > i) {
            let (other, l, _, there) = &edges[j];
            let neighbours = of == other && (k.abs_diff(*l) == 1 || k.abs_diff(*l) + 1 == *n);
            pairs += 1;
            // Neighbours meet at their corner; halfway along they are apart, or the corner is a sliver.
            let are_near = if neighbours { edge.at(0.5).distance(there.at(there.nearest(edge.at(0.5)))) } else { apart(edge, there).1 };
            if pairs > MOST_PAIRS || are_near < near || neighbours && edge.distance(there.at(0.5)) < near {
                return true;
            }
        }
    }
    false
}

/// Places of a part, as drawn, where it is thinner than `least` mm.
fn thin_places(work: &Work, part: &Part, least: f64) -> Vec<Point> {
    let holes = part.holes.iter().map(|i| &work.items[*i].contour.path);
    if !come_near(std::iter::once(&part.outline).chain(holes), least) {
        return Vec::new();
    }
    let Some(whole) = whole(work, part) else { return Vec::new() };
    let thin = whole.beyond(&whole.opened(least)).residues(&whole);
    thin.into_iter().filter(|r| r.is_narrow() && r.depth > LEAST_DEPTH * least).map(|r| r.at).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        /// What is not looked at as an area has nothing thin: the area itself says so.
        #[test]
        fn where_no_edges_come_near_nothing_is_thin(
            holes in prop::collection::vec((5.0..95.0_f64, 5.0..55.0_f64, 1.0..7.0_f64, any::<bool>()), 1..7), least in 0.3..3.0_f64, cut in 0.0..20.0_f64,
        ) {
            let corners = [(0.0, 0.0), (100.0, 0.0), (100.0, 60.0 - cut), (100.0 - cut, 60.0), (0.0, 60.0)].map(|(x, y)| Point::new(x, y));
            let mut outlines = vec![Path::polygon(&corners)];
            outlines.extend(holes.into_iter().map(|(x, y, r, round)| {
                if round { Path::circle(Point::new(x, y), r) } else { Path::rectangle(x - r, y - r, 2.0 * r, r) }
            }));
            let whole = Region::within(&outlines.iter().collect::<Vec<_>>());
            let thin = whole.beyond(&whole.opened(least)).residues(&whole);
            let found = thin.iter().any(|r| r.is_narrow() && r.depth > LEAST_DEPTH * least);
            prop_assert!(!found || come_near(outlines.iter(), least));
        }
    }
}

//! With common edges: what lies nearly a kerf apart along straight edges is brought to exactly a kerf, so that both have the
//! cut where they want it. Regions go round corners in short straight steps, and leave a few micrometres of play.

use crate::check::{Around, faults};
use crate::geometry::{Bounds, Segment, Vec2};
use crate::ids::CopyId;
use crate::layout::{Layout, Placement, Sheet, SheetLayout};
use crate::parts::Parts;
use crate::terms::{Distances, is_straight};

/// Play that is taken out, mm.
const PLAY: f64 = 0.06;
/// What is this near to a kerf is shared, mm.
const EXACT: f64 = 0.002;
/// Edges face each other on no less than this, mm.
const LEAST: f64 = 0.5;

/// A copy's straight edges as it lies; none where it has others too.
struct Lying {
    edges: Vec<Segment>,
    bounds: Bounds,
}

fn lay(work: &dyn Parts, p: &Placement) -> Lying {
    let outline = work.part(p.copy.part).map(|part| part.outline.transformed(p.affine())).unwrap_or_default();
    let bounds = outline.bounds();
    Lying { edges: if is_straight(&outline) { outline.segments } else { Vec::new() }, bounds }
}

/// A way that a copy should go, how far, and on what length it would share an edge then.
type Pull = (Vec2, f64, f64);

/// What one copy's edges want of another's.
fn pulls(mine: &Lying, other: &Lying, kerf: f64, out: &mut Vec<Pull>) {
    if !mine.bounds.grown(kerf + PLAY).meets(&other.bounds) {
        return;
    }
    for a in &mine.edges {
        let (way, length) = (a.direction(0.0), a.length());
        for b in other.edges.iter().filter(|b| way.cross(b.direction(0.0)).abs() < 1e-6) {
            let (from, to) = ((b.start - a.start).dot(way), (b.end - a.start).dot(way));
            let overlap = from.max(to).min(length) - from.min(to).max(0.0);
            let off = (b.start - a.start).dot(way.turn_90());
            let play = off.abs() - kerf;
            if overlap > LEAST && play.abs() < PLAY {
                out.push((way.turn_90() * off.signum(), play, overlap));
            }
        }
    }
}

/// What lies at the margin slides along it, where nothing else holds it.
fn at_the_margin(b: &Bounds, sheet: &Sheet, margin: f64) -> impl Iterator<Item = Pull> {
    let sides = [
        (Vec2::new(-1.0, 0.0), b.min.x - margin),
        (Vec2::new(0.0, -1.0), b.min.y - margin),
        (Vec2::new(1.0, 0.0), sheet.width - margin - b.max.x),
        (Vec2::new(0.0, 1.0), sheet.height - margin - b.max.y),
    ];
    sides.into_iter().filter(|s| s.1.abs() < PLAY).map(|(way, play)| (way, play.min(0.0), 0.0))
}

/// The move that takes the play out along the longest of the edges, and along the longest that runs another way.
fn wanted(mut pulls: Vec<Pull>) -> Option<Vec2> {
    pulls.sort_by(|a, b| b.2.total_cmp(&a.2));
    let (u, d, _) = *pulls.first().filter(|p| p.2 > 0.0)?;
    let other = pulls.iter().find(|p| p.0.cross(u).abs() > 0.2);
    Some(other.map_or(u * d, |(v, e, _)| Vec2::new(d * v.y - e * u.y, e * u.x - d * v.x) / u.cross(*v)))
}

/// Length that copies share, each edge counted once, mm.
pub(crate) fn shared(work: &dyn Parts, layout: &Layout, kerf: f64) -> f64 {
    let on = |s: &SheetLayout| {
        let lying: Vec<Lying> = s.placed.iter().map(|p| lay(work, p)).collect();
        let mut all = Vec::new();
        for (i, a) in lying.iter().enumerate() {
            lying[..i].iter().for_each(|b| pulls(a, b, kerf, &mut all));
        }
        all.iter().filter(|p| p.1.abs() < EXACT).map(|p| p.2).sum::<f64>()
    };
    layout.sheets.iter().map(on).sum()
}

/// The layout without that play, where nothing comes too near by it. What is held stays.
pub(crate) fn snapped(work: &dyn Parts, layout: Layout, distances: Distances, held: impl Fn(&CopyId) -> bool) -> Layout {
    let Some(kerf) = distances.common else { return layout };
    let mut out = layout.clone();
    for sheet in &mut out.sheets {
        snap(work, sheet, kerf, distances, &held);
    }
    if faults(work, &out, distances).count > 0 { layout } else { out }
}

fn snap(work: &dyn Parts, sheet: &mut SheetLayout, kerf: f64, distances: Distances, held: &dyn Fn(&CopyId) -> bool) {
    let corner = |p: &Placement| lay(work, p).bounds.min.to_vec2();
    let mut order: Vec<(bool, f64, usize)> =
        sheet.placed.iter().enumerate().map(|(i, p)| (!held(&p.copy), corner(p).x + corner(p).y, i)).collect();
    order.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let (mut fixed, mut lying): (Vec<Placement>, Vec<Lying>) = (Vec::new(), Vec::new());
    for (free, _, i) in order {
        let mut p = sheet.placed[i];
        let mut here = lay(work, &p);
        if free && !here.edges.is_empty() {
            let mut all = Vec::new();
            lying.iter().for_each(|other| pulls(&here, other, kerf, &mut all));
            all.extend(at_the_margin(&here.bounds, &sheet.sheet, distances.margin));
            if let Some(by) = wanted(all).filter(|m| m.hypot() < 2.0 * PLAY) {
                let moved = Placement { x: p.x + by.x, y: p.y + by.y, ..p };
                if Around::new(work, (&sheet.sheet, &fixed), &[moved], 0.0, distances).takes(&[moved]) {
                    (p, here) = (moved, lay(work, &moved));
                    sheet.placed[i] = p;
                }
            }
        }
        fixed.push(p);
        lying.push(here);
    }
}

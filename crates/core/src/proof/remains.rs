//! What the kerf, carried along the path that the program goes, leaves of each part, against the part as drawn.
//!
//! It is worked out with areas, apart from the offsets by which the path was made: what the beam's disc sweeps is taken from
//! the sheet, and the piece that holds the part is compared with it. Notches and pockets that the beam does not get into
//! stay on the part; they are told with their place. Corners that the disc merely rounds are not.

use super::{Meant, SheetProof};
use crate::assign::Process;
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Path, Point, Region, Segment};
use crate::ids::{ContourId, PartId};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// Edges of one part that are looked at.
const MOST_EDGES: usize = 20_000;
/// What is narrow is told from this depth on: a share of the kerf, and mm.
const DEPTH: (f64, f64) = (0.12, 0.03);
/// Material lost is told where it is wider than this, mm: less is rounding.
const LOST: f64 = 0.05;

/// What differs on one part.
#[derive(Default)]
struct Differing {
    /// Places that stay and should go.
    left: Vec<Point>,
    /// Places that go and should stay.
    lost: Vec<Point>,
}

/// Compares the first copy of each part of the sheet; the others are cut along the same strokes, which was compared before.
pub(super) fn check(proof: &SheetProof, meant: &Meant) -> Vec<Finding> {
    let Meant { sheet, path: intended, layout, .. } = *meant;
    let mut copies: FxHashMap<PartId, (usize, u32)> = FxHashMap::default();
    for (i, p) in layout.placed.iter().enumerate() {
        copies.entry(p.copy.part).or_insert((i, 0)).1 += 1;
    }
    let mut burned: FxHashMap<usize, Vec<(usize, Segment)>> = FxHashMap::default();
    for m in proof.moves.iter().filter(|m| m.process == Some(Process::Cut) && !m.lead) {
        let Some((o, op)) = m.op.and_then(|o| Some((o, intended.ops.get(o)?))) else { continue };
        let Some(cut) = meant.cuts.cuts.get(op.cut) else { continue };
        let mut of: Vec<usize> = cut.edges().map(|e| e.placement).collect();
        of.sort_unstable();
        of.dedup();
        for placement in of {
            if copies.get(&layout.placed[placement].copy.part).is_some_and(|c| c.0 == placement) {
                burned.entry(placement).or_default().push((o, m.path));
            }
        }
    }
    let mut all: Vec<(PartId, u32, Differing)> = burned
        .into_par_iter()
        .filter_map(|(placement, moves)| {
            let part = layout.placed[placement].copy.part;
            Some((part, copies[&part].1, compared(placement, &moves, meant)?))
        })
        .filter(|d| !d.2.left.is_empty() || !d.2.lost.is_empty())
        .collect();
    all.sort_by_key(|d| d.0);
    let mut findings = Vec::new();
    let mut tell = |code: Code, of: fn(&Differing) -> &Vec<Point>, what: &str| {
        let places: Vec<(ContourId, u32, Point)> = all.iter().flat_map(|(part, n, d)| of(d).iter().map(|p| (part.0, *n, *p))).collect();
        let n = places.len();
        if n == 0 {
            return;
        }
        let times = if places.iter().any(|p| p.1 > 1) { ", in every copy" } else { "" };
        let text = format!("On sheet {} {} {what}{times}.", sheet + 1, counted(n, "place", "places"));
        let finding = Finding::new(Station::Proof, Severity::Look, code, n, text);
        findings.push(finding.on(places.iter().map(|p| p.0)).on_sheet(sheet, places.iter().map(|p| p.2)).acceptable("Cut anyway"));
    };
    tell(
        Code::NotCutOut,
        |d| &d.left,
        "that should be cut away would stay on the part: the notch, slot or pocket is narrower than the kerf",
    );
    tell(Code::BurnedAway, |d| &d.lost, "of the part would be burned away: the kerf goes over it");
    findings
}

/// A copy as the program leaves it, against the copy as drawn. `None` where there is nothing to compare.
fn compared(placement: usize, moves: &[(usize, Segment)], meant: &Meant) -> Option<Differing> {
    let Meant { layout, work, .. } = *meant;
    let placed = &layout.placed[placement];
    let part = work.part(placed.copy.part)?;
    part.outer?;
    let lie = |path: &Path| path.transformed(placed.affine());
    let outlines: Vec<Path> =
        std::iter::once(&part.outline).chain(part.holes.iter().map(|i| &work.items[*i].contour.path)).map(lie).collect();
    if outlines.iter().map(|p| p.segments.len()).sum::<usize>() > MOST_EDGES {
        return None;
    }
    let drawn = Region::within(&outlines.iter().collect::<Vec<_>>());
    let (mut burned, mut kerf) = (Region::default(), 0.0_f64);
    for (width, paths) in loops(moves, meant) {
        burned = burned.plus(&Region::swept(&paths, width));
        kerf = kerf.max(width);
    }
    if kerf <= 0.0 {
        return None;
    }
    let b = outlines[0].bounds().grown(3.0 * kerf);
    let left = Region::within(&[&Path::rectangle(b.min.x, b.min.y, b.width(), b.height())]).minus(&burned);
    let kept = left.pieces_in(&drawn);
    let narrow = |r: &crate::geometry::Residue| r.is_narrow() && r.depth > (DEPTH.0 * kerf).max(DEPTH.1);
    let stays = kept.beyond(&drawn).residues(&drawn).into_iter().filter(narrow).map(|r| r.at).collect();
    let gone = drawn.beyond(&kept).pieces().filter(|p| !p.opened(LOST).is_empty()).filter_map(|p| p.any_point()).collect();
    Some(Differing { left: stays, lost: gone })
}

/// The closed cuts among the moves, each as one path, by kerf; nicks are bridged, for what they hold is cut through in the end.
fn loops(moves: &[(usize, Segment)], meant: &Meant) -> Vec<(f64, Vec<Path>)> {
    let mut by_op: FxHashMap<usize, Vec<Segment>> = FxHashMap::default();
    for (o, s) in moves {
        by_op.entry(*o).or_default().push(*s);
    }
    let mut out: Vec<(f64, Vec<Path>)> = Vec::new();
    for (o, segments) in by_op {
        let op = &meant.path.ops[o];
        if !meant.work.items[op.item].contour.path.closed {
            continue;
        }
        let closed = meant.cuts.cuts.get(op.cut).is_some_and(|c| c.path.closed);
        // Once round is enough, however often it goes round.
        let once = segments.len() / op.passes.max(1) as usize;
        let path = Path::new(segments.into_iter().take(once.max(1)).collect(), closed);
        match out.iter_mut().find(|w| w.0 == op.kerf) {
            Some(w) => w.1.push(path),
            None => out.push((op.kerf, vec![path])),
        }
    }
    out
}

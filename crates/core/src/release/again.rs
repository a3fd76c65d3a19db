//! What cuts copies out once more, and nothing else: of lines that copies share only the stretches that are theirs.

use super::rest::alone;
use crate::cuts::{Cut, Line, Piece, SheetCuts};
use crate::geometry::Segment;
use crate::hold::{Approach, Doing, Op, SheetPath, Track};

/// Nearer than this to an end of a piece of line it is that end, mm.
const END: f64 = 1e-4;
/// A corner of the cut lies on a line of the path when it is nearer than this, mm.
const ON: f64 = 0.01;

/// What cuts these copies out, by their number among the sheet's placements: once more.
pub fn only(path: &SheetPath, cuts: &SheetCuts, placements: &[usize]) -> SheetPath {
    let theirs = |p: &Piece| p.sides.iter().flatten().any(|e| placements.contains(&e.placement));
    let again = |op: &Op| {
        let cut = cuts.cuts.get(op.cut)?;
        if !op.process.frees() || !cut.pieces.iter().any(theirs) {
            return None;
        }
        if cut.line == Line::Drawn || cut.pieces.iter().all(theirs) {
            return Some(op.clone());
        }
        let track = stretches(op, cut, &theirs);
        (!track.runs.is_empty()).then(|| Op { doing: Doing::Line(track), ..op.clone() })
    };
    let mut ops: Vec<Op> = path.ops.iter().filter_map(again).collect();
    // The sheet's parts are cut free by then: a torch goes lifted.
    let torch = path.home.is_some();
    ops.iter_mut().for_each(|op| alone(op, torch));
    let home = torch.then_some(Approach { by: Vec::new(), lifted: true });
    SheetPath { width: path.width, height: path.height, ops, home, ..SheetPath::default() }
}

/// The stretches of a cut whose pieces are wanted, as they are burned.
fn stretches(op: &Op, cut: &Cut, wanted: &dyn Fn(&Piece) -> bool) -> Track {
    let line = op.line();
    let none = Track { runs: Vec::new(), restarts: Vec::new(), lead_in: Vec::new(), dwells: Vec::new(), ..line.clone() };
    let mut out = Track { again: Vec::new(), lead_out: Vec::new(), ..none };
    let ends: Vec<_> = cut.pieces.iter().map(|p| cut.path.at(p.end).0).collect();
    let is_wanted = |s: &Segment| {
        let along = cut.path.nearest(s.at(0.5)).along;
        cut.pieces.iter().find(|p| along <= p.end).or(cut.pieces.last()).is_some_and(wanted)
    };
    for (r, run) in line.runs.iter().enumerate() {
        let mut open = false;
        for (i, s) in run.iter().enumerate() {
            let inner = |t: f64| t * s.length() > END && (1.0 - t) * s.length() > END;
            let mut at: Vec<f64> = ends.iter().filter(|p| s.distance(**p) < ON).map(|p| s.nearest(*p)).filter(|t| inner(*t)).collect();
            at.extend([0.0, 1.0]);
            at.sort_by(f64::total_cmp);
            at.dedup_by(|a, b| (*a - *b).abs() * s.length() < END);
            for (k, part) in at.windows(2).map(|w| s.piece(w[0], w[1])).enumerate() {
                if !is_wanted(&part) {
                    open = false;
                    continue;
                }
                if !open {
                    // It has its lead where it begins as it began.
                    let lead = if (i, k) == (0, 0) { op.lead_before(r).to_vec() } else { Vec::new() };
                    if out.runs.is_empty() {
                        out.lead_in = lead;
                    } else {
                        out.restarts.push(lead);
                    }
                    out.runs.push(Vec::new());
                    open = true;
                }
                out.runs.last_mut().into_iter().for_each(|run| run.push(part));
            }
        }
    }
    out
}

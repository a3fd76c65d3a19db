//! Lines that lie exactly on another line: each would be burned twice.

use super::Piece;
use super::cells::Cells;
use crate::drawing::Style;
use crate::geometry::{Path, Point, Segment};

/// Which segments repeat an earlier one.
pub(super) struct Doubled {
    /// For each piece, for each segment: true when it repeats one that came before.
    repeats: Vec<Vec<bool>>,
    /// How many.
    pub(super) count: usize,
    /// Middles of the repeating segments.
    pub(super) places: Vec<Point>,
}

/// Finds segments whose ends and middle lie within `same` mm of those of an earlier one, walked either way. Shapes that
/// are only filled are compared among themselves: a filled area under a drawn outline is no double. Hidden styles are
/// left out.
pub(super) fn find(pieces: &[Piece], styles: &[Style], same: f64) -> Doubled {
    let total: usize = pieces.iter().map(|p| p.path.segments.len()).sum();
    let mut grids = [Cells::new(same, total), Cells::new(same, 0)];
    let mut known: [Vec<Segment>; 2] = [Vec::with_capacity(total), Vec::new()];
    let mut doubled = Doubled { repeats: Vec::with_capacity(pieces.len()), count: 0, places: Vec::new() };
    for piece in pieces {
        let style = &styles[piece.style];
        let kind = usize::from(style.stroke.is_none() && style.fill.is_some());
        let mut repeats = vec![false; piece.path.segments.len()];
        if !style.hidden {
            for (i, s) in piece.path.segments.iter().enumerate().filter(|(_, s)| s.length() > same) {
                let middle = s.at(0.5);
                let mut repeat = false;
                grids[kind].near(middle, same, |j, _| repeat |= same_line(s, &known[kind][j], same));
                if repeat {
                    repeats[i] = true;
                    doubled.count += 1;
                    doubled.places.push(middle);
                } else {
                    grids[kind].add(middle);
                    known[kind].push(*s);
                }
            }
        }
        doubled.repeats.push(repeats);
    }
    doubled
}

fn same_line(a: &Segment, b: &Segment, same: f64) -> bool {
    let near = |p: Point, q: Point| p.distance(q) <= same;
    near(a.start, b.start) && near(a.end, b.end) || near(a.start, b.end) && near(a.end, b.start)
}

/// The pieces without their repeating segments; a piece that loses some falls into runs.
pub(super) fn without(pieces: Vec<Piece>, doubled: &Doubled) -> Vec<Piece> {
    let mut out = Vec::with_capacity(pieces.len());
    for (piece, repeats) in pieces.into_iter().zip(&doubled.repeats) {
        if !repeats.contains(&true) {
            out.push(piece);
            continue;
        }
        let mut run: Vec<Segment> = Vec::new();
        let mut flush = |run: &mut Vec<Segment>| {
            if !run.is_empty() {
                out.push(Piece { path: Path::new(std::mem::take(run), false), style: piece.style, source: piece.source });
            }
        };
        for (s, repeat) in piece.path.segments.iter().zip(repeats) {
            if *repeat {
                flush(&mut run);
            } else {
                run.push(*s);
            }
        }
        flush(&mut run);
    }
    out
}

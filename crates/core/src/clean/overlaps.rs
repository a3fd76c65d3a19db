//! Lines that lie on another line, wholly or in part: each would be burned twice.
//!
//! Closed outlines come before loose pieces and earlier pieces before later ones: what comes later and lies on what came
//! before is the double. An outline that is drawn twice goes whole; one that only shares an edge with a neighbour stays
//! whole, since the parts move apart when they are nested. Candidates come from an index of boxes, so the time grows with
//! the number of lines and not with its square.

use super::Piece;
use crate::drawing::Style;
use crate::geometry::{Path, Point, Segment, alongside};
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::FxHashSet;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Pairs of lines that are looked at in one drawing. A million lines beside each other take some ten million.
const MOST_LOOKS: usize = 60_000_000;

type Boxed = GeomWithData<Rectangle<[f64; 2]>, u32>;

/// What lies on what.
pub(super) struct Overlaps {
    /// For each piece, for each segment: the stretches, in shares of its length, that lie on an earlier line.
    covered: Vec<Vec<Stretches>>,
    /// Lines to be removed whole.
    pub(super) whole: usize,
    /// Lines to be removed in part.
    pub(super) part: usize,
    /// Edges that two outlines share; they stay.
    pub(super) shared: usize,
    /// Middles of what is to be removed.
    pub(super) places: Vec<Point>,
    /// Middles of shared edges.
    pub(super) shared_places: Vec<Point>,
    /// Lines lie so thick that not all were searched for each other.
    pub(super) crowded: bool,
}

/// Ascending stretches that do not touch, as shares of a length.
type Stretches = Vec<(f64, f64)>;

/// A segment in the order of precedence.
struct Line {
    segment: Segment,
    piece: u32,
    index: u32,
    /// Fills are compared among themselves: a filled area under a drawn outline is no double.
    filled: bool,
}

/// Finds stretches within `near` mm of an earlier line. Hidden styles are left out.
pub(super) fn find(pieces: &[Piece], styles: &[Style], near: f64) -> Overlaps {
    let lines = lines(pieces, styles);
    // Lines drawn again and again just where they are, as stacked copies are, are told by their first: searched for each
    // other, their number would count squared.
    let again = drawn_again(&lines, near);
    let boxes: Vec<Boxed> = lines.iter().enumerate().filter(|(i, _)| !again[*i]).map(|(i, l)| boxed(&l.segment, near, i)).collect();
    let tree = RTree::bulk_load(boxes);
    let looks = AtomicUsize::new(0);
    let covered = |i: usize| if again[i] { vec![(0.0, 1.0)] } else { covered_by_earlier(&lines, i, &tree, near, &looks) };
    let stretches: Vec<Stretches> = (0..lines.len()).into_par_iter().map(covered).collect();

    let mut out = Overlaps {
        covered: pieces.iter().map(|p| vec![Stretches::new(); p.path.segments.len()]).collect(),
        whole: 0,
        part: 0,
        shared: 0,
        places: Vec::new(),
        shared_places: Vec::new(),
        crowded: looks.into_inner() > MOST_LOOKS,
    };
    for (line, stretches) in lines.iter().zip(stretches) {
        out.covered[line.piece as usize][line.index as usize] = stretches;
    }
    for (i, piece) in pieces.iter().enumerate() {
        out.count(i, piece);
    }
    out
}

impl Overlaps {
    /// Counts the covered lines of piece `i`; of an outline that is not drawn twice whole, nothing is removed.
    fn count(&mut self, i: usize, piece: &Piece) {
        let stays = piece.path.closed && !self.covered[i].iter().all(is_whole);
        for (s, stretches) in piece.path.segments.iter().zip(&mut self.covered[i]).filter(|(_, c)| !c.is_empty()) {
            let middle = s.at(f64::midpoint(stretches[0].0, stretches[0].1));
            if stays {
                self.shared += 1;
                self.shared_places.push(middle);
                stretches.clear();
                continue;
            }
            if is_whole(stretches) {
                self.whole += 1;
            } else {
                self.part += 1;
            }
            self.places.push(middle);
        }
    }
}

fn is_whole(stretches: &Stretches) -> bool {
    matches!(stretches.as_slice(), [(from, to)] if *from <= 0.0 && *to >= 1.0)
}

fn lines(pieces: &[Piece], styles: &[Style]) -> Vec<Line> {
    let of = |closed: bool| {
        pieces.iter().enumerate().filter(move |(_, p)| p.path.closed == closed && !styles[p.style].aside()).flat_map(|(piece, p)| {
            let style = &styles[p.style];
            let filled = style.stroke.is_none() && style.fill.is_some();
            p.path.segments.iter().enumerate().map(move |(index, s)| Line { segment: *s, piece: piece as u32, index: index as u32, filled })
        })
    };
    of(true).chain(of(false)).collect()
}

/// True for each line that is an earlier one once more, either way round.
fn drawn_again(lines: &[Line], near: f64) -> Vec<bool> {
    let mut first = FxHashSet::default();
    let coarse = |v: f64| (v / (near * 0.01)).round() as i64;
    lines
        .iter()
        .map(|l| {
            let s =
                if (l.segment.start.x, l.segment.start.y) <= (l.segment.end.x, l.segment.end.y) { l.segment } else { l.segment.reversed() };
            let place = [s.start.x, s.start.y, s.end.x, s.end.y].map(coarse);
            let long_enough = l.segment.length() > 4.0 * near;
            !first.insert((place, (s.bulge * 1e6).round() as i64, l.filled)) && long_enough
        })
        .collect()
}

fn boxed(s: &Segment, near: f64, i: usize) -> Boxed {
    let b = s.bounds().grown(near);
    Boxed::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), i as u32)
}

fn covered_by_earlier(lines: &[Line], i: usize, tree: &RTree<Boxed>, near: f64, looks: &AtomicUsize) -> Stretches {
    let line = &lines[i];
    let length = line.segment.length();
    if length <= 4.0 * near || looks.load(Ordering::Relaxed) > MOST_LOOKS {
        return Stretches::new();
    }
    let mut looked = 0;
    let b = line.segment.bounds();
    let mut found: Stretches = tree
        .locate_in_envelope_intersecting(AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]))
        .take(MOST_LOOKS)
        .inspect(|_| looked += 1)
        .map(|c| c.data as usize)
        .filter(|earlier| *earlier < i && lines[*earlier].filled == line.filled)
        .filter_map(|earlier| alongside(&line.segment, &lines[earlier].segment, near))
        .collect();
    looks.fetch_add(looked, Ordering::Relaxed);
    joined(&mut found, 2.0 * near / length);
    found
}

/// Sorts stretches and joins those that touch; ends within `snap` of the line's end reach it.
fn joined(stretches: &mut Stretches, snap: f64) {
    stretches.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut out: Stretches = Vec::with_capacity(stretches.len());
    for (from, to) in stretches.drain(..) {
        let (from, to) = (if from < snap { 0.0 } else { from }, if to > 1.0 - snap { 1.0 } else { to });
        match out.last_mut().filter(|l| from <= l.1 + snap) {
            Some(last) => last.1 = last.1.max(to),
            None => out.push((from, to)),
        }
    }
    *stretches = out;
}

/// The pieces without what lies on an earlier line; a piece that loses some falls into runs.
pub(super) fn without(pieces: Vec<Piece>, overlaps: &Overlaps) -> Vec<Piece> {
    let mut out = Vec::with_capacity(pieces.len());
    for (piece, covered) in pieces.into_iter().zip(&overlaps.covered) {
        if covered.iter().all(Vec::is_empty) {
            out.push(piece);
            continue;
        }
        let mut run: Vec<Segment> = Vec::new();
        let mut flush = |run: &mut Vec<Segment>| {
            if !run.is_empty() {
                out.push(Piece {
                    path: Path::new(std::mem::take(run), false),
                    style: piece.style,
                    source: piece.source,
                    compound: 0,
                    from: piece.from.clone(),
                });
            }
        };
        for (s, stretches) in piece.path.segments.iter().zip(covered) {
            let mut from = 0.0;
            for (a, b) in stretches {
                if *a > from {
                    run.push(s.piece(from, *a));
                }
                flush(&mut run);
                from = *b;
            }
            if from < 1.0 {
                run.push(if from > 0.0 { s.piece(from, 1.0) } else { *s });
            }
        }
        flush(&mut run);
    }
    out
}

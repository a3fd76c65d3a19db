//! Outlines that cross themselves: inside and outside change over, and kerf and nest go wrong.

use crate::geometry::{Path, Point, Segment, meetings};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

type Boxed = GeomWithData<Rectangle<[f64; 2]>, usize>;

/// A place where a path crosses itself.
#[derive(Clone, Copy, Debug)]
pub(super) struct Crossing {
    pub(super) at: Point,
    /// The two segments and the shares of their lengths.
    first: (usize, f64),
    second: (usize, f64),
}

/// Crossings looked for on one path at most; what crosses itself oftener is no outline.
const MOST: usize = 10_000;
/// Pairs of its segments that are looked at.
const MOST_PAIRS: usize = 4_000_000;

/// Where a closed path crosses itself, ends of neighbouring segments apart.
pub(super) fn find(path: &Path, same: f64) -> Vec<Crossing> {
    let n = path.segments.len();
    if !path.closed || n < 3 || convex(path) {
        return Vec::new();
    }
    let boxed = |(i, s): (usize, &Segment)| {
        let b = s.bounds();
        Boxed::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), i)
    };
    let tree = RTree::bulk_load(path.segments.iter().enumerate().map(boxed).collect());
    let mut out = Vec::new();
    let mut pairs = 0;
    for (i, s) in path.segments.iter().enumerate() {
        let b = s.bounds().grown(same);
        for j in tree.locate_in_envelope_intersecting(AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y])).map(|c| c.data) {
            if j <= i {
                continue;
            }
            let other = &path.segments[j];
            pairs += 1;
            if pairs > MOST_PAIRS || out.len() >= MOST {
                return out;
            }
            for m in meetings(s, other, same) {
                // Neighbours share an end; and a corner that lies on another line has to be seen but once.
                let inner = |s: &Segment, t: f64| t * s.length() > 2.0 * same && (1.0 - t) * s.length() > 2.0 * same;
                if inner(s, m.on_first) && inner(other, m.on_second) {
                    out.push(Crossing { at: m.point, first: (i, m.on_first), second: (j, m.on_second) });
                }
            }
        }
    }
    out
}

/// A path of straight edges that always turns the same way, once round, cannot cross itself.
fn convex(path: &Path) -> bool {
    let n = path.segments.len();
    let mut turned = 0.0;
    let mut sense = 0.0;
    for (i, s) in path.segments.iter().enumerate() {
        if !s.is_line() {
            return false;
        }
        let next = &path.segments[(i + 1) % n];
        let (a, b) = (s.end - s.start, next.end - next.start);
        let turn = a.cross(b).atan2(a.dot(b));
        if turn * sense < 0.0 {
            return false;
        }
        sense += turn;
        turned += turn;
    }
    (turned.abs() - std::f64::consts::TAU).abs() < 0.1
}

/// The loops that a crossing path consists of, each closed and simple at the given crossings; no length is lost.
pub(super) fn split(path: &Path, crossings: &[Crossing]) -> Vec<Path> {
    // Every crossing is passed twice: these are the passings along the path.
    let mut passings: Vec<(usize, f64, usize)> = Vec::with_capacity(crossings.len() * 2);
    for (k, c) in crossings.iter().enumerate() {
        passings.push((c.first.0, c.first.1, k));
        passings.push((c.second.0, c.second.1, k));
    }
    passings.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let mut loops = Vec::new();
    let mut walked: Vec<Segment> = Vec::new();
    // Open crossings with the number of segments walked when they were passed first.
    let mut open: Vec<(usize, usize)> = Vec::new();
    let mut next = passings.iter().peekable();
    for (i, s) in path.segments.iter().enumerate() {
        let mut from = 0.0;
        while let Some((_, share, k)) = next.next_if(|p| p.0 == i) {
            let mut piece = s.piece(from, *share);
            piece.end = crossings[*k].at;
            if from > 0.0
                && let Some(last) = walked.last()
            {
                piece.start = last.end;
            }
            walked.push(piece);
            from = *share;
            if let Some(place) = open.iter().position(|o| o.0 == *k) {
                let begun = open[place].1;
                open.truncate(place);
                loops.push(Path::new(walked.split_off(begun), true));
            } else {
                open.push((*k, walked.len()));
            }
            // The rest goes on from the crossing itself.
            if let Some(last) = walked.last_mut() {
                last.end = crossings[*k].at;
            }
        }
        let mut rest = if from > 0.0 { s.piece(from, 1.0) } else { *s };
        if let Some((_, _, k)) = passings.iter().rev().find(|p| p.0 == i).filter(|_| from > 0.0) {
            rest.start = crossings[*k].at;
        }
        walked.push(rest);
    }
    loops.push(Path::new(walked, true));
    loops.retain(|l| l.segments.len() > 1);
    loops
}

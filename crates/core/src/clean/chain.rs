//! Loose pieces to contours.
//!
//! First, ends at the same point are joined; where more than two meet, the pair that runs on straightest is joined
//! first. Then free ends are joined across gaps, the smallest gap first. Pieces are joined only to pieces of their own
//! style. Both steps look ends up in a grid, so the time grows with the number of pieces and not with its square.

mod bridge;

use super::cells::Cells;
use super::identity::mixed;
use super::{GAP_WORTH_ASKING, Piece, dashes, nicked};
use crate::geometry::{Path, Point, Segment, Tolerance, Vec2};
use bridge::bridge;
use rustc_hash::FxHashMap;

/// A contour in the making.
pub(super) struct Chained {
    pub(super) path: Path,
    pub(super) style: usize,
    /// Combined hash of the sources, the same whatever the order of joining.
    pub(super) name: u64,
    /// Number of the element that an outline was drawn with, 0 for what was chained.
    pub(super) compound: u32,
    /// See [`Piece::from`].
    pub(super) from: Vec<u32>,
}

impl From<Piece> for Chained {
    /// A piece that is a contour as it is.
    fn from(p: Piece) -> Self {
        Self { path: p.path, style: p.style, name: p.source, compound: p.compound, from: p.from }
    }
}

impl From<Chained> for Piece {
    /// A contour that goes on as a piece.
    fn from(c: Chained) -> Self {
        Self { path: c.path, style: c.style, source: c.name, compound: c.compound, from: c.from }
    }
}

/// Two ends that do not meet.
#[derive(Clone, Copy, Debug)]
pub(super) struct Gap {
    pub(super) at: Point,
    pub(super) width: f64,
}

/// How chaining is done. Lengths in mm.
#[derive(Clone, Copy, Debug)]
pub(super) struct Options {
    /// Ends this near are one point.
    pub(super) same: f64,
    /// Free ends up to this far apart are joined.
    pub(super) gap: f64,
    /// Gaps up to this wide are listed.
    pub(super) report: f64,
    /// Rows of dashes become the lines they came from: those that are surely that, and slits in a row too.
    pub(super) join: Join,
    /// How near dashes of a row lie to one line.
    pub(super) near: f64,
    /// Lines of several styles that only close together are one outline.
    pub(super) across_styles: bool,
    /// Outlines that came nicked are closed.
    pub(super) close_nicks: bool,
}

impl Options {
    /// Those where nothing is mended.
    pub(super) fn plain(tolerance: &Tolerance) -> Self {
        Self {
            same: tolerance.same,
            gap: tolerance.gap,
            report: GAP_WORTH_ASKING,
            join: Join::No,
            near: tolerance.double,
            across_styles: true,
            close_nicks: false,
        }
    }
}

/// Which rows of dashes become lines.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Join {
    /// None.
    No,
    /// Those that can be nothing else.
    Sure,
    /// Slits too.
    All,
}

/// What chaining came to.
pub(super) struct Outcome {
    pub(super) contours: Vec<Chained>,
    /// Gaps that were joined.
    pub(super) joined: Vec<Gap>,
    /// Gaps that were left, narrower than what was to be reported.
    pub(super) open: Vec<Gap>,
    /// Points at which three or another odd number of ends meet.
    pub(super) branches: Vec<Point>,
    /// Starts of rows of dashes that were left, and how many dashes they have.
    pub(super) dashes: (Vec<Point>, usize),
    /// The same of slits in a row.
    pub(super) slits: (Vec<Point>, usize),
    /// Starts of outlines that closed only with lines of another style.
    pub(super) across: Vec<Point>,
    /// Outlines that came nicked and were left open.
    pub(super) nicked: Vec<nicked::Nicked>,
}

/// An end of a piece: piece × 2, + 1 for its far end.
pub(super) type End = usize;
const FREE: usize = usize::MAX;

/// Chains pieces: ends that meet first, then dashes in a row, then ends across gaps. Styles that are `aside` are chained,
/// but neither dashes nor gaps are looked for in them. Those that are `typed` have a line type, which their dashes follow.
pub(super) fn run(pieces: Vec<Piece>, aside: &[bool], typed: &[bool], options: Options) -> Outcome {
    let Options { same, gap, report, join, near, across_styles, close_nicks } = options;
    let (whole, loose): (Vec<Piece>, Vec<Piece>) = pieces.into_iter().partition(|p| p.path.closed || p.path.segments.is_empty());
    let mut contours: Vec<Chained> = whole.into_iter().filter(|p| !p.path.segments.is_empty()).map(Chained::from).collect();

    let (links, branches) = meet(&loose, same);
    let (mut open, closed): (Vec<Chained>, Vec<Chained>) = trace(loose, &links).into_iter().partition(|c| !c.path.closed);
    contours.extend(closed);
    contours.extend(open.extract_if(.., |c| aside[c.style]));

    let mut nicked = nicked::find(&open);
    let mut aside = Vec::new();
    if close_nicks {
        open = nicked::closed(open, &std::mem::take(&mut nicked));
        contours.extend(open.extract_if(.., |c| c.path.closed));
    } else {
        (open, aside) = nicked::set_aside(open, &nicked);
    }
    let (sure, slits) = dashes::find(&open, near).parted(&open, typed);
    let none = || (Vec::new(), 0);
    let (dashes, told_slits) = match join {
        Join::No => (sure.told(&open), slits.told(&open)),
        Join::Sure => (none(), slits.told(&open)),
        Join::All => (none(), none()),
    };
    if join != Join::No {
        open = dashes::joined(open, &if join == Join::All { sure.with(slits) } else { sure });
        contours.extend(open.extract_if(.., |c| c.path.closed));
    }

    open.extend(aside);
    let (links, joined) = bridge(&open, gap.max(same));
    if !joined.is_empty() {
        open = trace(open.into_iter().map(Piece::from).collect(), &links);
    }
    let across = if across_styles { across(&mut open, same.max(near)) } else { Vec::new() };
    contours.extend(open.extract_if(.., |c| c.path.closed));
    let (_, mut left) = bridge(&open, report);
    // Gaps that are wide enough to be closed as gaps are no nicks any more.
    nicked.retain(|n| n.nicks.iter().all(|at| joined.iter().all(|g| g.at.distance(*at) > g.width)));
    left.retain(|g| !nicked.iter().flat_map(|n| &n.nicks).any(|at| g.at.distance(*at) <= g.width));
    contours.extend(open);
    Outcome { contours, joined, open: left, branches, dashes, slits: told_slits, across, nicked }
}

/// Rings of pieces, each piece by the end at which it is entered: from its other end on to the end that `beyond` gives, until the first is
/// there again. What `is_one` refuses, and what comes to no ring, may still be part of another.
pub(super) fn rings(pieces: usize, beyond: impl Fn(End) -> Option<End>, mut is_one: impl FnMut(&[End]) -> bool) -> Vec<Vec<End>> {
    let mut used = vec![false; pieces];
    let mut rings: Vec<Vec<End>> = Vec::new();
    for first in 0..pieces {
        let mut ring = Vec::new();
        let mut at = first * 2;
        let closed = loop {
            if used[at / 2] {
                break at == first * 2 && !ring.is_empty();
            }
            used[at / 2] = true;
            ring.push(at);
            match beyond(at ^ 1) {
                Some(next) => at = next,
                None => break false,
            }
        };
        if closed && is_one(&ring) {
            rings.push(ring);
        } else {
            ring.iter().skip(1).for_each(|e| used[e / 2] = false);
        }
    }
    rings
}

/// Joins open lines of several styles that make an outline only together: rings in which at every end just one other end
/// lies within `same` mm. The ring takes the style of its longest line. Gives the start of each.
fn across(open: &mut Vec<Chained>, same: f64) -> Vec<Point> {
    let mut cells = Cells::new(same, open.len() * 2);
    let mut meets: Vec<Vec<End>> = vec![Vec::new(); open.len() * 2];
    let mut ends: Vec<End> = Vec::with_capacity(open.len() * 2);
    for end in 0..open.len() * 2 {
        let at = end_point(&open[end / 2].path, end % 2 == 1);
        cells.near(at, same, |i, _| {
            meets[end].push(ends[i]);
            meets[ends[i]].push(end);
        });
        // Where three ends meet there is no ring: more of them need not be known.
        if meets[end].len() < 3 {
            cells.add(at);
            ends.push(end);
        }
    }
    let beyond = |end: End| match meets[end].as_slice() {
        [next] if next / 2 != end / 2 => Some(*next),
        _ => None,
    };
    let mixed_styles = |ring: &[End]| ring.iter().any(|e| open[e / 2].style != open[ring[0] / 2].style);
    let rings = rings(open.len(), beyond, mixed_styles);
    let mut joined = Vec::new();
    for ring in &rings {
        let longest =
            ring.iter().map(|e| e / 2).max_by(|a, b| open[*a].path.length().total_cmp(&open[*b].path.length())).unwrap_or(ring[0] / 2);
        let mut segments = Vec::new();
        for e in ring {
            let path = &open[e / 2].path;
            if e.is_multiple_of(2) {
                append(&mut segments, path.segments.iter().copied());
            } else {
                append(&mut segments, path.reversed().segments.into_iter());
            }
        }
        seal(&mut segments);
        let name = ring.iter().fold(0_u64, |n, e| n.wrapping_add(mixed(open[e / 2].name)));
        let from = ring.iter().flat_map(|e| open[e / 2].from.iter().copied()).collect();
        joined.push(Chained { path: Path::new(segments, true), style: open[longest].style, name: mixed(name), compound: 0, from });
    }
    let gone: Vec<usize> = rings.iter().flatten().map(|e| e / 2).collect();
    let mut at = 0;
    open.retain(|_| {
        at += 1;
        !gone.contains(&(at - 1))
    });
    let starts = joined.iter().map(|c| end_point(&c.path, false)).collect();
    open.extend(joined);
    starts
}

fn end_point(path: &Path, far: bool) -> Point {
    if far { path.segments[path.segments.len() - 1].end } else { path.segments[0].start }
}

/// Direction in which the path leaves the end, into the piece.
fn inward(path: &Path, far: bool) -> Vec2 {
    if far { -path.segments[path.segments.len() - 1].direction(1.0) } else { path.segments[0].direction(0.0) }
}

/// Links ends that lie on one point; tells also where an odd number of three or more meet.
fn meet(pieces: &[Piece], same: f64) -> (Vec<End>, Vec<Point>) {
    let mut links = vec![FREE; pieces.len() * 2];
    let mut nodes: Vec<Vec<End>> = Vec::with_capacity(pieces.len());
    let mut grids: FxHashMap<usize, (Cells, Vec<usize>)> = FxHashMap::default();
    for end in 0..pieces.len() * 2 {
        let piece = &pieces[end / 2];
        let at = end_point(&piece.path, end % 2 == 1);
        let (cells, node_of) = grids.entry(piece.style).or_insert_with(|| (Cells::new(same, 1024), Vec::new()));
        let mut nearest = (FREE, f64::INFINITY);
        cells.near(at, same, |i, d| {
            if d < nearest.1 {
                nearest = (node_of[i], d);
            }
        });
        if nearest.0 == FREE {
            cells.add(at);
            node_of.push(nodes.len());
            nodes.push(vec![end]);
        } else {
            nodes[nearest.0].push(end);
        }
    }
    for ends in &nodes {
        pair_straightest(pieces, ends, &mut links);
    }
    let odd = nodes.iter().filter(|ends| ends.len() > 2 && ends.len() % 2 == 1);
    let branches = odd.map(|ends| end_point(&pieces[ends[0] / 2].path, ends[0] % 2 == 1)).collect();
    (links, branches)
}

/// Pairs the ends at one point, those that run on straightest first.
fn pair_straightest(pieces: &[Piece], ends: &[End], links: &mut [End]) {
    if let [a, b] = *ends {
        (links[a], links[b]) = (b, a);
        return;
    }
    if ends.len() < 2 || ends.len() > 64 {
        return;
    }
    let way: Vec<Vec2> = ends.iter().map(|e| inward(&pieces[e / 2].path, e % 2 == 1)).collect();
    let mut pairs: Vec<(f64, usize, usize)> =
        (0..ends.len()).flat_map(|i| (i + 1..ends.len()).map(move |j| (i, j))).map(|(i, j)| (way[i].dot(way[j]), i, j)).collect();
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
    for (_, i, j) in pairs {
        if links[ends[i]] == FREE && links[ends[j]] == FREE {
            (links[ends[i]], links[ends[j]]) = (ends[j], ends[i]);
        }
    }
}

/// Walks the links into chains, open ones from a free end, then rings.
fn trace(pieces: Vec<Piece>, links: &[End]) -> Vec<Chained> {
    let mut used = vec![false; pieces.len()];
    let mut out = Vec::new();
    let starts = (0..links.len()).filter(|e| links[*e] == FREE);
    let anywhere = (0..pieces.len()).map(|p| p * 2);
    for start in starts.chain(anywhere) {
        if used[start / 2] {
            continue;
        }
        let mut segments: Vec<Segment> = Vec::new();
        let (mut name, mut count, mut from) = (0_u64, 0, Vec::new());
        let mut at = start;
        let closed = loop {
            let piece = &pieces[at / 2];
            used[at / 2] = true;
            name = name.wrapping_add(mixed(piece.source));
            from.extend_from_slice(&piece.from);
            count += 1;
            if at.is_multiple_of(2) {
                append(&mut segments, piece.path.segments.iter().copied());
            } else {
                append(&mut segments, piece.path.segments.iter().rev().map(Segment::reversed));
            }
            let out_end = at ^ 1;
            match links[out_end] {
                FREE => break piece.path.closed,
                next if next / 2 == start / 2 => break next == start,
                next if used[next / 2] => break false,
                next => at = next,
            }
        };
        let name = if count == 1 { pieces[start / 2].source } else { mixed(name) };
        let mut path = Path::new(segments, closed);
        if closed {
            seal(&mut path.segments);
        }
        let compound = if count == 1 { pieces[start / 2].compound } else { 0 };
        out.push(Chained { path, style: pieces[start / 2].style, name, compound, from });
    }
    out
}

/// Joins narrower than this are made by moving the ends; wider ones by a short line.
const MOVED: f64 = 0.05;

fn append(chain: &mut Vec<Segment>, more: impl Iterator<Item = Segment>) {
    let joint = chain.len();
    chain.extend(more);
    if joint > 0 && joint < chain.len() {
        let (a, b) = (chain[joint - 1].end, chain[joint].start);
        if a.distance(b) > MOVED {
            chain.insert(joint, Segment::line(a, b));
        } else if a != b {
            let middle = a.midpoint(b);
            chain[joint - 1].end = middle;
            chain[joint].start = middle;
        }
    }
}

fn seal(segments: &mut Vec<Segment>) {
    let n = segments.len();
    if n == 0 {
        return;
    }
    let (a, b) = (segments[n - 1].end, segments[0].start);
    if a.distance(b) > MOVED {
        segments.push(Segment::line(a, b));
    } else if a != b {
        let middle = a.midpoint(b);
        segments[n - 1].end = middle;
        segments[0].start = middle;
    }
}

//! What shows of filled areas that lie over each other: one set of outlines, arcs as arcs.
//!
//! All outlines are cut where they meet; of the pieces those stay that have the fill on one side only, and they are joined to loops.

use super::{Bounds, Path, Point, Region, Segment, Vec2, meetings};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::FxHashMap;

/// Outlines that are filled together, by one rule.
#[derive(Clone, Debug)]
pub struct Filled<'a> {
    /// The outlines, closed.
    pub outlines: Vec<&'a Path>,
    /// True where what they wind round at all is filled; false where what they wind round an odd number of times is.
    pub winding: bool,
}

/// Ends nearer to each other than this are one, mm: the first with which loops close.
const SAME: [f64; 3] = [2e-4, 2e-5, 2e-3];
/// Pieces between the same ends that come this near to each other lie on each other, mm.
const ON: f64 = 5e-4;
/// So far beside a piece and what lies on it it is looked whether there is fill, mm, but no further than this share of its length.
const HAIR: f64 = 1e-5;
const SHARE: f64 = 0.05;
/// Segments, pairs of them that lie near each other, and pieces times segments that are looked at, at most: what is larger than that
/// is not told.
const MOST_SEGMENTS: usize = 60_000;
const MOST_PAIRS: usize = 1_000_000;
const MOST_LOOKS: usize = 150_000_000;
/// The outlines have the area that was covered, to this share and so much for each mm of them: it is measured along chords.
const EXACT: f64 = 1e-3;
const CHORDS: f64 = 0.004;

/// A stretch of a segment between two meetings.
#[derive(Clone, Copy)]
struct Piece {
    /// The segment that it is of, and the shares of its length.
    of: usize,
    from: f64,
    to: f64,
    segment: Segment,
    start: usize,
    end: usize,
    /// On the segment itself: the ends may have been moved to where others meet it.
    middle: Point,
    /// How far what lies on it, to [`ON`], is from it, mm.
    spread: f64,
}

/// The outlines round all that shows filled, anticlockwise, and round the openings in it, clockwise. `None` where that cannot be told
/// exactly, or there is too much of it.
///
/// ```
/// # use boustrophe_geometry::*;
/// // A ring, and a bar over it that ends in its opening.
/// let (round, opening, bar) = (Path::circle(Point::ZERO, 20.0), Path::circle(Point::ZERO, 12.0), Path::rectangle(5.0, -2.0, 40.0, 4.0));
/// let ring = Filled { outlines: vec![&round, &opening], winding: false };
/// let shown = shown(&[ring, Filled { outlines: vec![&bar], winding: true }]).expect("one area");
/// assert_eq!(shown.iter().filter(|p| p.area() > 0.0).count(), 1);
/// assert!(shown.iter().all(|p| p.segments.iter().any(|s| !s.is_line())), "arcs stay arcs");
/// ```
pub fn shown(areas: &[Filled]) -> Option<Vec<Path>> {
    let segments: Vec<Segment> = areas.iter().flat_map(|a| &a.outlines).flat_map(|p| p.segments.iter().copied()).collect();
    if segments.len() > MOST_SEGMENTS {
        return None;
    }
    let covered =
        Region::union(areas.iter().map(|a| if a.winding { Region::wound(&a.outlines) } else { Region::within(&a.outlines) })).area();
    let exact = |loops: &Vec<Path>| {
        let (area, length): (f64, f64) = (loops.iter().map(Path::area).sum(), loops.iter().map(Path::length).sum());
        (area - covered).abs() <= EXACT * covered + CHORDS * length
    };
    SAME.iter().find_map(|same| outlined(areas, &segments, *same).filter(exact))
}

/// The outlines where ends nearer than `same` mm are one; `None` where they do not close.
fn outlined(areas: &[Filled], segments: &[Segment], same: f64) -> Option<Vec<Path>> {
    let mut nodes = Nodes { same, ..Nodes::default() };
    let pieces = once(cut(segments, &mut nodes)?);
    let ground = Ground::of(areas);
    let mut edges = Vec::new();
    for piece in pieces {
        let (of, share) = (&segments[piece.of], (piece.from + piece.to) / 2.0);
        let beside = 1.5 * piece.spread + HAIR.min(SHARE * (piece.to - piece.from) * of.length());
        let (at, normal) = (piece.middle, of.direction(share).turn_90() * beside);
        match (ground.is_filled(at + normal), ground.is_filled(at - normal)) {
            (true, false) => edges.push(piece),
            // The fill is to lie on the left.
            (false, true) => edges.push(Piece {
                segment: piece.segment.reversed(),
                start: piece.end,
                end: piece.start,
                from: piece.to,
                to: piece.from,
                ..piece
            }),
            _ => {}
        }
    }
    let mut loops: Vec<Path> = looped(&edges, nodes.points.len())?.into_iter().map(|pieces| joined(&pieces, segments)).collect();
    loops.retain(|l| !l.segments.is_empty() && l.area().abs() > same * l.length());
    Some(loops)
}

/// Points that ends have in common.
#[derive(Default)]
struct Nodes {
    same: f64,
    points: Vec<Point>,
    cells: FxHashMap<(i64, i64), Vec<usize>>,
}

impl Nodes {
    fn at(&mut self, p: Point) -> usize {
        let same = self.same;
        let cell = |v: f64| (v / same).floor() as i64;
        let (x, y) = (cell(p.x), cell(p.y));
        let near = (-1..=1).flat_map(|i| (-1..=1).map(move |j| (x + i, y + j)));
        let known = near.filter_map(|c| self.cells.get(&c)).flatten().find(|i| self.points[**i].distance(p) <= same);
        known.copied().unwrap_or_else(|| {
            self.points.push(p);
            self.cells.entry((x, y)).or_default().push(self.points.len() - 1);
            self.points.len() - 1
        })
    }
}

/// The segments, cut where they meet.
fn cut(segments: &[Segment], nodes: &mut Nodes) -> Option<Vec<Piece>> {
    let same = nodes.same;
    let corners = |b: Bounds| ([b.min.x, b.min.y], [b.max.x, b.max.y]);
    let boxed = |(i, s): (usize, &Segment)| {
        let (min, max) = corners(s.bounds());
        GeomWithData::new(Rectangle::from_corners(min, max), i)
    };
    let tree = RTree::bulk_load(segments.iter().enumerate().map(boxed).collect());
    let mut cuts: Vec<Vec<(f64, usize)>> = vec![Vec::new(); segments.len()];
    let mut pairs = 0;
    for (i, s) in segments.iter().enumerate() {
        let (min, max) = corners(s.bounds().grown(same));
        for j in tree.locate_in_envelope_intersecting(AABB::from_corners(min, max)).map(|b| b.data).filter(|j| *j > i) {
            let other = &segments[j];
            pairs += 1;
            if pairs > MOST_PAIRS {
                return None;
            }
            for m in meetings(s, other, same) {
                let node = nodes.at(m.point);
                cuts[i].push((m.on_first, node));
                cuts[j].push((m.on_second, node));
            }
            // What runs along another has no crossings with it: its ends cut it.
            for (a, b, of) in [(s, other, i), (other, s, j)] {
                for end in [b.start, b.end] {
                    if a.distance(end) <= same {
                        cuts[of].push((a.nearest(end), nodes.at(end)));
                    }
                }
            }
        }
    }
    let mut pieces = Vec::new();
    for (of, (s, mut met)) in segments.iter().zip(cuts).enumerate() {
        met.extend([(0.0, nodes.at(s.start)), (1.0, nodes.at(s.end))]);
        met.sort_by(|a, b| a.0.total_cmp(&b.0));
        for w in met.windows(2) {
            let ((from, start), (to, end)) = (w[0], w[1]);
            let short = (to - from) * s.length() <= 2.0 * same;
            if to > from && !(start == end && short) {
                let segment = Segment { start: nodes.points[start], end: nodes.points[end], ..s.piece(from, to) };
                pieces.push(Piece { of, from, to, segment, start, end, middle: s.at((from + to) / 2.0), spread: 0.0 });
            }
        }
        if pieces.len().saturating_mul(segments.len()) > MOST_LOOKS {
            return None;
        }
    }
    Some(pieces)
}

/// Of pieces that lie on each other one.
fn once(pieces: Vec<Piece>) -> Vec<Piece> {
    let mut seen: FxHashMap<(usize, usize), Vec<usize>> = FxHashMap::default();
    let mut out: Vec<Piece> = Vec::with_capacity(pieces.len());
    for piece in pieces {
        let known = seen.entry((piece.start.min(piece.end), piece.start.max(piece.end))).or_default();
        let near = known.iter().map(|k| (*k, out[*k].middle.distance(piece.middle))).find(|k| k.1 <= ON);
        match near {
            Some((k, spread)) => out[k].spread = out[k].spread.max(spread),
            None => {
                known.push(out.len());
                out.push(piece);
            }
        }
    }
    out
}

/// The areas, to be asked what is filled where.
struct Ground<'a> {
    areas: Vec<(bool, Vec<(&'a Path, Bounds)>)>,
}

impl<'a> Ground<'a> {
    fn of(areas: &[Filled<'a>]) -> Self {
        let bounded = |a: &Filled<'a>| (a.winding, a.outlines.iter().map(|p| (*p, p.bounds())).collect());
        Self { areas: areas.iter().map(bounded).collect() }
    }

    fn is_filled(&self, p: Point) -> bool {
        self.areas.iter().any(|(winding, outlines)| {
            let around: i32 = outlines.iter().filter(|(_, b)| b.has(p)).map(|(path, _)| turns(path, p)).sum();
            if *winding { around != 0 } else { around % 2 != 0 }
        })
    }
}

/// How often a closed path goes round a point, anticlockwise.
fn turns(path: &Path, p: Point) -> i32 {
    path.segments.iter().map(|s| round_chord(s, p) + in_cap(s, p)).sum()
}

/// What the chord of a segment counts for the turns of its polygon.
fn round_chord(s: &Segment, p: Point) -> i32 {
    let side = (s.end - s.start).cross(p - s.start);
    if s.start.y <= p.y && p.y < s.end.y && side > 0.0 {
        1
    } else if s.end.y <= p.y && p.y < s.start.y && side < 0.0 {
        -1
    } else {
        0
    }
}

/// What lies between a segment and its chord is round which it goes once more. A point on the chord counts as [`round_chord`] takes it:
/// a hair further along x, or along y where the chord lies level.
fn in_cap(s: &Segment, p: Point) -> i32 {
    if s.is_line() || s.center().distance(p) >= s.radius() {
        return 0;
    }
    let chord = s.end - s.start;
    let side = chord.cross(p - s.start);
    let side = if side != 0.0 {
        side
    } else if chord.y != 0.0 {
        -chord.y
    } else {
        chord.x
    };
    match (s.bulge > 0.0, side < 0.0) {
        (true, true) => 1,
        (false, false) => -1,
        _ => 0,
    }
}

/// The edges as loops, each with its fill on the left; where loops touch in a point each keeps to its own fill. `None` where they do
/// not close.
fn looped(edges: &[Piece], nodes: usize) -> Option<Vec<Vec<Piece>>> {
    let mut from: Vec<Vec<usize>> = vec![Vec::new(); nodes];
    edges.iter().enumerate().for_each(|(i, e)| from[e.start].push(i));
    let mut used = vec![false; edges.len()];
    let mut loops = Vec::new();
    for first in 0..edges.len() {
        if used[first] {
            continue;
        }
        let mut found = vec![edges[first]];
        used[first] = true;
        while let Some(last) = found.last() {
            let back = leaving(&last.segment.reversed());
            let turn = |i: &usize| clockwise(back, leaving(&edges[*i].segment));
            let free = from[last.end].iter().copied().filter(|i| !used[*i] || *i == first);
            let next = free.min_by(|a, b| turn(a).total_cmp(&turn(b)))?;
            if next == first {
                break;
            }
            used[next] = true;
            found.push(edges[next]);
        }
        loops.push(found);
    }
    Some(loops)
}

/// The way that a segment takes from its start, seen from a little further on.
fn leaving(s: &Segment) -> Vec2 {
    let share = (0.02 / s.length().max(1e-9)).min(0.25);
    s.at(share) - s.start
}

/// The angle from one way to another, clockwise, from over 0 to a full turn.
fn clockwise(from: Vec2, to: Vec2) -> f64 {
    let angle = -from.cross(to).atan2(from.dot(to));
    if angle <= 1e-12 { angle + std::f64::consts::TAU } else { angle }
}

/// The pieces of a loop, those of one segment that go on in each other as one again.
fn joined(pieces: &[Piece], segments: &[Segment]) -> Path {
    let goes_on = |a: &Piece, b: &Piece| a.of == b.of && a.to == b.from && (a.from < a.to) == (b.from < b.to);
    let begin = (0..pieces.len()).find(|i| !goes_on(&pieces[(i + pieces.len() - 1) % pieces.len()], &pieces[*i])).unwrap_or(0);
    let mut out: Vec<Piece> = Vec::new();
    for piece in pieces[begin..].iter().chain(&pieces[..begin]) {
        match out.last_mut() {
            Some(last) if goes_on(last, piece) => {
                let whole = segments[last.of].piece(last.from.min(piece.to), last.from.max(piece.to));
                let whole = if last.from < piece.to { whole } else { whole.reversed() };
                let segment = Segment { start: last.segment.start, end: piece.segment.end, ..whole };
                *last = Piece { to: piece.to, end: piece.end, segment, ..*last };
            }
            _ => out.push(*piece),
        }
    }
    Path::new(out.into_iter().map(|p| p.segment).collect(), true)
}

#[cfg(test)]
mod tests;

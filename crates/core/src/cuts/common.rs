//! Edges in common: copies that lie a kerf apart along straight edges, cut once on the middle of the gap.
//!
//! The line half a kerf outside an outline is what a cut follows. Where two such lines run on each other the two copies share
//! that stretch. All lines of such copies together make a net: what has copies on both sides runs straight on as far as it
//! can, from rim to rim; what has a copy on one side only is the rim of a block, or of a void within it, and is closed. The
//! rim is cut last of all, for it frees the block.

use super::blunt::{Material, blunt};
use super::{Cut, Edge, Line, Piece};
use crate::assign::{Process, Work};
use crate::geometry::{Bounds, Path, Point, Segment, Vec2};
use crate::ids::EdgePlace;
use crate::nest::SheetLayout;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::FxHashMap;
use std::f64::consts::PI;

/// Lines that are no further apart than this, mm, run on each other. A nest takes out what play there was; a hand leaves a
/// micrometre or two.
pub(super) const SAME: f64 = 0.01;
/// Corners sharper than this are not drawn out to a point: it would reach too far.
const SHARPEST: f64 = 40.0 * PI / 180.0;

/// The line round a copy, half a kerf outside its outline, anticlockwise.
pub(super) struct Ring {
    pub(super) placement: usize,
    item: usize,
    /// Its lines and arcs; a round corner between two lines is kept apart.
    pub(super) sides: Vec<Side>,
}

/// A side by its ring and its number in it.
pub(super) type Of = (usize, usize);

/// A stretch of the line round a copy.
pub(super) struct Side {
    /// From corner to corner, drawn out to their points.
    pub(super) line: Segment,
    /// The arc round the corner at its end, where that has been drawn out to a point.
    pub(super) corner: Option<Segment>,
    /// That corner is round, though something is shared beside it.
    pub(super) blunt: bool,
    /// Where it is shared, mm along it, and with which side of which other ring.
    pub(super) shared: Vec<(f64, f64, Of)>,
}

/// A stretch of the net.
#[derive(Clone)]
struct Strand {
    path: Segment,
    sides: [Option<Edge>; 2],
    /// The first side's ring.
    ring: usize,
}

/// The cuts of all copies that share edges, and the placements of those copies.
pub(super) fn cuts(work: &Work, sheet: &SheetLayout, kerf: f64) -> (Vec<Cut>, Vec<usize>) {
    let mut rings: Vec<Ring> = (0..sheet.placed.len()).filter_map(|i| ring(work, sheet, i, kerf / 2.0)).collect();
    find_shared(&mut rings);
    blunt(&mut rings, &Material::of(work, sheet), kerf / 2.0);
    rings.iter_mut().for_each(Ring::round_off);
    let strands = strands(&rings, work, sheet);
    let cuts = chains(&strands).into_iter().filter_map(|chain| cut(&chain, &strands, &rings)).collect();
    (cuts, rings.iter().filter(|r| r.is_shared()).map(|r| r.placement).collect())
}

fn ring(work: &Work, sheet: &SheetLayout, placement: usize, half: f64) -> Option<Ring> {
    let placed = &sheet.placed[placement];
    let item = work.part(placed.copy.part)?.outer?;
    let drawn = work.items[item].contour.path.transformed(placed.affine());
    if !work.items[item].process.frees() || work.items[item].setting.is_some() {
        return None;
    }
    let drawn = if drawn.area() < 0.0 { drawn.reversed() } else { drawn };
    let moved = drawn.moved_left(-half).into_iter().max_by(|a, b| a.area().abs().total_cmp(&b.area().abs()))?;
    let moved = if moved.area() < 0.0 { moved.reversed() } else { moved };
    Some(Ring { placement, item, sides: sharpened(&joined(moved.segments), half) })
}

/// True where two lines are one, within so much of an angle, radians.
fn runs_on(a: &Segment, b: &Segment, within: f64) -> bool {
    let (out, on) = (a.direction(1.0), b.direction(0.0));
    a.is_line() && b.is_line() && out.cross(on).abs() < within && out.dot(on) > 0.0
}

/// Lines that run straight on are one.
fn joined(segments: Vec<Segment>) -> Vec<Segment> {
    let straight = |a: &Segment, b: &Segment| runs_on(a, b, 1e-9);
    let mut out: Vec<Segment> = Vec::new();
    for s in segments.into_iter().filter(|s| s.length() > 1e-9) {
        match out.last_mut() {
            Some(last) if straight(last, &s) => last.end = s.end,
            _ => out.push(s),
        }
    }
    if out.len() > 1 && straight(&out[out.len() - 1], &out[0]) {
        let last = out.remove(out.len() - 1);
        out[0].start = last.start;
    }
    out
}

/// Round corners of half a kerf drawn out to the point where their lines meet.
fn sharpened(segments: &[Segment], half: f64) -> Vec<Side> {
    let n = segments.len();
    let round = |i: usize| {
        let (before, s, after) = (&segments[(i + n - 1) % n], &segments[i], &segments[(i + 1) % n]);
        let corner = !s.is_line() && s.sweep() > 0.0 && (s.radius() - half).abs() < 1e-6 && before.is_line() && after.is_line();
        let meet = before.end + before.direction(1.0) * (half * (s.sweep() / 2.0).tan());
        (n > 2 && corner && PI - s.sweep() > SHARPEST).then_some(meet)
    };
    let mut sides: Vec<Side> = Vec::new();
    for (i, s) in segments.iter().enumerate().filter(|(i, _)| round(*i).is_none()) {
        let mut line = *s;
        line.start = round((i + n - 1) % n).unwrap_or(line.start);
        let corner = round((i + 1) % n).map(|meet| {
            line.end = meet;
            segments[(i + 1) % n]
        });
        sides.push(Side { line, corner, blunt: false, shared: Vec::new() });
    }
    sides
}

/// Where the lines of two rings run on each other, the one this way, the other that.
fn find_shared(rings: &mut [Ring]) {
    type Boxed = GeomWithData<Rectangle<[f64; 2]>, Of>;
    let boxed = |b: Bounds, of: Of| Boxed::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), of);
    let lines = rings
        .iter()
        .enumerate()
        .flat_map(|(r, ring)| ring.sides.iter().enumerate().filter(|(_, s)| s.line.is_line()).map(move |(k, s)| (s.line, (r, k))));
    let lines: Vec<(Segment, Of)> = lines.collect();
    let index = RTree::bulk_load(lines.iter().map(|(s, of)| boxed(s.bounds().grown(SAME), *of)).collect());
    let mut found: Vec<(Of, Of, (f64, f64))> = Vec::new();
    for (s, of) in &lines {
        let b = s.bounds();
        for other in index.locate_in_envelope_intersecting(AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y])).map(|o| o.data) {
            if other.0 == of.0 {
                continue;
            }
            let o = rings[other.0].sides[other.1].line;
            if let Some((from, to)) = overlap(s, &o).filter(|(from, to)| to - from > 2.0 * SAME) {
                found.push((*of, other, (from, to)));
            }
        }
    }
    for (of, other, (from, to)) in found {
        rings[of.0].sides[of.1].shared.push((from, to, other));
    }
    for side in rings.iter_mut().flat_map(|r| &mut r.sides) {
        side.shared.sort_by(|a, b| a.0.total_cmp(&b.0));
    }
    part_neighbours(rings);
}

/// Two neighbours along one side are both drawn out to their points and may share a tip of it: each gets half.
fn part_neighbours(rings: &mut [Ring]) {
    // Which side's stretch with which other changes, at its end or its begin, and where.
    let mut changes: Vec<(Of, Of, bool, Point)> = Vec::new();
    for (r, ring) in rings.iter().enumerate() {
        for (k, side) in ring.sides.iter().enumerate() {
            for pair in side.shared.windows(2).filter(|p| p[0].1 > p[1].0) {
                let at = side.line.start + side.line.direction(0.0) * f64::midpoint(pair[0].1, pair[1].0);
                // The other side runs the other way.
                changes.extend([((r, k), pair[0].2, true, at), ((r, k), pair[1].2, false, at)]);
                changes.extend([(pair[0].2, (r, k), false, at), (pair[1].2, (r, k), true, at)]);
            }
        }
    }
    for (of, other, end, at) in changes {
        let side = &mut rings[of.0].sides[of.1];
        let along = (at - side.line.start).dot(side.line.direction(0.0));
        for s in side.shared.iter_mut().filter(|s| s.2 == other) {
            if end { s.1 = s.1.min(along) } else { s.0 = s.0.max(along) }
        }
    }
    rings.iter_mut().flat_map(|r| &mut r.sides).for_each(|s| s.shared.retain(|x| x.1 - x.0 > SAME));
}

/// The stretch of `a`, mm along it, on which `b` runs the other way.
fn overlap(a: &Segment, b: &Segment) -> Option<(f64, f64)> {
    let (way, length) = (a.direction(0.0), a.length());
    let off = |p: Point| (p - a.start).cross(way).abs();
    if way.dot(b.direction(0.0)) > -0.999 {
        return None;
    }
    let along = |p: Point| (p - a.start).dot(way);
    let (from, to) = (along(b.end).max(0.0), along(b.start).min(length));
    // Only what they have in common has to lie on the same line.
    let at = |t: f64| b.at(b.nearest(a.start + way * t));
    (to > from && off(at(from)) < SAME && off(at(to)) < SAME).then_some((from, to))
}

impl Ring {
    fn is_shared(&self) -> bool {
        self.sides.iter().any(|s| !s.shared.is_empty())
    }

    /// Corners beside which nothing is shared are round again.
    fn round_off(&mut self) {
        let n = self.sides.len();
        for i in 0..n {
            let next = (i + 1) % n;
            if self.sides[i].blunt {
                continue;
            }
            let Some(arc) = self.sides[i].corner.filter(|_| !self.is_used_at(i)) else {
                // What is drawn out stays so.
                self.sides[i].corner = None;
                continue;
            };
            self.sides[i].line.end = arc.start;
            let cut = self.sides[next].line.start.distance(arc.end);
            self.sides[next].line.start = arc.end;
            for s in &mut self.sides[next].shared {
                (s.0, s.1) = (s.0 - cut, s.1 - cut);
            }
        }
    }
}

/// Every stretch of the net once.
fn strands(rings: &[Ring], work: &Work, sheet: &SheetLayout) -> Vec<Strand> {
    let mut out = Vec::new();
    for (r, ring) in rings.iter().enumerate().filter(|(_, r)| r.is_shared()) {
        for (k, side) in ring.sides.iter().enumerate() {
            let (length, way) = (side.line.length(), side.line.direction(0.0));
            let at = |t: f64| side.line.start + way * t;
            let mut done = 0.0;
            let alone = |from: f64, to: f64, out: &mut Vec<Strand>| {
                if to - from > SAME {
                    let path = if side.line.is_line() { Segment::line(at(from), at(to)) } else { side.line };
                    out.push(Strand { path, sides: [Some(edge(work, sheet, ring, &path)), None], ring: r });
                }
            };
            for (from, to, other) in &side.shared {
                alone(done, *from, &mut out);
                done = *to;
                // The first of the two has it.
                if (r, k) < *other {
                    let path = Segment::line(at(*from), at(*to));
                    let theirs = edge(work, sheet, &rings[other.0], &path.reversed());
                    out.push(Strand { path, sides: [Some(edge(work, sheet, ring, &path)), Some(theirs)], ring: r });
                }
            }
            alone(done, length, &mut out);
            out.extend(side.corner.map(|arc| Strand { path: arc, sides: [Some(edge(work, sheet, ring, &arc)), None], ring: r }));
        }
    }
    out
}

/// The stretch of a copy's contour that a strand makes.
fn edge(work: &Work, sheet: &SheetLayout, ring: &Ring, strand: &Segment) -> Edge {
    let placed = &sheet.placed[ring.placement];
    let contour = &work.items[ring.item].contour;
    let drawn = contour.path.transformed(placed.affine());
    let place = |p: Point| EdgePlace::at(&drawn, drawn.nearest(p).along);
    // Said in the direction in which the contour is drawn.
    let (from, to) = if drawn.area() < 0.0 { (strand.end, strand.start) } else { (strand.start, strand.end) };
    Edge { copy: placed.copy, contour: contour.id, placement: ring.placement, item: ring.item, stretch: (place(from), place(to)) }
}

/// One end of a strand.
type End = (usize, bool);

/// Strands joined to lines as long as can be: each as its strands in order, `true` for those that are run backwards.
fn chains(strands: &[Strand]) -> Vec<Vec<End>> {
    let partner = partners(strands);
    let mut used = vec![false; strands.len()];
    let mut out = Vec::new();
    // Open lines first, from an end that has no partner; what is left is closed.
    let ends = (0..strands.len()).flat_map(|i| [(i, false), (i, true)]).filter(|e| !partner.contains_key(e));
    for first in ends.chain((0..strands.len()).map(|i| (i, false))) {
        let mut chain = Vec::new();
        let mut at = first;
        while !used[at.0] {
            used[at.0] = true;
            chain.push(at);
            // Entered at `at`, left at its other end.
            match partner.get(&(at.0, !at.1)) {
                Some(next) => at = *next,
                None => break,
            }
        }
        if !chain.is_empty() {
            out.push(chain);
        }
    }
    out
}

/// Which ends are joined: at every knot those that go on best, rims with rims and what is shared with what is shared.
fn partners(strands: &[Strand]) -> FxHashMap<End, End> {
    let point = |(i, end): End| if end { strands[i].path.end } else { strands[i].path.start };
    // Out of the knot, into the strand.
    let way = |(i, end): End| if end { -strands[i].path.direction(1.0) } else { strands[i].path.direction(0.0) };
    let mut knots: FxHashMap<(i64, i64), Vec<End>> = FxHashMap::default();
    let cell = |p: Point| ((p.x / (4.0 * SAME)).floor() as i64, (p.y / (4.0 * SAME)).floor() as i64);
    let all: Vec<End> = (0..strands.len()).flat_map(|i| [(i, false), (i, true)]).collect();
    all.iter().for_each(|e| knots.entry(cell(point(*e))).or_default().push(*e));
    let near = |e: End| {
        let (x, y) = cell(point(e));
        let cells = (-1..=1).flat_map(move |i| (-1..=1).map(move |j| (x + i, y + j)));
        cells.filter_map(|c| knots.get(&c)).flatten().copied().filter(move |o| *o != e && point(*o).distance(point(e)) < SAME)
    };
    let rim = |i: usize| strands[i].sides[1].is_none();
    let mut pairs: Vec<(f64, End, End)> = Vec::new();
    for e in &all {
        for o in near(*e).filter(|o| *o > *e && o.0 != e.0 && rim(o.0) == rim(e.0)) {
            let turn = turn(way(*e), way(o));
            // Round a corner the rim stays with its copy.
            let other = rim(e.0) && strands[e.0].ring != strands[o.0].ring;
            pairs.push((turn + if other && turn > 0.05 { PI } else { 0.0 }, *e, o));
        }
    }
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then((a.1, a.2).cmp(&(b.1, b.2))));
    let mut partner: FxHashMap<End, End> = FxHashMap::default();
    for (_, a, b) in pairs {
        if !partner.contains_key(&a) && !partner.contains_key(&b) {
            partner.insert(a, b);
            partner.insert(b, a);
        }
    }
    partner
}

/// How far two ways out of a knot are from running straight through it, radians.
fn turn(a: Vec2, b: Vec2) -> f64 {
    (-a).cross(b).atan2((-a).dot(b)).abs()
}

/// A line of strands as one cut. A rim runs with its copies on its left.
fn cut(chain: &[End], strands: &[Strand], rings: &[Ring]) -> Option<Cut> {
    let (first, last) = (chain.first()?, chain.last()?);
    let run = |(i, back): &End| if *back { strands[*i].path.reversed() } else { strands[*i].path };
    let closed = chain.len() > 1 && run(last).end.distance(run(first).start) < SAME;
    let mut segments: Vec<Segment> = Vec::new();
    let mut pieces: Vec<Piece> = Vec::new();
    let mut along = 0.0;
    for end in chain {
        let mut s = run(end);
        if let Some(last) = segments.last_mut() {
            s.start = last.end;
        }
        along += s.length();
        let straight = segments.last().is_some_and(|l| runs_on(l, &s, 1e-6));
        match segments.last_mut().filter(|_| straight) {
            Some(l) => l.end = s.end,
            None => segments.push(s),
        }
        pieces.push(Piece { end: along, sides: strands[end.0].sides });
    }
    if closed {
        let start = segments[0].start;
        segments.last_mut()?.end = start;
    }
    let shared = strands[first.0].sides[1].is_some();
    let path = Path::new(segments, closed);
    let line = if shared { Line::Shared } else { Line::Rim { inner: closed && (path.area() < 0.0) != first.1 } };
    let ring = &rings[strands[first.0].ring];
    Some(Cut { path, pieces, line, process: Process::Cut, setting: None, placement: ring.placement, item: ring.item })
}

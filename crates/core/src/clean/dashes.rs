//! Dashes that stand in a row: one line came as many. A row may go round corners, over a bent dash or across a gap.

use super::cells::Cells;
use super::chain::Chained;
use crate::geometry::{Path, Point, Segment, Vec2};
use rustc_hash::{FxHashMap, FxHashSet};
use std::f64::consts::{PI, TAU};

/// A row has at least this many dashes.
const LEAST: usize = 4;
/// A gap is at most this many times as long as the dashes beside it, and never longer than this, mm.
const WIDEST: (f64, f64) = (3.0, 12.0);
/// Dashes of a row differ in length by this factor at most; dots between dashes are told apart by it.
const UNEVEN: f64 = 12.0;
/// A dash that goes round a corner has at most this many segments.
const BENDS: usize = 6;
/// A gap across a corner is at most this many times as long as the gaps beside it.
const CORNER: f64 = 1.5;
/// Ends looked at round one end: where more lie there is no row to be told.
const CROWD: usize = 400;

/// End of a dash: twice its number, and one more for the end of its path.
type End = usize;

/// Rows of dashes.
pub(super) struct Rows {
    pub(super) rows: Vec<Row>,
}

/// A row from one end to the other, or round.
pub(super) struct Row {
    /// The ends at which its dashes are entered.
    entered: Vec<End>,
    round: bool,
}

impl Row {
    /// Number of its first dash.
    pub(super) fn first(&self) -> usize {
        self.entered[0] / 2
    }
}

/// Slits of a row are of one length, to this factor.
const EVEN: f64 = 1.3;

impl Rows {
    /// The rows that are surely one line each, and those that may as well be slits: straight, all as long as each other, and of a style
    /// that has no line type (`typed` by style). Hinges, perforations and stitches are drawn so.
    pub(super) fn parted(self, pieces: &[Chained], typed: &[bool]) -> (Self, Self) {
        let slits = |row: &Row| {
            let dashes = || row.entered.iter().map(|e| &pieces[e / 2].path);
            let straight = dashes().all(|p| p.segments.len() == 1 && p.segments[0].is_line());
            // At an edge the first and the last may be cut short.
            let lengths: Vec<f64> = dashes().map(Path::length).collect();
            let whole = &lengths[1..lengths.len() - 1];
            let (most, least) = (lengths.iter().copied().fold(0.0, f64::max), whole.iter().copied().fold(f64::INFINITY, f64::min));
            let even = most <= EVEN * least;
            !typed[pieces[row.first()].style] && !row.round && straight && even
        };
        let (slits, sure) = self.rows.into_iter().partition(slits);
        (Self { rows: sure }, Self { rows: slits })
    }

    /// Where the rows begin, and how many dashes they have.
    pub(super) fn told(&self, pieces: &[Chained]) -> (Vec<Point>, usize) {
        let start = |r: &Row| pieces[r.first()].path.segments[0].start;
        (self.rows.iter().map(start).collect(), self.dashes())
    }

    /// Both together.
    pub(super) fn with(mut self, other: Self) -> Self {
        self.rows.extend(other.rows);
        self
    }

    /// Dashes in all rows.
    pub(super) fn dashes(&self) -> usize {
        self.rows.iter().map(|r| r.entered.len()).sum()
    }
}

/// Finds rows among open pieces: same style, one line or one circle from dash to dash or round a corner, even gaps.
pub(super) fn find(pieces: &[Chained], near: f64) -> Rows {
    let dash = |p: &Chained| !p.path.closed && (1..=BENDS).contains(&p.path.segments.len()) && p.path.length() > near;
    // Copies that lie on each other make no row, and their number would count squared: the first stands for all.
    let mut places = FxHashSet::default();
    let coarse = |p: Point| [p.x, p.y].map(|v| (v / near).round() as i64);
    let mut once = |p: &Chained| {
        let mut ends = [p.path.segments[0].start, p.path.segments[p.path.segments.len() - 1].end].map(coarse);
        ends.sort_unstable();
        places.insert((ends, p.style))
    };
    let dashes: Vec<usize> = (0..pieces.len()).filter(|i| dash(&pieces[*i]) && once(&pieces[*i])).collect();
    // Ends by style; each end looks ahead for the start of the next dash.
    let mut grids: FxHashMap<usize, (Cells, Vec<End>)> = FxHashMap::default();
    for i in &dashes {
        let (cells, ends) = grids.entry(pieces[*i].style).or_insert_with(|| (Cells::new(WIDEST.1, 256), Vec::new()));
        for end in [i * 2, i * 2 + 1] {
            cells.add(Tip::of(pieces, end).at);
            ends.push(end);
        }
    }
    grids.values_mut().for_each(|(cells, _)| cells.pack());
    let tips = Tips::of(pieces, &dashes);
    let all: Vec<End> = dashes.iter().flat_map(|i| [i * 2, i * 2 + 1]).collect();
    let mut links = Links::default();
    // Of most ends around the place alone tells that they do not lie ahead.
    let may_follow =
        |a: &Tip, at: Point| a.way.dot(at - a.at) > 0.0 && (!a.segment.is_line() || a.way.cross(at - a.at).abs() <= 2.0 * near);
    links.add(tips.pairs(pieces, &grids, &all, may_follow, |a, b, gap| ahead(a, b, gap, near).then_some(gap)));
    // What is left may meet round a corner that fell into a gap: of two such ends one at least goes on at its other side.
    let known = links.gaps.clone();
    let usual = |end: End| known.get(&(end ^ 1)).copied();
    let round_corner = |a: &Tip, b: &Tip, _: f64| {
        let (u, v) = corner(a, b)?;
        let most = usual(a.end).into_iter().chain(usual(b.end)).fold(0.0, f64::max) * CORNER;
        (u + v > near && u + v <= most && !known.contains_key(&b.end)).then_some(u + v)
    };
    let left: Vec<End> = all.into_iter().filter(|end| usual(*end).is_some() && !known.contains_key(end)).collect();
    links.add(tips.pairs(pieces, &grids, &left, |_, _| true, round_corner));
    Rows { rows: rows(&dashes, &links, pieces) }
}

/// What a dash shows to its neighbour at one of its ends.
struct Tip {
    end: End,
    at: Point,
    /// Direction out of the dash.
    way: Vec2,
    segment: Segment,
    /// Length of the whole dash.
    length: f64,
}

impl Tip {
    fn of(pieces: &[Chained], end: End) -> Self {
        let path = &pieces[end / 2].path;
        let segment = if end % 2 == 1 { path.segments[path.segments.len() - 1] } else { path.segments[0] };
        let (at, way) = if end % 2 == 1 { (segment.end, segment.direction(1.0)) } else { (segment.start, -segment.direction(0.0)) };
        Self { end, at, way, segment, length: path.length() }
    }
}

/// Which end goes on at which, and how wide the gap between them is.
#[derive(Default)]
struct Links {
    to: FxHashMap<End, End>,
    gaps: FxHashMap<End, f64>,
}

impl Links {
    /// Links the nearest first; an end has one partner.
    fn add(&mut self, mut pairs: Vec<(f64, End, End)>) {
        pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        for (gap, a, b) in pairs {
            if !self.to.contains_key(&a) && !self.to.contains_key(&b) {
                self.to.extend([(a, b), (b, a)]);
                self.gaps.extend([(a, gap), (b, gap)]);
            }
        }
    }
}

/// The tips of dashes: an end is looked at from hundreds of others where drawings are dense, and what it shows is worked out once.
struct Tips {
    tips: Vec<Tip>,
    /// By piece: where its two tips are.
    place: Vec<usize>,
}

impl Tips {
    fn of(pieces: &[Chained], dashes: &[usize]) -> Self {
        let mut place = vec![usize::MAX; pieces.len()];
        dashes.iter().enumerate().for_each(|(k, i)| place[*i] = 2 * k);
        Self { tips: dashes.iter().flat_map(|i| [i * 2, i * 2 + 1]).map(|end| Tip::of(pieces, end)).collect(), place }
    }

    fn at(&self, end: End) -> &Tip {
        &self.tips[self.place[end / 2] + end % 2]
    }

    /// Pairs of `ends` with near ends of one style that belong together, with the gap that `gap` tells; `may` says quickly of most
    /// places that nothing there is one's partner.
    fn pairs(
        &self,
        pieces: &[Chained],
        grids: &FxHashMap<usize, (Cells, Vec<End>)>,
        ends: &[End],
        may: impl Fn(&Tip, Point) -> bool,
        gap: impl Fn(&Tip, &Tip, f64) -> Option<f64>,
    ) -> Vec<(f64, End, End)> {
        let asked: FxHashSet<End> = if ends.len() < self.tips.len() { ends.iter().copied().collect() } else { FxHashSet::default() };
        let also_asks = |end: &End| ends.len() == self.tips.len() || asked.contains(end);
        let mut out = Vec::new();
        for end in ends {
            let (here, (cells, known)) = (self.at(*end), &grids[&pieces[end / 2].style]);
            cells.near_places(here.at, WIDEST.1, CROWD, |k, at, distance| {
                let other = known[k];
                // Of two that both ask the first does.
                if may(here, at)
                    && (other / 2 > end / 2 || other / 2 != end / 2 && !also_asks(&other))
                    && let Some(gap) = gap(here, self.at(other), distance)
                {
                    out.push((gap, (*end).min(other), (*end).max(other)));
                }
            });
        }
        out
    }
}

/// True where the row goes straight on, or on along one circle.
fn ahead(a: &Tip, b: &Tip, gap: f64, near: f64) -> bool {
    let (long, short) = (a.length.max(b.length), a.length.min(b.length));
    let (s, t) = (&a.segment, &b.segment);
    if gap > WIDEST.0 * long || gap <= near || long > UNEVEN * short || s.is_line() != t.is_line() {
        return false;
    }
    if s.is_line() {
        // On one line, ahead, and pointing back at each other.
        let aside = a.way.cross(b.at - a.at).abs();
        aside <= 2.0 * near && a.way.dot(b.at - a.at) > 0.0 && a.way.dot(b.way) < -0.999_9
    } else {
        s.center().distance(t.center()) <= 2.0 * near && (s.radius() - t.radius()).abs() <= 2.0 * near && a.way.dot(b.at - a.at) > 0.0
    }
}

/// How far ahead of two straight ends their lines meet, mm each; `None` where they do not.
fn corner(a: &Tip, b: &Tip) -> Option<(f64, f64)> {
    let turn = a.way.cross(b.way);
    if !a.segment.is_line() || !b.segment.is_line() || turn.abs() < 0.1 {
        return None;
    }
    let between = b.at - a.at;
    let (u, v) = (between.cross(b.way) / turn, between.cross(a.way) / turn);
    (u > -1e-6 && v > -1e-6).then_some((u.max(0.0), v.max(0.0)))
}

/// Follows links from row ends; what goes round, as a dashed circle does, begins anywhere.
fn rows(dashes: &[usize], links: &Links, pieces: &[Chained]) -> Vec<Row> {
    let mut used = vec![false; pieces.len()];
    let mut out = Vec::new();
    let free = dashes.iter().flat_map(|i| [i * 2, i * 2 + 1]).filter(|e| !links.to.contains_key(e));
    let anywhere = dashes.iter().map(|i| i * 2);
    for start in free.chain(anywhere) {
        if used[start / 2] {
            continue;
        }
        let (mut entered, mut gaps, mut at, mut round) = (Vec::new(), 0.0, start, false);
        loop {
            used[at / 2] = true;
            entered.push(at);
            let Some(next) = links.to.get(&(at ^ 1)) else { break };
            round = *next == start;
            if used[next / 2] {
                break;
            }
            gaps += links.gaps[&(at ^ 1)];
            at = *next;
        }
        // Many dashes, most of them straight, and for the most part drawn: a column of far-apart ticks is no line.
        let drawn: f64 = entered.iter().map(|e| pieces[e / 2].path.length()).sum();
        let plain = entered.iter().filter(|e| pieces[**e / 2].path.segments.len() == 1).count();
        let curved = !pieces[start / 2].path.segments[0].is_line();
        if entered.len() >= LEAST && plain * 2 >= entered.len() && (curved || drawn > 0.25 * (drawn + gaps)) {
            out.push(Row { entered, round });
        }
    }
    out
}

/// The pieces with every row replaced by the line it came from.
pub(super) fn joined(pieces: Vec<Chained>, rows: &Rows) -> Vec<Chained> {
    let mut gone = vec![false; pieces.len()];
    let mut lines = Vec::new();
    for row in &rows.rows {
        row.entered.iter().for_each(|e| gone[e / 2] = true);
        let name = row.entered.iter().fold(0_u64, |all, e| all.wrapping_add(super::identity::mixed(pieces[e / 2].name)));
        lines.push(Chained { path: line(row, &pieces), style: pieces[row.first()].style, name, compound: 0, from: Vec::new() });
    }
    let kept = pieces.into_iter().zip(gone).filter(|(_, gone)| !gone).map(|(p, _)| p);
    kept.chain(lines).collect()
}

/// Dash after dash with the gaps filled: along the line, along the circle, or by way of the corner.
fn line(row: &Row, pieces: &[Chained]) -> Path {
    let mut all: Vec<Segment> = Vec::new();
    for entered in &row.entered {
        let path = &pieces[entered / 2].path;
        let dash: Vec<Segment> =
            if entered % 2 == 0 { path.segments.clone() } else { path.segments.iter().rev().map(Segment::reversed).collect() };
        if let Some(last) = all.last().copied() {
            fill(&mut all, last, dash[0]);
        }
        // What was filled straight on has taken the next dash's line along.
        let taken = all.last().is_some_and(|l| l.is_line() && dash[0].is_line() && l.end == dash[0].end);
        dash.into_iter().skip(usize::from(taken)).for_each(|s| push(&mut all, s));
    }
    if row.round {
        let (last, first) = (all[all.len() - 1], all[0]);
        // All on one circle.
        if all.len() == 1 && !first.is_line() {
            return Path::circle(first.center(), first.radius());
        }
        fill(&mut all, last, first);
        // The first dash is the last one's other part where it does not begin at a corner.
        let closing = all[all.len() - 1];
        if closing.is_line() && closing.end == first.end {
            all.pop();
            all[0] = closing;
        } else if let Some(whole) = one(closing, first) {
            all.pop();
            all[0] = whole;
        }
        let end = all.len() - 1;
        all[end].end = all[0].start;
    }
    // A segment is less than a half turn and a bit: longer arcs are halved.
    let halved = all.into_iter().flat_map(|s| if s.sweep().abs() > PI { vec![s.piece(0.0, 0.5), s.piece(0.5, 1.0)] } else { vec![s] });
    Path::new(halved.collect(), row.round)
}

/// Fills the gap between two segments.
fn fill(all: &mut Vec<Segment>, last: Segment, next: Segment) {
    if !last.is_line() && !next.is_line() {
        let c = last.center();
        let way = last.bulge.signum();
        let sweep = (((next.start - c).atan2() - (last.end - c).atan2()) * way).rem_euclid(TAU) * way;
        return push(all, Segment { start: last.end, end: next.start, bulge: (sweep / 4.0).tan() });
    }
    let (a, b) = (last.direction(1.0), -next.direction(0.0));
    let turn = a.cross(b);
    if turn.abs() >= 0.1 && last.is_line() && next.is_line() {
        let by = last.end + a * ((next.start - last.end).cross(b) / turn);
        if by.distance(last.end) > 1e-9 {
            push(all, Segment::line(last.end, by));
        }
        if by.distance(next.start) > 1e-9 {
            push(all, Segment::line(by, next.start));
        }
    } else if let (Some(end), true) = (all.last_mut(), last.is_line()) {
        // Straight on: dashes lie on one line within a hair, and the hair makes no corner.
        end.end = next.start;
        if next.is_line() {
            end.end = next.end;
        }
    } else {
        push(all, Segment::line(last.end, next.start));
    }
}

/// Adds a segment, as a part of the last one where both are of one line or circle.
fn push(all: &mut Vec<Segment>, s: Segment) {
    let Some(last) = all.pop() else { return all.push(s) };
    match one(last, s) {
        Some(both) => all.push(both),
        None => all.extend([last, Segment { start: last.end, ..s }]),
    }
}

/// Two segments in a row as one, where they lie on one line or one circle.
fn one(a: Segment, b: Segment) -> Option<Segment> {
    if a.is_line() && b.is_line() {
        return (a.direction(1.0).dot(b.direction(0.0)) > 0.999_9).then(|| Segment::line(a.start, b.end));
    }
    let same = !a.is_line() && !b.is_line() && a.bulge.signum() == b.bulge.signum();
    let near = 1e-3 * a.radius();
    let sweep = a.sweep() + b.sweep();
    (same && a.center().distance(b.center()) < near && (a.radius() - b.radius()).abs() < near && sweep.abs() < TAU - 1e-3)
        .then(|| Segment { start: a.start, end: b.end, bulge: (sweep / 4.0).tan() })
}

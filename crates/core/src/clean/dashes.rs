//! Dashes that stand in a row: one line came as many.

use super::cells::Cells;
use super::chain::Chained;
use crate::geometry::{Path, Point, Segment, Vec2};
use rustc_hash::FxHashMap;

/// A row has at least this many dashes.
const LEAST: usize = 4;
/// A gap is at most this many times as long as the dashes beside it, and never longer than this, mm.
const WIDEST: (f64, f64) = (3.0, 12.0);
/// Dashes of a row differ in length by this factor at most; dots between dashes are told apart by it.
const UNEVEN: f64 = 12.0;

/// Ends looked at round one end: where more lie there is no row to be told.
const CROWD: usize = 400;

/// Rows of dashes: for each the numbers of its pieces, from one end to the other.
pub(super) struct Rows {
    pub(super) rows: Vec<Vec<usize>>,
}

impl Rows {
    /// Dashes in all rows.
    pub(super) fn dashes(&self) -> usize {
        self.rows.iter().map(Vec::len).sum()
    }
}

/// Finds rows among open pieces of one line or arc: same style, one line or one circle, even gaps.
pub(super) fn find(pieces: &[Chained], near: f64) -> Rows {
    let dash = |p: &Chained| !p.path.closed && p.path.segments.len() == 1 && p.path.segments[0].length() > near;
    let single: Vec<usize> = (0..pieces.len()).filter(|i| dash(&pieces[*i])).collect();
    // Ends by style; each end looks ahead for the start of the next dash.
    let mut grids: FxHashMap<usize, (Cells, Vec<usize>)> = FxHashMap::default();
    for i in &single {
        let (cells, ends) = grids.entry(pieces[*i].style).or_insert_with(|| (Cells::new(WIDEST.1, 256), Vec::new()));
        for far in [false, true] {
            cells.add(end(&pieces[*i], far));
            ends.push(i * 2 + usize::from(far));
        }
    }
    let mut link: FxHashMap<usize, usize> = FxHashMap::default();
    let mut pairs: Vec<(f64, usize, usize)> = Vec::new();
    for i in &single {
        let (cells, ends) = &grids[&pieces[*i].style];
        for far in [false, true] {
            let here = i * 2 + usize::from(far);
            cells.near_few(end(&pieces[*i], far), WIDEST.1, CROWD, |k, gap| {
                let there = ends[k];
                if there / 2 > *i && follows(pieces, here, there, gap, near) {
                    pairs.push((gap, here, there));
                }
            });
        }
    }
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    for (_, a, b) in pairs {
        if !link.contains_key(&a) && !link.contains_key(&b) {
            link.insert(a, b);
            link.insert(b, a);
        }
    }
    Rows { rows: rows(&single, &link, pieces) }
}

fn end(piece: &Chained, far: bool) -> Point {
    let s = &piece.path.segments[0];
    if far { s.end } else { s.start }
}

/// Direction out of the dash at one of its ends.
fn outward(piece: &Chained, far: bool) -> Vec2 {
    let s = &piece.path.segments[0];
    if far { s.direction(1.0) } else { -s.direction(0.0) }
}

fn follows(pieces: &[Chained], here: usize, there: usize, gap: f64, near: f64) -> bool {
    let (a, b) = (&pieces[here / 2], &pieces[there / 2]);
    let (s, t) = (&a.path.segments[0], &b.path.segments[0]);
    let (long, short) = (s.length().max(t.length()), s.length().min(t.length()));
    if gap > WIDEST.0 * long || gap <= near || long > UNEVEN * short || s.is_line() != t.is_line() {
        return false;
    }
    let (p, way) = (end(a, here % 2 == 1), outward(a, here % 2 == 1));
    let q = end(b, there % 2 == 1);
    if s.is_line() {
        // On one line, ahead, and pointing back at each other.
        let aside = way.cross(q - p).abs();
        aside <= 2.0 * near && way.dot(q - p) > 0.0 && way.dot(outward(b, there % 2 == 1)) < -0.999_9
    } else {
        s.center().distance(t.center()) <= 2.0 * near && (s.radius() - t.radius()).abs() <= 2.0 * near && way.dot(q - p) > 0.0
    }
}

/// Follows links from row ends; what goes round, a dashed circle, begins anywhere.
fn rows(single: &[usize], link: &FxHashMap<usize, usize>, pieces: &[Chained]) -> Vec<Vec<usize>> {
    let mut used = vec![false; pieces.len()];
    let mut out = Vec::new();
    let free = single.iter().flat_map(|i| [i * 2, i * 2 + 1]).filter(|e| !link.contains_key(e));
    let anywhere = single.iter().map(|i| i * 2);
    for start in free.chain(anywhere) {
        if used[start / 2] {
            continue;
        }
        let mut row = Vec::new();
        let mut at = start;
        loop {
            used[at / 2] = true;
            row.push(at / 2);
            match link.get(&(at ^ 1)) {
                Some(next) if !used[next / 2] => at = *next,
                _ => break,
            }
        }
        // Many dashes, and for the most part drawn: a column of far-apart ticks is no line.
        let drawn: f64 = row.iter().map(|i| pieces[*i].path.segments[0].length()).sum();
        let first = &pieces[row[0]].path.segments[0];
        let last = &pieces[row[row.len() - 1]].path.segments[0];
        let span = first.start.distance(last.end).max(first.end.distance(last.start));
        if row.len() >= LEAST && (!first.is_line() || drawn > 0.25 * span) {
            out.push(row);
        }
    }
    out
}

/// The pieces with every row replaced by the line it came from.
pub(super) fn joined(pieces: Vec<Chained>, rows: &Rows) -> Vec<Chained> {
    let mut gone = vec![false; pieces.len()];
    let mut lines = Vec::new();
    for row in &rows.rows {
        row.iter().for_each(|i| gone[*i] = true);
        let (first, last) = (&pieces[row[0]], &pieces[row[row.len() - 1]]);
        let (s, t) = (first.path.segments[0], last.path.segments[0]);
        let source = row.iter().fold(0_u64, |all, i| all.wrapping_add(super::identity::mixed(pieces[*i].name)));
        let path = if s.is_line() {
            let ends = [(s.start, t.end), (s.start, t.start), (s.end, t.end), (s.end, t.start)];
            let (a, b) = ends.into_iter().max_by(|x, y| x.0.distance(x.1).total_cmp(&y.0.distance(y.1))).unwrap_or(ends[0]);
            Path::new(vec![Segment::line(a, b)], false)
        } else {
            round(row, &pieces)
        };
        lines.push(Chained { path, style: first.style, name: source, compound: 0 });
    }
    let kept = pieces.into_iter().zip(gone).filter(|(_, gone)| !gone).map(|(p, _)| p);
    kept.chain(lines).collect()
}

/// The arc, or the whole circle, that a row of short arcs lies on.
fn round(row: &[usize], pieces: &[Chained]) -> Path {
    let arcs: Vec<Segment> = row.iter().map(|i| pieces[*i].path.segments[0]).collect();
    let (c, r) = (arcs[0].center(), arcs[0].radius());
    let mut spans: Vec<(f64, f64)> = arcs
        .iter()
        .map(|s| {
            let s = if s.bulge > 0.0 { *s } else { s.reversed() };
            ((s.start - c).atan2().rem_euclid(std::f64::consts::TAU), s.sweep())
        })
        .collect();
    spans.sort_by(|a, b| a.0.total_cmp(&b.0));
    let n = spans.len();
    let gap = |i: usize| (spans[(i + 1) % n].0 - spans[i].0 - spans[i].1).rem_euclid(std::f64::consts::TAU);
    let widest = (0..n).max_by(|a, b| gap(*a).total_cmp(&gap(*b))).unwrap_or(0);
    let usual = (0..n).map(gap).sum::<f64>() / n as f64;
    if gap(widest) < 2.5 * usual.max(1e-9) {
        return Path::circle(c, r);
    }
    let from = spans[(widest + 1) % n].0;
    let sweep = std::f64::consts::TAU - gap(widest);
    let half = Segment::arc(c, r, from, sweep / 2.0);
    Path::new(vec![half, Segment { start: half.end, ..Segment::arc(c, r, from + sweep / 2.0, sweep / 2.0) }], false)
}

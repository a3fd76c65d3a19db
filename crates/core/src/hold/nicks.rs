//! Nicks: short bridges that keep a part in its sheet.
//!
//! One per so many mm of outline, within least and most; on straight or gently curved stretches, away from corners and
//! from the start, spread so that the centre of the part lies between them and it cannot hinge.

use crate::geometry::{Path, Point, Segment};

/// A curve tighter than this radius, in mm, is no place for a nick.
const TIGHTEST: f64 = 4.0;
/// Shares of the pitch between nicks at which the whole pattern is tried.
const PHASES: usize = 24;

/// How many nicks a contour gets, and how wide.
#[derive(Clone, Copy, Debug)]
pub(super) struct Rule {
    /// Contour for each, mm.
    pub(super) pitch: f64,
    /// Fewest and most.
    pub(super) count: (u32, u32),
    /// What is not burned of the line: material left and a kerf, mm.
    pub(super) gap: f64,
}

/// Where nicks that were set on a contour stand on the path that is cut, as lengths along it; those that would run into each
/// other are one.
pub(super) fn at(path: &Path, set: &[Point], gap: f64) -> Vec<f64> {
    let mut places: Vec<f64> = set.iter().map(|p| path.nearest(*p).along).collect();
    places.sort_by(f64::total_cmp);
    places.dedup_by(|a, b| *a - *b < gap);
    places
}

/// Middles of the nicks, as lengths along the closed path; fewer, or none, where the outline has no room for them.
pub(super) fn places(path: &Path, rule: &Rule) -> Vec<f64> {
    let Rule { pitch, count, gap } = *rule;
    let total = path.length();
    let free = free_stretches(path, gap);
    let room: f64 = free.iter().map(|f| f.1 - f.0).sum();
    let wanted = ((total / pitch).ceil() as usize).clamp(count.0 as usize, count.1.max(count.0) as usize);
    // Bridges may take a third of the outline at most.
    let most = (total / 3.0 / gap) as usize;
    if free.is_empty() || room <= 0.0 || most == 0 {
        return Vec::new();
    }
    let n = wanted.min(most);
    let center = path.centroid();
    let mut best: Option<(f64, Vec<f64>)> = None;
    for phase in 0..PHASES {
        let offset = (phase as f64 + 0.5) / PHASES as f64;
        let mut found: Vec<f64> = (0..n).map(|k| nearest_free(&free, total * ((k as f64 + offset) / n as f64))).collect();
        found.sort_by(f64::total_cmp);
        found.dedup_by(|a, b| *a - *b < 2.0 * gap);
        let score = quality(path, &found, total, center);
        if best.as_ref().is_none_or(|b| score > b.0) {
            best = Some((score, found));
        }
    }
    best.map(|b| b.1).unwrap_or_default()
}

/// Stretches where the middle of a nick may lie.
fn free_stretches(path: &Path, gap: f64) -> Vec<(f64, f64)> {
    let total = path.length();
    let away = gap / 2.0 + (total * 0.01).clamp(0.3, 3.0);
    // On outlines of short pieces that run on smoothly the pieces count as one stretch.
    let mut stretches: Vec<(f64, f64)> = Vec::new();
    let mut before = 0.0;
    let mut last: Option<&Segment> = None;
    for s in &path.segments {
        let length = s.length();
        let gentle = s.is_line() || s.radius() >= TIGHTEST;
        let smooth = last.is_some_and(|l| l.direction(1.0).dot(s.direction(0.0)) > 0.99);
        if gentle {
            match stretches.last_mut().filter(|f| smooth && (f.1 - before).abs() < 1e-9) {
                Some(f) => f.1 = before + length,
                None => stretches.push((before, before + length)),
            }
        }
        before += length;
        last = Some(s);
    }
    let start_room = away.max(total * 0.02);
    let inner = |f: &(f64, f64), away: f64| ((f.0 + away).max(start_room), (f.1 - away).min(total - start_room));
    let roomy: Vec<(f64, f64)> = stretches.iter().map(|f| inner(f, away)).filter(|f| f.1 > f.0).collect();
    if roomy.is_empty() {
        // A small part: half the gap from a corner has to do.
        return stretches.iter().map(|f| inner(f, gap * 0.5)).filter(|f| f.1 > f.0).collect();
    }
    roomy
}

fn nearest_free(free: &[(f64, f64)], at: f64) -> f64 {
    let clamped = free.iter().map(|f| at.clamp(f.0, f.1));
    clamped.min_by(|a, b| (a - at).abs().total_cmp(&(b - at).abs())).unwrap_or(at)
}

/// How well nicks hold: many, far apart along the outline, all round the centre.
fn quality(path: &Path, at: &[f64], total: f64, center: Point) -> f64 {
    let n = at.len();
    if n == 0 {
        return 0.0;
    }
    let closest = (0..n).map(|i| if i + 1 < n { at[i + 1] - at[i] } else { at[0] + total - at[i] }).fold(f64::INFINITY, f64::min);
    let mut angles: Vec<f64> = at.iter().map(|a| (path.at(*a).0 - center).atan2()).collect();
    angles.sort_by(f64::total_cmp);
    let widest = (0..n)
        .map(|i| if i + 1 < n { angles[i + 1] - angles[i] } else { angles[0] + std::f64::consts::TAU - angles[i] })
        .fold(0.0, f64::max);
    // A gap of more than half a turn lets the part swing about the line between two nicks.
    let hinge = (widest / std::f64::consts::PI - 1.0).max(0.0);
    n as f64 + closest / total * n as f64 - 2.0 * hinge
}

/// The closed path without its nicks: the pieces that are burned, from the start round.
pub(super) fn split(path: &Path, places: &[f64], gap: f64) -> Vec<Vec<Segment>> {
    let total = path.length();
    let mut from = 0.0;
    let mut runs = Vec::new();
    for at in places {
        runs.push(path.piece(from, at - gap / 2.0));
        from = at + gap / 2.0;
    }
    runs.push(path.piece(from, total));
    runs.retain(|r| !r.is_empty());
    runs
}

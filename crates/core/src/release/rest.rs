//! What is left of a sheet's work: behind where a run broke off, or of the copies that were not cut through.

use crate::geometry::{Affine, Path, Point, Segment};
use crate::hold::{Doing, Op, Row, SheetPath, Track};

/// Where a run that broke off goes on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum GoOn {
    /// With the piece of work that was under way, from its begin.
    Again,
    /// With the piece of work that was under way, from where it was broken off.
    Here(Still),
    /// With the next one.
    Next,
}

/// What a program had still to burn of a piece of work when the machine stopped in it.
///
/// The place alone does not tell: on its way to a piece of work the head passes close by it, and where an outline ends it began.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Still {
    /// Where on the sheet it would have burned next, mm.
    pub at: Point,
    /// Length still to be burned, leads and all passes included, mm.
    pub length: f64,
}

/// What chords in the place of arcs take off a length at most: a share of it, and mm.
const CHORDS: (f64, f64) = (0.006, 0.5);
/// Shorter than this nothing is left, mm.
const NOTHING: f64 = 1e-3;

/// How what is left of a piece of work is joined to what was burned of it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Joint {
    /// So much of what was burned is burned once more before it, mm; never over a nick.
    pub overlap: f64,
    /// Where the beam or torch is lit for it.
    pub lit: Relit,
}

/// Where a beam or torch is lit that goes on with a line.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Relit {
    /// On the line.
    #[default]
    OnTheLine,
    /// In the scrap, beside the line as its own lead was, at this share of that lead's size.
    InTheScrap(f64),
    /// In the open kerf, so far before it, mm.
    InTheKerf(f64),
}

/// The work of a sheet from where a run broke off; `finished` pieces of work had come to their end.
pub fn rest(path: &SheetPath, finished: usize, from: GoOn, joint: Joint) -> SheetPath {
    let skipped = finished + usize::from(from == GoOn::Next);
    let mut ops: Vec<Op> = path.ops.iter().skip(skipped).cloned().collect();
    if let GoOn::Here(still) = from
        && ops.first_mut().is_some_and(|first| go_on(first, still, joint) == Left::Nothing)
    {
        ops.remove(0);
    }
    if let Some(first) = ops.first_mut() {
        alone(first, path.home.is_some() && skipped > 0);
    }
    SheetPath { width: path.width, height: path.height, ops, home: path.home.clone(), ..SheetPath::default() }
}

/// A piece of work that follows on none: it is pierced, and the way to it is straight; lifted where something has been cut free.
pub(super) fn alone(op: &mut Op, lifted: bool) {
    if let Doing::Line(line) = &mut op.doing {
        line.bridge.clear();
        line.approach = crate::hold::Approach { by: Vec::new(), lifted };
    }
}

/// What is left of a piece of work.
#[derive(PartialEq)]
enum Left {
    Something,
    Nothing,
}

/// Takes off what was done of a piece of work.
fn go_on(op: &mut Op, still: Still, joint: Joint) -> Left {
    if still.length < NOTHING {
        return Left::Nothing;
    }
    let passes = op.passes as usize;
    match &mut op.doing {
        Doing::Line(_) => {
            let way = Stretch::all(op);
            let Some((n, along)) = on_the_way(&way, still) else { return Left::Something };
            let (n, along) = back(&way, n, along, joint.overlap);
            if n == 0 && along < NOTHING {
                return Left::Something;
            }
            let Some(mut left) = Track::of(op, &way, n, along) else { return Left::Nothing };
            if way[n].kind != Kind::LeadIn {
                left.lead_in = lead(op, &way, (n, along), joint.lit, &left);
            }
            op.doing = Doing::Line(left);
        }
        Doing::Sweep(sweep) => {
            let burned = |r: &Row| r.spans.iter().map(|(a, b)| b - a).sum::<f64>();
            let mut rows: Vec<Row> = sweep.rows.iter().cycle().take(sweep.rows.len() * passes).cloned().collect();
            // The row that was under way is burned from its begin.
            let kept = last_rows(rows.iter().rev().map(burned), still.length);
            rows.drain(..rows.len() - kept);
            sweep.rows = rows;
        }
        Doing::Picture(picture) => {
            let (raster, pitch) = (&picture.raster, picture.pitch);
            let burned = |k: usize| raster.runs(k).filter(|r| r.2 > 0).map(|(a, b, _)| (b - a) as f64 * pitch).sum::<f64>();
            let rows: Vec<f64> = (0..raster.height).filter(|k| raster.burned(*k).is_some()).map(burned).collect();
            let kept = last_rows(rows.iter().rev().cycle().take(rows.len() * passes).copied(), still.length);
            // Whole passes, and before them what is left of one.
            op.passes = kept.div_ceil(rows.len().max(1)).max(1) as u32;
            picture.done = (op.passes as usize * rows.len()).saturating_sub(kept);
            return Left::Something;
        }
    }
    (op.passes, op.written_out) = (1, true);
    Left::Something
}

/// How many rows, the last first, are burned over this length, mm; one that is only begun counts.
fn last_rows(lengths: impl Iterator<Item = f64>, length: f64) -> usize {
    let mut sum = 0.0;
    let begun = |row: &f64| {
        let before = sum;
        sum += row;
        before < length - NOTHING
    };
    lengths.take_while(begun).count()
}

/// A place so many mm further back on what was burned in one go with it.
fn back(way: &[Stretch], mut n: usize, along: f64, mut by: f64) -> (usize, f64) {
    let mut along = along;
    let follows = |n: usize| {
        let ends = way[n - 1].path.segments.last().zip(way[n].path.segments.first());
        ends.is_some_and(|(before, behind)| before.end.distance(behind.start) < 1e-6)
    };
    while by > along && n > 0 && follows(n) {
        by -= along;
        n -= 1;
        along = way[n].path.length();
    }
    (n, (along - by).max(0.0))
}

/// The way from where it is lit on to the line.
fn lead(op: &Op, way: &[Stretch], (n, along): (usize, f64), lit: Relit, left: &Track) -> Vec<Segment> {
    let own = op.line();
    match (lit, left.runs.first().and_then(|r| r.first()), own.runs.first().and_then(|r| r.first())) {
        (Relit::InTheScrap(share), Some(now), Some(then)) => {
            // The lead that it had, laid to where it goes on as that lay to its begin.
            let turn = now.direction(0.0).atan2() - then.direction(0.0).atan2();
            let there = Affine::translate(now.start.to_vec2()) * Affine::rotate(turn) * Affine::scale(share);
            let moved = there * Affine::translate(-then.start.to_vec2());
            own.lead_in.iter().map(|s| s.transformed(moved)).collect()
        }
        (Relit::InTheKerf(length), Some(_), _) => {
            let (m, from) = back(way, n, along, length);
            let mut out: Vec<Segment> = Vec::new();
            for (k, stretch) in way.iter().enumerate().take(n + 1).skip(m) {
                let to = if k == n { along } else { stretch.path.length() };
                out.extend(stretch.path.piece(if k == m { from } else { 0.0 }, to));
            }
            out
        }
        _ => Vec::new(),
    }
}

/// What of a track a stretch of it is.
#[derive(Clone, Copy, PartialEq)]
enum Kind {
    LeadIn,
    Run,
    /// Over its begin once more, and off into the scrap.
    End,
}

/// A stretch of a track, in the order in which it is burned.
struct Stretch {
    kind: Kind,
    /// Number of its run, from 0.
    run: usize,
    path: Path,
}

impl Stretch {
    /// The stretches of all passes.
    fn all(op: &Op) -> Vec<Self> {
        let line = op.line();
        let mut out = Vec::new();
        for _ in 0..op.passes {
            for (run, segments) in line.runs.iter().enumerate() {
                let mut add = |kind, segments: Vec<Segment>| out.push(Self { kind, run, path: Path::new(segments, false) });
                add(Kind::LeadIn, op.lead_before(run).to_vec());
                add(Kind::Run, segments.clone());
                if run + 1 == line.runs.len() {
                    add(Kind::End, [line.again.as_slice(), &line.lead_out].concat());
                }
            }
        }
        out.retain(|s| s.path.length() > 0.0);
        out
    }
}

/// The stretch on which it goes on, and how far along it, mm: so much before the end, and as near as can be to where it stopped.
fn on_the_way(way: &[Stretch], still: Still) -> Option<(usize, f64)> {
    let slack = CHORDS.0 * still.length + CHORDS.1;
    let mut end = 0.0;
    let mut best: Option<(f64, usize, f64)> = None;
    // From its end, so that of two equally near places the later one is taken.
    for (n, stretch) in way.iter().enumerate().rev() {
        let length = stretch.path.length();
        let along = |left: f64| (length - (left - end)).clamp(0.0, length);
        if still.length + slack >= end && still.length - slack <= end + length {
            let (from, to) = (along(still.length + slack), along(still.length - slack));
            let near = Path::new(stretch.path.piece(from, to), false).nearest(still.at);
            if best.is_none_or(|b| near.distance < b.0 - 1e-9) && near.distance.is_finite() {
                best = Some((near.distance, n, from + near.along));
            }
        }
        end += length;
    }
    best.map(|(_, n, along)| (n, along))
}

/// The piece of a line that was under way, as far as it was burned and what is left of it.
struct Torn {
    whole: Segment,
    burned: Segment,
    left: Segment,
}

/// The first piece of a path, by its number, that is not all burned so far along it, mm; where it is begun, how it is torn.
fn torn(path: &Path, along: f64) -> (usize, Option<Torn>) {
    const LEAST: f64 = 1e-6;
    let mut before = 0.0;
    for (i, whole) in path.segments.iter().enumerate() {
        let length = whole.length();
        let t = (along - before) / length;
        if along < before + LEAST {
            return (i, None);
        }
        if along < before + length - LEAST {
            return (i, Some(Torn { whole: *whole, burned: whole.piece(0.0, t), left: whole.piece(t, 1.0) }));
        }
        before += length;
    }
    (path.segments.len(), None)
}

impl Track {
    /// What is left of a piece of work behind a place on a stretch of its way; `None` where that is nothing but its way off.
    fn of(op: &Op, way: &[Stretch], n: usize, along: f64) -> Option<Self> {
        let line = op.line();
        let (first, torn) = torn(&way[n].path, along);
        let none =
            Self { runs: Vec::new(), restarts: Vec::new(), lead_in: Vec::new(), again: Vec::new(), dwells: Vec::new(), ..line.clone() };
        let mut left = none;
        for (k, stretch) in way.iter().enumerate().skip(n) {
            let first = if k == n { first } else { 0 };
            let mut rest: Vec<Segment> = Vec::new();
            let mut dwells = Vec::new();
            for (i, s) in stretch.path.segments.iter().enumerate().skip(first) {
                match &torn {
                    Some(t) if k == n && i == first => rest.push(t.left),
                    // Wherever it is burned again it is in the same two pieces: the proof counts them.
                    Some(t) if t.whole == *s => rest.extend([t.burned, t.left]),
                    _ => rest.push(*s),
                }
                if stretch.kind == Kind::Run && line.dwells.contains(&(stretch.run, i)) {
                    dwells.push((left.runs.len(), rest.len() - 1));
                }
            }
            match stretch.kind {
                // On its lead it has not begun: it is lit anew where the lead begins.
                Kind::LeadIn if left.runs.is_empty() => left.lead_in.clone_from(&stretch.path.segments),
                Kind::LeadIn => left.restarts.push(stretch.path.segments.clone()),
                Kind::Run if rest.is_empty() => {}
                Kind::Run => {
                    left.restarts.resize(left.runs.len(), Vec::new());
                    left.runs.push(rest);
                    left.dwells.extend(dwells);
                }
                Kind::End => {
                    left.lead_out = rest.split_off(rest.len().saturating_sub(line.lead_out.len()));
                    match left.runs.last_mut() {
                        Some(run) => run.extend(rest),
                        None if !rest.is_empty() => left.runs.push(rest),
                        None => {}
                    }
                }
            }
        }
        left.restarts.truncate(left.runs.len().saturating_sub(1));
        (!left.runs.is_empty()).then_some(left)
    }
}

#[cfg(test)]
mod tests;

//! What is left of a sheet's work: behind where a run broke off, or of the copies that were not cut through.

use crate::decisions::Process;
use crate::geometry::{Path, Point, Segment};
use crate::hold::{AreaSweep, Doing, Op, Row, SheetPath, Track};

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

/// The work of a sheet from where a run broke off; `finished` pieces of work had come to their end.
pub fn rest(path: &SheetPath, finished: usize, from: GoOn) -> SheetPath {
    let skipped = finished + usize::from(from == GoOn::Next);
    let mut ops: Vec<Op> = path.ops.iter().skip(skipped).cloned().collect();
    if let GoOn::Here(still) = from
        && ops.first_mut().is_some_and(|first| go_on(first, still) == Left::Nothing)
    {
        ops.remove(0);
    }
    if let Some(first) = ops.first_mut() {
        alone(first);
    }
    SheetPath { width: path.width, height: path.height, ops, ..SheetPath::default() }
}

/// What cuts these copies out, by their number among the sheet's placements: once more.
pub fn only(path: &SheetPath, placements: &[usize]) -> SheetPath {
    let mut ops: Vec<Op> = path.ops.iter().filter(|o| o.process == Process::Cut && placements.contains(&o.placement)).cloned().collect();
    ops.iter_mut().for_each(alone);
    SheetPath { width: path.width, height: path.height, ops, ..SheetPath::default() }
}

/// A piece of work that follows on none: it is pierced, and the way to it is straight.
fn alone(op: &mut Op) {
    if let Doing::Line(line) = &mut op.doing {
        line.bridge.clear();
        line.approach = crate::hold::Approach::default();
    }
}

/// What is left of a piece of work.
#[derive(PartialEq)]
enum Left {
    Something,
    Nothing,
}

/// Takes off what was done of a piece of work.
fn go_on(op: &mut Op, still: Still) -> Left {
    if still.length < NOTHING {
        return Left::Nothing;
    }
    match &op.doing {
        Doing::Line(_) => {
            let way = Stretch::all(op);
            let Some((n, along)) = on_the_way(&way, still) else { return Left::Something };
            if n == 0 && along < NOTHING {
                return Left::Something;
            }
            let Some(left) = Track::of(op, &way, n, along) else { return Left::Nothing };
            op.doing = Doing::Line(left);
        }
        Doing::Sweep(sweep) => {
            let burned = |r: &Row| r.spans.iter().map(|(a, b)| b - a).sum::<f64>();
            let once = sweep.rows.len();
            let mut rows: Vec<Row> = sweep.rows.iter().cycle().take(once * op.passes as usize).cloned().collect();
            // The row that was under way is burned from its begin.
            let (mut kept, mut length) = (0, 0.0);
            while kept < rows.len() && length < still.length - NOTHING {
                kept += 1;
                length += burned(&rows[rows.len() - kept]);
            }
            rows.drain(..rows.len() - kept);
            op.doing = Doing::Sweep(AreaSweep { rows, ..sweep.clone() });
        }
        // Of a picture every row depends on its number: it is burned again.
        Doing::Picture(_) => return Left::Something,
    }
    (op.passes, op.written_out) = (1, true);
    Left::Something
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
mod tests {
    use super::*;
    use crate::geometry::Vec2;
    use proptest::prelude::*;

    fn plate(x: f64) -> Op {
        let path = Path::rectangle(x, 0.0, 40.0, 30.0);
        let (a, b) = (path.piece(0.0, 60.0), path.piece(60.6, 140.0));
        let line = Track { lead_in: vec![Segment::line(Point::new(x, -5.0), Point::new(x, 0.0))], runs: vec![a, b], ..Track::default() };
        Op { process: Process::Cut, placement: x as usize / 50, passes: 1, doing: Doing::Line(line), ..Op::default() }
    }

    proptest! {
        /// Whatever was cut before it broke off and what is cut after it make the whole, but for what the choice says.
        #[test]
        fn nothing_is_lost_and_nothing_cut_twice(finished in 0..3_usize, share in 0.02..0.98_f64) {
            let path = SheetPath { ops: vec![plate(0.0), plate(50.0), plate(100.0)], ..SheetPath::default() };
            let under_way = &path.ops[finished];
            let line = Path::new(under_way.line().runs.concat(), false);
            let along = share * line.length();
            let at = line.at(along).0;
            let whole: f64 = path.ops[finished..].iter().map(Op::length).sum();
            let again = rest(&path, finished, GoOn::Again);
            prop_assert!((again.ops.iter().map(Op::length).sum::<f64>() - whole).abs() < 1e-9);
            let next = rest(&path, finished, GoOn::Next);
            prop_assert_eq!(next.ops.len(), 2 - finished);
            let here = rest(&path, finished, GoOn::Here(Still { at, length: line.length() - along }));
            prop_assert!((here.ops.iter().map(Op::length).sum::<f64>() - (whole - along)).abs() < 0.01, "{along} of {whole}");
            prop_assert!(here.ops[0].start().is_some_and(|s| s.distance(at) < 1e-6) && here.ops[0].line().restarts.iter().all(Vec::is_empty));
        }
    }

    /// A head that was on its way to a piece of work, close by its line, had nothing burned of it; one that comes to the end of an
    /// outline stands where it began.
    #[test]
    fn where_the_head_is_does_not_tell_what_was_burned() {
        let path = SheetPath { ops: vec![plate(0.0), plate(50.0)], ..SheetPath::default() };
        let whole: f64 = path.ops[0].line().lead_in.iter().map(Segment::length).sum::<f64>() + path.ops[0].length();
        let lit = path.ops[0].start().expect("it begins");
        let not_begun = rest(&path, 0, GoOn::Here(Still { at: lit, length: whole }));
        assert!(
            not_begun.ops.len() == 2 && not_begun.ops[0].length() == path.ops[0].length() && not_begun.ops[0].line().lead_in.len() == 1
        );
        let begin = path.ops[0].line().runs[0][0].start;
        let before_its_end = begin + Vec2::new(0.0, 0.4);
        let ended = rest(&path, 0, GoOn::Here(Still { at: before_its_end, length: 0.4 }));
        assert!(ended.ops.len() == 2 && (ended.ops[0].length() - 0.4).abs() < 1e-6, "{}", ended.ops[0].length());
        assert_eq!(rest(&path, 0, GoOn::Here(Still { at: begin, length: 0.0 })).ops.len(), 1);
    }

    #[test]
    fn copies_that_were_not_cut_through_are_cut_again_alone() {
        let path = SheetPath { ops: vec![plate(0.0), plate(50.0), plate(100.0)], ..SheetPath::default() };
        let again = only(&path, &[1]);
        assert!(again.ops.len() == 1 && again.ops[0].placement == 1 && !again.ops[0].line().lead_in.is_empty());
    }
}

//! What is left of a sheet's work: behind where a run broke off, or of the copies that were not cut through.

use crate::decisions::Process;
use crate::geometry::{Path, Point, Segment};
use crate::hold::{Doing, Op, SheetPath, Track};

/// Where a run that broke off goes on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum GoOn {
    /// With the piece of work that was under way, from its begin.
    Again,
    /// With the piece of work that was under way, from where the head was, mm.
    Here(Point),
    /// With the next one.
    Next,
}

/// The head was no further from its way than this when it stopped, mm; else the piece of work is begun again.
const NEAR: f64 = 2.0;

/// The work of a sheet from where a run broke off; `finished` pieces of work had come to their end.
pub fn rest(path: &SheetPath, finished: usize, from: GoOn) -> SheetPath {
    let skipped = finished + usize::from(from == GoOn::Next);
    let mut ops: Vec<Op> = path.ops.iter().skip(skipped).cloned().collect();
    if let GoOn::Here(at) = from
        && ops.first_mut().is_some_and(|first| go_on(first, at) == Left::Nothing)
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

/// Takes off what was done of a piece of work when the head was at a place.
fn go_on(op: &mut Op, at: Point) -> Left {
    match &mut op.doing {
        Doing::Line(line) => {
            // On its way back into the scrap all of it is cut.
            let off = |segments: &[Segment]| segments.iter().map(|s| s.distance(at)).fold(f64::INFINITY, f64::min);
            let leaving = off(&line.lead_out);
            if leaving < NEAR && leaving < off(&line.lead_in) && line.runs.iter().all(|r| leaving < off(r) + 1e-9) {
                return Left::Nothing;
            }
            let Some((run, left)) = left_of(line, at) else { return Left::Something };
            line.runs.drain(..run);
            line.restarts.drain(..run.min(line.restarts.len()));
            line.runs[0] = left;
            // It is lit where it stopped: on the line, in what is open there.
            line.lead_in.clear();
            line.dwells = line.dwells.iter().filter(|d| d.0 > run).map(|d| (d.0 - run, d.1)).collect();
        }
        Doing::Sweep(sweep) => {
            let off = |k: usize| {
                let row = &sweep.rows[k];
                let way = Path::new(vec![Segment::line(row.enter(), row.leave())], false);
                way.nearest(at).distance
            };
            if let Some(k) = (0..sweep.rows.len()).min_by(|a, b| off(*a).total_cmp(&off(*b))) {
                sweep.rows.drain(..k);
            }
        }
        // Of a picture every row depends on its number: it is burned again.
        Doing::Picture(_) => {}
    }
    Left::Something
}

/// The run that the head was on, and what is left of it.
fn left_of(line: &Track, at: Point) -> Option<(usize, Vec<Segment>)> {
    let paths: Vec<Path> = line.runs.iter().map(|r| Path::new(r.clone(), false)).collect();
    let run = (0..paths.len()).min_by(|a, b| paths[*a].nearest(at).distance.total_cmp(&paths[*b].nearest(at).distance))?;
    let near = paths[run].nearest(at);
    // On its lead it has not begun.
    let leading = line.lead_in.iter().any(|s| s.distance(at) < near.distance);
    let left = paths[run].piece(near.along, paths[run].length());
    (near.distance < NEAR && !leading && !left.is_empty()).then_some((run, left))
}

#[cfg(test)]
mod tests {
    use super::*;
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
            let here = rest(&path, finished, GoOn::Here(at));
            prop_assert!((here.ops.iter().map(Op::length).sum::<f64>() - (whole - along)).abs() < 0.01, "{along} of {whole}");
            prop_assert!(here.ops[0].start().is_some_and(|s| s.distance(at) < 1e-6) && here.ops[0].line().restarts.is_empty());
        }
    }

    #[test]
    fn copies_that_were_not_cut_through_are_cut_again_alone() {
        let path = SheetPath { ops: vec![plate(0.0), plate(50.0), plate(100.0)], ..SheetPath::default() };
        let again = only(&path, &[1]);
        assert!(again.ops.len() == 1 && again.ops[0].placement == 1 && !again.ops[0].line().lead_in.is_empty());
    }
}

//! Station 5: what is cut when, and where on each contour it starts.

mod shorten;
#[cfg(test)]
mod tests;
mod tour;

use crate::assign::{Process, Work};
use crate::cuts::{Cut, CutPlan, Line, SheetCuts};
use crate::decisions::OrderDecisions;
use crate::finding::Finding;
use crate::geometry::{Path, Point};
use rayon::prelude::*;
use tour::{Entry, Stop};

/// One contour of one copy, in its turn.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
    /// Index into the sheet's cuts.
    pub cut: usize,
    /// Index into the sheet's placements.
    pub placement: usize,
    /// Index into the work's items.
    pub item: usize,
    /// What is done.
    pub process: Process,
    /// Where it starts, as a share of the contour's length as drawn; 0 or 1 for an open line's ends.
    pub start: f64,
}

/// All steps of a sheet in order.
#[derive(Clone, Debug, Default)]
pub struct SheetSequence {
    /// The steps.
    pub steps: Vec<Step>,
    /// Travel between the steps, mm, on the drawn contours.
    pub travel: f64,
    /// Travel if they were cut in the order and from the starts in which they were drawn, mm.
    pub travel_as_drawn: f64,
}

/// All sheets.
#[derive(Clone, Debug, Default)]
pub struct Sequence {
    /// One a sheet.
    pub sheets: Vec<SheetSequence>,
}

/// Orders every sheet of a plan: engravings, marks, scores, then cuts from the inside out with little travel. `turns` are
/// the job's own settings in the order in which they are done.
pub fn run(work: &Work, plan: &CutPlan, decisions: &OrderDecisions, turns: &[(u32, Process)]) -> (Sequence, Vec<Finding>) {
    let sheets = plan.sheets.par_iter().map(|s| sheet(work, s, decisions, turns)).collect();
    (Sequence { sheets }, Vec::new())
}

fn sheet(work: &Work, sheet: &SheetCuts, decisions: &OrderDecisions, settings: &[(u32, Process)]) -> SheetSequence {
    let mut out = SheetSequence::default();
    let mut at = Point::ZERO;
    let (mut drawn_at, mut as_drawn) = (Point::ZERO, 0.0);
    for (process, setting) in turns(work, settings) {
        let ours = |c: &Cut| c.process == process && (process == Process::Cut || c.setting == setting);
        let group: Vec<usize> = (0..sheet.cuts.len()).filter(|i| ours(&sheet.cuts[*i])).collect();
        if group.is_empty() {
            continue;
        }
        for i in &group {
            let path = &sheet.cuts[*i].path;
            let (start, end) = (path.segments[0].start, path.segments[path.segments.len() - 1].end);
            as_drawn += drawn_at.distance(start);
            drawn_at = end;
        }
        let stops = stops(sheet, &group, decisions);
        let tour = tour::find(&stops, at);
        out.travel += tour.travel;
        for (stop, entry) in tour.order {
            let cut = &sheet.cuts[group[stop]];
            at = stops[stop].entries[entry].leave;
            let start = stops[stop].entries[entry].share;
            out.steps.push(Step { cut: group[stop], placement: cut.placement, item: cut.item, process, start });
        }
    }
    out.travel_as_drawn = as_drawn;
    out
}

/// Processes in the order in which they are done, each with its settings: the chart's first, then the job's own.
fn turns(work: &Work, settings: &[(u32, Process)]) -> Vec<(Process, Option<u32>)> {
    let used = |p: Process, s: Option<u32>| s.is_none() || work.items.iter().any(|i| i.process == p && i.setting == s);
    let own = |p: Process| settings.iter().filter(move |s| s.1 == p && p != Process::Cut).map(move |s| (p, Some(s.0)));
    // A part is cut free last, whatever it was cut with: cuts are ordered together.
    [Process::Picture, Process::Engrave, Process::Mark, Process::Score, Process::Cut]
        .into_iter()
        .flat_map(|p| std::iter::once((p, None)).chain(own(p)))
        .filter(|(p, s)| used(*p, *s))
        .collect()
}

fn stops(sheet: &SheetCuts, group: &[usize], decisions: &OrderDecisions) -> Vec<Stop> {
    let mut place = vec![usize::MAX; sheet.cuts.len()];
    group.iter().enumerate().for_each(|(k, i)| place[*i] = k);
    // A start was set on a contour as drawn; a line that several copies share is none.
    let drawn = |c: &Cut| c.edges().next().copied().filter(|_| c.line == Line::Drawn);
    let chosen = |c: &Cut| drawn(c).and_then(|e| decisions.start(e.copy, e.contour)).map(|p| p.along(&c.path));
    let mut stops: Vec<Stop> =
        group.iter().map(|i| Stop { entries: entries(&sheet.cuts[*i].path, chosen(&sheet.cuts[*i])), after: Vec::new() }).collect();
    for (first, then) in sheet.before.iter().map(|(a, b)| (place[*a], place[*b])).filter(|(a, b)| *a != usize::MAX && *b != usize::MAX) {
        stops[first].after.push(then);
    }
    stops
}

/// Most places to start from that are weighed on one contour.
const MOST_ENTRIES: usize = 16;

/// Where a cut may start: on a closed contour in the middle of its edges, so that corners stay crisp; on an open line at
/// its ends. `chosen` is how far along it was decided, mm.
fn entries(path: &Path, chosen: Option<f64>) -> Vec<Entry> {
    if !path.closed {
        let (a, b) = (path.segments[0].start, path.segments[path.segments.len() - 1].end);
        return vec![Entry { arrive: a, leave: b, share: 0.0 }, Entry { arrive: b, leave: a, share: 1.0 }];
    }
    let total = path.length();
    let at = |along: f64| {
        let p = path.at(along).0;
        Entry { arrive: p, leave: p, share: along / total }
    };
    if let Some(along) = chosen {
        return vec![at(along)];
    }
    if total <= 0.0 {
        return vec![at(0.0)];
    }
    let mut all = Vec::new();
    let mut before = 0.0;
    for s in &path.segments {
        let length = s.length();
        if length > total / 6.0 {
            all.push(before + length * 0.2);
            all.push(before + length * 0.8);
        }
        all.push(before + length * 0.5);
        before += length;
    }
    let step = all.len().div_ceil(MOST_ENTRIES);
    all.into_iter().step_by(step).map(at).collect()
}

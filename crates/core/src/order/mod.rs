//! Station 5: what is cut when, and where on each contour it starts.

mod shorten;
#[cfg(test)]
mod tests;
mod tour;

use crate::assign::{Process, Work, parents};
use crate::decisions::Decisions;
use crate::finding::Finding;
use crate::geometry::{Path, Point};
use crate::nest::{Layout, Placement, SheetLayout};
use rayon::prelude::*;
use tour::{Entry, Stop};

/// One contour of one copy, in its turn.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
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

/// Orders every sheet of the layout: engravings, marks, scores, then cuts from the inside out with little travel.
pub fn run(work: &Work, layout: &Layout, decisions: &Decisions) -> (Sequence, Vec<Finding>) {
    let sheets = layout.sheets.par_iter().map(|s| sheet(work, s, decisions)).collect();
    (Sequence { sheets }, Vec::new())
}

/// A contour as it lies on the sheet.
struct Lying {
    placement: usize,
    item: usize,
    process: Process,
    path: Path,
}

fn sheet(work: &Work, sheet: &SheetLayout, decisions: &Decisions) -> SheetSequence {
    let lying: Vec<Lying> = sheet
        .placed
        .iter()
        .enumerate()
        .filter_map(|(placement, p)| Some((placement, p, work.part(p.part)?)))
        .flat_map(|(placement, p, part)| part.items().map(move |item| lie(work, placement, p, item)))
        .collect();
    let mut out = SheetSequence::default();
    let mut at = Point::ZERO;
    let (mut drawn_at, mut as_drawn) = (Point::ZERO, 0.0);
    for (process, setting) in turns(work, decisions) {
        let group: Vec<&Lying> =
            lying.iter().filter(|l| l.process == process && (process == Process::Cut || work.items[l.item].setting == setting)).collect();
        if group.is_empty() {
            continue;
        }
        for l in &group {
            let (start, end) = (l.path.segments[0].start, l.path.segments[l.path.segments.len() - 1].end);
            as_drawn += drawn_at.distance(start);
            drawn_at = end;
        }
        let stops = stops(work, &group, process, decisions);
        let tour = tour::find(&stops, at);
        out.travel += tour.travel;
        for (stop, entry) in tour.order {
            let l = group[stop];
            at = stops[stop].entries[entry].leave;
            out.steps.push(Step { placement: l.placement, item: l.item, process, start: stops[stop].entries[entry].share });
        }
    }
    out.travel_as_drawn = as_drawn;
    out
}

/// Processes in the order in which they are done, each with its settings: the chart's first, then the job's own.
fn turns(work: &Work, decisions: &Decisions) -> Vec<(Process, Option<u32>)> {
    let used = |p: Process, s: Option<u32>| s.is_none() || work.items.iter().any(|i| i.process == p && i.setting == s);
    let own = |p: Process| decisions.settings.iter().filter(move |s| s.process == p && p != Process::Cut).map(move |s| (p, Some(s.id)));
    // A part is cut free last, whatever it was cut with: cuts are ordered together.
    [Process::Picture, Process::Engrave, Process::Mark, Process::Score, Process::Cut]
        .into_iter()
        .flat_map(|p| std::iter::once((p, None)).chain(own(p)))
        .filter(|(p, s)| used(*p, *s))
        .collect()
}

fn lie(work: &Work, placement: usize, p: &Placement, item: usize) -> Lying {
    let found = &work.items[item];
    Lying { placement, item, process: found.process, path: found.contour.path.transformed(p.affine()) }
}

fn stops(work: &Work, group: &[&Lying], process: Process, decisions: &Decisions) -> Vec<Stop> {
    let mut stops: Vec<Stop> = group
        .iter()
        .map(|l| {
            let id = work.items[l.item].contour.id;
            Stop { entries: entries(&l.path, decisions.starts.get(&id).copied()), after: None }
        })
        .collect();
    if process == Process::Cut {
        inside_out(group, &mut stops);
    }
    stops
}

/// Every cut before the closed cut around it: a hole before its outline, a part in a hole before that hole.
fn inside_out(group: &[&Lying], stops: &mut [Stop]) {
    let closed: Vec<usize> = (0..group.len()).filter(|i| group[*i].path.closed).collect();
    let paths: Vec<&Path> = closed.iter().map(|i| &group[*i].path).collect();
    for (k, parent) in parents(&paths).into_iter().enumerate() {
        stops[closed[k]].after = parent.map(|p| closed[p]);
    }
    // An open cut goes before the outermost closed cut of its own copy: that is the part's outline.
    let mut outline: rustc_hash::FxHashMap<usize, (f64, usize)> = rustc_hash::FxHashMap::default();
    for i in &closed {
        let area = group[*i].path.area().abs();
        let known = outline.entry(group[*i].placement).or_insert((area, *i));
        if area > known.0 {
            *known = (area, *i);
        }
    }
    for i in (0..group.len()).filter(|i| !group[*i].path.closed) {
        stops[i].after = outline.get(&group[i].placement).map(|o| o.1);
    }
}

/// Most places to start from that are weighed on one contour.
const MOST_ENTRIES: usize = 16;

/// Where a cut may start: on a closed contour in the middle of its edges, so that corners stay crisp; on an open line at
/// its ends.
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
    if let Some(share) = chosen {
        return vec![at(share * total)];
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

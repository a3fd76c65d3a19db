//! Station 5: what is cut when, and where on each contour it starts.

mod phases;
mod pins;
mod shorten;
#[cfg(test)]
mod tests;
mod tour;

use crate::assign::{Process, Work};
use crate::cuts::{Cut, CutPlan, Edge, Line, SheetCuts};
use crate::decisions::{OrderDecisions, OrderEdit, Strategy, Way};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Path, Point};
use crate::ids::{BatchId, CutId};
use crate::nest::{Layout, SheetLayout};
use phases::Group;
use pins::{Pins, Refusal};
use rayon::prelude::*;
use serde::Serialize;
use std::sync::Arc;
use tour::{Ends, Entry, Stop};

/// One contour of one copy, in its turn.
#[derive(Clone, Debug, PartialEq, Serialize)]
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
    /// Which way along the contour as drawn, where a hand has said so.
    pub way: Option<Way>,
}

/// All steps of a sheet in order.
#[derive(Clone, Debug, Default, Serialize)]
pub struct SheetSequence {
    /// The steps.
    pub steps: Vec<Step>,
    /// Travel between the steps, mm, on the drawn contours.
    pub travel: f64,
    /// Travel if they were cut in the order and from the starts in which they were drawn, mm.
    pub travel_as_drawn: f64,
    /// What spreading heat came to, where that is wanted.
    pub spread: Option<Spread>,
}

/// What spreading heat came to on a sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Spread {
    /// How far the next cut should be from the one before, mm.
    pub least: f64,
    /// Ways from a cut to the next that are so long, and all of them.
    pub kept: usize,
    /// See `kept`.
    pub of: usize,
    /// Travel of the shortest order, mm.
    pub shortest: f64,
}

/// All sheets.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Sequence {
    /// One a sheet.
    pub sheets: Vec<SheetSequence>,
}

/// What is to be ordered, and how.
#[derive(Clone, Copy)]
pub struct Task<'a> {
    /// The parts.
    pub work: &'a Work,
    /// Where they lie.
    pub layout: &'a Layout,
    /// What is to be cut.
    pub plan: &'a CutPlan,
    /// What a hand has said of it.
    pub decisions: &'a OrderDecisions,
    /// The job's own settings, in the order in which they are done.
    pub turns: &'a [(u32, Process)],
}

/// Gives the order of a sheet, by its number from 0; what orders it is asked where it is not known.
pub(crate) type Keeper<'a> = dyn Fn(usize, &dyn Fn() -> Ordered) -> Arc<Ordered> + Sync + 'a;

/// A sheet in order, and which cuts cannot have the place that a hand gave them, with the reason.
pub(crate) type Ordered = (SheetSequence, Vec<(CutId, String)>);

/// Orders every sheet of a plan: engravings, marks, scores, then cuts from the inside out, as the strategy says.
pub fn run(task: &Task) -> (Sequence, Vec<Finding>) {
    run_kept(task, &|_, order| Arc::new(order()))
}

/// The same by whoever keeps what single sheets came to.
pub(crate) fn run_kept(task: &Task, kept: &Keeper) -> (Sequence, Vec<Finding>) {
    let both = task.plan.sheets.par_iter().zip(&task.layout.sheets).enumerate();
    let done: Vec<Arc<Ordered>> = both.map(|(i, (cuts, lying))| kept(i, &|| sheet(task, cuts, lying))).collect();
    let sheets: Vec<SheetSequence> = done.iter().map(|d| d.0.clone()).collect();
    let refused: Vec<(CutId, String)> = done.iter().flat_map(|d| d.1.iter().cloned()).collect();
    let spread = spread(&sheets);
    let finding = refused.first().map(|(_, why)| {
        let n = refused.len();
        let text = format!("{} cannot have the place that a hand gave: {why}.", counted(n, "cut", "cuts"));
        let back = refused.iter().map(|(cut, _)| OrderEdit::SetPlace { cut: *cut, at: None }.on(BatchId::FIRST)).collect();
        Finding::new(Station::Order, Severity::Look, Code::PlaceNotKept, n, text)
            .mend("Let the machine choose the order", crate::decisions::Edit::All { edits: back })
    });
    (Sequence { sheets }, finding.into_iter().chain(spread).collect())
}

/// What spreading heat came to on all sheets, in both its figures.
fn spread(sheets: &[SheetSequence]) -> Option<Finding> {
    let all: Vec<(&SheetSequence, Spread)> = sheets.iter().filter_map(|s| Some((s, s.spread?))).collect();
    let (kept, of) = all.iter().fold((0, 0), |n, (_, s)| (n.0 + s.kept, n.1 + s.of));
    let (travel, shortest) = all.iter().fold((0.0, 0.0), |n, (sheet, s)| (n.0 + sheet.travel, n.1 + s.shortest));
    let (_, first) = all.first().filter(|_| of > 0 && shortest > 0.0)?;
    let text = format!(
        "Heat is spread: {kept} of {of} ways to the next cut are at least {:.0} mm long. Travel is {:.1} m, {:.1} times the shortest of {:.1} m.",
        first.least,
        travel / 1000.0,
        travel / shortest,
        shortest / 1000.0
    );
    Some(Finding::new(Station::Order, Severity::Note, Code::HeatSpread, of - kept, text))
}

/// Why a cut cannot have a place, as people say it; `number` names a stop.
fn reason(refusal: Refusal, number: impl Fn(usize) -> usize) -> String {
    match refusal {
        Refusal::Beyond => "there are fewer cuts on its sheet".into(),
        Refusal::Taken(other) => format!("cut {} has that place already", number(other)),
        Refusal::First(other) => format!("cut {} lies inside it and has to come first", number(other)),
        Refusal::Later(other) => format!("cut {} goes round it and has to come later", number(other)),
    }
}

fn sheet(task: &Task, sheet: &SheetCuts, layout: &SheetLayout) -> Ordered {
    let mut out = SheetSequence::default();
    let mut refused: Vec<(CutId, String)> = Vec::new();
    let names = if task.decisions.places.is_empty() { Vec::new() } else { sheet.names() };
    let mut at = Point::ZERO;
    let (mut drawn_at, mut as_drawn) = (Point::ZERO, 0.0);
    let group = |(process, setting): (Process, Option<u32>)| {
        let ours = |c: &Cut| c.process == process && (process.frees() || c.setting == setting);
        (process, (0..sheet.cuts.len()).filter(|i| ours(&sheet.cuts[*i])).collect::<Vec<usize>>())
    };
    let mut groups: Vec<(Process, Vec<usize>)> = turns(task.work, task.turns).into_iter().map(group).collect();
    groups.retain(|g| !g.1.is_empty());
    let last = groups.len().saturating_sub(1);
    for (nth, (process, group)) in groups.into_iter().enumerate() {
        for i in &group {
            let path = &sheet.cuts[*i].path;
            let (start, end) = (path.segments[0].start, path.segments[path.segments.len() - 1].end);
            as_drawn += drawn_at.distance(start);
            drawn_at = end;
        }
        let stops = stops(sheet, &group, task.decisions);
        let place = |(k, i): (usize, &usize)| Some((k, *task.decisions.places.get(names.get(*i)?)? as usize));
        let wishes: Vec<(usize, usize)> = group.iter().enumerate().filter_map(place).collect();
        let (pins, cannot) = Pins::of(&stops, &wishes);
        let group_of = Group { work: task.work, layout, sheet, cuts: &group, stops: &stops };
        let ends = Ends { from: at, to: (nth == last).then_some(Point::ZERO) };
        let tour = group_of.tour(task.decisions.strategy, ends, &pins);
        let begun = out.steps.len();
        let number = |stop: usize| begun + tour.order.iter().position(|o| o.0 == stop).map_or(0, |k| k + 1);
        refused.extend(cannot.into_iter().map(|(stop, why)| (names[group[stop]], reason(why, number))));
        out.travel += tour.travel;
        if let Strategy::Spread { least } = task.decisions.strategy {
            let leave = |k: usize| stops[tour.order[k].0].entries[tour.order[k].1].leave;
            let arrive = |k: usize| stops[tour.order[k].0].entries[tour.order[k].1].arrive;
            let kept = (1..tour.order.len()).filter(|k| leave(k - 1).distance(arrive(*k)) >= least - 1e-6).count();
            let shortest = group_of.tour(Strategy::Least, ends, &pins).travel;
            let so_far = out.spread.get_or_insert(Spread { least, ..Spread::default() });
            so_far.kept += kept;
            so_far.of += tour.order.len() - 1;
            so_far.shortest += shortest;
        }
        for (stop, entry) in &tour.order {
            let cut = &sheet.cuts[group[*stop]];
            let Entry { leave, share: start, .. } = stops[*stop].entries[*entry];
            at = leave;
            let way = own_edge(cut).and_then(|e| task.decisions.way(e.copy, e.contour));
            out.steps.push(Step { cut: group[*stop], placement: cut.placement, item: cut.item, process, start, way });
        }
    }
    // And back to where it came from.
    out.travel_as_drawn = as_drawn + drawn_at.distance(Point::ZERO);
    (out, refused)
}

/// The edge of a cut that follows a contour as drawn: what a hand says of it is said of that. A line that several copies share
/// is none.
fn own_edge(cut: &Cut) -> Option<&Edge> {
    cut.edges().next().filter(|_| cut.line == Line::Drawn)
}

/// Processes in the order in which they are done, each with its settings: the chart's first, then the job's own.
fn turns(work: &Work, settings: &[(u32, Process)]) -> Vec<(Process, Option<u32>)> {
    let used = |p: Process, s: Option<u32>| s.is_none() || work.items.iter().any(|i| i.process == p && i.setting == s);
    let own = |p: Process| settings.iter().filter(move |s| s.1 == p && !p.frees()).map(move |s| (p, Some(s.0)));
    // A part is cut free last, whatever it was cut with: cuts are ordered together.
    Process::in_order().into_iter().flat_map(|p| std::iter::once((p, None)).chain(own(p))).filter(|(p, s)| used(*p, *s)).collect()
}

fn stops(sheet: &SheetCuts, group: &[usize], decisions: &OrderDecisions) -> Vec<Stop> {
    let mut place = vec![usize::MAX; sheet.cuts.len()];
    group.iter().enumerate().for_each(|(k, i)| place[*i] = k);
    let chosen = |c: &Cut| own_edge(c).and_then(|e| decisions.start(e.copy, e.contour)).map(|p| p.along(&c.path));
    let way = |c: &Cut| own_edge(c).and_then(|e| decisions.way(e.copy, e.contour));
    let entries = |c: &Cut| entries(&c.path, chosen(c), way(c));
    let mut stops: Vec<Stop> = group.iter().map(|i| Stop { entries: entries(&sheet.cuts[*i]), after: Vec::new() }).collect();
    for (first, then) in sheet.before.iter().map(|(a, b)| (place[*a], place[*b])).filter(|(a, b)| *a != usize::MAX && *b != usize::MAX) {
        stops[first].after.push(then);
    }
    stops
}

/// Most places to start from that are weighed on one contour.
const MOST_ENTRIES: usize = 16;

/// Where a cut may start: on a closed contour in the middle of its edges, so that corners stay crisp; on an open line at
/// its ends, or at that which the way leaves. `chosen` is how far along it was decided, mm.
fn entries(path: &Path, chosen: Option<f64>, way: Option<Way>) -> Vec<Entry> {
    if !path.closed {
        let (a, b) = (path.segments[0].start, path.segments[path.segments.len() - 1].end);
        let (there, back) = (Entry { arrive: a, leave: b, share: 0.0 }, Entry { arrive: b, leave: a, share: 1.0 });
        return match way {
            None => vec![there, back],
            Some(Way::Drawn) => vec![there],
            Some(Way::Against) => vec![back],
        };
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

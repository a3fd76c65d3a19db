//! What the program burns against what was meant.

use super::contained::around;
use super::faults::{Fault, Faults, Told, figure};
use super::read::Read;
use super::{Action, Meant, ProgramFault, SheetProof, Traced};
use super::{edges, gouge, remains, settings, standing};
use crate::assign::Process;
use crate::dialect::Dialect;
use crate::finding::{Code, Finding, Severity, Station};
use crate::geometry::{Affine, Bounds, Path, Point, Segment, Vec2};
use crate::hold::SheetPath;
use crate::shop::{Machine, MachineKind};
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::FxHashMap;
use std::collections::hash_map::Entry;

/// A burned point belongs to a stroke that is nearer than this, mm.
const NEAR: f64 = 0.02;
/// So far from its ends, mm, a stroke is looked at to see whether it is burned up to them.
const INWARD: f64 = 0.05;
/// A move shorter than this, mm, has no direction that could be relied on: its ends are rounded.
const HAIR: f64 = 0.002;
/// Burned length of a stroke may differ from what was meant by this much, mm, and this share.
const SHORT: (f64, f64) = (0.05, 0.02);
/// Cuts that lie on each other for no longer than this, mm, only touch.
const TOUCH: f64 = 0.6;
/// Distance of the looks along what is scored or engraved, mm.
const MARKED: f64 = 5.0;
/// Distance of the samples along a burned move, mm, and most of them on one move.
const STEP: f64 = 0.5;
const MOST_SAMPLES: f64 = 64.0;

/// Where no more looks than this find another stroke it is looked closer: one look every so many mm, so many at most.
const FEW_LOOKS: usize = 4;
const CLOSER: f64 = 0.04;
const MOST_CLOSER: f64 = 400.0;

pub(super) type Boxed = GeomWithData<Rectangle<[f64; 2]>, usize>;

/// A line that is meant to be burned.
struct Stroke {
    path: Segment,
    op: usize,
    lead: bool,
    /// It is of a cut that goes all round.
    closed: bool,
    /// Length to be burned, all passes, mm.
    meant: f64,
    burned: f64,
    /// Whether a burned move began or ended where it begins, and where it ends.
    reached: [bool; 2],
}

pub(super) fn unreadable(sheet: usize, fault: &ProgramFault) -> Finding {
    Finding::new(
        Station::Proof,
        Severity::Stop,
        Code::ProgramUnreadable,
        1,
        format!("The program of sheet {} cannot be read back: {fault}.", sheet + 1),
    )
}

pub(super) fn run(proof: &mut SheetProof, read: &Read, meant: &Meant) -> Vec<Fault> {
    let Meant { sheet, path: intended, machine, pose, .. } = *meant;
    let mut faults = Faults::new(sheet);
    let actions = &read.actions;
    within_limits(actions, machine, pose.to_bed(), &mut faults);
    let mut strokes = strokes(intended);
    let mut stray = Vec::new();
    let mut twice = Vec::new();
    // Places in a row that are on two cuts, and the length of that, mm.
    let (mut touching, mut doubled) = (Vec::new(), 0.0);
    let mut against = Vec::new();
    let index = RTree::bulk_load(strokes.iter().enumerate().map(|(i, s)| boxed(&s.path, i)).collect());
    // Where arcs are sent as lines these may lie so far off them.
    let dialect = Dialect::of(machine);
    let chord = if dialect.arcs { 0.0 } else { dialect.chord };
    let lines = Lines { strokes: &strokes, index: &index, intended, near: NEAR + chord };
    let powers: Vec<f64> = actions.iter().filter_map(|a| if let Action::Move { power, .. } = a { Some(*power) } else { None }).collect();
    // A picture's rows were compared as they were read.
    let moving = actions.iter().enumerate().filter(|(_, a)| matches!(a, Action::Move { .. }));
    let rows: Vec<Option<usize>> = moving.map(|(i, _)| read.folded.get(&i).copied()).collect();
    let looked_at: Vec<bool> = rows.iter().zip(&powers).map(|(row, power)| row.is_none() && *power > 0.0).collect();
    let burned: Vec<Option<Burned>> =
        proof.moves.par_iter().zip(&looked_at).map(|(m, look)| look.then(|| burned(&m.path, &lines))).collect();
    for (m, row) in proof.moves.iter_mut().zip(&rows) {
        if let Some(op) = row {
            (m.op, m.process) = (Some(*op), Some(intended.ops[*op].process));
        }
    }
    for (m, burned) in proof.moves.iter_mut().zip(burned) {
        let Some(burned) = burned else { continue };
        for (k, length) in &burned.on {
            strokes[*k].burned += length;
        }
        for (k, end) in burned.ends {
            strokes[k].reached[end] = true;
        }
        stray.extend(burned.stray);
        // What only touches does so in one short move, or a few of them.
        doubled = if burned.twice.is_empty() { 0.0 } else { doubled + burned.doubled };
        touching.extend(burned.twice);
        if doubled > TOUCH {
            twice.append(&mut touching);
        } else if doubled <= 0.0 {
            touching.clear();
        }
        against.extend(burned.against.map(|p| Told::new(p, m.line, String::new())));
        if let Some((k, _)) = burned.on.last() {
            let s = &strokes[*k];
            (m.op, m.lead, m.process) = (Some(s.op), s.lead, Some(intended.ops[s.op].process));
        } else {
            m.process = Some(Process::Cut);
        }
    }
    faults.add(Code::BurnedAstray, &stray, "places are burned where nothing was meant to be");
    twice.extend(&read.twice);
    faults.add(Code::PictureWrong, &read.wrong, "rows of pictures burn something else than was meant");
    if machine.kind == MachineKind::Plasma {
        faults.told(Code::WrongWay, against, "closed lines are cut the other way round: the bevel comes on to the part");
    }
    settings::check(read, proof, meant, &mut faults);
    coverage(&strokes, &read.missing, &mut twice, &mut faults);
    faults.add(Code::BurnedTwice, &twice, "places are burned twice: lines lie on each other");
    edges::check(meant, &mut faults);
    inside_out(proof, meant, &mut faults);
    gouge::check(proof, meant, &mut faults);
    standing::bridges(proof, meant, &mut faults);
    standing::travel(read, proof, meant, &mut faults);
    // Only of a program that does what was meant: else everything that it does otherwise would be told twice.
    if faults.is_empty() {
        faults.extend(remains::check(proof, meant));
    }
    faults.all()
}

/// The lines that a program is laid over.
#[derive(Clone, Copy)]
struct Lines<'a> {
    strokes: &'a [Stroke],
    index: &'a RTree<Boxed>,
    intended: &'a SheetPath,
    /// A burned point belongs to a stroke that is nearer than this, mm.
    near: f64,
}

/// What a burned move covers.
#[derive(Default)]
struct Burned {
    /// Strokes with the length burned on them, mm; a stroke may stand more than once.
    on: Vec<(usize, f64)>,
    /// Strokes of which it touches the begin (0) or the end (1) with one of its own.
    ends: Vec<(usize, usize)>,
    /// Points where nothing was meant to be burned.
    stray: Vec<Point>,
    /// Points on the strokes of two cuts at once, and how long it is on both, mm.
    twice: Vec<Point>,
    doubled: f64,
    /// Where a closed cut is followed against its direction.
    against: Option<Point>,
}

/// A point of a burned move, the strokes that it lies on, nearest first, and whether those of two cuts are among them.
struct Look {
    at: Point,
    near: Vec<(f64, usize)>,
    doubled: bool,
}

/// Looks at one point of a burned move.
fn near_strokes(p: Point, way: Vec2, length: f64, on: &Lines) -> Look {
    let Lines { strokes, index, intended, near } = *on;
    let mut found: Vec<(f64, usize)> = Vec::new();
    let mut along: Option<usize> = None;
    let mut doubled = false;
    for k in index.locate_in_envelope_intersecting(AABB::from_corners([p.x - near, p.y - near], [p.x + near, p.y + near])).map(|b| b.data) {
        let s = &strokes[k];
        let t = s.path.nearest(p);
        let distance = s.path.at(t).distance(p);
        let parallel = length < HAIR || s.path.direction(t).dot(way).abs() > 0.95;
        if distance > near || !parallel {
            continue;
        }
        if distance < 0.005 && t > 0.02 && t < 0.98 && intended.ops[s.op].process.frees() {
            // Leads run along their own contour for a hair's breadth; another contour's line does not.
            doubled |= along.is_some_and(|op| op != s.op);
            along = Some(s.op);
        }
        found.push((distance, k));
    }
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    Look { at: p, near: found, doubled }
}

/// Lays points of a burned move over the strokes.
fn burned(path: &Segment, on: &Lines) -> Burned {
    let Lines { strokes, index, near: reach, .. } = *on;
    let mut out = Burned::default();
    let length = path.length();
    let samples = (length / STEP).ceil().clamp(2.0, MOST_SAMPLES) as usize;
    // Strokes near each sample, nearest first.
    let looks: Vec<Look> = (0..samples)
        .map(|i| {
            let at = (i as f64 + 0.5) / samples as f64;
            near_strokes(path.at(at), path.direction(at), length, on)
        })
        .collect();
    // Where strokes touch or cross, a move belongs to the one that it follows all along, not to whichever is a hair nearer.
    let mut followed: Vec<(usize, usize, f64)> = Vec::new();
    for (far, k) in looks.iter().flat_map(|l| &l.near) {
        match followed.iter_mut().find(|f| f.0 == *k) {
            Some(f) => (f.1, f.2) = (f.1 + 1, f.2 + far),
            None => followed.push((*k, 1, *far)),
        }
    }
    let own = followed.iter().max_by(|a, b| a.1.cmp(&b.1).then(b.2.total_cmp(&a.2))).map(|f| f.0);
    for Look { at, near, .. } in &looks {
        match own.filter(|k| near.iter().any(|n| n.1 == *k)).or(near.first().map(|n| n.1)) {
            Some(k) => out.on.push((k, length / samples as f64)),
            None => out.stray.push(*at),
        }
    }
    let stroke = out.on.first().map(|(k, _)| &strokes[*k]).filter(|s| !s.lead && s.closed);
    let middle = path.at(0.5);
    let back = |s: &&Stroke| length > HAIR && s.path.direction(s.path.nearest(middle)).dot(path.direction(0.5)) < 0.0;
    out.against = stroke.filter(back).map(|_| middle);
    // Cuts that only touch run side by side for a hair's breadth; those that lie on each other do so for longer.
    let doubled = looks.iter().filter(|l| l.doubled).count();
    out.doubled = doubled as f64 * length / samples as f64;
    if doubled > 0 && doubled < samples && doubled <= FEW_LOOKS {
        out.doubled = side_by_side(path, &looks, on);
    }
    if doubled == samples || out.doubled > TOUCH {
        out.twice.extend(looks.iter().filter(|l| l.doubled).map(|l| l.at));
    }
    // Between the looks a move may go a little too far, or not far enough: its ends tell.
    for p in [path.start, path.end] {
        let near = index.locate_in_envelope_intersecting(AABB::from_corners([p.x - reach, p.y - reach], [p.x + reach, p.y + reach]));
        let mut any = false;
        for k in near.map(|b| b.data) {
            let s = &strokes[k].path;
            any = any || s.distance(p) < reach;
            // Its own end, not that of a neighbour in line: the stroke is burned a little way in from there as well.
            let inward = (INWARD.min(length * 0.8) / s.length()).min(0.25);
            let ends = [(s.start, inward), (s.end, 1.0 - inward)];
            let own = |(end, at): (Point, f64)| end.distance(p) < NEAR && path.distance(s.at(at)) < reach;
            out.ends.extend(ends.into_iter().enumerate().filter(|(_, e)| own(*e)).map(|(end, _)| (k, end)));
        }
        if !any {
            out.stray.push(p);
        }
    }
    out
}

/// How long a move runs on another stroke where only a few looks say so, mm: a round corner that touches a line does for a little.
fn side_by_side(path: &Segment, looks: &[Look], on: &Lines) -> f64 {
    let share = |k: usize| k as f64 / looks.len() as f64;
    let first = looks.iter().position(|l| l.doubled).map_or(0.0, |k| share(k.saturating_sub(1)));
    let last = looks.iter().rposition(|l| l.doubled).map_or(1.0, |k| share((k + 2).min(looks.len())));
    let length = path.length();
    let closer = ((last - first) * length / CLOSER).ceil().clamp(1.0, MOST_CLOSER);
    let step = (last - first) / closer;
    let places = (0..closer as usize).map(|i| first + (i as f64 + 0.5) * step);
    let hits = places.filter(|at| near_strokes(path.at(*at), path.direction(*at), length, on).doubled).count();
    hits as f64 * step * length
}

pub(super) fn boxed(s: &Segment, data: usize) -> Boxed {
    in_box(s.bounds(), data)
}

pub(super) fn in_box(b: Bounds, data: usize) -> Boxed {
    Boxed::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), data)
}

fn strokes(intended: &SheetPath) -> Vec<Stroke> {
    let mut all: Vec<Stroke> = Vec::new();
    for (op, o) in intended.ops.iter().enumerate() {
        let passes = f64::from(o.passes);
        let mut known: FxHashMap<[u64; 5], usize> = FxHashMap::default();
        let mut add = |path: Segment, lead: bool, times: f64| {
            let meant = path.length() * times;
            if o.written_out {
                let key = [path.start.x, path.start.y, path.end.x, path.end.y, path.bulge].map(f64::to_bits);
                match known.entry(key) {
                    Entry::Occupied(before) => {
                        all[*before.get()].meant += meant;
                        return;
                    }
                    Entry::Vacant(new) => new.insert(all.len()),
                };
            }
            all.push(Stroke { path, op, lead, closed: o.process.frees(), meant, burned: 0.0, reached: [false; 2] });
        };
        o.leads().for_each(|s| add(*s, true, passes));
        // What is burned once more over its begin is burned twice by intention.
        let times = |s: &Segment| if o.line().again.contains(s) { 2.0 * passes } else { passes };
        o.line().runs.iter().flatten().for_each(|s| add(*s, false, times(s)));
        o.rows().iter().for_each(|r| r.spans.iter().for_each(|(a, b)| add(Segment::line(r.point(*a), r.point(*b)), false, passes)));
    }
    all
}

fn coverage(strokes: &[Stroke], rows: &[Point], twice: &mut Vec<Point>, faults: &mut Faults) {
    let mut missing = rows.to_vec();
    for s in strokes.iter().filter(|s| s.meant > 0.0) {
        let slack = SHORT.0.max(s.meant * SHORT.1) + STEP.min(s.meant * 0.5) * 0.5;
        if s.burned < s.meant - slack || s.reached != [true; 2] {
            missing.push(s.path.at(0.5));
        } else if s.burned > s.meant + slack {
            twice.push(s.path.at(0.5));
        }
    }
    faults.add(Code::NotBurned, &missing, "lines that were meant to be burned are missing or short");
}

fn within_limits(actions: &[Action], machine: &Machine, to_bed: Affine, faults: &mut Faults) {
    let (mut off, mut fast, mut strong) = (Vec::new(), Vec::new(), Vec::new());
    for action in actions {
        let Action::Move { path, feed, power, line, .. } = action else { continue };
        let b = path.transformed(to_bed).bounds();
        if b.min.x < -1e-3 || b.min.y < -1e-3 || b.max.x > machine.bed_width + 1e-3 || b.max.y > machine.bed_height + 1e-3 {
            let (x, y) = (figure(path.end.x), figure(path.end.y));
            off.push(Told::new(path.end, *line, format!("to {x}, {y} mm")));
        }
        if let Some(f) = feed.filter(|f| *f > machine.feed_limit + 1e-6) {
            fast.push(Told::new(path.end, *line, format!("feed {}, the machine goes up to {} mm/min", figure(f), machine.feed_limit)));
        }
        if *power > machine.power_limit + 1e-6 {
            strong.push(Told::new(path.end, *line, format!("power {}, the machine has {}", figure(*power), machine.power_limit)));
        }
    }
    faults.told(Code::OffBed, off, &format!("moves leave {}'s bed of {} × {} mm", machine.name, machine.bed_width, machine.bed_height));
    faults.told(Code::FeedOver, fast, &format!("moves are faster than {}'s {} mm/min", machine.name, machine.feed_limit));
    faults.told(Code::PowerOver, strong, &format!("moves ask for more power than {} has", machine.name));
}

/// Every closed cut must be done before the one around it begins.
fn inside_out(proof: &SheetProof, meant: &Meant, faults: &mut Faults) {
    let intended = meant.path;
    let mut span: Vec<Option<(f64, f64)>> = vec![None; intended.ops.len()];
    for m in proof.moves.iter().filter(|m| m.process == Some(Process::Cut)) {
        let Some(s) = m.op.and_then(|o| span.get_mut(o)) else { continue };
        *s = Some(s.map_or((m.begin, m.end), |(a, b)| (a.min(m.begin), b.max(m.end))));
    }
    // What each copy's contour takes from its first cut to its last: several cuts make the outline of one that shares edges.
    let mut contours: FxHashMap<(usize, usize), (f64, f64)> = FxHashMap::default();
    for (op, span) in intended.ops.iter().zip(&span).filter(|(o, _)| o.process.frees()) {
        let Some((begin, end)) = *span else { continue };
        for edge in meant.cuts.cuts.get(op.cut).into_iter().flat_map(super::super::cuts::Cut::edges) {
            let known = contours.entry((edge.placement, edge.item)).or_insert((begin, end));
            *known = (known.0.min(begin), known.1.max(end));
        }
    }
    let mut closed: Vec<((f64, f64), Path)> = contours
        .into_iter()
        .filter_map(|((placement, item), span)| {
            let lies = meant.layout.placed.get(placement)?.affine();
            Some((span, meant.work.items[item].contour.path.transformed(lies)))
        })
        .filter(|(_, p)| p.closed)
        .collect();
    closed.sort_by(|a, b| a.0.0.total_cmp(&b.0.0));
    let paths: Vec<&Path> = closed.iter().map(|c| &c.1).collect();
    let early: Vec<Point> = around(&paths)
        .into_iter()
        .enumerate()
        .filter(|(k, parent)| parent.is_some_and(|p| closed[*k].0.1 > closed[p].0.0 + 1e-9))
        .map(|(k, _)| closed[k].1.bounds().center())
        .chain(marked_late(proof, &closed))
        .collect();
    faults.add(Code::OuterFirst, &early, "places are worked on after the outline around them is cut: the part may have moved by then");
}

/// Where something is scored, marked or engraved within an outline that is cut all round by then.
fn marked_late(proof: &SheetProof, closed: &[((f64, f64), Path)]) -> Vec<Point> {
    let index: RTree<Boxed> = RTree::bulk_load(closed.iter().enumerate().map(|(k, c)| in_box(c.1.bounds(), k)).collect());
    let late = |m: &&Traced| m.process.is_some_and(|p| !p.frees());
    let at = |m: &Traced| {
        let looks = (m.path.length() / MARKED).ceil().clamp(1.0, MOST_SAMPLES) as usize;
        (0..looks).map(|i| m.path.at((i as f64 + 0.5) / looks as f64)).collect::<Vec<Point>>()
    };
    let is_late = |m: &Traced, p: Point| {
        let around = index.locate_in_envelope_intersecting(AABB::from_point([p.x, p.y])).map(|b| &closed[b.data]);
        around.into_iter().any(|(span, path)| span.1 < m.begin + 1e-9 && path.contains(p))
    };
    let free = closed.iter().map(|c| c.0.1).fold(f64::INFINITY, f64::min);
    let moves: Vec<&Traced> = proof.moves.iter().filter(late).filter(|m| m.begin > free).collect();
    moves.par_iter().flat_map_iter(|m| at(m).into_iter().filter(|p| is_late(m, *p)).take(1).collect::<Vec<_>>()).collect()
}

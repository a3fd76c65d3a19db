//! What an operation came to beside what was asked for: nothing, less than it, or harm to what is there.

use super::{Operation, corners};
use crate::clean::{Contour, ContourId};
use crate::drawing::Nature;
use crate::finding::counted;
use crate::geometry::{Path, Point, alongside, meetings};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// New contours that are looked at, and pairs of segments that are compared: how much of what makes more was looked at is said.
const MOST: (usize, usize) = (3_000, 2_000_000);
/// Lines that meet within this are one place, mm.
const SAME: f64 = 1e-4;
/// Contours nearer to each other than this all over are one on the other, mm.
const ON: f64 = 1e-3;

/// What an operation did that a person would want to know before it counts.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Judged {
    /// Sentences, without their full stops; none where it did as asked.
    pub said: Vec<String>,
    /// Where.
    pub at: Vec<Point>,
}

/// Judges an operation by the contours before it and after.
pub(super) fn judged(before: &[Arc<Contour>], after: &[Arc<Contour>], operation: &Operation) -> Judged {
    let mut out = Judged::default();
    let known: FxHashMap<ContourId, &Arc<Contour>> = before.iter().map(|c| (c.id, c)).collect();
    let is_same = |c: &Arc<Contour>| known.get(&c.id).is_some_and(|k| Arc::ptr_eq(k, c) || k.path == c.path);
    let new: Vec<usize> = (0..after.len()).filter(|i| !is_same(&after[*i])).collect();
    if new.is_empty() && after.len() == before.len() {
        out.said.push("it changes nothing".into());
        return out;
    }
    if let Operation::Corner { contours, size, shape } = operation {
        let chosen = before.iter().filter(|c| contours.contains(&c.id));
        let (mut all, mut short, mut least) = (0, 0, f64::INFINITY);
        for c in chosen {
            let (n, less, smallest) = corners::reached(&c.path, *size, *shape);
            (all, short, least) = (all + n, short + less, least.min(smallest));
        }
        if short > 0 {
            let have = if short == 1 { "has" } else { "have" };
            out.said.push(format!(
                "{short} of {} {have} room for less than {size} mm: {least:.2} mm the least",
                counted(all, "corner", "corners")
            ));
        }
    }
    let before = |c: &Contour| known.get(&c.id).map(|k| &k.path);
    let looked_at = harm(&mut out, after, &new[..new.len().min(MOST.0)], operation, before);
    if looked_at < new.len() {
        out.said.push(format!("of {} new contours only the first {looked_at} were checked against the edges they may cross", new.len()));
    }
    out
}

/// What new contours do to others, that they did not do before; gives how many of them were looked at.
fn harm<'a>(
    out: &mut Judged,
    after: &[Arc<Contour>],
    new: &[usize],
    operation: &Operation,
    before: impl Fn(&Contour) -> Option<&'a Path>,
) -> usize {
    let boxed = |i: usize| {
        let b = after[i].bounds;
        GeomWithData::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), i)
    };
    let drawn = |c: &Contour| !c.style.aside() && c.picture.is_none() && !c.bounds.is_empty();
    let index = RTree::bulk_load((0..after.len()).filter(|i| drawn(&after[*i])).map(boxed).collect());
    let (mut compared, mut looked_at) = (0, new.len());
    let (mut over, mut twice, mut beside) = (Vec::new(), Vec::new(), Vec::new());
    for (n, i) in new.iter().copied().enumerate().filter(|(_, i)| drawn(&after[*i])) {
        if compared > MOST.1 {
            looked_at = n;
            break;
        }
        let c = &after[i];
        let near: Vec<usize> = index
            .locate_in_envelope_intersecting(AABB::from_corners([c.bounds.min.x, c.bounds.min.y], [c.bounds.max.x, c.bounds.max.y]))
            .map(|g| g.data)
            .filter(|j| *j != i)
            .collect();
        if let Some(at) = near.iter().find_map(|j| lies_on(&c.path, &after[*j].path)) {
            twice.push(at);
            continue;
        }
        let before_it = over.len();
        for j in &near {
            let o = &after[*j];
            compared += c.path.segments.len() * o.path.segments.len();
            // Letters of one line may run into each other, and lines to be scored may go anywhere.
            let asked = is_edge(o) && (c.path.closed || is_letter(c));
            if asked
                && let Some(at) = crosses(&c.path, &o.path)
                && before(c).is_none_or(|was| crosses(was, &o.path).is_none())
            {
                over.push(at);
                break;
            }
        }
        let holds = |j: &&usize| is_edge(&after[**j]) && after[**j].path.contains(c.path.segments[0].start);
        // In an opening there is no material either.
        let within = || near.iter().filter(holds).count() % 2 == 1;
        let placed = matches!(operation, Operation::Hole { .. } | Operation::Slot { .. } | Operation::Tab { .. } | Operation::Write { .. });
        if placed && over.len() == before_it && (c.path.closed || is_letter(c)) && !within() && !is_part(operation, c) {
            beside.push(c.bounds.center());
        }
    }
    let mut tell = |at: Vec<Point>, one: &str, more: &str| {
        if !at.is_empty() {
            let n = at.len();
            out.said.push(if n == 1 { one.to_owned() } else { format!("{n} {more}") });
            out.at.extend(at);
        }
    };
    match operation {
        Operation::Hole { .. } | Operation::Slot { .. } => {
            tell(over, "it goes over an edge", "of them go over an edge");
            tell(beside, "it lies in no part, and would be one of its own", "of them lie in no part, and would be parts of their own");
        }
        Operation::Tab { .. } => {
            tell(over, "it goes over another edge", "of them go over other edges");
            tell(beside, "the ring lies beside the part, and would fall off it", "pieces lie beside the part, and would fall off it");
        }
        Operation::Write { .. } => {
            tell(over, "a letter goes over an edge", "letters go over an edge");
            tell(beside, "a letter lies beside every part", "letters lie beside every part");
        }
        _ => tell(over, "an outline lies over another's edge", "outlines lie over others' edges"),
    }
    tell(twice, "a contour lies exactly on another", "contours lie exactly on others");
    looked_at
}

/// A letter of writing, as an area or in strokes.
fn is_letter(c: &Contour) -> bool {
    c.style.text || c.style.nature == Nature::Writing
}

/// An outline that material ends at.
fn is_edge(c: &Contour) -> bool {
    c.path.closed && !is_letter(c)
}

/// True for the contour that an operation was done to: it may be changed, and lies in no other.
fn is_part(operation: &Operation, c: &Contour) -> bool {
    match operation {
        Operation::Hole { part, .. } | Operation::Slot { part, .. } | Operation::Tab { part, .. } | Operation::Write { part, .. } => {
            c.id == *part
        }
        _ => false,
    }
}

/// Where a path lies on another, all of it.
fn lies_on(a: &Path, b: &Path) -> Option<Point> {
    let (p, q) = (a.bounds(), b.bounds());
    let alike =
        p.min.distance(q.min).max(p.max.distance(q.max)) <= ON && (a.length() - b.length()).abs() <= ON * (1.0 + a.segments.len() as f64);
    let on = || a.segments.iter().flat_map(|s| [s.start, s.at(0.5)]).all(|p| b.nearest(p).distance <= ON);
    (alike && on()).then(|| p.center())
}

/// A place where two outlines go through each other; what only touches does not.
fn crosses(a: &Path, b: &Path) -> Option<Point> {
    let mut touches = false;
    for s in &a.segments {
        let near = s.bounds().grown(SAME);
        for t in b.segments.iter().filter(|t| t.bounds().meets(&near)) {
            touches |= alongside(s, t, SAME).is_some();
            for m in meetings(s, t, SAME) {
                touches = true;
                // Within both, and at an angle: what only touches, or meets at a corner, goes through nothing there.
                let inner = |u: f64| (1e-4..1.0 - 1e-4).contains(&u);
                let across = s.direction(m.on_first).cross(t.direction(m.on_second)).abs() > 1e-3;
                if inner(m.on_first) && inner(m.on_second) && across {
                    return Some(m.point);
                }
            }
        }
    }
    // Edges that run along each other: then it lies partly in the other and partly out of it.
    let samples = || a.segments.iter().flat_map(|s| [s.start, s.at(0.5)]).filter(|p| b.nearest(*p).distance > ON);
    let inside = samples().find(|p| b.contains(*p))?;
    (touches && samples().any(|p| !b.contains(p))).then_some(inside)
}

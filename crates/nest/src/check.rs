//! Does a layout keep its distances? Measured on the parts as drawn, arcs as arcs; nothing here is shared with the engines.

use crate::geometry::{Bounds, Path, Point, Segment, meetings};
use crate::ids::CopyId;
use crate::layout::{Layout, Placement, Sheet, SheetLayout};
use crate::parts::Parts;
use crate::terms::{Distances, is_straight};
use rayon::prelude::*;
use std::collections::BTreeSet;

/// What is told apart, mm: a micrometre. Touching edges at no spacing are as they should be.
const TOLERANCE: f64 = 1e-3;
/// Places looked at on every stretch of an edge between two crossings.
const LOOKS: usize = 6;

/// A part on a sheet.
struct Lying {
    /// Its outline, then its holes.
    contours: Vec<Path>,
    bounds: Bounds,
    /// It has nothing but straight edges.
    straight: bool,
}

/// Parts nearer than they may be to another or to the edge.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Faults {
    /// How many, on all sheets.
    pub count: usize,
    /// The first sheet that has any.
    pub sheet: usize,
    /// Where they lie on it, mm.
    pub at: Vec<Point>,
}

/// What lies nearer than it may to another or to the edge of its sheet.
pub fn faults(work: &dyn Parts, layout: &Layout, distances: Distances) -> Faults {
    let on = |s: &SheetLayout| -> Vec<Point> {
        let lying: Vec<Lying> = s.placed.iter().filter_map(|p| lay(work, p)).collect();
        (0..lying.len())
            .into_par_iter()
            .filter(|i| {
                let others = lying.iter().enumerate().filter(|(j, _)| j != i).map(|(_, l)| l);
                off_sheet(&lying[*i], &s.sheet, distances.margin) || crowded(&lying[*i], others, distances)
            })
            .map(|i| lying[i].bounds.center())
            .collect()
    };
    let mut all: Vec<Vec<Point>> = layout.sheets.par_iter().map(on).collect();
    let count = all.iter().map(Vec::len).sum();
    let sheet = all.iter().position(|at| !at.is_empty()).unwrap_or(0);
    Faults { count, sheet, at: all.get_mut(sheet).map(std::mem::take).unwrap_or_default() }
}

/// What lies on a sheet round a place, to ask of one placement after another whether it would do.
pub struct Around<'a> {
    work: &'a dyn Parts,
    sheet: &'a Sheet,
    others: Vec<Lying>,
    distances: Distances,
}

impl<'a> Around<'a> {
    /// The others of a sheet that come nearer to where `these` lie than they may be moved, `reach` mm.
    pub fn new(
        work: &'a dyn Parts,
        (sheet, all): (&'a Sheet, &[Placement]),
        these: &[Placement],
        reach: f64,
        distances: Distances,
    ) -> Self {
        let boxes = these.iter().filter_map(|p| Some(boxed(work.part(p.copy.part)?.bounds, p)));
        let near = boxes.fold(Bounds::EMPTY, Bounds::union).grown(reach + distances.spacing);
        let mine: BTreeSet<CopyId> = these.iter().map(|p| p.copy).collect();
        let meets =
            |p: &&Placement| !mine.contains(&p.copy) && work.part(p.copy.part).is_some_and(|part| boxed(part.bounds, p).meets(&near));
        Self { work, sheet, others: all.iter().filter(meets).filter_map(|p| lay(work, p)).collect(), distances }
    }

    /// True where these placements keep their distances from each other: what moves together does so as long as it moves.
    pub fn apart(&self, these: &[Placement]) -> bool {
        let lying: Vec<Lying> = these.iter().filter_map(|p| lay(self.work, p)).collect();
        let free = |i: usize| !crowded(&lying[i], lying[i + 1..].iter(), self.distances);
        (0..lying.len()).into_par_iter().all(free)
    }

    /// True where these placements keep their distances from the others.
    pub fn takes(&self, these: &[Placement]) -> bool {
        let good = |l: Lying| !off_sheet(&l, self.sheet, self.distances.margin) && !crowded(&l, self.others.iter(), self.distances);
        these.iter().all(|p| lay(self.work, p).is_some_and(good))
    }
}

/// The box of a placed box.
fn boxed(b: Bounds, p: &Placement) -> Bounds {
    let corners = [b.min, Point::new(b.max.x, b.min.y), b.max, Point::new(b.min.x, b.max.y)];
    Bounds::of(corners.map(|c| p.affine() * c))
}

fn lay(work: &dyn Parts, placement: &Placement) -> Option<Lying> {
    let part = work.part(placement.copy.part)?;
    let affine = placement.affine();
    let drawn = std::iter::once(part.outline).chain(work.holes(part.id));
    let contours: Vec<Path> = drawn.map(|p| p.transformed(affine)).collect();
    Some(Lying { bounds: contours[0].bounds(), straight: is_straight(&contours[0]), contours })
}

fn crowded<'a>(a: &Lying, mut others: impl Iterator<Item = &'a Lying>, distances: Distances) -> bool {
    others.any(|b| {
        let least = distances.between(a.straight, b.straight);
        a.bounds.grown(least - TOLERANCE).meets(&b.bounds) && (near(a, b, least) || within(a, b) || within(b, a))
    })
}

impl Lying {
    /// True where a place lies in its material, deeper than what is told apart.
    fn holds(&self, p: Point) -> bool {
        self.bounds.has(p)
            && self.contours[0].contains(p)
            && !self.contours[1..].iter().any(|h| h.contains(p))
            && self.contours.iter().all(|c| c.nearest(p).distance > TOLERANCE)
    }
    /// A place in its material: beside the middle of an edge.
    fn inner(&self) -> Option<Point> {
        let size = self.bounds.width().min(self.bounds.height());
        let beside = |s: &Segment| {
            let (at, out) = (s.at(0.5), s.direction(0.5).turn_90());
            [0.1, 0.02, 0.004].into_iter().flat_map(move |share| [at + out * (share * size), at - out * (share * size)])
        };
        self.contours[0].segments.iter().flat_map(beside).find(|p| self.holds(*p))
    }
    /// Its edges that come near a box.
    fn edges(&self, within: Bounds) -> Vec<(Bounds, &Segment)> {
        let boxed = self.contours.iter().flat_map(|c| &c.segments).map(|s| (s.bounds(), s));
        boxed.filter(|(b, _)| b.meets(&within)).collect()
    }
}

/// True where `a` lies in the material of `b`, as far as their edges do not cross: a place within `a` tells it.
fn within(a: &Lying, b: &Lying) -> bool {
    b.bounds.grown(TOLERANCE).holds(&a.bounds) && a.inner().is_some_and(|p| b.holds(p))
}

/// True where the edges come nearer than `least`, or, where they may touch, cross.
fn near(a: &Lying, b: &Lying, least: f64) -> bool {
    let reach = (least - TOLERANCE).max(0.0);
    let (mine, theirs) = (a.edges(b.bounds.grown(reach)), b.edges(a.bounds.grown(reach)));
    if least > TOLERANCE {
        return mine.iter().any(|(m, s)| {
            let m = m.grown(reach);
            theirs.iter().any(|(t, u)| m.meets(t) && gap(s, u) < reach)
        });
    }
    crosses(&mine, &theirs, b) || crosses(&theirs, &mine, a)
}

/// True where one of these edges runs through the other's material.
fn crosses(mine: &[(Bounds, &Segment)], theirs: &[(Bounds, &Segment)], other: &Lying) -> bool {
    mine.iter().any(|(m, s)| {
        let mut at = vec![0.0, 1.0];
        for (_, u) in theirs.iter().filter(|(t, _)| t.grown(TOLERANCE).meets(m)) {
            at.extend(meetings(s, u, TOLERANCE).into_iter().map(|m| m.on_first));
            // Where they run along each other it is their ends that part them.
            at.extend([u.start, u.end].into_iter().filter(|p| s.distance(*p) <= TOLERANCE).map(|p| s.nearest(p)));
        }
        at.sort_by(f64::total_cmp);
        at.windows(2)
            .filter(|w| (w[1] - w[0]) * s.length() > TOLERANCE)
            .any(|w| (0..LOOKS).any(|k| other.holds(s.at(w[0] + (w[1] - w[0]) * (k as f64 + 0.5) / LOOKS as f64))))
    })
}

/// Distance of two edges, mm: 0 where they meet. The nearest points are an end and the nearest to it, or lie where the line
/// from a centre is square to the other edge.
pub(crate) fn gap(a: &Segment, b: &Segment) -> f64 {
    let ends = a.distance(b.start).min(a.distance(b.end)).min(b.distance(a.start)).min(b.distance(a.end));
    let least = match (a.is_line(), b.is_line()) {
        (true, true) => ends,
        (true, false) => ends.min(from_centre(b, a)),
        (false, true) => ends.min(from_centre(a, b)),
        (false, false) => ends.min(from_centre(a, b)).min(from_centre(b, a)),
    };
    if least > TOLERANCE && !meetings(a, b, 1e-9).is_empty() { 0.0 } else { least }
}

/// Distance of an arc to what of another edge is nearest to, or furthest from, the arc's centre.
fn from_centre(arc: &Segment, other: &Segment) -> f64 {
    let c = arc.center();
    let nearest = arc.distance(other.at(other.nearest(c)));
    if other.is_line() {
        return nearest;
    }
    // The far side of the other circle, as seen from this centre.
    let o = other.center();
    let far = (o - c).atan2();
    if other.spans(far) { nearest.min(arc.distance(o + other.radius() * crate::geometry::Vec2::from_angle(far))) } else { nearest }
}

fn off_sheet(a: &Lying, sheet: &Sheet, margin: f64) -> bool {
    let room = Bounds { min: Point::ZERO, max: Point::new(sheet.width, sheet.height) }.grown(TOLERANCE - margin);
    if !room.holds(&a.bounds) {
        return true;
    }
    let clamped = |c: &Bounds| {
        let clamp = Lying { bounds: *c, straight: true, contours: vec![Path::rectangle(c.min.x, c.min.y, c.width(), c.height())] };
        a.bounds.grown(margin).meets(c) && (near(a, &clamp, margin) || within(a, &clamp) || within(&clamp, a))
    };
    if sheet.clamps.iter().any(clamped) {
        return true;
    }
    let Some((edge, holes)) = sheet.outline.split_first() else { return false };
    let stock = Lying { bounds: edge.bounds(), straight: false, contours: sheet.outline.clone() };
    // Wholly in the stock: one place within, every edge far enough from the stock's.
    let first =
        a.contours[0].segments.iter().map(|s| s.at(0.5)).find(|p| stock.contours.iter().all(|c| c.nearest(*p).distance > TOLERANCE));
    let inside = first.is_none_or(|p| stock.holds(p));
    if !inside || near(a, &stock, margin) && margin > TOLERANCE {
        return true;
    }
    // With no margin edges may touch: what lies beyond is told by what of the part's edge leaves the stock.
    let beyond = |p: Point| {
        stock.contours.iter().all(|c| c.nearest(p).distance > TOLERANCE) && (!edge.contains(p) || holes.iter().any(|h| h.contains(p)))
    };
    let across = |s: &Segment| {
        let mut at = vec![0.0, 1.0];
        let all = stock.contours.iter().flat_map(|c| &c.segments);
        all.for_each(|u| at.extend(meetings(s, u, TOLERANCE).into_iter().map(|m| m.on_first)));
        at.sort_by(f64::total_cmp);
        at.windows(2).any(|w| (0..LOOKS).any(|k| beyond(s.at(w[0] + (w[1] - w[0]) * (k as f64 + 0.5) / LOOKS as f64))))
    };
    margin <= TOLERANCE && a.contours[0].segments.iter().any(across)
        || holes.iter().any(|h| h.segments.first().is_some_and(|s| a.holds(s.start)))
}

//! Slots and tabs that were drawn for a nominal thickness, set to the thickness that was measured.
//!
//! A slot or tab shows by its end: a straight edge as long as the nominal thickness between two parallel edges that leave
//! it at right angles, both to the same side; or a half circle of that diameter; or a straight edge with a relief for the cutter in
//! either corner. The sides may be arcs about one centre. They are moved apart or together;
//! everything else stays where it is, on its own line or circle.

use super::Work;
use crate::clean::{Contour, ContourId};
use crate::geometry::{Path, Point, Segment, Vec2};
use serde::Serialize;
use std::sync::Arc;

/// A width within this of the nominal one is meant to be it, mm.
const NEAR: f64 = 0.06;
/// Sides may be out of parallel and out of square by this much, radians: a degree.
const SQUARE: f64 = 0.018;
/// A side is at least this share of the width; shorter it is a step.
const LEAST_SIDE: f64 = 0.4;
/// A relief in a corner turns further than this, radians: 100°. A rounded corner turns less.
const RELIEF: f64 = 1.75;
/// Arcs that a relief is drawn of, and one.
const MOST_ARCS: usize = 7;

/// Whether material or air is as wide as the sheet is thick.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Air between two sides.
    Slot,
    /// Material between two sides.
    Tab,
}

/// A slot or tab.
#[derive(Clone, Copy, Debug)]
pub struct Found {
    /// The contour it is in.
    pub contour: ContourId,
    /// What it is.
    pub kind: Kind,
    /// Middle of its end.
    pub at: Point,
    /// The end's segment.
    end: Cap,
}

/// The end of a slot or tab: its own segment, and those of its two sides.
#[derive(Clone, Copy, Debug)]
struct Cap {
    before: usize,
    end: usize,
    behind: usize,
}

/// Slots and tabs of this width, mm. `outer` tells of each contour whether material lies inside it.
pub fn find(contours: &[Arc<Contour>], nominal: f64) -> Vec<Found> {
    let outer = outer(contours);
    let mut out = Vec::new();
    for (c, outer) in contours.iter().zip(outer) {
        if !c.path.closed || c.style.text {
            continue;
        }
        for end in ends(&c.path, nominal) {
            // Sides that lie to the left of an anticlockwise path's end have the inside between them.
            let inside = opens_inward(&c.path, end);
            let kind = if inside == outer { Kind::Tab } else { Kind::Slot };
            out.push(Found { contour: c.id, kind, at: c.path.segments[end.end].at(0.5), end });
        }
    }
    out
}

/// For each contour whether it bounds material on its inside: even depth.
fn outer(contours: &[Arc<Contour>]) -> Vec<bool> {
    let closed: Vec<usize> = (0..contours.len()).filter(|i| contours[*i].path.closed).collect();
    let paths: Vec<&Path> = closed.iter().map(|i| &contours[*i].path).collect();
    let parents = crate::geometry::parents(&paths);
    let mut out = vec![true; contours.len()];
    for (k, i) in closed.iter().enumerate() {
        let depth = std::iter::successors(parents[k], |p| parents[*p]).take(closed.len()).count();
        out[*i] = depth.is_multiple_of(2);
    }
    out
}

/// True when the end's two sides have the path's inside between them.
fn opens_inward(path: &Path, cap: Cap) -> bool {
    let (s, side) = (&path.segments[cap.end], &path.segments[cap.behind]);
    let along = s.end - s.start;
    let left = along.cross(side.direction(0.0)) > 0.0;
    left == (path.area() > 0.0)
}

/// Segments that are the end of a slot or tab.
fn ends(path: &Path, nominal: f64) -> Vec<Cap> {
    let n = path.segments.len();
    if n < 4 {
        return Vec::new();
    }
    let caps = (0..n).map(|i| {
        let plain = Cap { before: (i + n - 1) % n, end: i, behind: (i + 1) % n };
        let side = |back: bool| if path.segments[i].is_line() { relieved(path, i, back, nominal) } else { None };
        match (side(true), side(false)) {
            (Some(before), Some(behind)) => Cap { before, end: i, behind },
            _ => plain,
        }
    });
    caps.filter(|cap| is_end(path, *cap, nominal)).collect()
}

/// The side behind the relief that begins where a straight end stops, or before the one that stops where it begins: arcs of one small
/// circle that go most of the way round a corner. `None` where there is no relief.
fn relieved(path: &Path, end: usize, back: bool, nominal: f64) -> Option<usize> {
    let n = path.segments.len();
    let step = |k: usize, by: usize| if back { (k + n - by) % n } else { (k + by) % n };
    let (center, radius) = circle(&path.segments[step(end, 1)])?;
    let of_it = |k: usize| circle(&path.segments[k]).is_some_and(|(c, _)| c.distance(center) < NEAR);
    let arcs = (1..n.min(MOST_ARCS)).take_while(|by| of_it(step(end, *by))).count();
    let turned: f64 = (1..=arcs).map(|by| 4.0 * path.segments[step(end, by)].bulge.atan()).sum::<f64>().abs();
    (radius < nominal / 2.0 && turned > RELIEF).then(|| step(end, arcs + 1))
}

/// True where a cap's sides are so far apart all along, and its end square between them.
fn is_end(path: &Path, cap: Cap, nominal: f64) -> bool {
    let (a, s, b) = (&path.segments[cap.before], &path.segments[cap.end], &path.segments[cap.behind]);
    let wide = a.end.distance(b.start);
    if a.length().min(b.length()) < LEAST_SIDE * nominal || cap.before == cap.behind {
        return false;
    }
    // Between sides that lie opposite each other it is as wide as they are apart, whatever reliefs take of its end.
    let along = s.direction(0.5);
    let (came, goes) = (a.direction(1.0), b.direction(0.0));
    let apart = if a.is_line() { came.cross(b.start - a.end).abs() } else { wide };
    let square = came.dot(along).abs() < SQUARE && goes.dot(along).abs() < SQUARE && came.dot(goes) < -1.0 + SQUARE;
    let sides = match (circle(a), circle(b)) {
        (None, None) => true,
        (Some((c, r)), Some((d, q))) => c.distance(d) < NEAR && ((r - q).abs() - nominal).abs() <= NEAR,
        _ => false,
    };
    let shape = s.is_line() || (s.bulge.abs() - 1.0).abs() < 0.02;
    square && sides && shape && (apart - nominal).abs() <= NEAR && (wide - nominal).abs() <= NEAR + if s.is_line() { nominal } else { 0.0 }
}

/// Centre and radius of an arc; `None` of a line.
fn circle(s: &Segment) -> Option<(Point, f64)> {
    (!s.is_line()).then(|| (s.center(), s.radius()))
}

/// Sets all slots and tabs as wide as `nominal` to `width`, but for those of the contours in `leave`.
pub(super) fn fit(work: &mut Work, nominal: f64, width: f64, leave: &[ContourId]) -> bool {
    let found = find(&work.contours, nominal);
    for i in 0..work.contours.len() {
        let id = work.contours[i].id;
        let ends: Vec<Cap> = found.iter().filter(|f| f.contour == id && !leave.contains(&id)).map(|f| f.end).collect();
        if !ends.is_empty() {
            let path = widened(&work.contours[i].path, &ends, width - nominal);
            work.set(i, path);
        }
    }
    !found.is_empty()
}

/// How a segment gives way.
#[derive(Clone, Copy, PartialEq)]
enum Shift {
    /// Not at all.
    Stays,
    /// As a whole.
    By(Vec2),
    /// To a circle so much larger, mm.
    Grows(f64),
    /// It spans what its neighbours leave, with the bulge that it has.
    Spans,
}

/// The path with the sides of each end moved apart by `more` mm in all.
fn widened(path: &Path, ends: &[Cap], more: f64) -> Path {
    let n = path.segments.len();
    let mut shift = vec![Shift::Stays; n];
    for cap in ends {
        let (a, s, b) = (&path.segments[cap.before], &path.segments[cap.end], &path.segments[cap.behind]);
        // A slot closed at both ends names its sides twice, with the same shift.
        match (circle(a), circle(b)) {
            (Some((_, r)), Some((_, q))) => {
                let half = if r > q { more / 2.0 } else { -more / 2.0 };
                (shift[cap.before], shift[cap.behind]) = (Shift::Grows(half), Shift::Grows(-half));
            }
            _ => {
                let along = s.direction(0.5) * (more / 2.0);
                (shift[cap.before], shift[cap.behind]) = (Shift::By(-along), Shift::By(along));
                // Reliefs go with their sides.
                let mut k = (cap.before + 1) % n;
                while k != cap.end {
                    shift[k] = Shift::By(-along);
                    k = (k + 1) % n;
                }
                k = (cap.end + 1) % n;
                while k != cap.behind {
                    shift[k] = Shift::By(along);
                    k = (k + 1) % n;
                }
            }
        }
        if !s.is_line() {
            shift[cap.end] = Shift::Spans;
        }
    }
    let corners: Vec<Point> = (0..n)
        .map(|i| {
            let before = (i + n - 1) % n;
            corner((&path.segments[before], shift[before]), (&path.segments[i], shift[i]))
        })
        .collect();
    let segment = |i: usize| {
        let (s, start, end) = (&path.segments[i], corners[i], corners[(i + 1) % n]);
        let moved = start != s.start || end != s.end;
        let bulge = match (circle(s), shift[i]) {
            (None, _) | (_, Shift::Spans) => s.bulge,
            _ if !moved => s.bulge,
            (Some((center, _)), by) => {
                let center = if let Shift::By(by) = by { center + by } else { center };
                swept(center, start, end, s.bulge)
            }
        };
        Segment { start, end, bulge }
    };
    Path::new((0..n).map(segment).collect(), true)
}

/// The bulge of an arc about a centre, that turns the way and about as far as it did.
fn swept(center: Point, start: Point, end: Point, was: f64) -> f64 {
    use std::f64::consts::TAU;
    let (a, b) = ((start - center).atan2(), (end - center).atan2());
    let sweep = if was > 0.0 { (b - a).rem_euclid(TAU) } else { -(a - b).rem_euclid(TAU) };
    (sweep / 4.0).tan()
}

/// Where two segments meet once they have given way: where their lines or circles do, nearest to where they met.
fn corner((a, by_a): (&Segment, Shift), (b, by_b): (&Segment, Shift)) -> Point {
    let at = b.start;
    if by_a == by_b {
        return if let Shift::By(by) = by_a { at + by } else { at };
    }
    // What spans has no line of its own: its neighbour's end says where.
    let of = |s: &Segment, by: Shift| match (circle(s), by) {
        (Some((c, r)), Shift::Grows(more)) => c + (at - c) * ((r + more) / r),
        (_, Shift::By(by)) => at + by,
        _ => at,
    };
    match (by_a, by_b) {
        (Shift::Spans, _) => return of(b, by_b),
        (_, Shift::Spans) => return of(a, by_a),
        _ => {}
    }
    let near = of(a, by_a).midpoint(of(b, by_b));
    let carrier = |s: &Segment, by: Shift| match (circle(s), by) {
        (Some((c, r)), Shift::Grows(more)) => Carrier::Circle(c, r + more),
        (Some((c, r)), Shift::By(by)) => Carrier::Circle(c + by, r),
        (Some((c, r)), _) => Carrier::Circle(c, r),
        (None, Shift::By(by)) => Carrier::Line(s.start + by, s.end - s.start),
        (None, _) => Carrier::Line(s.start, s.end - s.start),
    };
    carrier(a, by_a).meets(&carrier(b, by_b)).into_iter().min_by(|p, q| p.distance(near).total_cmp(&q.distance(near))).unwrap_or(near)
}

/// What a segment is a piece of.
enum Carrier {
    Line(Point, Vec2),
    Circle(Point, f64),
}

impl Carrier {
    fn meets(&self, other: &Self) -> Vec<Point> {
        match (self, other) {
            (Self::Line(p, u), Self::Line(q, v)) => {
                let cross = u.cross(*v);
                if cross.abs() < 1e-9 * u.hypot() * v.hypot() { Vec::new() } else { vec![*p + *u * ((*q - *p).cross(*v) / cross)] }
            }
            (Self::Line(p, u), Self::Circle(c, r)) | (Self::Circle(c, r), Self::Line(p, u)) => {
                let unit = *u / u.hypot();
                let foot = *p + unit * unit.dot(*c - *p);
                let half = r * r - foot.distance(*c).powi(2);
                if half < 0.0 { Vec::new() } else { vec![foot + unit * half.sqrt(), foot - unit * half.sqrt()] }
            }
            (Self::Circle(c, r), Self::Circle(d, q)) => {
                let (apart, unit) = (c.distance(*d), (*d - *c) / c.distance(*d).max(1e-12));
                let along = (apart * apart + r * r - q * q) / (2.0 * apart.max(1e-12));
                let half = r * r - along * along;
                let (foot, side) = (*c + unit * along, unit.turn_90() * half.max(0.0).sqrt());
                if half < 0.0 { Vec::new() } else { vec![foot + side, foot - side] }
            }
        }
    }
}

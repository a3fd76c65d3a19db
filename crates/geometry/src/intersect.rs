//! Where two segments meet, and where they run along each other.

use super::Segment;
use kurbo::Point;

/// A point that two segments share, as shares of their lengths.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Meeting {
    /// Share of the first segment's length, 0 to 1.
    pub on_first: f64,
    /// Share of the second segment's length, 0 to 1.
    pub on_second: f64,
    /// The point.
    pub point: Point,
}

/// Points that two segments share, at most two; none where they run along each other. Ends count when they are nearer
/// than `same` mm to the other segment.
///
/// ```
/// # use boustrophe_geometry::*;
/// let line = Segment::line(Point::new(-20.0, 6.0), Point::new(20.0, 6.0));
/// let half = Segment::circle(Point::ZERO, 10.0)[0];
/// let at: Vec<f64> = meetings(&line, &half, 1e-6).iter().map(|m| m.point.x.round()).collect();
/// assert_eq!(at.len(), 2);
/// assert!(at.contains(&-8.0) && at.contains(&8.0));
/// ```
pub fn meetings(a: &Segment, b: &Segment, same: f64) -> Vec<Meeting> {
    // An arc that rises less than this over its chord is a line, to begin with: its centre is too far off for any figures.
    let straight = |s: &Segment| s.is_line() || s.bulge.abs() * s.chord() < 2.0 * FLAT_RISE;
    let candidates = match (straight(a), straight(b)) {
        (true, true) => line_line(a, b),
        (true, false) => line_circle(a, b),
        (false, true) => line_circle(b, a),
        (false, false) => circle_circle(a, b),
    };
    candidates
        .into_iter()
        .flatten()
        .filter_map(|p| {
            let near = |p: Point| a.distance(p).max(b.distance(p));
            let p = if near(p) > same && near(p) < ROUGH { refined(p, a, b) } else { p };
            (near(p) <= same).then(|| Meeting { on_first: a.nearest(p), on_second: b.nearest(p), point: p })
        })
        .collect()
}

/// Where on the first of two segments it comes nearest to the second, and how near, mm: 0 where they meet.
///
/// ```
/// # use boustrophe_geometry::*;
/// let (a, b) = (Segment::line(Point::ZERO, Point::new(10.0, 0.0)), Segment::line(Point::new(4.0, 3.0), Point::new(4.0, 9.0)));
/// let (at, distance) = apart(&a, &b);
/// assert!((distance - 3.0).abs() < 1e-9 && at.distance(Point::new(4.0, 0.0)).min(at.distance(Point::new(4.0, 3.0))) < 1e-9);
/// ```
pub fn apart(a: &Segment, b: &Segment) -> (Point, f64) {
    let met = meetings(a, b, 1e-9).into_iter().map(|m| m.point);
    let ends = [a.start, a.end, a.at(a.nearest(b.start)), a.at(a.nearest(b.end))];
    // Between their ends they are nearest where the shortest way is square to both: through an arc's centre, along a line's normal.
    let mut square: Vec<Point> = Vec::new();
    if !b.is_line() {
        let centre = b.center();
        square.push(a.at(a.nearest(centre)));
        if !a.is_line()
            && let Some(way) = unit(a.center() - centre)
        {
            square.extend([a.center() + way * a.radius(), a.center() - way * a.radius()]);
        }
    } else if !a.is_line()
        && let Some(way) = unit(b.end - b.start)
    {
        let normal = way.turn_90() * a.radius();
        square.extend([a.center() + normal, a.center() - normal]);
    }
    let square = square.into_iter().map(|p| a.at(a.nearest(p)));
    let all = met.chain(ends).chain(square).map(|p| (p, b.distance(p)));
    all.min_by(|p, q| p.1.total_cmp(&q.1)).unwrap_or((a.start, f64::INFINITY))
}

fn unit(way: kurbo::Vec2) -> Option<kurbo::Vec2> {
    (way.hypot() > 1e-12).then(|| way.normalize())
}

/// See [`meetings`], mm.
const FLAT_RISE: f64 = 1e-4;
/// A point that is nearer than this, mm, to both is a meeting or next to one: circles of kilometres leave so few figures.
const ROUGH: f64 = 0.05;

/// The meeting next to `p`, by Newton's method: where the tangents of both meet, again and again.
fn refined(mut p: Point, a: &Segment, b: &Segment) -> Point {
    for _ in 0..4 {
        let (t, u) = (a.nearest(p), b.nearest(p));
        let (way, other) = (a.direction(t), b.direction(u));
        let cross = way.cross(other);
        if cross.abs() < 1e-6 {
            break;
        }
        let from = a.at(t);
        p = from + way * ((b.at(u) - from).cross(other) / cross);
    }
    p
}

fn line_line(a: &Segment, b: &Segment) -> [Option<Point>; 2] {
    let (r, s) = (a.end - a.start, b.end - b.start);
    let cross = r.cross(s);
    if cross.abs() <= 1e-9 * r.hypot() * s.hypot() {
        return [None; 2];
    }
    [Some(a.start + r * ((b.start - a.start).cross(s) / cross)), None]
}

fn line_circle(line: &Segment, arc: &Segment) -> [Option<Point>; 2] {
    let (c, r) = (arc.center(), arc.radius());
    let along = line.end - line.start;
    let length = along.hypot();
    if length == 0.0 {
        return [None; 2];
    }
    let way = along / length;
    let foot = line.start + way * (c - line.start).dot(way);
    let off2 = r * r - foot.distance_squared(c);
    // A line that only grazes the circle touches it in one point.
    if off2 < -1e-9 * r.max(1.0) {
        return [None; 2];
    }
    let off = off2.max(0.0).sqrt();
    [Some(foot + way * off), (off > 0.0).then(|| foot - way * off)]
}

fn circle_circle(a: &Segment, b: &Segment) -> [Option<Point>; 2] {
    let ((c, r), (d, s)) = ((a.center(), a.radius()), (b.center(), b.radius()));
    let between = d - c;
    let distance = between.hypot();
    if distance < 1e-9 || distance > r + s + 1e-9 || distance < (r - s).abs() - 1e-9 {
        return [None; 2];
    }
    let along = (distance * distance + r * r - s * s) / (2.0 * distance);
    let off = (r * r - along * along).max(0.0).sqrt();
    let (way, side) = (between / distance, between.turn_90() / distance);
    let foot = c + way * along;
    [Some(foot + side * off), (off > 0.0).then(|| foot - side * off)]
}

/// The stretch of `a`, in shares of its length, along which `b` runs within `near` mm; `None` where they only meet.
/// Lines go with lines and arcs with arcs of the same circle.
pub fn alongside(a: &Segment, b: &Segment, near: f64) -> Option<(f64, f64)> {
    let (from, to) = match (a.is_line(), b.is_line()) {
        (true, true) => along_line(a, b, near)?,
        (false, false) => along_arc(a, b, near)?,
        _ => return None,
    };
    let (from, to) = (from.clamp(0.0, 1.0), to.clamp(0.0, 1.0));
    // Ends that touch are no common stretch.
    ((to - from) * a.length() > 4.0 * near).then_some((from, to))
}

fn along_line(a: &Segment, b: &Segment, near: f64) -> Option<(f64, f64)> {
    let along = a.end - a.start;
    let length = along.hypot();
    if length <= 0.0 {
        return None;
    }
    let way = along / length;
    let place = |p: Point| ((p - a.start).dot(way), (p - a.start).cross(way));
    let ((s0, d0), (s1, d1)) = (place(b.start), place(b.end));
    let (low, high) = (s0.min(s1).max(0.0), s0.max(s1).min(length));
    if high <= low || (s1 - s0).abs() < 1e-12 {
        return None;
    }
    // How far apart they are where the common stretch begins and ends.
    let apart = |s: f64| (d0 + (d1 - d0) * (s - s0) / (s1 - s0)).abs();
    (apart(low) <= near && apart(high) <= near).then_some((low / length, high / length))
}

fn along_arc(a: &Segment, b: &Segment, near: f64) -> Option<(f64, f64)> {
    let (c, r) = (a.center(), a.radius());
    if c.distance(b.center()) > near || (r - b.radius()).abs() > near {
        return None;
    }
    let turn = a.sweep();
    let from = (a.start - c).atan2();
    // Angle from the start of a in its own sense, for both ends and the middle of b.
    let place = |p: Point| {
        let angle = ((p - c).atan2() - from) * turn.signum();
        let angle = angle.rem_euclid(std::f64::consts::TAU);
        // Just before the start counts as before it, not as nearly once round.
        if angle > std::f64::consts::TAU - near / r { angle - std::f64::consts::TAU } else { angle }
    };
    let half = b.sweep().abs() / 2.0;
    let middle = place(b.at(0.5));
    let total = turn.abs();
    // b may reach over the start of a from behind: look at it one turn back too.
    [middle, middle - std::f64::consts::TAU]
        .into_iter()
        .map(|m| ((m - half).max(0.0), (m + half).min(total)))
        .filter(|(low, high)| high > low)
        .max_by(|x, y| (x.1 - x.0).total_cmp(&(y.1 - y.0)))
        .map(|(low, high)| (low / total, high / total))
}

//! Curves to the fewest lines and arcs within a tolerance.
//!
//! Runs of smoothly joined curves are covered greedily: from where the last piece ended, the longest stretch is sought
//! (galloping, then halving) that a line, one arc, or a biarc follows within the tolerance. A biarc is two arcs that
//! share a tangent where they meet and keep the curve's tangents at both ends (Bolton, "Biarc curves", Computer-Aided
//! Design 7, 1975), so that the machine never meets a kink that was not drawn.

use super::curve::{Curve, Piece};
use super::{Bounds, Path, Segment};
use kurbo::{Point, Vec2};

/// Directions that differ by less than this are one direction: half a degree.
const SMOOTH: f64 = 0.0087;
/// Greatest number of curve pieces that one arc may stand for.
const REACH: f64 = 48.0;

/// A curve is followed to this share of its size at the finest: an ellipse of a kilometre is no part, and nobody waits for it.
const FINEST: f64 = 1e-7;
/// Curves smaller than this, mm, are a point.
const NOTHING: f64 = 1e-9;

/// Lines and arcs that follow `curves` within `tolerance` mm, in order. Lines and circular arcs come through exactly.
/// Gaps between consecutive curves stay gaps.
pub fn fit_curves(curves: &[Curve], tolerance: f64) -> Vec<Segment> {
    let mut out: Vec<Segment> = Vec::with_capacity(curves.len());
    let mut run: Vec<Piece> = Vec::new();
    for curve in curves {
        if let Some(exact) = curve.exact() {
            fit_run(&mut run, tolerance, &mut out);
            out.extend(exact);
            continue;
        }
        for piece in curve.pieces() {
            if let Some(arcs) = piece.quarter(tolerance) {
                fit_run(&mut run, tolerance, &mut out);
                out.extend(arcs);
                continue;
            }
            let (start, ahead) = piece.at(0.0);
            let broken = run.last().is_some_and(|last| {
                let (end, behind) = last.at(1.0);
                end.distance(start) > 1e-6 || behind.dot(ahead) < SMOOTH.cos()
            });
            if broken {
                fit_run(&mut run, tolerance, &mut out);
            }
            run.push(piece);
        }
    }
    fit_run(&mut run, tolerance, &mut out);
    merged(out, tolerance)
}

fn fit_run(run: &mut Vec<Piece>, tolerance: f64, out: &mut Vec<Segment>) {
    if run.is_empty() {
        return;
    }
    let size = run.iter().map(super::curve::Piece::bounds).fold(Bounds::EMPTY, Bounds::union);
    let extent = size.width().max(size.height()).max(0.0);
    if extent < NOTHING {
        let at = run.drain(..).next().map_or(Point::ZERO, |p| p.at(0.0).0);
        return out.push(Segment::line(at, at));
    }
    let finest = extent * FINEST;
    let run = Run { pieces: std::mem::take(run), tolerance: tolerance.max(finest) };
    if let Some(circle) = run.circle() {
        out.extend(circle);
        return;
    }
    let end = run.pieces.len() as f64;
    let (mut from, mut stride) = (Node { at: 0.0, lean: 0.0 }, 0.25);
    while from.at < end - 1e-9 {
        let (to, segments) = run.longest(from, stride, end);
        out.extend(segments);
        stride = to.at - from.at;
        from = to;
    }
}

/// Where one arc gives way to the next: a parameter of the run, and by how much the tangent there leans from the curve's,
/// radians.
///
/// Arcs that touch the curve at both ends swing to one side and back only once in two of them. Where the curve bends ever
/// more (curvature rising by κ' a length), arcs of length l that lean by κ' l² / 12 at each joint swing to both sides and
/// come no further from it than κ' l³ / (72 √3): a third as far as arcs without lean, so each reaches half as far again.
#[derive(Clone, Copy, Debug)]
struct Node {
    at: f64,
    lean: f64,
}

/// No joint leans by more than this, radians.
const MOST_LEAN: f64 = 0.06;

/// Smoothly joined pieces under one parameter: piece i runs from i to i + 1.
struct Run {
    pieces: Vec<Piece>,
    tolerance: f64,
}

impl Run {
    /// Point and direction at `u`; at a joint `ending` takes the piece before it.
    fn at(&self, u: f64, ending: bool) -> (Point, Vec2) {
        let whole = if ending { (u - 1e-12).floor() } else { (u + 1e-12).floor() };
        let i = (whole.max(0.0) as usize).min(self.pieces.len() - 1);
        self.pieces[i].at((u - i as f64).clamp(0.0, 1.0))
    }

    /// Two half circles when the whole run is one circle.
    fn circle(&self) -> Option<[Segment; 2]> {
        let n = self.pieces.len() as f64;
        let ((start, ahead), (end, behind)) = (self.at(0.0, false), self.at(n, true));
        if start.distance(end) > self.tolerance || ahead.dot(behind) < SMOOTH.cos() {
            return None;
        }
        let (a, b, c) = (start, self.at(n / 3.0, false).0, self.at(n * 2.0 / 3.0, false).0);
        let (center, radius) = circle_through(a, b, c)?;
        let steps = self.pieces.len() * 8;
        let mut turned = 0.0;
        let mut last = start - center;
        for i in 1..=steps {
            let arm = self.at(n * i as f64 / steps as f64, true).0 - center;
            if (arm.hypot() - radius).abs() > self.tolerance {
                return None;
            }
            turned += last.cross(arm).atan2(last.dot(arm));
            last = arm;
        }
        if (turned.abs() - std::f64::consts::TAU).abs() > 0.1 {
            return None;
        }
        let half = Segment::arc(center, radius, (start - center).atan2(), std::f64::consts::PI.copysign(turned));
        Some([half, Segment { start: half.end, end: half.start, bulge: half.bulge }])
    }

    /// The furthest parameter reachable from `from` with one line, arc or biarc, and that piece.
    fn longest(&self, start: Node, stride: f64, end: f64) -> (Node, Vec<Segment>) {
        let from = start.at;
        let limit = end.min(from + REACH);
        let mut good: Option<(Node, Vec<Segment>)> = None;
        let mut step = stride.max(1e-3);
        let mut bad;
        loop {
            let to = (from + step).min(limit);
            match self.reach(start, to, end) {
                Some(found) if to >= limit => return found,
                Some(found) => {
                    good = Some(found);
                    step *= 2.0;
                }
                None => {
                    bad = to;
                    if good.is_some() || step < 1e-5 {
                        break;
                    }
                    step /= 4.0;
                }
            }
        }
        let Some((mut to, mut found)) = good else {
            // Nothing follows it even over a hair's breadth (a cusp): one straight step past it.
            let to = (from + 2e-4).min(end);
            return (Node { at: to, lean: 0.0 }, vec![Segment::line(self.at(from, false).0, self.at(to, true).0)]);
        };
        for _ in 0..9 {
            let middle = f64::midpoint(to.at, bad);
            match self.reach(start, middle, end) {
                Some(better) => (to, found) = better,
                None => bad = middle,
            }
        }
        (to, found)
    }

    /// From a node to a parameter: with the lean that suits the next arcs, else with none.
    fn reach(&self, start: Node, to: f64, end: f64) -> Option<(Node, Vec<Segment>)> {
        let lean = if to < end - 1e-9 { self.lean(start.at, to) } else { 0.0 };
        let leaning = (lean != 0.0).then_some(Node { at: to, lean }).and_then(|node| Some((node, self.cover(start, node)?)));
        let straight = || {
            let node = Node { at: to, lean: 0.0 };
            Some((node, self.cover(start, node)?))
        };
        leaning.or_else(straight)
    }

    /// The lean that arcs as long as half of this stretch want at its end: −κ' l² / 12, with κ' as it is there.
    fn lean(&self, from: f64, to: f64) -> f64 {
        let h = (to - from) * 0.25;
        let end = self.pieces.len() as f64;
        let (before, after) = ((to - 2.0 * h).max(0.0), (to + 2.0 * h).min(end));
        let (low, middle, high) = (self.at(before, false), self.at(to, false), self.at(after, true));
        let turn = |a: Vec2, b: Vec2| a.cross(b).atan2(a.dot(b));
        let (first, second) = (middle.0.distance(low.0), high.0.distance(middle.0));
        if first < 1e-9 || second < 1e-9 {
            return 0.0;
        }
        let rise = (turn(middle.1, high.1) / second - turn(low.1, middle.1) / first) / (0.5 * (first + second));
        let arc = first.max(self.at(from, false).0.distance(middle.0) / 2.0);
        let lean = -rise * arc * arc / 12.0;
        if lean.abs() > MOST_LEAN { 0.0 } else { lean }
    }

    /// A line, an arc or a biarc from `from` to `to` that stays within the tolerance, or `None`.
    fn cover(&self, start: Node, node: Node) -> Option<Vec<Segment>> {
        let (from, to) = (start.at, node.at);
        let ((p, ahead), (q, arriving)) = (self.at(from, false), self.at(to, true));
        let leaning =
            |v: Vec2, by: f64| if by == 0.0 { v } else { Vec2::new(v.x * by.cos() - v.y * by.sin(), v.x * by.sin() + v.y * by.cos()) };
        let (ahead, arriving) = (leaning(ahead, start.lean), leaning(arriving, node.lean));
        // Close enough that what bulges between two samples stays well below the tolerance.
        let samples = (20 + 12 * ((to - from).ceil() as usize)).min(512);
        let points: Vec<Point> = (1..samples).map(|i| self.at(from + (to - from) * i as f64 / samples as f64, false).0).collect();
        let walked =
            points.windows(2).map(|w| w[0].distance(w[1])).sum::<f64>() + p.distance(*points.first()?) + points.last()?.distance(q);
        let follows = |segments: &[Segment]| {
            let length: f64 = segments.iter().map(Segment::length).sum();
            (length - walked).abs() <= 0.02 * walked + self.tolerance && {
                let bands: Vec<Band> = segments.iter().map(|s| Band::new(s, self.tolerance)).collect();
                points.iter().all(|x| bands.iter().any(|b| b.has(*x)))
            }
        };
        let line = [Segment::line(p, q)];
        if follows(&line) {
            return Some(line.to_vec());
        }
        if p.distance(q) < 1e-9 {
            return None;
        }
        let arc = Segment::tangent_arc(p, ahead, q);
        if arc.direction(1.0).dot(arriving) > SMOOTH.cos() && arc.bulge.abs() < 1.0 && follows(&[arc]) {
            return Some(vec![arc]);
        }
        let pair = biarc(p, ahead, q, arriving)?;
        let pair = joined_on_the_curve(&points, pair, ahead, arriving).unwrap_or(pair);
        follows(&pair).then(|| pair.to_vec())
    }
}

/// The biarc with the same ends and tangents whose joint lies on the curve given by `points`: all joints that are possible
/// lie on one circle through the ends (Bolton, as above), and where the curve crosses it the arcs follow best.
fn joined_on_the_curve(points: &[Point], pair: [Segment; 2], ahead: Vec2, arriving: Vec2) -> Option<[Segment; 2]> {
    let (p, q) = (pair[0].start, pair[1].end);
    let (center, radius) = circle_through(p, pair[0].end, q)?;
    let off = |x: &Point| x.distance(center) - radius;
    // Of the crossings the one nearest to the middle.
    let crossings = (1..points.len()).filter(|i| (off(&points[i - 1]) > 0.0) != (off(&points[*i]) > 0.0));
    let i = crossings.min_by_key(|i| (2 * i).abs_diff(points.len()))?;
    let (a, b) = (off(&points[i - 1]), off(&points[i]));
    let crossing = points[i - 1].lerp(points[i], a / (a - b));
    let arm = crossing - center;
    if arm.hypot() < 1e-12 {
        return None;
    }
    let joint = center + arm * (radius / arm.hypot());
    if joint.distance(p) < 1e-9 || joint.distance(q) < 1e-9 {
        return None;
    }
    let pair = [Segment::tangent_arc(p, ahead, joint), Segment::tangent_arc(q, -arriving, joint).reversed()];
    pair.iter().all(|s| s.bulge.abs() < 0.9).then_some(pair)
}

/// What is within a distance of a segment, ready to be asked for many points: no angles are taken.
struct Band {
    segment: Segment,
    center: Point,
    /// Squares of the least and greatest distance from the centre, for an arc of at most half a turn.
    ring: Option<(f64, f64)>,
    /// Arms from the centre to the start and the end, in the sense of the turn.
    arms: (Vec2, Vec2),
    tolerance: f64,
}

impl Band {
    fn new(segment: &Segment, tolerance: f64) -> Self {
        let round = !segment.is_line() && segment.bulge.abs() <= 1.0;
        let (center, radius) = if round { (segment.center(), segment.radius()) } else { (Point::ZERO, 0.0) };
        let (a, b) = (segment.start - center, segment.end - center);
        let least = (radius - tolerance).max(0.0);
        Self {
            segment: *segment,
            center,
            ring: round.then_some((least * least, (radius + tolerance) * (radius + tolerance))),
            arms: if segment.bulge > 0.0 { (a, b) } else { (b, a) },
            tolerance,
        }
    }

    fn has(&self, p: Point) -> bool {
        let Some((least, most)) = self.ring else { return self.segment.distance(p) <= self.tolerance };
        let arm = p - self.center;
        if self.arms.0.cross(arm) >= 0.0 && arm.cross(self.arms.1) >= 0.0 {
            return (least..=most).contains(&arm.hypot2());
        }
        // Beside the arc its nearer end counts.
        p.distance(self.segment.start).min(p.distance(self.segment.end)) <= self.tolerance
    }
}

/// Two arcs from `p` along `a` to `q` along `b` (unit directions) that join smoothly, with equal control lengths.
///
/// ```
/// # use boustrophe_geometry::*;
/// // From one heading to the same heading, 10 mm to the side: two arcs that meet in the middle.
/// let [a, b] = biarc(Point::ZERO, Vec2::new(1.0, 0.0), Point::new(20.0, 10.0), Vec2::new(1.0, 0.0)).expect("arcs");
/// assert!(a.end.distance(b.start) < 1e-9 && a.direction(1.0).dot(b.direction(0.0)) > 1.0 - 1e-9);
/// ```
pub fn biarc(p: Point, a: Vec2, q: Point, b: Vec2) -> Option<[Segment; 2]> {
    let v = q - p;
    let sum = a + b;
    let spread = 2.0 * (1.0 - a.dot(b));
    let reach = if spread > 1e-9 {
        let vt = v.dot(sum);
        (-vt + (vt * vt + spread * v.hypot2()).sqrt()) / spread
    } else {
        let along = v.dot(b);
        if along <= 0.0 {
            return None;
        }
        v.hypot2() / (4.0 * along)
    };
    let joint = (p + a * reach).midpoint(q - b * reach);
    let pair = [Segment::tangent_arc(p, a, joint), Segment::tangent_arc(q, -b, joint).reversed()];
    pair.iter().all(|s| s.bulge.abs() < 0.9).then_some(pair)
}

/// Centre and radius of the circle through three points; `None` when they lie on a line.
fn circle_through(a: Point, b: Point, c: Point) -> Option<(Point, f64)> {
    let (ab, ac) = (b - a, c - a);
    let cross = 2.0 * ab.cross(ac);
    if cross.abs() < 1e-12 {
        return None;
    }
    let arm = Vec2::new(ac.y * ab.hypot2() - ab.y * ac.hypot2(), ab.x * ac.hypot2() - ac.x * ab.hypot2()) / cross;
    Some((a + arm, arm.hypot()))
}

/// Joins neighbours that are one line or lie on one circle.
fn merged(segments: Vec<Segment>, tolerance: f64) -> Vec<Segment> {
    let mut out: Vec<Segment> = Vec::with_capacity(segments.len());
    for s in segments {
        if let Some(last) = out.last_mut().filter(|l| !l.is_line() && !s.is_line() && l.end.distance(s.start) < 1e-6) {
            let turn = last.sweep() + s.sweep();
            let same = last.center().distance(s.center()) < tolerance / 10.0 && (last.radius() - s.radius()).abs() < tolerance / 10.0;
            if same && last.bulge.signum() == s.bulge.signum() && turn.abs() < 1.2 * std::f64::consts::PI {
                *last = Segment { start: last.start, end: s.end, bulge: (turn / 4.0).tan() };
                continue;
            }
        }
        out.push(s);
    }
    out
}

impl Path {
    /// The path of `curves`, fitted within `tolerance` mm; ends that miss by rounding are brought together.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // A quarter of a circle as a Bezier curve comes back as one arc.
    /// let k = 0.552_284_749_8;
    /// let bent = kurbo::CubicBez::new((10.0, 0.0), (10.0, 10.0 * k), (10.0 * k, 10.0), (0.0, 10.0));
    /// let path = Path::fitted(&[Curve::Cubic(bent)], false, 0.02);
    /// assert!(path.segments.len() == 1 && (path.segments[0].radius() - 10.0).abs() < 0.02);
    /// ```
    pub fn fitted(curves: &[Curve], closed: bool, tolerance: f64) -> Self {
        let mut segments = fit_curves(curves, tolerance);
        for i in 1..segments.len() {
            if segments[i].start.distance(segments[i - 1].end) < 1e-6 {
                segments[i].start = segments[i - 1].end;
            }
        }
        if closed && segments.len() > 1 {
            let start = segments[0].start;
            if let Some(last) = segments.last_mut().filter(|l| l.end.distance(start) < 1e-6) {
                last.end = start;
            }
            // One arc that was begun in its middle is whole again; two half circles stay two.
            let (first, last) = (segments[0], segments[segments.len() - 1]);
            if segments.len() > 2
                && last.end == start
                && let [one] = merged(vec![last, first], tolerance)[..]
            {
                segments[0] = one;
                segments.pop();
            }
        }
        Self { segments, closed }
    }
}

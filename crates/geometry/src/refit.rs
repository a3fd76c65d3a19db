//! Polylines of many short edges to few lines and arcs.
//!
//! From every joint that was reached, the longest run of edges is sought (galloping, then halving) that one line or one arc
//! through three of its points follows: all corners and the middles of all edges lie within the tolerance. A hexagon stays
//! a hexagon, since the middles of its edges are far from its circle; a circle of a thousand edges becomes two half circles.

use super::{Path, Segment};
use kurbo::Point;

/// An arc stands for at least this many edges; fewer may have been meant as corners.
const LEAST_EDGES: usize = 4;
/// A corner sharper than this stays, radians: half a degree for a smooth curve is far below it.
const SHARP: f64 = 0.6;
/// Edges of one arc differ in length by this factor at most, so that a long straight does not lean into a curve.
const UNEVEN: f64 = 6.0;

impl Path {
    /// The path with its runs of straight edges followed by the fewest lines and arcs within `tolerance` mm. Arcs that it
    /// already has, and corners, stay.
    pub fn refitted(&self, tolerance: f64) -> Self {
        if self.segments.len() < LEAST_EDGES {
            return self.clone();
        }
        if let Some(circle) = self.round(tolerance) {
            return circle;
        }
        let path = self.begun_at_a_corner();
        let mut out: Vec<Segment> = Vec::new();
        let mut run: Vec<Point> = Vec::new();
        for s in &path.segments {
            let broken = !s.is_line() || run.len() > 1 && corner(run[run.len() - 2], run[run.len() - 1], s.end, tolerance);
            if broken {
                fit_run(&run, tolerance, &mut out);
                run.clear();
            }
            if s.is_line() {
                if run.is_empty() {
                    run.push(s.start);
                }
                run.push(s.end);
            } else {
                out.push(*s);
            }
        }
        fit_run(&run, tolerance, &mut out);
        Self { segments: out, closed: path.closed }
    }

    /// Two half circles when every corner and edge of a closed path lies on one circle.
    fn round(&self, tolerance: f64) -> Option<Self> {
        let n = self.segments.len();
        if !self.closed || n < 8 || !self.segments.iter().all(Segment::is_line) {
            return None;
        }
        let center = self.centroid();
        let radii = self.segments.iter().flat_map(|s| [s.start.distance(center), s.at(0.5).distance(center)]);
        let (low, high) = radii.fold((f64::INFINITY, 0.0_f64), |(l, h), r| (l.min(r), h.max(r)));
        if high - low > 2.0 * tolerance || low <= 0.0 {
            return None;
        }
        let circle = Self::circle(center, f64::midpoint(low, high));
        Some(if self.area() < 0.0 { circle.reversed() } else { circle })
    }

    /// A closed path of straight edges, begun at its sharpest corner.
    fn begun_at_a_corner(&self) -> Self {
        let n = self.segments.len();
        if !self.closed {
            return self.clone();
        }
        let turn = |i: usize| self.segments[(i + n - 1) % n].direction(1.0).dot(self.segments[i].direction(0.0));
        let sharpest = (0..n).min_by(|a, b| turn(*a).total_cmp(&turn(*b))).unwrap_or(0);
        let mut segments = self.segments.clone();
        segments.rotate_left(sharpest);
        Self { segments, closed: true }
    }
}

/// True when the line a → b → c turns too sharply at b to be part of a curve. Steps shorter than the tolerance are noise.
fn corner(a: Point, b: Point, c: Point, tolerance: f64) -> bool {
    let (came, goes) = (b - a, c - b);
    let turned = came.cross(goes).atan2(came.dot(goes)).abs();
    turned > SHARP && came.hypot().min(goes.hypot()) > 3.0 * tolerance
}

fn fit_run(points: &[Point], tolerance: f64, out: &mut Vec<Segment>) {
    let mut from = 0;
    while from + 1 < points.len() {
        let (to, segment) = longest(points, from, tolerance);
        out.push(segment);
        from = to;
    }
}

fn longest(points: &[Point], from: usize, tolerance: f64) -> (usize, Segment) {
    let last = points.len() - 1;
    let mut best = (from + 1, Segment::line(points[from], points[from + 1]));
    let mut step = 2;
    let mut bad = last + 1;
    while best.0 < last {
        let to = (from + step).min(last);
        match cover(&points[from..=to], tolerance) {
            Some(s) => best = (to, s),
            None if step <= LEAST_EDGES => {}
            None => {
                bad = to;
                break;
            }
        }
        if to == last {
            break;
        }
        step *= 2;
    }
    if bad > last {
        return best;
    }
    while bad - best.0 > 1 {
        let middle = usize::midpoint(best.0, bad);
        match cover(&points[from..=middle], tolerance) {
            Some(s) => best = (middle, s),
            None => bad = middle,
        }
    }
    best
}

/// One line, or one arc, from the first to the last point that follows all edges between.
fn cover(points: &[Point], tolerance: f64) -> Option<Segment> {
    let (first, last) = (points[0], points[points.len() - 1]);
    let middles = || points.windows(2).map(|w| w[0].midpoint(w[1]));
    let follows = |s: &Segment| points.iter().copied().chain(middles()).all(|p| s.distance(p) <= tolerance);
    let line = Segment::line(first, last);
    if follows(&line) && forward(points, &line) {
        return Some(line);
    }
    if points.len() <= LEAST_EDGES || uneven(points) {
        return None;
    }
    let arc = Segment::through(first, points[points.len() / 2], last)?;
    (arc.bulge.abs() < 1.2 && follows(&arc) && forward(points, &arc)).then_some(arc)
}

fn uneven(points: &[Point]) -> bool {
    let lengths = points.windows(2).map(|w| w[0].distance(w[1]));
    // The first and last edge may be cut short.
    let inner = lengths.skip(1).take(points.len().saturating_sub(3));
    let (low, high) = inner.fold((f64::INFINITY, 0.0_f64), |(l, h), d| (l.min(d), h.max(d)));
    high > UNEVEN * low
}

/// True when the points run along the segment without turning back.
fn forward(points: &[Point], s: &Segment) -> bool {
    let mut before = -1e-9;
    points.iter().all(|p| {
        let t = s.nearest(*p);
        let on = t >= before - 1e-9;
        before = t;
        on
    })
}

impl Segment {
    /// The arc from `a` over `b` to `c`, a line where they lie on one; `None` when two of them are one point.
    pub fn through(a: Point, b: Point, c: Point) -> Option<Self> {
        let (ab, bc, ac) = (b - a, c - b, c - a);
        if ab.hypot() < 1e-12 || bc.hypot() < 1e-12 || ac.hypot() < 1e-12 {
            return None;
        }
        // The angle between the chords at b is half of what the arc turns, and four times the bulge's angle is the turn.
        let turned = ab.cross(bc).atan2(ab.dot(bc));
        Some(Self { start: a, end: c, bulge: (turned / 2.0).tan() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::Vec2;
    use proptest::prelude::*;

    fn ring(n: usize, r: f64) -> Path {
        Path::polygon(&(0..n).map(|i| (r * Vec2::from_angle(i as f64 / n as f64 * std::f64::consts::TAU)).to_point()).collect::<Vec<_>>())
    }

    #[test]
    fn a_circle_of_many_edges_is_a_circle_and_a_hexagon_a_hexagon() {
        assert_eq!(ring(360, 50.0).refitted(0.02).segments.len(), 2);
        assert_eq!(ring(6, 50.0).refitted(0.02).segments.len(), 6);
        assert_eq!(ring(12, 50.0).refitted(0.02).segments.len(), 12);
    }

    #[test]
    fn a_rounded_plate_comes_back_as_eight_pieces() {
        let mut points = Vec::new();
        for (k, (x, y)) in [(90.0, 10.0), (90.0, 50.0), (10.0, 50.0), (10.0, 10.0)].into_iter().enumerate() {
            points.extend(
                (0..=40).map(|i| {
                    Point::new(x, y) + 10.0 * Vec2::from_angle((f64::from(i) / 40.0 + k as f64 - 1.0) * std::f64::consts::FRAC_PI_2)
                }),
            );
        }
        let fitted = Path::polygon(&points).refitted(0.02);
        let arcs: Vec<f64> = fitted.segments.iter().filter(|s| !s.is_line()).map(Segment::radius).collect();
        assert!(fitted.segments.len() <= 9 && arcs.len() >= 4, "{fitted:?}");
        assert!(arcs.iter().all(|r| (r - 10.0).abs() < 0.2), "{arcs:?}");
    }

    #[test]
    fn stairs_of_a_tracing_become_slopes_within_their_step() {
        let points: Vec<Point> = (0..200).map(|i| Point::new(f64::from(i / 2 + i % 2) * 0.1, f64::from(i / 2) * 0.1)).collect();
        let segments = points.windows(2).map(|w| Segment::line(w[0], w[1])).collect();
        assert_eq!(Path::new(segments, false).refitted(0.08).segments.len(), 1);
    }

    proptest! {
        /// Whatever the polyline: every corner stays within the tolerance, ends stay, nothing is torn.
        #[test]
        fn refitting_stays_within_tolerance(turns in prop::collection::vec((-0.9..0.9_f64, 0.05..3.0_f64), 3..120), tolerance in 0.005..0.2_f64) {
            let (mut at, mut way) = (Point::ZERO, 0.0);
            let mut points = vec![at];
            for (turn, step) in turns {
                way += turn;
                at += step * Vec2::from_angle(way);
                points.push(at);
            }
            let path = Path::new(points.windows(2).map(|w| Segment::line(w[0], w[1])).collect(), false);
            let fitted = path.refitted(tolerance);
            prop_assert!(fitted.segments.len() <= path.segments.len());
            prop_assert!(fitted.segments.windows(2).all(|w| w[0].end == w[1].start));
            prop_assert_eq!(fitted.segments[0].start, points[0]);
            prop_assert_eq!(fitted.segments[fitted.segments.len() - 1].end, points[points.len() - 1]);
            for p in &points {
                prop_assert!(fitted.nearest(*p).distance <= tolerance + 1e-9);
            }
        }
    }
}

//! A chain of lines and arcs.

use super::segment::{Bounds, Segment};
use kurbo::{Affine, Point, Vec2};
use serde::{Deserialize, Serialize};

/// Segments end to start, in mm; when `closed` the last ends where the first starts.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Path {
    /// The pieces in order of travel.
    pub segments: Vec<Segment>,
    /// True for an outline, false for a line with two ends.
    pub closed: bool,
}

/// Where on a path something lies.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Nearest {
    /// Length along the path from its start, mm.
    pub along: f64,
    /// Distance to it, mm.
    pub distance: f64,
    /// The point itself.
    pub point: Point,
}

impl Path {
    /// A path from its pieces.
    pub fn new(segments: Vec<Segment>, closed: bool) -> Self {
        Self { segments, closed }
    }
    /// A closed outline of straight edges.
    pub fn polygon(points: &[Point]) -> Self {
        let segments = (0..points.len()).map(|i| Segment::line(points[i], points[(i + 1) % points.len()])).collect();
        Self { segments, closed: true }
    }
    /// A rectangle, anticlockwise from its lower left corner.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let plate = Path::rectangle(10.0, 20.0, 80.0, 50.0);
    /// assert_eq!((plate.area(), plate.length()), (4000.0, 260.0));
    /// ```
    pub fn rectangle(x: f64, y: f64, width: f64, height: f64) -> Self {
        Self::polygon(&[Point::new(x, y), Point::new(x + width, y), Point::new(x + width, y + height), Point::new(x, y + height)])
    }
    /// A circle of two half arcs, anticlockwise.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let disc = Path::circle(Point::new(5.0, 5.0), 10.0);
    /// assert!((disc.area() - 100.0 * std::f64::consts::PI).abs() < 1e-9);
    /// assert_eq!(disc.segments.len(), 2);
    /// ```
    pub fn circle(center: Point, radius: f64) -> Self {
        Self { segments: Segment::circle(center, radius).to_vec(), closed: true }
    }
    /// Total length.
    pub fn length(&self) -> f64 {
        self.segments.iter().map(Segment::length).sum()
    }
    /// Box round the path; empty for a path without pieces.
    pub fn bounds(&self) -> Bounds {
        self.segments.iter().fold(Bounds::EMPTY, |b, s| b.union(s.bounds()))
    }
    /// Enclosed area, positive anticlockwise, arcs exact. 0 for an open path.
    pub fn area(&self) -> f64 {
        if !self.closed {
            return 0.0;
        }
        let Some(origin) = self.segments.first().map(|s| s.start) else { return 0.0 };
        self.segments.iter().map(|s| (s.start - origin).cross(s.end - origin) / 2.0 + s.cap_area()).sum()
    }
    /// Centre of the enclosed area, arcs taken by their chords; the middle of the box where there is no area.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let c = Path::rectangle(0.0, 0.0, 80.0, 50.0).centroid();
    /// assert!(c.distance(Point::new(40.0, 25.0)) < 1e-9);
    /// ```
    pub fn centroid(&self) -> Point {
        let Some(origin) = self.segments.first().map(|s| s.start) else { return Point::ZERO };
        let (mut area, mut moment) = (0.0, Vec2::ZERO);
        let mut walk = |a: Point, b: Point| {
            let (a, b) = (a - origin, b - origin);
            let cross = a.cross(b);
            area += cross / 2.0;
            moment += (a + b) * (cross / 6.0);
        };
        for s in &self.segments {
            let steps = s.steps(0.1);
            for i in 0..steps {
                walk(s.at(i as f64 / steps as f64), s.at((i + 1) as f64 / steps as f64));
            }
        }
        if area.abs() < 1e-9 { self.bounds().center() } else { origin + moment / area }
    }
    /// True when `p` is inside the closed outline: whether a ray from it to the right crosses an odd number of times. Arcs
    /// are crossed as arcs, so that points on a chord are like any other.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let disc = Path::circle(Point::ZERO, 10.0);
    /// assert!(disc.contains(Point::new(7.0, 7.0)) && !disc.contains(Point::new(7.5, 7.5)));
    /// ```
    pub fn contains(&self, p: Point) -> bool {
        self.segments.iter().map(|s| s.crossings_right_of(p)).sum::<usize>() % 2 == 1
    }

    /// The path walked the other way.
    pub fn reversed(&self) -> Self {
        Self { segments: self.segments.iter().rev().map(Segment::reversed).collect(), closed: self.closed }
    }
    /// The path with a straight line from its end to its begin, where it is open.
    #[must_use]
    pub fn closed_straight(&self) -> Self {
        let (Some(first), Some(last)) = (self.segments.first(), self.segments.last()) else { return self.clone() };
        let mut segments = self.segments.clone();
        if !self.closed && last.end != first.start {
            segments.push(Segment::line(last.end, first.start));
        }
        Self { segments, closed: true }
    }
    /// Moved, turned, mirrored or scaled evenly.
    pub fn transformed(&self, a: Affine) -> Self {
        Self { segments: self.segments.iter().map(|s| s.transformed(a)).collect(), closed: self.closed }
    }
    /// The place on the path nearest to `p`. A path without pieces is infinitely far.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let near = Path::rectangle(0.0, 0.0, 80.0, 50.0).nearest(Point::new(30.0, -4.0));
    /// assert_eq!((near.along, near.distance), (30.0, 4.0));
    /// ```
    pub fn nearest(&self, p: Point) -> Nearest {
        let mut best = Nearest { along: 0.0, distance: f64::INFINITY, point: p };
        let mut before = 0.0;
        for s in &self.segments {
            let (t, length) = (s.nearest(p), s.length());
            let point = s.at(t);
            let distance = point.distance(p);
            if distance < best.distance {
                best = Nearest { along: before + t * length, distance, point };
            }
            before += length;
        }
        best
    }
    /// Point and unit direction at `along` mm from the start; the ends beyond them.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let (place, way) = Path::rectangle(0.0, 0.0, 80.0, 50.0).at(90.0);
    /// assert_eq!((place, way), (Point::new(80.0, 10.0), Vec2::new(0.0, 1.0)));
    /// ```
    pub fn at(&self, along: f64) -> (Point, Vec2) {
        let mut rest = along.max(0.0);
        for s in &self.segments {
            let length = s.length();
            if rest <= length && length > 0.0 {
                let t = rest / length;
                return (s.at(t), s.direction(t));
            }
            rest -= length;
        }
        self.segments.last().map_or((Point::ZERO, Vec2::ZERO), |s| (s.end, s.direction(1.0)))
    }
    /// The open piece between two lengths along the path, `from < to`; on a closed path `to` may lie beyond the
    /// start and goes round.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // From 70 mm to 90 mm round the first corner: two lines of 10 mm.
    /// let piece = Path::rectangle(0.0, 0.0, 80.0, 50.0).piece(70.0, 90.0);
    /// assert_eq!(piece.iter().map(Segment::length).collect::<Vec<_>>(), [10.0, 10.0]);
    /// ```
    pub fn piece(&self, from: f64, to: f64) -> Vec<Segment> {
        const LEAST: f64 = 1e-9;
        let mut out = Vec::new();
        let total = self.length();
        let rounds = if self.closed { 2 } else { 1 };
        let mut before = 0.0;
        for _ in 0..rounds {
            for s in &self.segments {
                let length = s.length();
                let (a, b) = ((from - before).max(0.0), (to - before).min(length));
                if length > 0.0 && b - a > LEAST {
                    out.push(if a <= LEAST && length - b <= LEAST { *s } else { s.piece(a / length, b / length) });
                }
                before += length;
            }
            if to <= total + LEAST {
                break;
            }
        }
        out
    }
    /// A closed path begun at `along` mm from its old start. Open paths stay as they are.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let plate = Path::rectangle(0.0, 0.0, 80.0, 50.0).started_at(40.0);
    /// assert_eq!((plate.segments[0].start, plate.length()), (Point::new(40.0, 0.0), 260.0));
    /// ```
    pub fn started_at(&self, along: f64) -> Self {
        let total = self.length();
        if !self.closed || total <= 0.0 {
            return self.clone();
        }
        let from = along.rem_euclid(total);
        Self { segments: self.piece(from, from + total), closed: true }
    }
    /// Points along the path with no chord further than `error` mm from it. The last point of a closed path is not repeated.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // A chord of a circle of 10 mm may lie 0.1 mm inside it: 23 corners are enough.
    /// let corners = Path::circle(Point::ZERO, 10.0).points(0.1).len();
    /// assert!((22..=26).contains(&corners), "{corners}");
    /// ```
    pub fn points(&self, error: f64) -> Vec<Point> {
        let mut out = Vec::with_capacity(self.segments.len());
        for s in &self.segments {
            let steps = s.steps(error);
            out.extend((0..steps).map(|i| s.at(i as f64 / steps as f64)));
        }
        if !self.closed {
            out.extend(self.segments.last().map(|s| s.end));
        }
        out
    }
}

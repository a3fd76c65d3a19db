//! A line or a circular arc, in one type.

use kurbo::{Affine, Point, Vec2};
use serde::{Deserialize, Serialize};
use std::f64::consts::{FRAC_PI_2, PI, TAU};

/// Below this bulge an arc is so flat that it is a line: the rise is under a millionth of half the chord.
const FLAT: f64 = 1e-9;

/// A straight line or a circular arc from `start` to `end`, in mm.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Segment {
    /// Where it begins.
    pub start: Point,
    /// Where it ends.
    pub end: Point,
    /// tan(sweep / 4), as in DXF polylines: 0 a line, 1 a half circle anticlockwise, negative clockwise.
    pub bulge: f64,
}

/// An axis-parallel box; empty when `min` is beyond `max`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Bounds {
    /// Lower left corner.
    pub min: Point,
    /// Upper right corner.
    pub max: Point,
}

impl Bounds {
    /// The box of nothing; growing it gives the box of what it grew by.
    pub const EMPTY: Self = Self { min: Point::new(f64::INFINITY, f64::INFINITY), max: Point::new(f64::NEG_INFINITY, f64::NEG_INFINITY) };

    /// The smallest box round all points.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let b = Bounds::of([Point::new(3.0, 1.0), Point::new(-2.0, 5.0)]);
    /// assert_eq!((b.width(), b.height(), b.center()), (5.0, 4.0, Point::new(0.5, 3.0)));
    /// assert!(Bounds::of([]).is_empty());
    /// ```
    #[inline]
    pub fn of(points: impl IntoIterator<Item = Point>) -> Self {
        points.into_iter().fold(Self::EMPTY, Self::with)
    }
    /// This box, grown to hold `p`.
    #[inline]
    pub fn with(self, p: Point) -> Self {
        Self { min: Point::new(self.min.x.min(p.x), self.min.y.min(p.y)), max: Point::new(self.max.x.max(p.x), self.max.y.max(p.y)) }
    }
    /// The smallest box that holds both.
    #[inline]
    pub fn union(self, other: Self) -> Self {
        if other.is_empty() { self } else { self.with(other.min).with(other.max) }
    }
    /// The box with every side moved out by `by` mm.
    #[inline]
    pub fn grown(self, by: f64) -> Self {
        Self { min: self.min - Vec2::new(by, by), max: self.max + Vec2::new(by, by) }
    }
    /// True when nothing was put in it.
    #[inline]
    pub fn is_empty(&self) -> bool {
        self.min.x > self.max.x || self.min.y > self.max.y
    }
    /// Width in mm, 0 when empty.
    #[inline]
    pub fn width(&self) -> f64 {
        (self.max.x - self.min.x).max(0.0)
    }
    /// Height in mm, 0 when empty.
    #[inline]
    pub fn height(&self) -> f64 {
        (self.max.y - self.min.y).max(0.0)
    }
    /// Middle of the box.
    #[inline]
    pub fn center(&self) -> Point {
        self.min.midpoint(self.max)
    }
    /// True when `other` lies wholly in this box.
    #[inline]
    pub fn holds(&self, other: &Self) -> bool {
        other.min.x >= self.min.x && other.min.y >= self.min.y && other.max.x <= self.max.x && other.max.y <= self.max.y
    }
    /// True when `p` lies in this box or on its edge.
    #[inline]
    pub fn has(&self, p: Point) -> bool {
        p.x >= self.min.x && p.y >= self.min.y && p.x <= self.max.x && p.y <= self.max.y
    }
    /// True when the boxes share a point.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let b = |x: f64| Bounds { min: Point::new(x, 0.0), max: Point::new(x + 10.0, 10.0) };
    /// assert!(b(0.0).meets(&b(10.0)) && !b(0.0).meets(&b(10.1)));
    /// ```
    #[inline]
    pub fn meets(&self, other: &Self) -> bool {
        self.min.x <= other.max.x && other.min.x <= self.max.x && self.min.y <= other.max.y && other.min.y <= self.max.y
    }
}

impl Segment {
    /// A straight line.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// assert_eq!(Segment::line(Point::ZERO, Point::new(3.0, 4.0)).length(), 5.0);
    /// ```
    #[inline]
    pub fn line(start: Point, end: Point) -> Self {
        Self { start, end, bulge: 0.0 }
    }

    /// An arc on the circle `center`, `radius` from angle `from` through `sweep` radians (positive anticlockwise,
    /// less than a full turn).
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// use std::f64::consts::FRAC_PI_2;
    /// let quarter = Segment::arc(Point::ZERO, 10.0, 0.0, FRAC_PI_2);
    /// assert!((quarter.length() - 10.0 * FRAC_PI_2).abs() < 1e-9 && (quarter.radius() - 10.0).abs() < 1e-9);
    /// ```
    pub fn arc(center: Point, radius: f64, from: f64, sweep: f64) -> Self {
        let at = |a: f64| center + radius * Vec2::from_angle(a);
        Self { start: at(from), end: at(from + sweep), bulge: (sweep / 4.0).tan() }
    }

    /// A full circle, anticlockwise, as two half circles that start at its rightmost point.
    pub fn circle(center: Point, radius: f64) -> [Self; 2] {
        let (right, left) = (center + Vec2::new(radius, 0.0), center - Vec2::new(radius, 0.0));
        [Self { start: right, end: left, bulge: 1.0 }, Self { start: left, end: right, bulge: 1.0 }]
    }

    /// The arc from `start` to `end` that leaves `start` in `direction`; a line where that is straight ahead.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // Off to the right, and round to the left: half a circle of 5 mm.
    /// let arc = Segment::tangent_arc(Point::ZERO, Vec2::new(1.0, 0.0), Point::new(0.0, 10.0));
    /// assert!((arc.radius() - 5.0).abs() < 1e-9 && (arc.bulge - 1.0).abs() < 1e-9);
    /// ```
    pub fn tangent_arc(start: Point, direction: Vec2, end: Point) -> Self {
        let chord = end - start;
        // The chord turns off the tangent by half the sweep.
        let half = direction.cross(chord).atan2(direction.dot(chord));
        Self { start, end, bulge: (half / 2.0).tan() }
    }

    /// True for a straight line.
    #[inline]
    pub fn is_line(&self) -> bool {
        self.bulge.abs() < FLAT
    }
    /// Distance between the ends.
    #[inline]
    pub fn chord(&self) -> f64 {
        self.start.distance(self.end)
    }
    /// Turn from start to end in radians, positive anticlockwise; 0 for a line.
    pub fn sweep(&self) -> f64 {
        if self.is_line() { 0.0 } else { 4.0 * self.bulge.atan() }
    }
    /// Radius of the arc; infinite for a line.
    pub fn radius(&self) -> f64 {
        if self.is_line() { f64::INFINITY } else { self.chord() * (1.0 + self.bulge * self.bulge) / (4.0 * self.bulge.abs()) }
    }
    /// Centre of the arc. Meaningless for a line: the middle of the chord.
    pub fn center(&self) -> Point {
        let mid = self.start.midpoint(self.end);
        if self.is_line() {
            return mid;
        }
        let left = (self.end - self.start).turn_90();
        mid + left * ((1.0 - self.bulge * self.bulge) / (4.0 * self.bulge))
    }
    /// Length along the segment.
    pub fn length(&self) -> f64 {
        if self.is_line() { self.chord() } else { self.radius() * self.sweep().abs() }
    }
    /// The point at share `t` of the length, 0 to 1.
    pub fn at(&self, t: f64) -> Point {
        if t <= 0.0 {
            return self.start;
        }
        if t >= 1.0 {
            return self.end;
        }
        if self.is_line() {
            return self.start.lerp(self.end, t);
        }
        let c = self.center();
        c + rotated(self.start - c, self.sweep() * t)
    }
    /// Unit direction of travel at share `t` of the length. Zero for a segment without length.
    pub fn direction(&self, t: f64) -> Vec2 {
        let chord = self.end - self.start;
        let length = chord.hypot();
        if length == 0.0 {
            return Vec2::ZERO;
        }
        let turn = self.sweep() * (t - 0.5);
        rotated(chord / length, turn)
    }
    /// The same line walked the other way.
    #[inline]
    pub fn reversed(&self) -> Self {
        Self { start: self.end, end: self.start, bulge: -self.bulge }
    }
    /// The piece between shares `from` and `to` of the length, `from < to`.
    pub fn piece(&self, from: f64, to: f64) -> Self {
        let bulge = if self.is_line() { 0.0 } else { (self.sweep() * (to - from) / 4.0).tan() };
        Self { start: self.at(from), end: self.at(to), bulge }
    }
    /// Moved, turned, mirrored or scaled evenly by `a`. Uneven scaling is for [`super::Curve::transformed`].
    pub fn transformed(&self, a: Affine) -> Self {
        let bulge = if a.determinant() < 0.0 { -self.bulge } else { self.bulge };
        Self { start: a * self.start, end: a * self.end, bulge }
    }
    /// Box round the segment, arcs included.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// // An arc reaches beyond its ends.
    /// let half = Segment::circle(Point::ZERO, 10.0)[0];
    /// assert!((half.bounds().max.y - 10.0).abs() < 1e-9);
    /// ```
    pub fn bounds(&self) -> Bounds {
        let mut b = Bounds::EMPTY.with(self.start).with(self.end);
        if !self.is_line() {
            let (c, r) = (self.center(), self.radius());
            for quarter in 0..4 {
                let angle = f64::from(quarter) * PI / 2.0;
                if self.spans(angle) {
                    b = b.with(c + r * Vec2::from_angle(angle));
                }
            }
        }
        b
    }
    /// True when the direction `angle` from the centre meets the arc.
    pub fn spans(&self, angle: f64) -> bool {
        let from = (self.start - self.center()).atan2();
        let sweep = self.sweep();
        let turn = if sweep >= 0.0 { (angle - from).rem_euclid(TAU) } else { (from - angle).rem_euclid(TAU) };
        turn <= sweep.abs()
    }
    /// Share of the length that lies nearest to `p`, 0 to 1.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let line = Segment::line(Point::ZERO, Point::new(10.0, 0.0));
    /// assert_eq!((line.nearest(Point::new(2.5, 3.0)), line.distance(Point::new(2.5, 3.0))), (0.25, 3.0));
    /// ```
    pub fn nearest(&self, p: Point) -> f64 {
        if self.is_line() {
            let d = self.end - self.start;
            let len2 = d.hypot2();
            return if len2 == 0.0 { 0.0 } else { ((p - self.start).dot(d) / len2).clamp(0.0, 1.0) };
        }
        let c = self.center();
        if p != c && self.spans((p - c).atan2()) {
            let from = (self.start - c).atan2();
            let angle = (p - c).atan2();
            let sweep = self.sweep();
            let turn = if sweep >= 0.0 { (angle - from).rem_euclid(TAU) } else { (from - angle).rem_euclid(TAU) };
            return (turn / sweep.abs()).clamp(0.0, 1.0);
        }
        if p.distance_squared(self.start) <= p.distance_squared(self.end) { 0.0 } else { 1.0 }
    }
    /// Distance from `p` to the segment.
    pub fn distance(&self, p: Point) -> f64 {
        p.distance(self.at(self.nearest(p)))
    }
    /// Area between the chord and the arc, positive when the arc lies to the right of the chord (anticlockwise bulge).
    pub fn cap_area(&self) -> f64 {
        if self.is_line() {
            return 0.0;
        }
        let (r, sweep) = (self.radius(), self.sweep());
        r * r * (sweep - sweep.sin()) / 2.0
    }
    /// How often a ray from `p` to the right crosses the segment. An end at the ray's height counts for the upper of the
    /// two sides only, so that a joint that is crossed counts once.
    pub fn crossings_right_of(&self, p: Point) -> usize {
        let spans = |a: f64, b: f64| (a > p.y) != (b > p.y);
        if self.is_line() {
            let (a, b) = (self.start, self.end);
            return usize::from(spans(a.y, b.y) && a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x) > p.x);
        }
        let (c, r) = (self.center(), self.radius());
        if p.y > c.y + r || p.y < c.y - r || p.x >= c.x + r {
            return 0;
        }
        let (from, sweep) = ((self.start - c).atan2(), self.sweep());
        // Where it turns from rising to falling: the top and the bottom of its circle, in the order in which it meets them.
        let mut turns: Vec<(f64, f64)> = [(FRAC_PI_2, c.y + r), (-FRAC_PI_2, c.y - r)]
            .into_iter()
            .map(|(angle, y)| (if sweep > 0.0 { (angle - from).rem_euclid(TAU) } else { (from - angle).rem_euclid(TAU) }, y))
            .filter(|t| t.0 > 0.0 && t.0 < sweep.abs())
            .collect();
        turns.sort_by(|a, b| a.0.total_cmp(&b.0));
        turns.push((sweep.abs(), self.end.y));
        let (mut at, mut y) = (0.0, self.start.y);
        let mut crossed = 0;
        for (turn, to) in turns {
            let middle = from + sweep.signum() * (at + turn) / 2.0;
            let reach = (r * r - (p.y - c.y).powi(2)).max(0.0).sqrt();
            crossed += usize::from(spans(y, to) && c.x + reach.copysign(middle.cos()) > p.x);
            (at, y) = (turn, to);
        }
        crossed
    }
    /// Number of equal pieces so that no chord is further than `error` mm from the arc; at most 4096.
    pub fn steps(&self, error: f64) -> usize {
        if self.is_line() {
            return 1;
        }
        let r = self.radius();
        if !r.is_finite() || r <= error {
            return 4;
        }
        let step = 2.0 * (1.0 - error / r).acos();
        ((self.sweep().abs() / step).ceil().clamp(1.0, 4096.0)) as usize
    }
}

/// `v` turned by `angle` radians anticlockwise.
fn rotated(v: Vec2, angle: f64) -> Vec2 {
    let (s, c) = angle.sin_cos();
    Vec2::new(v.x * c - v.y * s, v.x * s + v.y * c)
}

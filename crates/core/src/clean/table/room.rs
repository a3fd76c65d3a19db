//! The room that a field has beside it: up to what is drawn left and right of it.

use crate::clean::Contour;
use crate::drawing::{Anchor, Text};
use crate::geometry::{Affine, Bounds, Path, Point};
use crate::lettering::{Face, line};
use std::sync::Arc;

/// Writing keeps so many of its heights away from what is drawn.
const AWAY: f64 = 0.35;
/// A field whose middle is so near to the middle of its room, as a share of the room, stands in the middle of it.
const MIDDLE: f64 = 0.06;
/// Where nothing bounds it a field may be so many heights long.
const UNBOUND: f64 = 40.0;
/// How closely outlines are followed, mm.
const CLOSE: f64 = 0.1;

/// Where a field's words may stand along its base line, mm from its beginning.
#[derive(Clone, Copy, Debug)]
pub(super) struct Room {
    from: f64,
    to: f64,
    /// What of the words stands at `at`, mm along.
    anchor: Anchor,
    at: f64,
}

impl Room {
    /// From what is drawn at the field's height, left and right of its middle.
    pub(super) fn of(at: &Text, contours: &[Arc<Contour>]) -> Self {
        let home = home(at).inverse();
        let width = line(at.value.trim(), at.height, Face::Outline).width;
        let stands = at.anchor.share() * at.width();
        let (middle, h) = (stands + (0.5 - at.anchor.share()) * width, at.height);
        let (mut left, mut right) = (f64::NEG_INFINITY, f64::INFINITY);
        for c in contours {
            for (x0, x1) in spans(&c.path.transformed(home), (-0.2 * h, 1.2 * h)) {
                if x1 <= middle {
                    left = left.max(x1);
                } else if x0 >= middle {
                    right = right.min(x0);
                }
            }
        }
        let away = AWAY * h;
        let bound = left.is_finite() && right.is_finite();
        let from = if left.is_finite() { left + away } else { middle.min(0.0) - UNBOUND * h / 2.0 };
        let to = if right.is_finite() { right - away } else { from.max(0.0) + UNBOUND * h };
        if at.anchor == Anchor::Begin && bound && (middle - f64::midpoint(left, right)).abs() <= MIDDLE * (right - left) {
            return Self { from, to: to.max(from + 0.1), anchor: Anchor::Middle, at: f64::midpoint(from, to) };
        }
        let (from, to) = match at.anchor {
            // A field that begins nearer to what is drawn than it keeps away was drawn so.
            Anchor::Begin => (from.max(0.0).min(middle).max(0.0), to),
            Anchor::Middle => (from, to),
            Anchor::End => (from, to.min(stands).max(middle)),
        };
        Self { from, to: to.max(from + 0.1), anchor: at.anchor, at: stands.clamp(from, to.max(from)) }
    }
    /// Of a line of words, at most, mm.
    pub(super) fn width(&self) -> f64 {
        self.to - self.from
    }
    /// Where words of a width begin.
    pub(super) fn begins(&self, width: f64) -> f64 {
        let begin = if self.anchor == Anchor::Begin { self.from } else { self.at - self.anchor.share() * width };
        begin.min(self.to - width).max(self.from)
    }
    /// From a field's own base line to the drawing.
    pub(super) fn home(&self, at: &Text) -> Affine {
        home(at)
    }
}

fn home(at: &Text) -> Affine {
    Affine::translate(at.at.to_vec2()) * Affine::rotate(at.angle)
}

/// Stretches in x that a contour takes within a band of y.
fn spans(path: &Path, (low, high): (f64, f64)) -> Vec<(f64, f64)> {
    let b = path.bounds();
    if b.max.y < low || b.min.y > high {
        return Vec::new();
    }
    let mut points = path.points(CLOSE);
    if path.closed {
        points.extend(points.first().copied());
    }
    points.windows(2).filter_map(|w| within(w[0], w[1], low, high)).collect()
}

/// What of a line lies in a band of y, as its stretch in x.
fn within(a: Point, b: Point, low: f64, high: f64) -> Option<(f64, f64)> {
    let (min, max) = (a.y.min(b.y), a.y.max(b.y));
    if max < low || min > high {
        return None;
    }
    let at = |y: f64| if (b.y - a.y).abs() < 1e-12 { 0.0 } else { ((y - a.y) / (b.y - a.y)).clamp(0.0, 1.0) };
    let (s, t) = if (b.y - a.y).abs() < 1e-12 { (0.0, 1.0) } else { (at(low), at(high)) };
    let x = |t: f64| a.x + (b.x - a.x) * t;
    let span = Bounds::of([Point::new(x(s), 0.0), Point::new(x(t), 0.0)]);
    Some((span.min.x, span.max.x))
}

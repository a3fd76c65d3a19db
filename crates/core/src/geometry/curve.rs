//! A drawn curve, exactly as the file gives it.

use super::{Nurbs, Segment};
use kurbo::{Affine, CubicBez, ParamCurve, ParamCurveDeriv, Point, Vec2};
use std::sync::Arc;

/// One curve of a drawing, in the drawing's own units.
#[derive(Clone, Debug, PartialEq)]
pub enum Curve {
    /// A straight line.
    Line(Point, Point),
    /// An elliptic arc: center + u cos a + v sin a, for a from `from` through `sweep` radians. A circle has |u| = |v|, u ⊥ v.
    Ellipse {
        /// Centre.
        center: Point,
        /// Half axis at angle 0.
        u: Vec2,
        /// Half axis at a quarter turn.
        v: Vec2,
        /// Parameter where it starts.
        from: f64,
        /// Parameter range, at most a full turn either way.
        sweep: f64,
    },
    /// A cubic Bezier.
    Cubic(CubicBez),
    /// A rational B-spline.
    Spline(Arc<Nurbs>),
}

impl Curve {
    /// A circular arc; a full turn is a circle.
    pub fn arc(center: Point, radius: f64, from: f64, sweep: f64) -> Self {
        Self::Ellipse { center, u: Vec2::new(radius, 0.0), v: Vec2::new(0.0, radius), from, sweep }
    }

    /// The curve of a line or arc given by its bulge.
    pub fn segment(s: &Segment) -> Self {
        if s.is_line() {
            return Self::Line(s.start, s.end);
        }
        Self::arc(s.center(), s.radius(), (s.start - s.center()).atan2(), s.sweep())
    }

    /// A quadratic Bezier, raised to a cubic.
    pub fn quadratic(a: Point, b: Point, c: Point) -> Self {
        Self::Cubic(kurbo::QuadBez::new(a, b, c).raise())
    }

    /// The curve under any affine map: circles may become ellipses, nothing is lost.
    pub fn transformed(&self, a: Affine) -> Self {
        let turn = |v: Vec2| a * v.to_point() - a * Point::ZERO;
        match self {
            Self::Line(p, q) => Self::Line(a * *p, a * *q),
            Self::Ellipse { center, u, v, from, sweep } => {
                Self::Ellipse { center: a * *center, u: turn(*u), v: turn(*v), from: *from, sweep: *sweep }
            }
            Self::Cubic(c) => Self::Cubic(a * *c),
            Self::Spline(n) => Self::Spline(Arc::new(n.transformed(a))),
        }
    }

    /// First and last point.
    pub fn ends(&self) -> (Point, Point) {
        match self {
            Self::Line(p, q) => (*p, *q),
            Self::Ellipse { sweep, .. } => (self.on_ellipse(0.0).0, self.on_ellipse(*sweep).0),
            Self::Cubic(c) => (c.p0, c.p3),
            Self::Spline(n) => {
                let spans = n.spans();
                (n.at(spans[0].0, spans[0]).0, n.at(spans[spans.len() - 1].1, spans[spans.len() - 1]).0)
            }
        }
    }

    /// True when every number in it is finite.
    pub fn is_finite(&self) -> bool {
        match self {
            Self::Line(p, q) => p.is_finite() && q.is_finite(),
            Self::Ellipse { center, u, v, from, sweep } => {
                center.is_finite() && u.is_finite() && v.is_finite() && from.is_finite() && sweep.is_finite()
            }
            Self::Cubic(c) => c.is_finite(),
            Self::Spline(_) => {
                let (a, b) = self.ends();
                a.is_finite() && b.is_finite()
            }
        }
    }

    /// Lines and arcs that are this curve exactly, or `None` when it has to be fitted.
    pub(super) fn exact(&self) -> Option<Vec<Segment>> {
        match self {
            Self::Line(p, q) => Some(vec![Segment::line(*p, *q)]),
            Self::Ellipse { center, u, v, from, sweep } => {
                let r = u.hypot();
                let round = (r - v.hypot()).abs() <= 1e-9 * r.max(1e-9) && u.dot(*v).abs() <= 1e-9 * r * r;
                if !round {
                    return None;
                }
                let sense = u.cross(*v).signum();
                let start = u.atan2() + sense * from;
                let parts = if sweep.abs() > std::f64::consts::PI * 1.5 { 2 } else { 1 };
                let turn = sense * sweep / f64::from(parts);
                let mut arcs: Vec<Segment> = (0..parts).map(|i| Segment::arc(*center, r, start + turn * f64::from(i), turn)).collect();
                if (sweep.abs() - std::f64::consts::TAU).abs() < 1e-9 {
                    arcs[1].end = arcs[0].start;
                }
                Some(arcs)
            }
            _ => None,
        }
    }

    /// The smooth pieces of a curve that has to be fitted.
    pub(super) fn pieces(&self) -> Vec<Piece> {
        match self {
            Self::Spline(n) => n.spans().into_iter().map(|span| Piece { curve: self.clone(), span }).collect(),
            Self::Ellipse { sweep, .. } => {
                let parts = (sweep.abs() / std::f64::consts::FRAC_PI_2).ceil().clamp(1.0, 8.0) as usize;
                let cut = |i: usize| sweep * i as f64 / parts as f64;
                (0..parts).map(|i| Piece { curve: self.clone(), span: (cut(i), cut(i + 1)) }).collect()
            }
            _ => vec![Piece { curve: self.clone(), span: (0.0, 1.0) }],
        }
    }

    fn on_ellipse(&self, turn: f64) -> (Point, Vec2) {
        let Self::Ellipse { center, u, v, from, .. } = self else { return (Point::ZERO, Vec2::ZERO) };
        let (sin, cos) = (from + turn).sin_cos();
        (*center + *u * cos + *v * sin, *v * cos - *u * sin)
    }
}

/// A stretch of a curve without knots inside, over a parameter interval.
pub(super) struct Piece {
    curve: Curve,
    span: (f64, f64),
}

impl Piece {
    /// Point and unit direction at share `t` of the interval.
    pub(super) fn at(&self, t: f64) -> (Point, Vec2) {
        let (point, slope) = self.raw(t);
        if slope.hypot() > 1e-12 {
            return (point, slope.normalize() * (self.span.1 - self.span.0).signum());
        }
        // A control point that lies on its end leaves no slope there: look a little further in.
        let step = if t < 0.5 { 1e-4 } else { -1e-4 };
        let way = (self.raw(t + step).0 - point) * step.signum();
        (point, if way.hypot() > 0.0 { way.normalize() } else { Vec2::new(1.0, 0.0) })
    }

    fn raw(&self, t: f64) -> (Point, Vec2) {
        let at = self.span.0 + t * (self.span.1 - self.span.0);
        match &self.curve {
            Curve::Line(p, q) => (p.lerp(*q, at), *q - *p),
            Curve::Ellipse { .. } => self.curve.on_ellipse(at),
            Curve::Cubic(c) => (c.eval(at), c.deriv().eval(at).to_vec2()),
            Curve::Spline(n) => n.at(at, self.span),
        }
    }
}

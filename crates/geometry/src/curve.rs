//! A drawn curve, exactly as the file gives it.

use super::{Bounds, Nurbs, Segment};
use kurbo::{Affine, BezPath, CubicBez, ParamCurve, ParamCurveDeriv, PathEl, Point, Vec2};
use std::f64::consts::{FRAC_PI_2, PI, TAU};
use std::sync::Arc;

/// One curve of a drawing, in the drawing's own units.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
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

    /// Box round the curve; of a spline, round points closely along it.
    pub fn bounds(&self) -> Bounds {
        let (a, b) = self.ends();
        let ends = Bounds::of([a, b]);
        match self {
            Self::Line(..) => ends,
            Self::Ellipse { center, u, v, from, sweep } => {
                // x is greatest where its slope −ux sin a + vx cos a vanishes: at atan2(vx, ux), and half a turn on.
                let turns = [v.x.atan2(u.x), v.y.atan2(u.y)].into_iter().flat_map(|a| [a, a + PI]);
                let (low, high) = (from.min(from + sweep), from.max(from + sweep));
                let within = turns.map(|a| low + (a - low).rem_euclid(TAU)).filter(|a| *a <= high);
                within.map(|a| *center + *u * a.cos() + *v * a.sin()).fold(ends, Bounds::with)
            }
            Self::Cubic(c) => {
                let b = kurbo::Shape::bounding_box(c);
                Bounds { min: Point::new(b.x0, b.y0), max: Point::new(b.x1, b.y1) }
            }
            Self::Spline(n) => {
                let along = |span: (f64, f64)| (0..16).map(move |i| (span.0 + (span.1 - span.0) * f64::from(i) / 16.0, span));
                n.spans().into_iter().flat_map(along).fold(ends, |b, (t, span)| b.with(n.at(t, span).0))
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
            Self::Ellipse { u, v, from, sweep, .. } => {
                // From vertex to vertex, where the bend is sharpest or flattest: in between it only rises or only falls.
                // Where u and v are no axes, the first is at half the angle of (2 u·v, u² − v²).
                let vertex = 0.5 * (2.0 * u.dot(*v)).atan2(u.hypot2() - v.hypot2());
                let first = (vertex - from).rem_euclid(FRAC_PI_2);
                let whole = (sweep.abs() - TAU).abs() < 1e-9;
                let way = sweep.signum();
                let first = if way > 0.0 { first } else { FRAC_PI_2 - first };
                let mut cuts: Vec<f64> = (0..5).map(|i| first + f64::from(i) * FRAC_PI_2).collect();
                if !whole {
                    // A whole one may begin at a vertex as well as anywhere else.
                    cuts.retain(|c| *c > 1e-6 && *c < sweep.abs() - 1e-6);
                    cuts.insert(0, 0.0);
                    cuts.push(sweep.abs());
                }
                cuts.windows(2).map(|w| Piece { curve: self.clone(), span: (w[0] * way, w[1] * way) }).collect()
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

/// The subpaths of a path as curves, each with whether it was closed.
pub fn subpaths(path: &BezPath) -> Vec<(Vec<Curve>, bool)> {
    let mut out: Vec<(Vec<Curve>, bool)> = Vec::new();
    let (mut start, mut at) = (Point::ZERO, Point::ZERO);
    let mut current: Vec<Curve> = Vec::new();
    let mut lift = |current: &mut Vec<Curve>, closed: bool| {
        if !current.is_empty() {
            out.push((std::mem::take(current), closed));
        }
    };
    for element in path.elements() {
        match *element {
            PathEl::MoveTo(p) => {
                lift(&mut current, false);
                (start, at) = (p, p);
            }
            PathEl::LineTo(p) => {
                if p != at {
                    current.push(Curve::Line(at, p));
                }
                at = p;
            }
            PathEl::QuadTo(a, p) => {
                current.push(Curve::quadratic(at, a, p));
                at = p;
            }
            PathEl::CurveTo(a, b, p) => {
                current.push(Curve::Cubic(CubicBez::new(at, a, b, p)));
                at = p;
            }
            PathEl::ClosePath => {
                if at != start {
                    current.push(Curve::Line(at, start));
                }
                lift(&mut current, true);
                at = start;
            }
        }
    }
    lift(&mut current, false);
    out
}

/// A stretch of a curve without knots inside, over a parameter interval.
pub(super) struct Piece {
    curve: Curve,
    span: (f64, f64),
}

impl Piece {
    /// A quarter of an ellipse from vertex to vertex by the fewest arcs; `None` for anything else.
    pub(super) fn quarter(&self, tolerance: f64) -> Option<Vec<Segment>> {
        let Curve::Ellipse { center, .. } = &self.curve else { return None };
        let span = self.span.1 - self.span.0;
        if (span.abs() - FRAC_PI_2).abs() > 1e-9 {
            return None;
        }
        let (x, y) = (self.raw(0.0).0 - *center, self.raw(1.0).0 - *center);
        // Half axes stand upright on each other; any other quarter does not begin at a vertex.
        let upright = x.dot(y).abs() <= 1e-9 * x.hypot() * y.hypot();
        if upright { super::ellipse::quarter(*center, x, y, tolerance) } else { None }
    }

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

    /// Box round a few points along it and its ends.
    pub(super) fn bounds(&self) -> Bounds {
        Bounds::of((0..=8).map(|i| self.raw(f64::from(i) / 8.0).0))
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

//! Path data to curves; elliptical arcs stay arcs.

use boustrophe_core::geometry::{Curve, Point, Vec2};
use kurbo::{Arc, CubicBez, SvgArc};
use svgtypes::{PathParser, PathSegment};

/// Curves of one subpath and whether it was closed.
pub(super) type Subpath = (Vec<Curve>, bool);

/// The pen as it goes along the data.
#[derive(Default)]
struct Pen {
    at: Point,
    start: Point,
    /// Last control point, for the smooth commands.
    cubic: Option<Point>,
    quadratic: Option<Point>,
    curves: Vec<Curve>,
    done: Vec<Subpath>,
}

/// All subpaths of `data`. The message says what is wrong and after how many commands.
pub(super) fn parse(data: &str) -> Result<Vec<Subpath>, String> {
    let mut pen = Pen::default();
    for (n, segment) in PathParser::from(data).enumerate() {
        let segment =
            segment.map_err(|e| format!("after {n} commands its data says {}", e.to_string().chars().take(80).collect::<String>()))?;
        pen.follow(segment);
    }
    pen.lift(false);
    Ok(pen.done)
}

impl Pen {
    fn follow(&mut self, segment: PathSegment) {
        use PathSegment as S;
        let (cubic, quadratic) = (self.cubic.take(), self.quadratic.take());
        match segment {
            S::MoveTo { abs, x, y } => {
                self.lift(false);
                self.at = self.to(abs, x, y);
                self.start = self.at;
            }
            S::LineTo { abs, x, y } => self.line(self.to(abs, x, y)),
            S::HorizontalLineTo { abs, x } => self.line(Point::new(if abs { x } else { self.at.x + x }, self.at.y)),
            S::VerticalLineTo { abs, y } => self.line(Point::new(self.at.x, if abs { y } else { self.at.y + y })),
            S::CurveTo { abs, x1, y1, x2, y2, x, y } => self.bezier(self.to(abs, x1, y1), self.to(abs, x2, y2), self.to(abs, x, y)),
            S::SmoothCurveTo { abs, x2, y2, x, y } => self.bezier(mirrored(cubic, self.at), self.to(abs, x2, y2), self.to(abs, x, y)),
            S::Quadratic { abs, x1, y1, x, y } => self.quad(self.to(abs, x1, y1), self.to(abs, x, y)),
            S::SmoothQuadratic { abs, x, y } => self.quad(mirrored(quadratic, self.at), self.to(abs, x, y)),
            S::EllipticalArc { abs, rx, ry, x_axis_rotation, large_arc, sweep, x, y } => {
                let to = self.to(abs, x, y);
                let svg =
                    SvgArc { from: self.at, to, radii: Vec2::new(rx, ry), x_rotation: x_axis_rotation.to_radians(), large_arc, sweep };
                match Arc::from_svg_arc(&svg) {
                    Some(arc) => {
                        let u = arc.radii.x * Vec2::from_angle(arc.x_rotation);
                        let v = arc.radii.y * Vec2::from_angle(arc.x_rotation).turn_90();
                        self.curves.push(Curve::Ellipse { center: arc.center, u, v, from: arc.start_angle, sweep: arc.sweep_angle });
                        self.at = to;
                    }
                    None => self.line(to),
                }
            }
            S::ClosePath { .. } => {
                if self.at.distance(self.start) > 0.0 {
                    self.line(self.start);
                }
                self.lift(true);
                self.at = self.start;
            }
        }
    }

    fn to(&self, abs: bool, x: f64, y: f64) -> Point {
        if abs { Point::new(x, y) } else { self.at + Vec2::new(x, y) }
    }
    fn line(&mut self, to: Point) {
        self.curves.push(Curve::Line(self.at, to));
        self.at = to;
    }
    fn bezier(&mut self, a: Point, b: Point, to: Point) {
        self.curves.push(Curve::Cubic(CubicBez::new(self.at, a, b, to)));
        (self.at, self.cubic) = (to, Some(b));
    }
    fn quad(&mut self, a: Point, to: Point) {
        self.curves.push(Curve::quadratic(self.at, a, to));
        (self.at, self.quadratic) = (to, Some(a));
    }
    fn lift(&mut self, closed: bool) {
        if !self.curves.is_empty() {
            self.done.push((std::mem::take(&mut self.curves), closed));
        }
    }
}

/// The last control point on the other side of the pen.
fn mirrored(control: Option<Point>, at: Point) -> Point {
    control.map_or(at, |c| at + (at - c))
}

//! Entities whose groups follow each other by count: hatch boundaries and multilines.

use super::Groups;
use boustrophe_core::geometry::{Curve, Nurbs, Point, Segment, Vec2};
use std::f64::consts::TAU;
use std::sync::Arc;

/// Edges, boundaries or vertices of one entity at most; a count beyond is damage.
const MOST: usize = 200_000;

/// Reads groups one after the other.
struct Cursor<'a> {
    groups: &'a Groups<'a>,
    at: usize,
}

impl Cursor<'_> {
    /// Goes to the next group with this code and gives its number.
    fn number(&mut self, code: i32) -> Option<f64> {
        while let Some((c, value)) = self.groups.get(self.at) {
            self.at += 1;
            if *c == code {
                return value.trim().parse().ok().filter(|v: &f64| v.is_finite());
            }
        }
        None
    }
    fn count(&mut self, code: i32) -> Option<usize> {
        self.number(code).filter(|n| (0.0..=MOST as f64).contains(n)).map(|n| n as usize)
    }
    fn point(&mut self, code: i32) -> Option<Point> {
        Some(Point::new(self.number(code)?, self.number(code + 10)?))
    }
    /// The next group's number when it has this code.
    fn perhaps(&mut self, code: i32) -> Option<f64> {
        let (c, value) = self.groups.get(self.at)?;
        if *c != code {
            return None;
        }
        self.at += 1;
        value.trim().parse().ok()
    }
}

/// The boundaries of a hatch, each closed. `None` where the counts do not fit.
pub(super) fn hatch(groups: &Groups) -> Option<Vec<Vec<Curve>>> {
    let mut c = Cursor { groups, at: 0 };
    let paths = c.count(91)?;
    let mut out = Vec::new();
    for _ in 0..paths {
        let flags = c.number(92)? as i64;
        let curves = if flags & 2 == 2 { polyline(&mut c)? } else { edges(&mut c)? };
        if !curves.is_empty() {
            out.push(curves);
        }
    }
    (!out.is_empty()).then_some(out)
}

fn polyline(c: &mut Cursor) -> Option<Vec<Curve>> {
    let bulges = c.number(72)? != 0.0;
    c.number(73)?;
    let n = c.count(93)?;
    let mut vertices = Vec::with_capacity(n.min(4096));
    for _ in 0..n {
        let p = c.point(10)?;
        vertices.push((p, if bulges { c.perhaps(42).unwrap_or(0.0) } else { 0.0 }));
    }
    let n = vertices.len();
    let curves = (0..n).map(|i| Segment { start: vertices[i].0, end: vertices[(i + 1) % n].0, bulge: vertices[i].1 });
    Some(curves.filter(|s| s.chord() > 0.0).map(|s| Curve::segment(&s)).collect())
}

fn edges(c: &mut Cursor) -> Option<Vec<Curve>> {
    let n = c.count(93)?;
    let mut out = Vec::new();
    for _ in 0..n {
        match c.number(72)? as i64 {
            1 => {
                let (a, b) = (c.point(10)?, c.point(11)?);
                out.push(Curve::Line(a, b));
            }
            2 => {
                let (center, r) = (c.point(10)?, c.number(40)?);
                let (from, to) = (c.number(50)?.to_radians(), c.number(51)?.to_radians());
                let (from, sweep) = turned(from, to, c.number(73)? != 0.0);
                out.push(Curve::arc(center, r, from, sweep));
            }
            3 => {
                let (center, axis, ratio) = (c.point(10)?, c.point(11)?.to_vec2(), c.number(40)?);
                let (from, to) = (c.number(50)?.to_radians(), c.number(51)?.to_radians());
                let (from, sweep) = turned(from, to, c.number(73)? != 0.0);
                out.push(Curve::Ellipse { center, u: axis, v: axis.turn_90() * ratio, from, sweep });
            }
            4 => {
                let degree = c.count(94)?;
                let rational = c.number(73)? != 0.0;
                c.number(74)?;
                let (knots, controls) = (c.count(95)?, c.count(96)?);
                let knots = (0..knots).map(|_| c.number(40)).collect::<Option<Vec<f64>>>()?;
                let mut points = Vec::with_capacity(controls.min(4096));
                let mut weights = Vec::new();
                for _ in 0..controls {
                    points.push(c.point(10)?);
                    if rational {
                        weights.push(c.perhaps(42).unwrap_or(1.0));
                    }
                }
                out.push(Curve::Spline(Arc::new(Nurbs::new(degree, knots, &points, &weights)?)));
            }
            _ => return None,
        }
    }
    Some(out)
}

/// Start and sweep of a boundary arc; clockwise ones count their angles the other way.
fn turned(from: f64, to: f64, anticlockwise: bool) -> (f64, f64) {
    let sweep = (to - from).rem_euclid(TAU);
    let sweep = if sweep < 1e-9 { TAU } else { sweep };
    if anticlockwise { (from, sweep) } else { (-from, -sweep) }
}

/// The parallel lines of a multiline.
pub(super) fn multiline(groups: &Groups) -> Option<(Vec<Vec<Point>>, bool)> {
    let mut c = Cursor { groups, at: 0 };
    let closed = c.number(71)? as i64 & 2 == 2;
    let (vertices, elements) = (c.count(72)?, c.count(73)?);
    let mut lines: Vec<Vec<Point>> = vec![Vec::new(); elements];
    for _ in 0..vertices {
        let at = c.point(11)?;
        c.point(12)?;
        let mitre: Vec2 = c.point(13)?.to_vec2();
        for line in &mut lines {
            let parameters = c.count(74)?;
            // The first parameter is the distance from the vertex along the mitre.
            let mut along = 0.0;
            for k in 0..parameters {
                let v = c.number(41)?;
                if k == 0 {
                    along = v;
                }
            }
            line.push(at + mitre * along);
            let fills = c.count(75)?;
            for _ in 0..fills {
                c.number(42)?;
            }
        }
    }
    (vertices > 1 && elements > 0).then_some((lines, closed))
}

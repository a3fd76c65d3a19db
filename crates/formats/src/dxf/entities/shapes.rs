//! What a record draws: its curves, its copies, its words.

use super::*;

/// Edges through corners and back to the first; equal neighbours are one corner.
pub(super) fn corners(points: &[Point]) -> Vec<Curve> {
    let n = points.len();
    (0..n).map(|i| (points[i], points[(i + 1) % n])).filter(|(a, b)| a != b).map(|(a, b)| Curve::Line(a, b)).collect()
}

/// A line type's name; empty for a plain line.
pub(crate) fn line_type(name: &str) -> String {
    if name.eq_ignore_ascii_case("continuous") { String::new() } else { name.to_owned() }
}

/// Entities drawn seen from below (extrusion 0, 0, −1) are mirrored in x.
pub(super) fn mirror(r: &Record) -> Affine {
    if r.or(230, 1.0) < 0.0 { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY }
}

pub(super) fn mirrored(r: &Record, curves: Vec<Curve>) -> Vec<Curve> {
    if r.or(230, 1.0) < 0.0 { curves.iter().map(|c| c.transformed(mirror(r))).collect() } else { curves }
}

pub(super) fn ellipse(r: &Record) -> Vec<Curve> {
    let u = Vec2::new(r.number(11), r.number(21));
    let side = if r.or(230, 1.0) < 0.0 { -1.0 } else { 1.0 };
    let v = u.turn_90() * r.or(40, 1.0) * side;
    let (from, to) = (r.number(41), r.or(42, TAU));
    let sweep = (to - from).rem_euclid(TAU);
    vec![Curve::Ellipse {
        center: r.point(10),
        u,
        v,
        from,
        sweep: if sweep < 1e-9 || (to - from).abs() >= TAU - 1e-9 { TAU } else { sweep },
    }]
}

/// Points with the bulge of the edge that leaves them.
pub(super) fn vertices(r: &Record) -> Vec<(Point, f64)> {
    let mut out: Vec<(Point, f64)> = Vec::new();
    for (code, value) in r.groups {
        let number = || value.trim().parse().unwrap_or(0.0);
        match (code, out.last_mut()) {
            (10, _) => out.push((Point::new(number(), 0.0), 0.0)),
            (20, Some(last)) => last.0.y = number(),
            (42, Some(last)) => last.1 = number(),
            _ => {}
        }
    }
    out
}

pub(super) fn polyline(vertices: &[(Point, f64)], closed: bool) -> (Vec<Curve>, bool) {
    let n = vertices.len();
    let edges = if closed { n } else { n.saturating_sub(1) };
    let curves = (0..edges)
        .map(|i| Segment { start: vertices[i].0, end: vertices[(i + 1) % n].0, bulge: vertices[i].1 })
        .filter(|s| s.chord() > 0.0 || edges == 1)
        .map(|s| Curve::segment(&s))
        .collect();
    (curves, closed)
}

pub(super) fn spline(r: &Record) -> Option<(Vec<Curve>, bool)> {
    let closed = r.integer(70) & 1 == 1;
    let controls = r.points(10);
    if controls.len() > 1 {
        let degree = usize::try_from(r.integer(71)).ok()?;
        if let Some(nurbs) = Nurbs::new(degree, r.numbers(40), &controls, &r.numbers(41)) {
            return Some((vec![Curve::Spline(Arc::new(nurbs))], closed));
        }
    }
    let through = r.points(11);
    (through.len() > 1).then(|| (smooth_through(&through, closed), closed))
}

/// A smooth line through points, each tangent parallel to its neighbours' chord (Catmull and Rom, 1974).
pub(super) fn smooth_through(points: &[Point], closed: bool) -> Vec<Curve> {
    let n = points.len();
    let at = |i: isize| {
        let k = if closed { i.rem_euclid(n as isize) } else { i.clamp(0, n as isize - 1) };
        points[k as usize]
    };
    let edges = if closed && points[0].distance(points[n - 1]) > 1e-9 { n } else { n - 1 };
    (0..edges as isize)
        .map(|i| {
            let (a, b, c, d) = (at(i - 1), at(i), at(i + 1), at(i + 2));
            Curve::Cubic(kurbo::CubicBez::new(b, b + (c - a) / 6.0, c - (d - b) / 6.0, c))
        })
        .collect()
}

pub(super) fn insert(r: &Record) -> Option<Insert> {
    let (columns, rows) = (r.or(70, 1.0).max(1.0), r.or(71, 1.0).max(1.0));
    if columns * rows > MOST_COPIES {
        return None;
    }
    Some(Insert {
        block: r.text(2)?.to_owned(),
        at: r.point(10).to_vec2(),
        scale: (r.or(41, 1.0), r.or(42, 1.0)),
        angle: r.number(50).to_radians(),
        columns: columns as u32,
        rows: rows as u32,
        pitch: (r.number(44), r.number(45)),
        mirror: mirror(r),
    })
}

/// MTEXT without its formatting codes.
pub(super) fn plain(text: &str) -> String {
    let mut out = String::new();
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '\\' => match chars.next() {
                Some('P' | '~') => out.push(' '),
                Some(c @ ('\\' | '{' | '}')) => out.push(c),
                Some('L' | 'l' | 'O' | 'o' | 'K' | 'k') | None => {}
                Some(_) => {
                    for c in chars.by_ref() {
                        if c == ';' {
                            break;
                        }
                    }
                }
            },
            '{' | '}' => {}
            c => out.push(c),
        }
    }
    out
}

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

/// An extrusion whose x and y are smaller than this counts as along z for the arbitrary axis (DXF reference, "Arbitrary Axis Algorithm").
const ALONG_Z: f64 = 1.0 / 64.0;

/// The normal of an entity's plane, of length 1; along z where none is given.
pub(super) fn normal(r: &Record) -> [f64; 3] {
    let n = [r.number(210), r.number(220), r.or(230, 1.0)];
    let length = n.iter().map(|v| v * v).sum::<f64>().sqrt();
    if length > 1e-9 && length.is_finite() { n.map(|v| v / length) } else { [0.0, 0.0, 1.0] }
}

/// True for an entity in a plane that is neither the drawing's nor that seen from below.
pub(super) fn is_tilted(r: &Record) -> bool {
    normal(r)[2].abs() < 1.0 - 1e-6
}

fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

/// From an entity's plane, `elevation` above the origin, to the drawing as it is seen from above: by the arbitrary axis of the
/// extrusion. Seen from below that mirrors x.
pub(super) fn plane(r: &Record, elevation: f64) -> Affine {
    let n = normal(r);
    let unit = |v: [f64; 3]| {
        let length = v.iter().map(|v| v * v).sum::<f64>().sqrt();
        v.map(|v| v / length)
    };
    let x = unit(if n[0].abs() < ALONG_Z && n[1].abs() < ALONG_Z { cross([0.0, 1.0, 0.0], n) } else { cross([0.0, 0.0, 1.0], n) });
    let y = cross(n, x);
    Affine::new([x[0], x[1], y[0], y[1], elevation * n[0], elevation * n[1]])
}

/// Curves of an entity's plane as they lie in the drawing.
pub(super) fn laid(r: &Record, elevation: i32, curves: Vec<Curve>) -> Vec<Curve> {
    if normal(r) == [0.0, 0.0, 1.0] {
        return curves;
    }
    let plane = plane(r, r.number(elevation));
    curves.iter().map(|c| c.transformed(plane)).collect()
}

/// Its centre and axes are the drawing's own; the lesser axis is square to the greater in its plane.
pub(super) fn ellipse(r: &Record) -> Vec<Curve> {
    let along = [r.number(11), r.number(21), r.number(31)];
    let across = cross(normal(r), along);
    let u = Vec2::new(along[0], along[1]);
    let v = Vec2::new(across[0], across[1]) * r.or(40, 1.0);
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

/// An entity wider than this, mm or units where none are said, is an area and no line of a pen's width.
const AN_AREA: f64 = 0.5;

/// Widths at both ends of each edge of a polyline, where any is so wide that it is an area.
pub(super) fn widths(r: &Record) -> Option<Vec<(f64, f64)>> {
    let constant = r.number(43);
    let mut out: Vec<(f64, f64)> = Vec::new();
    for (code, value) in r.groups {
        let number = || value.trim().parse::<f64>().unwrap_or(0.0).max(0.0);
        match (code, out.last_mut()) {
            (10, _) => out.push((constant, constant)),
            (40, Some(last)) => last.0 = number(),
            (41, Some(last)) => last.1 = number(),
            _ => {}
        }
    }
    wide(out)
}

/// The widths where any is an area's.
pub(super) fn wide(widths: Vec<(f64, f64)>) -> Option<Vec<(f64, f64)>> {
    widths.iter().any(|w| w.0.max(w.1) > AN_AREA).then_some(widths)
}

/// What a line of changing width covers: outlines and openings. Its corners are mitred. `None` where it cannot be told.
pub(super) fn swept(vertices: &[(Point, f64)], widths: &[(f64, f64)], closed: bool) -> Option<Vec<Vec<Curve>>> {
    let n = vertices.len();
    let edges = if closed { n } else { n.saturating_sub(1) };
    let mut areas: Vec<Path> = Vec::new();
    let mut sides: Vec<(Segment, f64, f64)> = Vec::new();
    for i in 0..edges {
        let s = Segment { start: vertices[i].0, end: vertices[(i + 1) % n].0, bulge: vertices[i].1 };
        let (begin, end) = *widths.get(i)?;
        if s.chord() < 1e-9 {
            continue;
        }
        sides.push((s, begin / 2.0, end / 2.0));
        let across = |share: f64, by: f64| s.at(share) + s.direction(share).turn_90() * by;
        let even = (begin - end).abs() < 1e-9;
        let side = |by: f64, last: f64| Segment {
            start: across(0.0, by),
            end: across(1.0, last),
            // Beside an arc of one width lies an arc about the same centre.
            bulge: if even { s.bulge } else { 0.0 },
        };
        if !s.is_line() && (!even || s.radius() <= begin / 2.0) {
            return None;
        }
        let (left, right) = (side(begin / 2.0, end / 2.0), side(-begin / 2.0, -end / 2.0).reversed());
        areas.push(Path::new(vec![left, Segment::line(left.end, right.start), right, Segment::line(right.end, left.start)], true));
    }
    let joints = if closed { sides.len() } else { sides.len().saturating_sub(1) };
    for i in 0..joints {
        let ((a, _, half), (b, begin, _)) = (sides[i], sides[(i + 1) % sides.len()]);
        let (way, next) = (a.direction(1.0), b.direction(0.0));
        let turn = way.cross(next);
        if turn.abs() < 1e-6 || (half - begin).abs() > 1e-9 {
            continue;
        }
        // The outer side of the corner.
        let side = if turn > 0.0 { -half } else { half };
        let (p, q) = (a.end + way.turn_90() * side, b.start + next.turn_90() * side);
        let reach = half * ((1.0 - way.dot(next)) / (1.0 + way.dot(next)).max(1e-6)).sqrt();
        // Sharper corners are cut straight.
        let tip = (reach <= 4.0 * half).then(|| p + way * reach);
        areas.push(Path::polygon(&[Some(a.end), Some(p), tip, Some(q)].into_iter().flatten().collect::<Vec<_>>()));
    }
    let filled: Vec<Filled> = areas.iter().map(|a| Filled { outlines: vec![a], winding: true }).collect();
    let outlines = shown(&filled).filter(|o| !o.is_empty())?;
    Some(outlines.iter().map(|p| p.segments.iter().map(Curve::segment).collect()).collect())
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
    let tangent = |code: i32| Some(r.point(code).to_vec2()).filter(|t| t.hypot() > 1e-9);
    (through.len() > 1).then(|| (smooth_through(&through, closed, (tangent(12), tangent(13))), closed))
}

/// The curve through points that bends as little as it can: a cubic spline over their chords' lengths, its ends straight or along the
/// given tangents, joined smoothly where it is closed (de Boor, A Practical Guide to Splines, chapter IV).
pub(super) fn smooth_through(points: &[Point], closed: bool, (begin, end): (Option<Vec2>, Option<Vec2>)) -> Vec<Curve> {
    let mut points = points.to_vec();
    points.dedup_by(|a, b| a.distance(*b) < 1e-9);
    if closed && points.len() > 2 && points[0].distance(points[points.len() - 1]) > 1e-9 {
        points.push(points[0]);
    }
    let n = points.len();
    if n < 2 {
        return Vec::new();
    }
    let h: Vec<f64> = points.windows(2).map(|w| w[0].distance(w[1])).collect();
    let chord: Vec<Vec2> = points.windows(2).zip(&h).map(|(w, h)| (w[1] - w[0]) / *h).collect();
    // Rows for the tangent at each point: what it counts, its neighbours, and what they come to.
    let (mut below, mut own, mut above, mut right) = (vec![0.0; n], vec![1.0; n], vec![0.0; n], vec![Vec2::ZERO; n]);
    for i in 1..n - 1 {
        (below[i], own[i], above[i]) = (h[i], 2.0 * (h[i - 1] + h[i]), h[i - 1]);
        right[i] = (chord[i - 1] * h[i] + chord[i] * h[i - 1]) * 3.0;
    }
    let round = closed && n > 3;
    match begin.filter(|_| !round) {
        Some(t) => right[0] = t / t.hypot(),
        None => (own[0], above[0], right[0]) = (2.0, 1.0, chord[0] * 3.0),
    }
    match end.filter(|_| !round) {
        Some(t) => right[n - 1] = t / t.hypot(),
        None => (below[n - 1], own[n - 1], right[n - 1]) = (1.0, 2.0, chord[n - 2] * 3.0),
    }
    let tangents = if round { closed_tangents(&h, &chord) } else { in_rows(&below, &own, &above, right) };
    (0..n - 1)
        .map(|i| {
            let third = h[i] / 3.0;
            Curve::Cubic(kurbo::CubicBez::new(
                points[i],
                points[i] + tangents[i] * third,
                points[i + 1] - tangents[i + 1] * third,
                points[i + 1],
            ))
        })
        .collect()
}

/// Solves rows of three (Thomas's elimination).
fn in_rows(below: &[f64], own: &[f64], above: &[f64], mut right: Vec<Vec2>) -> Vec<Vec2> {
    let n = own.len();
    let mut factor = vec![0.0; n];
    for i in 0..n {
        let (before, value) = if i == 0 { (0.0, Vec2::ZERO) } else { (factor[i - 1], right[i - 1]) };
        let pivot = own[i] - below[i] * before;
        factor[i] = above[i] / pivot;
        right[i] = (right[i] - value * below[i]) / pivot;
    }
    for i in (0..n.saturating_sub(1)).rev() {
        right[i] = right[i] - right[i + 1] * factor[i];
    }
    right
}

/// Tangents of a closed curve: the rows go round, which is solved by two that do not (Sherman and Morrison).
fn closed_tangents(h: &[f64], chord: &[Vec2]) -> Vec<Vec2> {
    let n = h.len();
    let before = |i: usize| (i + n - 1) % n;
    let below: Vec<f64> = (0..n).map(|i| h[i]).collect();
    let above: Vec<f64> = (0..n).map(|i| h[before(i)]).collect();
    let mut own: Vec<f64> = (0..n).map(|i| 2.0 * (h[before(i)] + h[i])).collect();
    let right: Vec<Vec2> = (0..n).map(|i| (chord[before(i)] * h[i] + chord[i] * h[before(i)]) * 3.0).collect();
    let (corner, other) = (below[0], above[n - 1]);
    let gamma = -own[0];
    own[0] -= gamma;
    own[n - 1] -= corner * other / gamma;
    let mut beside = vec![Vec2::ZERO; n];
    beside[0] = Vec2::new(gamma, 0.0);
    beside[n - 1] = Vec2::new(other, 0.0);
    let plain = in_rows(&below, &own, &above, right);
    let beside = in_rows(&below, &own, &above, beside);
    let share = corner / gamma;
    let factor = (plain[0] + plain[n - 1] * share) / (1.0 + beside[0].x + share * beside[n - 1].x);
    let mut out: Vec<Vec2> = plain.iter().zip(&beside).map(|(p, b)| *p - factor * b.x).collect();
    out.push(out[0]);
    out
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
        plane: plane(r, r.number(30)),
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

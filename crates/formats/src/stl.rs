//! STL: the flat faces of a solid, laid side by side as parts.
//!
//! Triangles that share an edge and a plane make a face. Faces of one size and shape share a style, so that the drawing
//! key lists them with their number; edges where two faces join carry the same number on both. Curved walls fall into
//! facets too small to be parts; they are counted.

use crate::ReadError;
use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Nature, Shape, Style};
use boustrophe_core::geometry::{Affine, Curve, Path, Point, Segment, Vec2};
use boustrophe_core::lettering;
use std::collections::HashMap;
use std::io::Cursor;

/// Triangles read at most.
const MOST: usize = 1_000_000;
/// Faces belong to one plane when their normals differ by less than this, radians: half a degree.
const FLAT: f64 = 0.009;
/// A face smaller than this share of the largest is a facet of something curved.
const FACET: f64 = 0.01;
/// Faces laid out at most; what has more is no box.
const MOST_FACES: usize = 400;

type P3 = [f64; 3];

fn sub(a: P3, b: P3) -> P3 {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}
fn cross(a: P3, b: P3) -> P3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}
fn dot(a: P3, b: P3) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
fn unit(a: P3) -> Option<P3> {
    let n = dot(a, a).sqrt();
    (n > 1e-12).then(|| [a[0] / n, a[1] / n, a[2] / n])
}

/// A flat face: its boundary loops as vertex numbers, in its own plane.
struct Face {
    loops: Vec<Vec<usize>>,
    /// Plane coordinates of its vertices.
    flat: HashMap<usize, Point>,
    area: f64,
}

/// Reads a solid. Its unit is not in the file and will be asked for.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let broken = |what: String| ReadError::Broken { file: file.into(), line: 1, what };
    let damage = |e: std::io::Error| broken(format!("the solid is damaged ({e}). Export it again as STL."));
    let mut cursor = Cursor::new(bytes);
    let reader = stl_io::create_stl_reader(&mut cursor).map_err(damage)?;
    let mut mesh = Mesh::default();
    for triangle in reader {
        let t = triangle.map_err(damage)?;
        mesh.add(t.vertices.map(|v| [f64::from(v[0]), f64::from(v[1]), f64::from(v[2])]));
        if mesh.triangles.len() > MOST {
            return Err(ReadError::TooMany { file: file.into() });
        }
    }
    if mesh.triangles.is_empty() {
        return Err(broken("there is no triangle in it. Export the solid again as STL.".into()));
    }
    let mut drawing = Drawing::new(file, FileUnits::Unsaid);
    lay_out(&mesh.faces(), &mut drawing);
    Ok(drawing)
}

#[derive(Default)]
struct Mesh {
    vertices: Vec<P3>,
    known: HashMap<[i64; 3], usize>,
    triangles: Vec<([usize; 3], P3)>,
}

impl Mesh {
    fn add(&mut self, corners: [P3; 3]) {
        let sane = |v: &f64| v.is_finite() && v.abs() <= Drawing::LARGEST_NUMBER;
        if !corners.iter().flatten().all(sane) {
            return;
        }
        let Some(normal) = unit(cross(sub(corners[1], corners[0]), sub(corners[2], corners[0]))) else { return };
        let ids = corners.map(|c| {
            let key = c.map(|v| (v * 1e4).round() as i64);
            *self.known.entry(key).or_insert_with(|| {
                self.vertices.push(c);
                self.vertices.len() - 1
            })
        });
        if ids[0] != ids[1] && ids[1] != ids[2] && ids[0] != ids[2] {
            self.triangles.push((ids, normal));
        }
    }

    /// Flat faces, the largest first.
    fn faces(&self) -> Vec<Face> {
        let mut by_edge: HashMap<(usize, usize), Vec<usize>> = HashMap::new();
        for (t, (ids, _)) in self.triangles.iter().enumerate() {
            for k in 0..3 {
                let (a, b) = (ids[k], ids[(k + 1) % 3]);
                by_edge.entry((a.min(b), a.max(b))).or_default().push(t);
            }
        }
        let mut group = vec![usize::MAX; self.triangles.len()];
        let mut faces = Vec::new();
        for seed in 0..self.triangles.len() {
            if group[seed] != usize::MAX {
                continue;
            }
            let normal = self.triangles[seed].1;
            let mut members = Vec::new();
            let mut open = vec![seed];
            group[seed] = seed;
            while let Some(t) = open.pop() {
                members.push(t);
                let ids = self.triangles[t].0;
                for k in 0..3 {
                    let (a, b) = (ids[k], ids[(k + 1) % 3]);
                    for &n in &by_edge[&(a.min(b), a.max(b))] {
                        // Against the first triangle's plane, so that a curved wall does not creep round.
                        if group[n] == usize::MAX && dot(self.triangles[n].1, normal) > FLAT.cos() {
                            group[n] = seed;
                            open.push(n);
                        }
                    }
                }
            }
            faces.extend(self.face(&members, normal));
        }
        faces.sort_by(|a, b| b.area.total_cmp(&a.area));
        faces
    }

    /// The boundary of a group of triangles in the plane of `normal`.
    fn face(&self, members: &[usize], normal: P3) -> Option<Face> {
        let mut directed: HashMap<(usize, usize), usize> = HashMap::new();
        for t in members {
            let ids = self.triangles[*t].0;
            for k in 0..3 {
                *directed.entry((ids[k], ids[(k + 1) % 3])).or_insert(0) += 1;
            }
        }
        let mut next: HashMap<usize, Vec<usize>> = HashMap::new();
        let mut edges: Vec<(usize, usize)> = directed.keys().copied().filter(|(a, b)| !directed.contains_key(&(*b, *a))).collect();
        edges.sort_unstable();
        edges.iter().for_each(|(a, b)| next.entry(*a).or_default().push(*b));
        // The plane's x axis along its longest edge, so that boxes come out upright.
        let longest = edges.iter().copied().max_by(|x, y| self.length(*x).total_cmp(&self.length(*y)))?;
        let ex = unit(sub(self.vertices[longest.1], self.vertices[longest.0]))?;
        let ey = cross(normal, ex);
        let origin = self.vertices[longest.0];
        let flat = |v: usize| {
            let d = sub(self.vertices[v], origin);
            Point::new(dot(d, ex), dot(d, ey))
        };
        let mut loops = Vec::new();
        for (start, _) in &edges {
            let mut ring = Vec::new();
            let mut at = *start;
            while let Some(to) = next.get_mut(&at).and_then(Vec::pop) {
                ring.push(at);
                at = to;
                if at == *start || ring.len() > edges.len() {
                    break;
                }
            }
            if ring.len() >= 3 {
                loops.push(ring);
            }
        }
        let flat: HashMap<usize, Point> = loops.iter().flatten().map(|v| (*v, flat(*v))).collect();
        let area = members.iter().map(|t| self.area(*t)).sum();
        (!loops.is_empty()).then_some(Face { loops, flat, area })
    }

    fn length(&self, (a, b): (usize, usize)) -> f64 {
        let d = sub(self.vertices[a], self.vertices[b]);
        dot(d, d).sqrt()
    }
    fn area(&self, t: usize) -> f64 {
        let [a, b, c] = self.triangles[t].0.map(|v| self.vertices[v]);
        let n = cross(sub(b, a), sub(c, a));
        dot(n, n).sqrt() / 2.0
    }
}

impl Face {
    /// The outlines, neighbouring edges that run on straight joined.
    fn paths(&self) -> Vec<Path> {
        self.loops
            .iter()
            .map(|ring| {
                let n = ring.len();
                let p = |i: usize| self.flat[&ring[i % n]];
                let corner = |i: usize| {
                    let (a, b) = (p(i) - p(i + n - 1), p(i + 1) - p(i));
                    a.cross(b).abs() > 1e-6 * a.hypot() * b.hypot()
                };
                Path::polygon(&(0..n).filter(|i| corner(*i)).map(p).collect::<Vec<_>>())
            })
            .filter(|p| p.segments.len() >= 3)
            .collect()
    }

    /// Lengths and area that equal faces share.
    fn print(&self, paths: &[Path]) -> Vec<i64> {
        let mut sides: Vec<i64> = paths.iter().flat_map(|p| &p.segments).map(|s| (s.length() * 100.0).round() as i64).collect();
        sides.sort_unstable();
        sides.push((self.area * 10.0).round() as i64);
        sides
    }
}

/// Lays the faces in rows, names them by kind, and numbers the edges where two of them join.
fn lay_out(faces: &[Face], drawing: &mut Drawing) {
    let largest = faces.first().map_or(0.0, |f| f.area);
    let (parts, facets): (Vec<&Face>, Vec<&Face>) = faces.iter().partition(|f| f.area >= FACET * largest);
    for _ in 0..facets.len() + parts.len().saturating_sub(MOST_FACES) {
        drawing.skip("small facet");
    }
    let parts = &parts[..parts.len().min(MOST_FACES)];
    let mut joints: HashMap<(usize, usize), Vec<usize>> = HashMap::new();
    for (i, face) in parts.iter().enumerate() {
        for ring in &face.loops {
            for k in 0..ring.len() {
                let (a, b) = (ring[k], ring[(k + 1) % ring.len()]);
                joints.entry((a.min(b), a.max(b))).or_default().push(i);
            }
        }
    }
    let mut shared: Vec<(usize, usize)> = joints.iter().filter(|(_, f)| f.len() == 2 && f[0] != f[1]).map(|(e, _)| *e).collect();
    shared.sort_unstable();
    let number: HashMap<(usize, usize), usize> = shared.into_iter().enumerate().map(|(n, e)| (e, n + 1)).collect();

    let prints: Vec<Vec<i64>> = parts.iter().map(|f| f.print(&f.paths())).collect();
    let mut kinds: Vec<&Vec<i64>> = Vec::new();
    let (mut x, mut y, mut row) = (0.0, 0.0, 0.0_f64);
    let wide = parts.iter().map(|f| f.area).sum::<f64>().sqrt() * 1.6;
    for (face, print) in parts.iter().zip(&prints) {
        let paths = face.paths();
        let Some(b) = paths.iter().map(Path::bounds).reduce(boustrophe_core::geometry::Bounds::union) else { continue };
        let kind = kinds.iter().position(|k| *k == print).unwrap_or_else(|| {
            kinds.push(print);
            kinds.len() - 1
        });
        let count = prints.iter().filter(|p| *p == print).count();
        let gap = 0.04 * wide;
        if x > 0.0 && x + b.width() > wide {
            (x, y) = (0.0, y + row + gap);
            row = 0.0;
        }
        let home = Affine::translate(Vec2::new(x, y) - b.min.to_vec2());
        let layer = format!("face {} × {count}, {:.2} × {:.2}", letter(kind), b.width(), b.height());
        let style = drawing.style(&Style { layer, stroke: Some([0; 3]), ..Style::default() });
        for path in &paths {
            push(drawing, style, &path.transformed(home));
        }
        let numbers = drawing.style(&Style {
            layer: "edge numbers".into(),
            stroke: Some([0; 3]),
            nature: Nature::Writing,
            added: true,
            ..Style::default()
        });
        for path in edge_numbers(face, &number, &paths) {
            push(drawing, numbers, &path.transformed(home));
        }
        drawing.read += 1;
        x += b.width() + gap;
        row = row.max(b.height());
    }
}

fn push(drawing: &mut Drawing, style: usize, path: &Path) {
    let curves = path.segments.iter().map(Curve::segment).collect();
    drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: path.closed }));
}

/// A, B ... Z, AA ...
fn letter(n: usize) -> String {
    let c = char::from(b'A' + (n % 26) as u8);
    if n < 26 { c.to_string() } else { format!("{}{c}", letter(n / 26 - 1)) }
}

/// Numbers beside the joined edges, inside the face.
fn edge_numbers(face: &Face, number: &HashMap<(usize, usize), usize>, paths: &[Path]) -> Vec<Path> {
    let mut out = Vec::new();
    for ring in &face.loops {
        for k in 0..ring.len() {
            let (a, b) = (ring[k], ring[(k + 1) % ring.len()]);
            let Some(n) = number.get(&(a.min(b), a.max(b))) else { continue };
            let (p, q) = (face.flat[&a], face.flat[&b]);
            let edge = Segment::line(p, q);
            let height = (edge.length() * 0.12).min(face.area.sqrt() * 0.06);
            let text = lettering::strokes(&n.to_string(), height);
            // Outlines run anticlockwise: the inside is to the left.
            let inward = edge.direction(0.0).turn_90();
            let middle = p.midpoint(q) + inward * (height * 1.3);
            let place = Affine::translate(middle.to_vec2() - Vec2::new(text.width / 2.0, height / 2.0));
            let placed: Vec<Path> = text.paths.iter().map(|t| t.transformed(place)).collect();
            let inside = |q: Point| paths.iter().filter(|o| o.contains(q)).count() % 2 == 1;
            if placed.iter().flat_map(|t| &t.segments).all(|s| inside(s.start) && inside(s.end)) {
                out.extend(placed);
            }
        }
    }
    out
}

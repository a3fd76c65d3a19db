//! Faces laid side by side as parts, equal ones on one layer, their joined edges numbered and made ready to be joined.

use super::faces::Face;
use super::joints::{Joined, holes, key, shortened};
use super::{Joints, Solid, SolidChoices};
use crate::drawing::{Drawing, Entity, Nature, Shape, Style};
use crate::geometry::{Affine, Bounds, Curve, Path, Point, Segment, Vec2};
use crate::lettering;
use std::collections::HashMap;

/// A face smaller than this share of the largest is a facet of something curved.
const FACET: f64 = 0.01;
/// Faces laid out at most; what has more is no box.
const MOST_FACES: usize = 4000;

/// The faces that are parts, how many are too small, and how many too many.
pub(super) fn parts(faces: &[Face]) -> (Vec<&Face>, usize, usize) {
    let largest = faces.first().map_or(0.0, |f| f.area);
    let mut parts: Vec<&Face> = faces.iter().filter(|f| f.area >= FACET * largest).collect();
    let small = faces.len() - parts.len();
    let left = parts.len().saturating_sub(MOST_FACES);
    parts.truncate(MOST_FACES);
    (parts, small, left)
}

/// Lays the faces in rows, names them by kind, and numbers the edges where two of them join.
pub(super) fn lay_out(solid: &Solid, choices: &SolidChoices, mm: f64, drawing: &mut Drawing) {
    let mut faces = solid.faces(choices.apart);
    if !choices.apart && !choices.whole && super::plate::plate(solid, &faces).is_some() {
        for _ in 1..faces.len() {
            drawing.skip("other side or rim of a flat plate");
        }
        faces.truncate(1);
    }
    let (parts, small, left) = parts(&faces);
    for _ in 0..small {
        drawing.skip("small facet");
    }
    for _ in 0..left {
        drawing.skip("face beyond the 4000 largest");
    }
    let joined = Joined::of(solid, &parts);
    let outlines: Vec<Vec<Path>> = parts.iter().map(|f| shortened(f, &joined, choices.joints, mm)).collect();
    let tied = holes(&parts, &joined, choices.joints, mm, &outlines);
    let numbered = numbers(&parts, &joined, &outlines, inset(choices.joints, mm));
    let prints: Vec<Vec<i64>> = parts.iter().map(|f| f.print(&f.paths())).collect();
    let mut kinds: Vec<&Vec<i64>> = Vec::new();
    let (mut x, mut y, mut row) = (0.0, 0.0, 0.0_f64);
    let wide = parts.iter().map(|f| f.area).sum::<f64>().sqrt() * 1.6;
    for (at, print) in prints.iter().enumerate() {
        let paths = &outlines[at];
        let Some(b) = paths.iter().map(Path::bounds).reduce(Bounds::union) else { continue };
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
        for path in paths.iter().chain(&tied[at]) {
            push(drawing, style, &path.transformed(home));
        }
        let numbers = drawing.style(&Style {
            layer: "edge numbers".into(),
            stroke: Some([0; 3]),
            nature: Nature::Writing,
            added: true,
            ..Style::default()
        });
        for path in numbered[at].iter().flat_map(|(_, paths)| paths) {
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

/// How far numbers keep off the edge for the holes along it, in units of `mm`.
fn inset(joints: Joints, mm: f64) -> f64 {
    if let Joints::Ties { inset, diameter, .. } = joints { (inset + diameter / 2.0) / mm } else { 0.0 }
}

/// The numbers beside the joined edges of each face: those that have room on both faces, and equally high on both.
fn numbers(parts: &[&Face], joined: &Joined, outlines: &[Vec<Path>], inset: f64) -> Vec<Vec<(usize, Vec<Path>)>> {
    let mut all: Vec<Vec<(usize, Vec<Path>)>> =
        parts.iter().zip(outlines).map(|(face, paths)| edge_numbers(face, parts, joined, paths, inset)).collect();
    let mut count: HashMap<usize, usize> = HashMap::new();
    all.iter().flatten().for_each(|(n, _)| *count.entry(*n).or_default() += 1);
    all.iter_mut().for_each(|face| face.retain(|(n, _)| count[n] == 2));
    all
}

/// Numbers that have room beside the joined edges, inside the face.
fn edge_numbers(face: &Face, parts: &[&Face], joined: &Joined, paths: &[Path], inset: f64) -> Vec<(usize, Vec<Path>)> {
    let inside = |q: Point| paths.iter().filter(|o| o.contains(q)).count() % 2 == 1;
    let mut out: Vec<(usize, Vec<Path>)> = Vec::new();
    let mut taken: Vec<Bounds> = Vec::new();
    for ring in &face.loops {
        for k in 0..ring.len() {
            let (a, b) = (ring[k], ring[(k + 1) % ring.len()]);
            let Some(n) = joined.number.get(&key(a, b)) else { continue };
            let (p, q) = (face.flat[&a], face.flat[&b]);
            let edge = Segment::line(p, q);
            let smaller = joined.faces[&key(a, b)].iter().map(|f| parts[*f].area).fold(f64::INFINITY, f64::min);
            let height = (edge.length() * 0.12).min(smaller.sqrt() * 0.06);
            let text = lettering::strokes(&n.to_string(), height);
            // Outlines run anticlockwise: the inside is to the left.
            let inward = edge.direction(0.0).turn_90();
            let by = paths.iter().map(|o| o.nearest(p.midpoint(q)).distance).fold(f64::INFINITY, f64::min);
            let middle = p.midpoint(q) + inward * (height * 1.3 + by + inset);
            let place = Affine::translate(middle.to_vec2() - Vec2::new(text.width / 2.0, height / 2.0));
            let placed: Vec<Path> = text.paths.iter().map(|t| t.transformed(place)).collect();
            // In a narrow face the numbers of two edges would stand on each other.
            let filled = placed.iter().map(Path::bounds).fold(Bounds::EMPTY, Bounds::union);
            let free = !taken.iter().any(|t| t.grown(0.2 * height).meets(&filled));
            if free && placed.iter().flat_map(|t| &t.segments).all(|s| inside(s.start) && inside(s.end)) {
                taken.push(filled);
                out.push((*n, placed));
            }
        }
    }
    out
}

//! What is done along the edges where faces join.

use super::faces::Face;
use super::{Joints, P3, Solid, SolidChoices, cross, dot, sub, unit};
use crate::geometry::{Path, Point, Region, Vec2};
use std::collections::HashMap;
use std::f64::consts::PI;

/// An edge of the mesh, the lower corner's number first.
pub(super) type Edge = (usize, usize);

/// Two faces that join along an edge.
#[derive(Clone, Debug, PartialEq)]
pub struct Pair {
    /// The number that stands on both.
    pub number: usize,
    /// Which faces, counted from 1 as they are laid.
    pub faces: [usize; 2],
    /// Length of the edge, mm.
    pub length: f64,
    /// The angle between the two inside the solid, degrees.
    pub angle: f64,
    /// By how much each is cut back, mm.
    pub shortened: f64,
    /// The bevel off square that edges meet with without a gap, degrees.
    pub bevel: f64,
}

/// Edges where two of the faces join, numbered from 1: for each the faces, and the angle between them inside, radians.
pub(super) struct Joined {
    pub(super) number: HashMap<Edge, usize>,
    pub(super) faces: HashMap<Edge, [usize; 2]>,
    pub(super) angle: HashMap<Edge, f64>,
}

pub(super) fn key(a: usize, b: usize) -> Edge {
    (a.min(b), a.max(b))
}

impl Joined {
    pub(super) fn of(solid: &Solid, faces: &[&Face]) -> Self {
        let mut joints: HashMap<Edge, Vec<usize>> = HashMap::new();
        for (i, face) in faces.iter().enumerate() {
            for ring in &face.loops {
                (0..ring.len()).for_each(|k| joints.entry(key(ring[k], ring[(k + 1) % ring.len()])).or_default().push(i));
            }
        }
        let mut shared: Vec<(Edge, [usize; 2])> =
            joints.into_iter().filter(|(_, f)| f.len() == 2 && f[0] != f[1]).map(|(e, f)| (e, [f[0], f[1]])).collect();
        shared.sort_unstable();
        let angle = shared.iter().map(|(e, f)| (*e, inside(solid, *e, f.map(|i| faces[i])))).collect();
        let number = shared.iter().enumerate().map(|(n, (e, _))| (*e, n + 1)).collect();
        Self { number, faces: shared.into_iter().collect(), angle }
    }
}

/// The angle between two faces inside the solid, radians: less than π where they meet in a ridge.
fn inside(solid: &Solid, (a, b): Edge, [f, g]: [&Face; 2]) -> f64 {
    let Some(along) = unit(sub(solid.vertices[b], solid.vertices[a])) else { return PI };
    // Away from the edge, in each face: which way the face lies is told by the way it runs along the edge.
    let away = |face: &Face| -> P3 {
        let inward = cross(face.normal, along);
        if runs(face, a, b) { inward } else { inward.map(|v| -v) }
    };
    let (u, v) = (away(f), away(g));
    let between = dot(u, v).clamp(-1.0, 1.0).acos();
    // Where the other face lies on the outer side of this one the edge is a valley.
    if dot(f.normal, v) > 1e-9 { 2.0 * PI - between } else { between }
}

/// How far a face ends from an edge of the solid, in units of `mm`: t / tan(θ / 2), and nothing in a valley.
fn back(joints: Joints, angle: f64, mm: f64) -> f64 {
    let Joints::Shortened { thickness } = joints else { return 0.0 };
    if angle >= PI - 1e-6 { 0.0 } else { thickness / mm / (angle / 2.0).tan() }
}

/// The outlines of a face with its joined edges cut back.
pub(super) fn shortened(face: &Face, joined: &Joined, joints: Joints, mm: f64) -> Vec<Path> {
    let whole = face.paths();
    let strips: Vec<(Point, Point, f64)> = edges(face)
        .filter_map(|(e, p, q)| Some((p, q, back(joints, *joined.angle.get(&e)?, mm))))
        .filter(|(_, _, by)| *by > 1e-9)
        .collect();
    if strips.is_empty() {
        return whole;
    }
    let convex = whole.len() == 1 && is_convex(&whole[0]);
    if convex {
        let mut ring: Vec<Point> = whole[0].segments.iter().map(|s| s.start).collect();
        for (p, q, by) in &strips {
            ring = beyond(&ring, *p, *q, *by);
        }
        return if ring.len() >= 3 { vec![Path::polygon(&ring)] } else { Vec::new() };
    }
    let mut area = Region::within(&whole.iter().collect::<Vec<_>>());
    for (p, q, by) in strips {
        let inward = (q - p).turn_90() / (q - p).hypot() * by;
        // A little beyond the edge, so that nothing of it is left.
        let (out, along) = (inward * -0.1, (q - p) * 1e-9);
        let strip = Path::polygon(&[p + out - along, q + out + along, q + inward + along, p + inward - along]);
        area = area.minus(&Region::within(&[&strip]));
    }
    area.outlines()
}

fn edges(face: &Face) -> impl Iterator<Item = (Edge, Point, Point)> + '_ {
    face.loops.iter().flat_map(move |ring| {
        (0..ring.len()).map(move |k| {
            let (a, b) = (ring[k], ring[(k + 1) % ring.len()]);
            (key(a, b), face.flat[&a], face.flat[&b])
        })
    })
}

fn is_convex(path: &Path) -> bool {
    let n = path.segments.len();
    (0..n).all(|k| {
        let (a, b) = (path.segments[k], path.segments[(k + 1) % n]);
        (a.end - a.start).cross(b.end - b.start) >= -1e-9
    })
}

/// What of a convex outline lies further than `by` inside a line (Sutherland and Hodgman, 1974).
fn beyond(ring: &[Point], p: Point, q: Point, by: f64) -> Vec<Point> {
    let inward = (q - p).turn_90() / (q - p).hypot();
    let far = |r: Point| (r - p).dot(inward) - by;
    let mut out = Vec::new();
    for (k, a) in ring.iter().enumerate() {
        let b = ring[(k + 1) % ring.len()];
        let (s, t) = (far(*a), far(b));
        if s >= 0.0 {
            out.push(*a);
        }
        if (s >= 0.0) != (t >= 0.0) {
            out.push(a.lerp(b, s / (s - t)));
        }
    }
    out.dedup_by(|a, b| a.distance(*b) < 1e-9);
    out
}

/// Holes for ties along the joined edges of all faces, in units of `mm`: about the middle of each edge, at the same places in
/// both faces, and off its ends as far as off the edge. What has no room in one of the two is in neither.
pub(super) fn holes(parts: &[&Face], joined: &Joined, joints: Joints, mm: f64, outlines: &[Vec<Path>]) -> Vec<Vec<Path>> {
    let mut made: Vec<Vec<Point>> = vec![Vec::new(); parts.len()];
    let Joints::Ties { pitch, inset, diameter } = joints else { return vec![Vec::new(); parts.len()] };
    let (pitch, inset, radius) = (pitch / mm, inset / mm, diameter / 2.0 / mm);
    let mut all: Vec<(&Edge, &[usize; 2])> = joined.faces.iter().collect();
    all.sort_unstable();
    for ((a, b), both) in all {
        let flat = both.map(|f| (parts[f].flat[a], parts[f].flat[b]));
        let length = flat[0].0.distance(flat[0].1);
        let room = length - 2.0 * inset.max(2.0 * radius);
        if room < 0.0 {
            continue;
        }
        let n = (room / pitch).floor() as usize;
        for k in 0..=n {
            let along = (k as f64 - n as f64 / 2.0) * pitch;
            // The face lies to the left where its outline runs from a to b, to the right where it runs back.
            let at = [0, 1].map(|side| {
                let (p, q) = flat[side];
                let unit: Vec2 = (q - p) / length;
                let left = runs(parts[both[side]], *a, *b);
                p.midpoint(q) + unit * along + unit.turn_90() * if left { inset } else { -inset }
            });
            let clear = |side: usize| {
                let (f, at) = (both[side], at[side]);
                outlines[f].iter().all(|o| o.nearest(at).distance >= radius * 1.5)
                    && made[f].iter().all(|c| c.distance(at) > 2.5 * radius)
                    && outlines[f].iter().filter(|o| o.contains(at)).count() % 2 == 1
            };
            if clear(0) && clear(1) {
                (0..2).for_each(|side| made[both[side]].push(at[side]));
            }
        }
    }
    made.into_iter().map(|at| at.into_iter().map(|p| Path::circle(p, radius)).collect()).collect()
}

/// True where a face's outline runs from one corner to the other.
fn runs(face: &Face, a: usize, b: usize) -> bool {
    face.loops.iter().any(|ring| (0..ring.len()).any(|k| ring[k] == a && ring[(k + 1) % ring.len()] == b))
}

pub(super) fn pairs(solid: &Solid, choices: &SolidChoices, mm: f64) -> Vec<Pair> {
    let faces = solid.faces(choices.apart);
    let (parts, ..) = super::lay::parts(&faces);
    let joined = Joined::of(solid, &parts);
    let mut all: Vec<Pair> = joined
        .number
        .iter()
        .map(|(e, number)| {
            let (f, angle) = (joined.faces[e], joined.angle[e]);
            Pair {
                number: *number,
                faces: f.map(|i| i + 1),
                length: solid.length(*e) * mm,
                angle: angle.to_degrees(),
                shortened: back(choices.joints, angle, mm) * mm,
                bevel: (90.0 - angle.to_degrees() / 2.0).max(0.0),
            }
        })
        .collect();
    all.sort_by_key(|p| p.number);
    all
}

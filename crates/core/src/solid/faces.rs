//! Flat faces of a mesh: triangles that share an edge and a plane, or each triangle for itself.

use super::{P3, Solid, cross, dot, sub, unit};
use crate::geometry::{Path, Point};
use std::collections::HashMap;

/// Faces belong to one plane when their normals differ by less than this, radians: half a degree.
const FLAT: f64 = 0.009;

/// A flat face: its boundary loops as vertex numbers, in its own plane.
pub(super) struct Face {
    pub(super) loops: Vec<Vec<usize>>,
    /// Plane coordinates of its vertices.
    pub(super) flat: HashMap<usize, Point>,
    pub(super) area: f64,
    /// Outward.
    pub(super) normal: P3,
}

impl Solid {
    /// Flat faces, the largest first; with `apart` each triangle is one.
    pub(super) fn faces(&self, apart: bool) -> Vec<Face> {
        let mut by_edge: HashMap<(usize, usize), Vec<usize>> = HashMap::new();
        let normals: Vec<P3> = self.triangles.iter().map(|t| self.normal(*t).unwrap_or_default()).collect();
        for (t, ids) in self.triangles.iter().enumerate() {
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
            let normal = normals[seed];
            let mut members = Vec::new();
            let mut open = vec![seed];
            group[seed] = seed;
            while let Some(t) = open.pop() {
                members.push(t);
                let ids = self.triangles[t];
                for k in 0..3 {
                    let (a, b) = (ids[k], ids[(k + 1) % 3]);
                    for &n in &by_edge[&(a.min(b), a.max(b))] {
                        // Against the first triangle's plane, so that a curved wall does not creep round.
                        if !apart && group[n] == usize::MAX && dot(normals[n], normal) > FLAT.cos() {
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
            let ids = self.triangles[*t];
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
        (!loops.is_empty()).then_some(Face { loops, flat, area, normal })
    }

    pub(super) fn length(&self, (a, b): (usize, usize)) -> f64 {
        let d = sub(self.vertices[a], self.vertices[b]);
        dot(d, d).sqrt()
    }
    fn area(&self, t: usize) -> f64 {
        let [a, b, c] = self.triangles[t].map(|v| self.vertices[v]);
        let n = cross(sub(b, a), sub(c, a));
        dot(n, n).sqrt() / 2.0
    }
}

impl Face {
    /// The outlines, neighbouring edges that run on straight joined.
    pub(super) fn paths(&self) -> Vec<Path> {
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
    pub(super) fn print(&self, paths: &[Path]) -> Vec<i64> {
        let mut sides: Vec<i64> = paths.iter().flat_map(|p| &p.segments).map(|s| (s.length() * 100.0).round() as i64).collect();
        sides.sort_unstable();
        sides.push((self.area * 10.0).round() as i64);
        sides
    }
}

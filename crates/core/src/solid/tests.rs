//! Solids put together again in space: plates with bevel-less edges, thick inward, share no room and leave no needless gap.

use super::faces::Face;
use super::joints::{Joined, holes, shortened};
use super::*;
use crate::geometry::{Path, Point};
use proptest::prelude::*;
use std::f64::consts::TAU;

/// A body of revolution in `n` steps through rings of (radius, height), closed by points or flat ends.
fn turned(n: usize, rings: &[(f64, f64)]) -> Solid {
    let mut vertices: Vec<P3> = Vec::new();
    let mut at: Vec<Vec<usize>> = Vec::new();
    for (r, z) in rings {
        let count = if *r == 0.0 { 1 } else { n };
        at.push(
            (0..count)
                .map(|k| {
                    let a = TAU * k as f64 / n as f64;
                    vertices.push([r * a.cos(), r * a.sin(), *z]);
                    vertices.len() - 1
                })
                .collect(),
        );
    }
    let mut triangles = Vec::new();
    for w in at.windows(2) {
        for k in 0..n {
            let of = |ring: &Vec<usize>, k: usize| ring[k % ring.len()];
            let (a, b, c, d) = (of(&w[0], k), of(&w[0], k + 1), of(&w[1], k + 1), of(&w[1], k));
            triangles.extend([[a, b, c], [a, c, d]]);
        }
    }
    for (ring, down) in [(&at[0], true), (at.last().expect("rings"), false)] {
        for k in 1..ring.len().saturating_sub(1) {
            triangles.push(if down { [ring[0], ring[k + 1], ring[k]] } else { [ring[0], ring[k], ring[k + 1]] });
        }
    }
    triangles.retain(|t| t[0] != t[1] && t[1] != t[2] && t[0] != t[2]);
    Solid { vertices, triangles }
}

/// Where a point of a face's own plane is in space: from three of its corners.
fn in_space(solid: &Solid, face: &Face, p: Point) -> P3 {
    let ring = &face.loops[0];
    let [a, b, c] = [0, 1, 2].map(|k| ring[k * ring.len() / 3]);
    let (fa, fb, fc) = (face.flat[&a], face.flat[&b], face.flat[&c]);
    let det = (fb - fa).cross(fc - fa);
    let (u, v) = ((p - fa).cross(fc - fa) / det, (fb - fa).cross(p - fa) / det);
    let (pa, pb, pc) = (solid.vertices[a], solid.vertices[b], solid.vertices[c]);
    [0, 1, 2].map(|k| pa[k] + u * (pb[k] - pa[k]) + v * (pc[k] - pa[k]))
}

/// Places all over a plate: on its outline, within it, from its outer to its inner side.
fn places(solid: &Solid, face: &Face, outline: &Path, thick: f64) -> Vec<P3> {
    let points: Vec<Point> = outline.segments.iter().flat_map(|s| (0..8).map(move |k| s.at(f64::from(k) / 8.0))).collect();
    let middle = outline.centroid();
    let mut out = Vec::new();
    for p in points {
        for towards in [1e-6, 0.02, 0.2, 0.6] {
            let at = in_space(solid, face, p.lerp(middle, towards));
            for depth in [0.02, 0.5, 0.98] {
                out.push([0, 1, 2].map(|k| at[k] - face.normal[k] * thick * depth));
            }
        }
    }
    out
}

/// How deep a place lies in a plate, mm: negative beside it.
fn depth(solid: &Solid, face: &Face, outline: &Path, thick: f64, p: P3) -> f64 {
    let ring = &face.loops[0];
    let a = ring[0];
    let d = sub(p, solid.vertices[a]);
    let below = -dot(d, face.normal);
    // Its axes in space, from what two corners' flat places are.
    let [o, x, y] = [Point::ZERO, Point::new(1.0, 0.0), Point::new(0.0, 1.0)].map(|q| in_space(solid, face, q));
    let (ex, ey) = (sub(x, o), sub(y, o));
    let flat = Point::new(dot(sub(p, o), ex), dot(sub(p, o), ey));
    let side = outline.nearest(flat).distance * if outline.contains(flat) { 1.0 } else { -1.0 };
    below.min(thick - below).min(side)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(boustrophe_house::played(48)))]
    /// Shortened, no two plates share room; with less taken off they would.
    #[test]
    fn shortened_plates_share_no_room(n in 3..10_usize, r in 60.0..140.0_f64, waist in 0.5..1.0_f64, h in 40.0..160.0_f64, t in 1.0..6.0_f64, shape in 0..3_usize) {
        let solid = match shape {
            0 => turned(n, &[(r, 0.0), (r * waist, h)]),
            1 => turned(n, &[(0.0, -h), (r, 0.0), (0.0, h * waist)]),
            _ => turned(n, &[(r * waist, 0.0), (r, h * 0.6), (r * 0.4, h)]),
        };
        let faces = solid.faces(false);
        let parts: Vec<&Face> = faces.iter().collect();
        let joined = Joined::of(&solid, &parts);
        prop_assert_eq!(joined.number.len() * 2, parts.iter().map(|f| f.loops[0].len()).sum::<usize>(), "every edge is joined");
        let cut = |t: f64| -> Vec<Path> { parts.iter().map(|f| shortened(f, &joined, Joints::Shortened { thickness: t }, 1.0).swap_remove(0)).collect() };
        let share = |outlines: &[Path]| {
            let mut deepest = 0.0_f64;
            for (i, f) in parts.iter().enumerate() {
                for p in places(&solid, f, &outlines[i], t) {
                    for (j, g) in parts.iter().enumerate().filter(|(j, _)| *j != i) {
                        deepest = deepest.max(depth(&solid, g, &outlines[j], t, p));
                    }
                }
            }
            deepest
        };
        prop_assume!(parts.iter().all(|f| shortened(f, &joined, Joints::Shortened { thickness: t * 1.6 }, 1.0).first().is_some_and(|p| p.area() > 100.0)));
        let just = share(&cut(t));
        prop_assert!(just < 1e-6 * r, "{just}");
        prop_assert!(share(&cut(t * 0.7)) > 0.01 * t, "and no more is taken off than that");
    }

    /// Holes for ties lie in both faces at the same places along their edge, and as far from it.
    #[test]
    fn holes_for_ties_face_each_other(n in 3..9_usize, r in 40.0..140.0_f64, h in 40.0..160.0_f64, pitch in 6.0..30.0_f64, inset in 3.0..8.0_f64) {
        let solid = turned(n, &[(0.0, -h), (r, 0.0), (0.0, h)]);
        let faces = solid.faces(false);
        let parts: Vec<&Face> = faces.iter().collect();
        let joined = Joined::of(&solid, &parts);
        let ties = Joints::Ties { pitch, inset, diameter: 2.0 };
        let outlines: Vec<Vec<Path>> = parts.iter().map(|f| f.paths()).collect();
        let made: Vec<Vec<P3>> = holes(&parts, &joined, ties, 1.0, &outlines)
            .iter()
            .zip(&parts)
            .map(|(holes, f)| holes.iter().map(|c| in_space(&solid, f, c.bounds().center())).collect())
            .collect();
        prop_assert!(r < 60.0 || made.iter().any(|m| !m.is_empty()));
        for ((a, b), [f, g]) in &joined.faces {
            let (p, q) = (solid.vertices[*a], solid.vertices[*b]);
            let along = unit(sub(q, p)).expect("an edge");
            let off = |c: &P3| { let d = sub(*c, p); let t = dot(d, along); (t, dot(d, d) - t * t) };
            let of = |f: usize| -> Vec<i64> {
                let mut t: Vec<i64> = made[f].iter().map(off).filter(|(_, d)| (d.sqrt() - inset).abs() < 1e-6).map(|(t, _)| (t * 1e4).round() as i64).collect();
                t.sort_unstable();
                t
            };
            let (mine, theirs) = (of(*f), of(*g));
            // Holes of other edges may happen to be as far off; all faces here are alike, so they are there twice.
            prop_assert_eq!(&mine, &theirs);
        }
    }
}

#[test]
fn angles_are_those_of_the_solid() {
    let pairs = |s: &Solid, t: f64| s.pairs(&SolidChoices { joints: Joints::Shortened { thickness: t }, ..SolidChoices::default() }, 1.0);
    let cube = turned(4, &[(50.0, 0.0), (50.0, 70.0)]);
    assert!(
        pairs(&cube, 3.0)
            .iter()
            .all(|p| (p.angle - 90.0).abs() < 1e-6 && (p.shortened - 3.0).abs() < 1e-6 && (p.bevel - 45.0).abs() < 1e-6)
    );
    assert_eq!(pairs(&cube, 3.0).len(), 12);
    // A funnel on a cylinder of six: at its foot the solid goes in.
    let vase = turned(6, &[(60.0, 0.0), (60.0, 50.0), (20.0, 50.001), (20.0, 90.0)]);
    let valley: Vec<_> = pairs(&vase, 3.0).into_iter().filter(|p| p.angle > 180.0).collect();
    assert!(
        valley.len() == 6 && valley.iter().all(|p| (p.angle - 270.0).abs() < 0.1 && p.shortened == 0.0 && p.bevel == 0.0),
        "{valley:?}"
    );
    // Coplanar triangles are one face, or each its own.
    let choice = |apart| SolidChoices { apart, ..SolidChoices::default() };
    assert_eq!((cube.faces(false).len(), cube.faces(true).len()), (6, 12));
    let flat: Vec<_> = cube.pairs(&choice(true), 1.0).into_iter().filter(|p| (p.angle - 180.0).abs() < 1e-3).collect();
    assert_eq!(flat.len(), 6);
    let size = cube.size();
    assert!(
        (size[2] - 70.0).abs() < 1e-9 && (cube.largest(&choice(false)).0 - 50.0 * 2f64.sqrt()).abs() < 1e-6,
        "{size:?} {:?}",
        cube.largest(&choice(false))
    );
}

/// A plate with holes as a mesh: both faces fanned, the rim in quads.
fn plate_of(outline: &[(f64, f64)], t: f64) -> Solid {
    let n = outline.len();
    let mut solid = Solid::default();
    for z in [0.0, t] {
        solid.vertices.extend(outline.iter().map(|p| [p.0, p.1, z]));
    }
    for k in 1..n - 1 {
        solid.triangles.push([0, k + 1, k]);
        solid.triangles.push([n, n + k, n + k + 1]);
    }
    for k in 0..n {
        let j = (k + 1) % n;
        solid.triangles.extend([[k, j, n + j], [k, n + j, n + k]]);
    }
    solid
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(boustrophe_house::played(60)))]
    /// A flat plate is laid as one face, as thick as it is; a box of the same outline as six.
    #[test]
    fn a_plate_is_one_face(n in 3..12_usize, r in 30.0..120.0_f64, t in 1.0..8.0_f64, flip in prop::collection::vec(any::<bool>(), 60), out in any::<bool>()) {
        let outline: Vec<(f64, f64)> = (0..n).map(|k| (k as f64 / n as f64 * std::f64::consts::TAU).sin_cos()).map(|(s, c)| (r * c, r * s)).collect();
        let mut solid = plate_of(&outline, t);
        // Triangles that came wound either way are turned.
        let mut against = 0;
        for (tri, flip) in solid.triangles.iter_mut().zip(&flip) {
            if *flip {
                tri.swap(1, 2);
                against += 1;
            }
        }
        if out {
            solid.triangles.iter_mut().for_each(|t| t.swap(1, 2));
        }
        let all = solid.triangles.len();
        prop_assert_eq!(solid.stitch(), Stitched { divided: 0, turned: if out { all - against } else { against } });
        let thin = t < 0.19 * (0.5 * n as f64 * r * r * (std::f64::consts::TAU / n as f64).sin()).sqrt();
        prop_assume!(thin);
        prop_assert!((solid.plate().expect("a plate") - t).abs() < 1e-9);
        let laid = solid.drawn(&SolidChoices::default(), 1.0, &Drawing::new("p.stl", crate::drawing::FileUnits::Unsaid));
        prop_assert_eq!(laid.entities.iter().filter(|e| !laid.styles[e.style].added).count(), 1);
        let whole = solid.drawn(&SolidChoices { whole: true, ..SolidChoices::default() }, 1.0, &Drawing::new("p.stl", crate::drawing::FileUnits::Unsaid));
        prop_assert!(whole.entities.iter().filter(|e| !whole.styles[e.style].added).count() >= 2);
        let high = plate_of(&outline, r);
        prop_assert_eq!(high.plate(), None);
    }

    /// Corners on the edges of larger triangles divide them: faces come out whole, however finely one side of an edge is cut.
    #[test]
    fn corners_on_edges_divide_them(cuts in prop::collection::vec(0.05..0.95_f64, 1..6), a in 40.0..90.0_f64) {
        let mut cuts = cuts;
        cuts.sort_by(f64::total_cmp);
        cuts.dedup_by(|a, b| (*a - *b).abs() < 0.01);
        // A box of which one wall's lower edge is cut into pieces that the floor does not have.
        let mut solid = plate_of(&[(0.0, 0.0), (a, 0.0), (a, a), (0.0, a)], a);
        // The wall at y = 0: triangles of 0, 1, 5 and 0, 5, 4.
        solid.triangles.retain(|t| *t != [0, 1, 5] && *t != [0, 5, 4]);
        let first = solid.vertices.len();
        solid.vertices.extend(cuts.iter().map(|t| [a * t, 0.0, 0.0]));
        let row: Vec<usize> = std::iter::once(0).chain(first..solid.vertices.len()).chain([1]).collect();
        row.windows(2).for_each(|w| solid.triangles.push([w[0], w[1], 5]));
        solid.triangles.push([0, 5, 4]);
        let before = solid.triangles.len();
        prop_assert_eq!(solid.stitch(), Stitched { divided: 1, turned: 0 });
        prop_assert_eq!(solid.triangles.len(), before + cuts.len());
        prop_assert_eq!(solid.faces(false).len(), 6);
        prop_assert!(solid.shared_by_two());
    }
}

impl Solid {
    /// True where every edge has two triangles.
    fn shared_by_two(&self) -> bool {
        let mut edges: Vec<(usize, usize)> =
            self.triangles.iter().flat_map(|t| [(t[0], t[1]), (t[1], t[2]), (t[2], t[0])]).map(|(a, b)| (a.min(b), a.max(b))).collect();
        edges.sort_unstable();
        edges.chunk_by(|a, b| a == b).all(|c| c.len() == 2)
    }
}

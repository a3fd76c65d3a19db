//! Lattices are what they say: measured from edge to edge, without the regions they were found with.

use super::*;
use crate::lattice::{DEPTHS, Lattice, lattices};

/// The least distance of two stretches, mm.
fn gap(a: (Point, Point), b: (Point, Point)) -> f64 {
    let to = |p: Point, (s, e): (Point, Point)| {
        let along = e - s;
        p.distance(s + along * ((p - s).dot(along) / along.hypot2()).clamp(0.0, 1.0))
    };
    let side = |p: Point, (s, e): (Point, Point)| (e - s).cross(p - s);
    let crosses = side(a.0, b) * side(a.1, b) < 0.0 && side(b.0, a) * side(b.1, a) < 0.0;
    if crosses { 0.0 } else { to(a.0, b).min(to(a.1, b)).min(to(b.0, a)).min(to(b.1, a)) }
}

fn sides(ring: &[Point]) -> impl Iterator<Item = (Point, Point)> + '_ {
    (0..ring.len()).map(|i| (ring[i], ring[(i + 1) % ring.len()]))
}

/// The copies of a lattice's motif near the first, which comes first; corners of each.
fn copies(ring: &[Point], lattice: &Lattice, corner: Vec2) -> Vec<Vec<Point>> {
    let size = ring.iter().map(|p| (p.to_vec2() - corner).hypot()).fold(0.0, f64::max);
    let laid = |((angle, mirrored), at): ((f64, bool), Vec2), by: Vec2| -> Vec<Point> {
        let mirror = if mirrored { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY };
        ring.iter().map(|p| Affine::rotate(angle.to_radians()) * mirror * (*p - corner) + at + by).collect()
    };
    let steps = (-12..=12).flat_map(|i| (-12..=12).map(move |j| (f64::from(i), f64::from(j))));
    let mut out: Vec<Vec<Point>> = lattice.motif.iter().map(|m| laid(*m, Vec2::ZERO)).collect();
    for by in steps.filter(|s| *s != (0.0, 0.0)).map(|(i, j)| lattice.first * i + lattice.second * j) {
        out.extend(lattice.motif.iter().filter(|m| (m.1 + by).hypot() < 5.0 * size).map(|m| laid(*m, by)));
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(24)))]
    /// Of every lattice that is found of a shape with dents, no two copies are nearer than the spacing, and it is no denser than the
    /// shape is large.
    #[test]
    fn copies_of_a_lattice_keep_their_distance(
        radii in prop::collection::vec(9.0..40.0_f64, 4..9), spacing in 0.0..4.0_f64, turn in 0..4_usize, mirror in any::<bool>(),
    ) {
        let n = radii.len() as f64;
        let corner_of = |(i, r): (usize, &f64)| (Vec2::from_angle(i as f64 * std::f64::consts::TAU / n) * *r).to_point();
        let ring: Vec<Point> = radii.iter().enumerate().map(corner_of).collect();
        let work = work(&[Path::polygon(&ring)], 20);
        let terms = Terms { turn: Turn::ALL[turn], mirror, ..terms_of(600.0, 400.0, spacing, 4.0) };
        let problem = Problem::new(&work, &terms, &Tolerance::default());
        let found = lattices(&problem, 0, &DEPTHS[0], &|| true);
        prop_assert!(!found.is_empty());
        let area = work.parts[0].outline.area().abs();
        let corner = work.parts[0].bounds.min.to_vec2();
        for lattice in found.iter().step_by(7) {
            prop_assert!(lattice.each() > area - 1e-6);
            let all = copies(&ring, lattice, corner);
            for (k, one) in all.iter().take(lattice.motif.len()).enumerate() {
                let near = all.iter().enumerate().filter(|o| o.0 != k).map(|o| o.1);
                let least = near.flat_map(|o| sides(one).flat_map(move |a| sides(o).map(move |b| gap(a, b)))).fold(f64::INFINITY, f64::min);
                prop_assert!(least > spacing - 1e-4, "{least} of {spacing}: {lattice:?}");
            }
        }
    }
}

/// Where it may lie at any angle a whole lattice lies askew, if more of it fits so; none of it nearer than it may be.
#[test]
fn a_lattice_lies_askew_where_more_of_it_fits() {
    let t = [(0.0, 30.0), (0.0, 45.0), (60.0, 45.0), (60.0, 30.0), (38.0, 30.0), (38.0, 0.0), (22.0, 0.0), (22.0, 30.0)];
    let work = work(&[Path::polygon(&t.map(|(x, y)| Point::new(x, y)))], 330);
    let laid = |turn: Turn| {
        let sheets = vec![Sheet { count: Some(1), ..Sheet::rectangle(900.0, 600.0) }];
        let terms = Terms { turn, sheets, ..terms_of(900.0, 600.0, 2.0, 5.0) };
        let layout = nest(&work, &terms, 3);
        assert_eq!(faults(&work, &layout, terms.distances()).count, 0);
        let askew = layout.copies().filter(|p| p.angle % 90.0 != 0.0).count();
        (layout.copies().count(), askew)
    };
    let (upright, askew) = (laid(Turn::Quarter), laid(Turn::Any));
    assert!(upright.0 >= 284 && upright.1 == 0, "{upright:?}");
    assert!(askew.0 > upright.0 && askew.1 > 200, "{askew:?}");
}

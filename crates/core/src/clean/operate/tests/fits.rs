//! Slots and tabs of every shape, fitted: measured by their sides, and all else where it was.

use super::*;
use crate::geometry::{Affine, Segment, Vec2};
use std::f64::consts::{FRAC_PI_2, TAU};

fn fitted(path: &Path, width: f64) -> Path {
    let (contours, _) = start(std::slice::from_ref(path));
    done(&contours, &[Operation::SlotFit { nominal: 3.0, measured: width, clearance: 0.0, leave: Vec::new() }])[0].path.clone()
}

/// An arc from one place to another about a centre, to the left.
fn arc(center: Point, from: Point, to: Point) -> Segment {
    let sweep = ((to - center).atan2() - (from - center).atan2()).rem_euclid(TAU);
    Segment { start: from, end: to, bulge: (sweep / 4.0).tan() }
}

/// A disc with notches of 3 mm cut in towards its middle.
fn disc(r: f64, notches: usize, deep: f64) -> Path {
    let corner = |turn: f64, along: f64, side: f64| (Affine::rotate(turn) * Point::new(along, side)).to_vec2().to_point();
    let edge = (r * r - 1.5 * 1.5).sqrt();
    let mut segments = Vec::new();
    for k in 0..notches {
        let (turn, next) = (TAU * k as f64 / notches as f64, TAU * (k + 1) as f64 / notches as f64);
        let p = [corner(turn, edge, -1.5), corner(turn, r - deep, -1.5), corner(turn, r - deep, 1.5), corner(turn, edge, 1.5)];
        segments.extend(p.windows(2).map(|w| Segment::line(w[0], w[1])));
        segments.push(arc(Point::ZERO, p[3], corner(next, edge, -1.5)));
    }
    Path::new(segments, true)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// A disc keeps its size whatever becomes of the notches in its edge, and they are as wide as they are wanted.
    #[test]
    fn a_disc_keeps_its_size(r in 20.0..120.0_f64, notches in 1..7_usize, deep in 4.0..10.0_f64, width in 2.6..3.4_f64) {
        let before = disc(r, notches, deep);
        let after = fitted(&before, width);
        for s in after.segments.iter().filter(|s| !s.is_line()) {
            prop_assert!((s.radius() - r).abs() < 1e-9 && s.center().to_vec2().hypot() < 1e-9, "{} of {r}", s.radius());
        }
        let bottoms = after.segments.iter().filter(|s| s.is_line() && (s.length() - width).abs() < 1e-9).count();
        prop_assert!(bottoms >= notches);
        // What goes or comes is the strip along each side.
        let gone = (before.area() - after.area()) / notches as f64;
        prop_assert!((gone - (width - 3.0) * deep).abs() < 0.02 * deep + 0.05, "{gone}");
    }

    /// A slot round a bend is fitted by its two arcs, whether its ends are round or straight.
    #[test]
    fn a_bent_slot_is_fitted_by_its_arcs(r in 20.0..90.0_f64, from in 0.0..6.0_f64, sweep in 0.4..2.5_f64, round in any::<bool>(), width in 2.6..3.4_f64) {
        let at = |r: f64, a: f64| Point::new(r * a.cos(), r * a.sin());
        let (inner, outer) = (r - 1.5, r + 1.5);
        let bulge = |s: f64| (s / 4.0).tan();
        let cap = if round { 1.0 } else { 0.0 };
        let segments = vec![
            Segment { start: at(outer, from), end: at(outer, from + sweep), bulge: bulge(sweep) },
            Segment { start: at(outer, from + sweep), end: at(inner, from + sweep), bulge: cap },
            Segment { start: at(inner, from + sweep), end: at(inner, from), bulge: -bulge(sweep) },
            Segment { start: at(inner, from), end: at(outer, from), bulge: cap },
        ];
        let after = fitted(&Path::new(segments, true), width);
        let radii: Vec<f64> = after.segments.iter().filter(|s| s.center().to_vec2().hypot() < 1e-6 && !s.is_line()).map(Segment::radius).collect();
        prop_assert!(radii.len() == 2 && ((radii[0] - radii[1]).abs() - width).abs() < 1e-9, "{radii:?}");
        prop_assert!((f64::midpoint(radii[0], radii[1]) - r).abs() < 1e-9);
        if round {
            prop_assert!(after.segments.iter().filter(|s| (s.bulge - 1.0).abs() < 1e-9 && (s.chord() - width).abs() < 1e-9).count() == 2);
        }
    }
}

#[test]
fn a_slot_with_reliefs_in_its_corners_keeps_them() {
    // A slot 3 mm wide and 20 long, each corner relieved by a circle of 1.2 through it.
    let half = 0.6 * std::f64::consts::SQRT_2;
    let reliefs = [(-1.5, 0.0, 1.0, 1.0), (1.5, 0.0, -1.0, 1.0), (-1.5, 20.0, 1.0, -1.0), (1.5, 20.0, -1.0, -1.0)];
    let circles: Vec<Path> =
        reliefs.iter().map(|(x, y, u, v)| Path::circle(Point::new(x + half * u * 0.5, y + half * v * 0.5), 0.6)).collect();
    let dogbone = circles.iter().fold(Path::rectangle(-1.5, 0.0, 3.0, 20.0), |all, c| all.welded(c).expect("they overlap").remove(0));
    assert_eq!(dogbone.segments.iter().filter(|s| s.is_line()).count(), 4, "{dogbone:?}");
    let turned = dogbone.transformed(Affine::rotate(FRAC_PI_2 / 3.0));
    let after = fitted(&turned, 2.8).transformed(Affine::rotate(-FRAC_PI_2 / 3.0));
    let sides: Vec<&Segment> = after.segments.iter().filter(|s| s.is_line() && s.length() > 10.0).collect();
    assert!(sides.len() == 2 && ((sides[0].start.x - sides[1].start.x).abs() - 2.8).abs() < 1e-6, "{sides:?}");
    for s in after.segments.iter().filter(|s| !s.is_line()) {
        assert!((s.radius() - 0.6).abs() < 1e-6, "{s:?}");
    }
    assert!((after.bounds().height() - dogbone.bounds().height()).abs() < 1e-6);
    let off: Vec2 = after.bounds().center() - dogbone.bounds().center();
    assert!(off.hypot() < 1e-6);
}

use super::*;
use kurbo::CubicBez;
use proptest::prelude::*;
use std::f64::consts::{FRAC_PI_2, PI, TAU};
use std::sync::Arc;

fn p(x: f64, y: f64) -> Point {
    Point::new(x, y)
}

/// A circle as four Beziers, as drawing programs leave it.
fn four_beziers(center: Point, r: f64) -> Vec<Curve> {
    let k = r * 0.552_284_749_8;
    (0..4)
        .map(|i| {
            let turn = Affine::translate(center.to_vec2()) * Affine::rotate(f64::from(i) * FRAC_PI_2);
            Curve::Cubic(turn * CubicBez::new(p(r, 0.0), p(r, k), p(k, r), p(0.0, r)))
        })
        .collect()
}

#[test]
fn a_circle_of_four_beziers_comes_back_as_a_circle() {
    let path = Path::fitted(&four_beziers(p(30.0, -4.0), 20.0), true, 0.02);
    assert_eq!(path.segments.len(), 2, "two half arcs");
    assert!((path.segments[0].radius() - 20.0).abs() < 0.02);
    assert!(path.segments[0].center().distance(p(30.0, -4.0)) < 0.02);
}

#[test]
fn an_ellipse_needs_few_arcs() {
    for (a, b) in [(50.0, 30.0), (100.0, 20.0), (12.0, 11.0)] {
        let curve = Curve::Ellipse { center: p(0.0, 0.0), u: Vec2::new(a, 0.0), v: Vec2::new(0.0, b), from: 0.0, sweep: TAU };
        let path = Path::fitted(std::slice::from_ref(&curve), true, 0.02);
        assert!(path.closed && path.segments.len() <= 24, "{a} × {b}: {} arcs", path.segments.len());
        assert!((path.area() - PI * a * b).abs() < 0.02 * path.length(), "{a} × {b}");
        assert!(path.segments.windows(2).all(|w| w[0].direction(1.0).dot(w[1].direction(0.0)) > 0.999), "smooth where the ellipse is");
    }
}

#[test]
fn a_spline_goes_through_its_ends_and_stays_near_its_curve() {
    let controls = [p(0.0, 0.0), p(10.0, 30.0), p(40.0, -20.0), p(60.0, 10.0), p(80.0, 0.0)];
    let nurbs = Nurbs::new(3, vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 2.0, 2.0, 2.0], &controls, &[]).expect("a spline");
    let spans = nurbs.spans();
    let path = Path::fitted(&[Curve::Spline(Arc::new(nurbs.clone()))], false, 0.02);
    assert_eq!((path.segments[0].start, path.segments[path.segments.len() - 1].end), (controls[0], controls[4]));
    for span in spans {
        for i in 0..=50 {
            let q = nurbs.at(span.0 + (span.1 - span.0) * f64::from(i) / 50.0, span).0;
            assert!(path.nearest(q).distance < 0.021);
        }
    }
    assert!(Nurbs::new(3, vec![0.0; 9], &controls, &[]).is_none(), "no extent");
    assert!(Nurbs::new(3, vec![0.0, 1.0], &controls, &[]).is_none(), "too few knots");
    assert!(
        Nurbs::new(3, vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 2.0, 2.0, 2.0], &controls, &[1.0, 0.0, 1.0, 1.0, 1.0]).is_none(),
        "a weight of nothing"
    );
}

#[test]
fn a_rational_quarter_is_an_arc_of_a_circle() {
    let w = 0.5_f64.sqrt();
    let nurbs =
        Nurbs::new(2, vec![0.0, 0.0, 0.0, 1.0, 1.0, 1.0], &[p(10.0, 0.0), p(10.0, 10.0), p(0.0, 10.0)], &[1.0, w, 1.0]).expect("a quarter");
    let path = Path::fitted(&[Curve::Spline(Arc::new(nurbs))], false, 0.001);
    assert_eq!(path.segments.len(), 1);
    assert!((path.segments[0].radius() - 10.0).abs() < 1e-3);
}

#[test]
fn a_stretched_circle_is_an_ellipse_and_an_even_one_stays_a_circle() {
    let circle = Curve::arc(p(5.0, 5.0), 4.0, 0.0, TAU);
    let even = circle.transformed(Affine::rotate(0.3) * Affine::scale(2.0));
    assert_eq!(Path::fitted(&[even], true, 0.02).segments.len(), 2);
    let stretched = circle.transformed(Affine::scale_non_uniform(2.0, 1.0));
    assert!((Path::fitted(&[stretched], true, 0.005).area() - PI * 8.0 * 4.0).abs() < 0.2);
}

#[test]
fn inside_is_inside_with_arcs() {
    // A slot with round ends.
    let slot = Path::new(
        vec![
            Segment::line(p(0.0, 0.0), p(20.0, 0.0)),
            Segment { start: p(20.0, 0.0), end: p(20.0, 10.0), bulge: 1.0 },
            Segment::line(p(20.0, 10.0), p(0.0, 10.0)),
            Segment { start: p(0.0, 10.0), end: p(0.0, 0.0), bulge: 1.0 },
        ],
        true,
    );
    assert!((slot.area() - (200.0 + PI * 25.0)).abs() < 1e-9);
    for (q, inside) in [
        (p(24.0, 5.0), true),
        (p(-4.9, 5.0), true),
        (p(10.0, 5.0), true),
        (p(24.9, 9.0), false),
        (p(26.0, 5.0), false),
        (p(10.0, 10.1), false),
    ] {
        assert_eq!(slot.contains(q), inside, "{q:?}");
    }
}

prop_compose! {
    fn segment()(x in -50.0..50.0_f64, y in -50.0..50.0_f64, dx in 1.0..40.0_f64, dy in -30.0..30.0_f64, bulge in -1.5..1.5_f64) -> Segment {
        Segment { start: p(x, y), end: p(x + dx, y + dy), bulge }
    }
}

proptest! {
    #[test]
    fn a_segment_agrees_with_itself(s in segment(), t in 0.0..1.0_f64) {
        let q = s.at(t);
        prop_assert!(s.distance(q) < 1e-6);
        prop_assert!((s.nearest(q) - t).abs() < 1e-5);
        prop_assert!(s.bounds().grown(1e-6).has(q));
        prop_assert!((s.piece(0.0, t).length() + s.piece(t, 1.0).length() - s.length()).abs() < 1e-6);
        prop_assert!(s.reversed().at(1.0 - t).distance(q) < 1e-6);
    }

    #[test]
    fn a_path_cut_and_turned_keeps_its_length(s in segment(), share in 0.01..0.99_f64, turn in 0.0..TAU) {
        let path = Path::new(vec![s, Segment::line(s.end, s.start)], true);
        let total = path.length();
        let begun = path.started_at(total * share);
        prop_assert!((begun.length() - total).abs() < 1e-6);
        prop_assert!((begun.area() - path.area()).abs() < 1e-4);
        let turned = path.transformed(Affine::rotate(turn));
        prop_assert!((turned.area() - path.area()).abs() < 1e-6);
        prop_assert!((path.transformed(Affine::scale_non_uniform(-1.0, 1.0)).area() + path.area()).abs() < 1e-6);
    }

    #[test]
    fn fitted_curves_stay_within_tolerance(x in prop::array::uniform8(-60.0..60.0_f64)) {
        let bezier = CubicBez::new(p(x[0], x[1]), p(x[2], x[3]), p(x[4], x[5]), p(x[6], x[7]));
        let path = Path::fitted(&[Curve::Cubic(bezier)], false, 0.02);
        prop_assert!(path.segments.windows(2).all(|w| w[0].end.distance(w[1].start) < 1e-6), "no gaps");
        for i in 0..=200 {
            let q = kurbo::ParamCurve::eval(&bezier, f64::from(i) / 200.0);
            prop_assert!(path.nearest(q).distance < 0.04, "{} at {i}", path.nearest(q).distance);
        }
    }

    #[test]
    fn covers_cover_and_openings_stay_open(r in 0.5..80.0_f64, error in 0.01..0.5_f64) {
        let circle = Path::circle(p(3.0, 4.0), r);
        let (outer, inner) = (Polygon::covering(&circle, error), Polygon::within(&circle, error));
        for i in 0..90 {
            let way = Vec2::from_angle(f64::from(i) * 0.0698);
            prop_assert!(ring_contains(&outer, p(3.0, 4.0) + way * (r * 0.999_999)));
            prop_assert!(!ring_contains(&inner, p(3.0, 4.0) + way * (r * 1.000_001)));
        }
        prop_assert!(outer.iter().all(|q| q.distance(p(3.0, 4.0)) <= r + error * 1.5 + 1e-9));
    }
}

#[test]
fn an_ellipse_takes_few_arcs() {
    for (a, b, turn, most) in [
        (30.0, 10.0, 0.0, 16),
        (60.0, 45.0, 0.7, 16),
        (50.0, 30.0, 1.1, 16),
        (20.0, 40.0, 0.2, 16),
        (12.0, 11.0, 0.3, 8),
        (100.0, 8.0, 2.0, 20),
    ] {
        let (u, v) = (Vec2::from_angle(turn) * a, Vec2::from_angle(turn).turn_90() * b);
        let fitted = Path::fitted(&[Curve::Ellipse { center: p(3.0, 4.0), u, v, from: 0.4, sweep: TAU }], true, 0.02).segments;
        assert!(fitted.len() <= most, "{a} × {b}: {}", fitted.len());
        for s in &fitted {
            for i in 0..=16 {
                let q = s.at(f64::from(i) / 16.0) - p(3.0, 4.0);
                // Distance to the ellipse, by the nearest of many of its points.
                let near = (0..20_000)
                    .map(|k| f64::from(k) * TAU / 20_000.0)
                    .map(|t| (u * t.cos() + v * t.sin() - q).hypot())
                    .fold(f64::INFINITY, f64::min);
                assert!(near < 0.0225, "{a} × {b}: {near}");
            }
        }
    }
}

#[test]
fn ellipses_of_any_shape_are_followed_by_few_arcs() {
    for (a, b) in [(10.0, 1e-5), (10.0, 0.05), (10.0, 0.19), (10.0, 0.21), (1e-3, 1e-4), (3000.0, 70.0), (900.0, 899.0), (50_000.0, 20.0)] {
        let curve = Curve::Ellipse { center: p(0.0, 0.0), u: Vec2::new(a, 0.0), v: Vec2::new(0.0, b), from: 1.0, sweep: -TAU };
        let path = Path::fitted(std::slice::from_ref(&curve), true, 0.02);
        assert!(path.closed && (path.area() + PI * a * b).abs() <= 0.021 * path.length() + 1e-6, "{a} × {b}: {}", path.area());
        assert!(path.segments.len() <= 160, "{a} × {b}: {} arcs", path.segments.len());
        let box_of = path.bounds();
        assert!((box_of.width() - 2.0 * a).abs() < 0.05 && (box_of.height() - 2.0 * b).abs() < 0.05, "{a} × {b}: {box_of:?}");
    }
}

proptest! {
    /// The box of a curve is that of the lines and arcs that follow it.
    #[test]
    fn curves_have_their_box(x in prop::array::uniform8(-40.0..40.0_f64), from in 0.0..6.0_f64, sweep in -6.2..6.2_f64) {
        let curves = [
            Curve::Ellipse { center: p(x[0], x[1]), u: Vec2::new(x[2], x[3]), v: Vec2::new(x[4], x[5]), from, sweep },
            Curve::Cubic(CubicBez::new(p(x[0], x[1]), p(x[2], x[3]), p(x[4], x[5]), p(x[6], x[7]))),
            Curve::Line(p(x[0], x[1]), p(x[2], x[3])),
        ];
        for c in curves {
            let b = c.bounds();
            let fitted = fit_curves(std::slice::from_ref(&c), 0.01);
            let round = fitted.iter().fold(Bounds::EMPTY, |b, s| b.union(s.bounds()));
            for d in [b.min.x - round.min.x, b.min.y - round.min.y, b.max.x - round.max.x, b.max.y - round.max.y] {
                prop_assert!(d.abs() < 0.05, "{c:?}: {b:?} {round:?}");
            }
        }
    }

    /// Inside is where the outline winds round, whatever heights its joints have: points at the height of joints and on
    /// chords among them.
    #[test]
    fn inside_is_where_the_outline_winds_round(
        corners in prop::collection::vec((-20..20_i32, -20..20_i32, prop::sample::select(vec![0.0, 1.0, -1.0, 0.3, -0.6])), 3..9),
        x in -25..25_i32, y in -25..25_i32,
    ) {
        let p = |c: &(i32, i32, f64)| Point::new(f64::from(c.0), f64::from(c.1));
        let n = corners.len();
        let segments: Vec<Segment> = (0..n)
            .map(|i| Segment { start: p(&corners[i]), end: p(&corners[(i + 1) % n]), bulge: corners[i].2 })
            .filter(|s| s.chord() > 0.0)
            .collect();
        let path = Path::new(segments, true);
        let q = Point::new(f64::from(x), f64::from(y));
        prop_assume!(path.segments.len() > 1 && path.nearest(q).distance > 0.01);
        let turned: f64 = path
            .segments
            .iter()
            .flat_map(|s| (0..400).map(move |i| (s.at(f64::from(i) / 400.0) - q, s.at(f64::from(i + 1) / 400.0) - q)))
            .map(|(a, b)| a.cross(b).atan2(a.dot(b)))
            .sum();
        let winds = (turned / std::f64::consts::TAU).round() as i64;
        prop_assert_eq!(path.contains(q), winds.rem_euclid(2) == 1, "winds {}", winds);
    }
}

proptest! {
    /// A line through a point of an arc, however flat the arc: they meet there.
    #[test]
    fn whatever_crosses_meets(a in segment(), exponent in -8.5..0.0_f64, share in 0.05..0.95_f64, angle in 0.3..2.8_f64, back in 1.0..30.0_f64, bend in -0.5..0.5_f64) {
        let a = Segment { bulge: a.bulge.signum() * 10f64.powf(exponent), ..a };
        prop_assume!(a.chord() > 1.0);
        let p = a.at(share);
        let way = kurbo::Affine::rotate(angle) * a.direction(share).to_point();
        let across = way.to_vec2() * back;
        for b in [Segment::line(p - across, p + across), Segment::line(p + across, p - across * 0.7)] {
            let found = crate::meetings(&a, &b, 1e-6);
            prop_assert!(found.iter().any(|m| m.point.distance(p) < 1e-5), "{found:?} for {p:?}");
        }
        // An arc through the same point.
        let whole = Segment { start: p - across, end: p + across, bulge: bend };
        let q = whole.at(0.5);
        let moved = Segment { start: whole.start - (q - p), end: whole.end - (q - p), ..whole };
        prop_assume!(moved.direction(0.5).cross(a.direction(share)).abs() > 0.2);
        let found = crate::meetings(&a, &moved, 1e-6);
        prop_assert!(found.iter().any(|m| m.point.distance(p) < 1e-5), "{found:?} for {p:?}");
    }
}

proptest! {
    /// Two segments are as far apart as the nearest of many places along the one and the other.
    #[test]
    fn segments_are_apart_as_their_nearest_places_are(
        from in (-20.0..20.0_f64, -20.0..20.0_f64), to in (-20.0..20.0_f64, -20.0..20.0_f64), bulge in prop_oneof![Just(0.0), -1.0..1.0_f64],
        other in (-20.0..20.0_f64, -20.0..20.0_f64), end in (-20.0..20.0_f64, -20.0..20.0_f64), rise in prop_oneof![Just(0.0), -1.0..1.0_f64],
    ) {
        let segment = |a: (f64, f64), b: (f64, f64), bulge| Segment { start: p(a.0, a.1), end: p(b.0, b.1), bulge };
        let (a, b) = (segment(from, to, bulge), segment(other, end, rise));
        prop_assume!(a.chord() > 0.1 && b.chord() > 0.1);
        let (place, near) = apart(&a, &b);
        let places = |s: Segment| (0..=400).map(move |k| s.at(f64::from(k) / 400.0));
        let looked = places(a).flat_map(|x| places(b).map(move |y| x.distance(y))).fold(f64::MAX, f64::min);
        // Between two looks there is so much of each at most.
        let between = (a.length() + b.length()) / 800.0;
        prop_assert!(near <= looked + 1e-6 && near >= looked - between, "{near} for {looked}");
        prop_assert!(a.distance(place) < 1e-6 && (b.distance(place) - near).abs() < 1e-6);
    }
}

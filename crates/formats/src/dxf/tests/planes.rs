//! Planes, visibility, widths and curves of the format's corners, judged by areas and places worked out by hand.

use super::*;
use boustrophe_core::geometry::Region;
use std::f64::consts::PI;

/// What an entity's plane does to one of its points, written down from the standard's words on the arbitrary axis, with nothing of the
/// reader's: the entity's x and y axes as rows of a matrix.
fn seen_from_above(normal: [f64; 3], (x, y, z): (f64, f64, f64)) -> Point {
    let norm = (normal[0].powi(2) + normal[1].powi(2) + normal[2].powi(2)).sqrt();
    let (a, b, c) = (normal[0] / norm, normal[1] / norm, normal[2] / norm);
    let (ax, ay, az) = if a.abs() < 1.0 / 64.0 && b.abs() < 1.0 / 64.0 { (c, 0.0, -a) } else { (-b, a, 0.0) };
    let length = (ax * ax + ay * ay + az * az).sqrt();
    let (ax, ay, az) = (ax / length, ay / length, az / length);
    let (bx, by) = (b * az - c * ay, c * ax - a * az);
    Point::new(ax * x + bx * y + a * z, ay * x + by * y + b * z)
}

/// The area that closed entities enclose by even-odd, and its box.
fn enclosed(d: &Drawing) -> (f64, Bounds) {
    let paths: Vec<Path> = d
        .entities
        .iter()
        .filter(|e| !d.styles[e.style].hidden)
        .filter_map(|e| if let Shape::Path { curves, .. } = &e.shape { Some(Path::fitted(curves, true, 0.001)) } else { None })
        .collect();
    let bounds = paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()));
    (Region::within(&paths.iter().collect::<Vec<_>>()).area(), bounds)
}

#[test]
fn entities_lie_where_their_plane_is() {
    for n in [[0.0, 0.0, -1.0], [0.3, -0.2, 0.9], [0.0, 0.01, -1.0], [-0.5, 0.5, 0.7]] {
        let plane = format!("210 {} 220 {} 230 {}", n[0], n[1], n[2]);
        let share = (n[2] / n.iter().map(|v: &f64| v * v).sum::<f64>().sqrt()).abs();
        let old = format!(
            "0 POLYLINE 8 A 66 1 70 1 30 7 {plane} 0 VERTEX 8 A 10 10 20 5 0 VERTEX 8 A 10 50 20 5 0 VERTEX 8 A 10 50 20 25 0 VERTEX 8 A 10 10 20 25 0 SEQEND"
        );
        let rectangle = [(10.0, 5.0, 7.0), (50.0, 5.0, 7.0), (50.0, 25.0, 7.0), (10.0, 25.0, 7.0)];
        let box_of = |points: &[(f64, f64, f64)]| Bounds::of(points.iter().map(|p| seen_from_above(n, *p)));
        let kinds = [
            (old, 800.0, box_of(&rectangle)),
            (format!("0 LWPOLYLINE 8 A 90 4 70 1 38 7 10 10 20 5 10 50 20 5 10 50 20 25 10 10 20 25 {plane}"), 800.0, box_of(&rectangle)),
            (format!("0 SOLID 8 A 10 10 20 5 30 7 11 50 21 5 31 7 12 10 22 25 32 7 13 50 23 25 33 7 {plane}"), 800.0, box_of(&rectangle)),
            (
                format!(
                    "0 HATCH 8 A 10 0 20 0 30 7 {plane} 2 SOLID 70 1 71 0 91 1 92 2 72 0 73 1 93 4 10 10 20 5 10 50 20 5 10 50 20 25 10 10 20 25"
                ),
                800.0,
                box_of(&rectangle),
            ),
        ];
        for (entity, area, bounds) in kinds {
            let d = drawing(&entity);
            let (found, at) = enclosed(&d);
            assert!((found - area * share).abs() < 0.01, "{entity}: {found}");
            assert!(at.min.distance(bounds.min) < 1e-6 && at.max.distance(bounds.max) < 1e-6, "{entity}: {at:?} for {bounds:?}");
            assert_eq!(d.remarks.len(), usize::from(share < 1.0 - 1e-6), "what is seen aslant is told");
        }
        // A circle turns to an ellipse about its centre.
        let (found, at) = enclosed(&drawing(&format!("0 CIRCLE 8 A 10 30 20 15 30 7 40 12 {plane}")));
        assert!((found - PI * 144.0 * share).abs() < 0.2 && at.center().distance(seen_from_above(n, (30.0, 15.0, 7.0))) < 1e-3, "{found}");
    }
}

#[test]
fn places_of_ellipses_and_splines_are_the_drawings_own() {
    // Seen from below an ellipse runs clockwise: this half is the lower one.
    let half = |plane: &str| drawing(&format!("0 ELLIPSE 8 A 10 80 20 60 11 30 21 0 40 0.5 41 0 42 {PI} {plane}"));
    assert!((bounds(&half("210 0 220 0 230 -1")).min.y - 45.0).abs() < 1e-3 && (bounds(&half("")).max.y - 75.0).abs() < 1e-3);
    let spline = "0 SPLINE 8 A 210 0 220 0 230 -1 70 8 71 1 72 4 73 2 40 0 40 0 40 1 40 1 10 3 20 4 10 9 20 4";
    assert!((bounds(&drawing(spline)).min.x - 3.0).abs() < 1e-9);
}

#[test]
fn what_does_not_show_is_hidden() {
    let hidden = |tables: &str, blocks: &str, entities: &str| {
        let d = read("t.dxf", file("9 $INSUNITS 70 4", tables, blocks, entities).as_bytes()).expect("it reads");
        d.entities.iter().map(|e| d.styles[e.style].hidden).collect::<Vec<bool>>()
    };
    let circle = |layer: &str, more: &str| format!("0 CIRCLE 8 {layer} 10 0 20 0 40 5 {more}");
    assert_eq!(hidden("", "", &(circle("A", "60 1") + " " + &circle("A", "60 0"))), [true, false]);
    // Names of layers and blocks hold in any case.
    let off = "0 LAYER 2 Off 70 0 62 -1 0 LAYER 2 ICE 70 1 62 1 0 LAYER 2 On 70 0 62 1";
    assert_eq!(hidden(off, "", &(circle("OFF", "") + " " + &circle("ice", "") + " " + &circle("ON", ""))), [true, true, false]);
    let block = format!("0 BLOCK 2 Nest 10 0 20 0 {} {} 0 ENDBLK", circle("0", ""), circle("On", ""));
    let placed = |layer: &str, more: &str| hidden(off, &block, &format!("0 INSERT 2 NEST 8 {layer} 10 0 20 0 {more}"));
    // A layer that is off hides its own; one that is frozen, and what is invisible, all that hangs on it.
    assert_eq!((placed("off", ""), placed("Ice", ""), placed("on", "60 1")), (vec![true, false], vec![true, true], vec![true, true]));
}

#[test]
fn lines_of_some_width_are_areas() {
    let of = |entity: &str| {
        let d = drawing(entity);
        (enclosed(&d).0, d.styles[d.entities[0].style].nature == Nature::Area)
    };
    // A bar, a ring of two arcs, an angle with a mitred corner, a wedge; and a pen's width, which is a line.
    let cases = [
        ("0 LWPOLYLINE 8 A 90 2 70 0 43 10 10 0 20 0 10 100 20 0", 1000.0, true),
        ("0 LWPOLYLINE 8 A 90 2 70 1 43 10 10 -20 20 0 42 1 10 20 20 0 42 1", PI * (625.0 - 225.0), true),
        ("0 LWPOLYLINE 8 A 90 3 70 0 43 4 10 0 20 0 10 50 20 0 10 50 20 30", 4.0 * 80.0, true),
        ("0 LWPOLYLINE 8 A 90 2 70 0 10 0 20 0 40 2 41 8 10 60 20 0", 300.0, true),
        ("0 POLYLINE 8 A 66 1 70 0 40 6 41 6 0 VERTEX 8 A 10 0 20 0 0 VERTEX 8 A 10 50 20 0 0 SEQEND", 300.0, true),
        ("0 LWPOLYLINE 8 A 90 4 70 1 43 0.25 10 0 20 0 10 50 20 0 10 50 20 30 10 0 20 30", 1500.0, false),
    ];
    for (entity, area, is_area) in cases {
        let (found, nature) = of(entity);
        assert!((found - area).abs() < 0.2 && nature == is_area, "{entity}: {found} for {area}");
    }
}

proptest! {
    /// A curve through points of a circle is that circle, as near as so many points tell; it goes through each of them, and smoothly.
    #[test]
    fn curves_through_points_are_smooth(n in 12..40_usize, r in 5.0..80.0_f64) {
        let points: Vec<Point> = (0..n).map(|i| Point::new(0.0, 0.0) + boustrophe_core::geometry::Vec2::from_angle(i as f64 / n as f64 * 2.0 * PI) * r).collect();
        let fit = points.iter().fold(String::new(), |all, p| all + &format!(" 11 {} 21 {}", p.x, p.y));
        let d = drawing(&format!("0 SPLINE 8 A 70 1 71 3 74 {n}{fit}"));
        let segments = segments(&d, 0);
        for p in &points {
            prop_assert!(segments.iter().map(|s| s.distance(*p)).fold(f64::INFINITY, f64::min) < 0.011);
        }
        prop_assert!(segments.iter().all(|s| (s.at(0.5).to_vec2().hypot() - r).abs() < 0.02 + r * 2e-4));
        let turn = |a: &Segment, b: &Segment| a.direction(1.0).cross(b.direction(0.0)).abs();
        prop_assert!(segments.iter().zip(segments.iter().cycle().skip(1)).all(|(a, b)| turn(a, b) < 0.1));
    }
}

#[test]
fn an_open_curve_through_points_runs_out_straight() {
    // The natural spline through (0,0), (1,1), (2,0), by hand: slopes 1.5, 0, -1.5, so at the middle of its first piece 0.6875.
    let d = drawing("0 SPLINE 8 A 70 0 71 3 74 3 11 0 21 0 11 10 21 10 11 20 21 0");
    assert!(segments(&d, 0).iter().any(|s| s.distance(Point::new(5.0, 6.875)) < 0.02));
    let steep = drawing("0 SPLINE 8 A 70 0 71 3 74 2 11 0 21 0 11 10 21 0 12 0 22 1 13 0 23 -1");
    assert!(segments(&steep, 0)[0].direction(0.0).y > 0.99, "along the tangent that it is given");
}

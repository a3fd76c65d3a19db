//! The check of distances, against places taken from the parts' edges one by one.

use super::*;
use crate::check::gap;
use crate::geometry::Bounds;
use crate::ids::CopyId;

fn segment() -> impl Strategy<Value = Segment> {
    let p = || (-60.0..60.0_f64, -60.0..60.0_f64);
    (p(), p(), prop_oneof![Just(0.0), -1.6..1.6_f64])
        .prop_filter("long enough", |(a, b, _)| (a.0 - b.0).hypot(a.1 - b.1) > 1.0)
        .prop_map(|(a, b, bulge)| Segment { start: Point::new(a.0, a.1), end: Point::new(b.0, b.1), bulge })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn the_gap_of_two_edges_is_the_least_that_any_two_of_their_points_have(a in segment(), b in segment()) {
        // Every point of one against thousands of the other, near the nearest again.
        let along = |s: &Segment, from: f64, to: f64| (0..=400).map(|k| s.at((from + (to - from) * f64::from(k) / 400.0).clamp(0.0, 1.0))).collect::<Vec<_>>();
        let least = |xs: &[Point], ys: &[Point]| {
            let mut best = (f64::INFINITY, 0, 0);
            for (i, x) in xs.iter().enumerate() {
                for (j, y) in ys.iter().enumerate() {
                    if x.distance(*y) < best.0 { best = (x.distance(*y), i, j); }
                }
            }
            best
        };
        let (rough, i, j) = least(&along(&a, 0.0, 1.0), &along(&b, 0.0, 1.0));
        let around = |i: usize| ((i as f64 - 2.0) / 400.0, (i as f64 + 2.0) / 400.0);
        let fine = least(&along(&a, around(i).0, around(i).1), &along(&b, around(j).0, around(j).1)).0;
        let told = gap(&a, &b);
        prop_assert!(told <= rough + 1e-9, "{told} told, {rough} seen");
        prop_assert!(told >= fine - (a.length() + b.length()) * 2e-5 - 1e-3 || told < 1e-9 && fine < 0.7, "{told} told, {fine} the least seen");
    }
}

/// Copies of a part at places, of which none is turned.
fn at(work: &Work, places: &[(f64, f64)]) -> Layout {
    let part = work.parts[0].id;
    let placed = places.iter().enumerate().map(|(i, (x, y))| Placement {
        copy: CopyId { part, number: i as u32 + 1 },
        x: *x,
        y: *y,
        angle: 0.0,
        mirrored: false,
    });
    Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(400.0, 300.0), placed: placed.collect() }], ..Layout::default() }
}

#[test]
fn edges_may_touch_and_a_few_micrometres_are_told() {
    let square = work(&[Path::rectangle(0.0, 0.0, 50.0, 40.0)], 2);
    let told =
        |work: &Work, second: (f64, f64), spacing: f64| faults(work, &at(work, &[(0.0, 0.0), second]), Distances::of(spacing, 0.0)).count;
    for (second, spacing, count) in [
        ((50.0, 0.0), 0.0, 0),
        ((50.0, 17.0), 0.0, 0),
        ((0.0, 40.0), 0.0, 0),
        ((50.0, 40.0), 0.0, 0),
        ((49.997, 0.0), 0.0, 2),
        ((49.9999, 13.0), 0.0, 0),
        ((0.0, 0.0), 0.0, 2),
        ((25.0, 20.0), 0.0, 2),
        ((52.0, 0.0), 2.0, 0),
        ((51.998, 0.0), 2.0, 2),
        ((51.5, 41.5), 2.0, 0),
        ((51.2, 41.2), 2.0, 2),
    ] {
        assert_eq!(told(&square, second, spacing), count, "{second:?} at {spacing}");
    }
    let disc = work(&[Path::circle(Point::new(25.0, 25.0), 25.0)], 2);
    assert_eq!(told(&disc, (50.0, 0.0), 0.0), 0);
    assert_eq!(told(&disc, (49.99, 0.0), 0.0), 2);
    let away = 50.0 / 2.0_f64.sqrt();
    assert_eq!((told(&disc, (away, away), 0.0), told(&disc, (away - 0.01, away), 0.0)), (0, 2));
    // Touching the edge of the sheet, and over it.
    assert_eq!(faults(&square, &at(&square, &[(350.0, 260.0)]), Distances::of(0.0, 0.0)).count, 0);
    assert_eq!(faults(&square, &at(&square, &[(350.003, 260.0)]), Distances::of(0.0, 0.0)).count, 1);
}

#[test]
fn a_part_in_anothers_hole_keeps_its_distance_there() {
    let rings =
        [Path::rectangle(0.0, 0.0, 100.0, 100.0), Path::circle(Point::new(50.0, 50.0), 40.0), Path::circle(Point::new(300.0, 50.0), 38.0)];
    let work = work(&rings, 1);
    let frame = work.parts.iter().find(|p| !p.holes.is_empty()).expect("the frame").id;
    let disc = work.parts.iter().find(|p| p.holes.is_empty()).expect("the disc").id;
    let told = |x: f64, spacing: f64| {
        let place = |part, x| Placement { copy: CopyId { part, number: 1 }, x, y: 0.0, angle: 0.0, mirrored: false };
        let sheet = SheetLayout { sheet: Sheet::rectangle(400.0, 300.0), placed: vec![place(frame, 0.0), place(disc, x)] };
        faults(&work, &Layout { sheets: vec![sheet], ..Layout::default() }, Distances::of(spacing, 0.0)).count
    };
    assert_eq!((told(-250.0, 2.0), told(-249.99, 2.0), told(-248.0, 0.0), told(-247.9, 0.0)), (0, 2, 0, 2));
    assert_eq!(told(-200.0, 0.0), 2, "across the edge of the hole");
}

#[test]
fn nothing_lies_on_a_clamp_and_what_goes_first_has_a_place() {
    let work = work(&[Path::rectangle(0.0, 0.0, 60.0, 40.0), Path::circle(Point::new(200.0, 20.0), 20.0)], 6);
    let clamp = Bounds { min: Point::new(80.0, 0.0), max: Point::new(140.0, 90.0) };
    let sheet = Sheet { clamps: vec![clamp], count: Some(1), ..Sheet::rectangle(260.0, 150.0) };
    let terms = Terms { sheets: vec![sheet.clone()], ..terms_of(260.0, 150.0, 2.0, 5.0) };
    let layout = nest(&work, &terms, 30);
    assert_eq!(faults(&work, &layout, terms.distances()).count, 0);
    for p in layout.copies() {
        let lies = work.part(p.copy.part).expect("it").outline.transformed(p.affine());
        let off = |q: Point| (clamp.min.x - q.x).max(q.x - clamp.max.x).max(0.0).hypot((clamp.min.y - q.y).max(q.y - clamp.max.y).max(0.0));
        assert!(lies.points(0.01).into_iter().all(|q| off(q) > 4.98), "{:?}", lies.bounds());
    }
    // On the clamp is a fault, whatever else is free.
    let part = work.parts[0].id;
    let on = Placement { copy: CopyId { part, number: 1 }, x: 85.0, y: 20.0, angle: 0.0, mirrored: false };
    let there = Layout { sheets: vec![SheetLayout { sheet, placed: vec![on] }], ..Layout::default() };
    assert_eq!(faults(&work, &there, terms.distances()).count, 1);
    // Twelve do not fit there: those that go first all do.
    let disc = work.parts.iter().find(|p| p.bounds.width() < 45.0).expect("the disc").id;
    for first in [part, disc] {
        let parts = [(first, PartNest { first: true, ..PartNest::default() })].into();
        let layout = nest(&work, &Terms { parts, ..terms.clone() }, 30);
        assert!(!layout.unplaced.contains_key(&first) && !layout.unplaced.is_empty(), "{:?}", layout.unplaced);
    }
}

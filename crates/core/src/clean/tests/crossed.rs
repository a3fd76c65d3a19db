//! Outlines of one style that lie over each other.

use super::*;
use crate::geometry::{Region, Segment};

/// Shapes of one style, filled or drawn.
fn shapes(paths: &[(Path, u32)], fill: bool) -> Drawing {
    let mut d = Drawing::new("x.svg", crate::drawing::FileUnits::Known(crate::drawing::Unit::Mm));
    let ink = |on: bool| on.then_some([0; 3]);
    let style = d.style(&Style { fill: ink(fill), stroke: ink(!fill), ..Style::default() });
    for (path, compound) in paths {
        let curves = path.segments.iter().map(crate::geometry::Curve::segment).collect();
        d.entities.push(crate::drawing::Entity { style, shape: Shape::Path { curves, closed: true }, compound: *compound });
    }
    d
}

fn area(cleaned: &Cleaned) -> f64 {
    let all: Vec<&Path> = cleaned.contours.iter().map(|c| &c.path).collect();
    Region::within(&all).area()
}

#[test]
fn filled_shapes_that_show_as_one_are_one() {
    // A note: its head lies over its stem; a tile beside it only touches another.
    let note = [(Path::circle(p(0.0, 0.0), 10.0), 1), (Path::rectangle(7.0, 0.0, 3.0, 60.0), 2)];
    // Its stem is filled by another rule, which shows nowhere.
    let tiles = [(Path::rectangle(40.0, 0.0, 10.0, 10.0), 3), (Path::rectangle(50.0, 0.0, 10.0, 10.0), 4)];
    let mut d = shapes(&[&note[..], &tiles].concat(), true);
    d.entities[1].style = d.style(&Style { winding: true, ..d.styles[0].clone() });
    let (cleaned, findings) = clean(&d, |_| {});
    let found = has(&findings, "overlaps-welded").expect("it is told");
    assert_eq!((found.count, cleaned.counts()), (2, (3, 0)));
    assert!(cleaned.contours.iter().any(|c| c.path.segments.iter().any(|s| !s.is_line())), "arcs stay arcs");
    let (apart, findings) = clean(&d, |d| {
        d.mends.insert(Mend::KeepOverlaps);
    });
    assert!(has(&findings, "overlaps-welded").is_none() && apart.counts() == (4, 0));
}

#[test]
fn what_is_filled_on_both_sides_is_no_edge() {
    let d = |turned: bool, winding: bool| {
        let fin = Path::circle(p(30.0, 30.0), 8.0);
        let fin = if turned { fin.reversed() } else { fin };
        let mut d = shapes(&[(Path::rectangle(0.0, 0.0, 60.0, 60.0), 7), (fin, 7)], true);
        d.styles[0].winding = winding;
        d
    };
    let holes = |d: &Drawing| clean(d, |_| {}).0.contours.len() - 1;
    let same = (Path::rectangle(0.0, 0.0, 1.0, 1.0).area() > 0.0) == (Path::circle(p(0.0, 0.0), 1.0).area() > 0.0);
    assert_eq!((holes(&d(!same, true)), holes(&d(same, true)), holes(&d(!same, false))), (0, 1, 1));
    let (kept, findings) = clean(&d(!same, true), |d| {
        d.mends.insert(Mend::KeepUnseen);
    });
    assert!(kept.counts().0 == 2 && has(&findings, "unseen-outlines").is_none());
}

#[test]
fn a_ring_of_bars_keeps_its_opening() {
    let bar = |x: f64, y: f64, w: f64, h: f64| Path::rectangle(x, y, w, h);
    let frame = [bar(0.0, 0.0, 50.0, 5.0), bar(-5.0, 40.0, 60.0, 5.0), bar(0.0, -3.0, 5.0, 50.0), bar(45.0, -3.0, 5.0, 50.0)];
    let frame: Vec<(Path, u32)> = frame.into_iter().enumerate().map(|(i, p)| (p, i as u32 + 1)).collect();
    let (cleaned, _) = clean(&shapes(&frame, true), |_| {});
    assert_eq!(cleaned.counts(), (2, 0));
    assert!(cleaned.contours.iter().any(|c| (c.area.abs() - 40.0 * 35.0).abs() < 1e-6));
    assert_eq!(cleaned.contours[0].compound, cleaned.contours[1].compound, "one shape with its opening");
}

#[test]
fn drawn_outlines_that_lie_over_each_other_are_asked_about() {
    let d = shapes(&[(Path::rectangle(0.0, 0.0, 30.0, 30.0), 1), (Path::circle(p(30.0, 15.0), 8.0), 2)], false);
    let (left, findings) = clean(&d, |_| {});
    let found = has(&findings, "outlines-overlap").expect("it is asked");
    assert!(found.count == 2 && !found.places().is_empty() && left.counts() == (2, 0));
    let (welded, findings) = clean(&d, |d| {
        d.mends.insert(Mend::WeldOverlaps);
    });
    assert!(has(&findings, "outlines-overlap").is_none() && welded.counts() == (1, 0));
    // One within the other, and two that touch, are nothing to ask about.
    for other in [Path::circle(p(15.0, 15.0), 8.0), Path::circle(p(38.0, 15.0), 8.0), Path::rectangle(30.0, 5.0, 30.0, 10.0)] {
        let (_, findings) = clean(&shapes(&[(Path::rectangle(0.0, 0.0, 30.0, 30.0), 1), (other, 2)], false), |_| {});
        assert!(has(&findings, "outlines-overlap").is_none());
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]
    /// Whatever lies over whatever, the outlines have the area that the filled shapes cover.
    #[test]
    fn welded_shapes_cover_what_they_covered(all in prop::collection::vec((0.0..60.0_f64, 0.0..60.0_f64, 4.0..20.0_f64, any::<bool>()), 2..9)) {
        let paths: Vec<(Path, u32)> = all
            .iter()
            .enumerate()
            .map(|(i, (x, y, r, round))| (if *round { Path::circle(p(*x, *y), *r) } else { Path::rectangle(*x, *y, *r, 2.0 * r) }, i as u32 + 1))
            .collect();
        let (cleaned, _) = clean(&shapes(&paths, true), |_| {});
        // One within another, to a few hundredths, stays as it was: by shape, that is an opening.
        let within = |a: &Path, b: &Path| b.contains(a.bounds().min.lerp(a.bounds().max, 0.5)) && b.bounds().grown(0.05).holds(&a.bounds());
        prop_assume!(!paths.iter().any(|(a, i)| paths.iter().any(|(b, j)| i != j && within(a, b))));
        let covered = Region::union(paths.iter().map(|(path, _)| Region::within(&[path]))).area();
        prop_assert!((area(&cleaned) - covered).abs() < 2e-3 * covered, "{} of {covered}", area(&cleaned));
    }
}

#[test]
fn what_digits_leave_open_at_the_last_corner_is_no_edge() {
    // A sector whose last arc ends 12 µm beyond the corner it began in; the file says that it is closed.
    let q = |x: f64, y: f64| p(x * 12.0, y * 12.0);
    let arc = |start, end, bulge| Segment { start, end, bulge };
    let first = q(5.316, 13.368);
    let open = vec![
        Segment::line(first, q(6.658, 10.684)),
        arc(q(6.658, 10.684), q(5.005, 7.82), 0.26),
        Segment::line(q(5.005, 7.82), q(2.011, 7.64)),
        arc(q(2.011, 7.64), q(5.317, 13.368), -0.26),
    ];
    // As it is read with a closing line of its own, and without.
    let closing = [open.clone(), vec![Segment::line(q(5.317, 13.368), first)]].concat();
    for segments in [open, closing] {
        let path = Path::new(segments, true);
        let (cleaned, _) = clean(&shapes(&[(path, 1)], true), |_| {});
        let outline = &cleaned.contours[0].path;
        assert!(outline.closed && outline.segments.len() == 4, "{} edges", outline.segments.len());
        assert!(outline.segments.iter().all(|s| s.chord() > 1.0), "no hair across the corner");
        for by in [0.1, -0.1] {
            assert_eq!(outline.moved_left(by).len(), 1, "half a kerf beside it there is one line");
        }
    }
}

#[test]
fn nearly_equal_edges_leave_no_slivers_between_welded_shapes() {
    // The second one's left side weaves a hundredth of a millimetre about the first one's right side; below that it leaves an
    // opening of 3 × 2 mm, and a tab of it reaches in.
    let weave = (0..10).map(|i| p(30.0 + if i % 2 == 0 { 0.01 } else { -0.01 }, 20.0 - 0.8 * f64::from(i)));
    let tab = [p(30.0, 12.0), p(33.0, 12.0), p(33.0, 10.0), p(24.0, 10.0), p(24.0, 6.0), p(33.0, 6.0), p(33.0, 0.0)];
    let other: Vec<Point> = [p(50.0, 0.0), p(50.0, 20.0)].into_iter().chain(weave).chain(tab).collect();
    let (cleaned, findings) = clean(&shapes(&[(Path::rectangle(0.0, 0.0, 30.0, 20.0), 1), (Path::polygon(&other), 2)], true), |_| {});
    assert!(has(&findings, "overlaps-welded").is_some());
    let areas: Vec<f64> = cleaned.contours.iter().map(|c| c.area.abs()).collect();
    assert!(areas.len() == 2 && areas.iter().any(|a| (a - 6.0).abs() < 0.1), "the outline and its opening: {areas:?}");
}

#[test]
fn a_filled_line_there_and_back_is_left_out() {
    let there = Path::new(vec![Segment::line(p(10.0, 10.0), p(14.0, 13.0)), Segment::line(p(14.0, 13.0), p(10.0, 10.0))], true);
    let (cleaned, findings) = clean(&shapes(&[(Path::rectangle(0.0, 0.0, 30.0, 20.0), 1), (there, 1)], true), |_| {});
    assert_eq!(cleaned.contours.len(), 1, "nothing is filled between there and back");
    assert!(has(&findings, "unseen-outlines").is_some(), "{findings:?}");
}

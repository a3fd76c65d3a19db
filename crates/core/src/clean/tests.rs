use super::*;
use crate::decisions::{CleanEdit, Edit};
use crate::finding::Severity;
use crate::geometry::Segment;
use crate::geometry::Vec2;
use crate::shop::Shop;
use crate::testing::lines as drawing;
use proptest::prelude::*;

mod crossed;
mod kept;
mod names;
mod nicked;
mod outlines;

fn p(x: f64, y: f64) -> Point {
    Point::new(x, y)
}

fn clean(d: &Drawing, decide: impl Fn(&mut DrawingDecisions)) -> (Cleaned, Vec<Finding>) {
    let mut decisions = DrawingDecisions::new(1, "", &d.file);
    decide(&mut decisions);
    let shop = Shop::builtin();
    let (intake, _) = crate::intake::run(d, &decisions, &shop.machines[0].bed());
    run(d, &intake, &decisions, &shop.tolerance)
}

fn square(gap: f64) -> Vec<(Point, Point)> {
    vec![(p(gap, 0.0), p(50.0, 0.0)), (p(50.0, 50.0), p(50.0, 0.0)), (p(50.0, 50.0), p(0.0, 50.0)), (p(0.0, 0.0), p(0.0, 50.0))]
}

fn has<'a>(findings: &'a [Finding], code: &str) -> Option<&'a Finding> {
    findings.iter().find(|f| f.code == code)
}

#[test]
fn a_gap_within_tolerance_closes_and_is_told() {
    let (cleaned, findings) = clean(&drawing(&square(0.02)), |_| {});
    assert_eq!(cleaned.counts(), (1, 0));
    assert_eq!(has(&findings, "gaps-closed").map(|f| (f.count, f.severity)), Some((1, Severity::Note)));
}

#[test]
fn a_wider_gap_is_a_finding_whose_remedy_closes_it() {
    let d = drawing(&square(0.4));
    let (cleaned, findings) = clean(&d, |_| {});
    assert_eq!(cleaned.counts(), (0, 1));
    let Some(Edit::Clean(CleanEdit::SetGap { gap, .. })) = has(&findings, "gaps").map(|f| f.remedies[0].edit.clone()) else {
        panic!("{findings:?}")
    };
    let (mended, findings) = clean(&d, |d| d.gap = Some(gap));
    assert_eq!(mended.counts(), (1, 0));
    assert!(has(&findings, "gaps").is_none());
    assert_eq!(mended.contours[0].id, cleaned.contours[0].id, "the name outlives the mend");
}

#[test]
fn doubled_lines_are_found_either_way_round_and_removed() {
    let mut lines = square(0.0);
    lines.push((p(0.0, 50.0), p(0.0, 0.0)));
    let d = drawing(&lines);
    let (_, findings) = clean(&d, |_| {});
    assert_eq!(has(&findings, "doubled-lines").map(|f| f.count), Some(1));
    let (mended, findings) = clean(&d, |d| {
        d.mends.insert(Mend::RemoveDoubles);
    });
    assert!(has(&findings, "doubled-lines").is_none());
    assert_eq!(mended.counts(), (1, 0));
}

#[test]
fn pieces_without_length_are_found_and_dropped() {
    let mut lines = square(0.0);
    lines.push((p(20.0, 20.0), p(20.0, 20.0)));
    let d = drawing(&lines);
    let (_, findings) = clean(&d, |_| {});
    assert_eq!(has(&findings, "zero-length").map(|f| f.count), Some(1));
    assert_eq!(
        clean(&d, |d| {
            d.mends.insert(Mend::DropZero);
        })
        .0
        .counts(),
        (1, 0)
    );
}

#[test]
fn at_a_crossing_the_straightest_way_on_is_taken() {
    let lines = [(p(0.0, 0.0), p(10.0, 0.0)), (p(10.0, 0.0), p(20.0, 0.1)), (p(10.0, 0.0), p(10.0, 10.0)), (p(10.0, -10.0), p(10.0, 0.0))];
    let (cleaned, _) = clean(&drawing(&lines), |_| {});
    let mut lengths: Vec<i64> = cleaned.contours.iter().map(|c| c.length.round() as i64).collect();
    lengths.sort_unstable();
    assert_eq!(lengths, [20, 20]);
}

#[test]
fn a_finely_drawn_line_does_not_collapse_into_its_gaps() {
    // Steps of 0.03 mm, below the gap tolerance.
    let lines: Vec<(Point, Point)> = (0..1000).map(|i| (p(f64::from(i) * 0.03, 0.0), p(f64::from(i + 1) * 0.03, 0.0))).collect();
    let (cleaned, _) = clean(&drawing(&lines), |_| {});
    assert_eq!(cleaned.counts(), (0, 1));
    assert!((cleaned.contours[0].length - 30.0).abs() < 1e-6);
}

#[test]
fn names_outlive_a_change_of_unit_and_of_order() {
    let lines = square(0.02);
    let mut shuffled = lines.clone();
    shuffled.rotate_left(2);
    let of = |lines: &[(Point, Point)], scale: f64| clean(&drawing(lines), |d| d.scale = scale).0.contours[0].id;
    assert_eq!(of(&lines, 1.0), of(&shuffled, 1.0));
    assert_eq!(of(&lines, 1.0), of(&lines, 2.0));
}

proptest! {
    /// Outlines in pieces, shuffled and turned about: as many closed contours come out, with all the length.
    #[test]
    fn chaining_loses_no_length(sides in prop::collection::vec(3..12_usize, 1..12), order in any::<u64>()) {
        let mut lines = Vec::new();
        for (i, n) in sides.iter().enumerate() {
            let corner = |k: usize| p(i as f64 * 40.0, 0.0) + 15.0 * crate::geometry::Vec2::from_angle(k as f64 * std::f64::consts::TAU / *n as f64);
            lines.extend((0..*n).map(|k| if (order >> (k % 60)) & 1 == 1 { (corner(k), corner(k + 1)) } else { (corner(k + 1), corner(k)) }));
        }
        let total: f64 = lines.iter().map(|l| l.0.distance(l.1)).sum();
        let mut key = order;
        lines.sort_by_cached_key(|_| { key = key.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1); key });
        let (cleaned, findings) = clean(&drawing(&lines), |_| {});
        prop_assert_eq!(cleaned.counts(), (sides.len(), 0));
        let length: f64 = cleaned.contours.iter().map(|c| c.length).sum();
        prop_assert!((length - total).abs() < 0.01);
        prop_assert!(findings.is_empty(), "{:?}", findings);
    }

    /// Whatever the lines, nothing of their length is lost, and nothing panics.
    #[test]
    fn any_lines_keep_their_length(lines in prop::collection::vec((0..20_i32, 0..20_i32, 0..20_i32, 0..20_i32), 0..60)) {
        let lines: Vec<(Point, Point)> = lines.iter().map(|(a, b, c, d)| (p(f64::from(*a), f64::from(*b)), p(f64::from(*c), f64::from(*d)))).collect();
        let total: f64 = lines.iter().map(|l| l.0.distance(l.1)).sum();
        let (cleaned, _) = clean(&drawing(&lines), |_| {});
        prop_assert!((cleaned.contours.iter().map(|c| c.length).sum::<f64>() - total).abs() < 0.01);
    }
}

#[test]
fn lines_that_lie_partly_on_another_lose_that_part() {
    // Two lines overlap by 20 mm; a third lies a hair beside the first; a fourth only touches.
    let lines =
        [(p(0.0, 0.0), p(50.0, 0.0)), (p(30.0, 0.0), p(80.0, 0.0)), (p(10.0, 0.005), p(20.0, 0.005)), (p(50.0, 0.0), p(50.0, 30.0))];
    let d = drawing(&lines);
    let (_, findings) = clean(&d, |_| {});
    let found = has(&findings, "doubled-lines").expect("a finding");
    assert!(found.count == 2 && found.text.contains("1 of them in part"), "{}", found.text);
    let (mended, findings) = clean(&d, |d| {
        d.mends.insert(Mend::RemoveDoubles);
    });
    assert!(has(&findings, "doubled-lines").is_none());
    let total: f64 = mended.contours.iter().map(|c| c.length).sum();
    assert!((total - (80.0 + 30.0)).abs() < 0.05, "{total}");
}

#[test]
fn arcs_on_one_circle_overlap_too() {
    use crate::testing::drawing;
    let style = Style { stroke: Some([0; 3]), ..Style::default() };
    let arc = |from: f64, sweep: f64| (Path::new(vec![Segment::arc(p(0.0, 0.0), 20.0, from, sweep)], false), style.clone());
    let d = drawing(&[
        arc(0.0, 2.0),
        arc(1.5, 1.0),
        arc(3.0, -0.4),
        (Path::new(vec![Segment::line(p(20.0, 0.0), p(40.0, 0.0))], false), style.clone()),
    ]);
    let (mended, _) = clean(&d, |d| {
        d.mends.insert(Mend::RemoveDoubles);
    });
    let total: f64 = mended.contours.iter().map(|c| c.length).sum();
    assert!((total - (20.0 * 3.0 - 20.0 * 0.1 + 20.0)).abs() < 2.1, "{total}");
    assert_eq!(has(&clean(&d, |_| {}).1, "doubled-lines").map(|f| f.count), Some(1));
}

#[test]
fn an_outline_drawn_twice_goes_whole_and_a_shared_edge_stays() {
    let twice = crate::testing::outlines(&[Path::rectangle(0.0, 0.0, 40.0, 30.0), Path::rectangle(0.0, 0.0, 40.0, 30.0)]);
    let (mended, _) = clean(&twice, |d| {
        d.mends.insert(Mend::RemoveDoubles);
    });
    assert_eq!(mended.counts(), (1, 0));
    let neighbours = crate::testing::outlines(&[Path::rectangle(0.0, 0.0, 40.0, 30.0), Path::rectangle(40.0, 0.0, 40.0, 30.0)]);
    let (kept, findings) = clean(&neighbours, |d| {
        d.mends.insert(Mend::RemoveDoubles);
    });
    assert_eq!((kept.counts(), has(&findings, "doubled-lines").is_some()), ((2, 0), false));
    assert_eq!(has(&findings, "shared-edges").map(|f| (f.count, f.severity)), Some((1, Severity::Note)));
}

#[test]
fn a_figure_of_eight_falls_into_two_loops() {
    let bow = crate::testing::outlines(&[Path::polygon(&[p(0.0, 0.0), p(40.0, 40.0), p(40.0, 0.0), p(0.0, 40.0)])]);
    let (_, findings) = clean(&bow, |_| {});
    assert_eq!(has(&findings, "self-crossing").map(|f| f.count), Some(1));
    let (mended, findings) = clean(&bow, |d| {
        d.mends.insert(Mend::SplitCrossings);
    });
    assert!(has(&findings, "self-crossing").is_none());
    let mut areas: Vec<i64> = mended.contours.iter().map(|c| c.area.abs().round() as i64).collect();
    areas.sort_unstable();
    assert_eq!(areas, [400, 400]);
    let lengths: f64 = mended.contours.iter().map(|c| c.length).sum();
    assert!((lengths - (80.0 + 2.0 * 40.0 * std::f64::consts::SQRT_2)).abs() < 1e-6);
}

#[test]
fn dashes_in_a_row_become_the_line_they_came_from() {
    let mut lines: Vec<(Point, Point)> = (0..12).map(|i| (p(f64::from(i) * 8.0, 5.0), p(f64::from(i) * 8.0 + 5.0, 5.0))).collect();
    lines.extend((0..6).map(|i| (p(f64::from(i) * 20.0, 40.0), p(f64::from(i) * 20.0, 60.0))));
    let d = drawing(&lines);
    let (_, findings) = clean(&d, |_| {});
    assert_eq!(has(&findings, "slits").map(|f| f.count), Some(12), "ticks side by side are no row");
    assert!(has(&findings, "dashes").is_none());
    let (mended, _) = clean(&d, |d| {
        d.mends.insert(Mend::JoinDashes);
    });
    assert_eq!(mended.counts(), (0, 7));
    assert!(mended.contours.iter().any(|c| (c.length - 93.0).abs() < 1e-6));
}

#[test]
fn a_dashed_circle_becomes_a_circle() {
    use crate::testing::drawing;
    let style = Style { stroke: Some([0; 3]), ..Style::default() };
    let dashes: Vec<_> = (0..24)
        .map(|i| {
            (Path::new(vec![Segment::arc(p(5.0, 5.0), 30.0, f64::from(i) * std::f64::consts::TAU / 24.0, 0.15)], false), style.clone())
        })
        .collect();
    let (mended, _) = clean(&drawing(&dashes), |d| {
        d.mends.insert(Mend::JoinDashes);
    });
    assert_eq!(mended.counts(), (1, 0));
    assert!((mended.contours[0].length - std::f64::consts::TAU * 30.0).abs() < 1e-6);
}

/// Dashes of a closed outline, as a pen that lifts at even distances draws them, from a distance along it.
fn dashed(corners: &[Point], dash: f64, gap: f64, from: f64) -> Vec<(Path, Style)> {
    let style = Style { stroke: Some([0; 3]), ..Style::default() };
    let edges: Vec<(Point, Point)> = (0..corners.len()).map(|i| (corners[i], corners[(i + 1) % corners.len()])).collect();
    let whole: f64 = edges.iter().map(|e| e.0.distance(e.1)).sum();
    let count = (whole / (dash + gap)).round();
    let pitch = whole / count;
    (0..count as usize)
        .map(|k| {
            let (a, b) = (from + k as f64 * pitch, from + k as f64 * pitch + pitch - gap);
            let (mut segments, mut at) = (Vec::new(), 0.0);
            for (p, q) in edges.iter().chain(&edges) {
                let long = p.distance(*q);
                let (s, e) = ((a - at).max(0.0), (b - at).min(long));
                if e - s > 1e-9 {
                    segments.push(Segment::line(p.lerp(*q, s / long), p.lerp(*q, e / long)));
                }
                at += long;
            }
            (Path::new(segments, false), style.clone())
        })
        .collect()
}

proptest! {
    /// Wherever dashes and gaps fall on its corners, a dashed outline comes back as it was.
    #[test]
    fn a_dashed_outline_comes_back_with_its_corners(
        w in 40.0..120.0_f64, h in 30.0..90.0_f64, cut in 0.0..1.0_f64, dash in 3.0..6.0_f64, gap in 1.0..2.5_f64, from in 0.0..8.0_f64,
    ) {
        let corners = [p(0.0, 0.0), p(w, 0.0), p(w, h - 12.0 - cut), p(w - 15.0, h), p(0.0, h)];
        let outline = Path::polygon(&corners);
        let drawing = crate::testing::drawing(&dashed(&corners, dash, gap, from));
        let (_, findings) = clean(&drawing, |_| {});
        prop_assert!(has(&findings, "dashes").is_some());
        let (mended, findings) = clean(&drawing, |d| {
            d.mends.insert(Mend::JoinDashes);
        });
        prop_assert_eq!(mended.counts(), (1, 0));
        prop_assert!((mended.contours[0].area.abs() - outline.area().abs()).abs() < 1e-3, "{} {}", mended.contours[0].area, outline.area());
        prop_assert_eq!(mended.contours[0].path.segments.len(), corners.len());
        prop_assert!(has(&findings, "dashes").is_none());
    }
}

#[test]
fn specks_are_found_and_branches_noted() {
    let mut lines = square(0.0);
    lines.push((p(20.0, 20.0), p(20.2, 20.1)));
    lines.push((p(50.0, 0.0), p(80.0, -20.0)));
    let d = drawing(&lines);
    let (_, findings) = clean(&d, |_| {});
    assert_eq!(has(&findings, "specks").map(|f| f.count), Some(1));
    assert_eq!(has(&findings, "branches").map(|f| f.count), Some(1));
    let (mended, findings) = clean(&d, |d| {
        d.mends.insert(Mend::DropSpecks);
    });
    assert!(has(&findings, "specks").is_none() && mended.contours.iter().all(|c| c.length > 1.0));
}

#[test]
fn a_curve_of_a_thousand_lines_is_followed_by_arcs() {
    let points: Vec<Point> =
        (0..=400).map(|i| p(0.0, 0.0) + 50.0 * crate::geometry::Vec2::from_angle(f64::from(i) * std::f64::consts::TAU / 400.0)).collect();
    let lines: Vec<(Point, Point)> = points.windows(2).map(|w| (w[0], w[1])).collect();
    let d = drawing(&lines);
    let (_, findings) = clean(&d, |_| {});
    let dense = has(&findings, "dense").expect("a finding");
    assert!(dense.text.contains("400 short lines") && dense.severity == Severity::Note, "{}", dense.text);
    let Edit::Clean(CleanEdit::Refit { tolerance, .. }) = dense.remedies[0].edit else { panic!("{dense:?}") };
    let (mended, _) = clean(&d, |d| d.refit = tolerance);
    assert_eq!(mended.contours[0].path.segments.len(), 2);
}

proptest! {
    /// Lines thrown on top of each other: whatever was removed, every burned point is burned once.
    #[test]
    fn what_is_left_lies_on_nothing_else(spans in prop::collection::vec((0..40_u32, 1..20_u32, 0..3_u32), 1..25)) {
        let lines: Vec<(Point, Point)> = spans.iter().map(|(x, l, y)| (p(f64::from(*x), f64::from(*y) * 10.0), p(f64::from(x + l), f64::from(*y) * 10.0))).collect();
        let (mended, _) = clean(&drawing(&lines), |d| { d.mends.insert(Mend::RemoveDoubles); });
        for y in 0..3_u32 {
            let mut covered = [false; 64];
            spans.iter().filter(|s| s.2 == y).for_each(|(x, l, _)| (*x..x + l).for_each(|k| covered[k as usize] = true));
            let left: f64 = mended.contours.iter().flat_map(|c| &c.path.segments).filter(|s| (s.start.y - f64::from(y) * 10.0).abs() < 1.0).map(boustrophe_geometry::Segment::length).sum();
            let union = covered.iter().filter(|c| **c).count() as f64;
            prop_assert!((left - union).abs() < 0.5, "{left} for {union}");
        }
    }

    /// Any closed polygon, crossing itself as it likes: the loops keep all its length and cross no more.
    #[test]
    fn loops_keep_the_length(points in prop::collection::vec((0.0..100.0_f64, 0.0..100.0_f64), 4..12)) {
        let path = Path::polygon(&points.iter().map(|(x, y)| p(*x, *y)).collect::<Vec<_>>());
        let found = super::crossings::find(&path, 1e-6);
        let loops = super::crossings::split(&path, &found);
        let total: f64 = loops.iter().map(Path::length).sum();
        prop_assert!((total - path.length()).abs() < 1e-3, "{total} for {}", path.length());
        for l in &loops {
            prop_assert!(l.segments.windows(2).all(|w| w[0].end.distance(w[1].start) < 1e-6));
            prop_assert!(super::crossings::find(l, 1e-4).is_empty());
        }
    }
}

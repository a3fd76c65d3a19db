use super::*;
use crate::shop::Shop;
use crate::testing::lines as drawing;
use proptest::prelude::*;

fn p(x: f64, y: f64) -> Point {
    Point::new(x, y)
}

fn clean(d: &Drawing, decide: impl Fn(&mut DrawingDecisions)) -> (Cleaned, Vec<Finding>) {
    let mut decisions = DrawingDecisions::new(1, "", &d.file);
    decide(&mut decisions);
    let shop = Shop::builtin();
    let (intake, _) = crate::intake::run(d, &decisions, &shop.machines[0]);
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
    let Some(Edit::SetGap { gap, .. }) = has(&findings, "gaps").map(|f| f.remedies[0].edit.clone()) else { panic!("{findings:?}") };
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
    let (mended, findings) = clean(&d, |d| d.remove_doubles = true);
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
    assert_eq!(clean(&d, |d| d.drop_zero = true).0.counts(), (1, 0));
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

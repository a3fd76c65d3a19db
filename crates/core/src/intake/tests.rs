use super::*;
use crate::decisions::Decisions;
use crate::geometry::Point;
use crate::shop::Shop;
use crate::testing::lines;

fn of(width: f64, height: f64, units: FileUnits, decide: impl Fn(&mut DrawingDecisions)) -> (Intake, Vec<Finding>) {
    let mut d = lines(&[(Point::ZERO, Point::new(width, 0.0)), (Point::new(width, 0.0), Point::new(width, height))]);
    d.units = units;
    let mut decisions = DrawingDecisions::new(1, "", "queen-excluder.dxf");
    decide(&mut decisions);
    run(&d, &decisions, &Shop::builtin().machines[0].bed())
}

#[test]
fn where_the_file_does_not_say_the_plausible_size_comes_first() {
    for (width, height, first) in [(402.0, 330.0, "mm"), (15.8, 13.0, "in"), (0.4, 0.33, "m")] {
        let (intake, findings) = of(width, height, FileUnits::Unsaid, |_| {});
        assert!(!intake.sure);
        assert_eq!(intake.candidates[0].name, first, "{width} × {height}");
        assert!(findings.iter().any(|f| f.code == "units-unsaid" && f.severity == Severity::Stop && f.remedies.len() == 5));
    }
}

#[test]
fn an_answer_settles_the_size() {
    let (intake, findings) = of(8.0, 4.0, FileUnits::Unsaid, |d| d.unit = Some(Unit::In));
    assert!(intake.sure && findings.is_empty());
    assert!((intake.transform * Point::new(8.0, 0.0)).distance(Point::new(203.2, 0.0)) < 1e-9);
    let (intake, _) = of(96.0, 10.0, FileUnits::Pixels, |d| d.ppi = Some(72.0));
    assert!(((intake.transform * Point::new(72.0, 0.0)).x - 25.4).abs() < 1e-9);
    let (_, findings) = of(96.0, 10.0, FileUnits::Pixels, |_| {});
    assert!(findings.iter().any(|f| f.code == "pixel-size" && f.remedies[0].safe), "96 to the inch is the standard");
}

#[test]
fn scale_turn_and_mirror_apply_in_that_order() {
    let (intake, _) = of(10.0, 5.0, FileUnits::Known(Unit::Mm), |d| (d.scale, d.angle, d.mirrored) = (20.0, 90.0, true));
    // (10, 5) → (200, 100) → (−200, 100) → (−100, −200)
    assert!((intake.transform * Point::new(10.0, 5.0)).distance(Point::new(-100.0, -200.0)) < 1e-9);
}

#[test]
fn sizes_that_cannot_be_are_stopped() {
    for (size, code) in [(1e11, "too-large"), (0.001, "tiny"), (30_000.0, "huge")] {
        let (_, findings) = of(size, size / 2.0, FileUnits::Known(Unit::Mm), |_| {});
        assert!(findings.iter().any(|f| f.code == code), "{size}: {findings:?}");
    }
    let (_, findings) =
        run(&Drawing::new("empty.dxf", FileUnits::Known(Unit::Mm)), &DrawingDecisions::new(1, "", ""), &Shop::builtin().machines[0].bed());
    assert!(findings.iter().any(|f| f.code == "nothing-drawn" && f.severity == Severity::Stop));
}

/// What an answer says that it comes to is what it brings about, also where a scale was decided.
#[test]
fn answers_come_to_what_they_say() {
    for scale in [1.0, 48.0, 4000.0] {
        let decide = |d: &mut DrawingDecisions| d.scale = scale;
        let (_, findings) = of(1100.0, 700.0, FileUnits::Known(Unit::Mm), decide);
        let asked = findings.iter().find(|f| matches!(f.code.as_str(), "huge" | "too-large"));
        assert_eq!(asked.is_some(), scale > 1.0);
        for r in asked.iter().flat_map(|f| &f.remedies).filter(|r| !r.comes_to.is_empty()) {
            let before =
                Decisions { drawings: vec![DrawingDecisions { scale, ..DrawingDecisions::new(1, "", "a.dxf") }], ..Decisions::default() };
            let after = r.edit.apply(&before).expect("it can be done");
            let (intake, _) = of(1100.0, 700.0, FileUnits::Known(Unit::Mm), |d| *d = after.drawings[0].clone());
            let (w, h) = (1100.0 * intake.mm(), 700.0 * intake.mm());
            assert_eq!(r.comes_to, sizes(w, h), "{}", r.label);
        }
    }
    // A page at the scale that it is drawn to is no mistake for being as large as a room.
    let mut page = lines(&[(Point::ZERO, Point::new(400.0, 0.0)), (Point::new(400.0, 0.0), Point::new(400.0, 280.0))]);
    page.units = FileUnits::Known(Unit::Mm);
    page.pages = vec![Bounds::of([Point::ZERO, Point::new(420.0, 297.0)])];
    let decided = DrawingDecisions { scale: 48.0, ..DrawingDecisions::new(1, "", "plan.pdf") };
    assert!(run(&page, &decided, &Shop::builtin().machines[0].bed()).1.is_empty());
}

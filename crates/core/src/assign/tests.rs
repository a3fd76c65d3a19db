use super::*;
use crate::decisions::{AssignEdit, Decisions, Edit};
use crate::drawing::Style;
use crate::geometry::{Path, Point, Segment};
use crate::shop::{Match, Rule};
use crate::testing::{cleaned, drawing, outlines};
use proptest::prelude::*;

mod asked;

fn p(x: f64, y: f64) -> Point {
    Point::new(x, y)
}

fn styled(colour: [u8; 3], layer: &str) -> Style {
    Style { stroke: Some(colour), layer: layer.into(), ..Style::default() }
}

#[test]
fn parts_hold_what_lies_inside_and_a_plug_in_a_hole_is_its_own() {
    let d = outlines(&[
        Path::rectangle(0.0, 0.0, 100.0, 80.0),
        Path::rectangle(20.0, 20.0, 60.0, 40.0),
        Path::circle(p(50.0, 40.0), 15.0),
        Path::circle(p(50.0, 40.0), 3.0),
        Path::new(vec![Segment::line(p(5.0, 5.0), p(95.0, 5.0))], false),
        Path::new(vec![Segment::line(p(200.0, 5.0), p(295.0, 5.0))], false),
    ]);
    let (drawing, decisions) = cleaned(&d, 2);
    let (work, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let mut parts: Vec<(usize, usize, u32)> = work.parts.iter().map(|p| (p.holes.len(), p.inside.len(), p.quantity)).collect();
    parts.sort_unstable();
    assert_eq!(parts, [(1, 0, 2), (1, 1, 2)]);
    let board = work.parts.iter().find(|p| p.bounds.width() > 90.0).expect("the board");
    assert!((board.area - (8000.0 - 2400.0)).abs() < 1e-6 && (board.perimeter - (360.0 + 200.0)).abs() < 1e-6);
    assert_eq!(findings.iter().find(|f| f.code == "outside-parts").map(|f| f.count), Some(1));
}

#[test]
fn hand_beats_key_beats_rule_beats_shape() {
    let red = [0xe4, 0, 0x2b];
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 50.0, 50.0), styled(red, "A")),
        (Path::rectangle(60.0, 0.0, 50.0, 50.0), styled([0, 0, 0], "B")),
    ]);
    let (drawing, mut decisions) = cleaned(&d, 1);
    let mut shop = Shop::builtin();
    let processes = |decisions: &Decisions, shop: &Shop| {
        crate::testing::assigned(&[Arc::clone(&drawing)], decisions, shop).0.items.iter().map(|i| (i.process, i.why)).collect::<Vec<_>>()
    };
    assert_eq!(processes(&decisions, &shop), [(Process::Cut, Why::Closed); 2]);
    shop.rules.push(Rule { id: 1, when: Match::stroke(red), process: Process::Score });
    assert_eq!(processes(&decisions, &shop)[0], (Process::Score, Why::Rule(1)));
    decisions.assign.keys.insert(styled(red, "A").key(), Process::Engrave);
    assert_eq!(processes(&decisions, &shop)[0], (Process::Engrave, Why::Key));
    decisions.assign.contours.insert(drawing.contours[0].id, Process::Reference);
    assert_eq!(processes(&decisions, &shop), [(Process::Reference, Why::Hand), (Process::Cut, Why::Closed)]);
}

#[test]
fn nearly_the_shop_colour_is_proposed_and_not_applied() {
    let mut shop = Shop::builtin();
    shop.rules.push(Rule { id: 1, when: Match::stroke([0xe4, 0, 0x2b]), process: Process::Score });
    let d = drawing(&[(Path::rectangle(0.0, 0.0, 50.0, 50.0), styled([0xe4, 5, 0x30], ""))]);
    let (drawing, decisions) = cleaned(&d, 1);
    let (work, findings) = crate::testing::assigned(&[drawing], &decisions, &shop);
    assert_eq!(work.items[0].process, Process::Cut, "by shape");
    let near = findings.iter().find(|f| f.code == "near-colour").expect("a finding");
    assert!(near.text.contains("5 steps"), "{}", near.text);
    assert!(!near.remedies[0].safe, "a person decides");
}

#[test]
fn what_would_not_happen_is_said() {
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 50.0, 50.0), styled([0; 3], "A")),
        (Path::new(vec![Segment::line(p(5.0, 5.0), p(40.0, 5.0))], false), styled([0; 3], "B")),
    ]);
    let (drawing, mut decisions) = cleaned(&d, 1);
    decisions.assign.keys.insert(styled([0; 3], "B").key(), Process::Engrave);
    decisions.first_mut().stock.thickness = 4.0;
    let (_, findings) = crate::testing::assigned(&[Arc::clone(&drawing)], &decisions, &Shop::builtin());
    let codes: Vec<&str> = findings.iter().map(|f| f.code.as_str()).collect();
    assert!(codes.contains(&"engrave-open") && codes.iter().filter(|c| **c == "chart-missing").count() == 2, "{codes:?}");
    NestEdit::SetQuantity { part: PartId(drawing.contours[0].id), quantity: 0 }
        .on(BatchId::FIRST)
        .apply(&decisions)
        .map(|d| decisions = d)
        .expect("it applies");
    let (_, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    assert!(findings.iter().any(|f| f.code == "no-copies"));
}

#[test]
fn hidden_lines_are_reference_and_letters_are_engraved() {
    let mut hidden = styled([0; 3], "FRAME");
    hidden.hidden = true;
    let letters = Style { fill: Some([0; 3]), text: true, ..Style::default() };
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 50.0, 50.0), styled([0; 3], "")),
        (Path::rectangle(-5.0, -5.0, 60.0, 60.0), hidden),
        (Path::circle(p(20.0, 20.0), 5.0), letters),
    ]);
    let (drawing, decisions) = cleaned(&d, 1);
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    assert_eq!(work.items.iter().map(|i| i.process).collect::<Vec<_>>(), [Process::Cut, Process::Reference, Process::Engrave]);
    assert_eq!(work.parts.len(), 1);
}

proptest! {
    /// Nested squares, in any order: each lies in the next larger one.
    #[test]
    fn the_parent_is_the_smallest_around(mut sizes in prop::collection::hash_set(1..60_u32, 1..15).prop_map(|s| s.into_iter().collect::<Vec<_>>())) {
        let paths: Vec<Path> = sizes.iter().map(|s| Path::circle(p(0.0, 0.0), f64::from(*s))).collect();
        let found = parents(&paths.iter().collect::<Vec<_>>());
        let of: Vec<Option<u32>> = found.iter().map(|f| f.map(|i| sizes[i])).collect();
        let own = sizes.clone();
        sizes.sort_unstable();
        for (i, size) in own.iter().enumerate() {
            let larger = sizes.iter().copied().find(|s| s > size);
            prop_assert_eq!(of[i], larger);
        }
    }
}

#[test]
fn a_layer_written_otherwise_is_proposed_with_what_differs() {
    let mut shop = Shop::builtin();
    shop.rules.push(Rule { id: 1, when: Match::layer("Fold lines"), process: Process::Score });
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 50.0, 50.0), styled([0; 3], "FOLD_LINES")),
        (Path::rectangle(60.0, 0.0, 50.0, 50.0), styled([0; 3], "Fold lines")),
        (Path::rectangle(120.0, 0.0, 50.0, 50.0), styled([0; 3], "Folds")),
    ]);
    let (drawing, mut decisions) = cleaned(&d, 1);
    let (work, findings) = crate::testing::assigned(&[Arc::clone(&drawing)], &decisions, &shop);
    assert_eq!(work.items.iter().map(|i| i.process).collect::<Vec<_>>(), [Process::Cut, Process::Score, Process::Cut]);
    let near: Vec<&Finding> = findings.iter().filter(|f| f.code == "near-layer").collect();
    assert!(near.len() == 1 && near[0].text.contains("FOLD_LINES") && near[0].text.contains("Fold lines"), "{near:?}");
    decisions.assign.keys.insert(styled([0; 3], "FOLD_LINES").key(), Process::Cut);
    let (_, findings) = crate::testing::assigned(&[drawing], &decisions, &shop);
    assert!(findings.iter().all(|f| f.code != "near-layer"), "what was chosen is not asked again");
}

#[test]
fn rules_look_at_every_kind_of_thing() {
    let mut shop = Shop::builtin();
    let rule = |id, when, process| Rule { id, when, process };
    let wide = Style { stroke: Some([0; 3]), width: 500, line_type: "DASHED2".into(), ..Style::default() };
    shop.rules = vec![
        rule(1, Match { size: Some((0.0, 5.0)), closed: Some(true), ..Match::default() }, Process::Mark),
        rule(2, Match { width: Some((0.4, 0.6)), line_type: Some("DASH*".into()), ..Match::default() }, Process::Score),
        rule(3, Match { stroke: Some(([200, 0, 0], 8)), ..Match::default() }, Process::Engrave),
        rule(4, Match { filled: Some(true), ..Match::default() }, Process::Reference),
    ];
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 90.0, 90.0), styled([0; 3], "")),
        (Path::circle(p(10.0, 10.0), 2.0), styled([0; 3], "")),
        (Path::circle(p(40.0, 10.0), 8.0), wide),
        (Path::circle(p(40.0, 40.0), 8.0), styled([206, 3, 0], "")),
        (Path::circle(p(70.0, 40.0), 8.0), Style { fill: Some([1, 2, 3]), ..Style::default() }),
    ]);
    let (drawing, decisions) = cleaned(&d, 1);
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &shop);
    let found: Vec<(Process, Why)> = work.items.iter().map(|i| (i.process, i.why)).collect();
    assert_eq!(
        found,
        [
            (Process::Cut, Why::Closed),
            (Process::Mark, Why::Rule(1)),
            (Process::Score, Why::Rule(2)),
            (Process::Engrave, Why::Rule(3)),
            (Process::Reference, Why::Rule(4))
        ]
    );
}

#[test]
fn a_missing_row_is_proposed_from_its_neighbour_and_stays_unproved() {
    let (drawing, mut decisions) = cleaned(&outlines(&[Path::rectangle(0.0, 0.0, 50.0, 50.0)]), 1);
    decisions.first_mut().stock.thickness = 4.0;
    let shop = Shop::builtin();
    let (_, findings) = crate::testing::assigned(&[Arc::clone(&drawing)], &decisions, &shop);
    let missing = findings.iter().find(|f| f.code == "chart-missing").expect("it is missing");
    let Edit::Assign(AssignEdit::ProposeRow { row }) = &missing.remedies[0].edit else { panic!("a row is proposed first") };
    assert!((row.feed - 900.0).abs() < 1e-9 && row.unproved);
    let proposed = missing.remedies[0].edit.apply(&decisions).expect("it applies");
    let (_, findings) = crate::testing::assigned(&[Arc::clone(&drawing)], &proposed, &shop);
    assert!(findings.iter().all(|f| f.code != "chart-missing"));
    assert!(findings.iter().any(|f| f.code == "unproved" && f.severity == Severity::Look));
    // Back at 3 mm the job's own row bears on nothing.
    let mut back = proposed;
    back.first_mut().stock = crate::decisions::Stock::default();
    let (_, findings) = crate::testing::assigned(&[drawing], &back, &shop);
    assert!(findings.iter().all(|f| f.code != "unproved"));
}

#[test]
fn thin_areas_and_open_engravings_have_remedies_that_work() {
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 50.0, 50.0), styled([0; 3], "A")),
        (Path::rectangle(5.0, 5.0, 30.0, 0.06), styled([0; 3], "B")),
        (Path::new(vec![Segment::line(p(5.0, 20.0), p(40.0, 20.0))], false), styled([0; 3], "B")),
        (
            Path::new(
                vec![
                    Segment::line(p(5.0, 30.0), p(15.0, 30.0)),
                    Segment::line(p(15.0, 30.0), p(15.0, 40.0)),
                    Segment::line(p(15.0, 40.0), p(5.0, 31.0)),
                ],
                false,
            ),
            styled([0; 3], "C"),
        ),
    ]);
    let shop = Shop::builtin();
    let again = |decisions: &Decisions| {
        let (intake, _) = crate::intake::run(&d, &decisions.drawings[0], &shop.machines[0].bed());
        let (cleaned, _) = crate::clean::run(&d, &intake, &decisions.drawings[0], &shop.tolerance);
        crate::testing::assigned(&[Arc::new(cleaned)], decisions, &shop)
    };
    let (_, mut decisions) = cleaned(&d, 1);
    for layer in ["B", "C"] {
        decisions.assign.keys.insert(styled([0; 3], layer).key(), Process::Engrave);
    }
    let (_, findings) = again(&decisions);
    let count = |findings: &[Finding], code: &str| findings.iter().find(|f| f.code == code).map_or(0, |f| f.count);
    assert_eq!((count(&findings, "engrave-open"), count(&findings, "engrave-thin")), (2, 1));
    let open = findings.iter().find(|f| f.code == "engrave-open").expect("it is told");
    assert!(open.remedies.iter().all(|r| !r.label.starts_with("Close")), "one of them is a straight line");
    for (code, which) in [("engrave-open", 0), ("engrave-open", 1), ("engrave-thin", 0), ("engrave-thin", 1)] {
        let finding = findings.iter().find(|f| f.code == code).expect("it is told");
        let mended = finding.remedies[which].edit.apply(&decisions).expect("it applies");
        let (_, after) = again(&mended);
        assert_eq!(count(&after, code), 0, "{}", finding.remedies[which].label);
    }
    decisions.assign.contours.insert(again(&decisions).0.items[2].contour.id, Process::Reference);
    let (_, findings) = again(&decisions);
    let open = findings.iter().find(|f| f.code == "engrave-open").expect("the other is left");
    let close = open.remedies.iter().find(|r| r.label.starts_with("Close")).expect("it nearly closes");
    let (work, after) = again(&close.edit.apply(&decisions).expect("it applies"));
    assert!(count(&after, "engrave-open") == 0 && work.items[3].contour.path.closed);
}

#[test]
fn every_part_gets_its_number_inside_it() {
    use crate::decisions::Numbers;
    use crate::lettering::Face;
    let d = outlines(&[
        Path::rectangle(0.0, 0.0, 60.0, 40.0),
        Path::circle(p(30.0, 20.0), 12.0),
        Path::rectangle(100.0, 0.0, 30.0, 30.0),
        Path::rectangle(200.0, 0.0, 50.0, 1.0),
    ]);
    let (drawing, mut decisions) = cleaned(&d, 1);
    for face in [Face::Stroke, Face::Outline] {
        let process = if face == Face::Stroke { Process::Score } else { Process::Engrave };
        decisions.assign.numbers = Some(Numbers { prefix: "P".into(), first: 7, process, face, smallest: 2.0, tallest: 5.0 });
        let (work, findings) = crate::testing::assigned(&[Arc::clone(&drawing)], &decisions, &Shop::builtin());
        assert_eq!(findings.iter().find(|f| f.code == "no-room-for-number").map(|f| f.count), Some(1));
        for part in &work.parts[..2] {
            let letters: Vec<&Item> = part.inside.iter().map(|i| &work.items[*i]).filter(|i| i.why == Why::Number).collect();
            assert!(!letters.is_empty() && letters.iter().all(|l| l.process == process));
            let hole = part.holes.first().map(|i| &work.items[*i].contour.path);
            for l in letters {
                for q in l.contour.path.points(0.05) {
                    assert!(part.outline.contains(q) && hole.is_none_or(|h| !h.contains(q) && h.nearest(q).distance > 0.2), "{q:?}");
                }
                assert!(l.contour.bounds.height() <= 5.2);
            }
        }
        assert!(work.parts.iter().find(|p| p.bounds.height() < 2.0).expect("the bar").inside.is_empty());
    }
}

#[test]
fn settings_of_the_jobs_own_come_and_go() {
    use crate::decisions::JobSetting;
    let (drawing, decisions) = cleaned(&outlines(&[Path::rectangle(0.0, 0.0, 50.0, 50.0), Path::circle(p(20.0, 20.0), 5.0)]), 1);
    let setting = JobSetting {
        id: 3,
        name: "gentle".into(),
        process: Process::Cut,
        feed: Some(500.0),
        power: None,
        passes: None,
        pitch: None,
        tool: None,
        kerf: None,
    };
    let with = Edit::Assign(AssignEdit::SetSetting { setting: setting.clone() }).apply(&decisions).expect("it is added");
    let hole = drawing.contours[1].id;
    let used = Edit::Assign(AssignEdit::UseForContours { contours: vec![hole], setting: Some(3) }).apply(&with).expect("it is used");
    let of = |d: &Decisions| {
        crate::testing::assigned(&[Arc::clone(&drawing)], d, &Shop::builtin()).0.items.iter().map(|i| i.setting).collect::<Vec<_>>()
    };
    assert_eq!(of(&used), [None, Some(3)]);
    let shop = Shop::builtin();
    assert_eq!(
        shop.rows_for(&used.assign, &used.first().stock).get(Process::Cut, Some(3)).map(|r| (r.feed, r.power)),
        Some((500.0, 65.0)),
        "what is not said is the chart's"
    );
    let key = drawing.contours[0].style.key();
    let both = Edit::Assign(AssignEdit::UseForKey { key: key.clone(), setting: Some(3) }).apply(&used).expect("by key");
    assert_eq!(of(&both), [Some(3), Some(3)]);
    let plain = Edit::Assign(AssignEdit::SetKey { key, process: Some(Process::Cut) }).apply(&both).expect("plain again");
    assert_eq!(of(&plain), [None, Some(3)]);
    let gone = Edit::Assign(AssignEdit::DropSetting { id: 3 }).apply(&both).expect("it goes");
    assert_eq!(of(&gone), [None, None]);
    assert!(Edit::Assign(AssignEdit::UseForContours { contours: vec![hole], setting: Some(9) }).apply(&with).is_err());
    for bad in [
        JobSetting { name: " ".into(), ..setting.clone() },
        JobSetting { feed: Some(-1.0), ..setting.clone() },
        JobSetting { power: Some(140.0), ..setting.clone() },
        JobSetting { passes: Some(0), ..setting },
    ] {
        assert!(Edit::Assign(AssignEdit::SetSetting { setting: bad }).apply(&decisions).is_err());
    }
}

#[test]
fn a_coarse_picture_is_told() {
    let mut d = outlines(&[Path::rectangle(0.0, 0.0, 100.0, 80.0)]);
    let style = d.style(&Style { nature: crate::drawing::Nature::Picture, ..Style::default() });
    for (x, side) in [(10.0, 40.0), (60.0, 4.0)] {
        let bitmap = Arc::new(crate::drawing::Bitmap { width: 40, height: 40, grey: vec![9; 1600] });
        let place = crate::geometry::Affine::translate((x, 10.0)) * crate::geometry::Affine::scale(side);
        d.entities.push(crate::drawing::Entity::new(style, crate::drawing::Shape::Picture(crate::drawing::Picture { bitmap, place })));
    }
    let (drawing, decisions) = cleaned(&d, 1);
    let (work, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    assert_eq!(work.items.iter().filter(|i| i.process == Process::Picture && i.why == Why::Picture).count(), 2);
    assert_eq!(work.parts[0].inside.len(), 2, "pictures belong to the part round them");
    let coarse = findings.iter().find(|f| f.code == "coarse-picture").expect("it is told");
    assert!(coarse.count == 1 && coarse.text.contains("1.0 pixels"), "{}", coarse.text);
}

use super::*;
use crate::drawing::Style;
use crate::geometry::{Path, Point, Segment};
use crate::shop::{Match, Rule};
use crate::testing::{cleaned, drawing, outlines};
use proptest::prelude::*;

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
    let (work, findings) = run(&[drawing], &decisions, &Shop::builtin());
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
        run(&[Arc::clone(&drawing)], decisions, shop).0.items.iter().map(|i| (i.process, i.why)).collect::<Vec<_>>()
    };
    assert_eq!(processes(&decisions, &shop), [(Process::Cut, Why::Closed); 2]);
    shop.rules.push(Rule { when: Match::Stroke(red), process: Process::Score });
    assert_eq!(processes(&decisions, &shop)[0], (Process::Score, Why::Rule(1)));
    decisions.keys.insert(styled(red, "A").key(), Process::Engrave);
    assert_eq!(processes(&decisions, &shop)[0], (Process::Engrave, Why::Key));
    decisions.contours.insert(drawing.contours[0].id, Process::Reference);
    assert_eq!(processes(&decisions, &shop), [(Process::Reference, Why::Hand), (Process::Cut, Why::Closed)]);
}

#[test]
fn nearly_the_shop_colour_is_proposed_and_not_applied() {
    let mut shop = Shop::builtin();
    shop.rules.push(Rule { when: Match::Stroke([0xe4, 0, 0x2b]), process: Process::Score });
    let d = drawing(&[(Path::rectangle(0.0, 0.0, 50.0, 50.0), styled([0xe4, 5, 0x30], ""))]);
    let (drawing, decisions) = cleaned(&d, 1);
    let (work, findings) = run(&[drawing], &decisions, &shop);
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
    decisions.keys.insert(styled([0; 3], "B").key(), Process::Engrave);
    decisions.batch.thickness = 4.0;
    let (_, findings) = run(&[Arc::clone(&drawing)], &decisions, &Shop::builtin());
    let codes: Vec<&str> = findings.iter().map(|f| f.code.as_str()).collect();
    assert!(codes.contains(&"engrave-open") && codes.iter().filter(|c| **c == "chart-missing").count() == 2, "{codes:?}");
    decisions.parts.insert(drawing.contours[0].id, crate::decisions::PartDecisions { quantity: Some(0) });
    let (_, findings) = run(&[drawing], &decisions, &Shop::builtin());
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
    let (work, _) = run(&[drawing], &decisions, &Shop::builtin());
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

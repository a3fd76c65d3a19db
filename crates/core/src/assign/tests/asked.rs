//! What a drawing leaves open is asked, and what may be meant is not lost.

use super::*;
use crate::finding::Code;
use crate::geometry::Vec2;

/// A drawing of outlines and strokes with a line of writing on it.
fn noted(paths: &[Path], note: &str, at: Point) -> crate::drawing::Drawing {
    use crate::drawing::{Anchor, Entity, Shape, Text};
    let mut d = outlines(paths);
    let style = d.style(&Style { text: true, ..Style::default() });
    let text = Text::anchored(at, (Anchor::Begin, 0.0), 5.0, 0.0, note.into());
    d.entities.push(Entity::new(style, Shape::Text(text)));
    d
}

#[test]
fn a_hole_with_marks_in_it_is_a_line_of_the_marks() {
    let stroke = |a: Point, b: Point| Path::new(vec![Segment::line(a, b)], false);
    // A dial: ticks within a thin circle, a spindle's hole in the middle; and a board with a grid.
    let ticks = (0..24).map(|i| Vec2::from_angle(f64::from(i) * 0.2618)).map(|v| stroke((v * 40.0).to_point(), (v * 46.0).to_point()));
    let dial: Vec<Path> = [60.0, 48.0, 3.0].map(|r| Path::circle(p(0.0, 0.0), r)).into_iter().chain(ticks).collect();
    let grid = (1..8).flat_map(|i| {
        let at = f64::from(i) * 20.0;
        [stroke(p(0.0, at), p(160.0, at)), stroke(p(at, 0.0), p(at, 160.0))]
    });
    let board: Vec<Path> =
        [Path::rectangle(-20.0, -20.0, 200.0, 200.0), Path::rectangle(0.0, 0.0, 160.0, 160.0)].into_iter().chain(grid).collect();
    for (paths, marks) in [(dial, 24), (board, 14)] {
        let (drawing, mut decisions) = cleaned(&outlines(&paths), 1);
        let (_, findings) = crate::testing::assigned(&[Arc::clone(&drawing)], &decisions, &Shop::builtin());
        let found = findings.iter().find(|f| f.code == Code::MarksInHole).expect("it is told");
        assert!(found.text.contains(&format!("{marks} marks")) && found.remedies[0].safe && !found.remedies[0].loses);
        assert!(findings.iter().all(|f| f.code != Code::OutsideParts), "none of them is left out");
        decisions = found.remedies[0].edit.apply(&decisions).expect("it is scored");
        let (work, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
        assert!(findings.iter().all(|f| !matches!(f.code, Code::MarksInHole | Code::OutsideParts)));
        assert_eq!(work.parts.iter().map(|p| p.inside.len()).sum::<usize>(), marks + 1);
    }
    // Two lines across a hole tell its middle.
    let crossed = [
        Path::rectangle(0.0, 0.0, 90.0, 90.0),
        Path::circle(p(45.0, 45.0), 20.0),
        stroke(p(30.0, 45.0), p(60.0, 45.0)),
        stroke(p(45.0, 30.0), p(45.0, 60.0)),
    ];
    let (drawing, decisions) = cleaned(&outlines(&crossed), 1);
    let (_, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    assert!(findings.iter().all(|f| f.code != Code::MarksInHole) && findings.iter().any(|f| f.code == Code::OutsideParts));
}

#[test]
fn a_plate_with_holes_in_its_corners_is_no_border() {
    for (w, h) in [(297.0, 210.0), (420.0, 297.0), (594.0, 420.0)] {
        let screwed = |r: f64| {
            let holes = [(12.0, 12.0), (w - 12.0, 12.0), (12.0, h - 12.0), (w - 12.0, h - 12.0)].map(|(x, y)| Path::circle(p(x, y), r));
            let window = Path::rectangle(w / 3.0, h / 3.0, w / 3.0, h / 3.0);
            [Path::rectangle(0.0, 0.0, w, h), window].into_iter().chain(holes).collect::<Vec<_>>()
        };
        let told = |paths: &[Path]| {
            let (drawing, decisions) = cleaned(&noted(paths, "4 off", p(20.0, h - 40.0)), 1);
            let (work, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
            (work.parts.len(), findings.iter().any(|f| f.code == Code::PaperBorder))
        };
        assert_eq!(told(&screwed(3.0)), (1, false), "{w} x {h}");
        // Without them it has the looks of a page round its parts, which is asked.
        let page: Vec<Path> =
            screwed(3.0).into_iter().take(2).chain((0..4).map(|i| Path::circle(p(60.0 + 8.0 * f64::from(i), 40.0), 3.0))).collect();
        assert!(told(&page).1, "{w} x {h}");
    }
}

#[test]
fn what_the_book_does_not_have_is_asked_and_not_taken_for_what_it_has() {
    let (drawing, decisions) = cleaned(&noted(&[Path::rectangle(0.0, 0.0, 120.0, 80.0)], "2 mm BRASS", p(10.0, -10.0)), 1);
    let (_, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    assert!(findings.iter().any(|f| f.code == Code::MaterialUnknown) && findings.iter().all(|f| f.code != Code::PlanSays));
    let (drawing, decisions) = cleaned(&noted(&[Path::rectangle(0.0, 0.0, 120.0, 80.0)], "Stahl 6 mm", p(10.0, -10.0)), 1);
    let (_, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    assert!(findings.iter().any(|f| f.code == Code::PlanSays) && findings.iter().all(|f| f.code != Code::MaterialUnknown));
}

/// Writing of one height at its places.
fn written(paths: &[Path], notes: &[(f64, f64, &str)]) -> crate::drawing::Drawing {
    use crate::drawing::{Anchor, Entity, Shape, Text};
    let mut d = outlines(paths);
    let style = d.style(&Style { text: true, ..Style::default() });
    for (x, y, note) in notes {
        let text = Text::anchored(p(*x, *y), (Anchor::Begin, 0.0), 3.0, 0.0, (*note).into());
        d.entities.push(Entity::new(style, Shape::Text(text)));
    }
    d
}

#[test]
fn what_a_list_cannot_be_tied_to_is_told_and_what_differs_too() {
    let plates = [Path::rectangle(0.0, 0.0, 80.0, 50.0), Path::rectangle(120.0, 0.0, 60.0, 50.0)];
    let list = |rows: &[[&'static str; 3]]| {
        let mut notes: Vec<(f64, f64, &str)> = Vec::new();
        for (k, row) in [["Item", "Name", "Qty"]].iter().chain(rows).enumerate() {
            row.iter().enumerate().for_each(|(c, t)| notes.push((40.0 * c as f64, 150.0 - 6.0 * k as f64, t)));
        }
        notes
    };
    let told = |notes: &[(f64, f64, &str)]| {
        let (drawing, decisions) = cleaned(&written(&plates, notes), 1);
        crate::testing::assigned(&[drawing], &decisions, &Shop::builtin()).1
    };
    let text = |findings: &[crate::finding::Finding], code: Code| findings.iter().find(|f| f.code == code).map(|f| f.text.clone());
    // By its name, by its number with a word, and not at all.
    let mut notes = list(&[["1", "shelf", "4"], ["2", "rail", "3"], ["7", "peg", "12"]]);
    notes.extend([(10.0, 20.0, "shelf"), (130.0, 20.0, "ITEM 2")]);
    let findings = told(&notes);
    let says = text(&findings, Code::PlanSays).expect("both are told");
    assert!(says.contains("item 1 “shelf”, 4 of it") && says.contains("item 2 “rail”, 3 of it") && !says.contains("peg"), "{says}");
    let untied = text(&findings, Code::ListUntied).expect("the peg is not there");
    assert!(untied.contains("item 7 “peg” leads to no part") && !untied.contains("rail"), "{untied}");
    // Two plates of one number: how many of each is not said.
    let mut notes = list(&[["1", "shelf", "4"]]);
    notes.extend([(10.0, 20.0, "ITEM 1"), (130.0, 20.0, "ITEM 1")]);
    assert!(text(&told(&notes), Code::ListUntied).expect("two of them").contains("several parts"));
    // What stands for a count and is not one number is told in its own words, and nothing of it is taken.
    for odd in ["2+2", "1.5", "A/R", "4 x 2", "ca. 4", "1,000", "0", "2-3"] {
        let mut notes = list(&[["1", "shelf", odd], ["2", "rail", "3 pcs"]]);
        notes.extend([(10.0, 20.0, "shelf"), (130.0, 20.0, "ITEM 2")]);
        let findings = told(&notes);
        let untied = text(&findings, Code::ListUntied).expect("it is told");
        assert!(untied.contains(&format!("item 1 “shelf” has the count “{odd}”")) && !untied.contains("rail"), "{untied}");
        let says = text(&findings, Code::PlanSays).expect("the other is read");
        assert!(says.contains("item 2 “rail”, 3 of it") && !says.contains("shelf"), "{odd}: {says}");
    }
    // A note that says otherwise is told.
    let mut notes = list(&[["1", "shelf", "4"]]);
    notes.extend([(10.0, 20.0, "shelf"), (10.0, 30.0, "6 off")]);
    let differ = text(&told(&notes), Code::NotesDiffer).expect("four or six");
    assert!(differ.contains("4 of it") && differ.contains("6 off"), "{differ}");
    notes.pop();
    notes.push((10.0, 30.0, "4 off"));
    assert_eq!(text(&told(&notes), Code::NotesDiffer), None);
}

/// What was taken is said again, and what was not understood beside it; writing that is burned, or far from any part, is none.
#[test]
fn what_was_taken_says_what_was_not_understood() {
    let plates = [Path::rectangle(0.0, 0.0, 80.0, 50.0)];
    let (drawing, decisions) =
        cleaned(&written(&plates, &[(10.0, 20.0, "4 off"), (10.0, 35.0, "polish by hand"), (400.0, 300.0, "Sheet 1 of 1")]), 1);
    let told =
        |decisions: &crate::decisions::Decisions| crate::testing::assigned(std::slice::from_ref(&drawing), decisions, &Shop::builtin()).1;
    let says = |findings: &[crate::finding::Finding], code: Code| findings.iter().find(|f| f.code == code).cloned();
    let first = told(&decisions);
    assert!(says(&first, Code::NotesTaken).is_none(), "nothing is taken yet");
    let wanted = says(&first, Code::PlanSays).expect("four of it");
    let decisions = wanted.remedies[0].edit.apply(&decisions).expect("it can be taken");
    let taken = says(&told(&decisions), Code::NotesTaken).expect("it is said again");
    assert!(taken.text.contains("4 of") && taken.text.contains("Not understood: “polish by hand”."), "{}", taken.text);
}

#[test]
fn a_wood_that_the_book_does_not_have_is_no_other_wood() {
    for (note, known) in [
        ("3 mm birch ply", true),
        ("4 mm poplar ply", false),
        ("Birkensperrholz 4 mm", true),
        ("Pappelsperrholz 4 mm", false),
        ("4 mm plywood", true),
    ] {
        let (drawing, decisions) = cleaned(&noted(&[Path::rectangle(0.0, 0.0, 120.0, 80.0)], note, p(10.0, -10.0)), 1);
        let (_, findings) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
        assert_eq!(findings.iter().all(|f| f.code != Code::MaterialUnknown), known, "{note}");
    }
}

#[test]
fn crosses_and_dashes_are_paper_on_a_plan_alone() {
    let stroke = |a: Point, b: Point| Path::new(vec![Segment::line(a, b)], false);
    // A drill template: crosses in circles to be scored, a row of long and short strokes for show, and a word.
    let mut template = vec![Path::rectangle(0.0, 0.0, 200.0, 120.0)];
    for k in 0..4 {
        let c = p(30.0 + 45.0 * f64::from(k), 60.0);
        template.extend([
            Path::circle(c, 8.0),
            stroke(p(c.x - 11.0, c.y), p(c.x + 11.0, c.y)),
            stroke(p(c.x, c.y - 11.0), p(c.x, c.y + 11.0)),
        ]);
    }
    let mut x = 10.0;
    for k in 0..15 {
        let long = if k % 2 == 0 { 9.0 } else { 2.0 };
        template.push(stroke(p(x, 20.0), p(x + long, 20.0)));
        x += long + 2.0;
    }
    let told = |d: &crate::drawing::Drawing| {
        let (drawing, decisions) = cleaned(d, 1);
        let findings = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin()).1;
        findings.into_iter().find(|f| f.code == Code::PaperBorder).map(|f| f.count)
    };
    assert_eq!(told(&noted(&template, "TEMPLATE", p(10.0, 100.0))), None);
    // On a sheet with its border they are centre lines.
    let mut plan = vec![Path::rectangle(-110.0, -145.0, 420.0, 410.0 / std::f64::consts::SQRT_2 * 1.024_390_244)];
    plan.extend(template);
    assert_eq!(told(&noted(&plan, "TEMPLATE", p(10.0, 100.0))), Some(1 + 8 + 15));
}

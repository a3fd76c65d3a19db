//! What real drawings brought: solids, shapes that touch, lines there and back, revisions that moved as a whole.

use crate::job::{Job, pdf, stl};
use boustrophe_core::assign::Process;
use boustrophe_core::clean::carry::{Carried, carry};
use boustrophe_core::decisions::{AssignEdit, Edit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::drawing::{FileUnits, Unit};
use boustrophe_core::finding::Severity;
use boustrophe_core::ids::BatchId;
use boustrophe_core::intake;
use boustrophe_core::nest::Sheet;
use boustrophe_formats::read;
use boustrophe_house::played;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::fmt::Write as _;

fn xorshift(state: &mut u64) -> f64 {
    *state ^= *state << 13;
    *state ^= *state >> 7;
    *state ^= *state << 17;
    (*state % 10_000) as f64 / 10_000.0
}

/// A dented ball of `around` × (`high` - 1) × 2 triangles, as binary STL.
fn ball(around: usize, high: usize, radius: f64, seed: u64) -> Vec<u8> {
    let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    let mut at = |r: usize, k: usize| {
        let (a, b) = (PI * r as f64 / high as f64, TAU * k as f64 / around as f64);
        let dent = radius * (0.9 + 0.2 * xorshift(&mut state));
        [dent * a.sin() * b.cos(), dent * a.sin() * b.sin(), dent * a.cos()]
    };
    let top = at(0, 0);
    let rings: Vec<Vec<[f64; 3]>> = (1..high).map(|r| (0..around).map(|k| at(r, k)).collect()).collect();
    let bottom = at(high, 0);
    let mut faces = Vec::new();
    for k in 0..around {
        let n = (k + 1) % around;
        faces.push([top, rings[0][k], rings[0][n]]);
        for r in rings.windows(2) {
            faces.push([r[0][k], r[1][k], r[1][n]]);
            faces.push([r[0][k], r[1][n], r[0][n]]);
        }
        let last = &rings[rings.len() - 1];
        faces.push([last[k], bottom, last[n]]);
    }
    stl(&faces)
}

#[test]
fn solids_come_through_to_released_programs() {
    for (around, high, radius) in [(5, 3, 60.0), (10, 5, 120.0), (10, 11, 200.0)] {
        for seed in 1..=2 {
            let bytes = ball(around, high, radius, seed);
            let mut job = Job::of(&[("ball.stl", bytes)], Stock::default());
            job.edit(&Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: Unit::Mm }));
            job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(900.0, 600.0)] }.on(BatchId::FIRST));
            job.mend();
            job.nest(seed, 1);
            let route = job.settled();
            let open: Vec<_> = route.findings.iter().filter(|f| f.severity != Severity::Note).map(|f| (&f.code, &f.text)).collect();
            assert!(route.released(), "{around} × {high}, seed {seed}: {open:?}");
            assert!(route.work.items.iter().any(|i| i.process == Process::Score), "its edges are numbered");
        }
    }
}

/// What nobody could read is not put on a small solid's faces; on a large one nothing is left out.
#[test]
fn numbers_too_small_to_be_read_are_left_out_with_a_word() {
    let told = |radius: f64| {
        let mut job = Job::of(&[("ball.stl", ball(8, 5, radius, 1))], Stock::default());
        job.edit(&Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: Unit::Mm }));
        job.mend();
        let route = job.route();
        // The height of a stroke that runs from top to bottom tells that of its number; the smallest strokes are half of one.
        let scored = route
            .work
            .items
            .iter()
            .filter(|i| i.process == Process::Score)
            .map(|i| i.contour.bounds.height().max(i.contour.bounds.width()));
        (route.findings.iter().find(|f| f.code == "numbers-small").map(|f| f.count), scored.fold(f64::INFINITY, f64::min))
    };
    let (small, left) = told(40.0);
    assert!(small.is_some_and(|n| n > 10) && left > 0.5, "{small:?}, {left}");
    assert!(told(25.0).1 > 0.5 && told(400.0).0.is_none());
}

const RED: &str = r#"fill="none" stroke="red""#;

fn svg(body: &str) -> Vec<u8> {
    format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="150mm" viewBox="0 0 200 150">{body}</svg>"#).into_bytes()
}

#[test]
fn shapes_that_touch_are_neither_missing_nor_burned_twice() {
    // Three balls in a triangle frame with round corners, each touching the others and the frame.
    let r = 12.0;
    let h = 2.0 * r * (PI / 3.0).sin();
    let balls = [(50.0, 60.0), (50.0 + 2.0 * r, 60.0), (50.0 + r, 60.0 - h)];
    let circles: String = balls.iter().map(|(x, y)| format!(r#"<circle {RED} cx="{x}" cy="{y}" r="{r}"/>"#)).collect();
    let (c, s) = ((PI / 6.0).cos() * r, (PI / 6.0).sin() * r);
    let [(ax, ay), (bx, by), (tx, ty)] = balls;
    let frame = format!(
        r#"<path {RED} d="M{ax} {}H{bx}A{r} {r} 0 0 0 {} {}L{} {}A{r} {r} 0 0 0 {} {}L{} {}A{r} {r} 0 0 0 {ax} {}Z"/>"#,
        ay + r,
        bx + c,
        by - s,
        tx + c,
        ty - s,
        tx - c,
        ty - s,
        ax - c,
        ay - s,
        ay + r
    );
    for (what, process) in [(circles.clone(), Some(Process::Score)), (circles + &frame, None)] {
        let body = if process.is_some() { format!(r#"<path {RED} d="M20 10h100v80h-100z"/>{what}"#) } else { what };
        let mut job = Job::of(&[("balls.svg", svg(&body))], Stock::default());
        if let Some(p) = process {
            let inner: Vec<_> = job.route().work.items.iter().filter(|i| i.contour.length < 80.0).map(|i| i.contour.id).collect();
            job.edit(&Edit::Assign(AssignEdit::SetContours { contours: inner, process: Some(p) }));
        }
        job.nest(1, 1);
        let route = job.route();
        let stops: Vec<_> = route.findings.iter().filter(|f| f.severity == Severity::Stop).collect();
        assert!(stops.is_empty(), "{stops:?}");
    }
}

#[test]
fn what_encloses_nothing_is_no_part() {
    for d in ["M10 10L10 30L10 10Z", "M10 10V30M10 30V10", "M10 10h20h-20z"] {
        let body = format!(r#"<path {RED} d="{d}"/><path {RED} d="M50 10h40v40h-40z"/>"#);
        let mut job = Job::of(&[("there-and-back.svg", svg(&body))], Stock::default());
        job.mend();
        assert!(job.route().work.parts.iter().all(|p| p.area > 1.0), "{d}");
        job.nest(1, 2);
        let route = job.route();
        assert_eq!(route.first().nested.layout.sheets[0].placed.len(), 1, "{d}");
    }
    // Nothing else in the drawing: still no panic, and something that lifts what holds it up.
    let mut job = Job::of(&[("line.svg", svg(&format!(r#"<path {RED} d="M10 10V30"/><path {RED} d="M10 30V10"/>"#)))], Stock::default());
    job.mend();
    job.nest(1, 2);
    job.route();
}

#[test]
fn a_size_that_makes_no_sense_is_asked_about_with_what_others_come_to() {
    let dxf = |unit: u32, side: f64| {
        let mut text = format!("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n{unit}\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n");
        for (a, b, c, d) in [(0.0, 0.0, 1.0, 0.0), (1.0, 0.0, 1.0, 0.7), (1.0, 0.7, 0.0, 0.7), (0.0, 0.7, 0.0, 0.0)] {
            let _ = write!(text, "0\nLINE\n8\n0\n10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a * side, b * side, c * side, d * side);
        }
        text + "0\nENDSEC\n0\nEOF\n"
    };
    // Metres for a drawing in mm; inches that are mm; mm that are metres.
    for (unit, side, right) in [(6, 300.0, Unit::Mm), (1, 300.0, Unit::Mm), (4, 0.3, Unit::M)] {
        let mut job = Job::of(&[("plate.dxf", dxf(unit, side).into_bytes())], Stock::default());
        let route = job.route();
        let found = route
            .findings
            .iter()
            .find(|f| matches!(f.code.as_str(), "too-large" | "huge" | "tiny"))
            .unwrap_or_else(|| panic!("{unit}: {:?}", route.findings));
        let remedy = found
            .remedies
            .iter()
            .find(|r| r.edit == Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: right }))
            .expect("the right one is offered");
        assert!(remedy.comes_to[0].contains("300.0 × 210.0 mm"), "{:?}", remedy.comes_to);
        job.edit(&remedy.edit.clone());
        assert!(!job.route().findings.iter().any(|f| matches!(f.code.as_str(), "too-large" | "huge" | "tiny")));
    }
}

#[test]
fn what_a_file_says_of_widths_paper_and_resolution_is_taken() {
    let body = r##"<rect width="200" height="150" fill="#fff"/><g fill="none" stroke="red"><path stroke-width="0.1" d="M10 10h40v40h-40z"/><path style="stroke-width:0.5" d="M60 10h40v40h-40z"/><path d="M110 10h40v40h-40z"/></g>"##;
    let job = Job::of(&[("widths.svg", svg(body))], Stock::default());
    let work = job.route().work;
    let mut widths: Vec<u32> = work.key.iter().map(|k| k.style.width).collect();
    widths.sort_unstable();
    assert_eq!(widths, [0, 100, 500], "and the white page is none of them");
    // PNG with 300 dots to the inch: pHYs 11811 to the metre.
    let mut png = boustrophe_formats::bitmap::write_png(600, 300, vec![90; 600 * 300 * 4]).expect("a picture");
    let mut chunk = b"pHYs".to_vec();
    chunk.extend(11_811_u32.to_be_bytes().iter().chain(&11_811_u32.to_be_bytes()));
    chunk.push(1);
    let crc =
        chunk.iter().fold(!0_u32, |c, b| (0..8).fold(c ^ u32::from(*b), |c, _| if c & 1 == 1 { c >> 1 ^ 0xedb8_8320 } else { c >> 1 }));
    let whole = [&9_u32.to_be_bytes()[..], &chunk, &(!crc).to_be_bytes()].concat();
    png.splice(33..33, whole);
    let drawing = read("scan.png", &png).expect("it reads");
    let FileUnits::Scale(mm) = drawing.units else { panic!("{:?}", drawing.units) };
    assert!((mm * 600.0 - 50.8).abs() < 0.01, "{mm}");
}

/// Plans of one and three pages: borders, title blocks and tables are told on every page, and what is left is the parts.
#[test]
fn the_paper_of_a_plan_is_told_on_every_page() {
    let mm = |v: f64| v * 72.0 / 25.4;
    let rect = |x: f64, y: f64, w: f64, h: f64| format!("{:.3} {:.3} {:.3} {:.3} re S ", mm(x), mm(y), mm(w), mm(h));
    let text = |x: f64, y: f64, t: &str| format!("BT /F 9 Tf {:.3} {:.3} Td ({t}) Tj ET ", mm(x), mm(y));
    let plain = rect(10.0, 10.0, 277.0, 190.0) + &rect(50.0, 60.0, 120.0, 80.0);
    let full = |n: usize| {
        let title: String = (0..3)
            .map(|k| rect(207.0, 10.0 + 8.0 * f64::from(k), 80.0, 8.0) + &text(209.0, 12.0 + 8.0 * f64::from(k), "Hive stand"))
            .collect();
        let table: String = (0..6)
            .map(|k| {
                rect(30.0 + 20.0 * f64::from(k % 3), 180.0 - 8.0 * f64::from(k / 3), 20.0, 8.0)
                    + &text(31.0 + 20.0 * f64::from(k % 3), 182.0 - 8.0 * f64::from(k / 3), "x4")
            })
            .collect();
        rect(10.0, 10.0, 277.0, 190.0)
            + &rect(12.0, 12.0, 273.0, 186.0)
            + &title
            + &table
            + &rect(50.0, 60.0, 100.0 + n as f64, 70.0)
            + &rect(60.0, 70.0, 20.0, 20.0)
    };
    for (pages, parts) in [(vec![plain], 1), (vec![full(0)], 1), ((0..3).map(full).collect(), 3)] {
        let n = pages.len();
        let mut job = Job::of(&[("plan.pdf", pdf(&pages))], Stock::default());
        let route = job.route();
        let found = route.findings.iter().find(|f| f.code == "paper-border").unwrap_or_else(|| panic!("{n} pages: {:?}", route.findings));
        let edit = found.remedies[0].edit.clone();
        job.edit(&edit);
        let work = job.route().work;
        let sizes: Vec<String> = work.parts.iter().map(|p| format!("{:.0} × {:.0}", p.bounds.width(), p.bounds.height())).collect();
        assert_eq!(work.parts.len(), parts, "{n} pages: {sizes:?}");
        assert!(work.parts.iter().all(|p| p.bounds.width() < 130.0), "{sizes:?}");
    }
}

/// The change to another file in the place of the first drawing's.
pub fn replacing(carried: Carried) -> Edit {
    let Carried { names, moved, places, reversed } = carried;
    let (file, name) = ("b".to_owned(), "plates.dxf".to_owned());
    Edit::Intake(IntakeEdit::ReplaceDrawing {
        drawing: 1,
        file,
        name,
        carried: names,
        moved: moved.map(|m| m.as_coeffs()),
        places,
        reversed,
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(24)))]
    /// A revision moved or turned as a whole keeps what was decided on each contour, with one of them changed the rest.
    #[test]
    fn a_revision_that_moved_keeps_its_decisions(x in -500..500_i32, y in -500..500_i32, quarter in 0..4_u32, changed in any::<bool>()) {
        let drawn = |changed: bool, place: &dyn Fn(f64, f64) -> (f64, f64)| {
            let mut text = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n".to_owned();
            for (i, (w, h)) in [(60.0, 40.0), (50.0, 30.0), (70.0, 20.0)].into_iter().enumerate() {
                let x0 = 100.0 * i as f64;
                let h = if changed && i == 2 { h + 4.0 } else { h };
                let corners = [(x0, 0.0), (x0 + w, 0.0), (x0 + w, h), (x0, h)];
                for k in 0..4 {
                    let ((a, b), (c, d)) = (place(corners[k].0, corners[k].1), place(corners[(k + 1) % 4].0, corners[(k + 1) % 4].1));
                    let _ = write!(text, "0\nLINE\n8\n0\n10\n{a}\n20\n{b}\n11\n{c}\n21\n{d}\n");
                }
                let (cx, cy) = place(x0 + 12.0, 9.0 + i as f64);
                let _ = write!(text, "0\nCIRCLE\n8\n0\n10\n{cx}\n20\n{cy}\n40\n{}\n", 3.0 + i as f64);
            }
            (text + "0\nENDSEC\n0\nEOF\n").into_bytes()
        };
        let (s, c) = [(0.0, 1.0), (1.0, 0.0), (0.0, -1.0), (-1.0, 0.0)][quarter as usize];
        let place = move |px: f64, py: f64| (c * px - s * py + f64::from(x), s * px + c * py + f64::from(y));
        let mut job = Job::of(&[("plates.dxf", drawn(false, &|x, y| (x, y)))], Stock::default());
        let work = job.route().work;
        for (i, part) in work.parts.iter().enumerate() {
            job.edit(&NestEdit::SetQuantity { part: part.id, quantity: i as u32 + 2 }.on(BatchId::FIRST));
            let hole = work.items[part.holes[0]].contour.id;
            job.edit(&Edit::Assign(AssignEdit::SetContours { contours: vec![hole], process: Some(Process::Score) }));
        }
        let wanted: Vec<(i64, u32)> = { let mut w: Vec<_> = job.route().work.parts.iter().map(|p| ((p.outline.area().abs() * 10.0) as i64, p.quantity)).collect(); w.sort_unstable(); w };
        job.nest(1, 2);
        prop_assert!(job.route().first().nested.current);
        let machine = job.shop.machine("lark").expect("lark").clone();
        let before = read("plates.dxf", &drawn(false, &|x, y| (x, y))).expect("it reads");
        let bytes = drawn(changed, &place);
        let after = read("plates.dxf", &bytes).expect("it reads");
        let carried = carry((&before, &after, false), &job.decisions, 1, &machine, &job.shop.tolerance);
        job.edit(&replacing(carried));
        let mut again = Job::of(&[("plates.dxf", bytes)], Stock::default());
        again.decisions = job.decisions.clone();
        let route = again.route();
        let mut now: Vec<(i64, u32)> = route.work.parts.iter().map(|p| ((p.outline.area().abs() * 10.0) as i64, p.quantity)).collect();
        now.sort_unstable();
        let kept = now.iter().filter(|n| wanted.contains(n)).count();
        prop_assert_eq!(kept, if changed { 2 } else { 3 }, "{:?} of {:?}", now, wanted);
        let scored = route.work.items.iter().filter(|i| i.process == Process::Score).count();
        prop_assert_eq!(scored, 3);
        if changed {
            prop_assert!(route.findings.iter().any(|f| f.code == "bereft"), "what could not be carried over is told");
        } else {
            // Every copy lies where it lay.
            prop_assert!(route.first().nested.current, "{:?}", route.findings);
        }
        let (intake, _) = intake::run(&after, again.decisions.drawing(1).expect("it"), &machine.bed());
        prop_assert!(intake.sure);
    }
}

//! What a plan says in words beside its parts is taken with one remedy, and then it is so.

use crate::job::{Job, pdf};
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::Stock;
use boustrophe_core::finding::{Finding, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::Grain;
use boustrophe_house::played;
use proptest::prelude::*;
use std::collections::BTreeSet;
use std::fmt::Write as _;

/// Rectangles (x, y, width, height) and notes (x, y, height, degrees, text) as DXF in mm.
fn plan(parts: &[(f64, f64, f64, f64)], notes: &[(f64, f64, f64, f64, &str)]) -> Vec<u8> {
    let mut out = String::from("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n");
    for (x, y, w, h) in parts {
        let _ = write!(out, "0\nLWPOLYLINE\n8\nparts\n90\n4\n70\n1\n");
        for (px, py) in [(*x, *y), (x + w, *y), (x + w, y + h), (*x, y + h)] {
            let _ = write!(out, "10\n{px}\n20\n{py}\n");
        }
    }
    for (x, y, height, degrees, text) in notes {
        let _ = write!(out, "0\nTEXT\n8\nnotes\n10\n{x}\n20\n{y}\n40\n{height}\n50\n{degrees}\n1\n{text}\n");
    }
    out.push_str("0\nENDSEC\n0\nEOF\n");
    out.into_bytes()
}

/// The same as SVG, whose notes are letters.
fn lettered(parts: &[(f64, f64, f64, f64)], notes: &[(f64, f64, f64, f64, &str)]) -> Vec<u8> {
    let mut out = String::from(r#"<svg xmlns="http://www.w3.org/2000/svg" width="1200mm" height="600mm" viewBox="0 -500 1200 600">"#);
    for (x, y, w, h) in parts {
        let _ = write!(out, r#"<rect x="{x}" y="{}" width="{w}" height="{h}" fill="none" stroke="black"/>"#, -y - h);
    }
    for (x, y, height, degrees, text) in notes {
        let size = height / 0.7;
        let _ = write!(out, r#"<text transform="translate({x} {}) rotate({})" font-size="{size}">{text}</text>"#, -y, -degrees);
    }
    out.push_str("</svg>");
    out.into_bytes()
}

/// Notes that would be engraved are no work any more once they are taken.
#[test]
fn letters_that_were_notes_are_not_engraved() {
    let parts = [(0.0, 0.0, 100.0, 60.0), (150.0, 0.0, 80.0, 50.0)];
    let notes = [(10.0, 20.0, 5.0, 0.0, "6 off"), (155.0, 9.0, 5.0, 0.0, "qty 4"), (155.0, 30.0, 5.0, 0.0, "TECK")];
    let mut job = Job::of(&[("plan.svg", lettered(&parts, &notes))], Stock::default());
    let engraved = |job: &Job| {
        job.route().work.items.iter().filter(|i| i.process == Process::Engrave).map(|i| i.contour.compound).collect::<BTreeSet<_>>().len()
    };
    assert_eq!(engraved(&job), 3);
    let found = says(&job).expect("it is noticed");
    job.edit(&found.remedies[0].edit);
    assert_eq!((wanted(&job), engraved(&job)), (vec![(80, 4), (100, 6)], 1), "the name stays");
}

fn says(job: &Job) -> Option<Finding> {
    job.route().findings.into_iter().find(|f| f.code == "plan-says" && f.station == Station::Assign)
}

/// Copies wanted of parts by their width, to the millimetre.
fn wanted(job: &Job) -> Vec<(i64, u32)> {
    let mut out: Vec<(i64, u32)> = job.route().work.parts.iter().map(|p| (p.bounds.width().round() as i64, p.quantity)).collect();
    out.sort_unstable();
    out
}

#[test]
fn counts_thicknesses_grain_and_hands_are_taken_with_one_key() {
    let parts =
        [(0.0, 0.0, 100.0, 60.0), (150.0, 0.0, 80.0, 50.0), (300.0, 0.0, 70.0, 40.0), (0.0, 120.0, 60.0, 40.0), (150.0, 120.0, 50.0, 30.0)];
    let notes = [
        (10.0, 20.0, 5.0, 0.0, "6 off"),
        (155.0, -9.0, 5.0, 0.0, "QTY 4  3 mm acrylic"),
        (330.0, 8.0, 4.0, 90.0, "grain"),
        (5.0, 130.0, 4.0, 0.0, "mirror"),
        (152.0, 152.0, 4.0, 0.0, "40 x 20"),
        (600.0, 300.0, 6.0, 0.0, "x9"),
    ];
    let mut job = Job::of(&[("plan.dxf", plan(&parts, &notes))], Stock::default());
    let found = says(&job).expect("it is noticed");
    assert_eq!(found.count, 5, "{}", found.text);
    assert!(found.text.contains("“6 off”") && !found.text.contains("40 x 20") && !found.text.contains("x9"), "{}", found.text);
    job.edit(&found.remedies[0].edit);
    assert!(says(&job).is_none(), "{:?}", says(&job));
    let route = job.route();
    assert_eq!(wanted(&job), [(50, 1), (60, 1), (60, 1), (70, 1), (80, 4), (100, 6)], "one of the sixties is the other hand");
    // The acrylic one is a batch of its own.
    let acrylic = &route.batches[&BatchId(2)];
    assert_eq!((acrylic.stock.material.as_str(), acrylic.stock.thickness), ("acrylic", 3.0));
    assert_eq!(acrylic.work.parts.iter().map(|p| (p.bounds.width().round() as i64, p.quantity)).collect::<Vec<_>>(), [(80, 4)]);
    // The grain runs up the drawing: the part's x lies across the sheet's.
    let upright = route.work.parts.iter().find(|p| (p.bounds.width() - 70.0).abs() < 0.5).expect("the part").id;
    assert_eq!(job.decisions.first().nest.parts[&upright].grain, Some(Grain::Across));
    // A hand says otherwise: that stands, and is not asked about again.
    let mut job = Job::of(&[("plan.dxf", plan(&parts[..1], &notes[..1]))], Stock::default());
    let part = job.route().work.parts[0].id;
    job.edit(&boustrophe_core::decisions::NestEdit::SetQuantity { part, quantity: 2 }.on(BatchId::FIRST));
    assert!(says(&job).is_none() && wanted(&job) == [(100, 2)]);
}

/// Writers put words that stand far apart on one line into one run of writing: each is about its own part.
#[test]
fn words_far_apart_are_notes_of_their_own() {
    let rect = |x: f64| format!("{x} 200 150 80 re S ");
    let page = rect(100.0) + &rect(400.0) + "BT /F 10 Tf 110 210 Td [(x4) -28900 (x9) -500 (pcs)] TJ ET";
    let mut job = Job::of(&[("plan.pdf", pdf(&[page]))], Stock::default());
    let found = says(&job).expect("noticed");
    assert_eq!(found.count, 2, "{}", found.text);
    job.edit(&found.remedies[0].edit);
    assert_eq!(wanted(&job), [(53, 4), (53, 9)]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(40)))]
    /// A row of parts, each with its count in it or under it in one of the ways that people write it: each gets its own.
    #[test]
    fn every_part_gets_its_own_count(counts in prop::collection::vec((2..40_u32, 0..6_usize, any::<bool>()), 1..7), svg in any::<bool>()) {
        let ways = |n: u32, way: usize| match way {
            0 => format!("x{n}"),
            1 => format!("{n} off"),
            2 => format!("{n} REQ'D"),
            3 => format!("QTY {n}"),
            4 => format!("{n}x"),
            _ => format!("part, {n} pcs"),
        };
        let parts: Vec<_> = (0..counts.len()).map(|i| (i as f64 * 130.0, 0.0, 60.0 + 5.0 * i as f64, 40.0)).collect();
        let texts: Vec<String> = counts.iter().map(|(n, way, _)| ways(*n, *way)).collect();
        let notes: Vec<_> = counts.iter().zip(&texts).enumerate().map(|(i, ((_, _, under), text))| (i as f64 * 130.0 + 4.0, if *under { -8.0 } else { 12.0 }, 4.0, 0.0, text.as_str())).collect();
        let file = if svg { ("plan.svg", lettered(&parts, &notes)) } else { ("plan.dxf", plan(&parts, &notes)) };
        let mut job = Job::of(&[file], Stock::default());
        let found = says(&job).expect("noticed");
        prop_assert_eq!(found.count, counts.len());
        job.edit(&found.remedies[0].edit);
        let meant: Vec<(i64, u32)> = counts.iter().enumerate().map(|(i, c)| (60 + 5 * i as i64, c.0)).collect();
        prop_assert_eq!(wanted(&job), meant);
        prop_assert!(says(&job).is_none());
    }
}

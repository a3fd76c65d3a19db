//! Boxes from their figures to released programs, and changed later with what was decided kept.

use crate::job::Job;
use crate::real::replacing;
use boustrophe_core::assign::Process;
use boustrophe_core::clean::carry::carry;
use boustrophe_core::decisions::{AssignEdit, Edit, NestEdit, Stock};
use boustrophe_core::finding::Severity;
use boustrophe_core::geometry::{Path, Point, Segment};
use boustrophe_core::ids::BatchId;
use boustrophe_core::panels::{BoxSpec, Form, Top};
use boustrophe_core::proof::{Action, interpret};
use boustrophe_core::route::Route;
use boustrophe_house::played;
use proptest::prelude::*;

fn job(spec: &BoxSpec) -> Job {
    Job::of(&[("Nucleus.box", spec.to_text().into_bytes())], Stock { thickness: 3.0, ..Stock::default() })
}

/// Whether the programs, read back, cut every panel true: the beam's middle runs half a kerf off the drawn edge, on the side of
/// the scrap, all round but for the nicks. Measured on points alone.
fn cut_true(job: &Job, route: &Route) -> Result<(), TestCaseError> {
    let rows = job.shop.rows_for(&job.decisions.assign, &route.first().stock);
    let half = rows.get(Process::Cut, None).expect("cut settings").kerf / 2.0;
    for (i, sheet) in route.first().nested.layout.sheets.iter().enumerate() {
        let mut burned: Vec<Segment> = Vec::new();
        let mut powers: Vec<f64> = Vec::new();
        for action in interpret(&job.text(route, i)).expect("it reads") {
            let Action::Move { path, power, .. } = action else { continue };
            if power > 0.0 {
                burned.push(path);
                powers.push(power);
            }
        }
        // What is scored, the joints' numbers, is burned with less.
        let most = powers.iter().copied().fold(0.0, f64::max);
        let cuts: Vec<Segment> = burned.into_iter().zip(&powers).filter(|(_, p)| **p == most).map(|(s, _)| s).collect();
        let panels: Vec<Vec<Path>> = sheet
            .placed
            .iter()
            .map(|p| {
                let part = route.first().work.part(p.copy.part).expect("a part");
                let drawn = std::iter::once(&part.outline).chain(part.holes.iter().map(|h| &route.work.items[*h].contour.path));
                drawn.map(|c| c.transformed(p.affine())).collect()
            })
            .collect();
        for s in &cuts {
            for at in [0.0, 0.5, 1.0].map(|t| s.at(t)) {
                let off = panels.iter().flatten().map(|c| c.nearest(at).distance).fold(f64::INFINITY, f64::min);
                prop_assert!(off > half - 0.02 && off < half * 1.42 + 0.02, "{off} off the nearest edge at {at:?}, half a kerf is {half}");
                let good = panels.iter().any(|p| p[0].contains(at) && !p[1..].iter().any(|h| h.contains(at)));
                prop_assert!(!good, "a good panel is cut into at {at:?}");
            }
        }
        for (k, outline) in panels.iter().flatten().enumerate() {
            let places: Vec<Point> = outline.segments.iter().flat_map(|s| [0.25, 0.5, 0.75].map(|t| s.at(t))).collect();
            let near = |p: &Point| cuts.iter().any(|s| s.bounds().grown(half * 2.0).has(*p) && s.distance(*p) < half * 1.42 + 0.02);
            let left = places.iter().filter(|p| !near(p)).count();
            // At most eight nicks, none of which hides more than two of the places looked at.
            prop_assert!(left <= 16 && left * 2 < places.len(), "{left} of {} places of outline {k} are not cut", places.len());
        }
    }
    Ok(())
}

/// A box's panels from its figures to released programs that cut each of them true.
fn comes_through(spec: &BoxSpec) -> Result<(), TestCaseError> {
    let panels = spec.panels().expect("panels");
    let mut job = job(spec);
    let route = job.route();
    let mut names: Vec<String> = route.work.parts.iter().map(|p| p.name.clone()).collect();
    let mut meant: Vec<String> = panels.iter().map(|p| format!("Nucleus, {}", p.name)).collect();
    names.sort();
    meant.sort();
    prop_assert_eq!(names, meant, "a part for every panel, called by its place");
    // Each as large as it was drawn, its numbers scored and not cut.
    for panel in &panels {
        let part = route.work.parts.iter().find(|p| p.name == format!("Nucleus, {}", panel.name)).expect("its part");
        let net = panel.outline.area() - panel.holes.iter().map(|h| h.area().abs()).sum::<f64>();
        prop_assert!((part.area - net).abs() < 0.02 + net * 1e-5, "{}: {} for {net}", panel.name, part.area);
        prop_assert!(part.inside.iter().all(|i| route.work.items[*i].process != Process::Cut));
    }
    job.nest(1, 1);
    job.mend();
    let route = job.settled();
    let told = || route.findings.iter().filter(|f| f.severity != Severity::Note).map(|f| &f.text).collect::<Vec<_>>();
    prop_assert!(route.released(), "{:?}", told());
    cut_true(&job, &route)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(100)))]
    #[test]
    fn every_panel_comes_through(size in (90.0..260.0_f64, 80.0..220.0_f64, 50.0..140.0_f64), top in prop_oneof![Just(Top::Open), Just(Top::Closed), Just(Top::Lid)], clearance in 0.0..0.3_f64, finger in 8.0..30.0_f64, dividers in (0..2_u32, 0..2_u32), thickness in (1.5..12.0_f64, 1.5..12.0_f64, 1.5..12.0_f64)) {
        let spec = BoxSpec { thickness, size, top, clearance, finger, dividers, handle: (25.0, 10.0), ..BoxSpec::default() };
        prop_assume!(spec.checked().is_ok());
        comes_through(&spec)?;
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(30)))]
    #[test]
    fn every_panel_of_a_sloped_tray_comes_through(size in (90.0..260.0_f64, 120.0..260.0_f64, 60.0..160.0_f64), slope in (30.0..80.0_f64, 20.0..80.0_f64), clearance in 0.0..0.3_f64, finger in 8.0..30.0_f64, dividers in (0..2_u32, 0..2_u32), thickness in (1.5..6.0_f64, 1.5..6.0_f64, 1.5..6.0_f64)) {
        let spec = BoxSpec { form: Form::Sloped, slope, thickness, size, clearance, finger, dividers, ..BoxSpec::default() };
        prop_assume!(spec.checked().is_ok());
        comes_through(&spec)?;
    }

    #[test]
    fn every_rail_of_a_frame_comes_through(opening in (40.0..400.0_f64, 40.0..400.0_f64), rails in (12.0..60.0_f64, 0.0..20.0_f64), finger in 3.0..20.0_f64, clearance in 0.0..0.2_f64) {
        let spec = BoxSpec { form: Form::Frame, size: (opening.0, opening.1, 50.0), rails, finger, clearance, ..BoxSpec::default() };
        prop_assume!(spec.checked().is_ok());
        comes_through(&spec)?;
    }
}

#[test]
fn figures_that_will_not_do_are_refused_by_name() {
    for (text, why) in [("size = [5.0, 10.0, 10.0]", "a width of 5"), ("colour = \"red\"", "colour"), ("size = [", "figures of the box")] {
        let told = boustrophe_formats::read("Nucleus.box", text.as_bytes()).expect_err("refused").to_string();
        assert!(told.starts_with("Nucleus.box") && told.contains(why), "{told}");
    }
}

/// What was decided on a panel stays with it when the box's figures change: its batch, how many of it.
#[test]
fn a_panel_keeps_its_batch_when_the_figures_change() {
    let narrow = BoxSpec { size: (180.0, 120.0, 80.0), ..BoxSpec::default() };
    let mut job = job(&narrow);
    let base = |route: &Route| {
        let part = route.work.parts.iter().find(|p| route.work.items[p.outer.expect("an outline")].contour.style.layer == "base");
        part.expect("the base").clone()
    };
    let thick = Stock { thickness: 6.0, ..Stock::default() };
    job.edit(&Edit::Assign(AssignEdit::AddBatch { stock: thick }));
    let (part, to) = (base(&job.route()).id, BatchId(2));
    job.edit(&Edit::Assign(AssignEdit::MoveParts { parts: vec![part], to }));
    job.edit(&NestEdit::SetQuantity { part, quantity: 3 }.on(to));
    let wide = BoxSpec { size: (210.0, 120.0, 80.0), ..narrow.clone() };
    let read = |spec: &BoxSpec| boustrophe_formats::read("Nucleus.box", spec.to_text().as_bytes()).expect("it reads");
    let machine = job.shop.machine("lark").expect("lark").clone();
    let carried = carry((&read(&narrow), &read(&wide), true), &job.decisions, 1, &machine, &job.shop.tolerance);
    job.edit(&replacing(carried));
    let mut changed = self::job(&wide);
    changed.decisions = job.decisions.clone();
    let now = base(&changed.route());
    assert_ne!(now.id, part, "its outline is another");
    assert_eq!(now.wanted.get(&to), Some(&3), "{:?}", now.wanted);
    assert!(!now.wanted.contains_key(&BatchId::FIRST));
}

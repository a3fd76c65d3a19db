//! Boxes from their figures to released programs, and changed later with what was decided kept.

use crate::job::Job;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::Stock;
use boustrophe_core::panels::{BoxSpec, Top};
use proptest::prelude::*;

fn job(spec: &BoxSpec) -> Job {
    Job::of(&[("Nucleus.box", spec.to_text().into_bytes())], Stock { thickness: 3.0, ..Stock::default() })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn every_panel_comes_through(size in (90.0..260.0_f64, 80.0..220.0_f64, 50.0..140.0_f64), top in prop_oneof![Just(Top::Open), Just(Top::Closed), Just(Top::Lid)], clearance in 0.0..0.3_f64, finger in 8.0..30.0_f64, dividers in (0..2_u32, 0..2_u32)) {
        let spec = BoxSpec { size, top, clearance, finger, dividers, handle: (25.0, 10.0), ..BoxSpec::default() };
        prop_assume!(spec.checked().is_ok());
        let panels = spec.panels().expect("panels");
        let mut job = job(&spec);
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
        prop_assert!(route.released(), "{:?}", route.findings.iter().filter(|f| f.severity != boustrophe_core::finding::Severity::Note).map(|f| &f.text).collect::<Vec<_>>());
    }
}

#[test]
fn figures_that_will_not_do_are_refused_by_name() {
    for (text, why) in [("size = [5.0, 10.0, 10.0]", "a width of 5"), ("colour = \"red\"", "colour"), ("size = [", "figures of the box")] {
        let told = boustrophe_formats::read("Nucleus.box", text.as_bytes()).expect_err("refused").to_string();
        assert!(told.starts_with("Nucleus.box") && told.contains(why), "{told}");
    }
}

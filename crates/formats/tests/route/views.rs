//! Regions of a plan's pages, each with its own scale.

use crate::job::{Job, pdf};
use boustrophe_core::clean::region_at;
use boustrophe_core::decisions::{Edit, IntakeEdit, Stock, View};
use boustrophe_core::geometry::{Bounds, Point};
use boustrophe_house::played;
use proptest::prelude::*;

/// A page with three views: points at which they stand, and their sizes on paper in mm.
const VIEWS: [(f64, f64, f64, f64); 3] = [(20.0, 120.0, 60.0, 40.0), (150.0, 120.0, 50.0, 30.0), (40.0, 30.0, 80.0, 20.0)];

fn plan() -> Vec<u8> {
    let pt = |v: f64| v * 72.0 / 25.4;
    let page: String = VIEWS
        .iter()
        .map(|(x, y, w, h)| {
            let (x, y, w, h) = (pt(*x), pt(*y), pt(*w), pt(*h));
            format!(
                "{x:.3} {y:.3} {w:.3} {h:.3} re S {:.3} {:.3} {:.3} {:.3} re S BT /F 9 Tf {x:.3} {:.3} Td (x2) Tj ET ",
                x + 9.0,
                y + 9.0,
                w / 4.0,
                h / 4.0,
                y - 14.0
            )
        })
        .collect();
    pdf(&[page])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(32)))]
    /// Whatever scales the views have: each comes out at its own true size, beside the others and not over them, with its note.
    #[test]
    fn every_view_comes_out_at_its_own_size(scales in prop::collection::vec(prop_oneof![Just(1.0), 0.2..8.0_f64], 3..4), whole in prop_oneof![Just(1.0), 0.5..3.0_f64]) {
        let mut job = Job::of(&[("plan.pdf", plan())], Stock::default());
        let pt = |v: f64| v * 72.0 / 25.4;
        let regions = VIEWS.map(|(x, y, w, h)| Bounds { min: Point::new(pt(x - 5.0), pt(y - 10.0)), max: Point::new(pt(x + w + 5.0), pt(y + h + 5.0)) });
        job.edit(&Edit::Intake(IntakeEdit::SetRegions { drawing: 1, regions: regions.to_vec() }));
        job.edit(&Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale: whole }));
        for (region, scale) in scales.iter().enumerate() {
            job.edit(&Edit::Intake(IntakeEdit::SetView { drawing: 1, region, view: View { name: format!("view {region}"), scale: *scale } }));
        }
        let route = job.route();
        let parts = &route.work.parts;
        prop_assert_eq!(parts.len(), 3);
        for (i, (_, _, w, h)) in VIEWS.iter().enumerate() {
            let k = scales[i] * whole;
            let found = parts.iter().find(|p| (p.bounds.width() - w * k).abs() < 0.01 * k && (p.bounds.height() - h * k).abs() < 0.01 * k);
            prop_assert!(found.is_some_and(|p| p.holes.len() == 1), "{i}: {:?}", parts.iter().map(|p| p.bounds).collect::<Vec<_>>());
        }
        for (i, a) in parts.iter().enumerate() {
            prop_assert!(parts[i + 1..].iter().all(|b| !a.bounds.meets(&b.bounds)));
        }
        // A region that is dropped takes its own scale with it.
        job.edit(&Edit::Intake(IntakeEdit::DropRegion { drawing: 1, region: 0 }));
        let decided = &job.decisions.drawings[0];
        prop_assert_eq!(decided.views.iter().map(|v| v.scale).collect::<Vec<_>>(), scales[1..].to_vec());
        let left = job.route().work;
        prop_assert!(left.parts.len() == 2 && left.parts.iter().any(|p| (p.bounds.width() - 50.0 * scales[1] * whole).abs() < 0.01 * scales[1] * whole));
        // What was boxed first is found again where it lies now.
        let middle = |p: &boustrophe_core::assign::Part| job.route().drawings[0].intake.transform.inverse() * p.bounds.center();
        let at: Vec<Option<usize>> = left.parts.iter().map(|p| region_at(decided, middle(p))).collect();
        prop_assert!(at.contains(&Some(0)) && at.contains(&Some(1)), "{at:?}");
    }
}

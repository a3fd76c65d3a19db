//! Nicks that somebody does not want.

use crate::dangers::{RED, job, told};
use crate::job::Job;
use crate::steel;
use boustrophe_core::decisions::{Edit, HoldEdit, IntakeEdit, NestEdit};
use boustrophe_core::ids::{BatchId, EdgePlace};

/// Nicks that are left off stay off, also those that a hand set, for one copy or for all, and on common edges; other lines keep theirs.
#[test]
fn nicks_that_are_left_off_stay_off() {
    let several =
        [HoldEdit::SetNicks { on: true }.on(BatchId::FIRST), Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 3 })];
    // A slot so narrow that no lead finds room in it behind a nick.
    let place = |share: f64| Some(vec![EdgePlace::On { segment: 0, share }, EdgePlace::On { segment: 2, share }]);
    let narrow = |height: f64| {
        let body = format!(r#"<path {RED} d="M10 10h140v90h-140z"/><path {RED} d="M40 50h60v{height}h-60z"/>"#);
        let (mut nicked, route) = job(&body, steel(), &several);
        let slot = route.work.items.iter().find(|i| i.contour.area.abs() < 400.0).expect("the slot").contour.id;
        nicked.edit(&HoldEdit::SetNickPlaces { contour: slot, places: place(0.4), copy: None }.on(BatchId::FIRST));
        told(&nicked.route(), "nick-pierce").is_some().then_some((nicked, route, slot))
    };
    let (mut nicked, route, slot) = [5.0, 4.4, 3.8, 3.2, 2.6].into_iter().find_map(narrow).expect("a slot without room");
    let copies: Vec<_> = route.first().nested.layout.sheets[0].placed.iter().map(|p| p.copy).collect();
    nicked.edit(&HoldEdit::SetNickPlaces { contour: slot, places: place(0.6), copy: Some(copies[1]) }.on(BatchId::FIRST));
    let left_off = |job: &mut Job, what: &str| {
        let route = job.route();
        let finding = told(&route, "nick-pierce").unwrap_or_else(|| panic!("{what}: {:?}", route.findings)).clone();
        job.edit(&finding.remedies[0].edit);
        let route = job.route();
        assert!(told(&route, "nick-pierce").is_none(), "{what}: {:?}", route.findings);
        assert_eq!(job.decisions.first().hold.nicks, Some(true), "nicks are not off for everything else");
        route
    };
    let route = left_off(&mut nicked, "slots");
    let nicks = |slot_only: bool| {
        let ops = route.first().toolpath.sheets.iter().flat_map(|s| &s.ops).filter(|op| (op.contour == slot) == slot_only);
        ops.map(|op| op.line().nicks.len()).sum::<usize>()
    };
    assert!(nicks(true) == 0 && nicks(false) > 0);
    let shared = [
        HoldEdit::SetNicks { on: true }.on(BatchId::FIRST),
        NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST),
        Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 6 }),
    ];
    let (mut tiles, _) = job(&format!(r#"<path {RED} d="M10 10h120v90h-120z"/>"#), steel(), &shared);
    left_off(&mut tiles, "common edges");
}

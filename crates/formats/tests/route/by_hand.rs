//! What a hand set on the cuts: it holds for its contour however the part comes to lie, is there again after undo and redo, and in a
//! revision of the drawing whose contour is the same.

use crate::cached::{BOARDS, svg};
use crate::job::Job;
use crate::steel;
use boustrophe_core::decisions::{HoldEdit, NestEdit, OrderEdit, PiercePlace, Stock, Way};
use boustrophe_core::geometry::{Affine, Point, Vec2};
use boustrophe_core::hold::Op;
use boustrophe_core::ids::{BatchId, CopyId, EdgePlace, PartId};
use boustrophe_core::nest::Placement;
use boustrophe_core::route::Route;
use boustrophe_house::played;
use proptest::prelude::*;

/// Three boards on the plasma table.
fn job() -> (Job, PartId) {
    let mut job = Job::of(&[("boards.svg", svg(BOARDS))], steel());
    let part = job.route().work.parts.iter().max_by(|a, b| a.area.total_cmp(&b.area)).expect("the board").id;
    job.edit(&NestEdit::SetQuantity { part, quantity: 3 }.on(BatchId::FIRST));
    job.nest(1, 2);
    (job, part)
}

/// The outlines of the board's copies as they are cut, each with its placement.
fn outlines(job: &Job, part: PartId) -> Vec<(Op, Placement)> {
    let route = job.route();
    let b = route.first();
    let sheets = b.toolpath.sheets.iter().zip(&b.nested.layout.sheets);
    let of = |(path, lying): (&boustrophe_core::hold::SheetPath, &boustrophe_core::nest::SheetLayout)| {
        let mine = |o: &&Op| o.contour == part.0 && lying.placed[o.placement].copy.part == part;
        path.ops.iter().filter(mine).map(|o| (o.clone(), lying.placed[o.placement])).collect::<Vec<_>>()
    };
    sheets.flat_map(of).collect()
}

/// Nested again, turned by hand, taken back and done again, revised: asks each time.
fn put_through(
    job: &mut Job,
    part: PartId,
    (seed, turn): (u64, f64),
    before: &boustrophe_core::decisions::Decisions,
    holds: &dyn Fn(&Job) -> bool,
) -> Result<(), TestCaseError> {
    prop_assert!(holds(job), "as it was put");
    let set = job.decisions.clone();
    job.nest(seed, 6);
    prop_assert!(holds(job), "nested again");
    let first = CopyId { part, number: 1 };
    let mut layout = job.decisions.first().nest.layout.clone().expect("a layout");
    let placed = layout.sheets.iter_mut().flat_map(|s| &mut s.placed).find(|p| p.copy == first).expect("the first copy");
    // Far from the others, so that its leads have room.
    let there = Affine::translate(Vec2::new(900.0, 700.0)) * Affine::rotate(turn.to_radians());
    *placed = Placement::of(first, there);
    job.edit(&NestEdit::KeepLayout { layout }.on(BatchId::FIRST));
    prop_assert!(holds(job), "turned by {turn}");
    let now = std::mem::replace(&mut job.decisions, before.clone());
    prop_assert!(!holds(job), "taken back");
    job.decisions = set;
    prop_assert!(holds(job), "done again");
    job.decisions = now;
    let revised = svg(&format!(r#"{BOARDS}<circle fill="none" stroke="red" cx="140" cy="30" r="6"/>"#));
    job.revise(1, "boards.svg", &revised);
    prop_assert!(holds(job), "revised");
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(12)))]
    #[test]
    fn nicks_set_by_hand_stay(shares in prop::collection::btree_map(0..4_u32, 0.15..0.85_f64, 1..4), seed in 0..50_u64, turn in 0.0..360.0_f64, alone in any::<bool>()) {
        let (mut job, part) = job();
        let before = job.decisions.clone();
        let places: Vec<EdgePlace> = shares.iter().map(|(segment, share)| EdgePlace::On { segment: *segment, share: *share }).collect();
        let first = CopyId { part, number: 1 };
        job.edit(&HoldEdit::SetNickPlaces { contour: part.0, places: Some(places.clone()), copy: alone.then_some(first) }.on(BatchId::FIRST));
        let holds = |job: &Job| {
            let drawn = job.route().work.part(part).expect("the board").outline.clone();
            let wanted: Vec<Point> = places.iter().map(|p| drawn.at(p.along(&drawn)).0).collect();
            let ops = outlines(job, part);
            let nicked: Vec<&(Op, Placement)> = ops.iter().filter(|o| !o.0.line().nicks.is_empty()).collect();
            let right = |(op, placed): &&(Op, Placement)| {
                let back = |p: Point| placed.affine().inverse() * p;
                let near = |w: &Point| op.line().nicks.iter().any(|n| back(n.0).distance(*w) < op.kerf / 2.0 + 0.02);
                wanted.iter().all(near)
            };
            nicked.len() == if alone { 1 } else { 3 } && nicked.iter().all(right) && (!alone || nicked[0].1.copy == first)
        };
        put_through(&mut job, part, (seed, turn), &before, &holds)?;
    }

    #[test]
    fn a_pierce_put_by_hand_stays(share in 0.25..0.75_f64, seed in 0..50_u64, turn in 0.0..360.0_f64) {
        let (mut job, part) = job();
        // One copy alone has its pierce by hand, and room for it.
        let before = job.decisions.clone();
        let first = CopyId { part, number: 1 };
        let drawn = job.route().work.part(part).expect("the board").outline.clone();
        let aside = if drawn.area() > 0.0 { -5.0 } else { 5.0 };
        let pierce = PiercePlace { at: EdgePlace::On { segment: 0, share }, ahead: 0.0, aside };
        job.edit(&HoldEdit::SetPierce { contour: part.0, pierce: Some(pierce), copy: Some(first) }.on(BatchId::FIRST));
        let holds = |job: &Job| {
            let (on, ahead) = drawn.at(pierce.at.along(&drawn));
            let wanted = on + ahead.turn_90() * aside;
            let ops = outlines(job, part);
            let (op, placed) = ops.iter().find(|o| o.1.copy == first).expect("it is cut");
            let is = placed.affine().inverse() * op.line().lead_in.first().map_or(Point::ZERO, |s| s.start);
            let kept = job.route().findings.iter().all(|f| f.code != "pierce-not-kept");
            // Where another lies in its way the rule leads it in, and that is told.
            let decided = job.decisions.first().hold.pierce_at(first, part.0) == Some(pierce);
            decided && (is.distance(wanted) < 1e-6 || !kept)
        };
        put_through(&mut job, part, (seed, turn), &before, &holds)?;
    }

    /// A direction: the second copy's outline is cut the other way round than the others' are.
    #[test]
    fn a_direction_given_by_hand_stays(seed in 0..50_u64, turn in 0.0..360.0_f64) {
        let (mut job, part) = job();
        let before = job.decisions.clone();
        // Twice the area that a run goes round, anticlockwise.
        let round = |op: &Op| -> f64 {
            let at: Vec<Point> = op.line().runs.iter().flatten().map(|s| s.at(0.5)).collect();
            at.iter().zip(at.iter().cycle().skip(1)).map(|(a, b)| a.x * b.y - b.x * a.y).sum()
        };
        let usual = outlines(&job, part).iter().map(|(op, _)| round(op)).collect::<Vec<_>>();
        prop_assert!(usual.len() == 3 && usual.iter().all(|a| a * usual[0] > 0.0), "all go one way: {usual:?}");
        let way = if usual[0] > 0.0 { Way::Against } else { Way::Drawn };
        let drawn = job.route().work.part(part).expect("the board").outline.area() > 0.0;
        let way = match (way, drawn) { (w, true) => w, (Way::Against, false) => Way::Drawn, (Way::Drawn, false) => Way::Against };
        let second = CopyId { part, number: 2 };
        job.edit(&OrderEdit::SetWay { contour: part.0, way: Some(way), copy: Some(second) }.on(BatchId::FIRST));
        let holds = |job: &Job| {
            outlines(job, part).iter().all(|(op, placed)| (round(op) * usual[0] < 0.0) == (placed.copy == second))
        };
        put_through(&mut job, part, (seed, turn), &before, &holds)?;
    }

    /// A place in the order.
    #[test]
    fn a_place_given_by_hand_stays(seed in 0..50_u64, turn in 0.0..360.0_f64) {
        let (mut job, part) = job();
        let before = job.decisions.clone();
        let cut = |job: &Job| {
            let route = job.route();
            let plan = &route.first().plan.sheets[0];
            let hole = |(n, c): &(boustrophe_core::ids::CutId, &boustrophe_core::cuts::Cut)| {
                n.contour != part.0 && n.copy == CopyId { part, number: 2 } && c.path.closed
            };
            plan.names().into_iter().zip(&plan.cuts).find(hole).expect("the hole of the second copy").0
        };
        let hole = cut(&job);
        job.edit(&OrderEdit::SetPlace { cut: hole, at: Some(0) }.on(BatchId::FIRST));
        let holds = |job: &Job| {
            let route = job.route();
            let b = route.first();
            let cuts = b.sequence.sheets[0].steps.iter().filter(|s| s.process == boustrophe_core::assign::Process::Cut);
            job.decisions.first().order.places.get(&hole) == Some(&0)
                && cuts.map(|s| b.plan.sheets[0].names()[s.cut]).next() == Some(hole)
        };
        put_through(&mut job, part, (seed, turn), &before, &holds)?;
    }
}

/// A revised drawing changes one part: its copies have no place, the others stay where they lie, and what is new is laid between them.
#[test]
fn changed_parts_of_a_revision_are_laid_again_and_nothing_else_moves() {
    let plates = |width: f64| {
        svg(&format!(
            r#"<g fill="none" stroke="red"><rect x="5" y="5" width="60" height="40"/><circle cx="35" cy="25" r="9"/><rect x="90" y="5" width="{width}" height="40"/></g>"#
        ))
    };
    let mut job = Job::of(&[("plates.svg", plates(50.0))], Stock::default());
    job.decisions.drawings[0].quantity = 4;
    job.nest(1, 3);
    let before = job.route();
    let lying = |route: &Route| -> Vec<Placement> { route.first().nested.layout.copies().copied().collect() };
    let old = lying(&before);
    assert!(old.len() == 8 && before.first().nested.current);
    job.revise(1, "plates.svg", &plates(70.0));
    let revised = job.route();
    let kept = lying(&revised);
    assert!(kept.len() == 4 && kept.iter().all(|p| old.contains(p)), "the plates with a hole lie where they lay: {kept:?}");
    assert!(!revised.first().nested.current && !revised.released(), "the others wait");
    let layout = job.lay_what_is_new();
    assert!(layout.unplaced.is_empty() && layout.copies().count() == 8);
    assert!(kept.iter().all(|p| layout.copies().any(|q| q == p)), "nothing else moved");
    let laid = job.route();
    assert!(laid.first().nested.current && laid.findings.iter().all(|f| f.code != "not-nested"));
}

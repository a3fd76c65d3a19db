//! Order by hand, and by strategy.

use super::*;
use crate::decisions::{SheetCorner, Strategy, Way};
use crate::ids::CutId;

fn sequence(work: &Work, layout: &Layout, decisions: &Decisions) -> (SheetSequence, Vec<Finding>) {
    let plan = crate::testing::planned(work, layout, decisions, &Shop::builtin());
    let (sequence, findings) = crate::testing::sequence(work, layout, &plan, decisions);
    (sequence.sheets[0].clone(), findings)
}

fn names(work: &Work, layout: &Layout, decisions: &Decisions) -> Vec<CutId> {
    crate::testing::planned(work, layout, decisions, &Shop::builtin()).sheets[0].names()
}

/// True for what is a board's outline.
fn is_outline(work: &Work, layout: &Layout, step: &Step) -> bool {
    lying(work, layout, step).bounds().width() > 70.0
}

/// Boards that lie apart, each copy with its own number.
fn boards(count: usize, holes: usize) -> (Work, Layout, Decisions) {
    let (work, mut layout, decisions) = job(count, holes);
    layout.sheets[0].placed.iter_mut().enumerate().for_each(|(i, p)| p.copy.number = i as u32 + 1);
    (work, layout, decisions)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// What a hand gives a place has it, or is refused with a reason and a remedy that lifts it; every hole comes before its outline.
    #[test]
    fn what_is_pinned_has_its_place(count in 1..4_usize, holes in 0..8_usize, wishes in prop::collection::vec((0..36_usize, 0..40_u32), 0..6)) {
        let (work, layout, mut decisions) = boards(count, holes);
        let all = names(&work, &layout, &decisions);
        for (cut, place) in &wishes {
            decisions.first_mut().order.places.insert(all[cut % all.len()], *place);
        }
        let wanted = decisions.first().order.places.clone();
        let (found, findings) = sequence(&work, &layout, &decisions);
        prop_assert_eq!(found.steps.len(), count * (holes + 1));
        let kept = wanted.iter().filter(|(cut, place)| found.steps.get(**place as usize).is_some_and(|s| all[s.cut] == **cut)).count();
        let refused = findings.first().map_or(0, |f| f.count);
        prop_assert!(kept + refused >= wanted.len(), "{kept} kept and {refused} refused of {}", wanted.len());
        for copy in 0..count {
            let of_it: Vec<&Step> = found.steps.iter().filter(|s| s.placement == copy).collect();
            prop_assert!(is_outline(&work, &layout, of_it[of_it.len() - 1]) && of_it.iter().filter(|s| is_outline(&work, &layout, s)).count() == 1);
        }
        if let Some(finding) = findings.first() {
            let mended = finding.remedies[0].edit.apply(&decisions).expect("it applies");
            prop_assert!(sequence(&work, &layout, &mended).1.is_empty());
        }
    }

    /// Every strategy cuts everything once, holes before their outlines.
    #[test]
    fn strategies_keep_what_must_come_first(count in 1..6_usize, holes in 0..9_usize, which in 0..6_usize) {
        let (work, layout, mut decisions) = boards(count, holes);
        decisions.first_mut().order.strategy = Strategy::ALL[which];
        let (found, findings) = sequence(&work, &layout, &decisions);
        let mut cuts: Vec<usize> = found.steps.iter().map(|s| s.cut).collect();
        cuts.sort_unstable();
        cuts.dedup();
        prop_assert!(cuts.len() == count * (holes + 1) && findings.iter().all(|f| f.severity == crate::finding::Severity::Note));
        for copy in 0..count {
            let last = found.steps.iter().rfind(|s| s.placement == copy).expect("its steps");
            prop_assert!(is_outline(&work, &layout, last));
        }
    }
}

#[test]
fn an_outline_cannot_come_before_its_holes() {
    let (work, layout, mut decisions) = boards(2, 3);
    let (plain, _) = sequence(&work, &layout, &decisions);
    let outline = plain.steps.iter().find(|s| is_outline(&work, &layout, s)).expect("an outline").cut;
    let name = names(&work, &layout, &decisions)[outline];
    decisions.first_mut().order.places.insert(name, 0);
    let (_, findings) = sequence(&work, &layout, &decisions);
    assert!(
        findings[0].code == "place-not-kept" && findings[0].text.contains("lies inside it and has to come first"),
        "{}",
        findings[0].text
    );
    // In the fourth place it can: its three holes go before it.
    decisions.first_mut().order.places.insert(name, 3);
    let (found, findings) = sequence(&work, &layout, &decisions);
    assert!(findings.is_empty() && found.steps[3].cut == outline);
}

#[test]
fn part_by_part_finishes_each_and_rows_go_there_and_back() {
    let (work, layout, mut decisions) = boards(5, 6);
    let copies = |decisions: &Decisions| {
        let mut copies: Vec<usize> = sequence(&work, &layout, decisions).0.steps.iter().map(|s| s.placement).collect();
        copies.dedup();
        copies
    };
    for strategy in [Strategy::Parts, Strategy::Rows, Strategy::Corner { corner: SheetCorner::LowerRight }] {
        decisions.first_mut().order.strategy = strategy;
        assert_eq!(copies(&decisions).len(), 5, "{}", strategy.name());
    }
    let x = |copy: &usize| layout.sheets[0].placed[*copy].x;
    let from_the_right: Vec<f64> = copies(&decisions).iter().map(x).collect();
    assert!(from_the_right.windows(2).all(|w| w[0] > w[1]), "{from_the_right:?}");
}

#[test]
fn heat_is_spread_as_far_as_was_said() {
    let (work, layout, mut decisions) = boards(6, 8);
    let hops = |decisions: &Decisions| {
        let steps = sequence(&work, &layout, decisions).0.steps;
        let at = |s: &Step| {
            let path = lying(&work, &layout, s);
            path.at(s.start * path.length()).0
        };
        steps.windows(2).filter(|w| at(&w[0]).distance(at(&w[1])) < 70.0).count()
    };
    let near = hops(&decisions);
    decisions.first_mut().order.strategy = Strategy::Spread { least: 70.0 };
    let spread = hops(&decisions);
    assert!(near > 35 && spread <= 2, "{near} hops of 53 were short, {spread} are");
}

#[test]
fn slender_parts_come_last() {
    // A comb: thin teeth on a spine.
    let teeth: Vec<Point> = std::iter::once(Point::new(0.0, 0.0))
        .chain((0..8).flat_map(|i| {
            let x = f64::from(i) * 10.0;
            [Point::new(x, 40.0), Point::new(x + 2.0, 40.0), Point::new(x + 2.0, 4.0), Point::new(x + 10.0, 4.0)]
        }))
        .chain([Point::new(80.0, 0.0)])
        .collect();
    let (drawing, mut decisions) = cleaned(&outlines(&[Path::polygon(&teeth), Path::rectangle(100.0, 0.0, 40.0, 40.0)]), 1);
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let placed: Vec<Placement> = work
        .parts
        .iter()
        .map(|p| Placement { copy: crate::testing::copy(p.id, 1), x: 10.0, y: 10.0, angle: 0.0, mirrored: false })
        .collect();
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(300.0, 80.0), placed }], ..Layout::default() };
    decisions.first_mut().order.strategy = Strategy::Fragile;
    let (found, _) = sequence(&work, &layout, &decisions);
    assert!(lying(&work, &layout, &found.steps[1]).segments.len() > 8, "the comb last");
}

#[test]
fn a_direction_set_by_hand_is_kept_for_every_copy_or_for_one() {
    let (work, layout, mut decisions) = boards(2, 0);
    let outline = work.parts[0].id.0;
    let machine = &Shop::builtin().machines[0];
    let turning = |decisions: &Decisions| {
        let (path, _) = crate::testing::held(&work, &layout, decisions, machine, &Shop::builtin());
        let mut all: Vec<(usize, bool)> =
            path.sheets[0].ops.iter().map(|o| (o.placement, Path::new(o.line().runs.concat(), true).area() > 0.0)).collect();
        all.sort_unstable();
        all
    };
    let usual = turning(&decisions);
    assert!(usual[0].1 == usual[1].1);
    let drawn = work.items[0].contour.path.area() > 0.0;
    let other = if drawn == usual[0].1 { Way::Against } else { Way::Drawn };
    decisions.first_mut().order.ways.insert(outline, other);
    assert_eq!(turning(&decisions), usual.iter().map(|(p, w)| (*p, !w)).collect::<Vec<_>>());
    decisions.first_mut().order.ways.clear();
    decisions.first_mut().order.copy_ways.entry(layout.sheets[0].placed[1].copy).or_default().insert(outline, other);
    assert_eq!(turning(&decisions), [(0, usual[0].1), (1, !usual[1].1)]);
}

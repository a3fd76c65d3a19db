//! What the engines reach, and what they never do.

use super::*;
use crate::ids::CopyId;
use crate::{Grain, PartNest};
use std::collections::BTreeSet;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Parts that are drawn beside each other, each with its own outlines.
fn apart(kinds: &[Vec<Path>], quantity: u32) -> Work {
    let moved = kinds.iter().enumerate().flat_map(|(i, k)| {
        let by = Affine::translate(Vec2::new(i as f64 * 400.0, 31.7));
        k.iter().map(move |p| p.transformed(by)).collect::<Vec<_>>()
    });
    work(&moved.collect::<Vec<_>>(), quantity)
}

fn polygon(points: &[(f64, f64)]) -> Vec<Path> {
    vec![Path::polygon(&points.iter().map(|(x, y)| Point::new(*x, *y)).collect::<Vec<_>>())]
}

#[test]
fn a_plate_that_was_cut_up_goes_together_again() {
    // 200 × 120, cut from edge to edge; no greedy order finds it, for the pieces have no flat side in common.
    let pieces = [
        polygon(&[(0.0, 0.0), (70.0, 0.0), (52.0, 58.0), (0.0, 71.0)]),
        polygon(&[(70.0, 0.0), (200.0, 0.0), (200.0, 33.0), (121.0, 62.0), (52.0, 58.0)]),
        polygon(&[(0.0, 71.0), (52.0, 58.0), (88.0, 120.0), (0.0, 120.0)]),
        polygon(&[(52.0, 58.0), (121.0, 62.0), (140.0, 120.0), (88.0, 120.0)]),
        polygon(&[(121.0, 62.0), (200.0, 33.0), (200.0, 120.0), (140.0, 120.0)]),
    ];
    let work = apart(&pieces, 1);
    let terms = Terms { turn: Turn::None, ..terms_of(202.0, 120.0, 0.0, 0.0) };
    let layout = nest(&work, &terms, 120);
    assert_eq!((layout.sheets.len(), layout.unplaced.len()), (1, 0));
    assert_eq!(faults(&work, &layout, Distances::of(0.0, 0.0)).count, 0);
    // The same pieces with all turns: no worse.
    let free = nest(&work, &Terms { turn: Turn::Any, ..terms }, 240);
    assert_eq!((free.sheets.len(), free.unplaced.len()), (1, 0));
}

#[test]
fn more_freedom_takes_no_more_sheets() {
    let flange = vec![Path::rectangle(0.0, 0.0, 120.0, 86.0), Path::circle(Point::new(60.0, 43.0), 20.0)];
    let work = apart(&[flange], 4);
    for turn in Turn::ALL {
        let layout = nest(&work, &Terms { turn, ..terms_of(300.0, 200.0, 5.0, 6.0) }, 8);
        assert_eq!(layout.sheets.len(), 1, "turns {}", turn.name());
    }
}

#[test]
fn two_kinds_together_take_no_more_than_apart() {
    let corner = |i: usize| Vec2::from_angle(i as f64 * std::f64::consts::PI / 5.0) * if i.is_multiple_of(2) { 34.0 } else { 15.0 };
    let star = vec![Path::polygon(&(0..10).map(|i| corner(i).to_point()).collect::<Vec<_>>())];
    let (a, b) = (Point::new(0.0, -30.0), Point::new(0.0, 30.0));
    let crescent = vec![Path::new(vec![Segment { start: a, end: b, bulge: 1.0 }, Segment { start: b, end: a, bulge: -0.5 }], true)];
    let terms = terms_of(300.0, 220.0, 2.0, 4.0);
    let sheets = |kinds: &[Vec<Path>]| nest(&apart(kinds, 12), &terms, 14).sheets.len();
    let (stars, crescents) = (sheets(std::slice::from_ref(&star)), sheets(std::slice::from_ref(&crescent)));
    assert!(sheets(&[star, crescent]) <= stars + crescents);
}

#[test]
fn rows_of_one_part_are_as_many_as_a_lattice_holds() {
    // Discs of 20 mm, 2 apart, in 196 × 176 mm: rows of hexagons hold 9 and 8 in turn, 22 and 19.053 mm apart: 9 rows, 77 discs;
    // squares hold 9 × 8 = 72.
    let disc = work(&[Path::circle(Point::ZERO, 10.0)], 77);
    let layout = nest(&disc, &terms_of(208.0, 186.0, 2.0, 6.0), 8);
    assert_eq!((layout.sheets.len(), layout.unplaced.len()), (1, 0));
    // Triangles in pairs: two make a parallelogram.
    let triangle = work(&polygon(&[(0.0, 0.0), (60.0, 0.0), (20.0, 45.0)]), 24);
    let layout = nest(&triangle, &Terms { turn: Turn::Half, ..terms_of(300.0, 203.0, 1.0, 4.0) }, 8);
    assert_eq!((layout.sheets.len(), layout.unplaced.len()), (1, 0));
}

#[test]
fn grain_mirrors_and_fillers_are_kept_to() {
    let hook = polygon(&[(0.0, 0.0), (70.0, 0.0), (70.0, 14.0), (16.0, 14.0), (16.0, 44.0), (0.0, 44.0)]);
    let work = apart(&[hook, vec![Path::circle(Point::ZERO, 6.0)]], 6);
    let (hooks, discs) = (
        work.parts.iter().find(|p| p.bounds.width() > 50.0).expect("hook").id,
        work.parts.iter().find(|p| p.bounds.width() < 20.0).expect("disc").id,
    );
    let layout_of = |terms: &Terms| nest(&work, terms, 25);
    let angles = |l: &Layout| -> BTreeSet<i64> { l.copies().filter(|p| p.copy.part == hooks).map(|p| p.angle.round() as i64).collect() };
    let base = terms_of(180.0, 120.0, 2.0, 4.0);
    let along = layout_of(&Terms { grain: Some(Grain::Along), ..base.clone() });
    assert!(angles(&along).is_subset(&BTreeSet::from([0, 180])), "{:?}", angles(&along));
    let across = layout_of(&Terms { grain: Some(Grain::Across), turn: Turn::None, ..base.clone() });
    assert_eq!(angles(&across), BTreeSet::from([90]));
    let one = |nest: PartNest| Terms { parts: [(hooks, nest)].into(), mirror: true, ..base.clone() };
    let unmirrored = layout_of(&one(PartNest { mirror: Some(false), turn: Some(Turn::Half), ..PartNest::default() }));
    assert!(unmirrored.copies().filter(|p| p.copy.part == hooks).all(|p| !p.mirrored));
    assert!(angles(&unmirrored).is_subset(&BTreeSet::from([0, 180])));
    let mirrored = layout_of(&Terms { mirror: true, turn: Turn::None, ..base.clone() });
    assert!(mirrored.copies().any(|p| p.mirrored), "a hook mirrored lies into another");
    assert_eq!(faults(&work, &mirrored, Distances::of(2.0, 4.0)).count, 0);
    // Discs that only fill: on the hooks' sheets, and none for their own sake.
    let many = apart(&[vec![Path::rectangle(0.0, 0.0, 170.0, 100.0)], vec![Path::circle(Point::ZERO, 12.0)]], 3);
    let disc = many.parts.iter().find(|p| p.bounds.width() < 30.0).expect("disc").id;
    let fill = Terms { parts: [(disc, PartNest { filler: true, ..PartNest::default() })].into(), ..base };
    let layout = nest(&many, &fill, 20);
    assert_eq!((layout.sheets.len(), layout.unplaced.get(&disc).copied().unwrap_or(0)), (3, 3));
    let _ = discs;
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(24)))]
    /// From a layout of which some copies are held, stopped wherever it is: what is held has not moved, nothing is lost, nothing lies
    /// where it may not, and the layout is no worse than what it began with.
    #[test]
    fn what_is_held_stays_and_nothing_is_lost(
        kinds in prop::collection::vec(part(), 1..4), quantity in 1..5_u32, hold in prop::collection::vec(any::<bool>(), 20),
        steps in 0..4000_usize, more in 0..3_u32, turn in 0..4_usize, mirror in any::<bool>(),
    ) {
        let work = apart(&kinds, quantity);
        let terms = Terms { turn: Turn::ALL[turn], mirror, ..terms_of(240.0, 190.0, 2.0, 4.0) };
        let begun = nest(&work, &terms, 3);
        let held: BTreeSet<CopyId> = begun.copies().zip(hold.iter().cycle()).filter(|h| *h.1).map(|h| h.0.copy).collect();
        let work = apart(&kinds, quantity + more);
        let problem = Problem::from(&work, &terms, &Tolerance::default(), &begun, &held);
        let left = AtomicUsize::new(steps);
        let go_on = || left.fetch_update(Ordering::Relaxed, Ordering::Relaxed, |n| n.checked_sub(1)).is_ok();
        let layout = search(&problem, &Control { go_on: &go_on, better: &|_, _| {}, tried: &|_| {}, seed: 3, tries: 40 });
        prop_assert_eq!(faults(&work, &layout, terms.distances()).count, 0);
        let all: BTreeSet<CopyId> = layout.copies().map(|p| p.copy).collect();
        prop_assert_eq!(all.len(), layout.copies().count(), "no two copies have one name");
        let unplaced: u32 = layout.unplaced.values().sum();
        prop_assert_eq!(all.len() as u32 + unplaced, work.parts.iter().map(|p| p.quantity).sum::<u32>());
        prop_assert_eq!(unplaced, 0);
        for was in begun.copies().filter(|p| held.contains(&p.copy)) {
            let is = layout.copies().find(|p| p.copy == was.copy);
            prop_assert_eq!(is, Some(was), "held");
        }
        if more == 0 {
            prop_assert!(layout.sheets.len() <= begun.sheets.len());
        }
        for p in layout.copies() {
            let (angles, may) = terms.poses(p.copy.part);
            prop_assert!(terms.any_angle(p.copy.part) || angles.contains(&p.angle));
            prop_assert!(may || !p.mirrored);
        }
    }
}

/// Boards cut from a sheet guillotine-wise fill it again, whichever way round they are drawn.
#[test]
fn boards_cut_from_a_sheet_fill_it_again() {
    let rooms = [
        (0.0, 0.0, 200.0, 90.0),
        (200.0, 0.0, 100.0, 90.0),
        (0.0, 90.0, 80.0, 110.0),
        (80.0, 90.0, 150.0, 60.0),
        (80.0, 150.0, 90.0, 50.0),
        (170.0, 150.0, 60.0, 50.0),
        (230.0, 90.0, 70.0, 110.0),
    ];
    let spacing = 2.0;
    let boards: Vec<Path> = rooms
        .iter()
        .enumerate()
        .map(|(i, (_, _, w, h))| if i % 2 == 0 { (h - spacing, w - spacing) } else { (w - spacing, h - spacing) })
        .enumerate()
        .map(|(i, (w, h))| Path::rectangle(i as f64 * 300.0, 0.0, w, h))
        .collect();
    let work = work(&boards, 1);
    // Just the room: the sheet less one spacing each way.
    let layout = nest(&work, &terms_of(300.0 - spacing, 200.0 - spacing, spacing, 0.0), 40);
    assert_eq!((layout.sheets.len(), layout.copies().count()), (1, 7));
    assert_eq!(faults(&work, &layout, Distances::of(spacing, 0.0)).count, 0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(6))]
    /// Boards of any sizes: all counted, none too near, none turned that may not be, the same again for the same seed on one
    /// thread and on several.
    #[test]
    fn boards_are_laid_alike_on_any_number_of_threads(sizes in prop::collection::vec((12.0..90.0_f64, 12.0..70.0_f64), 3..8), quantity in 1..5_u32, upright in prop::bool::ANY, spacing in 0.0..4.0_f64) {
        let paths: Vec<Path> = sizes.iter().enumerate().map(|(i, (w, h))| Path::rectangle(i as f64 * 120.0, 0.0, *w, *h)).collect();
        let work = work(&paths, quantity);
        let turn = if upright { Turn::None } else { Turn::Quarter };
        let terms = Terms { turn, sheets: vec![Sheet::rectangle(260.0, 190.0)], ..terms_of(260.0, 190.0, spacing, 3.0) };
        let on = |threads: usize| {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("threads");
            pool.install(|| nest(&work, &terms, 5))
        };
        let (one, three) = (on(1), on(3));
        prop_assert_eq!(&one, &three);
        prop_assert_eq!(faults(&work, &one, terms.distances()).count, 0);
        let laid = one.copies().count() + one.unplaced.values().map(|n| *n as usize).sum::<usize>();
        prop_assert_eq!(laid, sizes.len() * quantity as usize);
        prop_assert!(one.unplaced.is_empty() && one.copies().all(|p| !upright || p.angle == 0.0));
    }
}

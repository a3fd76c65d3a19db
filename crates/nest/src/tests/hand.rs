//! What a hand does with copies: nothing that it lays lies where it may not.

use super::*;
use crate::hand::{Align, NotLined, On, Pattern, another, box_of, doubled, dropped, laid, lined_up, pushed, repeated};
use crate::ids::{CopyId, PartId};

/// An angle bracket and a disc, with some copies of each on a sheet.
fn bench() -> (Work, Layout, Terms) {
    let bracket = [(0.0, 0.0), (60.0, 0.0), (60.0, 18.0), (18.0, 18.0), (18.0, 50.0), (0.0, 50.0)].map(|(x, y)| Point::new(x, y));
    let work = work(&[Path::polygon(&bracket), Path::circle(Point::new(200.0, 25.0), 22.0)], 6);
    let terms = terms_of(420.0, 300.0, 2.0, 5.0);
    let layout = nest(&work, &terms, 3);
    (work, layout, terms)
}

fn with(layout: &Layout, moved: &[Placement]) -> Layout {
    let mut out = layout.clone();
    for p in moved {
        out.lay(*p, 0).or_else(|| out.add(*p, 0)).expect("it is laid");
    }
    out
}

/// On the first sheet.
fn first(copies: &[Placement]) -> Vec<On> {
    copies.iter().map(|p| (*p, 0)).collect()
}

fn alone(copies: &[On]) -> Vec<Placement> {
    copies.iter().map(|on| on.0).collect()
}

fn copies(layout: &Layout) -> Vec<Placement> {
    layout.sheets[0].placed.clone()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Wherever copies are dropped, they lie free there, or slid by as much as is told, or are refused.
    #[test]
    fn what_is_dropped_lies_free_or_is_refused(which in 0..12_usize, more in 0..12_usize, x in -60.0..420.0_f64, y in -60.0..300.0_f64, angle in 0.0..360.0_f64) {
        let (work, layout, terms) = bench();
        let all = copies(&layout);
        let mut wanted = vec![Placement { x, y, angle, ..all[which] }];
        if more != which {
            // A second that moves along.
            wanted.push(Placement { x: all[more].x + x - all[which].x, y: all[more].y + y - all[which].y, ..all[more] });
        }
        if let Some((lies, slid)) = laid(&work, &layout, &first(&wanted), &terms) {
            let lies = alone(&lies);
            let by = Vec2::new(lies[0].x - x, lies[0].y - y);
            prop_assert!((by.hypot() - slid).abs() < 1e-9 && slid <= 40.0);
            prop_assert!(lies.iter().zip(&wanted).all(|(l, w)| (l.x - w.x - by.x).abs() < 1e-9 && (l.y - w.y - by.y).abs() < 1e-9), "together");
            // Those that moved and those that stayed: none is too near to another.
            prop_assert_eq!(faults(&work, &with(&layout, &lies), terms.distances()).count, 0);
        }
    }

    /// What is pushed touches, and goes no further; a second push moves nothing.
    #[test]
    fn what_is_pushed_touches_and_goes_no_further(which in 0..12_usize, way in prop::sample::select(vec![(1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0)])) {
        let (work, layout, terms) = bench();
        let way = Vec2::new(way.0, way.1);
        let (lies, far) = pushed(&work, &layout, &[(copies(&layout)[which], 0)], way, &terms).expect("the sheet is there");
        let lies = alone(&lies);
        let after = with(&layout, &lies);
        prop_assert_eq!(faults(&work, &after, terms.distances()).count, 0);
        let further = Placement { x: lies[0].x + way.x * 0.02, y: lies[0].y + way.y * 0.02, ..lies[0] };
        prop_assert!(faults(&work, &with(&layout, &[further]), terms.distances()).count > 0, "it went {far} mm and could go on");
        let (_, again) = pushed(&work, &after, &first(&lies), way, &terms).expect("the sheet is there");
        prop_assert!(again < 0.01, "{again}");
    }
}

#[test]
fn rows_and_columns_have_their_gap_and_new_names() {
    let (work, layout, terms) = bench();
    let disc = work.parts.iter().find(|p| p.bounds.width() < 45.0).expect("the disc").id;
    let alone = copies(&layout).into_iter().find(|p| p.copy.part == disc).expect("a disc");
    let corner = box_of(&work, &alone).min;
    let first = Placement { x: alone.x + 10.0 - corner.x, y: alone.y + 10.0 - corner.y, ..alone };
    let empty = Layout { sheets: vec![SheetLayout { placed: vec![first], ..layout.sheets[0].clone() }], ..Layout::default() };
    let pattern = Pattern { columns: 4, rows: 3, gap: 6.0, turned: true };
    let all = repeated(&work, &empty, &(first, 0), pattern, &terms).expect("there is room");
    let mut names: Vec<u32> = all.iter().map(|p| p.copy.number).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!((all.len(), names.len()), (12, 12));
    let boxes: Vec<_> = all.iter().map(|p| box_of(&work, p)).collect();
    assert!((boxes[1].min.x - boxes[0].max.x - 6.0).abs() < 1e-6 && (boxes[4].min.y - boxes[0].max.y - 6.0).abs() < 1e-6);
    assert_eq!(faults(&work, &with(&empty, &all[1..]), terms.distances()).count, 0);
    // Ten columns do not fit: it is said how many would.
    let wide = Pattern { columns: 10, rows: 1, ..pattern };
    assert_eq!(repeated(&work, &empty, &(first, 0), wide, &terms), Err(8));
    assert_eq!(repeated(&work, &empty, &(first, 3), pattern, &terms), Err(0), "there is no fourth sheet");
}

#[test]
fn what_is_lined_up_has_one_lower_edge() {
    let work = work(&[Path::rectangle(0.0, 0.0, 40.0, 30.0)], 3);
    let terms = terms_of(300.0, 200.0, 2.0, 5.0);
    let part: PartId = work.parts[0].id;
    let at = |n: u32, x: f64, y: f64| Placement { copy: CopyId { part, number: n }, x, y, angle: 0.0, mirrored: false };
    let placed = vec![at(1, 10.0, 20.0), at(2, 60.0, 31.0), at(3, 110.0, 12.5)];
    let layout =
        Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(300.0, 200.0), placed: placed.clone() }], ..Layout::default() };
    let lined = alone(&lined_up(&work, &layout, &first(&placed), Align::Bottom, &terms).expect("there is room"));
    assert!(lined.iter().all(|p| (p.y - 20.0).abs() < 1e-9) && lined.iter().zip(&placed).all(|(l, p)| l.x == p.x));
    // Two under each other cannot have one lower edge.
    let below = vec![at(1, 10.0, 20.0), at(2, 20.0, 60.0)];
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(300.0, 200.0), placed: below.clone() }], ..Layout::default() };
    assert_eq!(lined_up(&work, &layout, &first(&below), Align::Bottom, &terms), Err(NotLined::Crowded));
}

/// Each edge, middle and gap, against sums of the boxes alone.
#[test]
fn edges_middles_and_gaps_are_as_they_are_called() {
    let work = work(&[Path::rectangle(0.0, 0.0, 40.0, 30.0), Path::rectangle(100.0, 0.0, 20.0, 20.0)], 3);
    let terms = terms_of(400.0, 300.0, 2.0, 5.0);
    let (large, small) = (work.parts[0].id, work.parts[1].id);
    let at = |part: PartId, n: u32, x: f64, y: f64| Placement { copy: CopyId { part, number: n }, x, y, angle: 0.0, mirrored: false };
    let placed = vec![at(large, 1, 10.0, 20.0), at(small, 1, 0.0, 100.0), at(large, 2, 200.0, 200.0)];
    let layout =
        Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(400.0, 300.0), placed: placed.clone() }], ..Layout::default() };
    let boxes = |align: Align| -> Vec<_> {
        let lined = lined_up(&work, &layout, &first(&placed), align, &terms).expect("there is room");
        lined.iter().map(|on| box_of(&work, &on.0)).collect()
    };
    let before: Vec<_> = placed.iter().map(|p| box_of(&work, p)).collect();
    assert!(boxes(Align::Left).iter().all(|b| (b.min.x - before[0].min.x).abs() < 1e-9));
    assert!(boxes(Align::Right).iter().all(|b| (b.max.x - before[0].max.x).abs() < 1e-9));
    assert!(boxes(Align::Upright).iter().all(|b| (b.center().x - before[0].center().x).abs() < 1e-9));
    assert!(boxes(Align::Top).iter().all(|b| (b.max.y - before[0].max.y).abs() < 1e-9));
    assert!(boxes(Align::Level).iter().all(|b| (b.center().y - before[0].center().y).abs() < 1e-9));
    let across = boxes(Align::Across);
    assert!((across[0].min.x - before[0].min.x).abs() < 1e-9 && (across[2].max.x - before[2].max.x).abs() < 1e-9, "the outermost stay");
    assert!((across[1].min.x - across[0].max.x - (across[2].min.x - across[1].max.x)).abs() < 1e-9, "{across:?}");
    let up = boxes(Align::Up);
    assert!((up[1].min.y - up[0].max.y - (up[2].min.y - up[1].max.y)).abs() < 1e-9, "{up:?}");
    let near = vec![at(large, 1, 10.0, 20.0), at(large, 2, 30.0, 200.0), at(large, 3, 50.0, 100.0)];
    assert_eq!(lined_up(&work, &layout, &first(&near), Align::Across, &terms), Err(NotLined::NoGaps));
}

#[test]
fn what_is_engraved_comes_to_one_height() {
    // Engraved 8 mm above the lower edge of one, 20 above that of the other; the third has nothing engraved.
    let mut work =
        work(&[Path::rectangle(0.0, 0.0, 40.0, 30.0), Path::rectangle(100.0, 0.0, 40.0, 50.0), Path::rectangle(200.0, 0.0, 20.0, 20.0)], 1);
    work.parts[0].engraved = vec![Path::rectangle(10.0, 8.0, 12.0, 9.0), Path::rectangle(12.0, 18.0, 4.0, 4.0)];
    work.parts[1].engraved = vec![Path::rectangle(110.0, 20.0, 12.0, 9.0)];
    let terms = terms_of(300.0, 200.0, 2.0, 5.0);
    let at = |n: usize, x: f64, y: f64| Placement { copy: copy(work.parts[n].id, 1), x, y, angle: 0.0, mirrored: false };
    let placed = vec![at(0, 10.0, 60.0), at(1, -30.0, 20.0), at(2, -20.0, 90.0)];
    let layout =
        Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(300.0, 200.0), placed: placed.clone() }], ..Layout::default() };
    let on: Vec<On> = placed.iter().map(|p| (*p, 0)).collect();
    let lined = lined_up(&work, &layout, &on, Align::Engraved, &terms).expect("there is room");
    assert_eq!(lined.iter().map(|(p, _)| p.y).collect::<Vec<_>>(), [60.0, 48.0, 90.0]);
    assert_eq!(lined_up(&work, &layout, &on[1..], Align::Engraved, &terms), Err(NotLined::NothingEngraved));
}

/// Copies of two sheets move each on its own; what is laid on each other is refused, and copies again have new names.
#[test]
fn each_moves_on_its_own_sheet() {
    let work = work(&[Path::rectangle(0.0, 0.0, 40.0, 30.0)], 4);
    let terms = terms_of(300.0, 200.0, 2.0, 5.0);
    let part = work.parts[0].id;
    let at = |n: u32, x: f64, y: f64| Placement { copy: CopyId { part, number: n }, x, y, angle: 0.0, mirrored: false };
    let sheet = |placed: Vec<Placement>| SheetLayout { sheet: Sheet::rectangle(300.0, 200.0), placed };
    let layout =
        Layout { sheets: vec![sheet(vec![at(1, 10.0, 20.0)]), sheet(vec![at(2, 10.0, 20.0), at(3, 60.0, 20.0)])], ..Layout::default() };
    let right = |p: Placement| Placement { x: p.x + 5.0, ..p };
    let (lies, slid) =
        laid(&work, &layout, &[(right(at(1, 10.0, 20.0)), 0), (right(at(2, 10.0, 20.0)), 1)], &terms).expect("there is room");
    assert_eq!((lies[0].1, lies[1].1, slid), (0, 1, 0.0), "each keeps its sheet");
    // Both on one sheet at one place, as a hand may type it.
    assert!(laid(&work, &layout, &[(at(1, 120.0, 100.0), 0), (at(2, 120.0, 100.0), 0)], &terms).is_none());
    // One that leaves its sheet makes room there.
    let swapped = [(at(2, 60.0, 20.0), 1), (at(3, 150.0, 120.0), 0)];
    assert_eq!(laid(&work, &layout, &swapped, &terms).expect("there is room").1, 0.0);
    let (far, _) = pushed(&work, &layout, &[(at(1, 10.0, 20.0), 0), (at(3, 60.0, 20.0), 1)], Vec2::new(1.0, 0.0), &terms).expect("sheets");
    assert!(far.iter().all(|(p, _)| (p.x - 255.0).abs() < 0.01) && far[0].1 == 0 && far[1].1 == 1, "{far:?}");
    let (again, _) = doubled(&work, &layout, &[(at(1, 100.0, 100.0), 0), (at(1, 160.0, 100.0), 1)], &terms).expect("there is room");
    assert_eq!(again.iter().map(|on| on.0.copy.number).collect::<Vec<_>>(), [4, 5]);
}

/// What is dropped has its middle where it was let go, wherever its part is drawn; and there is another sheet as long as there is one.
#[test]
fn what_is_dropped_has_its_middle_there() {
    let work = work(&[Path::rectangle(300.0, 70.0, 40.0, 30.0)], 4);
    let terms = terms_of(300.0, 200.0, 2.0, 5.0);
    let part = work.parts[0].id;
    let sheet = SheetLayout { sheet: Sheet::rectangle(300.0, 200.0), placed: Vec::new() };
    let layout = Layout { sheets: vec![sheet], ..Layout::default() };
    let p = dropped(&work, &layout, part, Point::new(120.0, 90.0), &terms);
    assert!(box_of(&work, &p).center().distance(Point::new(120.0, 90.0)) < 1e-9 && p.copy.number == 1);
    let one = Terms { sheets: vec![Sheet { count: Some(1), ..Sheet::rectangle(300.0, 200.0) }], ..terms.clone() };
    assert!(another(&layout, &terms).is_some() && another(&layout, &one).is_none());
}

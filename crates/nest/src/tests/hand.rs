//! What a hand does with copies: nothing that it lays lies where it may not.

use super::*;
use crate::hand::{Pattern, box_of, laid, lined_up, pushed, repeated};
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
        if let Some((lies, slid)) = laid(&work, &layout, &wanted, 0, &terms) {
            let by = Vec2::new(lies[0].x - x, lies[0].y - y);
            prop_assert!((by.hypot() - slid).abs() < 1e-9 && slid <= 40.0);
            prop_assert!(lies.iter().zip(&wanted).all(|(l, w)| (l.x - w.x - by.x).abs() < 1e-9 && (l.y - w.y - by.y).abs() < 1e-9), "together");
            // Those that moved and those that stayed: none is too near, unless two of the moved ones were so before.
            let after = with(&layout, &lies);
            let alone: Vec<Placement> = after.sheets[0].placed.iter().filter(|p| lies.iter().skip(1).all(|l| l.copy != p.copy)).copied().collect();
            let alone = Layout { sheets: vec![SheetLayout { placed: alone, ..after.sheets[0].clone() }], ..Layout::default() };
            prop_assert_eq!(faults(&work, &alone, terms.distances()).count, 0);
        }
    }

    /// What is pushed touches, and goes no further; a second push moves nothing.
    #[test]
    fn what_is_pushed_touches_and_goes_no_further(which in 0..12_usize, way in prop::sample::select(vec![(1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0)])) {
        let (work, layout, terms) = bench();
        let way = Vec2::new(way.0, way.1);
        let (lies, far) = pushed(&work, &layout, &[copies(&layout)[which]], 0, way, &terms).expect("the sheet is there");
        let after = with(&layout, &lies);
        prop_assert_eq!(faults(&work, &after, terms.distances()).count, 0);
        let further = Placement { x: lies[0].x + way.x * 0.02, y: lies[0].y + way.y * 0.02, ..lies[0] };
        prop_assert!(faults(&work, &with(&layout, &[further]), terms.distances()).count > 0, "it went {far} mm and could go on");
        let (_, again) = pushed(&work, &after, &lies, 0, way, &terms).expect("the sheet is there");
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
    let all = repeated(&work, &empty, &first, 0, pattern, &terms).expect("there is room");
    let mut names: Vec<u32> = all.iter().map(|p| p.copy.number).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!((all.len(), names.len()), (12, 12));
    let boxes: Vec<_> = all.iter().map(|p| box_of(&work, p)).collect();
    assert!((boxes[1].min.x - boxes[0].max.x - 6.0).abs() < 1e-6 && (boxes[4].min.y - boxes[0].max.y - 6.0).abs() < 1e-6);
    assert_eq!(faults(&work, &with(&empty, &all[1..]), terms.distances()).count, 0);
    // Ten columns do not fit: it is said how many would.
    let wide = Pattern { columns: 10, rows: 1, ..pattern };
    assert_eq!(repeated(&work, &empty, &first, 0, wide, &terms), Err(8));
    assert_eq!(repeated(&work, &empty, &first, 3, pattern, &terms), Err(0), "there is no fourth sheet");
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
    let lined = lined_up(&work, &layout, &placed, 0, &terms).expect("there is room");
    assert!(lined.iter().all(|p| (p.y - 20.0).abs() < 1e-9) && lined.iter().zip(&placed).all(|(l, p)| l.x == p.x));
    // Two under each other cannot have one lower edge.
    let below = vec![at(1, 10.0, 20.0), at(2, 20.0, 60.0)];
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(300.0, 200.0), placed: below.clone() }], ..Layout::default() };
    assert!(lined_up(&work, &layout, &below, 0, &terms).is_none());
}

use super::*;
use crate::decisions::nest::{Placement, Sheet};
use crate::geometry::Point;
use crate::shop::Shop;
use crate::testing::{assigned, cleaned, copy, outlines};

/// A board with a hole, a ring in the hole, and an open cut in the board.
fn laid() -> (Work, Layout) {
    let mut paths = vec![
        Path::rectangle(0.0, 0.0, 100.0, 80.0),
        Path::rectangle(20.0, 20.0, 60.0, 40.0),
        Path::circle(Point::new(50.0, 40.0), 15.0),
        Path::circle(Point::new(50.0, 40.0), 3.0),
    ];
    paths.push(Path::new(vec![crate::geometry::Segment::line(Point::new(3.0, 3.0), Point::new(9.0, 12.0))], false));
    let (drawing, mut decisions) = cleaned(&outlines(&paths), 1);
    let open = drawing.contours.iter().find(|c| !c.path.closed).expect("the line").id;
    decisions.assign.contours.insert(open, Process::Cut);
    let (work, _) = assigned(&[drawing], &decisions, &Shop::builtin());
    let placed = work.parts.iter().map(|p| Placement { copy: copy(p.id, 1), x: 5.0, y: 5.0, angle: 0.0, mirrored: false }).collect();
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(120.0, 90.0), placed }], ..Layout::default() };
    (work, layout)
}

#[test]
fn every_edge_of_every_copy_is_one_cut_and_waits_for_what_is_in_it() {
    let (work, layout) = laid();
    let plan = plan(&work, &layout);
    let cuts = &plan.sheets[0].cuts;
    assert_eq!(cuts.len(), 5);
    assert!(cuts.iter().all(|c| c.sides[0].is_some() && c.sides[1].is_none()));
    let area = |i: usize| cuts[i].path.area().abs().round() as i64;
    let mut before: Vec<(i64, i64)> = plan.sheets[0].before.iter().map(|(a, b)| (area(*a), area(*b))).collect();
    before.sort_unstable();
    assert_eq!(before, [(0, 8000), (28, 707), (707, 2400), (2400, 8000)]);
}

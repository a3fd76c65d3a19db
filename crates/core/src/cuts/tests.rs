use super::*;
use crate::decisions::nest::{Placement, Sheet};
use crate::geometry::Point;
use crate::shop::Shop;
use crate::testing::{assigned, cleaned, copy, outlines};
use proptest::prelude::*;

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
    let plan = plan(&work, &layout, None);
    let cuts = &plan.sheets[0].cuts;
    assert_eq!(cuts.len(), 5);
    assert!(cuts.iter().all(|c| c.edges().count() == 1 && c.line == Line::Drawn));
    let area = |i: usize| cuts[i].path.area().abs().round() as i64;
    let mut before: Vec<(i64, i64)> = plan.sheets[0].before.iter().map(|(a, b)| (area(*a), area(*b))).collect();
    before.sort_unstable();
    assert_eq!(before, [(0, 8000), (28, 707), (707, 2400), (2400, 8000)]);
}

/// Copies of one part, with the lower left of its drawing at these places.
fn tiled(outline: Path, places: &[(f64, f64)]) -> (Work, Layout) {
    let (drawing, decisions) = cleaned(&outlines(&[outline]), places.len() as u32);
    let (work, _) = assigned(&[drawing], &decisions, &Shop::builtin());
    let id = work.parts[0].id;
    let at = |(i, (x, y)): (usize, &(f64, f64))| Placement { copy: copy(id, i as u32 + 1), x: *x, y: *y, angle: 0.0, mirrored: false };
    let placed = places.iter().enumerate().map(at).collect();
    (work, Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(900.0, 900.0), placed }], ..Layout::default() })
}

fn grid(columns: usize, rows: usize, pitch: f64) -> Vec<(f64, f64)> {
    (0..columns * rows).map(|i| (10.0 + (i % columns) as f64 * pitch, 10.0 + (i / columns) as f64 * pitch)).collect()
}

fn total(cuts: &SheetCuts) -> f64 {
    cuts.cuts.iter().map(|c| c.path.length()).sum()
}

/// Four squares that share edges: by hand, each of which is free as soon as its own four sides are burned, and none that a nick holds.
#[test]
fn a_copy_is_free_when_the_last_of_its_sides_is_cut() {
    let kerf = 0.2;
    let (work, layout) = tiled(Path::rectangle(0.0, 0.0, 20.0, 20.0), &grid(2, 2, 20.0 + kerf));
    let plan = plan(&work, &layout, Some(kerf));
    let (sheet, cuts) = (&layout.sheets[0], &plan.sheets[0]);
    assert!(cuts.cuts.iter().any(|c| c.line == Line::Shared) && cuts.cuts.iter().any(|c| matches!(c.line, Line::Rim { .. })));
    let mut order: Vec<usize> = (0..cuts.cuts.len()).collect();
    order.sort_by_key(|i| matches!(cuts.cuts[*i].line, Line::Rim { .. }));
    let mut freeing = Freeing::new(&work, sheet, cuts);
    let freed: Vec<usize> = order.iter().map(|i| freeing.made(*i, &[], kerf).len()).collect();
    assert_eq!(freed.iter().sum::<usize>(), 4, "{freed:?}");
    assert_eq!(freed.last(), Some(&4), "with the rim all come free: {freed:?}");
    // The rim alone frees none; a nick beside one square holds that one alone.
    let rim = *order.last().expect("it");
    assert!(Freeing::new(&work, sheet, cuts).made(rim, &[], kerf).is_empty());
    let mut freeing = Freeing::new(&work, sheet, cuts);
    let square = work.parts[0].outline.transformed(sheet.placed[0].affine()).bounds();
    let nick = Point::new(square.min.x - kerf / 2.0, square.center().y);
    let freed: Vec<Path> =
        order.iter().flat_map(|i| freeing.made(*i, if *i == rim { std::slice::from_ref(&nick) } else { &[] }, kerf)).collect();
    assert_eq!(freed.len(), 3);
    assert!(freed.iter().all(|p| p.bounds().center().distance(square.center()) > 10.0), "not the one by the nick");
}

#[test]
fn a_grid_of_squares_is_cut_in_lines_from_rim_to_rim_and_the_rim_last() {
    let kerf = 0.2;
    let (work, layout) = tiled(Path::rectangle(0.0, 0.0, 20.0, 20.0), &grid(10, 10, 20.0 + kerf));
    let by_itself = &plan(&work, &layout, None).sheets[0];
    assert!((total(by_itself) - 100.0 * 80.0).abs() < 1e-6);
    let cuts = &plan(&work, &layout, Some(kerf)).sheets[0];
    // Eighteen lines within, and the rim: 22 sides of ten, not 40.
    assert_eq!(cuts.cuts.len(), 19);
    let side = 10.0 * (20.0 + kerf);
    assert!((total(cuts) - 22.0 * side).abs() < 1.0, "{} of {}", total(cuts), 22.0 * side);
    let rim = cuts.cuts.iter().position(|c| c.line == Line::Rim { inner: false }).expect("a rim");
    assert!(cuts.cuts[rim].path.closed && cuts.before.iter().filter(|b| b.1 == rim).count() == 18);
    assert!((cuts.cuts.iter().map(Cut::shared).sum::<f64>() - 18.0 * side).abs() < 1.0);
    // At another distance nothing is shared.
    let (work, layout) = tiled(Path::rectangle(0.0, 0.0, 20.0, 20.0), &grid(4, 4, 20.5));
    assert!(plan(&work, &layout, Some(kerf)).sheets[0].cuts.iter().all(|c| c.line == Line::Drawn));
}

#[test]
fn hexagons_share_all_inner_edges() {
    let (kerf, side) = (0.3, 15.0);
    let corner = |i: usize| Point::ZERO + crate::geometry::Vec2::from_angle((i as f64 + 0.5) * std::f64::consts::FRAC_PI_3) * side;
    let (across, n) = (side * 3.0_f64.sqrt() + kerf, 6);
    let places: Vec<(f64, f64)> = (0..n * n)
        .map(|i| ((i % n) as f64, (i / n) as f64))
        .map(|(c, r)| (40.0 + (c + if r as usize % 2 == 1 { 0.5 } else { 0.0 }) * across, 40.0 + r * across * 0.75_f64.sqrt()))
        .collect();
    let (work, layout) = tiled(Path::polygon(&(0..6).map(corner).collect::<Vec<_>>()), &places);
    let cuts = &plan(&work, &layout, Some(kerf)).sheets[0];
    // 6 n² sides by themselves; the rim has 8 n − 2, all others are shared by two.
    let rim = (8 * n - 2) as f64;
    let sides = ((6 * n * n) as f64 - rim) / 2.0 + rim;
    let edge = side + kerf / 3.0_f64.sqrt();
    assert!((total(cuts) / edge - sides).abs() < 0.6, "{} sides of {sides}", total(cuts) / edge);
    assert_eq!(cuts.cuts.iter().filter(|c| c.path.closed).count(), 1, "one rim");
}

/// A rectangle cut guillotine-wise into pieces, each then a kerf smaller than its room.
fn pieces(room: (f64, f64, f64, f64), cuts: &[(bool, f64)], out: &mut Vec<(f64, f64, f64, f64)>) {
    let (x, y, w, h) = room;
    match cuts.split_first() {
        Some(((true, share), rest)) if w * share.min(1.0 - share) > 8.0 => {
            pieces((x, y, w * share, h), &rest[..rest.len() / 2], out);
            pieces((x + w * share, y, w * (1.0 - share), h), &rest[rest.len() / 2..], out);
        }
        Some(((false, share), rest)) if h * share.min(1.0 - share) > 8.0 => {
            pieces((x, y, w, h * share), &rest[..rest.len() / 2], out);
            pieces((x, y + h * share, w, h * (1.0 - share)), &rest[rest.len() / 2..], out);
        }
        _ => out.push(room),
    }
}

proptest! {
    /// However boards meet, with corners on the middle of others' edges: the net is as long as the lines between the rooms, every
    /// place of every edge is made by one cut, and each copy's own line stays half a kerf off it.
    #[test]
    fn whatever_tiles_a_board_shares_every_inner_edge(ways in prop::collection::vec((prop::bool::ANY, 0.25..0.75_f64), 0..12), kerf in 0.1..1.5_f64) {
        let mut rooms = Vec::new();
        pieces((20.0, 20.0, 300.0, 200.0), &ways, &mut rooms);
        let paths: Vec<Path> = rooms.iter().map(|(x, y, w, h)| Path::rectangle(x + kerf / 2.0, y + kerf / 2.0, w - kerf, h - kerf)).collect();
        let (drawing, decisions) = cleaned(&outlines(&paths), 1);
        let (work, _) = assigned(&[drawing], &decisions, &Shop::builtin());
        let placed = work.parts.iter().map(|p| Placement { copy: copy(p.id, 1), x: 0.0, y: 0.0, angle: 0.0, mirrored: false }).collect();
        let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(900.0, 900.0), placed }], ..Layout::default() };
        let cuts = &plan(&work, &layout, Some(kerf)).sheets[0];
        // All lines between rooms and round them, each counted twice but for the rim.
        let all: f64 = rooms.iter().map(|r| 2.0 * (r.2 + r.3)).sum();
        let net = if rooms.len() == 1 { 1000.0 } else { (all + 1000.0) / 2.0 };
        // Corners of the rim are round, and a single board is cut as drawn.
        prop_assert!((total(cuts) - net).abs() < 5.0 * kerf + 0.1, "{} of {net}, {} rooms", total(cuts), rooms.len());
        for board in &work.parts {
            let edges: Vec<&Edge> = cuts.cuts.iter().flat_map(Cut::edges).filter(|e| e.copy.part == board.id).collect();
            if edges.len() == 1 { continue; }
            let made: f64 = edges.iter().map(|e| {
                let drawn = &work.items[e.item].contour.path;
                let length = (e.stretch.1.along(drawn) - e.stretch.0.along(drawn)).rem_euclid(drawn.length());
                if length > drawn.length() - 1e-3 { 0.0 } else { length }
            }).sum();
            prop_assert!((made - board.outline.length()).abs() < 0.1, "{made} of {}", board.outline.length());
        }
        for c in cuts.cuts.iter().filter(|c| c.line != Line::Drawn) {
            for k in 0..40 {
                let p = c.path.at(c.path.length() * (f64::from(k) + 0.5) / 40.0).0;
                let near = work.parts.iter().map(|b| b.outline.nearest(p).distance).fold(f64::INFINITY, f64::min);
                prop_assert!(near > kerf / 2.0 - 0.015 && near < kerf, "{near} at {p:?}");
                prop_assert!(work.parts.iter().all(|b| !b.outline.contains(p)));
            }
        }
        // The rim is the last of all.
        if rooms.len() > 1 {
            let rim = cuts.cuts.iter().position(|c| c.line == Line::Rim { inner: false }).expect("a rim");
            prop_assert_eq!(cuts.before.iter().filter(|b| b.1 == rim).count(), cuts.cuts.len() - 1);
        }
    }
}

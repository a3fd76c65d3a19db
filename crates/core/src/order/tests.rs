use super::*;
use crate::decisions::Decisions;
use crate::geometry::Affine;
use crate::ids::EdgePlace;
use crate::nest::Layout;
use crate::nest::Placement;
use crate::nest::{Sheet, SheetLayout};
use crate::shop::Shop;
use crate::testing::{cleaned, outlines};
use proptest::prelude::*;
use tour::Metric;

mod hand;

/// Boards with holes, laid out in rows as drawn.
fn job(boards: usize, holes: usize) -> (Work, Layout, Decisions) {
    let mut paths = vec![Path::rectangle(0.0, 0.0, 80.0, 60.0)];
    paths.extend((0..holes).map(|i| Path::circle(Point::new(8.0 + (i * 37 % 64) as f64, 8.0 + (i * 53 % 44) as f64), 0.4)));
    let (drawing, decisions) = cleaned(&outlines(&paths), 1);
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let part = work.parts.iter().find(|p| p.bounds.width() > 70.0).expect("the board").id;
    let placed = (0..boards)
        .map(|i| Placement { copy: crate::testing::copy(part, 0), x: (i * 7 % boards) as f64 * 90.0, y: 5.0, angle: 0.0, mirrored: false })
        .collect();
    (
        work,
        Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(boards as f64 * 90.0, 80.0), placed }], ..Layout::default() },
        decisions,
    )
}

fn lying(work: &Work, layout: &Layout, step: &Step) -> Path {
    let at: Affine = layout.sheets[0].placed[step.placement].affine();
    work.items[step.item].contour.path.transformed(at)
}

#[test]
fn travel_is_far_shorter_than_as_drawn() {
    let (work, layout, decisions) = job(7, 25);
    let sequence = crate::testing::ordered(&work, &layout, &decisions);
    let s = &sequence.sheets[0];
    assert_eq!(s.steps.len(), 7 * 26);
    assert!(s.travel < s.travel_as_drawn * 0.5, "{} against {}", s.travel, s.travel_as_drawn);
}

#[test]
fn a_part_in_a_hole_is_cut_before_the_hole() {
    let paths = [
        Path::rectangle(0.0, 0.0, 100.0, 80.0),
        Path::rectangle(20.0, 20.0, 60.0, 40.0),
        Path::circle(Point::new(50.0, 40.0), 15.0),
        Path::circle(Point::new(50.0, 40.0), 3.0),
    ];
    let (drawing, decisions) = cleaned(&outlines(&paths), 1);
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let placed =
        work.parts.iter().map(|p| Placement { copy: crate::testing::copy(p.id, 0), x: 5.0, y: 5.0, angle: 0.0, mirrored: false }).collect();
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(120.0, 90.0), placed }], ..Layout::default() };
    let sequence = crate::testing::ordered(&work, &layout, &decisions);
    let areas: Vec<i64> = sequence.sheets[0].steps.iter().map(|s| lying(&work, &layout, s).area().abs().round() as i64).collect();
    let mut sorted = areas.clone();
    sorted.sort_unstable();
    assert_eq!(areas, sorted, "from the inside out");
}

#[test]
fn a_start_set_by_hand_stays() {
    let (work, layout, mut decisions) = job(2, 1);
    let outline = work.parts[0].id;
    decisions.first_mut().order.starts.insert(outline.0, EdgePlace::Along(0.375));
    let sequence = crate::testing::ordered(&work, &layout, &decisions);
    let starts: Vec<f64> =
        sequence.sheets[0].steps.iter().filter(|s| work.items[s.item].contour.id == outline.0).map(|s| s.start).collect();
    assert!(starts.len() == 2 && starts.iter().all(|s| (s - 0.375).abs() < 1e-9), "every copy: {starts:?}");
}

#[test]
fn cuts_start_away_from_corners() {
    let (work, layout, decisions) = job(3, 4);
    let sequence = crate::testing::ordered(&work, &layout, &decisions);
    for step in &sequence.sheets[0].steps {
        let path = lying(&work, &layout, step);
        let start = path.at(step.start * path.length()).0;
        let lines = path.segments.iter().filter(|s| s.is_line());
        assert!(lines.map(|s| s.start.distance(start)).all(|d| d > 5.0), "at {start:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Every contour exactly once, and none after the one around it.
    #[test]
    fn inside_out_always(boards in 1..5_usize, holes in 0..30_usize, angle in 0..4_u32) {
        let (work, mut layout, decisions) = job(boards, holes);
        for p in &mut layout.sheets[0].placed {
            p.angle = f64::from(angle) * 90.0;
        }
        let sequence = crate::testing::ordered(&work, &layout, &decisions);
        let steps = &sequence.sheets[0].steps;
        let mut seen: Vec<(usize, usize)> = steps.iter().map(|s| (s.placement, s.item)).collect();
        seen.sort_unstable();
        seen.dedup();
        prop_assert_eq!(seen.len(), boards * (holes + 1));
        let paths: Vec<Path> = steps.iter().map(|s| lying(&work, &layout, s)).collect();
        // Known from how the boards were made, not asked of the code that gathers parts: what is small lies in its board.
        for board in 0..boards {
            let of_it: Vec<usize> = (0..steps.len()).filter(|i| steps[*i].placement == board).collect();
            let outline = of_it.iter().position(|i| paths[*i].bounds().height().max(paths[*i].bounds().width()) > 70.0);
            prop_assert_eq!(outline, Some(of_it.len() - 1), "board {}", board);
        }
        // A start away from the corner may cost half an edge more than one in it.
        prop_assert!(sequence.sheets[0].travel <= sequence.sheets[0].travel_as_drawn + 40.0);
    }
}

/// Stops with two ways in each, some around others: as in `after`, the number of the stop around it where that is higher.
fn stops(places: &[(f64, f64, f64)], after: &[usize]) -> Vec<tour::Stop> {
    let entry = |x: f64, y: f64| tour::Entry { arrive: Point::new(x, y), leave: Point::new(x, y), share: 0.0 };
    let stop = |(i, (x, y, r)): (usize, &(f64, f64, f64))| tour::Stop {
        entries: vec![entry(x - r, *y), entry(x + r, *y)],
        after: after.get(i).copied().filter(|a| *a > i && *a < places.len()).into_iter().collect(),
    };
    places.iter().enumerate().map(stop).collect()
}

/// The least travel of all orders and entries, by trying them.
fn least(stops: &[tour::Stop], at: Point, to: Option<Point>, done: &mut Vec<bool>) -> f64 {
    if done.iter().all(|d| *d) {
        return to.map_or(0.0, |to| at.distance(to));
    }
    let mut best = f64::INFINITY;
    for i in 0..stops.len() {
        if done[i] || (0..stops.len()).any(|k| !done[k] && stops[k].after.contains(&i)) {
            continue;
        }
        done[i] = true;
        for e in &stops[i].entries {
            best = best.min(at.distance(e.arrive) + least(stops, e.leave, to, done));
        }
        done[i] = false;
    }
    best
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// On a few contours the tour is the best there is, or hardly longer.
    #[test]
    fn small_tours_are_near_the_best(places in prop::collection::vec((0.0..300.0_f64, 0.0..200.0_f64, 1.0..30.0_f64), 1..7), after in prop::collection::vec(0..7_usize, 7), back in prop::option::of((0.0..300.0_f64, 0.0..200.0_f64))) {
        let stops = stops(&places, &after);
        let to = back.map(|(x, y)| Point::new(x, y));
        let found = tour::find(&stops, tour::Ends { to, ..tour::Ends::default() }, &Pins::default(), Metric::default());
        let best = least(&stops, Point::ZERO, to, &mut vec![false; stops.len()]);
        prop_assert!(found.travel <= best * 1.02 + 1e-6, "{} for {best}", found.travel);
    }
}

/// Many places strewn evenly: the shortest tour through n of them in an area A is about 0.7124 √(n A) (Beardwood, Halton and
/// Hammersley, 1959; the constant from Johnson and McGeoch, 1996), a little more where n is small.
#[test]
fn long_tours_are_near_what_is_known_to_be_best() {
    for n in [200_usize, 1000] {
        let mut dice = 7_u64;
        let mut next = || {
            dice = dice.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (dice >> 33) as f64 / f64::from(1_u32 << 31) * 1000.0
        };
        let places: Vec<(f64, f64, f64)> = (0..n).map(|_| (next(), next(), 0.0)).collect();
        let found = tour::find(&stops(&places, &[]), tour::Ends::default(), &Pins::default(), Metric::default());
        let best = 0.7124 * (n as f64 * 1e6).sqrt() * (1.0 + 0.33 / (n as f64).sqrt());
        assert!(found.travel < best * 1.05, "{n}: {} for about {best}", found.travel);
    }
}

#[test]
fn pictures_and_settings_come_in_their_turns() {
    use crate::decisions::JobSetting;
    use crate::drawing::Style;
    let style = |n: u8, fill: bool| Style { stroke: (!fill).then_some([n; 3]), fill: fill.then_some([n; 3]), ..Style::default() };
    let d = crate::testing::drawing(&[
        (Path::rectangle(0.0, 0.0, 100.0, 60.0), style(0, false)),
        (Path::rectangle(10.0, 10.0, 20.0, 10.0), style(1, true)),
        (Path::rectangle(40.0, 10.0, 20.0, 10.0), style(2, true)),
        (Path::rectangle(70.0, 10.0, 20.0, 10.0), style(3, true)),
        (Path::circle(Point::new(20.0, 45.0), 4.0), style(4, false)),
    ]);
    let (drawing, mut decisions) = crate::testing::cleaned(&d, 1);
    for n in 1..=3 {
        decisions.assign.keys.insert(style(n, true).key(), Process::Engrave);
    }
    let setting = |id| JobSetting {
        id,
        name: format!("{id}"),
        process: Process::Engrave,
        feed: None,
        power: None,
        passes: None,
        pitch: None,
        tool: None,
        kerf: None,
    };
    // The job lists 9 before 4, whatever their numbers.
    decisions.assign.settings = vec![setting(9), setting(4)];
    decisions.assign.key_settings = [(style(1, true).key(), 4), (style(2, true).key(), 9)].into();
    decisions.assign.settings.push(JobSetting { process: Process::Cut, ..setting(5) });
    decisions.assign.key_settings.insert(style(0, false).key(), 5);
    let shop = crate::shop::Shop::builtin();
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &shop);
    let placed =
        vec![crate::nest::Placement { copy: crate::testing::copy(work.parts[0].id, 0), x: 10.0, y: 10.0, angle: 0.0, mirrored: false }];
    let layout = Layout { sheets: vec![SheetLayout { sheet: crate::nest::Sheet::rectangle(300.0, 200.0), placed }], ..Layout::default() };
    let sequence = crate::testing::ordered(&work, &layout, &decisions);
    let turns: Vec<(Process, Option<u32>)> = sequence.sheets[0].steps.iter().map(|s| (s.process, work.items[s.item].setting)).collect();
    assert_eq!(
        turns,
        [
            (Process::Engrave, None),
            (Process::Engrave, Some(9)),
            (Process::Engrave, Some(4)),
            // The hole before its outline, though the outline has a setting of its own.
            (Process::Cut, None),
            (Process::Cut, Some(5)),
        ]
    );
}

/// Heat is spread where it can be: of places strewn over a sheet nearly all hops are as long as they should be, at little more
/// travel than that takes.
#[test]
fn spreading_keeps_its_distance_where_it_can() {
    let mut dice = 11_u64;
    let mut next = |most: f64| {
        dice = dice.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (dice >> 33) as f64 / f64::from(1_u32 << 31) * most
    };
    for n in [20_usize, 59, 150, 400] {
        let places: Vec<(f64, f64, f64)> = (0..n).map(|_| (next(900.0), next(600.0), 8.0)).collect();
        let after: Vec<usize> = (0..n).map(|i| if i % 3 == 0 { i + 1 } else { 0 }).collect();
        let stops = stops(&places, &after);
        for least in [60.0, 120.0] {
            let found = tour::find(&stops, tour::Ends::default(), &Pins::default(), Metric { least });
            let at = |k: usize| stops[found.order[k].0].entries[found.order[k].1];
            let kept = (1..n).filter(|k| at(k - 1).leave.distance(at(*k).arrive) >= least - 1e-6).count();
            println!("{n} {least}: {kept} of {} at {:.2} of the least", n - 1, found.travel / (least * n as f64));
            assert!(n - 1 - kept <= 1 + n / 20, "{n} {least}: {kept}");
        }
    }
}

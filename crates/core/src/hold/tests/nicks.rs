//! Nicks by rule and by hand.

use super::*;
use crate::decisions::NickWhich;
use crate::ids::EdgePlace;
use crate::nest::SheetLayout;
use crate::shop::Machine;

/// A plate with a hole, two copies, the second turned.
fn two() -> (Work, Layout, Decisions) {
    let (drawing, decisions) = cleaned(&outlines(&[Path::rectangle(0.0, 0.0, 120.0, 80.0), Path::circle(Point::new(60.0, 40.0), 12.0)]), 2);
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &Shop::builtin());
    let part = work.parts[0].id;
    let placed = [(20.0, 20.0, 0.0), (300.0, 30.0, 90.0)]
        .into_iter()
        .enumerate()
        .map(|(i, (x, y, angle))| Placement { copy: crate::testing::copy(part, i as u32 + 1), x, y, angle, mirrored: i == 1 })
        .collect();
    (work, Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(600.0, 400.0), placed }], ..Layout::default() }, decisions)
}

fn outlines_of(work: &Work, layout: &Layout, decisions: &Decisions, machine: usize) -> Vec<Op> {
    let shop = Shop::builtin();
    let (path, _) = crate::testing::held(work, layout, decisions, &shop.machines[machine], &shop);
    let mut ops: Vec<Op> = path.sheets[0].ops.iter().filter(|o| work.parts[0].outer == Some(o.item)).cloned().collect();
    ops.sort_by_key(|o| o.placement);
    ops
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Nicks that a hand set stand where they were set, in every copy however it lies, as wide as they should be, and nowhere else;
    /// so do they in one copy alone.
    #[test]
    fn nicks_by_hand_stand_where_they_were_set(
        at in prop::collection::vec((0..4_u32, 0.1..0.9_f64), 1..6), width in 0.2..1.5_f64, start in (0..4_u32, 0.0..1.0_f64), machine in 0..2_usize
    ) {
        let (work, layout, mut decisions) = two();
        let outline = work.parts[0].id.0;
        let places: Vec<EdgePlace> = at.iter().map(|(segment, share)| EdgePlace::On { segment: *segment, share: *share }).collect();
        let hold = &mut decisions.first_mut().hold;
        (hold.nick_width, hold.leads) = (Some(width), Some(false));
        hold.nick_places.insert(outline, places.clone());
        decisions.first_mut().order.starts.insert(outline, EdgePlace::On { segment: start.0, share: start.1 });
        let drawn = &work.items[work.parts[0].outer.expect("an outline")].contour.path;
        let ops = outlines_of(&work, &layout, &decisions, machine);
        prop_assert_eq!(ops.len(), 2);
        for op in &ops {
            let lies = drawn.transformed(layout.sheets[0].placed[op.placement].affine());
            let gap = width + op.kerf;
            let mut wanted: Vec<f64> = places.iter().map(|p| p.along(&lies)).collect();
            wanted.sort_by(f64::total_cmp);
            // Those that would run into each other are one.
            prop_assume!(wanted.windows(2).all(|w| w[1] - w[0] > 2.0 * gap) && wanted[0] + lies.length() - wanted[wanted.len() - 1] > 2.0 * gap);
            let nicks: Vec<Point> = op.line().nicks.iter().map(|n| n.0).collect();
            prop_assert_eq!(nicks.len(), wanted.len());
            for along in &wanted {
                let p = lies.at(*along).0;
                let near = nicks.iter().map(|n| n.distance(p)).fold(f64::INFINITY, f64::min);
                prop_assert!((near - op.kerf / 2.0).abs() < 0.02, "{near} beside where it was set");
            }
            // On straight edges what is not burned between two runs is the material left and a kerf.
            let runs = &op.line().runs;
            let ends = runs.iter().map(|r| (r[0].start, r[r.len() - 1].end)).collect::<Vec<_>>();
            let gaps: Vec<f64> = (0..ends.len()).map(|i| ends[i].1.distance(ends[(i + 1) % ends.len()].0)).filter(|g| *g > 1e-6).collect();
            prop_assert!(gaps.len() == wanted.len() && gaps.iter().all(|g| (g - gap).abs() < 0.02), "{gaps:?} for {gap}");
        }
        // In one copy alone.
        let (work, layout, mut decisions) = two();
        decisions.first_mut().hold.nicks = Some(false);
        decisions.first_mut().hold.copy_nicks.entry(layout.sheets[0].placed[1].copy).or_default().insert(outline, places);
        let ops = outlines_of(&work, &layout, &decisions, 0);
        prop_assert!(ops[0].line().nicks.is_empty() && !ops[1].line().nicks.is_empty());
    }
}

#[test]
fn the_rule_is_the_material_s_unless_the_job_says_otherwise() {
    let (work, layout, mut decisions) = two();
    let mut shop = Shop::builtin();
    let count = |shop: &Shop, decisions: &Decisions| {
        let (path, _) = crate::testing::held(&work, &layout, decisions, &shop.machines[0], shop);
        path.sheets[0].ops.iter().map(|o| o.line().nicks.len()).max().unwrap_or(0)
    };
    assert_eq!(count(&shop, &decisions), 4, "400 mm of outline, one per 120");
    let material = decisions.first().stock.material.clone();
    let own = shop.materials.iter_mut().find(|m| m.id == material).expect("the material");
    own.nicks.pitch = Some(60.0);
    assert_eq!(count(&shop, &decisions), 7);
    let own = shop.materials.iter_mut().find(|m| m.id == material).expect("the material");
    own.nicks.count = Some((2, 3));
    assert_eq!(count(&shop, &decisions), 3);
    decisions.first_mut().hold.nick_count = Some((5, 5));
    assert_eq!(count(&shop, &decisions), 5);
}

#[test]
fn which_contours_get_nicks_is_said() {
    let (work, layout, mut decisions) = two();
    let shop = Shop::builtin();
    let nicked = |decisions: &Decisions, slats: f64| {
        let machine = Machine { slat_pitch: slats, ..shop.machines[0].clone() };
        let (path, _) = crate::testing::held(&work, &layout, decisions, &machine, &shop);
        path.sheets[0].ops.iter().filter(|o| !o.line().nicks.is_empty()).count()
    };
    assert_eq!(nicked(&decisions, 20.0), 2);
    decisions.first_mut().hold.nick_which = NickWhich::All;
    assert_eq!(nicked(&decisions, 20.0), 4);
    decisions.first_mut().hold.nick_which = NickWhich::Small;
    assert_eq!((nicked(&decisions, 20.0), nicked(&decisions, 90.0)), (0, 2));
}

#[test]
fn a_long_thin_part_hangs_by_both_its_sides() {
    // A slat of 300 × 12 mm: six nicks by its outline; on one side alone it would swing about that side.
    for (width, height) in [(300.0, 12.0), (12.0, 300.0), (300.0, 5.0)] {
        let path = Path::rectangle(0.0, 0.0, width, height).started_at(20.0);
        let places = super::super::nicks::places(
            &path,
            &super::super::nicks::Rule { pitch: 120.0, count: (2, 8), gap: 0.6 },
            &super::super::nicks::Beside::default(),
        );
        let at: Vec<Point> = places.iter().map(|a| path.at(*a).0).collect();
        let (long, across): (fn(&Point) -> f64, f64) = if width > height { (|p| p.y, height) } else { (|p| p.x, width) };
        let (low, high) = (at.iter().filter(|p| long(p) < 0.01).count(), at.iter().filter(|p| long(p) > across - 0.01).count());
        assert!(low >= 2 && high >= 2, "{low} and {high} of {} at {at:?}", at.len());
    }
}

#[test]
fn nicks_keep_off_what_is_engraved() {
    let path = Path::rectangle(0.0, 0.0, 100.0, 60.0);
    let rule = super::super::nicks::Rule { pitch: 60.0, count: (2, 8), gap: 0.6 };
    // Lettering runs up to the upper edge over most of its length.
    let beside = super::super::nicks::Beside {
        engraved: vec![Path::rectangle(10.0, 50.0, 80.0, 9.5)],
        off: 1.8,
        ..super::super::nicks::Beside::default()
    };
    let near = |beside: &super::super::nicks::Beside| {
        let places = super::super::nicks::places(&path, &rule, beside);
        assert!(places.len() >= 4);
        places.iter().map(|a| path.at(*a).0).filter(|p| p.y > 58.0 && (8.5..91.5).contains(&p.x)).count()
    };
    assert!(near(&super::super::nicks::Beside::default()) > 0, "without it one stands there");
    assert_eq!(near(&beside), 0);
}

/// What is drawn of many short lines is held as the curve that it stands for: discs of any number of sides, a small one, an edge of
/// scallops. What has no room for a bridge is told. The sums are the test's own.
#[test]
fn curvature_is_judged_over_a_length() {
    let disc = |sides: usize, r: f64| {
        let corner =
            |k: usize| Point::new(60.0, 60.0) + crate::geometry::Vec2::from_angle(k as f64 * std::f64::consts::TAU / sides as f64) * r;
        Path::polygon(&(0..sides).map(corner).collect::<Vec<_>>())
    };
    let scalloped = {
        // Thirty half circles of 3 mm round a disc.
        let corner = |k: usize| Point::new(60.0, 60.0) + crate::geometry::Vec2::from_angle(k as f64 * std::f64::consts::TAU / 30.0) * 28.7;
        let bump = |k: usize| Segment { start: corner(k), end: corner(k + 1), bulge: 1.0 };
        Path::new((0..30).map(bump).collect(), true)
    };
    let of = |path: Path| {
        let (held, findings, ..) = held(&[path], "lark", |_| {});
        let nicks: Vec<Point> = held.sheets[0].ops.iter().flat_map(|o| o.line().nicks.iter().map(|n| n.0)).collect();
        (nicks, findings.iter().any(|f| f.code == "not-held"))
    };
    for sides in [24, 36, 60, 120, 240, 300, 360, 420, 480, 600, 900] {
        let (nicks, told) = of(disc(sides, 50.0));
        assert!(nicks.len() >= 2 && !told, "{sides} sides: {nicks:?}");
    }
    for r in [3.5, 5.0, 8.0] {
        assert!(of(disc(90, r)).0.len() >= 2, "a disc of {} mm", 2.0 * r);
        assert!(of(Path::circle(Point::new(60.0, 60.0), r)).0.len() >= 2, "a round one of {} mm", 2.0 * r);
    }
    assert!(of(scalloped).0.len() >= 2, "a scalloped edge");
    // So small that a third of its edge is less than a bridge.
    let (nicks, told) = of(Path::circle(Point::new(60.0, 60.0), 0.2));
    assert!(nicks.is_empty() && told, "{nicks:?}");
}

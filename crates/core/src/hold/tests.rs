use super::kerf::{Offset, Side, offset};
use super::*;
use crate::assign;
use crate::decisions::{Decisions, Edit, NestEdit, OnBatch};
use crate::finding::Severity;
use crate::geometry::{Affine, Path, Point, Segment, Vec2};
use crate::nest::{Placement, Sheet};
use crate::shop::Shop;
use crate::testing::{cleaned, drawing, lying, outlines};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

mod blocks;
mod corners;
mod falls;
mod leads;
mod nicks;
mod pictures;

fn whole(o: Offset) -> Path {
    match o {
        Offset::Whole(p) | Offset::Largest(p) => p,
        Offset::Nothing => panic!("it vanished"),
    }
}

/// A job of one drawing laid on one sheet as it was drawn, 30 mm in.
fn held(paths: &[Path], machine: &str, decide: impl Fn(&mut Decisions)) -> (Toolpath, Vec<Finding>, Work, Layout) {
    let (drawing, mut decisions) = cleaned(&outlines(paths), 1);
    let plasma = machine == "anvil";
    decisions.first_mut().stock = crate::decisions::Stock {
        machine: machine.into(),
        material: if plasma { "mild-steel" } else { "birch-ply" }.into(),
        thickness: if plasma { 6.0 } else { 3.0 },
    };
    decide(&mut decisions);
    let shop = Shop::builtin();
    let (work, _) = crate::testing::assigned(&[drawing], &decisions, &shop);
    let placed = work
        .parts
        .iter()
        .map(|p| Placement { copy: crate::testing::copy(p.id, 0), x: 30.0, y: 30.0, angle: 0.0, mirrored: false })
        .collect();
    let layout = Layout { sheets: vec![crate::nest::SheetLayout { sheet: Sheet::rectangle(700.0, 500.0), placed }], ..Layout::default() };
    let (toolpath, findings) = crate::testing::held(&work, &layout, &decisions, shop.machine(machine).expect("a machine"), &shop);
    (toolpath, findings, work, layout)
}

#[test]
fn kerf_keeps_arcs_and_gives_the_known_areas() {
    let circle = Path::circle(Point::new(5.0, 5.0), 10.0);
    let grown = whole(offset(&circle, 0.8, Side::Outside));
    assert!((grown.area().abs() - PI * 10.8 * 10.8).abs() < 1e-6);
    assert!(grown.segments.iter().all(|s| !s.is_line()) && grown.segments.len() == 2, "still a circle");
    let shrunk = whole(offset(&circle.reversed(), 0.8, Side::Inside));
    assert!((shrunk.area().abs() - PI * 9.2 * 9.2).abs() < 1e-6, "whichever way it is drawn");
    // Round a convex corner the cut goes in an arc: A + P k + π k².
    let square = Path::rectangle(0.0, 0.0, 40.0, 30.0);
    assert!((whole(offset(&square, 0.5, Side::Outside)).area().abs() - (1200.0 + 140.0 * 0.5 + PI * 0.25)).abs() < 1e-6);
    assert!((whole(offset(&square, 0.5, Side::Inside)).area().abs() - 39.0 * 29.0).abs() < 1e-6);
}

#[test]
fn what_is_narrower_than_the_kerf_is_found() {
    assert!(matches!(offset(&Path::circle(Point::ZERO, 0.7), 0.8, Side::Inside), Offset::Nothing));
    let dumbbell = Path::polygon(
        &[
            (0.0, 0.0),
            (10.0, 0.0),
            (10.0, 4.5),
            (20.0, 4.5),
            (20.0, 0.0),
            (30.0, 0.0),
            (30.0, 10.0),
            (20.0, 10.0),
            (20.0, 5.5),
            (10.0, 5.5),
            (10.0, 10.0),
            (0.0, 10.0),
        ]
        .map(|(x, y)| Point::new(x, y)),
    );
    assert!(matches!(offset(&dumbbell, 0.8, Side::Inside), Offset::Largest(_)));
    let (_, findings, _, _) = held(&[Path::rectangle(0.0, 0.0, 100.0, 80.0), Path::circle(Point::new(50.0, 40.0), 0.6)], "anvil", |_| {});
    assert!(findings.iter().any(|f| f.code == "hole-vanishes" && f.severity == Severity::Stop));
    let (_, findings, _, _) = held(&[Path::rectangle(0.0, 0.0, 100.0, 80.0), Path::circle(Point::new(50.0, 40.0), 2.5)], "anvil", |_| {});
    assert!(findings.iter().any(|f| f.code == "small-holes"), "5 mm in 6 mm plate");
}

#[test]
fn nicks_by_perimeter_leave_their_width_and_surround_the_centre() {
    let (toolpath, _, _, _) = held(&[Path::rectangle(0.0, 0.0, 200.0, 120.0), Path::circle(Point::new(60.0, 60.0), 20.0)], "lark", |_| {});
    let ops = &toolpath.sheets[0].ops;
    assert!(ops[0].line().nicks.is_empty(), "a hole's drop-out is not held");
    let outer = &ops[1];
    assert_eq!(outer.line().nicks.len(), 6, "640 mm, one per 120");
    let kerf = 0.18;
    // The gap of the program is nick and kerf, so that the nick is left.
    let offset_length = 640.0 + TAU * kerf / 2.0;
    assert!((outer.length() - (offset_length - 6.0 * (0.4 + kerf))).abs() < 1e-6);
    for (at, _) in &outer.line().nicks {
        let corner = [(30.0, 30.0), (230.0, 30.0), (230.0, 150.0), (30.0, 150.0)]
            .iter()
            .map(|(x, y)| at.distance(Point::new(*x, *y)))
            .fold(f64::INFINITY, f64::min);
        assert!(corner > 2.0, "away from corners");
        assert!(outer.start().is_some_and(|s| s.distance(*at) > 2.0), "away from the start");
    }
    let center = Point::new(130.0, 90.0);
    let mut angles: Vec<f64> = outer.line().nicks.iter().map(|(at, _)| (*at - center).atan2()).collect();
    angles.sort_by(f64::total_cmp);
    assert!(angles.windows(2).all(|w| w[1] - w[0] < PI) && angles[0] + TAU - angles[5] < PI, "it cannot hinge");
}

#[test]
fn small_parts_get_two_nicks_and_tiny_ones_none() {
    let count = |size: f64| held(&[Path::rectangle(0.0, 0.0, size, size)], "lark", |_| {}).0.sheets[0].ops[0].line().nicks.len();
    assert_eq!((count(20.0), count(400.0), count(0.4)), (2, 8, 0));
    assert!(
        held(&[Path::rectangle(0.0, 0.0, 90.0, 90.0)], "lark", |d| d.first_mut().hold.nicks = Some(false)).0.sheets[0].ops[0]
            .line()
            .nicks
            .is_empty()
    );
}

#[test]
fn leads_begin_in_the_scrap_and_arrive_along_the_contour() {
    let (toolpath, findings, work, layout) = held(
        &[Path::rectangle(0.0, 0.0, 200.0, 120.0), Path::circle(Point::new(60.0, 60.0), 20.0), Path::circle(Point::new(120.0, 60.0), 4.0)],
        "anvil",
        |_| {},
    );
    assert!(findings.is_empty(), "{findings:?}");
    let at = layout.sheets[0].placed[0].affine();
    for op in &toolpath.sheets[0].ops {
        let (lead, first) = (op.line().lead_in.last().expect("a lead"), op.line().runs[0][0]);
        assert!(lead.end.distance(first.start) < 1e-9 && lead.direction(1.0).dot(first.direction(0.0)) > 0.999_99, "along the tangent");
        let outline = work.items[op.item].contour.path.transformed(at);
        let outer = outline.bounds().width() > 100.0;
        assert_eq!(outline.contains(lead.start), !outer, "the pierce is in the scrap");
        assert!(outline.nearest(lead.start).distance > 0.8, "clear of the part by half the kerf");
        // The torch's good side is its right: outlines clockwise, holes the other way.
        let area = Path::new(op.line().runs.concat(), true).area();
        assert_eq!(area < 0.0, outer);
    }
}

#[test]
fn a_lead_that_finds_no_room_is_told() {
    // A hole with a plug that fills it but for a slit.
    let ring =
        [Path::rectangle(0.0, 0.0, 100.0, 100.0), Path::circle(Point::new(50.0, 50.0), 30.0), Path::circle(Point::new(50.0, 50.0), 27.5)];
    let (_, findings, _, _) = held(&ring, "anvil", |_| {});
    // The first of the two would pierce on its line, the second beside the slit that is open by then.
    let count = |code: &str| findings.iter().filter(|f| f.code == code).map(|f| f.count).sum::<usize>();
    assert_eq!((count("no-lead"), count("pierce-in-cut")), (1, 1), "{findings:?}");
}

#[test]
fn engraved_rows_cover_the_area_there_and_back() {
    let letter = crate::drawing::Style { fill: Some([0; 3]), text: true, winding: true, ..Default::default() };
    let line = crate::drawing::Style { stroke: Some([0; 3]), ..Default::default() };
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 80.0, 60.0), line),
        (Path::rectangle(10.0, 10.0, 40.0, 30.0), letter.clone()),
        (Path::rectangle(20.0, 20.0, 10.0, 10.0).reversed(), letter.clone()),
        (Path::rectangle(45.0, 15.0, 15.0, 20.0), letter),
    ]);
    let (cleaned, decisions) = cleaned(&d, 1);
    let shop = Shop::builtin();
    let (work, _) = crate::testing::assigned(&[cleaned], &decisions, &shop);
    let layout = Layout {
        sheets: vec![SheetLayout {
            sheet: Sheet::rectangle(100.0, 80.0),
            placed: vec![Placement { copy: crate::testing::copy(work.parts[0].id, 0), x: 8.0, y: 8.0, angle: 0.0, mirrored: false }],
        }],
        ..Layout::default()
    };
    let (toolpath, _) = crate::testing::held(&work, &layout, &decisions, &shop.machines[0], &shop);
    let op = &toolpath.sheets[0].ops[0];
    // 40 × 30 less its opening, and of the second what lies beyond the first.
    let expected = 1200.0 - 100.0 + 10.0 * 20.0;
    assert!((op.area() - expected).abs() < 0.005 * expected, "{} for {expected}", op.area());
    assert!(op.rows().windows(2).all(|w| w[0].backward != w[1].backward && w[1].at > w[0].at));
    assert!(op.rows().iter().flat_map(|r| &r.spans).all(|s| s.1 > s.0));
    assert_eq!(op.process, assign::Process::Engrave, "before the cuts");
}

/// A sheet with copies of one drawing at these places, planned on the laser.
fn laid(d: &crate::drawing::Drawing, at: &[(f64, f64)], decide: impl Fn(&mut Decisions)) -> (Toolpath, Vec<Finding>, Layout) {
    let (cleaned, mut decisions) = cleaned(d, 1);
    decide(&mut decisions);
    let shop = Shop::builtin();
    let (work, _) = crate::testing::assigned(&[cleaned], &decisions, &shop);
    let part = work.parts[0].id;
    let placed =
        at.iter().map(|(x, y)| Placement { copy: crate::testing::copy(part, 0), x: *x, y: *y, angle: 0.0, mirrored: false }).collect();
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(900.0, 600.0), placed }], ..Layout::default() };
    let (toolpath, findings) = crate::testing::held(&work, &layout, &decisions, &shop.machines[0], &shop);
    (toolpath, findings, layout)
}

/// A plate with two engraved bars.
fn plate() -> crate::drawing::Drawing {
    let fill = crate::drawing::Style { fill: Some([0; 3]), ..Default::default() };
    let line = crate::drawing::Style { stroke: Some([0; 3]), ..Default::default() };
    drawing(&[
        (Path::rectangle(0.0, 0.0, 60.0, 40.0), line),
        (Path::rectangle(8.0, 8.0, 44.0, 9.0), fill.clone()),
        (Path::rectangle(8.0, 22.0, 30.0, 9.0), fill),
    ])
}

fn engraves(d: &mut Decisions) {
    d.assign.keys.insert("layer=|fill=#000000".into(), assign::Process::Engrave);
}

#[test]
fn plates_out_of_line_are_told_with_what_they_cost_and_lined_up() {
    let place = |jitter: f64| -> Vec<(f64, f64)> {
        (0..24)
            .map(|i| (10.0 + f64::from(i % 6) * 70.0, 10.0 + f64::from(i / 6) * 50.0 + jitter * f64::from((i * 7) % 11) / 10.0))
            .collect()
    };
    let (straight, findings, _) = laid(&plate(), &place(0.0), engraves);
    assert!(findings.iter().all(|f| f.code != "out-of-line"));
    let (jittered, findings, _) = laid(&plate(), &place(1.0), engraves);
    let cost = jittered.sheets[0].swept.planned - straight.sheets[0].swept.planned;
    assert!(cost > 5.0, "rows that do not coincide cost: {cost}");
    let told = findings.iter().find(|f| f.code == "out-of-line").expect("it is told");
    assert!(told.text.contains("in 4 lines") && told.text.contains("1.00 mm"), "{}", told.text);
    let Edit::Nest(OnBatch { edit: NestEdit::KeepLayout { layout }, .. }) = &told.remedies[0].edit else { panic!("a layout") };
    let at: Vec<(f64, f64)> = layout.sheets[0].placed.iter().map(|p| (p.x, p.y)).collect();
    let (mended, findings, _) = laid(&plate(), &at, engraves);
    assert!(
        (mended.sheets[0].swept.planned - straight.sheets[0].swept.planned).abs() < 0.5 && findings.iter().all(|f| f.code != "out-of-line")
    );
}

#[test]
fn engraving_takes_less_than_full_width_and_goes_the_way_it_is_told() {
    let at = [(10.0, 10.0), (700.0, 400.0)];
    let (path, _, _) = laid(&plate(), &at, engraves);
    let swept = path.sheets[0].swept;
    assert!(swept.planned < swept.full * 0.3, "{swept:?}");
    assert!(path.sheets[0].ops.iter().filter(|o| o.process == assign::Process::Engrave).count() >= 2, "far ones are swept apart");
    let (turned, _, _) = laid(&plate(), &at, |d| {
        engraves(d);
        d.first_mut().hold.sweep = crate::decisions::Sweep { angle: Some(30.0), one_way: true };
    });
    let rows: Vec<&Row> = turned.sheets[0].ops.iter().flat_map(super::op::Op::rows).collect();
    assert!(rows.iter().all(|r| !r.backward && (r.way.atan2() - 30_f64.to_radians()).abs() < 1e-12));
    let area: f64 = turned.sheets[0].ops.iter().map(super::op::Op::area).sum();
    assert!((area - 2.0 * (44.0 * 9.0 + 30.0 * 9.0)).abs() < 5.0, "{area}");
    assert!(turned.sheets[0].swept.planned > swept.planned);
}

#[test]
fn deep_and_light_engraving_go_one_after_the_other_with_their_own_settings() {
    use crate::decisions::JobSetting;
    let fill = |c: u8| crate::drawing::Style { fill: Some([c; 3]), ..Default::default() };
    let d = drawing(&[
        (Path::rectangle(0.0, 0.0, 60.0, 40.0), crate::drawing::Style { stroke: Some([0; 3]), ..Default::default() }),
        (Path::rectangle(8.0, 8.0, 44.0, 9.0), fill(0)),
        (Path::rectangle(8.0, 22.0, 30.0, 9.0), fill(128)),
    ]);
    let setting = |id, name: &str, power, passes| JobSetting {
        id,
        name: name.into(),
        process: assign::Process::Engrave,
        feed: None,
        power: Some(power),
        passes: Some(passes),
        pitch: Some(0.2),
        tool: None,
        kerf: None,
    };
    let (path, _, _) = laid(&d, &[(10.0, 10.0)], |d| {
        for c in ["#000000", "#808080"] {
            d.assign.keys.insert(format!("layer=|fill={c}"), assign::Process::Engrave);
        }
        d.assign.settings = vec![setting(7, "deep", 40.0, 2), setting(3, "light", 10.0, 1)];
        d.assign.key_settings = [("layer=|fill=#808080".to_owned(), 3), ("layer=|fill=#000000".to_owned(), 7)].into();
    });
    let ops: Vec<(f64, u32, f64)> =
        path.sheets[0].ops.iter().filter(|o| o.process == assign::Process::Engrave).map(|o| (o.power, o.passes, o.pitch())).collect();
    assert_eq!(ops, [(40.0, 2, 0.2), (10.0, 1, 0.2)], "in the order in which the job lists them");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// The oracle of rows: whatever is filled is burned once, and nothing else is.
    #[test]
    fn rows_burn_just_what_is_filled_and_nothing_twice(
        shapes in prop::collection::vec((0.0..40.0_f64, 0.0..30.0_f64, 2.0..12.0_f64, 0..3_u32, any::<bool>(), 3..7_usize), 1..8),
        angle in prop::option::of(0.0..180.0_f64),
    ) {
        let paths: Vec<(Path, u32, bool)> = shapes
            .iter()
            .map(|(x, y, r, element, winding, corners)| {
                let n = *corners as f64;
                let points: Vec<Point> = (0..*corners).map(|i| Point::new(*x, *y) + *r * Vec2::from_angle(i as f64 / n * TAU + *x)).collect();
                // What is drawn in one element has one rule.
                let winding = shapes.iter().find(|s| s.3 == *element).map_or(*winding, |s| s.4);
                (Path::polygon(&points), *element + 1, winding)
            })
            .collect();
        let mut d = drawing(&[]);
        for (path, compound, winding) in &paths {
            let style = d.style(&crate::drawing::Style { fill: Some([0; 3]), winding: *winding, ..Default::default() });
            let curves = path.segments.iter().map(crate::geometry::Curve::segment).collect();
            d.entities.push(crate::drawing::Entity { style, shape: crate::drawing::Shape::Path { curves, closed: true }, compound: *compound });
        }
        d.read = paths.len();
        let pitch = 0.1;
        let (path, _, _) = laid(&d, &[(60.0, 60.0)], |d| {
            engraves(d);
            d.first_mut().hold.sweep.angle = angle;
        });
        let rows: Vec<&Row> = path.sheets[0].ops.iter().flat_map(super::op::Op::rows).collect();
        let shift = Vec2::new(60.0, 60.0);
        let filled = |p: Point| {
            (1..=3).any(|element| {
                let mine: Vec<&(Path, u32, bool)> = paths.iter().filter(|q| q.1 == element).collect();
                let around = mine.iter().filter(|q| q.0.contains(p)).count();
                mine.first().is_some_and(|q| if q.2 { around > 0 } else { around % 2 == 1 })
            })
        };
        for i in 0..600 {
            // Never just between two rows.
            let off_the_middle = |v: f64| (v / pitch).floor() * pitch + 0.37 * pitch;
            let p = Point::new(off_the_middle(-12.0 + 64.0 * ((f64::from(i) * 0.618_034).fract())), off_the_middle(-12.0 + 54.0 * (f64::from(i) / 600.0)));
            if paths.iter().any(|q| q.0.nearest(p).distance < 2.0 * pitch) {
                continue;
            }
            let q = p + shift;
            let burned = rows
                .iter()
                .filter(|r| {
                    let off = r.way.turn_90().dot(q.to_vec2()) - r.at;
                    let along = r.way.dot(q.to_vec2());
                    (-pitch / 2.0..pitch / 2.0).contains(&off) && r.spans.iter().any(|s| s.0 <= along && along <= s.1)
                })
                .count();
            prop_assert_eq!(burned, usize::from(filled(p)), "at {:?}", p);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// Any star-shaped outline: moved out and back in, the area follows the perimeter.
    #[test]
    fn offset_area_follows_the_perimeter(radii in prop::collection::vec(20.0..60.0_f64, 5..20), by in 0.05..1.0_f64) {
        let n = radii.len() as f64;
        let points: Vec<Point> = radii.iter().enumerate().map(|(i, r)| (*r * Vec2::from_angle(i as f64 / n * TAU)).to_point()).collect();
        let path = Path::polygon(&points);
        let grown = whole(offset(&path, by, Side::Outside));
        let change = grown.area().abs() - path.area().abs();
        prop_assert!(change > 0.0 && change < path.length() * by + PI * by * by + 1e-6);
        for s in &grown.segments {
            prop_assert!((path.nearest(s.at(0.5)).distance - by).abs() < 1e-3);
        }
        let nicks = super::nicks::places(&grown, &super::nicks::Rule { pitch: 120.0, count: (2, 8), gap: 0.6 }, &super::nicks::Beside::default());
        let wanted = ((grown.length() / 120.0) as usize + 1).min(8);
        prop_assert!((2..=wanted.max(2)).contains(&nicks.len()), "{} of {wanted}", nicks.len());
        prop_assert!(nicks.windows(2).all(|w| w[1] - w[0] > 0.6));
        let cut: f64 = super::nicks::split(&grown, &nicks, 0.6).iter().flatten().map(Segment::length).sum();
        prop_assert!((cut - (grown.length() - nicks.len() as f64 * 0.6)).abs() < 1e-6);
    }

    /// Plasma cuts of a plate with holes: every lead keeps clear of all material.
    #[test]
    fn leads_never_touch_a_part(holes in prop::collection::vec((15.0..185.0_f64, 15.0..105.0_f64, 2.0..9.0_f64), 0..6), turn in 0.0..TAU) {
        let turn = Affine::translate(Vec2::new(220.0, 160.0)) * Affine::rotate(turn) * Affine::translate(Vec2::new(-100.0, -60.0));
        let mut paths = vec![Path::rectangle(0.0, 0.0, 200.0, 120.0)];
        for (x, y, r) in holes {
            if paths[1..].iter().all(|p| p.bounds().center().distance(Point::new(x, y)) > 22.0) {
                paths.push(Path::circle(Point::new(x, y), r));
            }
        }
        let paths: Vec<Path> = paths.iter().map(|p| p.transformed(turn)).collect();
        let (toolpath, _, work, layout) = held(&paths, "anvil", |_| {});
        let at = layout.sheets[0].placed[0].affine();
        let part = &work.parts[0];
        let outline = part.outline.transformed(at);
        for op in &toolpath.sheets[0].ops {
            for lead in op.line().lead_in.iter().chain(&op.line().lead_out) {
                for i in 0..=20 {
                    let q = lead.at(f64::from(i) / 20.0);
                    let in_hole = part.holes.iter().any(|h| work.items[*h].contour.path.transformed(at).contains(q));
                    prop_assert!(!outline.contains(q) || in_hole);
                    prop_assert!(outline.nearest(q).distance > op.kerf / 2.0 - 0.05);
                }
            }
        }
    }
}

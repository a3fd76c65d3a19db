//! Edges in common, from the nest to the program: once and only once, every part true to size.

use super::{Job, codes, steel};
use boustrophe_core::decisions::{HoldEdit, NestEdit, Stock};
use boustrophe_core::finding::{Finding, Severity, Station};
use boustrophe_core::geometry::{Point, Segment};
use boustrophe_core::hold::Op;
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::Sheet;
use boustrophe_core::proof::{Action, interpret};
use boustrophe_core::route::Route;
use boustrophe_house::played;

/// An SVG of closed outlines, in mm.
fn svg(outlines: &[Vec<(f64, f64)>]) -> Vec<u8> {
    let path = |o: &Vec<(f64, f64)>| {
        let points: Vec<String> = o.iter().map(|(x, y)| format!("{x},{y}")).collect();
        format!("<path d=\"M{} Z\" fill=\"none\" stroke=\"#000\"/>", points.join(" L"))
    };
    let body: String = outlines.iter().map(path).collect();
    format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"600mm\" height=\"400mm\" viewBox=\"0 0 600 400\">{body}</svg>").into_bytes()
}

fn square(x: f64, y: f64, side: f64) -> Vec<(f64, f64)> {
    vec![(x, y), (x + side, y), (x + side, y + side), (x, y + side)]
}

fn open(route: &Route) -> Vec<&Finding> {
    route.findings.iter().filter(|f| f.severity != Severity::Note).collect()
}

/// What the program burns, by a reading of its own; the lines alone, leads and all.
fn burned(job: &Job, route: &Route, sheet: usize) -> Vec<Segment> {
    let actions = interpret(&job.text(route, sheet)).expect("it reads");
    let lit = |a: Action| if let Action::Move { path, power, .. } = a { (power > 0.0).then_some(path) } else { None };
    actions.into_iter().filter_map(lit).collect()
}

/// Distance of a place to what is burned, mm.
fn nearest(burned: &[Segment], p: Point) -> f64 {
    burned.iter().map(|s| s.distance(p)).fold(f64::INFINITY, f64::min)
}

/// A hundred squares on one sheet, sharing edges, without nicks.
fn squares(side: f64, stock: Stock, room: (f64, f64)) -> Job {
    let mut job = Job::of(&[("squares.svg", svg(&[square(10.0, 10.0, side)]))], stock);
    job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
    job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(room.0, room.1)] }.on(BatchId::FIRST));
    job.mend();
    let part = job.route().work.parts[0].id;
    job.edit(&NestEdit::SetQuantity { part, quantity: 100 }.on(BatchId::FIRST));
    job.edit(&HoldEdit::SetNicks { on: false }.on(BatchId::FIRST));
    job
}

#[test]
fn a_hundred_squares_are_cut_along_twenty_two_sides_of_ten() {
    // The sheet has room for ten by ten and no more.
    let side = 30.0;
    let mut job = squares(side, Stock::default(), (325.0, 325.0));
    job.nest(1, 6);
    let route = job.route();
    assert!(route.released(), "{:?}", open(&route));
    let b = route.first();
    assert_eq!((b.nested.layout.sheets.len(), b.nested.layout.copies().count()), (1, 100));
    let kerf = job.terms().common.expect("a kerf");
    let line = 10.0 * (side + kerf);
    assert!((route.ledger.cut - 22.0 * line).abs() < 2.0, "{} of {}", route.ledger.cut, 22.0 * line);
    assert!(b.proofs[0].pierces == 19, "{} pierces", b.proofs[0].pierces);
    // Each square true to size: on all four sides the cut's middle is half a kerf off, everywhere along them.
    let burned = burned(&job, &route, 0);
    for p in b.nested.layout.copies() {
        let outline = b.work.part(p.copy.part).expect("the square").outline.transformed(p.affine());
        for s in &outline.segments {
            for k in 1..8 {
                let off = nearest(&burned, s.at(f64::from(k) / 8.0));
                assert!((off - kerf / 2.0).abs() < 0.003, "{off} of {} at {:?}", kerf / 2.0, s.at(f64::from(k) / 8.0));
            }
        }
    }
    // With nicks on, all squares hang together and in the sheet, and the program is proved as well.
    job.edit(&HoldEdit::SetNicks { on: true }.on(BatchId::FIRST));
    let nicked = job.route();
    assert!(nicked.released(), "{:?}", open(&nicked));
    let ops = &nicked.first().toolpath.sheets[0].ops;
    let nicks: usize = ops.iter().map(|o| o.line().nicks.len()).sum();
    assert!((100..=220).contains(&nicks), "{nicks} nicks");
    let held = |o: &Op| !o.line().nicks.is_empty();
    assert!(ops.last().is_some_and(held), "the rim is held, and comes last");
    // Without common edges each is cut by itself, with twice the way.
    job.edit(&HoldEdit::SetNicks { on: false }.on(BatchId::FIRST));
    job.edit(&NestEdit::SetCommonEdges { on: false }.on(BatchId::FIRST));
    job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(600.0, 400.0)] }.on(BatchId::FIRST));
    job.nest(1, 4);
    let apart = job.route();
    assert!(apart.released() && apart.ledger.cut > 1.75 * route.ledger.cut, "{} and {}", apart.ledger.cut, route.ledger.cut);
}

#[test]
fn the_torch_enters_between_parts_from_outside() {
    let mut job = squares(60.0, steel(), (700.0, 700.0));
    let part = job.route().work.parts[0].id;
    job.edit(&NestEdit::SetQuantity { part, quantity: 9 }.on(BatchId::FIRST));
    job.nest(1, 6);
    let route = job.settled();
    let b = route.first();
    assert!(codes(&route.findings, Station::Proof).is_empty() && route.released(), "{:?}", open(&route));
    let outlines: Vec<_> =
        b.nested.layout.copies().map(|p| b.work.part(p.copy.part).expect("the square").outline.transformed(p.affine())).collect();
    for op in &b.toolpath.sheets[0].ops {
        let pierce = op.start().expect("it burns");
        let clear = outlines.iter().map(|o| o.nearest(pierce).distance).fold(f64::INFINITY, f64::min);
        assert!(clear > op.kerf, "the torch is lit {clear} mm from a part");
    }
}

/// A hole in a part that shares edges comes before all the lines that free the part; a wrong order is seen by Proof.
#[test]
fn holes_come_before_the_lines_that_free_their_part() {
    let ring = |x: f64| [square(x, 10.0, 40.0), square(x + 10.0, 20.0, 20.0)];
    let mut job = Job::of(&[("frames.svg", svg(&[ring(10.0), ring(80.0), ring(150.0), ring(220.0)].concat()))], Stock::default());
    job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
    job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(95.0, 95.0)] }.on(BatchId::FIRST));
    job.mend();
    job.nest(1, 6);
    let route = job.route();
    assert!(route.released(), "{:?}", open(&route));
    let ops = &route.first().toolpath.sheets[0].ops;
    let cuts = &route.first().plan.sheets[0].cuts;
    assert_eq!(cuts.iter().filter(|c| c.shared() > 0.0).count(), 2, "a cross within");
    let at = |f: &dyn Fn(&Op) -> bool| ops.iter().position(f).expect("an op");
    let last_hole = ops.iter().rposition(|o| cuts[o.cut].shared() == 0.0 && o.length() < 100.0).expect("holes");
    assert!(last_hole < at(&|o| cuts[o.cut].shared() > 0.0));
    // A program in which the rim comes first is refused.
    job.written_by(|order, to| {
        let mut path = order.path.clone();
        path.ops.reverse();
        boustrophe_core::release::write(&boustrophe_core::release::ProgramOrder { path: &path, ..*order }, to)
    });
    assert!(codes(&job.route().findings, Station::Proof).contains(&"outer-first"), "{:?}", open(&job.route()));
}

/// Right-angled triangles lie in pairs along their long sides, which a nest lays a few micrometres off; plates of steel in a block.
/// Each is one cut between two parts, and each part is as it was drawn.
#[test]
fn slanted_sides_are_shared_as_well() {
    let triangle = vec![(10.0, 10.0), (70.0, 10.0), (10.0, 55.0)];
    let mut job = Job::of(&[("gussets.svg", svg(&[triangle]))], Stock::default());
    job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
    job.edit(&HoldEdit::SetNicks { on: false }.on(BatchId::FIRST));
    job.edit(&NestEdit::SetTurn { turn: boustrophe_core::nest::Turn::Half }.on(BatchId::FIRST));
    job.mend();
    let part = job.route().work.parts[0].id;
    job.edit(&NestEdit::SetQuantity { part, quantity: 24 }.on(BatchId::FIRST));
    job.nest(1, 12);
    let route = job.route();
    assert!(route.released(), "{:?}", open(&route));
    let b = route.first();
    let perimeter = 24.0 * (60.0 + 45.0 + 75.0);
    assert!(route.ledger.cut < 0.85 * perimeter, "{} of {perimeter}", route.ledger.cut);
    let (kerf, burned) = (job.terms().common.expect("a kerf"), burned(&job, &route, 0));
    for p in b.nested.layout.copies() {
        for s in &b.work.part(p.copy.part).expect("it").outline.transformed(p.affine()).segments {
            for k in 1..8 {
                let off = nearest(&burned, s.at(f64::from(k) / 8.0));
                assert!((off - kerf / 2.0).abs() < 0.003, "{off} of {}", kerf / 2.0);
            }
        }
    }
}

#[test]
fn plates_of_steel_share_edges_whatever_their_number() {
    for quantity in [4, 7, 12] {
        let mut job = Job::of(&[("plates.svg", svg(&[vec![(10.0, 10.0), (130.0, 10.0), (130.0, 90.0), (10.0, 90.0)]]))], steel());
        job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
        job.mend();
        let part = job.route().work.parts[0].id;
        job.edit(&NestEdit::SetQuantity { part, quantity }.on(BatchId::FIRST));
        job.nest(1, 12);
        let route = job.settled();
        assert!(route.released(), "{quantity}: {:?}", open(&route));
    }
}

/// Corners that meet on a neighbour's side, and tiles that could lie otherwise: proved, and as much shared as there is.
#[test]
fn tiles_share_what_they_can() {
    let hexagon: Vec<(f64, f64)> =
        (0..6).map(|i| f64::from(i) * std::f64::consts::FRAC_PI_3).map(|a| (60.0 + 25.0 * a.cos(), 60.0 + 25.0 * a.sin())).collect();
    let gable = vec![(10.0, 10.0), (70.0, 10.0), (40.0, 60.0)];
    for (name, outline, quantity, most) in [("hexagons", hexagon, 40, 0.72), ("gables", gable, 30, 0.85)] {
        let mut job = Job::of(&[("tiles.svg", svg(&[outline]))], Stock::default());
        job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
        job.edit(&HoldEdit::SetNicks { on: false }.on(BatchId::FIRST));
        job.mend();
        let part = job.route().work.parts[0].id;
        job.edit(&NestEdit::SetQuantity { part, quantity }.on(BatchId::FIRST));
        job.nest(1, 60);
        let route = job.route();
        assert!(route.released(), "{name}: {:?}", open(&route));
        let b = route.first();
        let each = b.work.parts[0].outline.length();
        let share = route.ledger.cut / (each * f64::from(quantity));
        assert!(share < most, "{name}: {share} of the outlines are cut");
    }
}

/// Shapes by chance that share edges, on laser and torch: whatever the nest makes of them is proved, or has a way on.
#[test]
fn whatever_shares_edges_is_proved_on_either_machine() {
    let mut seed = 41_u64;
    let mut chance = move |below: u64| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) % below
    };
    let (mut met, mut apart) = (0.0, 0);
    for round in 0..played(24) {
        let mut outlines: Vec<Vec<(f64, f64)>> = Vec::new();
        let mut x = 10.0;
        for _ in 0..=chance(3) {
            let (w, h) = (60.0 + 10.0 * chance(8) as f64, 50.0 + 10.0 * chance(6) as f64);
            outlines.push(match chance(4) {
                0 => vec![(x, 10.0), (x + w, 10.0), (x, 10.0 + h)],
                1 => vec![
                    (x, 10.0),
                    (x + w, 10.0),
                    (x + w, 10.0 + h / 2.0),
                    (x + w / 2.0, 10.0 + h / 2.0),
                    (x + w / 2.0, 10.0 + h),
                    (x, 10.0 + h),
                ],
                _ => vec![(x, 10.0), (x + w, 10.0), (x + w, 10.0 + h), (x, 10.0 + h)],
            });
            if chance(2) == 0 {
                outlines.push(square(x + 10.0, 18.0, 14.0));
            }
            x += w + 20.0;
        }
        let stock = if round % 4 == 3 { Stock::default() } else { steel() };
        let machine = stock.machine.clone();
        let mut job = Job::of(&[("shapes.svg", svg(&outlines))], stock);
        job.edit(&NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST));
        job.edit(&HoldEdit::SetNicks { on: chance(2) == 0 }.on(BatchId::FIRST));
        job.mend();
        for part in job.route().work.parts.iter().map(|p| p.id).collect::<Vec<_>>() {
            let quantity = 2 + chance(8) as u32;
            job.edit(&NestEdit::SetQuantity { part, quantity }.on(BatchId::FIRST));
        }
        job.nest(1, 6);
        let route = job.settled();
        let shared: f64 = route.first().plan.sheets.iter().flat_map(|s| &s.cuts).map(boustrophe_core::cuts::Cut::shared).sum();
        if route.released() {
            met += shared;
            continue;
        }
        // A corner of one part may reach in between two others where their common edge ends: then each is cut by itself.
        let told: Vec<&str> =
            open(&route).iter().filter(|f| f.remedies.first().is_none_or(|r| !r.safe || r.loses)).map(|f| f.text.as_str()).collect();
        assert!(
            told.is_empty() && route.findings.iter().all(|f| f.code != "burned-twice"),
            "round {round} on {machine}: {:?}",
            open(&route)
        );
        let remedies: Vec<_> = open(&route).iter().map(|f| f.remedies[0].edit.clone()).collect();
        remedies.iter().for_each(|edit| job.edit(edit));
        job.nest(1, 6);
        let route = job.settled();
        assert!(route.released(), "round {round} on {machine}: {:?}", open(&route));
        apart += 1;
    }
    assert!(met > 400.0 * f64::from(played(24)) && apart < 3, "{met} mm of edges were in common, {apart} rounds went without");
}

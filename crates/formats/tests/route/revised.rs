//! A revision that came back from another writer: moved, turned, in inches, drawn from other corners and the other way round.

use crate::job::Job;
use crate::real::replacing;
use boustrophe_core::assign::Process;
use boustrophe_core::clean::Operation;
use boustrophe_core::clean::carry::carry;
use boustrophe_core::decisions::{AssignEdit, CleanEdit, Edit, HoldEdit, NestEdit, OrderEdit, Stock};
use boustrophe_core::geometry::Point;
use boustrophe_core::ids::{BatchId, ContourId, CutId, EdgePlace};
use boustrophe_core::route::Route;
use boustrophe_formats::read;
use boustrophe_house::played;
use proptest::prelude::*;
use std::fmt::Write as _;

/// How somebody writes the same plates.
#[derive(Clone, Copy, Debug)]
struct Writer {
    /// Inches, else mm.
    inches: bool,
    /// Outlines as polylines from this corner on; none for single lines.
    from: Option<usize>,
    /// The other way round.
    back: bool,
    /// Where the drawing lies, mm, and by so many quarters turned.
    place: (f64, f64, usize),
}

/// Three plates with a hole each.
fn drawn(w: Writer) -> Vec<u8> {
    let unit = if w.inches { 1 } else { 4 };
    let mut text = format!("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n{unit}\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n");
    let (s, c) = [(0.0, 1.0), (1.0, 0.0), (0.0, -1.0), (-1.0, 0.0)][w.place.2];
    let figure = |v: f64| if w.inches { format!("{:.5}", v / 25.4) } else { format!("{v:.4}") };
    let put = |x: f64, y: f64| (figure(c * x - s * y + w.place.0), figure(s * x + c * y + w.place.1));
    for (i, (wide, high)) in [(60.0, 40.0), (50.0, 30.0), (70.0, 20.0)].into_iter().enumerate() {
        let x0 = 100.0 * i as f64;
        let mut corners = vec![(x0, 0.0), (x0 + wide, 0.0), (x0 + wide, high), (x0, high)];
        if w.back {
            corners.reverse();
        }
        corners.rotate_left(w.from.unwrap_or(0));
        if w.from.is_some() {
            text += "0\nLWPOLYLINE\n8\n0\n90\n4\n70\n1\n";
            for (x, y) in &corners {
                let (x, y) = put(*x, *y);
                let _ = write!(text, "10\n{x}\n20\n{y}\n");
            }
        } else {
            for k in 0..4 {
                let ((a, b), (d, e)) = (put(corners[k].0, corners[k].1), put(corners[(k + 1) % 4].0, corners[(k + 1) % 4].1));
                let _ = write!(text, "0\nLINE\n8\n0\n10\n{a}\n20\n{b}\n11\n{d}\n21\n{e}\n");
            }
        }
        let (cx, cy) = put(x0 + 12.0, 9.0 + i as f64);
        let _ = write!(text, "0\nCIRCLE\n8\n0\n10\n{cx}\n20\n{cy}\n40\n{}\n", figure(3.0 + i as f64));
    }
    (text + "0\nENDSEC\n0\nEOF\n").into_bytes()
}

/// The outline of the plate of 60 × 40, wherever it lies, and the place that a share of its long sides is at.
fn large(route: &Route) -> (ContourId, boustrophe_core::geometry::Path) {
    let part = route.work.parts.iter().find(|p| (p.outline.area().abs() - 2400.0).abs() < 1.0).expect("the large plate");
    (part.id.0, part.outline.clone())
}

/// A place as seen from the plate's corner by its hole: along its long side and across, mm.
fn seen(route: &Route, at: Point) -> (f64, f64) {
    let part = route.work.parts.iter().find(|p| (p.outline.area().abs() - 2400.0).abs() < 1.0).expect("the large plate");
    let b = part.outline.bounds();
    let d = (at - b.center()).to_point();
    if b.width() > b.height() { (d.x.abs(), d.y.abs()) } else { (d.y.abs(), d.x.abs()) }
}

fn writer() -> impl Strategy<Value = Writer> {
    let place = (-300.0..300.0_f64, -300.0..300.0_f64, 0..4_usize);
    (any::<bool>(), prop::option::of(0..4_usize), any::<bool>(), place).prop_map(|(inches, from, back, (x, y, turn))| Writer {
        inches,
        from,
        back,
        place: (x.round(), y.round(), turn),
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(24)))]
    #[test]
    fn another_writers_revision_keeps_what_was_decided(now in writer(), said in any::<bool>()) {
        let before = drawn(Writer { inches: false, from: None, back: false, place: (0.0, 0.0, 0) });
        let mut job = Job::of(&[("plates.dxf", before.clone())], Stock::default());
        if said {
            let unit = boustrophe_core::drawing::Unit::Mm;
            job.edit(&Edit::Intake(boustrophe_core::decisions::IntakeEdit::SetUnit { drawing: 1, unit }));
        }
        // One hole is deleted by hand, another is scored; a start, a nick and a place in the order are set by hand.
        let work = job.route().work;
        let hole = |area: f64| work.items.iter().find(|i| (i.contour.area.abs() - area).abs() < 0.2).expect("a hole").contour.id;
        let (gone, scored) = (hole(std::f64::consts::PI * 16.0), hole(std::f64::consts::PI * 25.0));
        job.edit(&Edit::Clean(CleanEdit::Operate { drawing: 1, operation: Operation::Delete { contours: vec![gone] } }));
        job.edit(&Edit::Assign(AssignEdit::SetContours { contours: vec![scored], process: Some(Process::Score) }));
        let (plate, path) = large(&job.route());
        let at = EdgePlace::at(&path, path.nearest(Point::new(23.0, 40.0)).along);
        job.edit(&OrderEdit::SetStart { contour: plate, at: Some(at), copy: None }.on(BatchId::FIRST));
        let nick = EdgePlace::at(&path, path.nearest(Point::new(60.0, 11.0)).along);
        job.edit(&HoldEdit::SetNickPlaces { contour: plate, places: Some(vec![nick]), copy: None }.on(BatchId::FIRST));
        job.nest(1, 2);
        let route = job.route();
        let copy = route.first().nested.layout.sheets[0].placed.iter().find(|p| p.copy.part.0 == plate).expect("the plate").copy;
        job.edit(&OrderEdit::SetPlace { cut: CutId { copy, contour: plate, nth: 0 }, at: Some(1) }.on(BatchId::FIRST));
        job.edit(&NestEdit::SetQuantity { part: boustrophe_core::ids::PartId(plate), quantity: 2 }.on(BatchId::FIRST));

        let machine = job.shop.machine("lark").expect("lark").clone();
        let bytes = drawn(now);
        let (then, since) = (read("plates.dxf", &before).expect("it reads"), read("plates.dxf", &bytes).expect("it reads"));
        let unit = boustrophe_core::clean::carry::unit_now(&then, &since, job.decisions.drawing(1).expect("it"));
        let carried = carry((&then, &since, false), &job.decisions, 1, &machine, &job.shop.tolerance);
        job.edit(&replacing(carried));
        if let Some(unit) = unit {
            job.edit(&Edit::Intake(boustrophe_core::decisions::IntakeEdit::SetUnit { drawing: 1, unit }));
        }
        let mut again = Job::of(&[("plates.dxf", bytes)], Stock::default());
        again.decisions = job.decisions.clone();
        let route = again.route();
        prop_assert_eq!(route.work.parts.len(), 3, "{:?}", route.findings);
        prop_assert_eq!(route.work.parts.iter().map(|p| p.holes.len()).sum::<usize>(), 1, "what was deleted by hand stays so, what is scored is no hole");
        prop_assert_eq!(route.work.items.iter().filter(|i| i.process == Process::Score).count(), 1);
        let (plate, path) = large(&route);
        prop_assert_eq!(route.work.part(boustrophe_core::ids::PartId(plate)).map(|p| p.quantity), Some(2));
        let first = again.decisions.first();
        let start = first.order.starts.get(&plate).expect("its start");
        let (along, across) = seen(&route, path.at(start.along(&path)).0);
        prop_assert!((along - 7.0).abs() < 0.1 && (across - 20.0).abs() < 0.1, "the start is at {} {}", along, across);
        let nick = first.hold.nick_places.get(&plate).expect("its nick")[0];
        let (along, across) = seen(&route, path.at(nick.along(&path)).0);
        prop_assert!((along - 30.0).abs() < 0.1 && (across - 9.0).abs() < 0.1, "the nick is at {} {}", along, across);
        let pinned: Vec<ContourId> = first.order.places.keys().map(|c| c.contour).collect();
        prop_assert_eq!(pinned, vec![plate]);
        prop_assert!(first.order.places.keys().all(|c| c.copy.part.0 == plate));
    }
}

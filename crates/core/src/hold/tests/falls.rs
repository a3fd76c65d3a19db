//! What falls, tips and stays; small holes.

use super::*;
use crate::hold::{Fate, Slats, fate};
use crate::shop::Machine;

#[test]
fn a_piece_falls_between_slats_tips_on_one_and_rests_on_two() {
    let plate = |x: f64, w: f64| Path::rectangle(x, 0.0, w, 40.0);
    let of = |x: f64, w: f64| fate(&[plate(x, w)], plate(x, w).centroid(), Slats { pitch: 30.0, offset: 0.0 });
    assert_eq!(of(32.0, 26.0), Fate::Falls);
    assert_eq!(of(20.0, 26.0), Fate::Tips, "on the slat at 30 alone, its middle at 33");
    assert_eq!(of(17.0, 26.0), Fate::Stays, "balanced on one");
    assert_eq!(of(25.0, 40.0), Fate::Stays, "on two");
    assert_eq!(
        fate(&[plate(32.0, 26.0)], plate(32.0, 26.0).centroid(), Slats { pitch: 30.0, offset: 15.0 }),
        Fate::Stays,
        "slats that lie elsewhere"
    );
}

/// What carries counts along the slats as well: a U whose bridge alone lies on slats tips, whichever way it is turned, and a frame is
/// carried by its far sides.
#[test]
fn a_piece_rests_only_within_what_carries_it() {
    let p = |x: f64, y: f64| Point::new(x, y);
    let slats = Slats { pitch: 40.0, offset: 0.0 };
    // Legs of 12 mm between slats, 150 mm long, the bridge of 12 mm over three slats.
    let u = Path::polygon(&[
        p(5.0, 0.0),
        p(115.0, 0.0),
        p(115.0, 150.0),
        p(103.0, 150.0),
        p(103.0, 12.0),
        p(17.0, 12.0),
        p(17.0, 150.0),
        p(5.0, 150.0),
    ]);
    assert_eq!(fate(std::slice::from_ref(&u), u.centroid(), slats), Fate::Tips, "its legs lie between slats");
    let under_a_leg = Slats { offset: 30.0, ..slats };
    assert_eq!(fate(std::slice::from_ref(&u), u.centroid(), under_a_leg), Fate::Stays, "a slat under one leg, and the bridge on two");
    let turned = u.transformed(crate::geometry::Affine::rotate(std::f64::consts::FRAC_PI_2));
    assert_eq!(fate(std::slice::from_ref(&turned), turned.centroid(), slats), Fate::Stays, "its legs go over slats");
    let frame = [Path::rectangle(35.0, 0.0, 90.0, 60.0), Path::rectangle(43.0, 6.0, 74.0, 48.0)];
    assert_eq!(fate(&frame, frame[0].centroid(), slats), Fate::Stays);
    // Of a thin frame nothing but the lower bar is over a slat where the opening is a notch.
    let comb = Path::polygon(&[p(45.0, 0.0), p(75.0, 0.0), p(75.0, 90.0), p(45.0, 90.0)]);
    assert_eq!(fate(std::slice::from_ref(&comb), comb.centroid(), slats), Fate::Falls, "between two slats");
}

#[test]
fn held_parts_stay_and_slugs_are_told_apart() {
    let paths = [Path::rectangle(0.0, 0.0, 120.0, 80.0), Path::circle(Point::new(40.0, 40.0), 5.0)];
    let (path, findings, ..) = held(&paths, "lark", |_| {});
    let pieces = &path.sheets[0].pieces;
    assert_eq!(pieces.iter().map(|p| (p.slug, p.fate == Fate::Held)).collect::<Vec<_>>(), [(true, false), (false, true)]);
    assert!(findings.iter().all(|f| f.code != "tips-under-way"));
}

#[test]
fn small_holes_run_slower_without_a_lead_out_or_become_centre_marks() {
    let paths =
        [Path::rectangle(0.0, 0.0, 140.0, 80.0), Path::circle(Point::new(30.0, 40.0), 2.5), Path::circle(Point::new(90.0, 40.0), 15.0)];
    let (path, findings, work, _) = held(&paths, "anvil", |_| {});
    let machine: &Machine = &Shop::builtin().machines[1];
    let op = |r: f64| {
        let of = |o: &&Op| (work.items[o.item].contour.bounds.width() - 2.0 * r).abs() < 0.01;
        path.sheets[0].ops.iter().find(of).expect("the hole").clone()
    };
    let (small, large) = (op(2.5), op(15.0));
    assert!((small.feed - large.feed * machine.slow_share).abs() < 1e-9, "{} and {}", small.feed, large.feed);
    assert!(small.line().lead_out.is_empty());
    let finding = findings.iter().find(|f| f.code == "small-holes").expect("it is told");
    let labels: Vec<&str> = finding.remedies.iter().map(|r| r.label.as_str()).collect();
    assert!(labels.contains(&"Mark their centres"), "{labels:?}");
}

#[test]
fn parts_that_tip_under_a_later_travel_are_told_and_nicks_lift_it() {
    // Three strips side by side: cut free, each lies on one slat alone, and the head goes over one to come to the next.
    let strip = |x: f64, y: f64| Path::rectangle(x, y, 26.0, 60.0);
    let paths = [strip(20.0, 0.0), strip(20.0, 70.0), strip(20.0, 140.0), Path::rectangle(110.0, 20.0, 26.0, 60.0)];
    let of = |nicks: Option<bool>| {
        let (path, findings, ..) = held(&paths, "lark", |d| {
            d.first_mut().hold.nicks = nicks;
            d.first_mut().order.strategy = crate::decisions::Strategy::Spread { least: 120.0 };
        });
        let tips = path.sheets[0].pieces.iter().filter(|p| p.fate == Fate::Tips).count();
        (tips, findings.into_iter().find(|f| f.code == "tips-under-way"))
    };
    let (tips, told) = of(Some(false));
    assert!(tips >= 3, "{tips} tip");
    let told = told.expect("it is told");
    assert_eq!(told.severity, Severity::Note, "a hand has said so");
    let mended = told.remedies[0].edit.apply(&Decisions::default()).expect("it applies");
    assert_eq!((mended.first().hold.nicks, of(Some(true)).1), (Some(true), None));
}

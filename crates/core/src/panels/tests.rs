//! Boxes put together in three dimensions, by points thrown into them: nothing here knows of bars, ranks or stretches.

use super::*;
use proptest::prelude::*;

/// True where a panel's volume has a point: by the number of its outline's edges that a ray meets, its holes taken away.
fn has(panel: &Panel, p: [f64; 3]) -> bool {
    let s = &panel.stands;
    let deep = p[3 - s.x - s.y] - s.at[3 - s.x - s.y];
    if !(0.0..=s.thick).contains(&deep) {
        return false;
    }
    let q = Point::new(p[s.x] - s.at[s.x], p[s.y] - s.at[s.y]);
    let inside = |ring: &Path| {
        let points = ring.points(0.01);
        let edges = points.iter().zip(points.iter().cycle().skip(1));
        edges.filter(|(a, b)| (a.y > q.y) != (b.y > q.y) && q.x < a.x + (q.y - a.y) / (b.y - a.y) * (b.x - a.x)).count() % 2 == 1
    };
    inside(&panel.outline) && !panel.holes.iter().any(inside)
}

/// True where it has the place, and all places a hair beside it.
fn has_well(panel: &Panel, p: [f64; 3]) -> bool {
    const HAIR: f64 = 1e-3;
    let beside = (0..3).flat_map(|k| [-HAIR, HAIR].map(|by| (k, by)));
    has(panel, p)
        && beside.into_iter().all(|(k, by)| {
            let mut q = p;
            q[k] += by;
            has(panel, q)
        })
}

/// Numbers from 0 to 1, the same for a seed.
fn by_chance(seed: u64) -> impl FnMut() -> f64 {
    let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
    move || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        (state >> 11) as f64 / (1_u64 << 53) as f64
    }
}

fn spec() -> impl Strategy<Value = BoxSpec> {
    let size = (90.0..400.0_f64, 80.0..300.0_f64, 60.0..200.0_f64);
    let thick = (1.5..12.0_f64, 1.5..12.0_f64, 1.5..12.0_f64);
    let top = prop_oneof![Just(Top::Open), Just(Top::Closed), Just(Top::Lid)];
    (
        size,
        any::<bool>(),
        top,
        thick,
        -0.1..0.4_f64,
        6.0..40.0_f64,
        (0..3_u32, 0..3_u32),
        any::<bool>(),
        prop_oneof![Just(0.0), 5.0..20.0_f64],
    )
        .prop_map(|(size, inner, top, thickness, clearance, finger, dividers, held, feet)| BoxSpec {
            size,
            inner,
            top,
            thickness,
            clearance,
            finger,
            dividers,
            handle: if held { (30.0, 12.0) } else { (0.0, 0.0) },
            feet,
            ..BoxSpec::default()
        })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, max_global_rejects: 4000, ..ProptestConfig::default() })]
    /// No two panels share volume beyond what they are pressed together by; every point of the shell is in one of them, unless it
    /// lies within the clearance of a joint or in a hole that was asked for; and the room inside is free.
    #[test]
    fn a_box_goes_together(spec in spec(), seed in 0..1000_u64) {
        let Ok(panels) = spec.panels() else { return Err(TestCaseError::reject("it cannot be made")) };
        let [w, d, h] = spec.outer();
        let mut random = by_chance(seed);
        let press = (-spec.clearance).max(0.0);
        let (mut shared, mut bare, mut shell) = (0, 0, 0);
        let (ta, tb, tc) = spec.thickness;
        for _ in 0..3000 {
            let p = [random() * w, random() * d, random() * h];
            let owners = panels.iter().filter(|q| has(q, p)).count();
            let upper = if spec.top == Top::Closed { h - ta } else { h };
            let in_shell = p[0] < tb || p[0] > w - tb || p[1] < tc || p[1] > d - tc || p[2] < ta || p[2] > upper;
            shared += usize::from(owners > 1 && panels.iter().filter(|q| has_well(q, p)).count() > 1);
            if in_shell {
                shell += 1;
                // A hand's slot, and slots for dividers' tabs, are bare for good reasons: those only in walls and base.
                bare += usize::from(owners == 0);
            } else if owners > 0 {
                // Within, only dividers and the lid's lower plate may be.
                let within = panels.iter().filter(|q| has(q, p)).all(|q| q.name.starts_with("divider") || q.name.starts_with("lid"));
                prop_assert!(within, "a wall reaches into the room at {p:?}");
            }
        }
        // What they are pressed by, and what they have room by, is a thin layer at every finger's side.
        let layers = |c: f64| 0.02 + 8.0 * c / spec.finger;
        prop_assert!(shared as f64 <= 3000.0 * if press > 0.0 { layers(press) } else { 0.0 }, "{shared} of 3000 points are in two panels");
        let open = spec.clearance.max(0.0);
        let holes: f64 = panels.iter().take(6).flat_map(|q| q.holes.iter().map(|r| r.area().abs() * q.stands.thick)).sum();
        let volume = w * d * h - (w - 2.0 * tb) * (d - 2.0 * tc) * (upper_room(&spec));
        let expected = holes / volume + layers(open);
        prop_assert!(bare as f64 <= shell as f64 * expected + 12.0, "{bare} of {shell} points of the shell are in no panel ({expected})");
    }

    /// Edges are jointed as asked: an odd number of equal fingers, symmetric, and what one panel has the other lacks.
    #[test]
    fn fingers_are_odd_and_equal(length in 20.0..2000.0_f64, finger in 2.0..200.0_f64) {
        let n = super::outline::stretches(length, finger);
        prop_assert!(n % 2 == 1 && n >= 3);
        prop_assert!(n == 3 || length / n as f64 >= finger * 0.999);
    }

    /// Figures come back from their file; whatever else stands there is refused with a sentence.
    #[test]
    fn figures_come_back(spec in spec(), junk in "\\PC{0,80}") {
        if spec.checked().is_ok() {
            prop_assert_eq!(BoxSpec::from_text(&spec.to_text()), Ok(spec));
        }
        let _ = BoxSpec::from_text(&junk);
    }
}

fn upper_room(spec: &BoxSpec) -> f64 {
    let h = spec.outer()[2];
    h - spec.thickness.0 - if spec.top == Top::Closed { spec.thickness.0 } else { 0.0 }
}

#[test]
fn a_plain_tray_is_as_it_is_drawn_by_hand() {
    let spec = BoxSpec { size: (100.0, 80.0, 40.0), clearance: 0.0, finger: 12.0, ..BoxSpec::default() };
    let panels = spec.panels().expect("a tray");
    assert_eq!(panels.iter().map(|p| p.name.as_str()).collect::<Vec<_>>(), ["base", "left", "right", "front", "back"]);
    // All panels together fill the shell: by area times thickness.
    let volume: f64 = panels.iter().map(|p| p.outline.area() * p.stands.thick).sum();
    assert!((volume - (100.0 * 80.0 * 40.0 - 94.0 * 74.0 * 37.0)).abs() < 1e-3, "{volume}");
    assert!(panels.iter().all(|p| p.outline.segments.iter().all(|s| s.is_line() && s.length() > 1.0)));
    // Each of the eight joints is numbered on both sides.
    let mut numbers: Vec<String> = panels.iter().flat_map(|p| p.numbers.iter().map(|n| n.0.clone())).collect();
    numbers.sort();
    assert_eq!(numbers.len(), 16);
    assert!(numbers.chunks(2).all(|c| c[0] == c[1]));
    assert!(panels.iter().all(|p| p.numbers.iter().all(|n| p.outline.contains(n.2))));
    for (wrong, why) in [
        (BoxSpec { size: (5.0, 80.0, 40.0), ..spec.clone() }, "a width of 5"),
        (BoxSpec { dividers: (30, 0), ..spec.clone() }, "no room"),
        (BoxSpec { thickness: (f64::NAN, 3.0, 3.0), ..spec.clone() }, "thickness"),
        (BoxSpec { clearance: 9.0, ..spec.clone() }, "clearance"),
    ] {
        assert!(wrong.panels().expect_err("refused").contains(why));
    }
    assert!(picture(&spec).expect("a picture").starts_with("<svg"));
    let inner = BoxSpec { inner: true, top: Top::Closed, ..spec };
    assert_eq!(inner.outer(), [106.0, 86.0, 46.0]);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 100, max_global_rejects: 6000, ..ProptestConfig::default() })]
    /// A sloped tray put together: every place of its walls is one panel's, and nothing is above its slope.
    #[test]
    fn a_sloped_tray_goes_together(size in (90.0..300.0_f64, 120.0..300.0_f64, 60.0..180.0_f64), thickness in (1.5..6.0_f64, 1.5..6.0_f64, 1.5..6.0_f64), slope in (30.0..80.0_f64, 20.0..80.0_f64), finger in 6.0..30.0_f64, dividers in (0..2_u32, 0..2_u32), seed in 0..1000_u64) {
        let spec = BoxSpec { form: Form::Sloped, size, thickness, slope, finger, dividers, clearance: 0.0, ..BoxSpec::default() };
        let Ok(panels) = spec.panels() else { return Err(TestCaseError::reject("it cannot be made")) };
        let ([w, d, h], (ta, tb, tc)) = (spec.outer(), thickness);
        let mut random = by_chance(seed);
        let tan = slope.1.to_radians().tan();
        for _ in 0..3000 {
            let p = [random() * w, random() * d, random() * h];
            let owners: Vec<&str> = panels.iter().filter(|q| has(q, p)).map(|q| q.name.as_str()).collect();
            prop_assert!(panels.iter().filter(|q| has_well(q, p)).count() < 2, "{owners:?} share {p:?}");
            // The side's edge at this depth: level over the front, then rising.
            let upper = (slope.0 + (p[1] - tc).max(0.0) * tan).min(h);
            let (side, front, back) = (p[0] < tb || p[0] > w - tb, p[1] < tc, p[1] > d - tc);
            if (side && p[2] > upper + 1e-6 && !back) || (front && p[2] > slope.0 + 1e-6) {
                prop_assert!(owners.is_empty(), "{owners:?} at {p:?}, above the slope");
            } else if (side || back || front || p[2] < ta) && dividers == (0, 0) {
                prop_assert!(!owners.is_empty(), "nothing at {p:?}");
            }
        }
    }

    /// A frame put together: its ring is covered once, its opening is free, what lies in it has its room, and nothing is
    /// left out at a joint but the clearance.
    #[test]
    fn a_frame_goes_together(opening in (40.0..400.0_f64, 40.0..400.0_f64), rails in (12.0..60.0_f64, 0.0..20.0_f64), thick in 1.5..9.0_f64, finger in 3.0..20.0_f64, clearance in 0.0..0.2_f64, seed in 0..1000_u64) {
        let spec = BoxSpec { form: Form::Frame, size: (opening.0, opening.1, 1.0), rails, thickness: (thick, 3.0, 3.0), finger, clearance, ..BoxSpec::default() };
        let Ok(panels) = spec.panels() else { return Err(TestCaseError::reject("it cannot be made")) };
        prop_assert_eq!(panels.len(), if rails.1 > 0.0 { 8 } else { 4 });
        let (w, d) = (opening.0 + 2.0 * rails.0, opening.1 + 2.0 * rails.0);
        let mut random = by_chance(seed);
        let (mut bare, mut ring) = (0, 0);
        for _ in 0..3000 {
            let behind = rails.1 > 0.0 && random() > 0.5;
            let p = [random() * w, random() * d, if behind { thick * 1.5 } else { thick * 0.5 }];
            let rail = if behind { rails.0 - rails.1 } else { rails.0 };
            let owners = panels.iter().filter(|q| has(q, p)).count();
            prop_assert!(panels.iter().filter(|q| has_well(q, p)).count() < 2, "two rails at {p:?}");
            let free = p[0] > rail && p[0] < w - rail && p[1] > rail && p[1] < d - rail;
            if free {
                prop_assert_eq!(owners, 0, "the opening is not free at {:?}", p);
            } else {
                ring += 1;
                bare += usize::from(owners == 0);
            }
        }
        // The room in the joints: along both sides and the end of every finger, four corners.
        let area: f64 = 2.0 * rails.0 * (w + d - 2.0 * rails.0);
        let joint = clearance * rails.0 * 12.0 * 4.0;
        prop_assert!(bare as f64 <= ring as f64 * joint / area * 2.0 + 6.0, "{bare} of {ring} are bare");
        // All rails are as large as they are, together.
        let volume: f64 = panels.iter().take(4).map(|p| p.outline.area()).sum();
        prop_assert!((volume - area).abs() <= joint + 1e-6, "{volume} for {area}");
    }
}

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

fn spec() -> impl Strategy<Value = BoxSpec> {
    let size = (90.0..400.0_f64, 80.0..300.0_f64, 60.0..200.0_f64);
    let thick = (1.5..9.0_f64, 1.5..9.0_f64, 1.5..9.0_f64);
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
        let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
        let mut random = || {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state >> 11) as f64 / (1_u64 << 53) as f64
        };
        let press = (-spec.clearance).max(0.0);
        let (mut shared, mut bare, mut shell) = (0, 0, 0);
        let (ta, tb, tc) = spec.thickness;
        for _ in 0..3000 {
            let p = [random() * w, random() * d, random() * h];
            let owners = panels.iter().filter(|q| has(q, p)).count();
            let upper = if spec.top == Top::Closed { h - ta } else { h };
            let in_shell = p[0] < tb || p[0] > w - tb || p[1] < tc || p[1] > d - tc || p[2] < ta || p[2] > upper;
            shared += usize::from(owners > 1);
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

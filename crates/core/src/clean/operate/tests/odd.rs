//! What an operation comes to is said where it is not what was asked.

use super::*;

fn said(paths: &[Path], typed: &str) -> Vec<String> {
    let (contours, ids) = start(paths);
    let operation = words::parse(typed, &ids).expect("it is understood");
    tried(&contours, &operation).judged.said
}

fn plates() -> Vec<Path> {
    vec![Path::rectangle(0.0, 0.0, 60.0, 40.0)]
}

#[test]
fn what_does_as_asked_says_nothing() {
    let holed = [Path::rectangle(0.0, 0.0, 60.0, 40.0), Path::circle(Point::new(30.0, 20.0), 5.0)];
    for (paths, typed) in [
        (plates(), "round 5"),
        (plates(), "chamfer 3"),
        (plates(), "hole 6 at 10,10 corners"),
        (plates(), "slot 20x5 at 30,20"),
        (plates(), "tab 12/4 at 0,0 from top"),
        (plates(), "write \"BEE\" 8 at 10,10"),
        (plates(), "offset 3 mitre"),
        (plates(), "array 3x2 by 70,50"),
        (plates(), "turn 90"),
        (holed.to_vec(), "move 10,0"),
        (holed.to_vec(), "round 4"),
        (holed.to_vec(), "delete"),
    ] {
        assert_eq!(said(&paths, typed), Vec::<String>::new(), "{typed}");
    }
}

#[test]
fn what_comes_to_nothing_less_or_harm_is_said() {
    for (paths, typed, what) in [
        (vec![Path::circle(Point::ZERO, 20.0)], "round 5", "changes nothing"),
        (plates(), "move 0,0", "changes nothing"),
        (plates(), "round 40", "4 of 4 corners have room for less than 40 mm: 19.98"),
        (plates(), "hole 6 at 0,20", "goes over an edge"),
        (plates(), "hole 6 at -30,20", "lies in no part"),
        (plates(), "hole 6 at 2,2 corners", "4 of them go over an edge"),
        (plates(), "tab 12/4 at -40,20", "beside the part"),
        (plates(), "write \"BEEKEEPER\" 20 at 10,10", "over an edge"),
        (plates(), "write \"BEE\" 8 at 80,10", "beside every part"),
        (plates(), "array 2x1 by 0,0", "exactly on"),
        (plates(), "array 2x1 by 30,10", "over another's edge"),
    ] {
        let all = said(&paths, typed).join("; ");
        assert!(all.contains(what) && (!what.contains("over an edge") || !all.contains("lie in no part")), "{typed}: {all}");
    }
    // A hole in an opening burns air.
    let open = [Path::rectangle(0.0, 0.0, 60.0, 40.0), Path::rectangle(10.0, 10.0, 30.0, 20.0)];
    assert!(said(&open, "hole 6 at 20,20").join("; ").contains("lies in no part"));
    assert!(words::parse("array 2.5x2 by 30,30", &[ContourId(1)]).is_err(), "half a copy is none");
}

#[test]
fn what_was_not_looked_at_is_said() {
    // Contours by the thousand: how many of them were compared is told.
    let field = |n: usize| (0..n).map(|i| Path::rectangle((i % 80) as f64 * 20.0, (i / 80) as f64 * 20.0, 10.0, 10.0)).collect::<Vec<_>>();
    let all = said(&field(3200), "round 2").join("; ");
    assert!(all.contains("of 3200 new contours only the first 3000"), "{all}");
    assert!(!said(&field(2900), "round 2").join("; ").contains("only the first"));
    // Few, but of so many corners that they cannot all be compared.
    let ring = |n: usize, r: f64| {
        Path::polygon(
            &(0..n).map(|k| Point::ORIGIN + Vec2::from_angle(std::f64::consts::TAU * k as f64 / n as f64) * r).collect::<Vec<_>>(),
        )
    };
    let all = said(&[ring(900, 50.0)], "array 4x2 by 20,20").join("; ");
    assert!(all.contains("only the first") && all.contains("over"), "{all}");
}

proptest! {
    /// A hole's edge crosses the plate's, or lies in it, or beside it, and that is what is said.
    #[test]
    fn a_hole_is_judged_by_where_it_lies(x in -20.0..80.0_f64, y in -20.0..60.0_f64, d in 1.0..20.0_f64) {
        let all = said(&plates(), &format!("hole {d:.4} at {x:.4},{y:.4}")).join("; ");
        let (x, y, r) = ((x * 1e4).round() / 1e4, (y * 1e4).round() / 1e4, (d * 1e4).round() / 2e4);
        let inside = x.min(60.0 - x).min(y).min(40.0 - y);
        let outside = (x - x.clamp(0.0, 60.0)).hypot(y - y.clamp(0.0, 40.0));
        prop_assume!((inside.abs() - r).abs() > 0.01 && (outside - r).abs() > 0.01);
        // Over a corner an edge's end may lie in the circle.
        let (over, beside) = (inside < r && outside < r, inside < 0.0 && outside > r);
        prop_assert_eq!(all.contains("over an edge"), over, "{}", all);
        if beside {
            prop_assert!(all.contains("lies in no part"), "{}", all);
        } else if !over {
            prop_assert!(all.is_empty(), "{}", all);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// A grille of thin bars, as a drawing to a scale has it: thickened, every bar is as wide as asked and lies where it lay, the frame
    /// and what was wide enough stay to the last bit, and nothing falls apart.
    #[test]
    fn thin_bars_become_as_thick_as_asked(bars in 1..5_usize, thin in 0.1..0.7_f64, wide in 0.8..1.6_f64, tilt in -0.2..0.2_f64) {
        // Windows between bars 20 mm apart, in a frame of 6 mm.
        let pitch = 20.0;
        let w = 12.0 + pitch * (bars + 1) as f64;
        let lean = |x: f64, y: f64| Point::new(x + tilt * (y - 20.0), y);
        let window = |k: usize| {
            let (x0, x1) = (6.0 + pitch * k as f64 + if k == 0 { 0.0 } else { thin / 2.0 }, 6.0 + pitch * (k + 1) as f64 - if k == bars { 0.0 } else { thin / 2.0 });
            Path::polygon(&[lean(x0, 6.0), lean(x1, 6.0), lean(x1, 34.0), lean(x0, 34.0)])
        };
        let outer = Path::polygon(&[lean(-10.0, -2.0), lean(w + 10.0, -2.0), lean(w + 10.0, 42.0), lean(-10.0, 42.0)]);
        let paths: Vec<Path> = std::iter::once(outer.clone()).chain((0..=bars).map(window)).collect();
        let (contours, ids) = start(&paths);
        let out = done(&contours, &[Operation::Thicken { contours: ids, width: wide }]);
        prop_assert_eq!(out.len(), paths.len());
        prop_assert_eq!(&out[0].path, &contours[0].path, "the frame stays");
        // Measured across each bar at half its height, square to it.
        let across = Vec2::new(1.0, -tilt) / 1.0_f64.hypot(tilt);
        for k in 1..=bars {
            let middle = lean(6.0 + pitch * k as f64, 20.0);
            let reach = |way: f64| {
                let hit = |p: &Path| p.segments.iter().flat_map(|s| crate::geometry::meetings(s, &Segment::line(middle, middle + across * (way * 8.0)), 1e-6)).map(|m| m.point.distance(middle)).fold(f64::INFINITY, f64::min);
                out[1..].iter().map(|c| hit(&c.path)).fold(f64::INFINITY, f64::min)
            };
            let (left, right) = (reach(-1.0), reach(1.0));
            prop_assert!(left + right >= wide - 0.03 && left + right <= wide * 1.07 + 0.03, "{} of {wide}", left + right);
            prop_assert!((left - right).abs() < 0.04, "{left} and {right} about the middle");
        }
        let again = done(&out, &[Operation::Thicken { contours: out.iter().map(|c| c.id).collect(), width: wide * 0.95 }]);
        prop_assert!(again.iter().zip(&out).all(|(a, b)| (a.area - b.area).abs() < 0.05 + 1e-4 * b.area.abs()), "what is thick enough stays");
    }
}

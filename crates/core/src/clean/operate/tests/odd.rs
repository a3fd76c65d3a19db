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

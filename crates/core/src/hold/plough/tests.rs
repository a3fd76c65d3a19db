use super::*;
use proptest::prelude::*;

const PACE: Pace = Pace { speed: 300.0, acceleration: 3000.0, rapid: 500.0, turn: 0.01, pitch: 1.0, both_ways: true, fast_gaps: false };

/// A rectangle's rows in x and in y.
fn rectangle(x: i64, y: i64, w: i64, h: i64) -> Area {
    let rows = |low: i64, n: i64, from: i64, width: i64| (low..low + n).map(|k| (k, vec![(from as f64, (from + width) as f64)])).collect();
    Area { rows: vec![rows(y, h, x, w), rows(-x - w, w, y, h)] }
}

#[test]
fn a_row_costs_what_the_time_model_says() {
    // 60 mm at 300 mm/s, up to speed and down again 0.1 s each, one turn; half a step of a row up.
    let one = PACE.sweep(&[Extent::new(0, 0.0, 60.0)]);
    assert!((one - (0.2 + 0.2 + 0.01)).abs() < 1e-9);
    let two = PACE.sweep(&[Extent::new(0, 0.0, 60.0), Extent::new(1, 0.0, 60.0)]);
    assert!((two - 2.0 * one - 2.0 * (1.0_f64 / 3000.0).sqrt()).abs() < 1e-9);
    let back = Pace { both_ways: false, ..PACE };
    assert!(back.sweep(&[Extent::new(0, 0.0, 60.0), Extent::new(0, 0.0, 60.0)]) > two, "one way goes back empty");
}

proptest! {
    /// What a gap saves at travel speed is what the time model says of the three moves.
    #[test]
    fn a_gap_saves_what_the_time_model_says(gap in 1.0..900.0_f64, speed in 50.0..500.0_f64, rapid in 100.0..1500.0_f64) {
        use crate::geometry::{Point, Segment};
        use crate::time::{Act, Dynamics, plan};
        let pace = Pace { speed, rapid, fast_gaps: true, ..PACE };
        let at = |x: f64| Point::new(x, 0.0);
        let seconds = |between: f64| {
            // Room enough to be at speed before the gap, and behind it.
            let moves = [(0.0, 400.0, speed), (400.0, 400.0 + gap, between), (400.0 + gap, 800.0 + gap, speed)];
            let acts: Vec<Act> = moves.iter().map(|(a, b, v)| Act::Move { path: Segment::line(at(*a), at(*b)), speed: *v }).collect();
            plan(&acts, Dynamics { acceleration: pace.acceleration, junction: 0.02 }).iter().map(|t| t.seconds).sum::<f64>()
        };
        let (saved, told) = (seconds(speed) - seconds(rapid.max(speed)), pace.saved(gap));
        prop_assert!(if told > 0.0 { (saved - told).abs() < 1e-6 } else { saved < WORTH + 1e-6 }, "{saved} and {told}");
        let slow = Pace { fast_gaps: false, ..pace };
        prop_assert!(slow.saved(gap) == 0.0);
    }
}

#[test]
fn neighbours_in_line_are_swept_together_and_far_ones_apart() {
    let near = plan(&[rectangle(0, 0, 30, 10), rectangle(35, 0, 30, 10)], &PACE);
    assert_eq!(near.len(), 1);
    let far = plan(&[rectangle(0, 0, 30, 10), rectangle(800, 0, 30, 10)], &PACE);
    assert_eq!(far.len(), 2, "the gap would cost more than run-up and turn");
    let tall = plan(&[rectangle(0, 0, 3, 200)], &PACE);
    assert_eq!(tall[0].direction, 1, "a tall strip goes along its length");
}

/// All ways to put n things into groups.
fn partitions(n: usize) -> Vec<Vec<Vec<usize>>> {
    (0..n).fold(vec![Vec::new()], |all: Vec<Vec<Vec<usize>>>, i| {
        all.into_iter()
            .flat_map(|p| {
                (0..=p.len()).map(move |g| {
                    let mut q = p.clone();
                    if g == q.len() {
                        q.push(vec![i]);
                    } else {
                        q[g].push(i);
                    }
                    q
                })
            })
            .collect()
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    /// Never worse than full width, and within 5 % of the best of all groupings.
    #[test]
    fn the_plan_is_near_the_best_there_is(boxes in prop::collection::vec((0..600_i64, 0..300_i64, 2..120_i64, 2..60_i64), 1..6)) {
        let areas: Vec<Area> = boxes.iter().map(|(x, y, w, h)| rectangle(*x, *y, *w, *h)).collect();
        let groups = plan(&areas, &PACE);
        let mut members: Vec<usize> = groups.iter().flat_map(|g| g.members.iter().copied()).collect();
        members.sort_unstable();
        prop_assert_eq!(members, (0..areas.len()).collect::<Vec<_>>(), "each once");
        let planned = total(&groups, &PACE);
        let best = partitions(areas.len())
            .into_iter()
            .map(|p| total(&p.into_iter().map(|m| Group::of(&areas, m, &PACE)).collect::<Vec<_>>(), &PACE))
            .fold(f64::INFINITY, f64::min);
        prop_assert!(planned <= best * 1.05, "{planned} for {best}");
        prop_assert!(planned <= full_width(&areas, &PACE) + 1e-9);
    }

    /// Lengthened rows burn no less, end where the next begins wherever they were lengthened, and take no longer.
    #[test]
    fn lengthened_rows_meet_and_gain(ends in prop::collection::vec((0.0..80.0_f64, 1.0..120.0_f64, 1..4_i64), 1..30)) {
        let mut row = 0;
        let rows: Vec<Extent> = ends.iter().map(|(from, width, up)| { row += up; Extent::new(row, *from, from + width) }).collect();
        let reaches = PACE.reaches(&rows);
        let long: Vec<Extent> = rows.iter().zip(&reaches).map(|(r, (from, to))| Extent::new(r.row, *from, *to)).collect();
        for (i, (r, l)) in rows.iter().zip(&long).enumerate() {
            prop_assert!(l.from <= r.from && l.to >= r.to);
            let meets = |side: fn(&Extent) -> f64, other: Option<&Extent>| side(r) == side(l) || other.is_some_and(|o| side(o) == side(l));
            let (right, left) = if i % 2 == 0 { (long.get(i + 1), i.checked_sub(1)) } else { (long.get(i - 1), Some(i + 1)) };
            prop_assert!(meets(|e| e.to, right) && meets(|e| e.from, left.and_then(|k| long.get(k))));
        }
        // What was lengthened is no longer worth lengthening; and all hops from standstill would take longer.
        prop_assert!((PACE.sweep(&long) - PACE.sweep(&rows)).abs() < 1e-9);
        let hops = Pace { both_ways: true, ..PACE };
        let bent: f64 = rows.windows(2).enumerate().map(|(i, w)| {
            let along = if i % 2 == 0 { w[1].to - w[0].to } else { w[1].from - w[0].from };
            hops.hop(along.hypot((w[1].row - w[0].row) as f64 * hops.pitch))
        }).sum();
        let each: f64 = rows.iter().map(|r| PACE.sweep(std::slice::from_ref(r))).sum();
        prop_assert!(PACE.sweep(&rows) <= each + bent + 1e-9);
    }

    #[test]
    fn united_stretches_cover_the_same_and_lie_apart(spans in prop::collection::vec((0.0..100.0_f64, 0.1..20.0_f64), 0..20)) {
        let spans: Spans = spans.into_iter().map(|(a, l)| (a, a + l)).collect();
        let out = united(spans.clone());
        prop_assert!(out.windows(2).all(|w| w[0].1 < w[1].0));
        for i in 0..240 {
            let x = f64::from(i) * 0.5 + 0.123;
            let within = |s: &Spans| s.iter().any(|(a, b)| *a <= x && x <= *b);
            prop_assert_eq!(within(&spans), within(&out));
        }
    }
}

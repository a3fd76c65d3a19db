use super::*;
use proptest::prelude::*;

/// An outline of one of several kinds, either way round.
fn outline() -> impl Strategy<Value = Path> {
    (0..4, 0.0..50.0_f64, 0.0..50.0_f64, 3.0..18.0_f64, 0.3..3.0_f64, any::<bool>()).prop_map(|(kind, x, y, r, q, turned)| {
        let at = Vec2::new(x, y);
        let path = match kind {
            0 => Path::circle(at.to_point(), r),
            1 => Path::rectangle(x.round(), y.round(), r.round(), (r * q).round()),
            2 => {
                let arc = Segment::arc(at.to_point(), r, q, 2.0 + q);
                Path::new(vec![arc, Segment::line(arc.end, arc.start)], true)
            }
            // A star that crosses itself.
            _ => Path::polygon(
                &(0..5).map(|k| (at + Vec2::from_angle(f64::from(k) * 2.4 * 3.2 / 3.0 + q) * r).to_point()).collect::<Vec<_>>(),
            ),
        };
        if turned { path.reversed() } else { path }
    })
}

/// How often an outline goes round a point, by the angles under which its edges are seen from there: nothing of the code above.
fn seen_turns(path: &Path, p: Point) -> f64 {
    let points = path.points(1e-4);
    let ways: Vec<Vec2> = points.iter().map(|q| *q - p).collect();
    let angles = ways.iter().zip(ways.iter().cycle().skip(1)).map(|(a, b)| a.cross(*b).atan2(a.dot(*b)));
    (angles.sum::<f64>() / std::f64::consts::TAU).round()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(160))]
    /// Whatever is laid over whatever by whichever rule: a point is within what shows where it was filled, and nowhere else.
    #[test]
    fn what_shows_is_what_was_filled(areas in prop::collection::vec((prop::collection::vec(outline(), 1..4), any::<bool>()), 1..6), looks in prop::collection::vec((-5.0..70.0_f64, -5.0..70.0_f64), 60)) {
        let filled: Vec<Filled> = areas.iter().map(|(o, winding)| Filled { outlines: o.iter().collect(), winding: *winding }).collect();
        let outlines = shown(&filled);
        prop_assert!(outlines.is_some(), "it can always be told");
        let outlines = outlines.unwrap_or_default();
        for p in looks.into_iter().map(|(x, y)| Point::new(x, y)) {
            if areas.iter().flat_map(|a| &a.0).any(|o| o.nearest(p).distance < 0.01) {
                continue;
            }
            let around = |o: &[Path]| o.iter().map(|o| seen_turns(o, p)).sum::<f64>();
            let was = areas.iter().any(|(o, winding)| if *winding { around(o) != 0.0 } else { around(o) % 2.0 != 0.0 });
            prop_assert_eq!(around(&outlines), f64::from(u8::from(was)), "at {:?}", p);
        }
        prop_assert!(outlines.iter().all(|o| o.segments.iter().zip(o.segments.iter().cycle().skip(1)).all(|(a, b)| a.end.distance(b.start) < 1e-9)));
    }
}

fn areas(outlines: &[&[&Path]]) -> Vec<f64> {
    let filled: Vec<Filled> = outlines.iter().map(|o| Filled { outlines: o.to_vec(), winding: true }).collect();
    let mut all: Vec<f64> = shown(&filled).expect("it can be told").iter().map(Path::area).collect();
    all.sort_by(f64::total_cmp);
    all
}

#[test]
fn edges_that_run_on_each_other_are_none() {
    let tile = |x, y, w, h| Path::rectangle(x, y, w, h);
    let near = |a: Vec<f64>, b: &[f64]| a.len() == b.len() && a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-6);
    // One edge in common, a part of one, the whole twice, and four round a courtyard.
    assert!(near(areas(&[&[&tile(0.0, 0.0, 10.0, 10.0)], &[&tile(10.0, 0.0, 10.0, 10.0)]]), &[200.0]));
    assert!(near(areas(&[&[&tile(0.0, 0.0, 10.0, 10.0)], &[&tile(10.0, 3.0, 10.0, 20.0)]]), &[300.0]));
    assert!(near(areas(&[&[&tile(0.0, 0.0, 10.0, 10.0)], &[&tile(0.0, 0.0, 10.0, 10.0)]]), &[100.0]));
    let round = [tile(0.0, 0.0, 30.0, 5.0), tile(0.0, 25.0, 30.0, 5.0), tile(0.0, 5.0, 5.0, 20.0), tile(25.0, 5.0, 5.0, 20.0)];
    assert!(near(areas(&round.each_ref().map(std::slice::from_ref).map(|r| [&r[0]]).each_ref().map(|r| &r[..])), &[-400.0, 900.0]));
    // Two that touch in a corner stay two.
    assert!(near(areas(&[&[&tile(0.0, 0.0, 10.0, 10.0)], &[&tile(10.0, 10.0, 5.0, 5.0)]]), &[25.0, 100.0]));
}

#[test]
fn what_was_cut_and_shows_whole_is_whole_again() {
    let (plate, bar) = (Path::circle(Point::ZERO, 20.0), Path::rectangle(-2.0, -40.0, 4.0, 40.0));
    let both = shown(&[Filled { outlines: vec![&plate], winding: true }, Filled { outlines: vec![&bar], winding: true }]).expect("one");
    // Half the disc that the bar does not come to, and the two arcs beside it: no corner where the bar's end lay within.
    assert_eq!((both.len(), both[0].segments.len()), (1, 6));
}

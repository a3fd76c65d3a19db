//! What may be meant stays: slits, marks, plates. What is drawn twice or as an area is told.

use super::*;
use crate::finding::Remedy;
use crate::geometry::Path;
use crate::testing::{drawing as styled, outlines};

fn first<'a>(findings: &'a [Finding], code: &str) -> Option<&'a Remedy> {
    has(findings, code)?.remedies.first()
}

/// Slits of a living hinge in a plate: columns, every other one half a pitch further, cut short by the plate's edges.
fn hinge(columns: usize, slit: f64, bridge: f64, pitch: f64, height: f64) -> Vec<(Point, Point)> {
    let mut out = Vec::new();
    for c in 0..columns {
        let x = 40.0 + c as f64 * pitch;
        let mut y = if c % 2 == 0 { bridge } else { bridge + (slit + bridge) / 2.0 };
        while y < height - bridge - 1.0 {
            out.push((p(x, y), p(x, (y + slit).min(height - bridge))));
            y += slit + bridge;
        }
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    /// Hinges, stitches and perforations come out as they were drawn: never a mm more, whatever is taken that is safe.
    #[test]
    fn slits_in_rows_are_kept(columns in 1..12_usize, slit in 3.0..25.0_f64, bridge in 1.2..4.0_f64, pitch in 1.5..5.0_f64, height in 60.0..150.0_f64) {
        let slits = hinge(columns, slit, bridge, pitch, height);
        prop_assume!(slits.len() > 3);
        let long: f64 = slits.iter().map(|s| s.0.distance(s.1)).sum();
        let (cleaned, findings) = clean(&drawing(&slits), |_| {});
        let found: f64 = cleaned.contours.iter().map(|c| c.length).sum();
        prop_assert!((found - long).abs() < 1e-6 && cleaned.counts() == (0, slits.len()));
        prop_assert!(has(&findings, "dashes").is_none() && has(&findings, "gaps").is_none());
        if let Some(remedy) = first(&findings, "slits") {
            prop_assert!(remedy.label == "Keep them" && !remedy.safe && !remedy.loses);
        }
    }

    /// Marks of a ruler and hatchings, however close, are no outlines with gaps.
    #[test]
    fn strokes_side_by_side_are_no_gaps(n in 4..60_usize, pitch in 0.2..1.0_f64, long in 2.0..30.0_f64, turn in 0.0..3.0_f64, step in 0..3_usize) {
        let lie = kurbo::Affine::rotate(turn);
        let marks: Vec<(Point, Point)> = (0..n)
            .map(|i| {
                let x = i as f64 * pitch;
                (lie * p(x, 0.0), lie * p(x, long * if step > 0 && i % (step + 2) == 0 { 1.5 } else { 1.0 }))
            })
            .collect();
        let (cleaned, findings) = clean(&drawing(&marks), |_| {});
        prop_assert_eq!(cleaned.counts(), (0, n));
        prop_assert!(has(&findings, "gaps").is_none() && has(&findings, "gaps-closed").is_none());
    }

    /// An outline drawn twice, moved by a hair, is told and comes back once; of two that lie further apart both stay.
    #[test]
    fn what_is_drawn_twice_is_told(sides in 3..40_usize, r in 5.0..80.0_f64, by in 0.011..0.03_f64, way in 0.0..6.2_f64) {
        let shape = |at: Point| {
            Path::polygon(&(0..sides).map(|i| at + Vec2::from_angle(i as f64 / sides as f64 * std::f64::consts::TAU) * r).collect::<Vec<_>>())
        };
        let moved = |by: f64| outlines(&[shape(p(0.0, 0.0)), shape(p(0.0, 0.0) + Vec2::from_angle(way) * by)]);
        let (_, findings) = clean(&moved(by), |_| {});
        prop_assert_eq!(has(&findings, "near-twins").map(|f| f.count), Some(1));
        let (once, findings) = clean(&moved(by), |d| {
            d.mends.insert(Mend::DropNearTwins);
        });
        prop_assert!(once.counts() == (1, 0) && has(&findings, "near-twins").is_none());
        let (_, apart) = clean(&moved(3.0 * r), |_| {});
        prop_assert!(has(&apart, "near-twins").is_none() && has(&apart, "line-as-area").is_none());
    }

    /// A line that was made an area of its width is told, and its middle is the line; a narrow frame of a part is none.
    #[test]
    fn a_line_drawn_as_an_area_is_told(w in 20.0..200.0_f64, h in 15.0..120.0_f64, wide in 0.06..0.4_f64) {
        let frame = |wide: f64| outlines(&[Path::rectangle(0.0, 0.0, w, h), Path::rectangle(wide, wide, w - 2.0 * wide, h - 2.0 * wide)]);
        let (_, findings) = clean(&frame(wide), |_| {});
        prop_assert!(has(&findings, "line-as-area").is_some());
        prop_assert!(first(&findings, "line-as-area").is_some_and(|r| !r.loses && !r.safe));
        let (middle, _) = clean(&frame(wide), |d| {
            d.mends.insert(Mend::TakeMiddles);
        });
        prop_assert_eq!(middle.counts(), (1, 0));
        prop_assert!((middle.contours[0].area.abs() - (w - wide) * (h - wide)).abs() < 1e-3 * w * h);
        let (_, broad) = clean(&frame(2.0), |_| {});
        prop_assert!(has(&broad, "line-as-area").is_none());
    }
}

/// Outlines of very many sides are compared as any others; where there is too much to compare, that is told and does not take for ever.
#[test]
fn however_many_sides_outlines_have_they_are_compared_or_told() {
    let ring = |at: Vec2, sides: usize| {
        let turn = |i: usize| std::f64::consts::TAU * i as f64 / sides as f64;
        Path::polygon(&(0..sides).map(|i| p(60.0, 60.0) + at + Vec2::from_angle(turn(i)) * 50.0).collect::<Vec<_>>())
    };
    let twice = outlines(&[ring(Vec2::ZERO, 6000), ring(Vec2::new(0.02, 0.0), 6000)]);
    let (_, findings) = clean(&twice, |_| {});
    assert_eq!(has(&findings, "near-twins").map(|f| f.count), Some(1));
    // Too far apart for one drawn twice and too near not to be looked at, 25 of them.
    let crowd: Vec<Path> = (0..25).map(|i| ring(Vec2::new(f64::from(i % 13), f64::from(i / 13)) * 0.06, 1000)).collect();
    let (cleaned, findings) = clean(&outlines(&crowd), |_| {});
    assert_eq!(cleaned.counts(), (25, 0), "all stay");
    let told = has(&findings, "near-twins").expect("it is told");
    assert!(told.text.contains("not compared") && told.count > 2 && told.remedies.iter().all(|r| !r.loses), "{}", told.text);
}

#[test]
fn dashes_of_a_line_type_are_one_line() {
    let dash = |i: u32| Path::new(vec![Segment::line(p(f64::from(i) * 8.0, 5.0), p(f64::from(i) * 8.0 + 5.0, 5.0))], false);
    let row = |line_type: &str| {
        let style = Style { stroke: Some([0; 3]), line_type: line_type.into(), ..Style::default() };
        styled(&(0..12).map(|i| (dash(i), style.clone())).collect::<Vec<_>>())
    };
    let (_, findings) = clean(&row("HIDDEN"), |_| {});
    assert!(has(&findings, "dashes").is_some_and(|f| f.count == 12 && f.remedies[0].safe) && has(&findings, "slits").is_none());
    let (joined, _) = clean(&row("HIDDEN"), |d| {
        d.mends.insert(Mend::JoinRows);
    });
    let (kept, findings) = clean(&row(""), |d| {
        d.mends.insert(Mend::JoinRows);
    });
    assert!(joined.counts() == (0, 1) && kept.counts() == (0, 12) && has(&findings, "slits").is_some());
}

#[test]
fn an_outline_with_a_missing_end_is_still_a_gap() {
    // Two sides and a turn: the end of a slot is 0.6 mm off, and a corner is open by 0.4 mm.
    let slot = [(p(0.0, 0.0), p(40.0, 0.0)), (p(40.0, 0.0), p(40.0, 12.0)), (p(40.0, 12.0), p(0.4, 12.0)), (p(0.0, 12.0), p(0.0, 0.0))];
    let (_, findings) = clean(&drawing(&slot), |_| {});
    assert_eq!(has(&findings, "gaps").map(|f| f.count), Some(1));
}

/// What is left out is joined to nothing, whatever is mended after it, and keeps its name.
#[test]
fn what_is_left_out_stays_apart() {
    use std::collections::BTreeSet;
    // A plate's edge with a gap, and a leader whose head stands as near to its end.
    let edge = [(p(0.0, 0.0), p(80.0, 0.0)), (p(80.0, 0.0), p(80.0, 50.0)), (p(80.0, 50.0), p(0.0, 50.0)), (p(0.0, 50.0), p(0.0, 0.4))];
    let leader = [(p(-0.3, 0.0), p(-20.0, -15.0))];
    let all: Vec<(Point, Point)> = edge.iter().chain(&leader).copied().collect();
    let d = drawing(&all);
    let mut decided = crate::testing::cleaned(&d, 1).1.drawings[0].clone();
    decided.gap = Some(0.6);
    let shop = crate::shop::Shop::builtin();
    let (intake, _) = crate::intake::run(&d, &decided, &shop.machines[0].bed());
    let names = plain_names(&d, &intake, &DrawingDecisions { gap: None, ..decided.clone() }, &shop.tolerance);
    let (plain, _) = run(&d, &intake, &DrawingDecisions { gap: None, ..decided.clone() }, &shop.tolerance);
    let of_leader = plain.contours.iter().find(|c| c.bounds.min.x < -10.0).expect("the leader").id;
    assert!(names.contains(&of_leader) && plain.contours.iter().all(|c| names.contains(&c.id)));
    let (without, _) = run_beside(&d, &intake, &decided, &shop.tolerance, &BTreeSet::from([of_leader]));
    assert_eq!(without.counts(), (1, 1), "the plate is closed by its own gap");
    assert!(without.contours.iter().any(|c| c.id == of_leader && c.bounds.min.x < -10.0));
    // With it the nearer end is taken: the plate stays open.
    let (with, _) = run(&d, &intake, &decided, &shop.tolerance);
    assert_ne!(with.counts(), (1, 1));
    assert!(with.contours.iter().all(|c| c.id != of_leader));
}

/// An open line with a fill is told: its line is made, or its area where that is wanted.
#[test]
fn an_open_line_with_a_fill_is_told() {
    let path = Path::new(vec![Segment::line(p(0.0, 0.0), p(60.0, 0.0)), Segment::line(p(60.0, 0.0), p(60.0, 40.0))], false);
    let looks = |fill: Option<[u8; 3]>| Style { stroke: Some([0; 3]), fill, ..Style::default() };
    let d = styled(&[(path.clone(), looks(Some([200, 0, 0])))]);
    let (cleaned, findings) = clean(&d, |_| {});
    assert_eq!(cleaned.counts(), (0, 1));
    let found = has(&findings, "filled-open").expect("it is told");
    assert!(!found.remedies[0].safe && found.remedies.len() == 2);
    let (cleaned, findings) = clean(&d, |d| {
        d.mends.insert(Mend::CloseFilled);
    });
    assert!(
        cleaned.counts() == (1, 0) && (cleaned.contours[0].area.abs() - 1200.0).abs() < 1e-6 && has(&findings, "filled-open").is_none()
    );
    let (_, findings) = clean(&styled(&[(path, looks(None))]), |_| {});
    assert!(has(&findings, "filled-open").is_none());
}

/// A scan of paper is told; a picture with a frame, and one with many specks, are not.
#[test]
fn a_scan_of_a_plan_is_told() {
    use crate::drawing::{Bitmap, FileUnits};
    let (w, h) = (900_usize, 640_usize);
    let picture = |rects: &[(usize, usize, usize, usize)]| {
        let mut grey = vec![255_u8; w * h];
        for (x, y, rw, rh) in rects {
            (*y..y + rh).for_each(|row| grey[row * w + x..row * w + x + rw].fill(0));
        }
        let mut d = Drawing::new("scan.png", FileUnits::Scale(0.3));
        d.bitmap = Some(Arc::new(Bitmap { width: w, height: h, grey }));
        d
    };
    let ring = |x: usize, y: usize, rw: usize, rh: usize, t: usize| {
        vec![(x, y, rw, t), (x, y + rh - t, rw, t), (x, y, t, rh), (x + rw - t, y, t, rh)]
    };
    let letters = |n: usize| (0..n).map(|k| (60 + (k % 30) * 14, 500 + (k / 30) * 20, 7, 10)).collect::<Vec<_>>();
    let told = |rects: Vec<(usize, usize, usize, usize)>| has(&clean(&picture(&rects), |_| {}).1, "scan-of-plan").is_some();
    let part = ring(200, 150, 300, 200, 3);
    assert!(told([ring(10, 10, 880, 620, 3), letters(60), part.clone()].concat()), "a border and writing");
    let lines: Vec<_> = (0..6).map(|k| (560, 100 + k * 50, 300, 3)).collect();
    assert!(told([letters(90), lines, part.clone()].concat()), "writing and lines without a border");
    assert!(!told([ring(10, 10, 880, 620, 30), vec![(300, 200, 250, 250)]].concat()), "a framed shape");
    assert!(!told([vec![(100, 60, 700, 400)], letters(40)].concat()), "a shape and specks");
    assert!(!told(part));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]
    /// What is left out stays as it is drawn, and the rest comes out as if it were not there, whatever is mended.
    #[test]
    fn the_rest_is_mended_as_if_nothing_else_were_there(
        lines in prop::collection::vec((0..12_i32, 0..12_i32, 0..12_i32, 0..12_i32, 0..4_u8), 3..30),
        out in prop::collection::vec(any::<bool>(), 30),
        gap in prop::option::of(0.1..0.9_f64),
        doubles in any::<bool>(),
        rows in any::<bool>(),
    ) {
        use std::collections::BTreeSet;
        // Ends on a grid of 10 mm, some of them short of it by a gap.
        let at = |x: i32, y: i32, off: u8| p(f64::from(x) * 10.0 + f64::from(off) * 0.2, f64::from(y) * 10.0);
        let mut all: Vec<(Point, Point)> = lines.iter().filter(|l| (l.0, l.1) != (l.2, l.3)).map(|l| (at(l.0, l.1, 0), at(l.2, l.3, l.4))).collect();
        all.dedup();
        prop_assume!(all.len() > 2);
        let decide = |d: &Drawing| {
            let mut decided = crate::testing::cleaned(d, 1).1.drawings[0].clone();
            let plain = decided.clone();
            decided.gap = gap;
            decided.mends.extend([(doubles, Mend::RemoveDoubles), (rows, Mend::JoinRows)].into_iter().filter(|m| m.0).map(|m| m.1));
            (plain, decided)
        };
        let shop = crate::shop::Shop::builtin();
        let taken = |d: &Drawing, decided: &DrawingDecisions| crate::intake::run(d, decided, &shop.machines[0].bed()).0;
        let whole = drawing(&all);
        let (plain, decided) = decide(&whole);
        let (before, _) = run(&whole, &taken(&whole, &plain), &plain, &shop.tolerance);
        // Left out are single lines that no other is chained to, and that are there once.
        let key = |a: Point, b: Point| { let mut k = [a, b].map(|p| [p.x, p.y].map(|v| (v * 1000.0).round() as i64)); k.sort_unstable(); k };
        let of = |c: &Contour| key(c.path.segments[0].start, c.path.segments[0].end);
        let once = |k: [[i64; 2]; 2]| all.iter().filter(|l| key(l.0, l.1) == k).count() == 1;
        let single: Vec<&Arc<Contour>> = before.contours.iter().filter(|c| c.path.segments.len() == 1 && once(of(c))).collect();
        let left: Vec<&Arc<Contour>> = single.iter().zip(&out).filter(|(_, o)| **o).map(|(c, _)| *c).collect();
        let ids: BTreeSet<ContourId> = left.iter().map(|c| c.id).collect();
        let (beside, _) = run_beside(&whole, &taken(&whole, &decided), &decided, &shop.tolerance, &ids);
        for c in &left {
            let now = beside.contours.iter().find(|n| n.id == c.id).expect("it is still there");
            prop_assert_eq!(&now.path, &c.path);
        }
        let gone: BTreeSet<_> = left.iter().map(|c| of(c)).collect();
        let rest: Vec<(Point, Point)> = all.iter().copied().filter(|l| !gone.contains(&key(l.0, l.1))).collect();
        prop_assume!(!rest.is_empty());
        let alone = drawing(&rest);
        let (_, decided) = decide(&alone);
        let (alone, _) = run(&alone, &taken(&alone, &decided), &decided, &shop.tolerance);
        let shapes = |c: &Cleaned, but: &BTreeSet<ContourId>| {
            let mut all: Vec<(usize, bool, i64)> = c.contours.iter().filter(|c| !but.contains(&c.id)).map(|c| (c.path.segments.len(), c.path.closed, (c.length * 1e4).round() as i64)).collect();
            all.sort_unstable();
            all
        };
        prop_assert_eq!(shapes(&beside, &ids), shapes(&alone, &BTreeSet::new()));
    }
}

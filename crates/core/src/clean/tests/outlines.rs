//! Outlines of several styles, joints, pictures and names that last.

use super::*;
use crate::decisions::{CleanEdit, Edit};

/// A drawing in which every path has a style of its own, by number.
fn styled(paths: &[(Path, u8)]) -> Drawing {
    let style = |n: u8| Style { stroke: Some([n, 0, 0]), ..Style::default() };
    crate::testing::drawing(&paths.iter().map(|(path, n)| (path.clone(), style(*n))).collect::<Vec<_>>())
}

fn line(a: (f64, f64), b: (f64, f64)) -> Path {
    Path::new(vec![Segment::line(p(a.0, a.1), p(b.0, b.1))], false)
}

#[test]
fn an_outline_of_two_styles_is_one_outline_and_that_is_said() {
    let open = Path::new(
        vec![
            Segment::line(p(50.0, 0.0), p(50.0, 30.0)),
            Segment::line(p(50.0, 30.0), p(0.0, 30.0)),
            Segment::line(p(0.0, 30.0), p(0.0, 0.0)),
        ],
        false,
    );
    let d = styled(&[(line((0.0, 0.0), (50.0, 0.0)), 1), (open, 2), (line((80.0, 0.0), (90.0, 0.0)), 1)]);
    let (cleaned, findings) = clean(&d, |_| {});
    assert_eq!(cleaned.counts(), (1, 1));
    let outline = cleaned.contours.iter().find(|c| c.path.closed).expect("the outline");
    assert_eq!(outline.style.stroke, Some([2, 0, 0]), "in the style of its longest line");
    assert!((outline.area.abs() - 1500.0).abs() < 1e-9);
    let told = has(&findings, "two-styles").expect("it is said");
    assert_eq!((told.count, told.severity), (1, Severity::Note));
    let Edit::Clean(CleanEdit::Mend { mend, .. }) = told.remedies[0].edit else { panic!("a mend") };
    let (apart, findings) = clean(&d, |d| {
        d.mends.insert(mend);
    });
    assert_eq!(apart.counts(), (0, 3), "kept apart when asked");
    assert!(has(&findings, "two-styles").is_none());
}

#[test]
fn lines_that_only_touch_an_outline_of_another_style_make_no_ring() {
    // A fold from edge to edge: three ends meet where it touches.
    let square = Path::rectangle(0.0, 0.0, 40.0, 40.0);
    let d = styled(&[(square, 1), (line((0.0, 20.0), (40.0, 20.0)), 2), (line((0.0, 20.0), (-10.0, 20.0)), 3)]);
    let (cleaned, findings) = clean(&d, |_| {});
    assert_eq!(cleaned.counts(), (1, 2));
    assert!(has(&findings, "two-styles").is_none());
}

#[test]
fn nearly_smooth_joints_are_told_and_smoothed() {
    let off = 0.03;
    let bulge = ((std::f64::consts::PI - 2.0 * off) / 4.0).tan();
    let slot = Path::new(
        vec![
            Segment::line(p(0.0, 0.0), p(6.0, 0.0)),
            Segment { start: p(6.0, 0.0), end: p(6.0, 1.6), bulge },
            Segment::line(p(6.0, 1.6), p(0.0, 1.6)),
            Segment { start: p(0.0, 1.6), end: p(0.0, 0.0), bulge },
        ],
        true,
    );
    let d = styled(&[(slot, 1)]);
    // A letter is swept: nothing brakes there.
    let mut letter = d.clone();
    letter.styles.iter_mut().for_each(|s| s.text = true);
    assert!(has(&clean(&letter, |_| {}).1, "kinks").is_none());
    let (before, findings) = clean(&d, |_| {});
    assert_eq!(has(&findings, "kinks").map(|f| (f.count, f.severity)), Some((4, Severity::Note)));
    let (after, findings) = clean(&d, |d| {
        d.mends.insert(Mend::SmoothKinks);
    });
    assert!(has(&findings, "kinks").is_none());
    assert_eq!(after.contours[0].id, before.contours[0].id);
    assert!(after.contours[0].path.segments.len() > 4 && (after.contours[0].area - before.contours[0].area).abs() < 0.2);
}

#[test]
fn points_become_crosses_when_they_are_to_be_marked() {
    let mut d = styled(&[(Path::rectangle(0.0, 0.0, 60.0, 40.0), 1)]);
    let style = d.style(&Style { nature: Nature::Centre, stroke: Some([0; 3]), ..Style::default() });
    for x in [10.0, 50.0] {
        let curves = vec![crate::geometry::Curve::Line(p(x, 20.0), p(x, 20.0))];
        d.entities.push(crate::drawing::Entity::new(style, Shape::Path { curves, closed: false }));
    }
    let (cleaned, findings) = clean(&d, |_| {});
    assert_eq!(cleaned.counts(), (1, 0), "points alone are nothing to cut, nor dots to burn");
    assert_eq!(has(&findings, "points").map(|f| f.count), Some(2));
    assert!(has(&findings, "zero-length").is_none());
    let (marked, findings) = clean(&d, |d| {
        d.mends.insert(Mend::MarkCentres);
    });
    assert!(has(&findings, "points").is_none());
    let crosses: Vec<_> = marked.contours.iter().filter(|c| c.style.nature == Nature::Centre).collect();
    assert_eq!(crosses.len(), 4);
    assert!(crosses.iter().all(|c| (c.length - 2.0).abs() < 1e-9 && [10.0, 50.0].contains(&c.bounds.center().x)));
}

/// A drawing with a picture 4 × 2 units large, its lower left corner at 10, 20.
fn with_picture() -> Drawing {
    let mut d = styled(&[(Path::rectangle(0.0, 0.0, 60.0, 60.0), 1)]);
    let style = d.style(&Style { nature: Nature::Picture, layer: "art".into(), ..Style::default() });
    let bitmap = Arc::new(Bitmap { width: 8, height: 4, grey: (0..32).map(|i| i * 8).collect() });
    let place = Affine::translate((10.0, 20.0)) * Affine::scale_non_uniform(4.0, 2.0);
    d.entities.push(crate::drawing::Entity::new(style, Shape::Picture(Picture { bitmap, place })));
    d
}

#[test]
fn a_picture_is_a_frame_that_is_turned_and_mirrored_with_its_drawing() {
    let d = with_picture();
    let (cleaned, _) = clean(&d, |_| {});
    let frame = cleaned.contours.iter().find(|c| c.picture.is_some()).expect("the picture");
    let place = frame.picture_place().expect("a frame");
    assert!((place * p(0.0, 0.0)).distance(p(10.0, 20.0)) < 1e-9 && (place * p(1.0, 1.0)).distance(p(14.0, 22.0)) < 1e-9);
    let (turned, _) = clean(&d, |d| (d.angle, d.mirrored, d.scale) = (90.0, true, 2.0));
    let there = turned.contours.iter().find(|c| c.picture.is_some()).expect("the picture");
    assert_eq!(there.id, frame.id, "its name outlives the turn");
    let place = there.picture_place().expect("a frame");
    // Mirrored left to right, turned by a quarter, twice as large: (x, y) goes to (−2y, −2x).
    assert!((place * p(0.0, 0.0)).distance(p(-40.0, -20.0)) < 1e-9 && (place * p(1.0, 0.0)).distance(p(-40.0, -28.0)) < 1e-9);
    // Out of the regions that are taken it is left out, and no frame of another shape has a picture.
    let (without, _) = clean(&d, |d| d.regions = vec![Bounds { min: p(30.0, 30.0), max: p(50.0, 50.0) }]);
    assert!(without.contours.iter().all(|c| c.picture.is_none()));
    let cut = Contour { path: Path::circle(p(0.0, 0.0), 3.0), ..(**frame).clone() };
    assert!(cut.picture_place().is_none());
}

#[test]
fn a_picture_file_is_traced_or_engraved() {
    let mut d = Drawing::new("bee.png", crate::drawing::FileUnits::Known(crate::drawing::Unit::Mm));
    let grey = (0..60 * 40).map(|i| if (i % 60 - 30_i32).pow(2) + (i / 60 - 20).pow(2) < 150 { 20 } else { 240 }).collect();
    d.bitmap = Some(Arc::new(Bitmap { width: 60, height: 40, grey }));
    d.read = 1;
    let (traced, findings) = clean(&d, |_| {});
    assert!(traced.counts().0 == 1 && has(&findings, "traced").is_some());
    assert!(traced.contours[0].picture.is_none() && (traced.contours[0].area.abs() - std::f64::consts::PI * 150.0).abs() < 25.0);
    let (engraved, findings) = clean(&d, |d| d.engraved = true);
    assert!(has(&findings, "traced").is_none());
    let frame = &engraved.contours[0];
    assert_eq!((engraved.contours.len(), frame.bounds.width(), frame.bounds.height()), (1, 60.0, 40.0));
    assert!(frame.picture_place().is_some());
}

#[test]
fn outlines_of_one_element_stay_together_and_what_is_chained_stands_alone() {
    let mut d = Drawing::new("x.svg", crate::drawing::FileUnits::Known(crate::drawing::Unit::Mm));
    let style = d.style(&Style { fill: Some([0; 3]), ..Style::default() });
    let shape =
        |path: &Path| Shape::Path { curves: path.segments.iter().map(crate::geometry::Curve::segment).collect(), closed: path.closed };
    for (path, compound) in [
        (Path::circle(p(0.0, 0.0), 9.0), 4),
        (Path::circle(p(0.0, 0.0), 3.0), 4),
        (line((20.0, 0.0), (30.0, 0.0)), 5),
        (line((30.0, 0.0), (20.0, 8.0)), 6),
        (line((20.0, 8.0), (20.0, 0.0)), 7),
    ] {
        d.entities.push(crate::drawing::Entity { style, shape: shape(&path), compound });
    }
    let (cleaned, _) = clean(&d, |_| {});
    let mut compounds: Vec<u32> = cleaned.contours.iter().map(|c| c.compound).collect();
    compounds.sort_unstable();
    assert_eq!(compounds, [0, 4, 4]);
}

#[test]
fn copies_stacked_a_thousand_times_are_found_at_once() {
    let paths: Vec<(Path, u8)> =
        (0..3000).map(|_| (Path::circle(p(20.0, 20.0), 6.0), 1)).chain([(Path::rectangle(0.0, 0.0, 60.0, 60.0), 1)]).collect();
    let d = styled(&paths);
    let (_, findings) = clean(&d, |_| {});
    assert_eq!(has(&findings, "doubled-lines").map(|f| f.count), Some(2999 * 2));
    let (mended, _) = clean(&d, |d| {
        d.mends.insert(Mend::RemoveDoubles);
    });
    assert_eq!(mended.counts(), (2, 0));
}

#[test]
fn thousands_of_lines_from_one_place_do_not_take_for_ever() {
    // A fan, and as many lines stacked on each other: ends by the thousand at one point.
    let fan = (0..4000).map(|i| Vec2::from_angle(f64::from(i) * 0.001) * 30.0).map(|v| line((0.0, 0.0), (v.x, v.y)));
    let stacked = (0..4000).map(|i| line((100.0, 0.0), (100.0, 20.0 + f64::from(i) * 0.0001)));
    let paths: Vec<(Path, u8)> = fan.chain(stacked).map(|path| (path, 1)).collect();
    let (cleaned, findings) = clean(&styled(&paths), |_| {});
    assert!(cleaned.counts().1 > 1000 && has(&findings, "doubled-lines").is_some());
    let two: Vec<(Path, u8)> = paths.iter().enumerate().map(|(i, (path, _))| (path.clone(), (i % 2) as u8)).collect();
    let (cleaned, _) = clean(&styled(&two), |_| {});
    assert!(cleaned.counts().1 > 1000);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// However an outline is cut into pieces, turned round, mixed and spread over two styles, it comes back as that outline.
    #[test]
    fn an_outline_in_pieces_of_two_styles_comes_back(
        radii in prop::collection::vec(15.0..40.0_f64, 3..12),
        styles in prop::collection::vec(any::<bool>(), 12),
        turned in prop::collection::vec(any::<bool>(), 12),
        order in any::<u64>(),
    ) {
        let n = radii.len();
        let corner = |i: usize| (radii[i % n] * Vec2::from_angle((i % n) as f64 / n as f64 * std::f64::consts::TAU)).to_point();
        let mut pieces: Vec<(Path, u8)> = (0..n)
            .map(|i| {
                let s = Segment::line(corner(i), corner(i + 1));
                (Path::new(vec![if turned[i] { s.reversed() } else { s }], false), u8::from(styles[i]))
            })
            .collect();
        pieces.sort_by_key(|(path, _)| (path.segments[0].start.x * 1e6) as i64 ^ order as i64);
        let (cleaned, findings) = clean(&styled(&pieces), |_| {});
        prop_assert_eq!(cleaned.counts(), (1, 0), "{:?}", findings);
        let outline = Path::polygon(&(0..n).map(corner).collect::<Vec<_>>());
        prop_assert!((cleaned.contours[0].area.abs() - outline.area().abs()).abs() < 1e-6);
        let mixed = styles[..n].iter().any(|s| *s != styles[0]);
        prop_assert_eq!(has(&findings, "two-styles").is_some(), mixed);
    }

    /// Whatever is doubled, in whole or in part, is burned once after the mend: the length that is left is that of the union.
    #[test]
    fn what_is_left_of_lines_on_one_line_is_their_union(spans in prop::collection::vec((0.0..80.0_f64, 2.0..30.0_f64, any::<bool>()), 1..8)) {
        let lines: Vec<(Path, u8)> = spans
            .iter()
            .map(|(from, length, turned)| {
                let s = Segment::line(p(*from, 5.0), p(from + length, 5.0));
                (Path::new(vec![if *turned { s.reversed() } else { s }], false), 1)
            })
            .collect();
        let (mended, _) = clean(&styled(&lines), |d| {
            d.mends.insert(Mend::RemoveDoubles);
        });
        let mut sorted: Vec<(f64, f64)> = spans.iter().map(|s| (s.0, s.0 + s.1)).collect();
        sorted.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (mut union, mut upto) = (0.0, f64::NEG_INFINITY);
        for (a, b) in sorted {
            union += (b - a.max(upto)).max(0.0);
            upto = upto.max(b);
        }
        let left: f64 = mended.contours.iter().map(|c| c.length).sum();
        // Overlaps and slivers within the tolerance stay.
        prop_assert!((left - union).abs() <= 0.03 * spans.len() as f64 + 0.05, "{left} of {union}");
    }

    /// A contour keeps its name through every way of sizing a drawing.
    #[test]
    fn names_outlive_sizes_and_turns(scale in 0.1..20.0_f64, angle in 0.0..360.0_f64, mirrored in any::<bool>()) {
        let d = styled(&[(Path::rectangle(0.0, 0.0, 30.0, 20.0), 1), (Path::circle(p(10.0, 10.0), 4.0), 1), (line((40.0, 0.0), (60.0, 3.0)), 2)]);
        let names = |c: &Cleaned| c.contours.iter().map(|c| c.id).collect::<std::collections::BTreeSet<_>>();
        let (plain, _) = clean(&d, |_| {});
        let (other, _) = clean(&d, |d| (d.scale, d.angle, d.mirrored) = (scale, angle, mirrored));
        prop_assert_eq!(names(&plain), names(&other));
        let area = |c: &Cleaned| c.contours.iter().map(|c| c.area.abs()).sum::<f64>();
        prop_assert!((area(&other) / area(&plain) / (scale * scale) - 1.0).abs() < 1e-6);
    }
}

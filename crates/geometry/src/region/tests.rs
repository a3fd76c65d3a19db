use super::*;
use crate::Corners;
use proptest::prelude::*;

fn outline(points: &[(f64, f64)]) -> Path {
    Path::polygon(&points.iter().map(|p| Point::new(p.0, p.1)).collect::<Vec<_>>())
}

/// Narrow places of what a disc, carried round the outline from without, does not reach.
fn unreached(path: &Path, width: f64) -> Vec<Residue> {
    let part = Region::within(&[path]);
    // As a machine goes: once round the outside.
    let round = path.grown(width / 2.0, Corners::Round).into_iter().max_by(|a, b| a.area().abs().total_cmp(&b.area().abs()));
    let burned = Region::swept(round.as_slice(), width);
    let b = path.bounds().grown(3.0 * width);
    let sheet = Region::within(&[&Path::rectangle(b.min.x, b.min.y, b.width(), b.height())]);
    let left = sheet.minus(&burned);
    let kept = left.pieces_in(&part);
    let residues = kept.beyond(&part).residues(&part);
    residues.into_iter().filter(|r| r.is_narrow() && r.depth > 0.1).collect()
}

#[test]
fn notches_pockets_and_webs_are_told_from_corners() {
    let square = outline(&[(0.0, 0.0), (60.0, 0.0), (60.0, 40.0), (0.0, 40.0)]);
    assert!(unreached(&square, 1.6).is_empty());
    // A notch 1 mm wide, and a T slot whose pocket is 20 × 10.
    let notch = outline(&[(0.0, 0.0), (60.0, 0.0), (60.0, 40.0), (30.5, 40.0), (30.5, 34.0), (29.5, 34.0), (29.5, 40.0), (0.0, 40.0)]);
    let found = unreached(&notch, 1.6);
    assert!(found.len() == 1 && found[0].at.distance(Point::new(30.0, 34.0)) < 1.5 && found[0].area > 5.0, "{found:?}");
    assert!(unreached(&notch, 0.5).is_empty(), "wide enough for this beam");
    let pocket = outline(&[
        (0.0, 0.0),
        (60.0, 0.0),
        (60.0, 40.0),
        (30.5, 40.0),
        (30.5, 34.0),
        (40.0, 34.0),
        (40.0, 24.0),
        (20.0, 24.0),
        (20.0, 34.0),
        (29.5, 34.0),
        (29.5, 40.0),
        (0.0, 40.0),
    ]);
    let found = unreached(&pocket, 1.6);
    assert!(found.len() == 1 && found[0].area > 200.0, "{found:?}");
    // A corner of 60°, and one of 30°, are only rounded.
    for tip in [30.0 - 10.0_f64 / 60.0_f64.to_radians().tan(), 30.0 - 3.0] {
        let vee = outline(&[(0.0, 0.0), (60.0, 0.0), (60.0, 40.0), (60.0 - tip, 40.0), (30.0, 30.0), (tip, 40.0), (0.0, 40.0)]);
        assert!(unreached(&vee, 1.6).is_empty(), "{:?}", unreached(&vee, 1.6));
    }
    // Webs: between a hole and the edge, and a neck.
    let plate = Region::within(&[&square, &Path::circle(Point::new(30.0, 9.5), 9.0)]);
    let webs: Vec<Residue> = plate.beyond(&plate.opened(1.0)).residues(&plate).into_iter().filter(Residue::is_narrow).collect();
    assert!(webs.len() == 1 && webs[0].mouths == 2, "{webs:?}");
    let neck = outline(&[
        (0.0, 0.0),
        (20.0, 0.0),
        (20.0, 9.6),
        (40.0, 9.6),
        (40.0, 0.0),
        (60.0, 0.0),
        (60.0, 20.0),
        (40.0, 20.0),
        (40.0, 10.4),
        (20.0, 10.4),
        (20.0, 20.0),
        (0.0, 20.0),
    ]);
    let neck = Region::within(&[&neck]);
    let narrow: Vec<Residue> = neck.beyond(&neck.opened(1.0)).residues(&neck).into_iter().filter(Residue::is_narrow).collect();
    assert!(narrow.len() == 1 && narrow[0].area > 14.0, "{narrow:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// Outlines without a narrow place have none, whatever their corners; with a notch they have just that one.
    #[test]
    fn corners_alone_are_no_narrow_places(radii in prop::collection::vec(28.0..45.0_f64, 5..12), width in prop::sample::select(vec![0.18, 0.25, 1.6]), turn in 0.0..6.0_f64) {
        let n = radii.len() as f64;
        let points: Vec<Point> = radii.iter().enumerate().map(|(i, r)| (*r * Vec2::from_angle(turn + i as f64 / n * std::f64::consts::TAU)).to_point()).collect();
        let path = Path::polygon(&points);
        let found = unreached(&path, width);
        prop_assert!(found.is_empty(), "{found:?}");
        let region = Region::within(&[&path]);
        prop_assert!((region.area() - path.area().abs()).abs() < 1e-3);
        let thin: Vec<Residue> = region.beyond(&region.opened(3.0 * width)).residues(&region).into_iter().filter(Residue::is_narrow).collect();
        prop_assert!(thin.is_empty(), "{thin:?}");
        // A slot cut into the middle of the first edge.
        let (a, b) = (points[0], points[1]);
        let (along, inward) = ((b - a).normalize(), (b - a).normalize().turn_90());
        let (m, half) = (a.midpoint(b), width * 0.35);
        let slot = [m - along * half, m - along * half + inward * 5.0, m + along * half + inward * 5.0, m + along * half];
        let notched: Vec<Point> = std::iter::once(a).chain(slot).chain(points[1..].iter().copied()).collect();
        let found = unreached(&Path::polygon(&notched), width);
        prop_assert!(found.len() == 1 && found[0].at.distance(m) < 6.0 + width, "{found:?}");
    }
}

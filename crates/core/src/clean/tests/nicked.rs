//! Outlines that came nicked.

use super::*;
use crate::geometry::Path;

/// A closed path with gaps of `width` mm at these shares of its length.
fn nicked(path: &Path, at: &[f64], width: f64) -> Vec<Path> {
    let total = path.length();
    let from: Vec<f64> = at.iter().map(|s| s * total).collect();
    (0..from.len())
        .map(|i| {
            let next = if i + 1 < from.len() { from[i + 1] } else { from[0] + total };
            Path::new(path.piece(from[i] + width / 2.0, next - width / 2.0), false)
        })
        .collect()
}

/// A drawing of open paths.
fn pieces(paths: &[Path]) -> Drawing {
    crate::testing::outlines(paths)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    /// They are told; closed, they are the outline again, and the nicks stand where the gaps were.
    #[test]
    fn gaps_of_one_width_are_offered_as_nicks(round in any::<bool>(), width in 0.3..1.5_f64, at in prop::collection::btree_set(1..12_u32, 2..6)) {
        let whole = if round { Path::circle(Point::new(50.0, 40.0), 30.0) } else { Path::rectangle(0.0, 0.0, 120.0, 80.0) };
        // Away from corners: the rectangle's lie at 0.3, 0.5, 0.8 of its length.
        let shares: Vec<f64> = at.iter().map(|k| f64::from(*k) / 12.0 + 0.02).filter(|s| round || [0.3, 0.5, 0.8].iter().all(|c| (s - c).abs() > 0.02)).collect();
        prop_assume!(shares.len() > 1 && shares[0] > 0.03);
        let (_, findings) = clean(&pieces(&nicked(&whole, &shares, width)), |_| {});
        let told = findings.iter().find(|f| f.code == "nicks-drawn").expect("it is told");
        prop_assert_eq!(told.count, 1);
        prop_assert!(findings.iter().all(|f| f.code != "dashes" && f.code != "gaps"), "once is enough: {findings:?}");
        let mut decisions = crate::decisions::Decisions::on(crate::decisions::Stock::default());
        decisions.drawings.push(crate::decisions::DrawingDecisions::new(1, "hash", "a.dxf"));
        let decided = told.remedies[0].edit.apply(&decisions).expect("it applies");
        let (cleaned, findings) = clean(&pieces(&nicked(&whole, &shares, width)), |d| d.mends = decided.drawings[0].mends.clone());
        prop_assert!(findings.iter().all(|f| f.code != "nicks-drawn"));
        prop_assert_eq!(cleaned.contours.len(), 1);
        let c = &cleaned.contours[0];
        prop_assert!(c.path.closed && (c.area.abs() - whole.area().abs()).abs() < 0.01 * whole.area(), "{} for {}", c.area, whole.area());
        let places = &decided.first().hold.nick_places[&c.id];
        prop_assert_eq!(places.len(), shares.len());
        for share in &shares {
            let gap = whole.at(share * whole.length()).0;
            let near = places.iter().map(|p| c.path.at(p.along(&c.path)).0.distance(gap)).fold(f64::INFINITY, f64::min);
            prop_assert!(near < 0.05, "a nick {near} beside its gap");
        }
    }
}

#[test]
fn dashes_and_single_gaps_are_no_nicks() {
    let row: Vec<Path> = (0..20)
        .map(|k| Path::new(vec![Segment::line(Point::new(f64::from(k) * 5.0, 0.0), Point::new(f64::from(k) * 5.0 + 3.0, 0.0))], false))
        .collect();
    let told = |paths: &[Path]| clean(&pieces(paths), |_| {}).1.iter().filter(|f| f.code == "nicks-drawn").map(|f| f.count).sum::<usize>();
    assert_eq!(told(&row), 0);
    let whole = Path::rectangle(0.0, 20.0, 120.0, 80.0);
    let two = nicked(&whole, &[0.1, 0.6], 0.5);
    assert_eq!(told(&[row, two.clone()].concat()), 1, "the plate beside the dashes is");
    assert_eq!(told(&nicked(&whole, &[0.1], 0.5)), 0, "one gap is a fault of the drawing");
    // Gaps of very different widths are, too.
    let mut apart = two;
    apart[0].segments.pop();
    assert_eq!(told(&apart), 0);
}

//! Kinks: joints that were meant to be smooth and are not quite, so that the machine brakes at each.

use crate::geometry::{Path, Point, Segment, Vec2, biarc};

/// A joint is a kink when its sides differ by more than the first of these angles and less than the second, radians:
/// below 0.3° no machine notices, above 4° it was meant as a corner.
const KINK: (f64, f64) = (0.0052, 0.07);

/// Number of the joint before each segment that is a kink. Joints of two lines are a polyline's and not looked at.
pub(super) fn find(path: &Path) -> Vec<usize> {
    let s = &path.segments;
    let first = usize::from(!path.closed);
    (first..s.len())
        .filter(|i| {
            let (a, b) = (&s[(i + s.len() - 1) % s.len()], &s[*i]);
            let turn = a.direction(1.0).cross(b.direction(0.0)).atan2(a.direction(1.0).dot(b.direction(0.0))).abs();
            !(a.is_line() && b.is_line()) && (KINK.0..KINK.1).contains(&turn)
        })
        .collect()
}

/// Where the kinks are.
pub(super) fn places(path: &Path, kinks: &[usize]) -> Vec<Point> {
    kinks.iter().map(|i| path.segments[*i].start).collect()
}

/// The path with its kinks made smooth: lines stay, arcs beside a kink become pairs of arcs with the tangents that the
/// joint is to have. An arc that would move by more than `tolerance` mm stays as it was.
pub(super) fn smoothed(path: &Path, kinks: &[usize], tolerance: f64) -> Path {
    let s = &path.segments;
    let n = s.len();
    // The tangent at the joint before segment i: a line's own, between two arcs the mean.
    let tangent = |i: usize| -> Vec2 {
        let (a, b) = (&s[(i + n - 1) % n], &s[i % n]);
        match (a.is_line(), b.is_line()) {
            (true, _) => a.direction(1.0),
            (_, true) => b.direction(0.0),
            _ => (a.direction(1.0) + b.direction(0.0)).normalize(),
        }
    };
    let kinked = |i: usize| kinks.contains(&(i % n)) && (path.closed || !i.is_multiple_of(n));
    let mut out = Vec::with_capacity(n + kinks.len());
    for (i, arc) in s.iter().enumerate() {
        let (before, after) = (kinked(i), kinked(i + 1));
        if arc.is_line() || !(before || after) {
            out.push(*arc);
            continue;
        }
        let ahead = if before { tangent(i) } else { arc.direction(0.0) };
        let arriving = if after { tangent(i + 1) } else { arc.direction(1.0) };
        match biarc(arc.start, ahead, arc.end, arriving).filter(|pair| near(pair, arc, tolerance)) {
            Some(pair) => out.extend(pair),
            None => out.push(*arc),
        }
    }
    Path::new(out, path.closed)
}

/// True when no point of the pair is further than `tolerance` from the arc.
fn near(pair: &[Segment; 2], arc: &Segment, tolerance: f64) -> bool {
    pair.iter().all(|s| (0..=8).all(|i| arc.distance(s.at(f64::from(i) / 8.0)) <= tolerance))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A slot whose round ends miss their straight sides by `off` radians.
    fn slot(off: f64) -> Path {
        let p = |x: f64, y: f64| Point::new(x, y);
        let bulge = ((std::f64::consts::PI - 2.0 * off) / 4.0).tan();
        Path::new(
            vec![
                Segment::line(p(0.0, 0.0), p(30.0, 0.0)),
                Segment { start: p(30.0, 0.0), end: p(30.0, 8.0), bulge },
                Segment::line(p(30.0, 8.0), p(0.0, 8.0)),
                Segment { start: p(0.0, 8.0), end: p(0.0, 0.0), bulge },
            ],
            true,
        )
    }

    #[test]
    fn a_smooth_slot_and_true_corners_have_no_kinks() {
        assert!(find(&slot(0.0)).is_empty() && find(&slot(0.3)).is_empty());
        assert_eq!(find(&slot(0.02)), [0, 1, 2, 3]);
    }

    proptest! {
        #[test]
        fn smoothing_leaves_no_kink_and_stays_near(off in 0.006..0.05_f64) {
            let path = slot(off);
            let smooth = smoothed(&path, &find(&path), 0.3);
            prop_assert!(find(&smooth).is_empty(), "{:?}", find(&smooth));
            prop_assert!((smooth.area() - path.area()).abs() < 0.3 * path.length());
            for s in &smooth.segments {
                prop_assert!(path.nearest(s.at(0.5)).distance <= 0.3 + 1e-9);
            }
            // Where nothing may move, nothing does.
            prop_assert_eq!(smoothed(&path, &find(&path), 0.0), path);
        }
    }
}

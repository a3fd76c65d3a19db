//! Hairs: where a line goes past its corner and straight back, as rounded figures leave them at a closing point. They have
//! no width, but would be burned twice and keep other parts away.

use crate::geometry::{Path, Segment};

/// Takes hairs of up to `longest` mm off; what lies within `near` mm of a line lies on it.
pub(super) fn shave(path: &mut Path, longest: f64, near: f64) {
    let mut i = 0;
    let mut steady = 0;
    while path.segments.len() > 2 && steady <= path.segments.len() {
        let n = path.segments.len();
        let (at, next) = (i % n, (i + 1) % n);
        if next == 0 && !path.closed {
            return;
        }
        let (a, b) = (path.segments[at], path.segments[next]);
        if !hair(&a, &b, longest, near) {
            (i, steady) = (at + 1, steady + 1);
            continue;
        }
        // The longer of the two is left, shortened; where both are as long, nothing.
        path.segments[at] = Segment::line(a.start, b.end);
        path.segments.remove(next);
        let at = if next == 0 { at - 1 } else { at };
        if path.segments[at].chord() <= near {
            let gone = path.segments.remove(at);
            let n = path.segments.len();
            path.segments[at % n].start = gone.start;
        }
        (i, steady) = (at.saturating_sub(1), 0);
    }
}

fn hair(a: &Segment, b: &Segment, longest: f64, near: f64) -> bool {
    let (way, back) = (a.direction(1.0), b.direction(0.0));
    let short = a.length().min(b.length());
    a.is_line() && b.is_line() && short <= longest && way.dot(back) < 0.0 && way.cross(back).abs() * short <= near && way.dot(back) < -0.99
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use proptest::prelude::*;

    fn polygon(points: &[(f64, f64)]) -> Path {
        Path::polygon(&points.iter().map(|p| Point::new(p.0, p.1)).collect::<Vec<_>>())
    }

    proptest! {
        /// Wherever on an outline a hair stands, it goes, and the outline is what it was.
        #[test]
        fn a_hair_goes_and_the_outline_stays(corner in 0..4_usize, hair in 0.002..0.049_f64, begin in 0..5_usize) {
            let square: [(f64, f64); 4] = [(0.0, 0.0), (30.0, 0.0), (30.0, 20.0), (0.0, 20.0)];
            let mut points = square.to_vec();
            let (a, b) = (square[corner], square[(corner + 1) % 4]);
            let long = f64::hypot(b.0 - a.0, b.1 - a.1);
            let past = (b.0 + (b.0 - a.0) / long * hair, b.1 + (b.1 - a.1) / long * hair);
            points.insert(corner + 1, past);
            points.rotate_left(begin);
            let mut path = polygon(&points);
            shave(&mut path, 0.05, 0.001);
            prop_assert_eq!(path.segments.len(), 4);
            prop_assert!((path.length() - 100.0).abs() < 1e-6 && (path.area().abs() - 600.0).abs() < 1e-6);
            prop_assert!(path.segments.iter().zip(path.segments.iter().cycle().skip(1)).all(|(a, b)| a.end == b.start));
        }
    }

    /// A step of 0.04 mm and a line that comes back on itself by 20 mm stay, also where a hair beside them goes.
    #[test]
    fn what_is_drawn_is_no_hair() {
        for drawn in [&[(0.0, 0.0), (30.0, 0.0), (30.0, 0.04), (0.0, 20.0)][..], &[(0.0, 0.0), (30.0, 0.0), (10.0, 0.0), (0.0, 20.0)]] {
            let mut path = polygon(drawn);
            shave(&mut path, 0.05, 0.001);
            assert_eq!(path, polygon(drawn));
            // From the last corner home, 0.03 mm past it and back.
            let mut path = polygon(&[drawn, &[(0.0, -0.03)]].concat());
            shave(&mut path, 0.05, 0.001);
            assert_eq!(path.segments.len(), drawn.len(), "{path:?}");
            assert!((path.area() - polygon(drawn).area()).abs() < 1e-9 && (path.length() - polygon(drawn).length()).abs() < 1e-9);
        }
    }
}

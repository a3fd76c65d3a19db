//! Areas bounded by lines and arcs: moved aside, put together, taken from each other. Arcs stay arcs.

use super::{Path, Point, Segment};
use cavalier_contours::polyline::{BooleanOp, BooleanResultInfo, PlineSource, PlineSourceMut, Polyline};

/// How the corners of an outline are made when it is moved outward.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Corners {
    /// By arcs.
    #[default]
    Round,
    /// By the edges, prolonged until they meet; sharper than 30° they are cut.
    Mitre,
    /// By a straight cut.
    Cut,
}

/// A mitre is no longer than this many times the distance: corners below about 30° are cut.
const LONGEST_MITRE: f64 = 4.0;
/// Edges shorter than this, mm, are what rounding leaves where two curves nearly meet: no machine follows them.
const CRUMB: f64 = 0.001;

fn polyline(path: &Path) -> Polyline<f64> {
    let mut line = if path.closed { Polyline::new_closed() } else { Polyline::new() };
    for s in &path.segments {
        // Arcs of over half a turn are two: a bulge is at most 1 there.
        if s.bulge.abs() > 1.0 {
            for half in [s.piece(0.0, 0.5), s.piece(0.5, 1.0)] {
                line.add(half.start.x, half.start.y, half.bulge);
            }
        } else {
            line.add(s.start.x, s.start.y, s.bulge);
        }
    }
    if let Some(last) = path.segments.last().filter(|_| !path.closed) {
        line.add(last.end.x, last.end.y, 0.0);
    }
    line.remove_repeat_pos(1e-7).unwrap_or(line)
}

fn path(line: &Polyline<f64>) -> Path {
    let segments = line
        .iter_segments()
        .map(|(a, b)| Segment { start: Point::new(a.x, a.y), end: Point::new(b.x, b.y), bulge: a.bulge })
        .filter(|s| s.chord() > 1e-9);
    Path::new(without_crumbs(segments), line.is_closed())
}

/// Leaves out the crumbs of a closed path: the edge before each ends where the crumb did.
fn without_crumbs(segments: impl Iterator<Item = Segment>) -> Vec<Segment> {
    let mut out: Vec<Segment> = Vec::new();
    let mut ahead = Vec::new();
    for s in segments {
        match out.last_mut() {
            _ if s.length() > CRUMB => out.push(s),
            Some(last) => last.end = s.end,
            None => ahead.push(s),
        }
    }
    // Those before the first edge follow the last.
    if let (Some(last), Some(crumb)) = (out.last_mut(), ahead.last()) {
        last.end = crumb.end;
    }
    out
}

/// An area less than this is none, mm².
const NOTHING: f64 = 1e-6;

impl Path {
    /// The path moved to the left of its direction by `by` mm, to the right where that is negative: none, one or
    /// several paths. Outward corners are round.
    pub fn moved_left(&self, by: f64) -> Vec<Self> {
        polyline(self).parallel_offset(by).iter().map(path).filter(|p| p.segments.len() > usize::from(self.closed)).collect()
    }

    /// The closed path grown by `by` mm, shrunk where that is negative.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let plate = Path::rectangle(0.0, 0.0, 80.0, 50.0);
    /// let larger = &plate.grown(2.0, Corners::Mitre)[0];
    /// assert!((larger.area() - 84.0 * 54.0).abs() < 1e-6);
    /// assert!(plate.grown(-25.0, Corners::Mitre).is_empty(), "nothing is left of it");
    /// ```
    pub fn grown(&self, by: f64, corners: Corners) -> Vec<Self> {
        let left = if self.area() > 0.0 { -by } else { by };
        let mut found = self.moved_left(left);
        // Shrunk to a line there is nothing left of it.
        found.retain(|p| p.area().abs() > NOTHING);
        if corners != Corners::Round {
            found.iter_mut().for_each(|p| self.recorner(p, by.abs(), corners));
        }
        found
    }

    /// Replaces the round corners of `moved`, which are arcs about this path's corners.
    fn recorner(&self, moved: &mut Self, by: f64, corners: Corners) {
        let joint = |p: Point| self.segments.iter().any(|s| s.start.distance(p) < 1e-4);
        let mut out = Vec::with_capacity(moved.segments.len() + 4);
        for s in &moved.segments {
            if s.is_line() || (s.radius() - by).abs() > 1e-4 || !joint(s.center()) {
                out.push(*s);
                continue;
            }
            let reach = by / (s.sweep() / 2.0).cos();
            if corners == Corners::Cut || s.sweep().abs() > 2.8 || reach > LONGEST_MITRE * by {
                out.push(Segment::line(s.start, s.end));
                continue;
            }
            let middle = s.at(0.5) - s.center();
            let tip = s.center() + middle / middle.hypot() * reach;
            out.extend([Segment::line(s.start, tip), Segment::line(tip, s.end)]);
        }
        moved.segments = straightened(out);
    }

    /// Outlines round everything that lies in this closed path or the other, the openings that are left among them.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let bar = |x, y, w, h| Path::rectangle(x, y, w, h);
    /// let cross = bar(0.0, 10.0, 30.0, 10.0).welded(&bar(10.0, 0.0, 10.0, 30.0)).expect("they overlap");
    /// assert!((cross[0].area() - 500.0).abs() < 1e-6);
    /// ```
    pub fn welded(&self, other: &Self) -> Option<Vec<Self>> {
        self.combined(other, BooleanOp::Or)
    }
    /// What lies in both closed paths.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let shared = Path::rectangle(0.0, 0.0, 30.0, 30.0).shared_with(&Path::rectangle(20.0, 20.0, 30.0, 30.0)).expect("areas");
    /// assert!((shared[0].area().abs() - 100.0).abs() < 1e-6);
    /// ```
    pub fn shared_with(&self, other: &Self) -> Option<Vec<Self>> {
        self.combined(other, BooleanOp::And)
    }
    /// What lies in this closed path and not in the other: outlines and openings.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let left = Path::rectangle(0.0, 0.0, 30.0, 30.0).without(&Path::rectangle(20.0, 20.0, 30.0, 30.0)).expect("areas");
    /// assert!((left[0].area().abs() - 800.0).abs() < 1e-6);
    /// ```
    pub fn without(&self, other: &Self) -> Option<Vec<Self>> {
        self.combined(other, BooleanOp::Not)
    }

    /// `None` where one of the paths is not an area: open, or without extent.
    fn combined(&self, other: &Self, op: BooleanOp) -> Option<Vec<Self>> {
        if !self.closed || !other.closed {
            return None;
        }
        let anticlockwise = |p: &Self| if p.area() < 0.0 { polyline(&p.reversed()) } else { polyline(p) };
        let result = anticlockwise(self).boolean(&anticlockwise(other), op);
        if matches!(result.result_info, BooleanResultInfo::InvalidInput) {
            return None;
        }
        let all = result.pos_plines.iter().chain(&result.neg_plines).map(|r| path(&r.pline));
        Some(all.filter(|p| p.segments.len() > 1 && p.area().abs() > 1e-6).collect())
    }
}

/// Joins neighbouring edges of a closed path that run on straight.
fn straightened(segments: Vec<Segment>) -> Vec<Segment> {
    let on = |a: &Segment, b: &Segment| a.is_line() && b.is_line() && a.direction(1.0).dot(b.direction(0.0)) > 1.0 - 1e-12;
    let mut out: Vec<Segment> = Vec::with_capacity(segments.len());
    for s in segments {
        match out.last_mut() {
            Some(last) if on(last, &s) => last.end = s.end,
            _ => out.push(s),
        }
    }
    if out.len() > 2 && on(&out[out.len() - 1], &out[0]) {
        let start = out[out.len() - 1].start;
        out[0].start = start;
        out.pop();
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::PI;

    fn square(x: f64, y: f64, side: f64) -> Path {
        Path::rectangle(x, y, side, side)
    }

    proptest! {
        /// What is convex grows by its length times the distance and a disc (Steiner's formula), also where an arc takes
        /// more than half a turn.
        #[test]
        fn a_disc_with_a_piece_cut_off_grows_as_it_should(radius in 2.0..60.0_f64, sweep in 3.2..6.2_f64, from in 0.0..6.2_f64, by in 0.02..3.0_f64) {
            let arc = Segment::arc(Point::new(10.0, -7.0), radius, from, sweep);
            let disc = Path::new(vec![arc, Segment::line(arc.end, arc.start)], true);
            let grown = disc.grown(by, Corners::Round);
            prop_assert_eq!(grown.len(), 1);
            let wanted = disc.area().abs() + disc.length() * by + PI * by * by;
            prop_assert!((grown[0].area().abs() - wanted).abs() < 1e-6 * wanted, "{} {wanted}", grown[0].area());
        }
    }

    #[test]
    fn corners_are_round_mitred_or_cut() {
        let s = square(0.0, 0.0, 10.0);
        let area = |corners| s.grown(2.0, corners)[0].area().abs();
        assert!((area(Corners::Round) - (100.0 + 80.0 + 4.0 * PI)).abs() < 1e-6);
        assert!((area(Corners::Mitre) - 196.0).abs() < 1e-6);
        assert!((area(Corners::Cut) - (100.0 + 80.0 + 8.0)).abs() < 1e-6);
        assert_eq!(s.grown(2.0, Corners::Mitre)[0].segments.len(), 4);
        assert!((s.grown(-2.0, Corners::Round)[0].area().abs() - 36.0).abs() < 1e-6);
        assert!(s.grown(-6.0, Corners::Round).is_empty());
    }

    #[test]
    fn crumbs_go_and_the_path_stays_closed() {
        let p = |x: f64, y: f64| Point::new(x, y);
        let corners = [p(0.0002, 0.0), p(0.0006, 0.0), p(10.0, 0.0), p(10.0, 0.0004), p(10.0, 10.0), p(0.0, 10.0), p(0.0, 0.0)];
        let crumbled = Path::polygon(&corners);
        let whole = without_crumbs(crumbled.segments.iter().copied());
        assert_eq!(whole.len(), 4);
        assert!(whole.iter().zip(whole.iter().cycle().skip(1)).all(|(a, b)| a.end == b.start && a.length() > 9.9));
        assert!((Path::new(whole, true).area() - 100.0).abs() < 0.01);
        assert!(without_crumbs(Path::circle(Point::ZERO, 1e-4).segments.into_iter()).is_empty());
    }

    #[test]
    fn areas_combine() {
        let (a, b) = (square(0.0, 0.0, 10.0), square(5.0, 5.0, 10.0));
        let total = |paths: Option<Vec<Path>>| paths.map(|p| p.iter().map(|p| p.area().abs()).collect::<Vec<_>>());
        assert_eq!(total(a.welded(&b)), Some(vec![175.0]));
        assert_eq!(total(a.shared_with(&b)), Some(vec![25.0]));
        assert_eq!(total(a.without(&b)), Some(vec![75.0]));
        assert_eq!(a.without(&square(2.0, 2.0, 3.0)).map(|p| p.len()), Some(2), "an outline and an opening");
        assert_eq!(a.welded(&Path::new(vec![Segment::line(Point::ZERO, Point::new(5.0, 5.0))], false)), None);
        // Touching along an edge, and the same twice.
        assert_eq!(total(a.welded(&square(10.0, 0.0, 10.0))), Some(vec![200.0]));
        assert_eq!(total(a.welded(&a)), Some(vec![100.0]));
    }

    proptest! {
        /// Discs: what both have, what either has, and what is left of one add up.
        #[test]
        fn areas_add_up(x in 0.5..30.0_f64, r in 1.0..12.0_f64, s in 1.0..12.0_f64) {
            let (a, b) = (Path::circle(Point::ZERO, r), Path::circle(Point::new(x, 0.3), s));
            // What is wound the other way is an opening.
            let sum = |paths: Vec<Path>, whole: f64| paths.iter().map(|p| p.area().abs()).fold(0.0, |t, x| if t > 0.0 && x < t && paths.len() == 2 && whole < t { t - x } else { t + x });
            let both = a.shared_with(&b).unwrap_or_default().iter().map(|p| p.area().abs()).sum::<f64>();
            let either = a.welded(&b).unwrap_or_default().iter().map(|p| p.area().abs()).sum::<f64>();
            let expected = a.area() + b.area() - both;
            prop_assert!((either - expected).abs() < 1e-4 * expected.max(1.0), "{either} for {expected}");
            let left = sum(a.without(&b).unwrap_or_default(), a.area() - both + 1e-9);
            prop_assert!((left - (a.area() - both)).abs() < 1e-4 * a.area() || both < 1e-9);
        }

        /// Every point of a grown outline is as far from the outline as was asked.
        #[test]
        fn growth_keeps_its_distance(radii in prop::collection::vec(15.0..60.0_f64, 4..14), by in 0.2..8.0_f64) {
            let n = radii.len() as f64;
            let points: Vec<Point> = radii.iter().enumerate().map(|(i, r)| (*r * kurbo::Vec2::from_angle(i as f64 / n * 2.0 * PI)).to_point()).collect();
            let outline = Path::polygon(&points);
            for grown in outline.grown(by, Corners::Round) {
                for s in &grown.segments {
                    prop_assert!(s.length() > CRUMB);
                    prop_assert!((outline.nearest(s.at(0.4)).distance - by).abs() < 1e-3);
                }
            }
            for shrunk in outline.grown(-by, Corners::Round) {
                for s in &shrunk.segments {
                    prop_assert!(outline.contains(s.at(0.4)) && (outline.nearest(s.at(0.4)).distance - by).abs() < 1e-3);
                }
            }
            for corners in [Corners::Mitre, Corners::Cut] {
                for grown in outline.grown(by, corners) {
                    prop_assert!(grown.area().abs() > outline.area());
                    prop_assert!(grown.segments.windows(2).all(|w| w[0].end.distance(w[1].start) < 1e-6));
                }
            }
        }
    }
}

//! What of a line or an area lies inside outlines.

use super::{Bounds, Path, Segment, meetings};
use kurbo::Point;

/// Outlines that show what is inside them, taken even-odd: an outline within another is an opening.
#[derive(Clone, Debug, Default)]
pub struct Clip {
    outlines: Vec<(Path, Bounds)>,
}

impl Clip {
    /// A clip from closed outlines; whatever is open or empty is left out, so that a clip without outlines hides everything.
    pub fn new(outlines: impl IntoIterator<Item = Path>) -> Self {
        Self {
            outlines: outlines
                .into_iter()
                .filter(|p| p.closed && p.segments.len() > 1)
                .map(|p| (p.bounds(), p))
                .map(|(b, p)| (p, b))
                .collect(),
        }
    }

    /// True when the point is inside.
    pub fn has(&self, p: Point) -> bool {
        self.outlines.iter().filter(|(path, b)| b.has(p) && path.contains(p)).count() % 2 == 1
    }

    /// True for one upright rectangle: what lies in its box is inside.
    pub fn is_rectangle(&self) -> bool {
        let upright = |s: &Segment| s.is_line() && ((s.start.x - s.end.x).abs() < 1e-9 || (s.start.y - s.end.y).abs() < 1e-9);
        self.outlines.len() == 1 && self.outlines[0].0.segments.len() == 4 && self.outlines[0].0.segments.iter().all(upright)
    }

    /// Edges of all outlines.
    pub fn edges(&self) -> usize {
        self.outlines.iter().map(|o| o.0.segments.len()).sum()
    }

    /// Box round all outlines.
    pub fn bounds(&self) -> Bounds {
        self.outlines.iter().fold(Bounds::EMPTY, |b, o| b.union(o.1))
    }

    /// True when nothing of the box can be cut off: it meets no edge and its middle is inside.
    pub fn leaves(&self, b: Bounds) -> bool {
        let sides = Path::rectangle(b.min.x, b.min.y, b.width(), b.height()).segments;
        let edge = |s: &Segment| s.bounds().meets(&b) && (b.has(s.start) || sides.iter().any(|side| !meetings(s, side, 1e-9).is_empty()));
        !self.outlines.iter().filter(|o| o.1.meets(&b)).any(|o| o.0.segments.iter().any(edge)) && self.has(b.center())
    }

    /// The stretches at height `y` that are inside: left and right ends, ascending.
    pub fn row(&self, y: f64) -> Vec<(f64, f64)> {
        let mut xs: Vec<f64> = Vec::new();
        for (path, b) in self.outlines.iter().filter(|o| o.1.min.y <= y && y <= o.1.max.y) {
            let reach = Segment::line(Point::new(b.min.x - 1.0, y), Point::new(b.max.x + 1.0, y));
            for s in path.segments.iter().filter(|s| s.bounds().grown(1e-9).meets(&reach.bounds())) {
                xs.extend(meetings(&reach, s, 1e-9).into_iter().map(|m| m.point.x));
            }
        }
        xs.sort_by(f64::total_cmp);
        xs.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
        // What lies between two crossings is told by its middle: a row may touch a corner.
        let spans = xs.windows(2).map(|w| (w[0], w[1])).filter(|(a, b)| self.has(Point::new(f64::midpoint(*a, *b), y)));
        let mut out: Vec<(f64, f64)> = Vec::new();
        for (a, b) in spans {
            match out.last_mut().filter(|l| (l.1 - a).abs() < 1e-9) {
                Some(last) => last.1 = b,
                None => out.push((a, b)),
            }
        }
        out
    }

    /// The stretches of a line that are inside, as open paths; the line itself where all of it is. Points nearer than
    /// `same` are one point.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// let window = Clip::new([Path::rectangle(0.0, 0.0, 10.0, 10.0)]);
    /// let line = Path::new(vec![Segment::line(Point::new(-5.0, 4.0), Point::new(25.0, 4.0))], false);
    /// let seen = window.line(&line, 1e-6);
    /// assert!(seen.len() == 1 && (seen[0].length() - 10.0).abs() < 1e-9);
    /// ```
    pub fn line(&self, line: &Path, same: f64) -> Vec<Path> {
        let mut kept: Vec<Vec<Segment>> = Vec::new();
        let (mut open, mut cut) = (false, false);
        for s in &line.segments {
            for piece in self.pieces(s, same) {
                if !self.has(piece.at(0.5)) {
                    (open, cut) = (false, true);
                    continue;
                }
                match kept.last_mut().filter(|_| open) {
                    Some(last) => last.push(piece),
                    None => kept.push(vec![piece]),
                }
                open = true;
            }
        }
        if !cut {
            return vec![line.clone()];
        }
        // Round a closed outline the last stretch runs on into the first.
        if line.closed && open && kept.len() > 1 && kept[0][0].start == line.segments[0].start {
            let first = kept.remove(0);
            if let Some(last) = kept.last_mut() {
                last.extend(first);
            }
        }
        kept.into_iter().map(|segments| Path::new(segments, false)).collect()
    }

    /// A segment cut wherever it meets an outline.
    fn pieces(&self, s: &Segment, same: f64) -> Vec<Segment> {
        let b = s.bounds().grown(same);
        let near = self.outlines.iter().filter(|o| o.1.meets(&b)).flat_map(|o| &o.0.segments).filter(|e| e.bounds().grown(same).meets(&b));
        let length = s.length().max(f64::MIN_POSITIVE);
        let mut cuts: Vec<f64> = near.flat_map(|e| meetings(s, e, same)).map(|m| m.on_first).collect();
        cuts.retain(|t| t * length > same && (1.0 - t) * length > same);
        cuts.sort_by(f64::total_cmp);
        cuts.dedup_by(|a, b| (*a - *b) * length <= same);
        let ends = cuts.iter().copied().chain([1.0]);
        let starts = [0.0].into_iter().chain(cuts.iter().copied());
        starts.zip(ends).map(|(a, b)| if (a, b) == (0.0, 1.0) { *s } else { s.piece(a, b) }).collect()
    }

    /// What of an area is inside: outlines that, taken even-odd together with those of the area's other outlines, are the
    /// part of it that shows.
    pub fn area(&self, outline: &Path) -> Vec<Path> {
        self.outlines.iter().filter_map(|o| outline.shared_with(&o.0)).flatten().collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn ring() -> Clip {
        Clip::new([Path::circle(Point::ZERO, 20.0), Path::circle(Point::new(3.0, 0.0), 8.0)])
    }

    #[test]
    fn a_line_through_a_ring_shows_twice() {
        let line = Path::new(vec![Segment::line(Point::new(-30.0, 0.0), Point::new(30.0, 0.0))], false);
        let shown: Vec<(f64, f64)> = ring().line(&line, 1e-6).iter().map(|p| (p.segments[0].start.x, p.segments[0].end.x)).collect();
        let near = |a: (f64, f64), b: (f64, f64)| (a.0 - b.0).abs() < 1e-6 && (a.1 - b.1).abs() < 1e-6;
        assert!(shown.len() == 2 && near(shown[0], (-20.0, -5.0)) && near(shown[1], (11.0, 20.0)), "{shown:?}");
        assert!(Clip::default().line(&line, 1e-6).is_empty(), "an empty clip hides everything");
    }

    #[test]
    fn an_outline_wholly_inside_stays_an_outline() {
        let square = Path::rectangle(-16.0, -2.0, 4.0, 4.0);
        let shown = ring().line(&square, 1e-6);
        assert!(shown == vec![square.clone()] && ring().leaves(square.bounds()));
        // One that sticks out runs on over its own start.
        let out = Path::rectangle(12.0, -2.0, 14.0, 4.0);
        let shown = ring().line(&out, 1e-6);
        assert!(shown.len() == 1 && !shown[0].closed && shown[0].segments.len() == 3, "{shown:?}");
    }

    proptest! {
        /// Whatever shows is inside, and as long as samples along the line say.
        #[test]
        fn as_much_shows_as_lies_inside(points in prop::collection::vec((-30.0..30.0_f64, -30.0..30.0_f64), 2..12), bulge in -0.8..0.8_f64) {
            let points: Vec<Point> = points.into_iter().map(|(x, y)| Point::new(x, y)).collect();
            let segments: Vec<Segment> = points.windows(2).map(|w| Segment { start: w[0], end: w[1], bulge }).collect();
            let line = Path::new(segments, false);
            let clip = ring();
            let shown = clip.line(&line, 1e-6);
            let length: f64 = shown.iter().map(Path::length).sum();
            let n = 4000;
            let total = line.length();
            let sampled = (0..n).filter(|i| clip.has(line.at(total * (f64::from(*i) + 0.5) / f64::from(n)).0)).count() as f64 / f64::from(n) * total;
            prop_assert!((length - sampled).abs() < total * 0.01 + 0.2, "{length} of {sampled}");
            for s in shown.iter().flat_map(|p| &p.segments).filter(|s| s.length() > 1e-3) {
                prop_assert!(clip.has(s.at(0.5)));
            }
        }

        /// An area and what is cut off it add up.
        #[test]
        fn an_area_shows_as_far_as_the_clip_goes(x in -25.0..25.0_f64, y in -25.0..25.0_f64, w in 1.0..30.0_f64, h in 1.0..30.0_f64) {
            let area = Path::rectangle(x, y, w, h);
            let shown: Vec<Path> = ring().area(&area);
            let inside = |p: Point| shown.iter().filter(|s| s.contains(p)).count() % 2 == 1;
            for i in 0..40 {
                let p = Point::new(x + w * (f64::from(i % 8) + 0.503) / 8.0, y + h * (f64::from(i / 8) + 0.497) / 5.0);
                prop_assert_eq!(inside(p), ring().has(p));
            }
        }
    }
}

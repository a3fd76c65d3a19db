//! Outlines of what is dark in a picture.
//!
//! The grey levels are smoothed a little and cut at the threshold by marching squares with interpolation (Lorensen and
//! Cline, 1987, in the plane), so that an edge lies where the grey passes the threshold and not on the pixels' stairs; the
//! loops are walked at even steps and followed by lines and arcs.

pub use crate::decisions::clean::Trace;
use crate::drawing::Bitmap;
use crate::geometry::{Path, Point, Segment};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

/// Crossings followed at most: a picture with more is noise, and its threshold is wrong.
const MOST_CROSSINGS: usize = 6_000_000;

/// Closed outlines and openings, in pixels with y up from the lower edge. `None` where the picture is all noise.
pub fn trace(bitmap: &Bitmap, settings: &Trace) -> Option<Vec<Path>> {
    let level = f64::from(settings.threshold.unwrap_or_else(|| parting(bitmap))) + 0.5;
    let grid = Grid::new(bitmap, level, settings.invert);
    let loops = grid.loops()?;
    let smooth = settings.smooth.clamp(0.05, 10.0);
    let out = loops
        .into_iter()
        .filter(|l| crate::geometry::ring_area(l).abs() >= f64::from(settings.speck.max(1)))
        .map(|l| followed(&evenly(&l), smooth))
        .filter(|p| p.segments.len() > 1)
        .collect();
    Some(out)
}

/// The threshold that parts dark from light best: least variance within the two heaps (Otsu, 1979).
pub fn parting(bitmap: &Bitmap) -> u8 {
    let counted = |levels: &[u8]| {
        let mut heap = [0_u64; 256];
        levels.iter().for_each(|g| heap[usize::from(*g)] += 1);
        heap
    };
    let together = |mut a: [u64; 256], b: [u64; 256]| {
        a.iter_mut().zip(b).for_each(|(a, b)| *a += b);
        a
    };
    let heap = bitmap.grey.par_chunks(1 << 20).map(counted).reduce(|| [0; 256], together);
    let total: u64 = bitmap.grey.len() as u64;
    let sum: f64 = heap.iter().enumerate().map(|(g, n)| g as f64 * *n as f64).sum();
    let (mut below, mut below_sum) = (0_u64, 0.0);
    let mut best = (0.0, 127_usize, 127_usize);
    for (g, n) in heap.iter().enumerate() {
        below += n;
        below_sum += g as f64 * *n as f64;
        let above = total - below;
        if below == 0 || above == 0 {
            continue;
        }
        let apart = below_sum / below as f64 - (sum - below_sum) / above as f64;
        let between = below as f64 * above as f64 * apart * apart;
        // Between two clear heaps every threshold is as good: the middle of them is safest.
        if between > best.0 * (1.0 + 1e-12) {
            best = (between, g, g);
        } else if between >= best.0 * (1.0 - 1e-12) {
            best.2 = g;
        }
    }
    usize::midpoint(best.1, best.2) as u8
}

/// The picture with a frame of paper round it: how far each sample lies inside the shape, positive within.
struct Grid {
    width: usize,
    height: usize,
    inside: Vec<f32>,
}

impl Grid {
    fn new(bitmap: &Bitmap, level: f64, invert: bool) -> Self {
        let (w, h) = (bitmap.width, bitmap.height);
        let at = |x: usize, y: usize| f64::from(bitmap.grey[y * w + x]);
        let (width, height) = (w + 2, h + 2);
        let mut inside = vec![-128.0_f32; width * height];
        for y in 0..h {
            for x in 0..w {
                // A cross of five takes the stairs off without moving edges.
                let (l, r) = (x.saturating_sub(1), (x + 1).min(w - 1));
                let (u, d) = (y.saturating_sub(1), (y + 1).min(h - 1));
                let grey = (at(x, y) * 4.0 + at(l, y) + at(r, y) + at(x, u) + at(x, d)) / 8.0;
                let dark = if invert { grey - level } else { level - grey };
                inside[(y + 1) * width + x + 1] = dark as f32;
            }
        }
        Self { width, height, inside }
    }

    fn value(&self, x: usize, y: usize) -> f64 {
        f64::from(self.inside[y * self.width + x])
    }

    /// Where the shape's edge crosses a grid edge: from sample (x, y) to its right or lower neighbour.
    fn crossing(&self, key: usize) -> Point {
        let (cell, down) = (key / 2, key % 2 == 1);
        let (x, y) = (cell % self.width, cell / self.width);
        let (a, b) = (self.value(x, y), if down { self.value(x, y + 1) } else { self.value(x + 1, y) });
        let t = (a / (a - b)).clamp(0.02, 0.98);
        let (fx, fy) = if down { (x as f64, y as f64 + t) } else { (x as f64 + t, y as f64) };
        // Sample (1, 1) is the middle of the first pixel.
        Point::new(fx - 0.5, (self.height as f64 - 2.0) - (fy - 0.5))
    }

    /// All closed edges of the shape.
    fn loops(&self) -> Option<Vec<Vec<Point>>> {
        let mut next: FxHashMap<usize, usize> = FxHashMap::default();
        for y in 0..self.height - 1 {
            for x in 0..self.width - 1 {
                let v = [self.value(x, y), self.value(x + 1, y), self.value(x + 1, y + 1), self.value(x, y + 1)];
                let code = v.iter().fold(0, |c, v| c * 2 + usize::from(*v > 0.0));
                let cell = y * self.width + x;
                let (top, left) = (cell * 2, cell * 2 + 1);
                let (bottom, right) = ((cell + self.width) * 2, (cell + 1) * 2 + 1);
                let mut link = |from: usize, to: usize| {
                    next.insert(from, to);
                };
                let joined = v.iter().sum::<f64>() > 0.0;
                match code {
                    1 => link(left, bottom),
                    2 => link(bottom, right),
                    3 => link(left, right),
                    4 => link(right, top),
                    5 if joined => {
                        link(left, top);
                        link(right, bottom);
                    }
                    5 => {
                        link(right, top);
                        link(left, bottom);
                    }
                    6 => link(bottom, top),
                    7 => link(left, top),
                    8 => link(top, left),
                    9 => link(top, bottom),
                    10 if joined => {
                        link(top, right);
                        link(bottom, left);
                    }
                    10 => {
                        link(top, left);
                        link(bottom, right);
                    }
                    11 => link(top, right),
                    12 => link(right, left),
                    13 => link(right, bottom),
                    14 => link(bottom, left),
                    _ => {}
                }
            }
            if next.len() > MOST_CROSSINGS {
                return None;
            }
        }
        let mut starts: Vec<usize> = next.keys().copied().collect();
        starts.sort_unstable();
        let mut loops = Vec::new();
        for start in starts {
            let mut ring = Vec::new();
            let mut at = start;
            while let Some(to) = next.remove(&at) {
                ring.push(self.crossing(at));
                at = to;
            }
            if ring.len() >= 4 {
                loops.push(ring);
            }
        }
        Some(loops)
    }
}

/// Samples to either side over which a corner is looked for, and how far it turns there, radians.
const REACH: usize = 3;
const TURN: f64 = 0.8;

/// Lines and arcs along an evenly sampled ring. Runs end at corners: a line that went on round one would lean inward.
fn followed(ring: &[Point], smooth: f64) -> Path {
    let n = ring.len();
    let p = |i: usize| ring[i % n];
    let turn = |i: usize| {
        let (a, b) = (p(i) - p(i + n - REACH), p(i + REACH) - p(i));
        a.cross(b).atan2(a.dot(b)).abs()
    };
    let turns: Vec<f64> = (0..n).map(turn).collect();
    let sharpest = |i: usize| (0..2 * REACH).all(|k| turns[i] >= turns[(i + n - REACH + k) % n]);
    let mut corners: Vec<usize> = (0..n).filter(|i| n > 4 * REACH && turns[*i] > TURN && sharpest(*i)).collect();
    corners.dedup_by(|b, a| *b - *a < REACH);
    if corners.len() < 2 {
        return Path::polygon(ring).refitted(smooth);
    }
    // The smoothing has rounded the corners off: each run is followed without its ends, and prolonged to the next.
    let runs: Vec<Vec<Segment>> = (0..corners.len())
        .map(|k| {
            let from = corners[k];
            let to = if k + 1 < corners.len() { corners[k + 1] } else { corners[0] + n };
            let short = if to - from > 4 * REACH { 2 } else { 0 };
            let run = (from + short..to - short).map(|i| Segment::line(p(i), p(i + 1))).collect();
            Path::new(run, false).refitted(smooth).segments
        })
        .collect();
    joined(runs)
}

/// Runs to one closed path: straight ends are prolonged until they meet, others are joined by a line.
fn joined(mut runs: Vec<Vec<Segment>>) -> Path {
    let n = runs.len();
    for k in 0..n {
        let (a, b) = (runs[k][runs[k].len() - 1], runs[(k + 1) % n][0]);
        let (r, s) = (a.end - a.start, b.end - b.start);
        let cross = r.cross(s);
        let met = if a.is_line() && b.is_line() && cross.abs() > 0.1 * r.hypot() * s.hypot() {
            Some(a.start + r * ((b.start - a.start).cross(s) / cross)).filter(|m| m.distance(a.end) < 4.0 * REACH as f64)
        } else {
            None
        };
        let end = runs[k].len() - 1;
        if let Some(met) = met {
            runs[k][end].end = met;
            runs[(k + 1) % n][0].start = met;
        } else if a.end.distance(b.start) > 0.0 {
            runs[k].push(Segment::line(a.end, b.start));
        }
    }
    Path::new(runs.concat(), true)
}

/// The ring at even steps of about a pixel.
fn evenly(ring: &[Point]) -> Vec<Point> {
    let n = ring.len();
    let total: f64 = (0..n).map(|i| ring[i].distance(ring[(i + 1) % n])).sum();
    let steps = (total.round() as usize).max(8);
    let step = total / steps as f64;
    let mut out = Vec::with_capacity(steps);
    let (mut i, mut walked) = (0, 0.0);
    for k in 0..steps {
        let wanted = k as f64 * step;
        loop {
            let length = ring[i].distance(ring[(i + 1) % n]);
            if walked + length >= wanted || i + 1 == n {
                let t = if length > 0.0 { ((wanted - walked) / length).clamp(0.0, 1.0) } else { 0.0 };
                out.push(ring[i].lerp(ring[(i + 1) % n], t));
                break;
            }
            walked += length;
            i += 1;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::PI;

    /// A picture of a shape given by its distance inside, soft at the edge as a scan is.
    fn picture(width: usize, height: usize, inside: impl Fn(f64, f64) -> f64) -> Bitmap {
        let grey = (0..height).flat_map(|y| (0..width).map(move |x| (x, y))).map(|(x, y)| {
            let depth = inside(x as f64 + 0.5, height as f64 - y as f64 - 0.5);
            (128.0 - depth * 255.0).clamp(0.0, 255.0) as u8
        });
        Bitmap { width, height, grey: grey.collect() }
    }

    #[test]
    fn a_disc_is_traced_as_few_arcs_with_its_area() {
        let disc = picture(200, 160, |x, y| 50.0 - (x - 90.0).hypot(y - 70.0));
        let found = trace(&disc, &Trace::default()).expect("no noise");
        assert_eq!(found.len(), 1);
        let p = &found[0];
        assert!(p.segments.len() <= 8, "{} pieces", p.segments.len());
        assert!((p.area().abs() - PI * 2500.0).abs() < 0.01 * PI * 2500.0, "{}", p.area());
        assert!(p.bounds().center().distance(Point::new(90.0, 70.0)) < 0.3);
    }

    #[test]
    fn rings_have_openings_specks_go_and_light_shapes_are_inverted() {
        let ring = |x: f64, y: f64| {
            (40.0 - (x - 60.0).hypot(y - 60.0)).min((x - 60.0).hypot(y - 60.0) - 20.0).max(1.2 - (x - 115.0).hypot(y - 10.0))
        };
        let dark = picture(125, 120, ring);
        assert_eq!(trace(&dark, &Trace::default()).map(|t| t.len()), Some(2), "an outline and its opening; the speck is left out");
        assert_eq!(trace(&dark, &Trace { speck: 1, ..Trace::default() }).map(|t| t.len()), Some(3));
        let light = Bitmap { grey: dark.grey.iter().map(|g| 255 - g).collect(), ..dark.clone() };
        assert_eq!(trace(&light, &Trace { invert: true, ..Trace::default() }).map(|t| t.len()), Some(2));
        assert!((i32::from(parting(&dark)) - 127).abs() < 60);
        assert_eq!(
            trace(&Bitmap { width: 30, height: 20, grey: vec![255; 600] }, &Trace { threshold: Some(128), ..Trace::default() }),
            Some(Vec::new())
        );
    }

    #[test]
    fn a_square_keeps_its_sides() {
        let square = picture(120, 120, |x, y| (30.0 - (x - 60.0).abs()).min(30.0 - (y - 60.0).abs()));
        let found = trace(&square, &Trace { threshold: Some(127), ..Trace::default() }).expect("no noise");
        assert!((found[0].area().abs() - 3600.0).abs() < 40.0, "{}", found[0].area());
        assert!(found[0].segments.len() <= 12, "{}", found[0].segments.len());
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]
        /// Any shape with corners, as a scan has it: the outline stays within a pixel of it and is not made of stairs.
        #[test]
        fn outlines_stay_near_the_shape(radii in prop::collection::vec(30.0..75.0_f64, 3..9), turn in 0.0..1.0_f64, invert in any::<bool>()) {
            let n = radii.len() as f64;
            let corner = |(i, r): (usize, &f64)| Point::new(80.0, 80.0) + kurbo::Vec2::from_angle((i as f64 + turn) / n * 2.0 * PI) * *r;
            let shape = Path::polygon(&radii.iter().enumerate().map(corner).collect::<Vec<_>>());
            let depth = |x: f64, y: f64| {
                let p = Point::new(x, y);
                shape.nearest(p).distance * if shape.contains(p) { 1.0 } else { -1.0 }
            };
            let drawn = picture(160, 160, depth);
            let scan = if invert { Bitmap { grey: drawn.grey.iter().map(|g| 255 - g).collect(), ..drawn } } else { drawn };
            let found = trace(&scan, &Trace { threshold: Some(127), invert, ..Trace::default() }).expect("no noise");
            prop_assert_eq!(found.len(), 1);
            let outline = &found[0];
            prop_assert!((outline.area().abs() - shape.area().abs()).abs() < shape.length() * 0.3, "{} for {}", outline.area(), shape.area());
            for s in &outline.segments {
                for k in 0..6 {
                    let p = s.at(f64::from(k) / 6.0);
                    prop_assert!(shape.nearest(p).distance < 1.3, "{} pixels off at {:?}", shape.nearest(p).distance, p);
                }
            }
            prop_assert!(outline.segments.len() <= radii.len() * 6, "{} pieces for {} edges", outline.segments.len(), radii.len());
        }
    }
}

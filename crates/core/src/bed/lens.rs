//! How a camera sees the bed: a plane in perspective (a homography), bent by its lens.
//!
//! A place of the bed goes to (u, v) = H (x, y, 1), in half diagonals of the picture from its middle, and is bent to
//! (u, v) (1 + k r²) with r² = u² + v² (D. C. Brown, Decentering distortion of lenses, 1966, its first term: marks that all stand
//! in the corners cannot tell it from the next). The nine figures are found from places that are known, by the direct linear
//! transform for a start and then by damped least squares (K. Levenberg, 1944).

use crate::geometry::{Affine, Point, solved};

/// Figures of a lens.
const N: usize = 9;
/// Rounds of the least squares at most.
const ROUNDS: usize = 60;
/// Worst that a place that is known may lie off once the lens is found, in half diagonals of the picture.
const WORST: f64 = 0.006;

/// Farthest that a point of a photo may lie from its corner, pixels, or from the bed's, mm.
const FARTHEST: f64 = 1e5;

/// How a camera sees a bed.
#[derive(Clone, Debug, PartialEq)]
pub struct Lens {
    figures: [f64; N],
    /// Size of the picture, pixels, and of the bed, mm.
    picture: (f64, f64),
    bed: (f64, f64),
}

impl Lens {
    /// The lens of a camera whose picture, so many pixels large, shows these places of a bed (mm) at these pixels from its upper
    /// left corner. At least four places, no three of them in line; more than nine make it sure. Fails where they do not fit together.
    pub fn found(places: &[(Point, Point)], picture: (usize, usize), bed: (f64, f64)) -> Result<Self, String> {
        let picture = (picture.0 as f64, picture.1 as f64);
        let mut lens = Self { figures: [0.0; N], picture, bed };
        let known: Vec<(Point, Point)> = places.iter().map(|(on_bed, seen)| (lens.scaled(*on_bed), lens.middled(*seen))).collect();
        let unclear = || "the marks do not lie as marks on this bed do; check that they are in their places".to_owned();
        lens.figures[..8].copy_from_slice(&straight(&known).ok_or_else(unclear)?);
        lens.fit(&known);
        let off = known.iter().map(|(a, b)| bent(&lens.figures, *a).distance(*b)).fold(0.0, f64::max);
        if off < WORST { Ok(lens) } else { Err(unclear()) }
    }

    /// Where a place of the bed (mm) is seen, pixels from the picture's upper left corner.
    pub fn seen(&self, on_bed: Point) -> Point {
        let p = bent(&self.figures, self.scaled(on_bed));
        let half = self.picture.0.hypot(self.picture.1) / 2.0;
        Point::new(self.picture.0 / 2.0 + p.x * half, self.picture.1 / 2.0 - p.y * half)
    }

    fn scaled(&self, on_bed: Point) -> Point {
        let side = self.bed.0.max(self.bed.1);
        Point::new((on_bed.x - self.bed.0 / 2.0) / side, (on_bed.y - self.bed.1 / 2.0) / side)
    }

    fn middled(&self, seen: Point) -> Point {
        let half = self.picture.0.hypot(self.picture.1) / 2.0;
        Point::new((seen.x - self.picture.0 / 2.0) / half, (self.picture.1 / 2.0 - seen.y) / half)
    }

    /// Least squares from where the figures are.
    fn fit(&mut self, known: &[(Point, Point)]) {
        let misses = |f: &[f64; N]| -> Vec<f64> {
            known
                .iter()
                .flat_map(|(a, b)| {
                    let p = bent(f, *a);
                    [p.x - b.x, p.y - b.y]
                })
                .collect()
        };
        let sum = |m: &[f64]| m.iter().map(|v| v * v).sum::<f64>();
        let mut now = misses(&self.figures);
        let mut damping = 1e-3;
        for _ in 0..ROUNDS {
            let mut slopes = vec![[0.0; N]; now.len()];
            for k in 0..N {
                let mut moved = self.figures;
                let step = 1e-6;
                moved[k] += step;
                for (row, (after, before)) in slopes.iter_mut().zip(misses(&moved).iter().zip(&now)) {
                    row[k] = (after - before) / step;
                }
            }
            let mut matrix = vec![vec![0.0; N + 1]; N];
            for (row, miss) in slopes.iter().zip(&now) {
                for i in 0..N {
                    (0..N).for_each(|j| matrix[i][j] += row[i] * row[j]);
                    matrix[i][N] -= row[i] * miss;
                }
            }
            (0..N).for_each(|i| matrix[i][i] += damping * (matrix[i][i] + 1e-9));
            let Some(step) = solved(matrix) else { break };
            let mut next = self.figures;
            (0..N).for_each(|k| next[k] += step[k]);
            let then = misses(&next);
            if sum(&then) < sum(&now) {
                let gained = sum(&now) - sum(&then);
                (self.figures, damping) = (next, damping / 5.0);
                let done = gained < 1e-16;
                now = then;
                if done {
                    break;
                }
            } else {
                damping *= 10.0;
                if damping > 1e9 {
                    break;
                }
            }
        }
    }
}

/// A place of the bed, in its longer sides from its middle, as it is seen, in half diagonals from the picture's middle.
fn bent(f: &[f64; N], p: Point) -> Point {
    let w = f[6] * p.x + f[7] * p.y + 1.0;
    let (u, v) = ((f[0] * p.x + f[1] * p.y + f[2]) / w, (f[3] * p.x + f[4] * p.y + f[5]) / w);
    let r = u * u + v * v;
    let by = 1.0 + f[8] * r;
    Point::new(u * by, v * by)
}

/// The homography through places, without a lens: eight figures by least squares of u (h₆x + h₇y + 1) = h₀x + h₁y + h₂, and so for v.
fn straight(known: &[(Point, Point)]) -> Option<[f64; 8]> {
    let mut matrix = vec![vec![0.0; 9]; 8];
    for (p, q) in known {
        for (row, value) in
            [([p.x, p.y, 1.0, 0.0, 0.0, 0.0, -q.x * p.x, -q.x * p.y], q.x), ([0.0, 0.0, 0.0, p.x, p.y, 1.0, -q.y * p.x, -q.y * p.y], q.y)]
        {
            for i in 0..8 {
                (0..8).for_each(|j| matrix[i][j] += row[i] * row[j]);
                matrix[i][8] += row[i] * value;
            }
        }
    }
    solved(matrix)?.try_into().ok()
}

/// From places of the bed (mm) to pixels of a photo from above that shows two of them at these pixels from its upper left corner,
/// y down: turned and scaled evenly. Fails where two of the points are one.
pub fn similar(on_bed: [Point; 2], seen: [Point; 2]) -> Result<Affine, String> {
    let up = |p: Point| Point::new(p.x, -p.y);
    let (b, s) = (on_bed[1] - on_bed[0], up(seen[1]) - up(seen[0]));
    if on_bed.iter().chain(&seen).any(|p| !(p.x.abs() < FARTHEST && p.y.abs() < FARTHEST)) {
        return Err("a point lies far off the picture; click it again".into());
    }
    if b.hypot() < 10.0 || s.hypot() < 10.0 {
        return Err("the two points are too near to each other to tell a scale; take two that are far apart".into());
    }
    let (scale, turn) = (s.hypot() / b.hypot(), s.atan2() - b.atan2());
    let flip = Affine::FLIP_Y;
    Ok(flip
        * Affine::translate(up(seen[0]).to_vec2())
        * Affine::rotate(turn)
        * Affine::scale(scale)
        * Affine::translate(-on_bed[0].to_vec2()))
}

#[cfg(test)]
mod tests {
    use super::super::dots;
    use super::*;
    use proptest::prelude::*;

    /// A pinhole camera over the bed with a lens in front of it, worked out in space: where a place of the bed is seen.
    fn camera(p: Point, bed: (f64, f64), tilt: (f64, f64), height: f64, k: f64, size: (f64, f64)) -> Point {
        let (x, y) = (p.x - bed.0 / 2.0, p.y - bed.1 / 2.0);
        // Turned about the camera's x, then about its y.
        let (s, c) = tilt.0.sin_cos();
        let (y1, z1) = (y * c - height * s, y * s + height * c);
        let (s, c) = tilt.1.sin_cos();
        let (x2, z2) = (x * c + z1 * s, -x * s + z1 * c);
        let (u, v) = (x2 / z2, y1 / z2);
        let half = size.0.hypot(size.1) / 2.0;
        // What is bent is the direction; the focal length brings the bed into the picture.
        let focal = 0.85 * height / (bed.0.hypot(bed.1) / 2.0);
        let (u, v) = (u * focal, v * focal);
        let r = u * u + v * v;
        Point::new(size.0 / 2.0 + half * u * (1.0 + k * r), size.1 / 2.0 - half * v * (1.0 + k * r))
    }

    proptest! {
        /// Four marks of five dots, each seen up to a fifth of a pixel off, tell where everything between them is to a pixel, and
        /// the bed's corners beyond them to two and a half.
        #[test]
        fn marks_tell_where_everything_is(tilt in (-0.12..0.12_f64, -0.12..0.12_f64), k in -0.22..0.05_f64, seed in 0..1000_u32) {
            let (bed, size) = ((900.0, 600.0), (1600.0, 1200.0));
            let see = |p: Point| camera(p, bed, tilt, 900.0, k, size);
            let off = |i: usize, n: u32| (f64::from((seed * 7919 + i as u32 * 104_729 + n * 1301) % 401) / 200.0 - 1.0) * 0.2;
            let places: Vec<(Point, Point)> = dots(bed).iter().flatten().enumerate().map(|(i, p)| {
                let q = see(*p);
                (*p, Point::new(q.x + off(i, 0), q.y + off(i, 1)))
            }).collect();
            let lens = Lens::found(&places, (1600, 1200), bed).expect("a lens");
            for i in 0..=6 {
                for j in 0..=4 {
                    let p = Point::new(f64::from(i) * 150.0, f64::from(j) * 150.0);
                    let off = lens.seen(p).distance(see(p));
                    let beyond = i % 6 == 0 && j % 4 == 0;
                    prop_assert!(off < if beyond { 2.5 } else { 1.0 }, "{off} pixels at {p:?}");
                }
            }
        }

        #[test]
        fn two_points_lay_a_photo_flat(at in (0.0..900.0_f64, 0.0..600.0_f64), turn in -0.5..0.5_f64, scale in 0.5..4.0_f64) {
            let truth = Affine::translate((700.0, 500.0)) * Affine::FLIP_Y * Affine::rotate(turn) * Affine::scale(scale);
            let two = [Point::new(10.0, 20.0), Point::new(800.0, 500.0)];
            let found = similar(two, [truth * two[0], truth * two[1]]).expect("told");
            let p = Point::new(at.0, at.1);
            prop_assert!((found * p).distance(truth * p) < 1e-6);
        }
    }

    #[test]
    fn what_does_not_fit_is_said() {
        let bed = (900.0, 600.0);
        let mut places: Vec<(Point, Point)> = dots(bed).iter().flatten().map(|p| (*p, Point::new(p.x + 50.0, 900.0 - p.y))).collect();
        assert!(Lens::found(&places, (1100, 1000), bed).is_ok());
        places[7].1.x += 90.0;
        assert!(Lens::found(&places, (1100, 1000), bed).is_err());
        assert!(similar([Point::ZERO; 2], [Point::ZERO, Point::new(100.0, 0.0)]).is_err());
        for odd in [f64::NAN, f64::INFINITY, 1e300] {
            let two = [Point::ZERO, Point::new(100.0, 0.0)];
            assert!(similar(two, [Point::new(odd, 0.0), two[1]]).is_err() && similar([two[0], Point::new(0.0, odd)], two).is_err());
        }
    }
}

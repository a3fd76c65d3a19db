//! Rational B-splines, as DXF's SPLINE holds them.

use kurbo::{Affine, Point, Vec2};

/// Highest degree accepted: beyond it nobody draws, and evaluation grows with its square.
const HIGHEST_DEGREE: usize = 16;

/// A rational B-spline curve.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Nurbs {
    degree: usize,
    knots: Vec<f64>,
    /// Control points in homogeneous form: (w x, w y, w).
    points: Vec<[f64; 3]>,
}

impl Nurbs {
    /// A curve of `degree` over `knots` (non-decreasing, points + degree + 1 of them). `weights` is empty for a plain
    /// B-spline. `None` when the counts do not fit, a knot goes backward or a weight is not positive.
    pub fn new(degree: usize, knots: Vec<f64>, points: &[Point], weights: &[f64]) -> Option<Self> {
        let counts = (1..=HIGHEST_DEGREE).contains(&degree) && points.len() > degree && knots.len() == points.len() + degree + 1;
        let ordered = knots.windows(2).all(|k| k[0] <= k[1]) && knots.iter().all(|k| k.is_finite());
        let weighted = weights.is_empty() || weights.len() == points.len() && weights.iter().all(|w| *w > 0.0 && w.is_finite());
        if !(counts && ordered && weighted && knots[degree] < knots[points.len()]) {
            return None;
        }
        let weight = |i: usize| weights.get(i).copied().unwrap_or(1.0);
        let points = points.iter().enumerate().map(|(i, p)| [p.x * weight(i), p.y * weight(i), weight(i)]).collect();
        Some(Self { degree, knots, points })
    }

    /// Parameter intervals between distinct knots: the curve is one rational polynomial on each.
    pub fn spans(&self) -> Vec<(f64, f64)> {
        let domain = &self.knots[self.degree..=self.points.len()];
        let least = (domain[domain.len() - 1] - domain[0]) * 1e-12;
        domain.windows(2).filter(|k| k[1] - k[0] > least).map(|k| (k[0], k[1])).collect()
    }

    /// The curve under an affine map; weights stay.
    pub fn transformed(&self, a: Affine) -> Self {
        let map = |p: &[f64; 3]| {
            let q = a * Point::new(p[0] / p[2], p[1] / p[2]);
            [q.x * p[2], q.y * p[2], p[2]]
        };
        Self { degree: self.degree, knots: self.knots.clone(), points: self.points.iter().map(map).collect() }
    }

    /// Point and derivative at parameter `t`, by de Boor's recurrence (de Boor, "On calculating with B-splines", 1972).
    /// `span` is the interval that holds `t`, so that each end is taken from the inside.
    pub fn at(&self, t: f64, span: (f64, f64)) -> (Point, Vec2) {
        let p = self.degree;
        let middle = f64::midpoint(span.0, span.1);
        let k = self.knots.partition_point(|k| *k <= middle).clamp(p + 1, self.points.len()) - 1;
        let mut d: Vec<[f64; 3]> = (0..=p).map(|j| self.points[j + k - p]).collect();
        let mut slope = [0.0; 3];
        for r in 1..=p {
            if r == p {
                let width = self.knots[k + 1] - self.knots[k];
                for c in 0..3 {
                    slope[c] = (d[p][c] - d[p - 1][c]) * p as f64 / width;
                }
            }
            for j in (r..=p).rev() {
                let i = j + k - p;
                let width = self.knots[i + p - r + 1] - self.knots[i];
                let share = if width > 0.0 { (t - self.knots[i]) / width } else { 0.0 };
                let before = d[j - 1];
                for (v, b) in d[j].iter_mut().zip(before) {
                    *v = b * (1.0 - share) + *v * share;
                }
            }
        }
        let [x, y, w] = d[p];
        let point = Point::new(x / w, y / w);
        (point, Vec2::new(slope[0] - slope[2] * point.x, slope[1] - slope[2] * point.y) / w)
    }
}

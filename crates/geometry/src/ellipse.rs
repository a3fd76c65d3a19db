//! A quarter of an ellipse, from vertex to vertex, by the fewest arcs.
//!
//! A chain of arcs that join smoothly is told by the directions at its joints and by its radii. With n the normal at angle
//! φ, an arc about c lies c·n + r from the centre where its normal is n, and the ellipse √(a² cos² φ + b² sin² φ): the
//! difference of the two is how far they are apart (the support functions of Minkowski), and it is linear in the radii. So
//! the best radii for given joints are found directly; the joints are moved until the greatest distance is small enough. At both vertices the chain has the ellipse's own tangent, so quarters join
//! smoothly.

use super::{Segment, solved};
use kurbo::{Point, Vec2};
use std::f64::consts::FRAC_PI_2;

/// Arcs of one quarter at most; flatter ellipses, or finer tolerances, go the general way.
const MOST: usize = 14;
/// Numbers of arcs that are tried, from the least that theory allows.
const TRIED: usize = 4;
/// Ellipses flatter than this are next to a line and go the general way.
const FLATTEST: f64 = 0.02;
/// Places on each arc at which the distance is looked at.
const LOOKS: usize = 10;
/// Times that the weights of the greatest distances are raised.
const SHARPER: usize = 8;
/// Rounds in which joints are moved.
const ROUNDS: usize = 24;

/// Arcs from the end of the half axis `x` to the end of the half axis `y`, about `center`, within `tolerance`. `None`
/// where more than [`MOST`] would be needed.
pub(super) fn quarter(center: Point, x: Vec2, y: Vec2, tolerance: f64) -> Option<Vec<Segment>> {
    let (a, b) = (x.hypot(), y.hypot());
    // Always from the sharp vertex, where the bend is greatest, to the flat one.
    if a < b {
        let arcs = quarter(center, y, x, tolerance)?;
        return Some(arcs.iter().rev().map(Segment::reversed).collect());
    }
    let chain = known(a, b, tolerance)?;
    let (x, y) = (x / a, y / b);
    let side = x.cross(y).signum();
    let world = |p: Point| center + x * p.x + y * p.y;
    let points = chain.points(a);
    let bulge = |i: usize| ((chain.joints[i + 1] - chain.joints[i]) / 4.0).tan() * side;
    let mut out: Vec<Segment> =
        (0..chain.radii.len()).map(|i| Segment { start: world(points[i]), end: world(points[i + 1]), bulge: bulge(i) }).collect();
    // The ends are the vertices, to the last digit.
    if let Some(last) = out.last_mut() {
        last.end = center + y * b;
    }
    Some(out)
}

/// Radii of least weighted squares over the rows, among those whose chain goes by `end` in all; `None` where the joints
/// allow none.
fn weighed(rows: &[(Vec<f64>, f64)], weights: &[f64], steps: &[Vec2], end: (f64, f64)) -> Option<Vec<f64>> {
    let n = steps.len();
    let size = n + 2;
    let mut m = vec![vec![0.0; size + 1]; size];
    for ((row, wanted), w) in rows.iter().zip(weights) {
        for i in 0..n {
            if row[i] != 0.0 {
                (0..n).for_each(|j| m[i][j] += w * row[i] * row[j]);
                m[i][size] += w * row[i] * wanted;
            }
        }
    }
    for (j, step) in steps.iter().enumerate() {
        (m[n][j], m[n + 1][j]) = (step.x, step.y);
        (m[j][n], m[j][n + 1]) = (step.x, step.y);
    }
    (m[n][size], m[n + 1][size]) = end;
    solved(m).map(|mut x| {
        x.truncate(n);
        x
    })
}

/// Directions at the joints, from 0 to a quarter turn, and the radii between them.
#[derive(Clone, Debug)]
struct Chain {
    joints: Vec<f64>,
    radii: Vec<f64>,
}

/// Chains kept for ellipses of the same size: blocks are drawn many times.
const KEPT: usize = 64;

fn known(a: f64, b: f64, tolerance: f64) -> Option<Chain> {
    type Kept = std::collections::VecDeque<([u64; 3], Option<Chain>)>;
    thread_local! {
        static KNOWN: std::cell::RefCell<Kept> = const { std::cell::RefCell::new(Kept::new()) };
    }
    // To a millionth of their size: copies of a block differ by rounding.
    let coarse = |v: f64| (v as f32).to_bits();
    let key = [u64::from(coarse(a)), u64::from(coarse(b)), tolerance.to_bits()];
    KNOWN.with_borrow_mut(|kept| {
        if let Some((_, chain)) = kept.iter().find(|k| k.0 == key) {
            return chain.clone();
        }
        let chain = fewest(a, b, tolerance);
        if kept.len() >= KEPT {
            kept.pop_front();
        }
        kept.push_back((key, chain.clone()));
        chain
    })
}

fn fewest(a: f64, b: f64, tolerance: f64) -> Option<Chain> {
    if b < a * FLATTEST {
        return None;
    }
    // Where the bend rises by κ' a length, arcs of length l come κ' l³ / (72 √3) away: so many are needed at least, the
    // halves at the two ends as one.
    let rises = 400;
    let density: Vec<f64> = (0..rises).map(|i| (f64::from(i) + 0.5) / f64::from(rises) * FRAC_PI_2).map(|phi| rise(a, b, phi)).collect();
    let total: f64 = density.iter().sum::<f64>() * FRAC_PI_2 / f64::from(rises);
    let least = (total / (124.7 * tolerance).cbrt()).floor().max(1.0);
    if least > MOST as f64 {
        return None;
    }
    (least as usize + 1..=least as usize + TRIED).find_map(|n| {
        let even = spread(&density, n);
        let (chain, distance) = settled(a, b, even, tolerance);
        (distance <= tolerance).then_some(chain)
    })
}

/// |κ'|^(1/3) for each radian that the direction turns: arcs are as many as this has area.
fn rise(a: f64, b: f64, phi: f64) -> f64 {
    // With h = √(a² cos² φ + b² sin² φ) the radius is a² b² / h³; κ' = dκ/dφ · κ.
    let h2 = (a * phi.cos()).powi(2) + (b * phi.sin()).powi(2);
    let radius = a * a * b * b / h2.powf(1.5);
    let slope = 3.0 * h2.sqrt() * (a * a - b * b) * phi.sin() * phi.cos() / (a * a * b * b);
    (slope / radius).abs().cbrt() * radius
}

/// Joints between which the density has equal shares, half shares at both ends: there the arcs run on into the next quarter.
fn spread(density: &[f64], n: usize) -> Vec<f64> {
    let total: f64 = density.iter().sum();
    let step = FRAC_PI_2 / density.len() as f64;
    let mut joints = vec![0.0];
    let mut sum = 0.0;
    let upto = |k: usize| if n > 1 { total * (k as f64 - 0.5) / (n - 1) as f64 } else { total };
    for (i, d) in density.iter().enumerate() {
        while joints.len() < n && sum + d >= upto(joints.len()) {
            let share = (upto(joints.len()) - sum) / d.max(f64::MIN_POSITIVE);
            joints.push((i as f64 + share) * step);
        }
        sum += d;
    }
    joints.resize(n, FRAC_PI_2);
    joints.push(FRAC_PI_2);
    joints
}

/// Joints moved until the distance gets no smaller, or is small enough.
fn settled(a: f64, b: f64, joints: Vec<f64>, tolerance: f64) -> (Chain, f64) {
    let (mut best, mut distance) = Chain::with(a, b, joints);
    let mut step = 0.3;
    for _ in 0..ROUNDS {
        if distance <= tolerance || step < 1e-3 {
            break;
        }
        let mut better = false;
        for i in 1..best.joints.len() - 1 {
            for way in [-1.0, 1.0] {
                let room = if way < 0.0 { best.joints[i] - best.joints[i - 1] } else { best.joints[i + 1] - best.joints[i] };
                let mut joints = best.joints.clone();
                joints[i] += way * room * step;
                let (tried, d) = Chain::with(a, b, joints);
                if d < distance {
                    (best, distance, better) = (tried, d, true);
                }
            }
        }
        if !better {
            step *= 0.6;
        }
    }
    (best, distance)
}

impl Chain {
    /// The radii with which a chain of these joints comes nearest, and how near that is. How far chain and ellipse are
    /// apart is linear in the radii, so the least greatest distance is found by least squares whose weights grow where the
    /// distance is great (Lawson, 1961).
    fn with(a: f64, b: f64, joints: Vec<f64>) -> (Self, f64) {
        let n = joints.len() - 1;
        let normals: Vec<Vec2> = joints.iter().map(|j| Vec2::from_angle(*j)).collect();
        let steps: Vec<Vec2> = normals.windows(2).map(|w| w[1] - w[0]).collect();
        // A row a place: what each radius adds to the chain's distance from the centre there, and what it should come to.
        let mut rows: Vec<(Vec<f64>, f64)> = Vec::with_capacity(n * (LOOKS + 1));
        for i in 0..n {
            for k in 0..=LOOKS {
                let normal = Vec2::from_angle(joints[i] + (joints[i + 1] - joints[i]) * k as f64 / LOOKS as f64);
                let mut row = vec![0.0; n];
                (0..i).for_each(|j| row[j] = steps[j].dot(normal));
                row[i] = 1.0 - normals[i].dot(normal);
                rows.push((row, (a * normal.x).hypot(b * normal.y) - a * normal.x));
            }
        }
        let mut weights = vec![1.0; rows.len()];
        let mut best: (Vec<f64>, f64) = (Vec::new(), f64::INFINITY);
        for _ in 0..SHARPER {
            let Some(radii) = weighed(&rows, &weights, &steps, (-a, b)) else { break };
            let off: Vec<f64> =
                rows.iter().map(|(row, wanted)| (row.iter().zip(&radii).map(|(x, r)| x * r).sum::<f64>() - wanted).abs()).collect();
            let most = off.iter().copied().fold(0.0, f64::max);
            if most < best.1 && radii.iter().all(|r| *r > 0.0) {
                best = (radii, most);
            }
            let mean = off.iter().zip(&weights).map(|(o, w)| o * w).sum::<f64>() / weights.iter().sum::<f64>();
            if mean <= 0.0 || most <= mean * 1.02 {
                break;
            }
            weights.iter_mut().zip(&off).for_each(|(w, o)| *w *= (o / mean).max(0.05));
        }
        let (radii, distance) = best;
        let distance = if radii.len() == n { distance } else { f64::INFINITY };
        (Self { joints, radii }, distance)
    }

    /// Where the arcs join, ends included.
    fn points(&self, a: f64) -> Vec<Point> {
        let mut at = Point::new(a, 0.0);
        let mut out = vec![at];
        for (i, r) in self.radii.iter().enumerate() {
            at += (Vec2::from_angle(self.joints[i + 1]) - Vec2::from_angle(self.joints[i])) * *r;
            out.push(at);
        }
        out
    }
}

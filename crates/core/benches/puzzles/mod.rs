//! Rectangles cut up, to be put together again.

use boustrophe_core::geometry::{Path, Point, Vec2};
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};

/// A rectangle cut into `n` pieces: straight across, along the sides, or with a kink, one of the largest third each time; or always the
/// largest, through its middle at any angle.
#[derive(Clone, Copy, PartialEq)]
pub enum Cut {
    Straight,
    Square,
    Kinked,
    Middle,
}

/// The pieces of a rectangle of 400 × 300 mm.
pub fn puzzle(n: usize, cut: Cut, seed: u64) -> Vec<Vec<Point>> {
    let mut rng = SmallRng::seed_from_u64(seed);
    let mut pieces = vec![vec![Point::ZERO, Point::new(400.0, 0.0), Point::new(400.0, 300.0), Point::new(0.0, 300.0)]];
    let area = |p: &[Point]| (0..p.len()).map(|i| p[i].to_vec2().cross(p[(i + 1) % p.len()].to_vec2())).sum::<f64>() / 2.0;
    while pieces.len() < n {
        pieces.sort_by(|a, b| area(b).total_cmp(&area(a)));
        if cut == Cut::Middle {
            let [one, other] = halves(&pieces[0], Vec2::from_angle(rng.random_range(0.0..std::f64::consts::TAU)));
            pieces[0] = one;
            pieces.push(other);
            continue;
        }
        let k = rng.random_range(0..pieces.len().div_ceil(3));
        let p = pieces[k].clone();
        let edge = |i: usize| (p[i], p[(i + 1) % p.len()]);
        let (i, j) = if cut == Cut::Square {
            let long = usize::from(p[1].distance(p[0]) < p[2].distance(p[1]));
            (long, long + 2)
        } else {
            let i = rng.random_range(0..p.len());
            (i, (i + rng.random_range(1..p.len())) % p.len())
        };
        let (i, j) = (i.min(j), i.max(j));
        let t = rng.random_range(0.3..0.7);
        let (a, b) = (
            edge(i).0.lerp(edge(i).1, t),
            edge(j).0.lerp(edge(j).1, if cut == Cut::Square { 1.0 - t } else { rng.random_range(0.3..0.7) }),
        );
        let mut way = vec![a];
        if cut == Cut::Kinked {
            let across = (b - a).turn_90() * rng.random_range(-0.35..0.35);
            way.push(a.midpoint(b) + across);
        }
        way.push(b);
        let mut one: Vec<Point> = way.clone();
        one.extend((j + 1..=i + p.len()).map(|m| p[m % p.len()]));
        let mut other: Vec<Point> = way.into_iter().rev().collect();
        other.extend((i + 1..=j).map(|m| p[m]));
        let crosses = |ring: &[Point]| {
            let side = |a: Point, b: Point, c: Point| (b - a).cross(c - a);
            (0..ring.len()).any(|x| {
                (x + 2..ring.len()).any(|y| {
                    let (a, b, c, d) = (ring[x], ring[(x + 1) % ring.len()], ring[y], ring[(y + 1) % ring.len()]);
                    !(x == 0 && y == ring.len() - 1) && side(a, b, c) * side(a, b, d) <= 0.0 && side(c, d, a) * side(c, d, b) <= 0.0
                })
            })
        };
        let thin = |ring: &[Point]| {
            let around: f64 = (0..ring.len()).map(|x| ring[x].distance(ring[(x + 1) % ring.len()])).sum();
            area(ring) < 0.02 * around * around
        };
        if !crosses(&one) && !crosses(&other) && !thin(&one) && !thin(&other) {
            pieces[k] = one;
            pieces.push(other);
        }
    }
    pieces
}

/// A convex piece cut through its middle.
fn halves(piece: &[Point], way: Vec2) -> [Vec<Point>; 2] {
    let middle = Path::polygon(piece).centroid();
    let side = |p: Point| way.cross(p - middle);
    let (mut left, mut right) = (Vec::new(), Vec::new());
    for (i, a) in piece.iter().enumerate() {
        let b = piece[(i + 1) % piece.len()];
        if side(*a) >= 0.0 {
            left.push(*a)
        } else {
            right.push(*a)
        }
        if (side(*a) >= 0.0) != (side(b) >= 0.0) {
            let at = a.lerp(b, side(*a) / (side(*a) - side(b)));
            left.push(at);
            right.push(at);
        }
    }
    [left, right]
}

//! Lattices found by chance: two vectors and how a pair lies, thrown and shaken until nothing gets denser. It knows nothing of the
//! engine's regions: whether copies keep their distance is measured from edge to edge.

use boustrophe_core::geometry::Vec2;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use std::time::{Duration, Instant};

/// Neighbours looked at along each vector.
const REACH: i32 = 3;
/// Shakes of one throw.
const SHAKES: usize = 6000;

/// Corners of a shape, in one of its turns.
type Shape = Vec<Vec2>;

fn gap(a: (Vec2, Vec2), b: (Vec2, Vec2)) -> f64 {
    let to = |p: Vec2, (s, e): (Vec2, Vec2)| {
        let along = e - s;
        (p - s - along * ((p - s).dot(along) / along.hypot2()).clamp(0.0, 1.0)).hypot()
    };
    let side = |p: Vec2, (s, e): (Vec2, Vec2)| (e - s).cross(p - s);
    let crosses = side(a.0, b) * side(a.1, b) < 0.0 && side(b.0, a) * side(b.1, a) < 0.0;
    if crosses { 0.0 } else { to(a.0, b).min(to(a.1, b)).min(to(b.0, a)).min(to(b.1, a)) }
}

fn edges(s: &Shape) -> impl Iterator<Item = (Vec2, Vec2)> + '_ {
    (0..s.len()).map(|i| (s[i], s[(i + 1) % s.len()]))
}

fn inside(p: Vec2, s: &Shape) -> bool {
    edges(s).filter(|(a, b)| (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x)).count() % 2 == 1
}

/// True where `b`, moved by `by`, keeps `spacing` mm from `a`.
fn apart(a: &Shape, b: &Shape, by: Vec2, spacing: f64, reach: f64) -> bool {
    if by.hypot() > reach {
        return true;
    }
    let near = |e: (Vec2, Vec2)| edges(b).any(|f| gap(e, (f.0 + by, f.1 + by)) < spacing - 1e-9);
    !edges(a).any(near) && !inside(a[0], &b.iter().map(|p| *p + by).collect()) && !inside(b[0] + by, a)
}

/// The shortest two vectors of the same lattice (Lagrange): its nearest places are a few steps of these away.
fn reduced(mut a: Vec2, mut b: Vec2) -> (Vec2, Vec2) {
    for _ in 0..200 {
        if a.hypot2() > b.hypot2() {
            std::mem::swap(&mut a, &mut b);
        }
        let times = (a.dot(b) / a.hypot2().max(1e-12)).round();
        if times == 0.0 {
            break;
        }
        b -= a * times;
    }
    (a, b)
}

struct Throw {
    first: Vec2,
    second: Vec2,
    pair: Option<(usize, Vec2)>,
}

impl Throw {
    fn each(&self) -> f64 {
        self.first.cross(self.second).abs() / if self.pair.is_some() { 2.0 } else { 1.0 }
    }
    fn holds(&self, turns: &[Shape], spacing: f64, reach: f64) -> bool {
        let steps = (-REACH..=REACH).flat_map(|i| (-REACH..=REACH).map(move |j| (i, j)));
        let (first, second) = reduced(self.first, self.second);
        let way = |(i, j): (i32, i32)| first * f64::from(i) + second * f64::from(j);
        let own = |s: &Shape| steps.clone().filter(|s| *s > (0, 0)).all(|s2| apart(s, s, way(s2), spacing, reach));
        // Of all places that the second has by the lattice, the one near the first.
        let near = |at: Vec2| {
            let area = first.cross(second);
            let (i, j) = (at.cross(second) / area, first.cross(at) / area);
            at - first * i.round() - second * j.round()
        };
        let pair = |(turn, at): (usize, Vec2)| {
            let at = near(at);
            own(&turns[turn]) && steps.clone().all(|s| apart(&turns[0], &turns[turn], at + way(s), spacing, reach))
        };
        own(&turns[0]) && self.pair.is_none_or(pair)
    }
}

/// Area for each copy of a shape in the densest lattice that chance finds in so many seconds, mm².
pub fn densest(corners: &[Vec2], spacing: f64, seconds: f64) -> f64 {
    let turned = |k: i32| corners.iter().map(|c| (0..k).fold(*c, |v, _| v.turn_90())).collect();
    let turns: Vec<Shape> = (0..4).map(turned).collect();
    let size = corners.iter().map(|c| c.hypot()).fold(0.0, f64::max);
    let reach = 2.0 * size + spacing;
    let (began, limit) = (Instant::now(), Duration::from_secs_f64(seconds));
    let mut dice = SmallRng::seed_from_u64(3);
    let mut best = f64::INFINITY;
    while began.elapsed() < limit {
        let some = |dice: &mut SmallRng, r: f64| Vec2::new(dice.random_range(-r..r), dice.random_range(-r..r));
        let pair = dice.random_bool(0.7).then(|| (dice.random_range(1..4), some(&mut dice, reach)));
        let mut now = Throw { first: some(&mut dice, 2.0 * reach), second: some(&mut dice, 2.0 * reach), pair };
        if !now.holds(&turns, spacing, reach) {
            continue;
        }
        let mut step = size * 0.5;
        for k in 0..SHAKES {
            let shake = |v: Vec2, dice: &mut SmallRng| v + some(dice, step);
            let which = dice.random_range(0..4);
            let next = Throw {
                first: if which == 0 || which == 3 { shake(now.first, &mut dice) } else { now.first },
                second: if which == 1 || which == 3 { shake(now.second, &mut dice) } else { now.second },
                pair: now.pair.map(|(t, at)| (t, if which >= 2 { shake(at, &mut dice) } else { at })),
            };
            // A little worse is followed at first, so that a throw gets out of a dent.
            let patience = 1.0 + 0.02 * (1.0 - k as f64 / SHAKES as f64);
            if next.each() < now.each() * patience && next.holds(&turns, spacing, reach) {
                best = best.min(next.each());
                now = next;
            }
            step = (step * 0.9987).max(1e-3);
        }
    }
    best
}

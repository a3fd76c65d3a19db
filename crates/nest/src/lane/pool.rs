//! Near misses: attempts that failed by little. The next attempt begins from one of them, the nearest most often.

use super::Piece;
use rand::Rng;
use rand::rngs::SmallRng;

/// Near misses that are kept for a goal.
const MOST: usize = 100;
/// Which of them is taken: half a normal distribution with this share of their number for its deviation.
const DEVIATION: f64 = 0.25;

/// Failed attempts for one goal, those that overlapped least first.
#[derive(Default)]
pub(super) struct Pool(Vec<(f64, Vec<Piece>)>);

impl Pool {
    /// Keeps an attempt with what overlapped in it at the least.
    pub(super) fn keep(&mut self, overlap: f64, pieces: &[Piece]) {
        if !overlap.is_finite() {
            return;
        }
        let at = self.0.partition_point(|near| near.0 <= overlap);
        if at < MOST {
            self.0.insert(at, (overlap, pieces.to_vec()));
            self.0.truncate(MOST);
        }
    }

    /// One of them, the nearest most often; `None` where there is none yet.
    pub(super) fn one_of_the_nearest(&self, dice: &mut SmallRng) -> Option<&Vec<Piece>> {
        // Box and Muller, "A note on the generation of random normal deviates", 1958.
        let (a, b): (f64, f64) = (dice.random_range(f64::EPSILON..1.0), dice.random());
        let normal = (-2.0 * a.ln()).sqrt() * (std::f64::consts::TAU * b).cos();
        let at = (normal.abs() * DEVIATION * self.0.len() as f64) as usize;
        self.0.get(at).or(self.0.first()).map(|near| &near.1)
    }

    /// Forgets all.
    pub(super) fn clear(&mut self) {
        self.0.clear();
    }
}

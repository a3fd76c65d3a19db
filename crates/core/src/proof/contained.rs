//! Which closed contour lies in which, found without the code that gathered the parts: an error there is to be seen here.
//!
//! Contours are taken by points along them, and whether a point lies in a ring is told by how often the ring winds round
//! it (the sum of the angles under which its edges are seen), not by crossings.

use crate::geometry::{Bounds, Path, Point};
use std::f64::consts::PI;

/// Chord error of the rings, mm.
const ERROR: f64 = 0.02;
/// Points of a contour that are looked at.
const LOOKS: usize = 7;

struct Contour {
    ring: Vec<Point>,
    bounds: Bounds,
    /// Area by the shoelace formula, mm².
    area: f64,
}

impl Contour {
    fn of(path: &Path) -> Self {
        let ring = path.points(ERROR);
        let next = |i: usize| ring[(i + 1) % ring.len()];
        let area: f64 = (0..ring.len()).map(|i| ring[i].x * next(i).y - next(i).x * ring[i].y).sum::<f64>() / 2.0;
        Self { bounds: Bounds::of(ring.iter().copied()), area: area.abs(), ring }
    }

    /// Whether the ring winds round `p`.
    fn winds_round(&self, p: Point) -> bool {
        let mut before = self.ring[self.ring.len() - 1] - p;
        let mut sum = 0.0;
        for q in &self.ring {
            let now = *q - p;
            sum += before.cross(now).atan2(before.dot(now));
            before = now;
        }
        sum.abs() > PI
    }
}

/// For each closed path the smallest one around it.
pub(super) fn around(paths: &[&Path]) -> Vec<Option<usize>> {
    let all: Vec<Contour> = paths.iter().map(|p| Contour::of(p)).collect();
    let mut by_area: Vec<usize> = (0..all.len()).filter(|i| all[*i].ring.len() > 2).collect();
    by_area.sort_by(|a, b| all[*a].area.total_cmp(&all[*b].area));
    let place: Vec<usize> = {
        let mut place = vec![0; all.len()];
        by_area.iter().enumerate().for_each(|(k, i)| place[*i] = k);
        place
    };
    (0..all.len())
        .map(|i| {
            let c = &all[i];
            if c.ring.len() < 3 {
                return None;
            }
            let larger = by_area[place[i]..].iter().copied().filter(|j| *j != i && all[*j].area > c.area * (1.0 + 1e-9));
            larger.filter(|j| all[*j].bounds.grown(ERROR).holds(&c.bounds)).find(|j| {
                let step = (c.ring.len() / LOOKS).max(1);
                let looked: Vec<bool> = (0..c.ring.len()).step_by(step).map(|k| all[*j].winds_round(middle(&c.ring, k))).collect();
                2 * looked.iter().filter(|inside| **inside).count() > looked.len()
            })
        })
        .collect()
}

/// The middle of an edge: corners may touch what is around.
fn middle(ring: &[Point], k: usize) -> Point {
    ring[k].midpoint(ring[(k + 1) % ring.len()])
}

//! Finding near points in constant time: a grid of cells at least twice the search radius wide.

use crate::geometry::Point;
use rustc_hash::FxHashMap;

/// Points by cell. Each point is an index that the caller gives.
pub(super) struct Cells {
    size: f64,
    first: FxHashMap<(i64, i64), u32>,
    next: Vec<u32>,
    points: Vec<Point>,
}

const NONE: u32 = u32::MAX;

impl Cells {
    /// A grid for searches of up to `radius` mm.
    pub(super) fn new(radius: f64, expected: usize) -> Self {
        Self {
            size: radius.max(1e-9) * 2.0,
            first: FxHashMap::with_capacity_and_hasher(expected, Default::default()),
            next: Vec::with_capacity(expected),
            points: Vec::with_capacity(expected),
        }
    }

    /// Adds a point; its index is the number of points added before.
    pub(super) fn add(&mut self, p: Point) -> usize {
        let index = self.points.len();
        let cell = ((p.x / self.size).floor() as i64, (p.y / self.size).floor() as i64);
        let head = self.first.entry(cell).or_insert(NONE);
        self.next.push(*head);
        *head = index as u32;
        self.points.push(p);
        index
    }

    /// Calls `visit` with the index and distance of each point within `radius` of `p`.
    pub(super) fn near(&self, p: Point, radius: f64, visit: impl FnMut(usize, f64)) {
        self.near_few(p, radius, usize::MAX, visit);
    }

    /// The same, but ends once so many points were looked at: in a crowd that is too many to be told apart. False where it ended so.
    pub(super) fn near_few(&self, p: Point, radius: f64, most: usize, mut visit: impl FnMut(usize, f64)) -> bool {
        let mut looked = 0;
        // The cells that a disc no wider than a cell can touch: the four round the nearest grid corner.
        let corner = ((p.x / self.size).round() as i64, (p.y / self.size).round() as i64);
        for dx in -1..=0 {
            for dy in -1..=0 {
                let Some(head) = self.first.get(&(corner.0 + dx, corner.1 + dy)) else { continue };
                let mut at = *head;
                while at != NONE {
                    looked += 1;
                    if looked > most {
                        return false;
                    }
                    let distance = self.points[at as usize].distance(p);
                    if distance <= radius {
                        visit(at as usize, distance);
                    }
                    at = self.next[at as usize];
                }
            }
        }
        true
    }
}

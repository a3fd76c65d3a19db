//! Finding near points in constant time: a grid of cells at least twice the search radius wide.

use crate::geometry::Point;
use rustc_hash::FxHashMap;

/// Points by cell. Each point is an index that the caller gives.
pub(super) struct Cells {
    size: f64,
    first: FxHashMap<(i64, i64), u32>,
    next: Vec<u32>,
    points: Vec<Point>,
    /// Once all are there: those of a cell one behind the other, as they would be visited.
    packed: Option<Packed>,
}

/// The points of each cell in a row: what is looked at together lies together.
struct Packed {
    cells: FxHashMap<(i64, i64), std::ops::Range<u32>>,
    points: Vec<(Point, u32)>,
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
            packed: None,
        }
    }

    /// Puts the points in order, once no more are added: each is looked at hundreds of times where they lie thick.
    pub(super) fn pack(&mut self) {
        let mut packed = Packed { cells: FxHashMap::default(), points: Vec::with_capacity(self.points.len()) };
        for (cell, head) in &self.first {
            let begin = packed.points.len() as u32;
            let mut at = *head;
            while at != NONE {
                packed.points.push((self.points[at as usize], at));
                at = self.next[at as usize];
            }
            packed.cells.insert(*cell, begin..packed.points.len() as u32);
        }
        self.packed = Some(packed);
    }

    /// Adds a point; its index is the number of points added before.
    pub(super) fn add(&mut self, p: Point) -> usize {
        let index = self.points.len();
        let cell = ((p.x / self.size).floor() as i64, (p.y / self.size).floor() as i64);
        let head = self.first.entry(cell).or_insert(NONE);
        self.next.push(*head);
        *head = index as u32;
        self.points.push(p);
        debug_assert!(self.packed.is_none(), "nothing comes behind what was put in order");
        index
    }

    /// Calls `visit` with the index and distance of each point within `radius` of `p`.
    pub(super) fn near(&self, p: Point, radius: f64, visit: impl FnMut(usize, f64)) {
        self.near_few(p, radius, usize::MAX, visit);
    }

    /// The same, but ends once so many points were looked at: in a crowd that is too many to be told apart. False where it ended so.
    pub(super) fn near_few(&self, p: Point, radius: f64, most: usize, mut visit: impl FnMut(usize, f64)) -> bool {
        self.near_places(p, radius, most, |i, _, distance| visit(i, distance))
    }

    /// The same, with where each point is.
    pub(super) fn near_places(&self, p: Point, radius: f64, most: usize, mut visit: impl FnMut(usize, Point, f64)) -> bool {
        let mut looked = 0;
        // The cells that a disc no wider than a cell can touch: the four round the nearest grid corner.
        let corner = ((p.x / self.size).round() as i64, (p.y / self.size).round() as i64);
        for dx in -1..=0 {
            for dy in -1..=0 {
                let cell = (corner.0 + dx, corner.1 + dy);
                if let Some(packed) = &self.packed {
                    let range = packed.cells.get(&cell).map_or(0..0, |r| r.start as usize..r.end as usize);
                    let within = most - looked;
                    for (q, i) in packed.points[range.clone()].iter().take(within) {
                        let squared = (*q - p).hypot2();
                        if squared <= radius * radius {
                            visit(*i as usize, *q, squared.sqrt());
                        }
                    }
                    if range.len() > within {
                        return false;
                    }
                    looked += range.len();
                    continue;
                }
                let Some(head) = self.first.get(&cell) else { continue };
                let mut at = *head;
                while at != NONE {
                    looked += 1;
                    if looked > most {
                        return false;
                    }
                    let distance = self.points[at as usize].distance(p);
                    if distance <= radius {
                        visit(at as usize, self.points[at as usize], distance);
                    }
                    at = self.next[at as usize];
                }
            }
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// In order or not, the same points are found, as many are looked at, and it ends in the same crowds.
        #[test]
        fn what_is_put_in_order_is_found_as_before(
            points in prop::collection::vec((-30.0..30.0_f64, -30.0..30.0_f64), 1..200), radius in 0.5..9.0_f64, most in 1..120_usize,
        ) {
            let mut cells = Cells::new(9.0, 16);
            let points: Vec<Point> = points.into_iter().map(|(x, y)| Point::new(x, y)).collect();
            for p in &points {
                cells.add(*p);
            }
            let all = |cells: &Cells| {
                points.iter().map(|p| {
                    let mut found = Vec::new();
                    let told_apart = cells.near_few(*p, radius, most, |i, _| found.push(i));
                    (told_apart, found)
                }).collect::<Vec<_>>()
            };
            let before = all(&cells);
            cells.pack();
            prop_assert_eq!(all(&cells), before);
        }
    }
}

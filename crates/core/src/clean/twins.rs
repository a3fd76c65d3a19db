//! Outlines that run beside each other all the way round: the same drawn twice, a hair apart, or the two edges of a line that was made
//! an area of its width.

use super::chain::Chained;
use super::told::Told;
use crate::decisions::Mend;
use crate::drawing::Style;
use crate::geometry::{Corners, Path, Point, Segment};
use rstar::primitives::GeomWithData;
use rstar::{AABB, PointDistance, RTree, RTreeObject};
use rustc_hash::FxHashMap;
use std::cell::Cell;

/// Outlines that nowhere lie further apart than this are one drawn twice, mm.
const TWICE: f64 = 0.04;
/// A line drawn as an area is no wider than this, mm.
const WIDEST: f64 = 0.45;
/// The edges of such a line are as far apart everywhere, to this share.
const EVEN: f64 = 0.6;
/// What is smaller than this all over is no outline to be told, mm.
const LEAST: f64 = 2.0;
/// Outlines that are looked at beside one.
const CROWD: usize = 12;
/// Distances between places and sides that are measured in one drawing: some seconds. What is left then is told.
const MOST_LOOKS: u64 = 2_000_000;

/// Two outlines beside each other: the one that stays, the other, and how far apart they are at most and at least.
struct Pair {
    stays: usize,
    goes: usize,
    most: f64,
    least: f64,
}

/// Tells of such outlines, or does what was decided about them.
pub(super) fn run(contours: &mut Vec<Chained>, styles: &[Style], told: &mut Told) {
    let (found, unlooked) = pairs(contours, styles);
    told.not_compared(unlooked);
    let (twice, lines): (Vec<Pair>, Vec<Pair>) = found.into_iter().partition(|p| p.most <= TWICE);
    let at = |pairs: &[Pair]| pairs.iter().map(|p| contours[p.stays].path.segments[0].start).collect::<Vec<Point>>();
    let most = |pairs: &[Pair]| pairs.iter().map(|p| p.most).fold(0.0, f64::max);
    let (twice_at, lines_at) = (at(&twice), at(&lines));
    let mut gone: Vec<usize> = Vec::new();
    if told.mended(Mend::DropNearTwins) {
        gone.extend(twice.iter().map(|p| p.goes));
    } else if !twice.is_empty() {
        told.near_twins(twice_at, most(&twice));
    }
    if told.mended(Mend::TakeMiddles) {
        let mut left: Vec<Point> = Vec::new();
        for p in &lines {
            let middle = contours[p.stays].path.grown(-(p.most + p.least) / 4.0, Corners::Mitre);
            if let [middle] = middle.as_slice() {
                contours[p.stays].path = middle.clone();
                gone.push(p.goes);
            } else {
                left.push(contours[p.stays].path.segments[0].start);
            }
        }
        told.without_middle(left);
    } else if !lines.is_empty() {
        told.lines_as_areas(lines_at, most(&lines));
    }
    gone.sort_unstable();
    gone.dedup();
    gone.into_iter().rev().for_each(|i| drop(contours.remove(i)));
}

/// A side of an outline in an index, which counts how often it is looked at.
struct Side<'a> {
    segment: Segment,
    looks: &'a Cell<u64>,
}

impl RTreeObject for Side<'_> {
    type Envelope = AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        let b = self.segment.bounds();
        AABB::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y])
    }
}

impl PointDistance for Side<'_> {
    fn distance_2(&self, p: &[f64; 2]) -> f64 {
        self.looks.set(self.looks.get() + 1);
        self.segment.distance(Point::new(p[0], p[1])).powi(2)
    }
}

/// Outlines beside each other, each in one pair at most, the larger one stays; and where outlines begin that were not compared with all
/// beside them, for there was too much of it.
fn pairs(contours: &[Chained], styles: &[Style]) -> (Vec<Pair>, Vec<Point>) {
    let asked = |c: &Chained| {
        let (s, b) = (&styles[c.style], c.path.bounds());
        c.path.closed && !c.path.segments.is_empty() && !s.aside() && !s.text && b.width().max(b.height()) >= LEAST
    };
    let chosen: Vec<usize> = (0..contours.len()).filter(|i| asked(&contours[*i])).collect();
    let corner = |i: usize| [contours[i].path.bounds().min.x, contours[i].path.bounds().min.y];
    let tree = RTree::bulk_load(chosen.iter().map(|i| GeomWithData::new(corner(*i), *i)).collect());
    let mut used = vec![false; contours.len()];
    let (mut out, mut unlooked) = (Vec::new(), Vec::new());
    let looks = Cell::new(0);
    let mut sides: FxHashMap<usize, RTree<Side>> = FxHashMap::default();
    for i in &chosen {
        let b = contours[*i].path.bounds();
        let [x, y] = corner(*i);
        let beside = tree.locate_in_envelope(AABB::from_corners([x - WIDEST, y - WIDEST], [x + WIDEST, y + WIDEST]));
        let near: Vec<usize> = beside
            .map(|g| g.data)
            .take(4 * CROWD)
            .filter(|j| *j > *i)
            .take(CROWD)
            .filter(|j| {
                let o = contours[*j].path.bounds();
                !used[*i]
                    && !used[*j]
                    && !same(&contours[*i].path, &contours[*j].path)
                    && o.max.distance(b.max) <= 2.0 * WIDEST
                    && contours[*j].style == contours[*i].style
            })
            .collect();
        if near.is_empty() {
            continue;
        }
        for k in near.iter().chain([i]) {
            let side = |s: &Segment| Side { segment: *s, looks: &looks };
            sides.entry(*k).or_insert_with(|| RTree::bulk_load(contours[*k].path.segments.iter().map(side).collect()));
        }
        let found = near.into_iter().filter_map(|j| {
            let (most, least) = apart(&sides[i], &sides[&j])?;
            let larger = contours[*i].path.area().abs() >= contours[j].path.area().abs();
            let (stays, goes) = if larger { (*i, j) } else { (j, *i) };
            // Exactly on each other is another matter, and edges of a line do not cross.
            let twice = most <= TWICE && most > 1e-6;
            let line = most > TWICE && least >= EVEN * most && contours[stays].path.contains(contours[goes].path.segments[0].start);
            (twice || line).then_some(Pair { stays, goes, most, least })
        });
        let found: Vec<Pair> = found.collect();
        if looks.get() > MOST_LOOKS {
            unlooked.extend(contours[*i].path.segments.first().map(|s| s.start));
        }
        if let Some(pair) = found.into_iter().min_by(|a, b| a.most.total_cmp(&b.most)) {
            (used[pair.stays], used[pair.goes]) = (true, true);
            out.push(pair);
        }
    }
    (out, unlooked)
}

/// True where two outlines have one box, as many sides and one length: they lie on each other, or far apart, and are no twins.
fn same(a: &Path, b: &Path) -> bool {
    let near = |a: Point, b: Point| a.distance(b) < 1e-6;
    let (x, y) = (a.bounds(), b.bounds());
    a.segments.len() == b.segments.len() && near(x.min, y.min) && near(x.max, y.max) && (a.length() - b.length()).abs() < 1e-6
}

/// How far one outline lies from another at most and at least, looked at on its edges; `None` where that is too far for either, or
/// has been looked at too often.
fn apart<'a>(a: &RTree<Side<'a>>, b: &RTree<Side<'a>>) -> Option<(f64, f64)> {
    let (mut most, mut least) = (0.0_f64, f64::INFINITY);
    for (one, other) in [(a, b), (b, a)] {
        for side in one {
            for share in [0.25, 0.5, 0.75] {
                let p = side.segment.at(share);
                let distance = other.nearest_neighbor([p.x, p.y])?.segment.distance(p);
                (most, least) = (most.max(distance), least.min(distance));
                if most > WIDEST || side.looks.get() > MOST_LOOKS {
                    return None;
                }
            }
        }
    }
    Some((most, least))
}

//! Which closed contour lies in which.

use super::{Bounds, Path, Point};
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

type Boxed = GeomWithData<Rectangle<[f64; 2]>, usize>;

/// An index of closed outlines by their boxes.
pub struct Outlines<'a> {
    paths: Vec<(&'a Path, Bounds, f64)>,
    tree: RTree<Boxed>,
    /// Areas by themselves: of crowds that lie on each other most are told apart by them.
    areas: Vec<f64>,
    /// Numbers of all by area, the smallest first.
    by_area: Vec<usize>,
}

/// So many next larger outlines are looked at before all whose boxes are round a place: where thousands lie in each other, the
/// one around is among them.
const NEXT_LARGER: usize = 160;

impl<'a> Outlines<'a> {
    /// Indexes closed paths, each with its box and its area without sign.
    pub fn new(paths: Vec<(&'a Path, Bounds, f64)>) -> Self {
        let boxes = paths
            .iter()
            .enumerate()
            .map(|(i, (_, b, _))| Boxed::new(Rectangle::from_corners([b.min.x, b.min.y], [b.max.x, b.max.y]), i))
            .collect();
        let areas: Vec<f64> = paths.iter().map(|p| p.2).collect();
        let mut by_area: Vec<usize> = (0..areas.len()).collect();
        by_area.sort_by(|a, b| areas[*a].total_cmp(&areas[*b]));
        Self { paths, tree: RTree::bulk_load(boxes), areas, by_area }
    }

    /// The smallest outline round `path`, other than `itself`.
    pub fn around(&self, path: &Path, bounds: Bounds, area: f64, itself: Option<usize>) -> Option<usize> {
        let samples = samples(path)?;
        let least = area * (1.0 + 1e-9);
        // Two of three points settle it, so that touching an outline with one does not mislead.
        let holds = |i: &usize| samples.iter().filter(|p| self.paths[*i].0.contains(**p)).count() >= 2;
        let boxed = |i: &usize| Some(*i) != itself && self.paths[*i].1.grown(1e-6).holds(&bounds);
        let larger = &self.by_area[self.by_area.partition_point(|i| self.areas[*i] <= least)..];
        if let Some(found) = larger.iter().take(NEXT_LARGER).find(|i| boxed(i) && holds(i)) {
            return Some(*found);
        }
        if larger.len() <= NEXT_LARGER {
            return None;
        }
        let mut candidates: Vec<(f64, usize)> = self
            .tree
            .locate_in_envelope_intersecting(AABB::from_point([samples[0].x, samples[0].y]))
            .map(|b| (self.areas[b.data], b.data))
            .filter(|(large, i)| *large > least && boxed(i))
            .collect();
        candidates.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
        candidates.into_iter().map(|c| c.1).find(holds)
    }
}

fn samples(path: &Path) -> Option<[Point; 3]> {
    let n = path.segments.len();
    if n == 0 {
        return None;
    }
    Some([path.segments[0].at(0.37), path.segments[n / 3].at(0.53), path.segments[n * 2 / 3].at(0.71)])
}

/// For each closed path the smallest other one that it lies in. Time grows with n log n for drawings without deep nesting.
///
/// ```
/// # use boustrophe_geometry::*;
/// let (plate, hole, plug) =
///     (Path::rectangle(0.0, 0.0, 80.0, 50.0), Path::circle(Point::new(40.0, 25.0), 10.0), Path::circle(Point::new(40.0, 25.0), 4.0));
/// assert_eq!(parents(&[&plate, &hole, &plug]), [None, Some(0), Some(1)]);
/// ```
pub fn parents(paths: &[&Path]) -> Vec<Option<usize>> {
    let known: Vec<(&Path, Bounds, f64)> = paths.iter().map(|p| (*p, p.bounds(), p.area().abs())).collect();
    let outlines = Outlines::new(known.clone());
    known.par_iter().enumerate().map(|(i, (path, bounds, area))| outlines.around(path, *bounds, *area, Some(i))).collect()
}

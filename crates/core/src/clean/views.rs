//! Regions of a drawing: what of it is taken, and where regions with scales of their own are laid.

use crate::decisions::DrawingDecisions;
use crate::geometry::{Affine, Bounds, Point, Vec2};

/// Between regions that are laid side by side, as a share of the highest of them.
const APART: f64 = 0.1;

/// The regions of a drawing, each with the way that it is laid; in drawing units.
pub(crate) struct Views<'a> {
    regions: &'a [Bounds],
    /// One a region; empty where all lie where they are drawn.
    places: Vec<Affine>,
}

impl<'a> Views<'a> {
    /// As decided. Where a region has a scale of its own they are laid in a row, so that none grows over another.
    pub(crate) fn of(decisions: &'a DrawingDecisions) -> Self {
        let regions = decisions.regions.as_slice();
        let scale = |i: usize| decisions.views.get(i).map_or(1.0, |v| v.scale);
        if (0..regions.len()).all(|i| scale(i) == 1.0) {
            return Self { regions, places: Vec::new() };
        }
        let gap = APART * regions.iter().enumerate().map(|(i, r)| r.height() * scale(i)).fold(0.0, f64::max);
        let mut x = 0.0;
        let place = |(i, r): (usize, &Bounds)| {
            let k = scale(i);
            let place = Affine::translate(Vec2::new(x, 0.0)) * Affine::scale(k) * Affine::translate(-r.min.to_vec2());
            x += r.width() * k + gap;
            place
        };
        Self { regions, places: regions.iter().enumerate().map(place).collect() }
    }
    /// True where regions are laid elsewhere than they are drawn.
    pub(crate) fn laid_anew(&self) -> bool {
        !self.places.is_empty()
    }
    /// Where the regions lie; in drawing units.
    pub(crate) fn laid(&self) -> Vec<Bounds> {
        let at = |(i, r): (usize, &Bounds)| self.places.get(i).map_or(*r, |p| Bounds::of([r.min, r.max].map(|c| *p * c)));
        self.regions.iter().enumerate().map(at).collect()
    }
    /// Where a page lies that one region takes whole; `None` for what is in pieces.
    pub(crate) fn page(&self, page: &Bounds) -> Option<Bounds> {
        if !self.laid_anew() {
            return Some(*page);
        }
        let whole = self.regions.iter().zip(&self.places).find(|(r, _)| r.grown(1e-6 * page.width()).holds(page));
        whole.map(|(_, place)| Bounds::of([page.min, page.max].map(|c| *place * c)))
    }
    /// How what has these points is laid: where most of them lie in one region, or there are none. `None` for what is left out.
    pub(crate) fn place(&self, points: impl Iterator<Item = Point>) -> Option<Affine> {
        if self.regions.is_empty() {
            return Some(Affine::IDENTITY);
        }
        let mut all = 0;
        let mut within = vec![0; self.regions.len()];
        let mut any = 0;
        for p in points {
            all += 1;
            let mut first = true;
            for (i, _) in self.regions.iter().enumerate().filter(|(_, r)| r.has(p)) {
                within[i] += 1;
                any += usize::from(std::mem::take(&mut first));
            }
        }
        if any * 2 <= all {
            return None;
        }
        let most = (0..within.len()).max_by_key(|i| (within[*i], usize::MAX - i))?;
        Some(self.places.get(most).copied().unwrap_or(Affine::IDENTITY))
    }
}

/// The region that a place of a drawing that is laid anew is of; in drawing units. `None` beside all, and where none is.
pub fn region_at(decisions: &DrawingDecisions, laid: Point) -> Option<usize> {
    let views = Views::of(decisions);
    let drawn = |i: usize| views.places.get(i).map_or(laid, |p| p.inverse() * laid);
    (0..views.regions.len()).find(|i| views.regions[*i].has(drawn(*i)))
}

//! When a copy comes free: with the last of the cuts along its outline, unless a nick stands on one of them.

use super::SheetCuts;
use crate::assign::Work;
use crate::geometry::{Path, Point};
use crate::nest::SheetLayout;
use rustc_hash::{FxHashMap, FxHashSet};

/// A nick holds the copies whose outlines are so near to it, in kerfs: it stands half a kerf outside of them.
const NEAR: f64 = 1.0;

/// What has come free so far on a sheet.
pub struct Freeing<'a> {
    work: &'a Work,
    layout: &'a SheetLayout,
    cuts: &'a SheetCuts,
    /// By copy, as an index into the placements: the cuts along its outline that are still to be made.
    left: FxHashMap<usize, FxHashSet<usize>>,
}

impl<'a> Freeing<'a> {
    /// Nothing has been cut yet.
    pub fn new(work: &'a Work, layout: &'a SheetLayout, cuts: &'a SheetCuts) -> Self {
        let mut left: FxHashMap<usize, FxHashSet<usize>> = FxHashMap::default();
        let outer = |k: usize| layout.placed.get(k).and_then(|p| work.part(p.copy.part)).and_then(|part| part.outer);
        for (i, cut) in cuts.cuts.iter().enumerate().filter(|(_, c)| c.process.frees()) {
            for edge in cut.edges().filter(|e| outer(e.placement) == Some(e.item)) {
                left.entry(edge.placement).or_default().insert(i);
            }
        }
        Self { work, layout, cuts, left }
    }

    /// A cut has been made, but for nicks at these places; the outlines of the copies that came free with it, as they lie. `kerf` in mm.
    pub fn made(&mut self, cut: usize, nicks: &[Point], kerf: f64) -> Vec<Path> {
        let mut along: Vec<usize> = self.cuts.cuts.get(cut).iter().flat_map(|c| c.edges()).map(|e| e.placement).collect();
        along.sort_unstable();
        along.dedup();
        let mut out = Vec::new();
        for copy in along {
            let Some(outline) = self.outline(copy) else { continue };
            if nicks.iter().any(|n| outline.nearest(*n).distance < NEAR * kerf) {
                // It hangs by this one, whatever else is cut.
                self.left.remove(&copy);
            }
            let done = self.left.get_mut(&copy).is_some_and(|left| left.remove(&cut) && left.is_empty());
            out.extend(done.then_some(outline));
        }
        out
    }

    fn outline(&self, copy: usize) -> Option<Path> {
        let placed = self.layout.placed.get(copy)?;
        Some(self.work.part(placed.copy.part)?.outline.transformed(placed.affine()))
    }
}

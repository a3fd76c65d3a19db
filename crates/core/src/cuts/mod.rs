//! Between Nest and Order: what is to be cut, marked and swept, apart from whose contour it is.
//!
//! A cut is not a contour. An ordinary cut has one good side, the copy whose edge it is; an edge that two copies share is cut
//! once, on the middle of a kerf-wide gap, and has two. Which cut waits for which is a graph: a hole comes before the cuts
//! that free the material round it, and the last cut that frees a copy after everything in it.

mod blunt;
mod common;
mod freeing;
#[cfg(test)]
mod tests;

pub use freeing::Freeing;

use crate::assign::{Process, Work};
use crate::geometry::{Path, parents};
use crate::ids::{ContourId, CopyId, CutId, EdgePlace};
use crate::nest::{Layout, SheetLayout};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

/// A stretch of a copy's contour, as drawn.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Edge {
    /// Which copy.
    pub copy: CopyId,
    /// Which of its contours.
    pub contour: ContourId,
    /// Index of the copy into the sheet's placements.
    pub placement: usize,
    /// Index of the contour into the work's items.
    pub item: usize,
    /// Where it begins and ends, in the direction in which the contour is drawn; the whole contour where both are the same place.
    pub stretch: (EdgePlace, EdgePlace),
}

/// A stretch of a cut with the same good edges.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Piece {
    /// Where it ends, mm along the cut; it begins where the one before ends.
    pub end: f64,
    /// The good edges that it makes: one, or two for an edge in common. A line that frees nothing has one as well.
    pub sides: [Option<Edge>; 2],
}

/// What a cut follows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Line {
    /// A contour as drawn: kerf is still to be made up for.
    #[default]
    Drawn,
    /// The middle of the gap between copies: nothing is to be made up for.
    Shared,
    /// Half a kerf outside a block of copies that share edges; `inner` round a void within it.
    Rim {
        /// The waste lies within.
        inner: bool,
    },
}

/// One line that is worked once.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Cut {
    /// The line as it lies on the sheet, mm.
    pub path: Path,
    /// Whose edges it makes, from its start on.
    pub pieces: Vec<Piece>,
    /// What it follows.
    pub line: Line,
    /// What is done along it.
    pub process: Process,
    /// The job's own setting that it is done with, where not the chart's.
    pub setting: Option<u32>,
    /// Index into the sheet's placements of the first side's copy.
    pub placement: usize,
    /// Index into the work's items of the first side's contour.
    pub item: usize,
}

impl Cut {
    /// All good edges that it makes.
    pub fn edges(&self) -> impl Iterator<Item = &Edge> {
        self.pieces.iter().flat_map(|p| p.sides.iter().flatten())
    }
    /// Length on which it has good edges on both sides, mm.
    pub fn shared(&self) -> f64 {
        let begins = std::iter::once(0.0).chain(self.pieces.iter().map(|p| p.end));
        self.pieces.iter().zip(begins).filter(|(p, _)| p.sides[1].is_some()).map(|(p, begin)| p.end - begin).sum()
    }
}

/// What is done on one sheet.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct SheetCuts {
    /// In no order.
    pub cuts: Vec<Cut>,
    /// Pairs of cuts of which the first has to be made before the second.
    pub before: Vec<(usize, usize)>,
}

impl SheetCuts {
    /// The name of each cut: it stays when the sheet is nested anew.
    pub fn names(&self) -> Vec<CutId> {
        let mut known: FxHashMap<(CopyId, ContourId), u32> = FxHashMap::default();
        let first = |c: &Cut| c.edges().next().map(|e| (e.copy, e.contour)).unwrap_or_default();
        let mut name = |c: &Cut| {
            let (copy, contour) = first(c);
            let next = known.entry((copy, contour)).or_insert(0);
            let nth = *next;
            *next += 1;
            CutId { copy, contour, nth }
        };
        self.cuts.iter().map(&mut name).collect()
    }
}

/// What is done on every sheet.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct CutPlan {
    /// One a sheet.
    pub sheets: Vec<SheetCuts>,
}

impl CutPlan {
    /// Length on which copies share their cut, mm: so much is cut once instead of twice.
    pub fn shared(&self) -> f64 {
        self.sheets.iter().flat_map(|s| &s.cuts).map(Cut::shared).sum()
    }
}

/// Plans the cuts of a layout. With `common`, a kerf in mm, copies that lie so far apart along straight edges share their cut.
pub fn plan(work: &Work, layout: &Layout, common: Option<f64>) -> CutPlan {
    CutPlan { sheets: layout.sheets.par_iter().map(|s| sheet(work, s, common.filter(|k| *k > 0.0))).collect() }
}

fn sheet(work: &Work, sheet: &SheetLayout, common: Option<f64>) -> SheetCuts {
    let (shared, sharing) = common.map_or_else(Default::default, |kerf| common::cuts(work, sheet, kerf));
    let mut cuts = Vec::new();
    for (placement, p) in sheet.placed.iter().enumerate() {
        let Some(part) = work.part(p.copy.part) else { continue };
        let in_common = |item: &usize| part.outer == Some(*item) && sharing.contains(&placement);
        cuts.extend(part.items().filter(|i| !in_common(i)).map(|item| {
            let i = &work.items[item];
            let start = EdgePlace::On { segment: 0, share: 0.0 };
            let path = i.contour.path.transformed(p.affine());
            let edge = Edge { copy: p.copy, contour: i.contour.id, placement, item, stretch: (start, start) };
            Cut {
                pieces: vec![Piece { end: path.length(), sides: [Some(edge), None] }],
                path,
                line: Line::Drawn,
                process: i.process,
                setting: i.setting,
                placement,
                item,
            }
        }));
    }
    cuts.extend(shared);
    let outlines = sharing.iter().filter_map(|k| Some((*k, work.part(sheet.placed[*k].copy.part)?.outer?)));
    let outlines = outlines.map(|(k, item)| (k, work.items[item].contour.path.transformed(sheet.placed[k].affine()))).collect::<Vec<_>>();
    let before = inside_out(&cuts, &outlines);
    SheetCuts { cuts, before }
}

/// Every cut before the closed cut around it: a hole before its outline, a part in a hole before that hole. An open cut goes
/// before the outermost closed cut of its own copy: that is the part's outline. `blocks` are the outlines, by placement, of
/// copies that share edges: what lies in one comes before all cuts that make it, and all cuts of a block before its rim.
fn inside_out(cuts: &[Cut], blocks: &[(usize, Path)]) -> Vec<(usize, usize)> {
    let cut = |i: &usize| cuts[*i].process.frees();
    let drawn = |i: &usize| cut(i) && cuts[*i].line == Line::Drawn;
    let closed: Vec<usize> = (0..cuts.len()).filter(drawn).filter(|i| cuts[*i].path.closed).collect();
    let mut makes: FxHashMap<usize, Vec<usize>> = FxHashMap::default();
    for (i, c) in cuts.iter().enumerate().filter(|(_, c)| c.line != Line::Drawn) {
        c.edges().for_each(|e| makes.entry(e.placement).or_default().push(i));
    }
    makes.values_mut().for_each(std::vec::Vec::dedup);
    // The cuts that make a closed line, drawn ones first, then the copies of blocks.
    let of = |k: usize| match closed.get(k) {
        Some(i) => std::slice::from_ref(i),
        None => makes.get(&blocks[k - closed.len()].0).map_or(&[][..], Vec::as_slice),
    };
    let paths: Vec<&Path> = closed.iter().map(|i| &cuts[*i].path).chain(blocks.iter().map(|b| &b.1)).collect();
    let mut before: Vec<(usize, usize)> = Vec::new();
    for (k, parent) in parents(&paths).into_iter().enumerate() {
        let Some(parent) = parent else { continue };
        before.extend(of(k).iter().flat_map(|i| of(parent).iter().map(|j| (*i, *j))).filter(|(i, j)| i != j));
    }
    let mut outline: FxHashMap<usize, (f64, usize)> = FxHashMap::default();
    for i in &closed {
        let area = cuts[*i].path.area().abs();
        let known = outline.entry(cuts[*i].placement).or_insert((area, *i));
        if area > known.0 {
            *known = (area, *i);
        }
    }
    let open = (0..cuts.len()).filter(drawn).filter(|i| !cuts[*i].path.closed);
    for i in open {
        match makes.get(&cuts[i].placement) {
            Some(all) => before.extend(all.iter().map(|j| (i, *j))),
            None => before.extend(outline.get(&cuts[i].placement).map(|o| (i, o.1))),
        }
    }
    // A rim frees its block: what is within goes before it, what is shared and what lies in a void.
    let rims: Vec<usize> = (0..cuts.len()).filter(|i| matches!(cuts[*i].line, Line::Rim { .. })).collect();
    for r in &rims {
        let rim = &cuts[*r].path;
        let inside = |i: &usize| rim.contains(cuts[*i].path.at(cuts[*i].path.length() * 0.47).0);
        before.extend((0..cuts.len()).filter(|i| i != r && cut(i) && inside(i)).map(|i| (i, *r)));
    }
    before.sort_unstable();
    before.dedup();
    before
}

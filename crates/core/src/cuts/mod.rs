//! Between Nest and Order: what is to be cut, marked and swept, apart from whose contour it is.
//!
//! A cut is not a contour. An ordinary cut has one good side, the copy whose edge it is; an edge that two copies share is cut
//! once, on the middle of a kerf-wide gap, and has two. Which cut waits for which is a graph: a hole comes before the cuts
//! that free the material round it, and the last cut that frees a copy after everything in it.

#[cfg(test)]
mod tests;

use crate::assign::{Process, Work, parents};
use crate::geometry::Path;
use crate::ids::{ContourId, CopyId, EdgePlace};
use crate::nest::{Layout, SheetLayout};
use rayon::prelude::*;

/// A stretch of a copy's contour, as drawn.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Edge {
    /// Which copy.
    pub copy: CopyId,
    /// Which of its contours.
    pub contour: ContourId,
    /// Where it begins and ends; the whole contour where both are the same place.
    pub stretch: (EdgePlace, EdgePlace),
}

/// One line that is worked once.
#[derive(Clone, Debug)]
pub struct Cut {
    /// The line as it lies on the sheet, before kerf, mm.
    pub path: Path,
    /// The good edges that it makes: one, or two for an edge in common. A line that frees nothing has one as well.
    pub sides: [Option<Edge>; 2],
    /// What is done along it.
    pub process: Process,
    /// The job's own setting that it is done with, where not the chart's.
    pub setting: Option<u32>,
    /// Index into the sheet's placements of the first side's copy.
    pub placement: usize,
    /// Index into the work's items of the first side's contour.
    pub item: usize,
}

/// What is done on one sheet.
#[derive(Clone, Debug, Default)]
pub struct SheetCuts {
    /// In no order.
    pub cuts: Vec<Cut>,
    /// Pairs of cuts of which the first has to be made before the second.
    pub before: Vec<(usize, usize)>,
}

/// What is done on every sheet.
#[derive(Clone, Debug, Default)]
pub struct CutPlan {
    /// One a sheet.
    pub sheets: Vec<SheetCuts>,
}

/// Plans the cuts of a layout.
pub fn plan(work: &Work, layout: &Layout) -> CutPlan {
    CutPlan { sheets: layout.sheets.par_iter().map(|s| sheet(work, s)).collect() }
}

fn sheet(work: &Work, sheet: &SheetLayout) -> SheetCuts {
    let mut cuts = Vec::new();
    for (placement, p) in sheet.placed.iter().enumerate() {
        let Some(part) = work.part(p.copy.part) else { continue };
        cuts.extend(part.items().map(|item| {
            let i = &work.items[item];
            let start = EdgePlace::On { segment: 0, share: 0.0 };
            Cut {
                path: i.contour.path.transformed(p.affine()),
                sides: [Some(Edge { copy: p.copy, contour: i.contour.id, stretch: (start, start) }), None],
                process: i.process,
                setting: i.setting,
                placement,
                item,
            }
        }));
    }
    let before = inside_out(&cuts);
    SheetCuts { cuts, before }
}

/// Every cut before the closed cut around it: a hole before its outline, a part in a hole before that hole. An open cut goes
/// before the outermost closed cut of its own copy: that is the part's outline.
fn inside_out(cuts: &[Cut]) -> Vec<(usize, usize)> {
    let cut = |i: &usize| cuts[*i].process == Process::Cut;
    let closed: Vec<usize> = (0..cuts.len()).filter(cut).filter(|i| cuts[*i].path.closed).collect();
    let paths: Vec<&Path> = closed.iter().map(|i| &cuts[*i].path).collect();
    let mut before: Vec<(usize, usize)> =
        parents(&paths).into_iter().enumerate().filter_map(|(k, parent)| Some((closed[k], closed[parent?]))).collect();
    let mut outline: rustc_hash::FxHashMap<usize, (f64, usize)> = rustc_hash::FxHashMap::default();
    for i in &closed {
        let area = cuts[*i].path.area().abs();
        let known = outline.entry(cuts[*i].placement).or_insert((area, *i));
        if area > known.0 {
            *known = (area, *i);
        }
    }
    let open = (0..cuts.len()).filter(cut).filter(|i| !cuts[*i].path.closed);
    before.extend(open.filter_map(|i| Some((i, outline.get(&cuts[i].placement)?.1))));
    before
}

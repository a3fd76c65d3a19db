//! Copies of one size brought into line, so that their engraved rows coincide.

use crate::check::faults;
use crate::geometry::{Bounds, Point};
use crate::ids::CopyId;
use crate::layout::{Layout, Placement, SheetLayout};
use crate::parts::Parts;
use crate::terms::Distances;

/// Outlines whose boxes differ by less than this are alike, mm.
const ALIKE: f64 = 0.02;

/// Which way copies are moved into line.
#[derive(Clone, Copy)]
pub enum Axis {
    /// Right.
    X,
    /// Up.
    Y,
}

impl Axis {
    /// How far along it a place is, mm.
    pub fn of(self, p: Point) -> f64 {
        match self {
            Self::X => p.x,
            Self::Y => p.y,
        }
    }
    fn shift(self, p: &mut Placement, by: f64) {
        match self {
            Self::X => p.x += by,
            Self::Y => p.y += by,
        }
    }
}

/// A sheet with copies of one size in line.
pub struct Lined {
    /// How it lies then.
    pub sheet: SheetLayout,
    /// How many lines were made.
    pub lines: usize,
    /// How many copies moved.
    pub moved: usize,
    /// How far at most, mm.
    pub furthest: f64,
}

/// The sheet with those copies (by index) that are of one size and within `reach` mm of a line brought into it. `None` where
/// all are in line. Parts need not be equal: plates of one size with other numbers line up as well.
pub fn in_line(work: &dyn Parts, layout: &SheetLayout, takes_part: &dyn Fn(usize) -> bool, axis: Axis, reach: f64) -> Option<Lined> {
    let mut sheet = layout.clone();
    let of = |(i, p): (usize, &Placement)| {
        let part = work.part(p.copy.part).filter(|_| takes_part(i))?;
        Some((i, part.outline.transformed(p.affine()).bounds()))
    };
    let alike = |a: &Bounds, b: &Bounds| (a.width() - b.width()).abs() < ALIKE && (a.height() - b.height()).abs() < ALIKE;
    let mut order: Vec<(usize, Bounds)> = layout.placed.iter().enumerate().filter_map(of).collect();
    order.sort_by(|a, b| axis.of(a.1.min).total_cmp(&axis.of(b.1.min)));
    let (mut lines, mut moved, mut furthest) = (0, 0, 0.0_f64);
    let mut taken = vec![false; layout.placed.len()];
    for (n, (first, first_box)) in order.iter().enumerate() {
        if taken[*first] {
            continue;
        }
        let from = axis.of(first_box.min);
        let line: Vec<(usize, f64)> = order[n..]
            .iter()
            .map(|(i, b)| (*i, b, axis.of(b.min)))
            .filter(|(i, b, at)| !taken[*i] && alike(first_box, b) && at - from <= reach)
            .map(|(i, _, at)| (i, at))
            .collect();
        line.iter().for_each(|(i, _)| taken[*i] = true);
        let spread = line.iter().map(|(_, at)| at - from).fold(0.0, f64::max);
        if line.len() < 2 || spread < 1e-6 {
            continue;
        }
        // Where most of them stand already, the fewest are moved.
        let middle = line[line.len() / 2].1;
        lines += 1;
        furthest = furthest.max(spread);
        for (i, at) in line {
            moved += usize::from((at - middle).abs() > 1e-9);
            axis.shift(&mut sheet.placed[i], middle - at);
        }
    }
    (lines > 0).then_some(Lined { sheet, lines, moved, furthest })
}

/// Distances within which copies are brought into line when rows are aimed at, mm.
const REACHES: [f64; 3] = [40.0, 10.0, 2.0];

/// A layout whose engraved copies stand in line as far as they can, each sheet by itself. What is held stays.
pub(crate) fn rows_in_line(work: &dyn Parts, layout: Layout, distances: Distances, held: &dyn Fn(&CopyId) -> bool) -> Layout {
    let mut out = layout;
    for s in 0..out.sheets.len() {
        for (axis, reach) in [Axis::Y, Axis::X].into_iter().flat_map(|a| REACHES.map(|r| (a, r))) {
            let sheet = &out.sheets[s];
            let engraved = |i: usize| {
                let copy = sheet.placed[i].copy;
                !held(&copy) && !work.engraved(copy.part).is_empty()
            };
            let Some(lined) = in_line(work, sheet, &engraved, axis, reach) else { continue };
            let one = Layout { sheets: vec![lined.sheet], ..Layout::default() };
            if faults(work, &one, distances).count == 0 {
                out.sheets[s] = one.sheets.into_iter().next().unwrap_or_else(|| sheet.clone());
                break;
            }
        }
    }
    out
}

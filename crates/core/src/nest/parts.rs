//! A job's parts as a nest sees them.

use crate::assign::{self, PartId, Process, Work};
use crate::geometry::{Bounds, Path};
use boustrophe_nest::{Part, Parts};

impl Parts for Work {
    fn parts(&self) -> Vec<Part<'_>> {
        self.parts.iter().map(seen).collect()
    }
    fn part(&self, id: PartId) -> Option<Part<'_>> {
        Self::part(self, id).map(seen)
    }
    fn holes(&self, id: PartId) -> Vec<&Path> {
        let holes = Self::part(self, id).into_iter().flat_map(|p| &p.holes);
        holes.map(|i| &self.items[*i].contour.path).collect()
    }
    fn engraved(&self, id: PartId) -> Vec<&Path> {
        let items = Self::part(self, id).into_iter().flat_map(assign::Part::items).map(|i| &self.items[i]);
        items.filter(|i| i.process == Process::Engrave).map(|i| &i.contour.path).collect()
    }
    fn frame(&self, id: PartId) -> Bounds {
        Self::part(self, id).map_or(Bounds::EMPTY, |p| frame(self, p))
    }
}

fn seen(part: &assign::Part) -> Part<'_> {
    Part { id: part.id, outline: &part.outline, bounds: part.bounds, area: part.area, quantity: part.quantity }
}

/// What is drawn round a part's work as its blank: the largest outline of the same row that is reference and holds it; else the
/// box of the work.
fn frame(work: &Work, part: &assign::Part) -> Bounds {
    let row = part.items().next().map_or(0, |i| work.items[i].contour.row);
    let drawn = work.items.iter().filter(|i| !i.process.burns() && i.contour.path.closed);
    let round = drawn.map(|i| &i.contour).filter(|c| c.drawing == part.drawing && c.row == row && c.bounds.grown(1e-6).holds(&part.bounds));
    round.max_by(|a, b| a.area.abs().total_cmp(&b.area.abs())).map_or(part.bounds, |c| c.bounds)
}

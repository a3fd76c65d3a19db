//! Parts: an outer contour with all that lies inside it, moving as one.

use super::Item;
use crate::clean::{Cleaned, Contour, ContourId};
use crate::drawing::Nature;
use crate::geometry::{Bounds, Path};
use crate::geometry::{Outlines, parents};
use crate::ids::{BatchId, PartId};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A part: one outer contour and what belongs to it. Indices point into [`super::Work::items`].
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Part {
    /// Name.
    pub id: PartId,
    /// Drawing it comes from.
    pub drawing: u32,
    /// Name as shown: the file and a number.
    pub name: String,
    /// The outer contour; `None` for work without an outline (an engraving on a blank), which then takes its box.
    pub outer: Option<usize>,
    /// Closed cuts directly inside it.
    pub holes: Vec<usize>,
    /// Everything else inside it: scores, engravings, marks, open cuts.
    pub inside: Vec<usize>,
    /// The outline, mm in the drawing's coordinates.
    pub outline: Path,
    /// Its box.
    pub bounds: Bounds,
    /// Area without holes, mm², before kerf.
    pub area: f64,
    /// Length of outline and holes, mm, before kerf.
    pub perimeter: f64,
    /// Copies wanted; of all batches together, or of the one whose work it is.
    pub quantity: u32,
    /// Copies wanted by batch: the one that it is made in, and others that want it as well.
    pub wanted: BTreeMap<BatchId, u32>,
}

impl Part {
    /// All items of the part.
    pub fn items(&self) -> impl Iterator<Item = usize> + '_ {
        self.inside.iter().chain(&self.holes).chain(&self.outer).copied()
    }
}

pub(super) struct Gathered {
    pub(super) parts: Vec<Part>,
    /// Contours that belong to no part.
    pub(super) outside: Vec<ContourId>,
    /// Holes with marks in them, which would fall out with what is cut out there: each with its marks.
    pub(super) marked: Vec<(ContourId, Vec<ContourId>)>,
}

/// Gathers the parts among `items[first..]`, all of one drawing.
pub(super) fn gather(items: &[Item], first: usize, drawing: &Cleaned, wanted: impl Fn(PartId) -> BTreeMap<BatchId, u32>) -> Gathered {
    let mine = || (first..items.len()).filter(|i| items[*i].process.burns());
    let closed: Vec<usize> = mine().filter(|i| items[*i].process.frees() && is_area(&items[*i].contour)).collect();
    let paths: Vec<&Path> = closed.iter().map(|i| &items[*i].contour.path).collect();
    let parent = parents(&paths);
    let depth: Vec<usize> =
        (0..closed.len()).map(|i| std::iter::successors(parent[i], |p| parent[*p]).take(closed.len()).count()).collect();

    let stem = drawing.name.rsplit_once('.').map_or(drawing.name.as_str(), |(stem, _)| stem);
    let mut part_at = vec![usize::MAX; closed.len()];
    let mut parts: Vec<Part> = Vec::new();
    for (k, i) in closed.iter().enumerate().filter(|(k, _)| depth[*k].is_multiple_of(2)) {
        let c = &items[*i].contour;
        part_at[k] = parts.len();
        parts.push(Part {
            id: PartId(c.id),
            drawing: drawing.drawing,
            name: String::new(),
            outer: Some(*i),
            holes: Vec::new(),
            inside: Vec::new(),
            outline: c.path.clone(),
            bounds: c.bounds,
            area: c.area.abs(),
            perimeter: c.length,
            quantity: 0,
            wanted: wanted(PartId(c.id)),
        });
    }
    for (k, i) in closed.iter().enumerate().filter(|(k, _)| !depth[*k].is_multiple_of(2)) {
        let Some(part) = parent[k].and_then(|p| parts.get_mut(part_at[p])) else { continue };
        part.holes.push(*i);
        part.area -= items[*i].contour.area.abs();
        part.perimeter += items[*i].contour.length;
    }

    let others: Vec<usize> = mine().filter(|i| !(items[*i].process.frees() && is_area(&items[*i].contour))).collect();
    let (mut outside, mut marked) = (Vec::new(), Vec::new());
    if parts.is_empty() && !others.is_empty() {
        // Each row of a table is a part of its own.
        let mut rows: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
        others.into_iter().for_each(|i| rows.entry(items[i].contour.row).or_default().push(i));
        parts.extend(rows.into_values().map(|all| unbounded(items, all, drawing, &wanted)));
    } else {
        let outlines = Outlines::new(paths.iter().map(|p| (*p, p.bounds(), p.area().abs())).collect());
        let within = |c: &Contour, area: f64| outlines.around(&c.path, c.bounds, area, None);
        let around = |c: &Contour, area: f64| within(c, area).map(|k| part_at[k]);
        let mut holes: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        // The loops of an area are filled together: they lie where the largest lies, which may run on the part's own edge.
        let mut areas: BTreeMap<u32, Option<usize>> = BTreeMap::new();
        let (hatched, others): (Vec<usize>, Vec<usize>) = others.into_iter().partition(|i| is_hatched(&items[*i].contour));
        let mut largest_first = hatched.clone();
        largest_first.sort_by(|a, b| items[*b].contour.area.abs().total_cmp(&items[*a].contour.area.abs()));
        for i in largest_first {
            let c = &items[i].contour;
            // On an edge it is neither within nor without: then it is the edge's.
            let same = |p: &Part| p.bounds.grown(ON_THE_EDGE).holds(&c.bounds) && c.bounds.grown(ON_THE_EDGE).holds(&p.bounds);
            let part = || parts.iter().position(same).or_else(|| around(c, c.area.abs()).filter(|p| *p < parts.len()));
            areas.entry(c.compound).or_insert_with(part);
        }
        for i in others.into_iter().chain(hatched) {
            let c = &items[i].contour;
            let area = if c.path.closed { c.area.abs() } else { 0.0 };
            let part = if is_hatched(c) { areas[&c.compound] } else { around(c, area) };
            match part.and_then(|p| parts.get_mut(p)) {
                Some(part) => part.inside.push(i),
                None => match within(c, area) {
                    Some(hole) => holes.entry(closed[hole]).or_default().push(i),
                    None => outside.push(c.id),
                },
            }
        }
        for (hole, lines) in holes {
            let of = |i: &usize| items[*i].contour.id;
            if are_marks(&items[hole].contour, &lines, items) {
                marked.push((of(&hole), lines.iter().map(of).collect()));
            } else {
                outside.extend(lines.iter().map(of));
            }
        }
    }
    let many = parts.len() > 1;
    for (n, part) in parts.iter_mut().enumerate() {
        part.quantity = part.wanted.values().sum();
        // A box's panels and a name plate's parts are called by their places.
        let place = part
            .outer
            .filter(|_| drawing.name.ends_with(crate::panels::ENDING) || drawing.name.ends_with(crate::plate::ENDING))
            .map(|i| items[i].contour.style.layer.clone());
        let row = part.items().next().and_then(|i| drawing.rows.get(items[i].contour.row.checked_sub(1)? as usize));
        part.name = match place.or_else(|| row.filter(|r| !r.is_empty()).cloned()) {
            Some(place) => format!("{stem}, {place}"),
            None if many => format!("{stem} {}", n + 1),
            None => stem.to_owned(),
        };
    }
    Gathered { parts, outside, marked }
}

/// Fewer lines than this in a hole are no marks of a scale or a board.
const FEWEST: usize = 4;
/// Lines whose middle is no further from a hole's than this share of its size tell where that is.
const CENTRE: f64 = 0.15;

/// True where lines in a hole are what is to be seen there, so that it can be no hole; where they tell its centre they are of the paper.
fn are_marks(hole: &Contour, lines: &[usize], items: &[Item]) -> bool {
    let (at, size) = (hole.bounds.center(), hole.bounds.width().max(hole.bounds.height()));
    let off_centre = |i: &&usize| items[**i].contour.bounds.center().distance(at) > CENTRE * size;
    lines.iter().filter(off_centre).count() >= FEWEST
}

/// What closes without enclosing anything, a line drawn there and back, is no part and no hole.
fn is_area(c: &Contour) -> bool {
    c.path.closed && 2.0 * c.area.abs() > THIN * c.length
}

/// An area whose box is that of a part, to so many mm, runs on its edge.
const ON_THE_EDGE: f64 = 0.05;

/// True for one of the loops of a hatch.
fn is_hatched(c: &Contour) -> bool {
    c.style.nature == Nature::Area && c.compound != 0 && c.path.closed
}

/// Twice an area over its outline's length is about its width: what is thinner than this, mm, is no area.
const THIN: f64 = 0.002;

/// Work without an outline: a part as large as its box.
fn unbounded(items: &[Item], all: Vec<usize>, drawing: &Cleaned, wanted: &impl Fn(PartId) -> BTreeMap<BatchId, u32>) -> Part {
    let bounds = all.iter().fold(Bounds::EMPTY, |b, i| b.union(items[*i].contour.bounds));
    let id = PartId(items[all[0]].contour.id);
    let outline = Path::rectangle(bounds.min.x, bounds.min.y, bounds.width().max(0.01), bounds.height().max(0.01));
    Part {
        id,
        drawing: drawing.drawing,
        name: String::new(),
        outer: None,
        holes: Vec::new(),
        inside: all,
        area: outline.area(),
        perimeter: 0.0,
        outline,
        bounds,
        quantity: 0,
        wanted: wanted(id),
    }
}

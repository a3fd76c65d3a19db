//! Title blocks and tables: lines along x and y that hang together and part writing into cells.

use super::writing::Line;
use super::{Kind, Plan, squared};
use crate::geometry::{Bounds, Point};

/// Cells with writing that make a table.
const CELLS: usize = 3;
/// A cell of a table is no higher than so many heights of what stands in it.
const TIGHT: f64 = 8.0;
/// Lines touch within this many heights of letters.
const REACH: f64 = 0.15;
/// A title block takes at most these shares of its border's width and height.
const BLOCK: (f64, f64) = (0.75, 0.4);
/// Edges of a rectilinear outline that may be part of a grid.
const EDGES: usize = 12;

/// Lines that hang together.
struct Group {
    members: Vec<usize>,
    bounds: Bounds,
}

impl Plan<'_> {
    pub(super) fn grids(&mut self) {
        let borders = self.bordered();
        for group in self.groups() {
            let around = |b: &Bounds| b.grown(REACH * self.letters).holds(&group.bounds);
            let border =
                borders.iter().filter(|b| around(b)).copied().min_by(|a, b| (a.width() * a.height()).total_cmp(&(b.width() * b.height())));
            let hangs = border.filter(|b| self.hangs(&group, b));
            let tight = self.cells(&group, None).1;
            let kind = match hangs {
                // The title block stands on the right; what hangs elsewhere is a table where it is one.
                Some(b) if (tight < CELLS || group.bounds.max.x > b.center().x) && self.cells(&group, Some(b)).0 > 0 => Kind::TitleBlock,
                _ if tight >= CELLS => Kind::Table,
                _ => continue,
            };
            // What else is drawn in a title block belongs to it: a mark, a small picture.
            if kind == Kind::TitleBlock {
                let within: Vec<usize> =
                    self.near(group.bounds).filter(|i| group.bounds.grown(1e-3).holds(&self.contours[*i].bounds)).collect();
                within.into_iter().for_each(|i| self.take(i, kind));
            }
            group.members.into_iter().for_each(|i| self.take(i, kind));
        }
    }

    /// Runs of lines along x and y that touch.
    fn groups(&self) -> Vec<Group> {
        let reach = REACH * self.letters;
        let fit = |i: &usize| self.found[*i].is_none() && self.path(*i).segments.len() <= EDGES && squared(self.path(*i));
        let mut free: Vec<bool> = (0..self.contours.len()).map(|i| fit(&i)).collect();
        let mut out = Vec::new();
        for first in 0..free.len() {
            if !std::mem::take(&mut free[first]) {
                continue;
            }
            let mut members = vec![first];
            let mut at = 0;
            while let Some(i) = members.get(at).copied() {
                at += 1;
                for s in &self.path(i).segments {
                    // A line along an axis fills its box.
                    let b = s.bounds().grown(reach);
                    let next: Vec<usize> =
                        self.near(b).filter(|j| free[*j] && self.path(*j).segments.iter().any(|q| b.meets(&q.bounds()))).collect();
                    for j in next {
                        if std::mem::take(&mut free[j]) {
                            members.push(j);
                        }
                    }
                }
            }
            let bounds = members.iter().fold(Bounds::EMPTY, |b, i| b.union(self.contours[*i].bounds));
            out.push(Group { members, bounds });
        }
        out
    }

    /// Small against the border, and at one of its edges.
    fn hangs(&self, group: &Group, border: &Bounds) -> bool {
        let (b, reach) = (group.bounds, 0.01 * border.width().min(border.height()) + REACH * self.letters);
        let at_edge = [b.min.x - border.min.x, b.min.y - border.min.y, border.max.x - b.max.x, border.max.y - b.max.y]
            .iter()
            .filter(|d| d.abs() <= reach)
            .count();
        at_edge >= 2 && b.width() <= BLOCK.0 * border.width() && b.height() <= BLOCK.1 * border.height()
            || at_edge >= 1 && group.members.iter().all(|i| !self.path(*i).closed) && b.height().min(b.width()) <= BLOCK.1 * border.height()
    }

    /// Cells of a group that hold writing, and tight ones among them that hold nothing else.
    fn cells(&self, group: &Group, border: Option<Bounds>) -> (usize, usize) {
        let mut walls: Vec<Bounds> =
            group.members.iter().flat_map(|i| self.path(*i).segments.iter().map(boustrophe_geometry::Segment::bounds)).collect();
        if let Some(b) = border {
            let (l, r, t, u) = (b.min.x, b.max.x, b.max.y, b.min.y);
            let line = |x0, y0, x1, y1| Bounds { min: Point::new(x0, y0), max: Point::new(x1, y1) };
            walls.extend([line(l, u, r, u), line(r, u, r, t), line(l, t, r, t), line(l, u, l, t)]);
        }
        let room = group.bounds.grown(REACH * self.letters);
        let mut cells: Vec<(Bounds, bool)> = Vec::new();
        for text in &self.lines {
            let at = text.middle;
            let Some(cell) = (if room.has(at) || border.is_some_and(|b| b.has(at)) { cell(&walls, at) } else { None }) else { continue };
            if !room.grown(1e-3).holds(&cell) || cells.iter().any(|c| c.0 == cell) {
                continue;
            }
            cells.push((cell, self.tight(cell, text, group)));
        }
        (cells.len(), cells.iter().filter(|c| c.1).count())
    }

    fn tight(&self, cell: Bounds, text: &Line, group: &Group) -> bool {
        let inside = cell.grown(-1e-6);
        cell.height().min(cell.width()) <= TIGHT * text.height
            && !self
                .near(cell)
                .any(|i| inside.holds(&self.contours[i].bounds) && self.found[i] != Some(Kind::Writing) && !group.members.contains(&i))
    }
}

/// The room round a point between the nearest walls on its four sides.
fn cell(walls: &[Bounds], at: Point) -> Option<Bounds> {
    let (mut min, mut max) = (Point::new(f64::NEG_INFINITY, f64::NEG_INFINITY), Point::new(f64::INFINITY, f64::INFINITY));
    for w in walls {
        let (upright, x, y) = (w.width() < w.height(), w.min.x, w.min.y);
        if upright && (w.min.y..=w.max.y).contains(&at.y) {
            if x <= at.x { min.x = min.x.max(x) } else { max.x = max.x.min(x) }
        } else if !upright && (w.min.x..=w.max.x).contains(&at.x) {
            if y <= at.y { min.y = min.y.max(y) } else { max.y = max.y.min(y) }
        }
    }
    (min.is_finite() && max.is_finite()).then_some(Bounds { min, max })
}

//! What is left of a sheet: whole, with the holes that were cut out of it, or its largest useful pieces.

use crate::geometry::{Bounds, Path, Point, Region};
use crate::layout::{Sheet, SheetLayout};
use crate::parts::Parts;

/// A piece smaller than this, mm², goes into the bin.
const LEAST: f64 = 2500.0;
/// A piece that has nowhere so much room, mm each way, goes there too.
const NARROWEST: f64 = 20.0;
/// Cells along the longer side of a piece when rectangles are looked for.
const CELLS: f64 = 240.0;

/// What a cut sheet leaves.
#[derive(Clone, Debug, Default)]
pub struct Rest {
    /// Pieces that are of use, the largest first, each with where its lower left corner lay on the sheet.
    pub pieces: Vec<(Sheet, Point)>,
    /// Area of what was cut out, kerf and all, mm².
    pub gone: f64,
    /// Area of what is of no use, mm².
    pub bin: f64,
}

/// What is left when the copies of a sheet are cut out, `kerf` mm wide.
pub fn rest(work: &dyn Parts, lying: &SheetLayout, kerf: f64) -> Rest {
    let whole = Region::within(&lying.sheet.edges().iter().collect::<Vec<_>>());
    let outlines: Vec<Path> = lying.placed.iter().filter_map(|p| Some(work.part(p.copy.part)?.outline.transformed(p.affine()))).collect();
    let cut = outlines.iter().map(|o| Region::within(&[o])).chain([Region::swept(&outlines, 2.0 * kerf)]);
    let left = whole.minus(&Region::union(cut));
    let mut rest = Rest { gone: whole.area() - left.area(), ..Rest::default() };
    for piece in left.pieces() {
        let area = piece.area();
        let useful = area >= LEAST && !piece.opened(NARROWEST).is_empty();
        match offcut(&piece).filter(|_| useful) {
            Some(found) => rest.pieces.push(found),
            None => rest.bin += area,
        }
    }
    rest.pieces.sort_by(|a, b| b.0.area().total_cmp(&a.0.area()));
    rest
}

/// A piece as an offcut, its lower left corner at 0, 0.
fn offcut(piece: &Region) -> Option<(Sheet, Point)> {
    let outline = piece.outlines();
    let corner = outline.first()?.bounds().min;
    Some((Sheet::offcut(outline).ok()?, corner))
}

/// The largest rectangles of an offcut, one after the other, each of what the ones before leave; at most so many, none that is
/// of no use. Each with its place on the offcut.
pub fn largest(sheet: &Sheet, most: usize) -> Vec<(Sheet, Point)> {
    let mut grid = Grid::of(sheet);
    let mut out = Vec::new();
    while out.len() < most {
        let Some(b) = grid.largest() else { break };
        if b.width().min(b.height()) < NARROWEST || b.width() * b.height() < LEAST {
            break;
        }
        grid.take(b);
        out.push((Sheet { count: Some(1), ..Sheet::rectangle(b.width(), b.height()) }, b.min));
    }
    out
}

/// Cells of a sheet, each wholly in the material or not.
struct Grid {
    cell: f64,
    columns: usize,
    rows: usize,
    free: Vec<bool>,
}

impl Grid {
    fn of(sheet: &Sheet) -> Self {
        let cell = (sheet.width.max(sheet.height) / CELLS).max(0.5);
        let (columns, rows) = ((sheet.width / cell) as usize, (sheet.height / cell) as usize);
        let mut free = vec![true; columns * rows];
        let Some((edge, holes)) = sheet.outline.split_first() else { return Self { cell, columns, rows, free } };
        // A cell that no edge comes into is in or out as its middle is.
        for s in sheet.outline.iter().flat_map(|p| &p.segments) {
            let b = s.bounds();
            let span = |from: f64, to: f64, n: usize| {
                (((from / cell - 1e-9).floor().max(0.0)) as usize)..(((to / cell + 1e-9).ceil().max(0.0)) as usize).min(n)
            };
            for row in span(b.min.y, b.max.y, rows) {
                for column in span(b.min.x, b.max.x, columns) {
                    let middle = Point::new((column as f64 + 0.5) * cell, (row as f64 + 0.5) * cell);
                    if s.distance(middle) < cell * 0.71 {
                        free[row * columns + column] = false;
                    }
                }
            }
        }
        for (i, cell_free) in free.iter_mut().enumerate() {
            let middle = Point::new(((i % columns) as f64 + 0.5) * cell, ((i / columns) as f64 + 0.5) * cell);
            *cell_free = *cell_free && edge.contains(middle) && !holes.iter().any(|h| h.contains(middle));
        }
        Self { cell, columns, rows, free }
    }

    /// The largest rectangle of free cells: heights of free columns row by row, and the widest under each.
    fn largest(&self) -> Option<Bounds> {
        let mut heights = vec![0_usize; self.columns];
        let mut best: Option<(usize, usize, usize, usize, usize)> = None;
        for row in 0..self.rows {
            for (column, height) in heights.iter_mut().enumerate() {
                *height = if self.free[row * self.columns + column] { *height + 1 } else { 0 };
            }
            let mut open: Vec<(usize, usize)> = Vec::new();
            for column in 0..=self.columns {
                let height = heights.get(column).copied().unwrap_or(0);
                let mut from = column;
                while let Some((begin, tall)) = open.last().copied().filter(|o| o.1 > height) {
                    open.pop();
                    let area = tall * (column - begin);
                    if best.is_none_or(|b| area > b.0) {
                        best = Some((area, begin, row + 1 - tall, column, row + 1));
                    }
                    from = begin;
                }
                if open.last().is_none_or(|o| o.1 < height) {
                    open.push((from, height));
                }
            }
        }
        let (_, left, low, right, high) = best.filter(|b| b.0 > 0)?;
        let at = |x: usize, y: usize| Point::new(x as f64 * self.cell, y as f64 * self.cell);
        Some(Bounds { min: at(left, low), max: at(right, high) })
    }

    fn take(&mut self, b: Bounds) {
        for (i, free) in self.free.iter_mut().enumerate() {
            let middle = Point::new(((i % self.columns) as f64 + 0.5) * self.cell, ((i / self.columns) as f64 + 0.5) * self.cell);
            *free = *free && !b.has(middle);
        }
    }
}

//! What a hand does with copies on a sheet: lays them, pushes them until they touch, repeats them, lines them up. Nothing is laid
//! where it may not lie: it slides to the nearest place where it may, or is refused.

use crate::check::Around;
use crate::geometry::{Affine, Bounds, Vec2};
use crate::ids::{CopyId, PartId};
use crate::layout::{Layout, Placement};
use crate::parts::Parts;
use crate::terms::Terms;

/// How far copies slide at most, mm, and in how many rings of how many directions places are tried.
const FARTHEST: f64 = 40.0;
const RINGS: usize = 40;
const WAYS: usize = 24;
/// The place is brought as near as this, mm.
const FINE: f64 = 0.002;
/// Steps of a push, mm: nothing that is thinner is on a sheet.
const STEP: f64 = 0.5;
/// Copies of one pattern at most.
pub const MOST_REPEATED: u32 = 2000;

/// How a copy is repeated.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pattern {
    /// Across and up; the copy itself is the first.
    pub columns: u32,
    /// See `columns`.
    pub rows: u32,
    /// Between the boxes of neighbours, mm.
    pub gap: f64,
    /// Every second one of a row turned by half.
    pub turned: bool,
}

fn by(p: &Placement, way: Vec2) -> Placement {
    Placement { x: p.x + way.x, y: p.y + way.y, ..*p }
}

/// The box of a copy as it lies, mm.
pub fn box_of(work: &dyn Parts, p: &Placement) -> Bounds {
    work.part(p.copy.part).map_or(Bounds::EMPTY, |part| part.outline.transformed(p.affine()).bounds())
}

/// Copies as they are wanted on sheet `sheet` from 0, all moved together to the nearest place where they keep their distances;
/// `None` where there is none near, or no such sheet. Also how far they had to slide, mm.
pub fn laid(work: &dyn Parts, layout: &Layout, wanted: &[Placement], sheet: usize, terms: &Terms) -> Option<(Vec<Placement>, f64)> {
    let on = layout.sheets.get(sheet)?;
    let around = Around::new(work, &on.sheet, &on.placed, wanted, FARTHEST, terms.distances());
    let moved = |way: usize, far: f64| -> Vec<Placement> {
        let (sin, cos) = (way as f64 * std::f64::consts::TAU / WAYS as f64).sin_cos();
        wanted.iter().map(|p| by(p, Vec2::new(cos, sin) * far)).collect()
    };
    if around.takes(wanted) {
        return Some((wanted.to_vec(), 0.0));
    }
    let step = FARTHEST / RINGS as f64;
    for ring in 1..=RINGS {
        let far = ring as f64 * step;
        let found = (0..WAYS).filter(|w| around.takes(&moved(*w, far))).map(|way| {
            // Back towards where it was wanted, as far as it goes.
            let (mut free, mut blocked) = (far, far - step);
            while free - blocked > FINE {
                let middle = f64::midpoint(free, blocked);
                if around.takes(&moved(way, middle)) { free = middle } else { blocked = middle }
            }
            (free, way)
        });
        if let Some((far, way)) = found.min_by(|a, b| a.0.total_cmp(&b.0)) {
            return Some((moved(way, far), far));
        }
    }
    None
}

/// Copies that lie on a sheet, pushed together a unit `way` until one of them touches; also how far, mm.
pub fn pushed(
    work: &dyn Parts,
    layout: &Layout,
    copies: &[Placement],
    sheet: usize,
    way: Vec2,
    terms: &Terms,
) -> Option<(Vec<Placement>, f64)> {
    let on = layout.sheets.get(sheet)?;
    let room = on.sheet.width + on.sheet.height;
    let around = Around::new(work, &on.sheet, &on.placed, copies, room, terms.distances());
    let moved = |far: f64| -> Vec<Placement> { copies.iter().map(|p| by(p, way * far)).collect() };
    let mut free = 0.0;
    while free < room && around.takes(&moved(free + STEP)) {
        free += STEP;
    }
    let (mut low, mut high) = (free, free + STEP);
    while high - low > FINE / 2.0 {
        let middle = f64::midpoint(low, high);
        if around.takes(&moved(middle)) { low = middle } else { high = middle }
    }
    Some((moved(low), low))
}

/// A number that no copy of a part has yet.
fn next_number(layout: &Layout, part: PartId) -> u32 {
    layout.copies().filter(|p| p.copy.part == part).map(|p| p.copy.number).max().unwrap_or(0) + 1
}

/// One more of a copy on its sheet, on the side where it lies nearest; `None` where there is no room beside it.
pub fn one_more(work: &dyn Parts, layout: &Layout, first: &Placement, sheet: usize, terms: &Terms) -> Option<Placement> {
    let copy = CopyId { part: first.copy.part, number: next_number(layout, first.copy.part) };
    let b = box_of(work, first);
    let (across, up) = (b.width() + terms.spacing, b.height() + terms.spacing);
    let ways = [Vec2::new(across, 0.0), Vec2::new(0.0, up), Vec2::new(-across, 0.0), Vec2::new(0.0, -up)];
    let found = ways.into_iter().filter_map(|way| laid(work, layout, &[Placement { copy, ..by(first, way) }], sheet, terms));
    found.min_by(|a, b| a.1.total_cmp(&b.1))?.0.into_iter().next()
}

/// How many of a part are wanted when so many more are laid: those that wait for a place are not wanted twice.
pub fn wanted_with(work: &dyn Parts, layout: &Layout, part: PartId, more: u32) -> u32 {
    let waiting = layout.unplaced.get(&part).copied().unwrap_or(0);
    work.part(part).map_or(0, |p| p.quantity) + more.saturating_sub(waiting)
}

/// A copy repeated in columns and rows to the right and up, each with a name that no copy of its part has; the first is the copy
/// itself. `None` where one of them cannot lie there: then so many can.
pub fn repeated(
    work: &dyn Parts,
    layout: &Layout,
    first: &Placement,
    sheet: usize,
    pattern: Pattern,
    terms: &Terms,
) -> Result<Vec<Placement>, usize> {
    let Some(on) = layout.sheets.get(sheet) else { return Err(0) };
    let b = box_of(work, first);
    let turned = Affine::translate(b.center().to_vec2()) * Affine::rotate(std::f64::consts::PI) * Affine::translate(-b.center().to_vec2());
    let mut number = next_number(layout, first.copy.part);
    let mut others = on.placed.clone();
    let mut all = vec![*first];
    for row in 0..pattern.rows {
        for column in 0..pattern.columns {
            if (row, column) == (0, 0) {
                continue;
            }
            let way = Vec2::new(f64::from(column) * (b.width() + pattern.gap), f64::from(row) * (b.height() + pattern.gap));
            let motion = if pattern.turned && column % 2 == 1 { turned * first.affine() } else { first.affine() };
            let one = by(&Placement::of(CopyId { part: first.copy.part, number }, motion), way);
            if !Around::new(work, &on.sheet, &others, &[one], 0.0, terms.distances()).takes(&[one]) {
                return Err(all.len());
            }
            others.push(one);
            all.push(one);
            number += 1;
        }
    }
    Ok(all)
}

/// Copies moved up or down so that all have the lower edge of the first; `None` where one cannot lie so.
pub fn lined_up(work: &dyn Parts, layout: &Layout, copies: &[Placement], sheet: usize, terms: &Terms) -> Option<Vec<Placement>> {
    let on = layout.sheets.get(sheet)?;
    let low = box_of(work, copies.first()?).min.y;
    let moved: Vec<Placement> = copies.iter().map(|p| by(p, Vec2::new(0.0, low - box_of(work, p).min.y))).collect();
    let keep = |p: &Placement| {
        let others: Vec<Placement> = on
            .placed
            .iter()
            .filter(|o| moved.iter().all(|m| m.copy != o.copy))
            .chain(moved.iter().filter(|m| m.copy != p.copy))
            .copied()
            .collect();
        Around::new(work, &on.sheet, &others, &[*p], 0.0, terms.distances()).takes(&[*p])
    };
    moved.iter().all(keep).then_some(moved)
}

//! What a hand does with copies on a sheet: lays them, pushes them until they touch, repeats them, lines them up. Nothing is laid
//! where it may not lie: it slides to the nearest place where it may, or is refused.

use crate::check::Around;
use crate::geometry::{Affine, Bounds, Point, Vec2};
use crate::ids::{CopyId, PartId};
use crate::layout::{Layout, Placement, Sheet};
use crate::parts::Parts;
use crate::terms::{Against, Terms};
use std::collections::{BTreeMap, BTreeSet};
use strum::{EnumString, IntoStaticStr};

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

/// A copy with the sheet, from 0, that it lies on.
pub type On = (Placement, usize);

/// Copies by their sheets.
fn by_sheet(copies: &[On]) -> BTreeMap<usize, Vec<Placement>> {
    let mut out: BTreeMap<usize, Vec<Placement>> = BTreeMap::new();
    copies.iter().for_each(|(p, sheet)| out.entry(*sheet).or_default().push(*p));
    out
}

/// What lies on a sheet besides some copies.
fn others(layout: &Layout, sheet: usize, but: &BTreeSet<CopyId>) -> Option<Vec<Placement>> {
    Some(layout.sheets.get(sheet)?.placed.iter().filter(|p| !but.contains(&p.copy)).copied().collect())
}

fn names(copies: &[On]) -> BTreeSet<CopyId> {
    copies.iter().map(|(p, _)| p.copy).collect()
}

/// Copies as they are wanted, those of each sheet moved together to the nearest place where they keep their distances from all that
/// lies there and from each other; `None` where there is none near, or no such sheet. Also how far they had to slide at most, mm.
pub fn laid(work: &dyn Parts, layout: &Layout, wanted: &[On], terms: &Terms) -> Option<(Vec<On>, f64)> {
    let mine = names(wanted);
    let (mut out, mut most) = (Vec::with_capacity(wanted.len()), 0.0_f64);
    for (sheet, group) in by_sheet(wanted) {
        let others = others(layout, sheet, &mine)?;
        let around = Around::new(work, (&layout.sheets[sheet].sheet, &others), &group, FARTHEST, terms.distances());
        let (lying, slid) = slid(&around, &group)?;
        most = most.max(slid);
        out.extend(lying.into_iter().map(|p| (p, sheet)));
    }
    Some((out, most))
}

/// Copies moved together to the nearest place that takes them; also how far, mm.
fn slid(around: &Around, wanted: &[Placement]) -> Option<(Vec<Placement>, f64)> {
    let moved = |way: usize, far: f64| -> Vec<Placement> {
        let (sin, cos) = (way as f64 * std::f64::consts::TAU / WAYS as f64).sin_cos();
        wanted.iter().map(|p| by(p, Vec2::new(cos, sin) * far)).collect()
    };
    if !around.apart(wanted) {
        return None;
    }
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

/// Copies that lie on sheets, those of each pushed together a unit `way` until one of them touches; also how far at most, mm.
pub fn pushed(work: &dyn Parts, layout: &Layout, copies: &[On], way: Vec2, terms: &Terms) -> Option<(Vec<On>, f64)> {
    let mine = names(copies);
    let (mut out, mut most) = (Vec::with_capacity(copies.len()), 0.0_f64);
    for (sheet, group) in by_sheet(copies) {
        let others = others(layout, sheet, &mine)?;
        let on = &layout.sheets[sheet].sheet;
        let room = on.width + on.height;
        let around = Around::new(work, (on, &others), &group, room, terms.distances());
        let moved = |far: f64| -> Vec<Placement> { group.iter().map(|p| by(p, way * far)).collect() };
        let mut free = 0.0;
        while free < room && around.takes(&moved(free + STEP)) {
            free += STEP;
        }
        let (mut low, mut high) = (free, free + STEP);
        while high - low > FINE / 2.0 {
            let middle = f64::midpoint(low, high);
            if around.takes(&moved(middle)) { low = middle } else { high = middle }
        }
        most = most.max(low);
        out.extend(moved(low).into_iter().map(|p| (p, sheet)));
    }
    Some((out, most))
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
    let found = ways.into_iter().filter_map(|way| laid(work, layout, &[(Placement { copy, ..by(first, way) }, sheet)], terms));
    found.min_by(|a, b| a.1.total_cmp(&b.1))?.0.into_iter().next().map(|on| on.0)
}

/// How many of a part are wanted when so many more are laid: those that wait for a place are not wanted twice.
pub fn wanted_with(work: &dyn Parts, layout: &Layout, part: PartId, more: u32) -> u32 {
    let waiting = layout.unplaced.get(&part).copied().unwrap_or(0);
    work.part(part).map_or(0, |p| p.quantity) + more.saturating_sub(waiting)
}

/// A copy repeated in columns and rows to the right and up, each with a name that no copy of its part has; the first is the copy
/// itself. `None` where one of them cannot lie there: then so many can.
pub fn repeated(work: &dyn Parts, layout: &Layout, (first, sheet): &On, pattern: Pattern, terms: &Terms) -> Result<Vec<Placement>, usize> {
    let Some(on) = layout.sheets.get(*sheet) else { return Err(0) };
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
            if !Around::new(work, (&on.sheet, &others), &[one], 0.0, terms.distances()).takes(&[one]) {
                return Err(all.len());
            }
            others.push(one);
            all.push(one);
            number += 1;
        }
    }
    Ok(all)
}

/// A kind of sheet of which there is one more than a layout uses; the one that may be used without limit, if any, before others.
pub fn another(layout: &Layout, terms: &Terms) -> Option<Sheet> {
    let same = |a: &Sheet, b: &Sheet| (a.rack, a.width, a.height) == (b.rack, b.width, b.height);
    let used = |s: &Sheet| layout.sheets.iter().filter(|l| same(&l.sheet, s)).count();
    terms.sheets.iter().rev().find(|s| s.count.is_none_or(|n| used(s) < n as usize)).cloned()
}

/// The first copy that is laid otherwise than it lay and stands against what its part may; one that stood so before may be moved.
pub fn turned_against(was: &[On], to: &[On], terms: &Terms) -> Option<(CopyId, Against)> {
    let turned = |p: &Placement| {
        let was = was.iter().find(|on| on.0.copy == p.copy);
        was.is_none_or(|on| on.0.mirrored != p.mirrored || (on.0.angle - p.angle).abs() > 1e-9)
    };
    to.iter().filter(|on| turned(&on.0)).find_map(|(p, _)| Some((p.copy, terms.against(p)?)))
}

/// A copy turned to an angle, degrees, with the lower left of its box at a place, mm.
pub fn placed(work: &dyn Parts, p: &Placement, low: Point, angle: f64) -> Placement {
    let turned = Placement { angle: angle.rem_euclid(360.0), ..*p };
    by(&turned, low - box_of(work, &turned).min)
}

/// A copy of a part as it is laid first, with the middle of its box at a place, mm; a copy that nobody has laid yet.
pub fn dropped(work: &dyn Parts, layout: &Layout, part: PartId, middle: Point, terms: &Terms) -> Placement {
    let angle = terms.poses(part).0.first().copied().unwrap_or(0.0);
    let copy = CopyId { part, number: next_number(layout, part) };
    let p = Placement { copy, x: 0.0, y: 0.0, angle, mirrored: false };
    by(&p, middle - box_of(work, &p).center())
}

/// What copies are lined up by.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Align {
    /// Left edges, as that of the first.
    Left,
    /// Right edges.
    Right,
    /// Upper edges.
    Top,
    /// Lower edges.
    #[default]
    Bottom,
    /// Middles on one upright line.
    Upright,
    /// Middles on one level line.
    Level,
    /// Equal gaps from left to right; the outermost stay.
    Across,
    /// Equal gaps from the bottom to the top; the outermost stay.
    Up,
    /// The lowest of what is engraved on them at one height, so that one row does for all; what has nothing engraved stays.
    Engraved,
}

/// Why copies are not lined up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotLined {
    /// They would lie too near to each other, to others or to the edge.
    Crowded,
    /// Between the outermost there is no room for the rest with gaps.
    NoGaps,
    /// There is no such sheet.
    NoSheet,
    /// On fewer than two of them is anything engraved.
    NothingEngraved,
}

/// Copies lined up by the first of each sheet; nothing is laid where it may not lie.
pub fn lined_up(work: &dyn Parts, layout: &Layout, copies: &[On], align: Align, terms: &Terms) -> Result<Vec<On>, NotLined> {
    let mine = names(copies);
    let mut out = Vec::with_capacity(copies.len());
    for (sheet, group) in by_sheet(copies) {
        let boxes: Vec<Bounds> = group.iter().map(|p| box_of(work, p)).collect();
        let moved: Vec<Placement> = match align {
            Align::Across | Align::Up => spread(&group, &boxes, align).ok_or(NotLined::NoGaps)?,
            Align::Engraved => at_one_height(work, &group)?,
            edge => group.iter().zip(&boxes).map(|(p, b)| by(p, edge.way(b, &boxes[0]))).collect(),
        };
        let others = others(layout, sheet, &mine).ok_or(NotLined::NoSheet)?;
        let reach = boxes.iter().fold(Bounds::EMPTY, |a, b| a.union(*b));
        let around = Around::new(work, (&layout.sheets[sheet].sheet, &others), &group, reach.width() + reach.height(), terms.distances());
        if !around.takes(&moved) || !around.apart(&moved) {
            return Err(NotLined::Crowded);
        }
        out.extend(moved.into_iter().map(|p| (p, sheet)));
    }
    Ok(out)
}

impl Align {
    /// How far a box goes to be in line with the first, mm.
    fn way(self, b: &Bounds, first: &Bounds) -> Vec2 {
        match self {
            Self::Left => Vec2::new(first.min.x - b.min.x, 0.0),
            Self::Right => Vec2::new(first.max.x - b.max.x, 0.0),
            Self::Top => Vec2::new(0.0, first.max.y - b.max.y),
            Self::Bottom => Vec2::new(0.0, first.min.y - b.min.y),
            Self::Upright => Vec2::new(first.center().x - b.center().x, 0.0),
            Self::Level => Vec2::new(0.0, first.center().y - b.center().y),
            Self::Across | Self::Up | Self::Engraved => Vec2::ZERO,
        }
    }
}

/// Copies with the lowest of what is engraved on them as high as that of the first that has any; the others stay.
fn at_one_height(work: &dyn Parts, group: &[Placement]) -> Result<Vec<Placement>, NotLined> {
    let lowest = |p: &Placement| {
        let engraved = work.engraved(p.copy.part).into_iter().map(|path| path.transformed(p.affine()).bounds().min.y);
        engraved.reduce(f64::min)
    };
    let heights: Vec<Option<f64>> = group.iter().map(lowest).collect();
    let first = heights.iter().copied().flatten().next().filter(|_| heights.iter().flatten().count() > 1);
    let first = first.ok_or(NotLined::NothingEngraved)?;
    Ok(group.iter().zip(heights).map(|(p, h)| by(p, Vec2::new(0.0, h.map_or(0.0, |h| first - h)))).collect())
}

/// Copies with equal gaps between their boxes; `None` where the outermost leave no room for gaps.
fn spread(group: &[Placement], boxes: &[Bounds], align: Align) -> Option<Vec<Placement>> {
    let across = align == Align::Across;
    let span = |b: &Bounds| if across { (b.min.x, b.max.x) } else { (b.min.y, b.max.y) };
    let mut order: Vec<usize> = (0..group.len()).collect();
    order.sort_by(|a, b| span(&boxes[*a]).0.total_cmp(&span(&boxes[*b]).0));
    let (first, last) = (*order.first()?, *order.last()?);
    let taken: f64 = boxes.iter().map(span).map(|s| s.1 - s.0).sum();
    let gap = (span(&boxes[last]).1 - span(&boxes[first]).0 - taken) / (group.len().max(2) - 1) as f64;
    if gap < 0.0 {
        return None;
    }
    let mut out = group.to_vec();
    let mut at = span(&boxes[first]).0;
    for k in order {
        let (from, to) = span(&boxes[k]);
        let by_how_much = at - from;
        out[k] = by(&group[k], if across { Vec2::new(by_how_much, 0.0) } else { Vec2::new(0.0, by_how_much) });
        at += to - from + gap;
    }
    Some(out)
}

/// Copies again, each with a name that no copy of its part has, where they are wanted or near; also how far they slid, mm.
pub fn doubled(work: &dyn Parts, layout: &Layout, wanted: &[On], terms: &Terms) -> Option<(Vec<On>, f64)> {
    let mut next: BTreeMap<PartId, u32> = BTreeMap::new();
    let named = |(p, sheet): &On| {
        let number = next.entry(p.copy.part).or_insert_with(|| next_number(layout, p.copy.part));
        let copy = CopyId { part: p.copy.part, number: *number };
        *number += 1;
        (Placement { copy, ..*p }, *sheet)
    };
    let fresh: Vec<On> = wanted.iter().map(named).collect();
    laid(work, layout, &fresh, terms)
}

//! The six processes in black alone: told by their form, as on the stage.

use super::Page;
use boustrophe_core::assign::{Process, Work};
use boustrophe_core::geometry::{Affine, Path, Point};
use boustrophe_core::nest::SheetLayout;
use std::collections::BTreeMap;

/// Distance of the rows that stand for engraving, mm.
const ROWS: f64 = 1.2;
/// Ticks across a mark, mm apart and long.
const TICKS: (f64, f64) = (5.0, 1.2);

/// What lies on a sheet, as it is printed; `lies` takes sheet to page.
pub(super) fn sheet(page: &mut Page, work: &Work, layout: &SheetLayout, lies: Affine) {
    for placed in &layout.placed {
        let Some(part) = work.part(placed.copy.part) else { continue };
        let affine = lies * placed.affine();
        let mut areas: BTreeMap<u32, Vec<&Path>> = BTreeMap::new();
        for i in part.items() {
            let item = &work.items[i];
            let path = &item.contour.path;
            match item.process {
                Process::Cut => cut(page, path, affine),
                Process::Mark => mark(page, path, affine),
                Process::Reference => reference(page, path, affine),
                Process::Picture => picture(page, path, affine),
                // What is filled together is clipped together.
                Process::Engrave if path.closed => areas.entry(item.contour.compound.max(1)).or_default().push(path),
                // Whatever else is done along a line.
                _ => score(page, path, affine),
            }
        }
        areas.values().for_each(|paths| engraved(page, paths, affine));
    }
}

pub(super) fn cut(page: &mut Page, path: &Path, lies: Affine) {
    page.pen(0.35, 0.0);
    page.path(path, lies);
}

pub(super) fn score(page: &mut Page, path: &Path, lies: Affine) {
    page.pen(0.2, 0.0);
    page.dashes(&[2.4, 0.8, 0.8, 0.8]);
    page.path(path, lies);
}

pub(super) fn reference(page: &mut Page, path: &Path, lies: Affine) {
    page.pen(0.2, 0.45);
    page.dashes(&[0.3, 1.2]);
    page.path(path, lies);
}

pub(super) fn mark(page: &mut Page, path: &Path, lies: Affine) {
    page.pen(0.15, 0.0);
    page.path(path, lies);
    let total = path.length();
    let n = (total / TICKS.0).floor() as usize;
    for k in 0..=n {
        let (at, way) = path.at(k as f64 * TICKS.0);
        let side = way.turn_90() * (TICKS.1 / 2.0);
        page.line(&[lies * (at - side), lies * (at + side)], false);
    }
}

pub(super) fn picture(page: &mut Page, path: &Path, lies: Affine) {
    page.pen(0.1, 0.0);
    page.path(path, lies);
    // Ticks over the corners.
    page.pen(0.35, 0.0);
    let n = path.segments.len();
    for i in 0..n {
        let (before, after) = (&path.segments[(i + n - 1) % n], &path.segments[i]);
        let at = after.start;
        let (back, on) = (before.direction(1.0) * -3.0, after.direction(0.0) * 3.0);
        page.line(&[lies * (at + back), lies * at, lies * (at + on)], false);
    }
}

/// Rows within the areas of one element.
pub(super) fn engraved(page: &mut Page, paths: &[&Path], lies: Affine) {
    let bounds = paths.iter().map(|p| p.transformed(lies).bounds()).reduce(|a, b| a.union(b));
    let Some(b) = bounds else { return };
    page.clip(&paths.iter().map(|p| (*p, lies)).collect::<Vec<_>>());
    page.pen(0.3, 0.0);
    let mut y = (b.min.y / ROWS).ceil() * ROWS;
    while y < b.max.y {
        page.line(&[Point::new(b.min.x, y), Point::new(b.max.x, y)], false);
        y += ROWS;
    }
    page.unclip();
    page.pen(0.08, 0.0);
    paths.iter().for_each(|p| page.path(p, lies));
}

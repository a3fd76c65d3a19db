//! What came along with the parts: specks, borders and title blocks of the paper, things far from the rest.

use super::Contour;
use crate::geometry::{Bounds, Path, Point};
use std::sync::Arc;

/// Ratios of the long to the short side of drawing paper: the ISO series, and the three American formats.
const PAPER: [f64; 4] = [std::f64::consts::SQRT_2, 11.0 / 8.5, 17.0 / 11.0, 22.0 / 17.0];
/// A border keeps a ratio of paper within this share, or is inset from one by an even margin.
const RATIO: f64 = 0.004;
/// What lies further off than this many times the size of the rest is far.
const FAR: f64 = 2.5;
/// What is far off is at most this share of all contours.
const FEW: f64 = 0.1;

/// Contours smaller than `size` mm in both directions, by place in the list.
pub(super) fn specks(contours: &[Arc<Contour>], size: f64) -> Vec<usize> {
    (0..contours.len()).filter(|i| contours[*i].bounds.width().max(contours[*i].bounds.height()) < size).collect()
}

/// What belongs to the paper: on every page its border, frames just inside it, the title block that hangs on it, and tables.
/// `pages` are the file's own pages, where it has some; `texts` is where writing stands.
pub(super) fn borders(contours: &[Arc<Contour>], pages: &[Bounds], texts: &[Point]) -> Vec<usize> {
    let boxes: Vec<usize> = (0..contours.len()).filter(|i| rectangle(&contours[*i].path)).collect();
    // A border holds what is drawn on its page: other contours, and writing where no page of the file tells it.
    let border = |i: &usize| {
        let b = contours[*i].bounds;
        // What is quickly told comes first: most rectangles are none.
        let as_page = pages.iter().any(|p| p.grown(1e-3).holds(&b) && b.width() >= PAGE * p.width() && b.height() >= PAGE * p.height());
        (as_page || contours.len() > 3 && paper(b) && texts.iter().any(|t| b.has(*t)))
            && contours.iter().enumerate().any(|(j, c)| j != *i && b.grown(-1e-6).holds(&c.bounds))
    };
    let candidates: Vec<usize> = boxes.iter().copied().filter(border).collect();
    let within = |i: usize, j: usize| {
        i != j && contours[j].bounds.grown(1e-6).holds(&contours[i].bounds) && contours[j].area.abs() > contours[i].area.abs()
    };
    let outer: Vec<usize> = candidates.iter().copied().filter(|i| !candidates.iter().any(|j| within(*i, *j))).collect();
    let mut found = outer.clone();
    for border in outer {
        with_border(contours, contours[border].bounds, &mut found);
    }
    if !found.is_empty() && boxes.len().saturating_mul(contours.len() + texts.len()) < MOST_PAIRS {
        tables(contours, &boxes, texts, &mut found);
    }
    found
}

/// A border takes at least this share of its page each way.
const PAGE: f64 = 0.85;
/// Boxes are held against contours and writing in drawings that are not larger than this.
const MOST_PAIRS: usize = 20_000_000;
/// Cells of a table at least.
const CELLS: usize = 4;

/// Frames just inside a border, and the straight lines of the title block that hang on it in the lower right.
fn with_border(contours: &[Arc<Contour>], outer: Bounds, found: &mut Vec<usize>) {
    let short = outer.width().min(outer.height());
    let corner = Bounds {
        min: Point::new(outer.max.x - 0.66 * outer.width(), outer.min.y),
        max: Point::new(outer.max.x, outer.min.y + 0.25 * outer.height()),
    }
    .grown(1e-3);
    let inset = outer.grown(-0.12 * short);
    for (i, c) in contours.iter().enumerate() {
        let frame = rectangle(&c.path) && outer.grown(1e-6).holds(&c.bounds) && c.bounds.holds(&inset);
        if frame && !found.contains(&i) {
            found.push(i);
        }
    }
    // What touches the border or what hangs on it already, as long as there is more.
    let reach = 0.002 * short;
    let on_border = |b: &Bounds| b.max.x > outer.max.x - 0.1 * short || b.min.y < outer.min.y + reach;
    let mut block: Vec<usize> = Vec::new();
    loop {
        let hangs = |c: &Contour| {
            corner.holds(&c.bounds)
                && straight(&c.path)
                && (on_border(&c.bounds) || block.iter().any(|j| contours[*j].bounds.grown(reach).meets(&c.bounds)))
        };
        let more: Vec<usize> = (0..contours.len()).filter(|i| !found.contains(i) && !block.contains(i) && hangs(&contours[*i])).collect();
        if more.is_empty() {
            break;
        }
        block.extend(more);
    }
    found.extend(block);
}

/// Rectangles side by side that each hold writing and nothing else.
fn tables(contours: &[Arc<Contour>], boxes: &[usize], texts: &[Point], found: &mut Vec<usize>) {
    let cell = |i: &usize| {
        let b = contours[*i].bounds;
        !found.contains(i)
            && texts.iter().any(|t| b.has(*t))
            && !contours.iter().enumerate().any(|(j, c)| j != *i && b.grown(-1e-6).holds(&c.bounds))
    };
    let mut cells: Vec<usize> = boxes.iter().copied().filter(cell).collect();
    while let Some(first) = cells.pop() {
        let mut group = vec![first];
        while let Some(k) = cells.iter().position(|i| group.iter().any(|g| contours[*g].bounds.grown(0.01).meets(&contours[*i].bounds))) {
            group.push(cells.swap_remove(k));
        }
        if group.len() >= CELLS {
            found.extend(group);
        }
    }
}

fn straight(path: &Path) -> bool {
    path.segments.iter().all(|s| s.is_line() && ((s.start.x - s.end.x).abs() < 1e-6 || (s.start.y - s.end.y).abs() < 1e-6))
}

fn rectangle(path: &Path) -> bool {
    let b = path.bounds();
    path.closed
        && straight(path)
        && path.segments.len() <= 8
        && (path.area().abs() - b.width() * b.height()).abs() < 1e-6 * b.width() * b.height()
}

fn paper(b: Bounds) -> bool {
    let (long, short) = (b.width().max(b.height()), b.width().min(b.height()));
    let fits = |long: f64, short: f64| PAPER.iter().any(|r| (long / short / r - 1.0).abs() < RATIO);
    // A border lies 5 to 20 mm inside the paper's edge.
    fits(long, short) || [5.0, 7.0, 10.0, 15.0, 20.0].iter().any(|m| fits(long + 2.0 * m, short + 2.0 * m))
}

/// Contours far from the rest: the drawing falls into two groups along x or y with much room between, and one is small.
pub(super) fn far(contours: &[Arc<Contour>]) -> Vec<usize> {
    let n = contours.len();
    if n < 4 {
        return Vec::new();
    }
    let mut out: Vec<usize> = Vec::new();
    for vertical in [false, true] {
        let span = |i: usize| {
            let b = contours[i].bounds;
            if vertical { (b.min.y, b.max.y) } else { (b.min.x, b.max.x) }
        };
        let mut order: Vec<usize> = (0..n).filter(|i| !out.contains(i)).collect();
        order.sort_by(|a, b| span(*a).0.total_cmp(&span(*b).0));
        // The widest empty stretch.
        let (mut reach, mut widest, mut at) = (f64::NEG_INFINITY, 0.0, 0);
        for (k, i) in order.iter().enumerate() {
            if k > 0 && span(*i).0 - reach > widest {
                (widest, at) = (span(*i).0 - reach, k);
            }
            reach = reach.max(span(*i).1);
        }
        let (low, high) = order.split_at(at);
        let (few, rest) = if low.len() < high.len() { (low, high) } else { (high, low) };
        let size = rest.iter().map(|i| span(*i)).fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), s| (a.min(s.0), b.max(s.1)));
        let weight = |group: &[usize]| group.iter().map(|i| contours[*i].length).sum::<f64>();
        let small = few.len() as f64 <= (FEW * n as f64).max(1.0) && weight(few) < FEW * weight(rest);
        if at > 0 && small && widest > FAR * (size.1 - size.0) {
            out.extend(few);
        }
    }
    out
}

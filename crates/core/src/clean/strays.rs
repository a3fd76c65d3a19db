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

/// Rectangles of a paper's shape round everything, when text or loose lines lie within: borders, and with them what
/// hangs on them (title blocks). `texts` is the number of writings in the drawing.
pub(super) fn borders(contours: &[Arc<Contour>], all: Bounds, texts: usize) -> Vec<usize> {
    let mut found: Vec<usize> = Vec::new();
    if texts == 0 || contours.len() < 4 {
        return found;
    }
    for (i, c) in contours.iter().enumerate() {
        if rectangle(&c.path) && covers(c.bounds, all) && paper(c.bounds) {
            found.push(i);
        }
    }
    if found.is_empty() {
        return found;
    }
    // A second frame just inside the first, and boxes in the lower right corner that hold nothing but writing.
    let outer = contours[found[0]].bounds;
    let short = outer.width().min(outer.height());
    for (i, c) in contours.iter().enumerate().filter(|(i, _)| !found.contains(i)).collect::<Vec<_>>() {
        let inset = outer.grown(-0.12 * short);
        let frame = rectangle(&c.path) && outer.holds(&c.bounds) && c.bounds.holds(&inset);
        let corner = Bounds {
            min: Point::new(outer.max.x - 0.5 * outer.width(), outer.min.y),
            max: Point::new(outer.max.x, outer.min.y + 0.22 * outer.height()),
        };
        let title = corner.holds(&c.bounds) && (rectangle(&c.path) || straight(&c.path)) && (c.bounds.max.x > outer.max.x - 0.1 * short);
        if frame || title {
            found.push(i);
        }
    }
    found
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

fn covers(b: Bounds, all: Bounds) -> bool {
    b.width() >= 0.97 * all.width() && b.height() >= 0.97 * all.height()
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

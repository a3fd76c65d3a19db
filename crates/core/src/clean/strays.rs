//! What came along with the parts: specks, and things far from the rest.

use super::Contour;
use std::sync::Arc;

/// What lies further off than this many times the size of the rest is far.
const FAR: f64 = 2.5;
/// What is far off is at most this share of all contours.
const FEW: f64 = 0.1;

/// Contours smaller than `size` mm in both directions, by place in the list.
pub(super) fn specks(contours: &[Arc<Contour>], size: f64) -> Vec<usize> {
    (0..contours.len()).filter(|i| contours[*i].bounds.width().max(contours[*i].bounds.height()) < size).collect()
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

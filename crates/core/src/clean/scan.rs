//! A scan of a plan: a picture of paper with a border, writing and thin lines on it. Traced, its paper would be cut with its parts.

use super::Piece;
use crate::geometry::Bounds;

/// A border takes at least this share of what is drawn, each way, and its line no more of it than the second.
const BORDER: (f64, f64) = (0.8, 0.08);
/// What is no larger than this share of the whole is a letter or a head.
const SMALL: f64 = 0.03;
/// Letters that a plan has at least, with a border and without one.
const LETTERS: (usize, usize) = (15, 60);
/// A thin line is so many times as long as it is wide, and as long as this share of the whole; plans have so many.
const THIN: (f64, f64, usize) = (25.0, 0.08, 4);

/// What tells that a tracing is of a plan, in words; `None` where it is none.
pub(super) fn of_plan(pieces: &[Piece]) -> Option<String> {
    let boxes: Vec<Bounds> = pieces.iter().filter(|p| p.path.closed).map(|p| p.path.bounds()).collect();
    let all = boxes.iter().fold(Bounds::EMPTY, |a, b| a.union(*b));
    let size = all.width().max(all.height());
    let letters = boxes.iter().filter(|b| b.width().max(b.height()) <= SMALL * size).count();
    let large = |b: &Bounds| b.width() >= BORDER.0 * all.width() && b.height() >= BORDER.0 * all.height();
    let mut frames: Vec<f64> = pieces.iter().filter(|p| p.path.closed && large(&p.path.bounds())).map(|p| p.path.area().abs()).collect();
    frames.sort_by(f64::total_cmp);
    // The two edges of a border's line.
    let border = frames.windows(2).any(|w| w[1] - w[0] <= BORDER.1 * all.width() * all.height());
    // An area's mean width is twice its area by its length round.
    let thin = |p: &&Piece| {
        let (b, round) = (p.path.bounds(), p.path.length());
        let wide = 2.0 * p.path.area().abs() / round.max(1e-9);
        p.path.closed && b.width().max(b.height()) >= THIN.1 * size && round / 2.0 >= THIN.0 * wide
    };
    let lines = pieces.iter().filter(thin).count();
    if border && letters >= LETTERS.0 {
        Some(format!("a border, and {letters} marks as small as letters"))
    } else if letters >= LETTERS.1 && lines >= THIN.2 {
        Some(format!("{letters} marks as small as letters, and {lines} thin lines"))
    } else {
        None
    }
}

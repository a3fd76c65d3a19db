//! Gaps: free ends that may want each other.

use super::{Chained, End, FREE, Gap, end_point, inward};
use crate::clean::cells::Cells;
use rustc_hash::FxHashMap;

/// Ends at one place that are looked at for each other.
const CROWD: usize = 16;

/// Ends that look past each other by more than this cosine lie side by side: 60 degrees.
const ASIDE: f64 = 0.5;

/// True where a chain may want to go on across a gap. Strokes that lie side by side, marks of a ruler, a hatching, are not two sides
/// of an outline whose end is missing.
fn wanted(chains: &[Chained], a: End, b: End, width: f64) -> bool {
    if a / 2 == b / 2 || width < 1e-9 {
        return true;
    }
    let [p, q] = [a, b].map(|e| end_point(&chains[e / 2].path, e % 2 == 1));
    let [out, back] = [a, b].map(|e| -inward(&chains[e / 2].path, e % 2 == 1));
    let way = (q - p) / width;
    let beside = out.dot(way).abs() < ASIDE && back.dot(way).abs() < ASIDE && out.dot(back) > 0.0;
    let stroke = |e: End| chains[e / 2].path.segments.len() == 1;
    !(beside && stroke(a) && stroke(b))
}

/// Links free ends of open chains across gaps of up to `gap` mm, smallest first.
pub(super) fn bridge(chains: &[Chained], gap: f64) -> (Vec<End>, Vec<Gap>) {
    let mut links = vec![FREE; chains.len() * 2];
    let lengths: Vec<f64> = chains.iter().map(|c| c.path.length()).collect();
    let mut grids: FxHashMap<usize, (Cells, Vec<End>)> = FxHashMap::default();
    let mut pairs: Vec<(f64, End, End)> = Vec::new();
    for end in (0..chains.len() * 2).filter(|e| !chains[e / 2].path.closed && lengths[e / 2] > 2.0 * gap) {
        let chain = &chains[end / 2];
        let at = end_point(&chain.path, end % 2 == 1);
        let (cells, end_of) = grids.entry(chain.style).or_insert_with(|| (Cells::new(gap, 256), Vec::new()));
        let mut met = 0;
        cells.near(at, gap, |i, width| {
            met += 1;
            if met <= CROWD / 2 && wanted(chains, end_of[i], end, width) {
                pairs.push((width, end_of[i], end));
            }
        });
        // Where a crowd of ends lies already, one more would only be looked at again and again.
        if met < CROWD {
            cells.add(at);
            end_of.push(end);
        }
    }
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
    let mut gaps = Vec::new();
    for (width, a, b) in pairs {
        if links[a] == FREE && links[b] == FREE {
            (links[a], links[b]) = (b, a);
            let at = end_point(&chains[a / 2].path, a % 2 == 1).midpoint(end_point(&chains[b / 2].path, b % 2 == 1));
            gaps.push(Gap { at, width });
        }
    }
    (links, gaps)
}

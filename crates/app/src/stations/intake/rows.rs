//! Drawings on the bench: in rows that are read like lines of writing, as large as the stage allows.

use boustrophe_core::geometry::Point;

/// Room between drawings, mm.
pub const APART: f64 = 40.0;
/// Room between rows as a share of the bench's height, where that is more: the names under the drawings stand in it.
const BETWEEN: f64 = 0.05;
/// Width of the stage over its height.
const STAGE: f64 = 1.42;
/// Rows at most.
const MOST_ROWS: usize = 12;
/// What is kept in one row is easier to follow: more rows have to show everything so many times as large.
const WORTH_IT: f64 = 1.25;

/// Lower left corners of boxes of these widths and heights, mm: the first row lies at 0, the next ones below it.
pub fn in_rows(sizes: &[(f64, f64)]) -> Vec<Point> {
    let whole: f64 = sizes.iter().map(|s| s.0 + APART).sum();
    let mut best = laid(sizes, f64::INFINITY);
    for rows in 2..=MOST_ROWS.min(sizes.len()) {
        let tried = laid(sizes, whole / rows as f64);
        if tried.scale > best.scale * if best.rows == 1 { WORTH_IT } else { 1.0 } {
            best = tried;
        }
    }
    best.places
}

/// Drawings laid in rows.
struct Laid {
    places: Vec<Point>,
    /// How large the stage shows them, beside others.
    scale: f64,
    rows: usize,
}

/// Rows no wider than so much, if one drawing is not.
fn laid(sizes: &[(f64, f64)], width: f64) -> Laid {
    let mut rows: Vec<Vec<usize>> = vec![Vec::new()];
    let mut x = 0.0;
    for (i, size) in sizes.iter().enumerate() {
        if x > 0.0 && x + size.0 > width {
            rows.push(Vec::new());
            x = 0.0;
        }
        x += size.0 + APART;
        if let Some(row) = rows.last_mut() {
            row.push(i);
        }
    }
    let high = |row: &Vec<usize>| row.iter().map(|i| sizes[*i].1).fold(0.0, f64::max);
    let between = (rows.iter().map(high).sum::<f64>() * BETWEEN).max(APART);
    let mut places = vec![Point::ZERO; sizes.len()];
    let (mut widest, mut y) = (0.0_f64, 0.0);
    for (n, row) in rows.iter().enumerate() {
        if n > 0 {
            y -= high(row) + between;
        }
        let mut x = 0.0;
        for i in row {
            places[*i] = Point::new(x, y);
            x += sizes[*i].0 + APART;
        }
        widest = widest.max(x - APART);
    }
    let height = rows.first().map_or(0.0, high) - y;
    let scale = (STAGE / widest.max(1e-9)).min(1.0 / height.max(1e-9));
    Laid { places, scale, rows: rows.len() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn few_lie_in_one_row_and_many_in_several() {
        assert_eq!(in_rows(&[(100.0, 60.0), (50.0, 40.0)]), [Point::ZERO, Point::new(140.0, 0.0)]);
        let twelve = in_rows(&[(200.0, 100.0); 12]);
        let rows: std::collections::BTreeSet<i64> = twelve.iter().map(|p| p.y as i64).collect();
        assert!((3..=4).contains(&rows.len()), "{rows:?}");
        assert!(twelve[0] == Point::ZERO && twelve[11].y < 0.0);
        assert!(in_rows(&[]).is_empty());
    }

    proptest! {
        /// However large they are: none lies on another, they are read in their order, and none is shown smaller than in one row.
        #[test]
        fn drawings_lie_apart_and_in_order(sizes in prop::collection::vec((1.0..2000.0_f64, 1.0..2000.0_f64), 1..24)) {
            let places = in_rows(&sizes);
            let apart = |i: usize, j: usize| {
                let (a, b, (w, h), (v, g)) = (places[i], places[j], sizes[i], sizes[j]);
                a.x + w < b.x || b.x + v < a.x || a.y + h < b.y || b.y + g < a.y
            };
            for i in 0..sizes.len() {
                for j in i + 1..sizes.len() {
                    prop_assert!(apart(i, j), "{i} and {j}: {places:?}");
                    prop_assert!(places[j].y < places[i].y || places[j].y == places[i].y && places[j].x > places[i].x);
                }
            }
            let shown = |places: &[Point]| {
                let right = places.iter().zip(&sizes).map(|(p, s)| p.x + s.0).fold(0.0, f64::max);
                let low = places.iter().map(|p| p.y).fold(0.0, f64::min);
                let high = places.iter().zip(&sizes).map(|(p, s)| p.y + s.1).fold(0.0, f64::max);
                (STAGE / right).min(1.0 / (high - low))
            };
            let mut x = 0.0;
            let one: Vec<Point> = sizes.iter().map(|s| { x += s.0 + APART; Point::new(x - s.0 - APART, 0.0) }).collect();
            prop_assert!(shown(&places) >= shown(&one) * 0.999);
        }
    }
}

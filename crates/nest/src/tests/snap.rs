//! What lies nearly a kerf apart is brought to a kerf, and nothing else is moved.

use super::*;
use crate::ids::CopyId;
use crate::snap::{shared, snapped};

const KERF: f64 = 0.2;

fn distances() -> Distances {
    Distances { spacing: 2.0, margin: 5.0, common: Some(KERF) }
}

/// Copies of a tile at these places of a sheet.
fn tiles(work: &Work, places: &[(f64, f64)]) -> Layout {
    let part = work.parts[0].id;
    let at = |(i, (x, y)): (usize, &(f64, f64))| Placement {
        copy: CopyId { part, number: i as u32 + 1 },
        x: *x,
        y: *y,
        angle: 0.0,
        mirrored: false,
    };
    let placed = places.iter().enumerate().map(at).collect();
    Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(400.0, 300.0), placed }], ..Layout::default() }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// A grid with a little play between its tiles has none afterwards, and shares all its inner edges; what is held stays.
    #[test]
    fn play_is_taken_out_of_a_grid(columns in 2..5_usize, rows in 2..4_usize, w in 20.0..60.0_f64, h in 20.0..50.0_f64, plays in prop::collection::vec((0.0..0.004_f64, 0.0..0.004_f64), 20)) {
        let work = work(&[Path::rectangle(0.0, 0.0, w, h)], 1);
        let place = |i: usize| {
            let (c, r) = (i % columns, i / columns);
            // Play adds up along rows and columns, so that none comes too near.
            let sum = |n: usize, of: fn(&(f64, f64)) -> f64| plays.iter().take(n).map(of).sum::<f64>();
            (5.0 + c as f64 * (w + KERF) + sum(c, |p| p.0), 5.0 + r as f64 * (h + KERF) + sum(r, |p| p.1))
        };
        let layout = tiles(&work, &(0..columns * rows).map(place).collect::<Vec<_>>());
        let last = layout.sheets[0].placed[columns * rows - 1];
        let held = snapped(&work, layout.clone(), distances(), |c| *c == last.copy);
        prop_assert_eq!(held.sheets[0].placed[columns * rows - 1], last);
        let out = snapped(&work, layout.clone(), distances(), |_| false);
        prop_assert_eq!(faults(&work, &out, distances()).count, 0);
        let inner = (columns - 1) as f64 * rows as f64 * h + (rows - 1) as f64 * columns as f64 * w;
        prop_assert!((shared(&work, &out, KERF) - inner).abs() < 1e-3, "{} of {inner}", shared(&work, &out, KERF));
        for (was, is) in layout.copies().zip(out.copies()) {
            prop_assert!((was.x - is.x).abs() < 0.06 && (was.y - is.y).abs() < 0.06 && was.angle == is.angle);
        }
    }
}

#[test]
fn without_common_edges_and_with_more_play_nothing_moves() {
    let work = work(&[Path::rectangle(0.0, 0.0, 40.0, 30.0)], 1);
    let apart = tiles(&work, &[(5.0, 5.0), (47.0, 5.0)]);
    assert_eq!(snapped(&work, apart.clone(), distances(), |_| false), apart);
    let near = tiles(&work, &[(5.0, 5.0), (45.21, 5.0)]);
    assert_eq!(snapped(&work, near.clone(), Distances::of(0.1, 5.0), |_| false), near);
    assert_eq!(shared(&work, &apart, KERF), 0.0);
    // Discs have no edges to share.
    let discs = super::work(&[Path::circle(Point::new(20.0, 20.0), 20.0)], 1);
    let round = tiles(&discs, &[(5.0, 5.0), (47.01, 5.0)]);
    assert_eq!(snapped(&discs, round.clone(), distances(), |_| false), round);
}

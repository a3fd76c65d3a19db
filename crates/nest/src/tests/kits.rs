//! Kits lie together: counted by the test's own sums, sheet by sheet.

use super::*;
use crate::kits::{Kits, torn};
use std::collections::{BTreeMap, BTreeSet};

/// Parts of these boxes and quantities; the first so many belong to one kit.
fn boxes(sizes: &[(f64, f64, u32)]) -> Work {
    let paths: Vec<Path> = sizes.iter().enumerate().map(|(i, s)| Path::rectangle(200.0 * i as f64, 0.0, s.0, s.1)).collect();
    let mut work = work(&paths, 1);
    work.parts.iter_mut().zip(sizes).for_each(|(p, s)| p.quantity = s.2);
    work
}

fn with_kit(work: &Work, parts: usize, near: bool, terms: Terms) -> Terms {
    let kit = Some(Kit { number: 2, near });
    let said = work.parts[..parts].iter().map(|p| (p.id, PartNest { kit, ..PartNest::default() }));
    Terms { parts: said.collect(), ..terms }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(8))]
    /// Of a kit every sheet holds all parts in the same proportion, if it holds any: none is torn, and nothing waits.
    #[test]
    fn what_belongs_together_lies_on_one_sheet(
        sizes in prop::collection::vec((20.0..110.0_f64, 15.0..90.0_f64, 1..4_u32), 2..4), count in 2..7_u32,
        other in (20.0..70.0_f64, 20.0..70.0_f64, 0..9_u32), seed in 0..100_u64,
    ) {
        let mut all: Vec<(f64, f64, u32)> = sizes.iter().map(|s| (s.0, s.1, s.2 * count)).collect();
        let parts = all.len();
        all.push(other);
        let work = boxes(&all);
        let terms = with_kit(&work, parts, false, terms_of(300.0, 200.0, 2.0, 5.0));
        let problem = Problem::new(&work, &terms, &Tolerance::default());
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed, tries: 7 });
        prop_assert_eq!(faults(&work, &layout, terms.distances()).count, 0);
        prop_assert!(layout.unplaced.is_empty());
        let whole = Kits::of(&work, &terms)[0].count;
        prop_assert!(whole.is_multiple_of(count));
        let area: f64 = sizes.iter().map(|s| s.0 * s.1 * f64::from(s.2 * count / whole)).sum();
        // Of a kit that a sheet has ample room for none is torn.
        if area < 0.3 * 290.0 * 190.0 {
            for sheet in &layout.sheets {
                let of = |p: &Drawn| sheet.placed.iter().filter(|c| c.copy.part == p.id).count() as u32;
                let shares: Vec<f64> = work.parts[..parts].iter().map(|p| f64::from(of(p)) / f64::from(p.quantity)).collect();
                prop_assert!(shares.iter().all(|s| (s - shares[0]).abs() < 1e-9), "{shares:?}");
            }
            prop_assert_eq!(torn(&work, &layout, &terms)[0].1.sheets, 0);
        }
    }
}

#[test]
fn a_kit_lies_side_by_side_where_that_costs_no_sheet() {
    // Many tiles of others between a large one and a small one that belong together.
    let work = boxes(&[(60.0, 60.0, 3), (25.0, 25.0, 3), (34.0, 33.0, 21)]);
    let layout = |near: bool| {
        let terms = with_kit(&work, 2, near, terms_of(420.0, 200.0, 3.0, 5.0));
        let layout = nest(&work, &terms, 10);
        let told = torn(&work, &layout, &with_kit(&work, 2, true, terms_of(420.0, 200.0, 3.0, 5.0)))[0].1;
        (layout.sheets.len(), layout.unplaced.len(), told.sheets, told.apart)
    };
    assert_eq!(layout(true), (1, 0, 0, 0));
    // Laid by size, as they are without that wish, the small ones come after all others.
    assert!(layout(false).3 > 0, "{:?}", layout(false));
}

#[test]
fn a_layout_that_tears_kits_is_bettered_by_one_that_does_not() {
    let work = boxes(&[(60.0, 40.0, 3), (30.0, 30.0, 3)]);
    let terms = with_kit(&work, 2, false, terms_of(150.0, 70.0, 2.0, 6.0));
    // Two large ones on the first sheet, as they lie by size alone.
    let apart = nest(&work, &Terms { parts: BTreeMap::new(), ..terms.clone() }, 9);
    assert!(torn(&work, &apart, &terms)[0].1.sheets > 0, "{apart:?}");
    let problem = Problem::from(&work, &terms, &Tolerance::default(), &apart, &BTreeSet::new());
    let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 7, tries: 12 });
    assert_eq!((layout.sheets.len(), torn(&work, &layout, &terms)[0].1.sheets), (3, 0));
    assert!(is_better(&layout, &apart, &work, &terms) && !is_better(&apart, &layout, &work, &terms));
}

#[test]
fn what_fits_no_sheet_together_is_torn_and_told() {
    let work = boxes(&[(180.0, 90.0, 2), (170.0, 120.0, 2)]);
    let terms = with_kit(&work, 2, false, terms_of(200.0, 140.0, 2.0, 5.0));
    let layout = nest(&work, &terms, 12);
    assert!(layout.unplaced.is_empty());
    assert_eq!((layout.sheets.len(), torn(&work, &layout, &terms)[0].1.sheets), (4, 2));
}

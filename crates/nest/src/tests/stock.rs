//! Which sheets are taken: the cheapest that do, however they are named.

use super::*;
use crate::engine::Engine;
use crate::lattice::Lattices;

/// The least price of sheets that hold so many tiles, each kind given by tiles, price and count: every combination is added up.
fn least(kinds: &[(u32, u32, f64, u32)], tiles: u32) -> Option<f64> {
    let mut best: Option<f64> = None;
    let all: u32 = kinds.iter().map(|k| k.3 + 1).product();
    for mut n in 0..all {
        let (mut room, mut price) = (0, 0.0);
        for (columns, rows, each, count) in kinds {
            let taken = n % (count + 1);
            n /= count + 1;
            room += taken * columns * rows;
            price += f64::from(taken) * each;
        }
        if room >= tiles {
            best = Some(best.map_or(price, |b: f64| b.min(price)));
        }
    }
    best
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(20)))]
    /// Tiles that lie without gaps: a combination does if it has as many places. None that does is cheaper than what is taken.
    #[test]
    fn no_combination_of_sheets_that_does_is_cheaper(
        kinds in prop::collection::vec((1..6_u32, 1..5_u32, 1.0..20.0_f64, 1..4_u32), 2..5), tiles in 1..30_u32,
    ) {
        let sheet = |(columns, rows, price, count): &(u32, u32, f64, u32)| Sheet {
            price: Some(*price), count: Some(*count), ..Sheet::rectangle(50.0 * f64::from(*columns), 50.0 * f64::from(*rows))
        };
        let terms = Terms { sheets: kinds.iter().map(sheet).collect(), ..terms_of(1.0, 1.0, 0.0, 0.0) };
        let layout = nest(&work(&[Path::rectangle(0.0, 0.0, 50.0, 50.0)], tiles), &terms, 6);
        match least(&kinds, tiles) {
            Some(price) => {
                let taken: f64 = layout.sheets.iter().map(|s| terms.price(&s.sheet)).sum();
                prop_assert!(layout.unplaced.is_empty() && taken < price + 1e-3, "{taken} for {price}: {:?}", layout.unplaced);
            }
            None => prop_assert!(!layout.unplaced.is_empty()),
        }
    }
}

#[test]
fn a_sheet_that_has_area_enough_and_no_room_is_joined_by_another() {
    // Two bars of 180 x 60 have less area than one sheet of 200 x 120 and do not fit it with margins; two such sheets cost least.
    let kinds =
        vec![Sheet::rectangle(600.0, 400.0), Sheet { count: Some(2), ..Sheet::rectangle(200.0, 120.0) }, Sheet::rectangle(500.0, 300.0)];
    let terms = Terms { sheets: kinds, rate: 1e-6, ..terms_of(1.0, 1.0, 4.0, 5.0) };
    let layout = nest(&work(&[Path::rectangle(0.0, 0.0, 180.0, 60.0)], 2), &terms, 9);
    assert_eq!(layout.sheets.iter().map(|s| s.sheet.width).collect::<Vec<_>>(), [200.0, 200.0]);
}

#[test]
fn a_layout_on_sheets_that_are_not_offered_any_more_gives_way() {
    let work = work(&[Path::rectangle(0.0, 0.0, 150.0, 140.0)], 2);
    let on = |w: f64, h: f64| Terms { rate: 1e-6, ..terms_of(w, h, 2.0, 5.0) };
    // Two small sheets are cheaper than a large one, but the large one is what there is now.
    let (small, large) = (nest(&work, &on(200.0, 200.0), 6), nest(&work, &on(600.0, 400.0), 6));
    assert!(is_better(&large, &small, &work, &on(600.0, 400.0)) && !is_better(&small, &large, &work, &on(600.0, 400.0)));
    let both = Terms { sheets: vec![Sheet::rectangle(200.0, 200.0), Sheet::rectangle(600.0, 400.0)], ..on(1.0, 1.0) };
    assert!(is_better(&small, &large, &work, &both), "where both are offered the price says it");
}

#[test]
fn sheets_are_taken_by_their_area_where_they_have_no_price() {
    // By name 2 of 300 x 200 come first, then 600 x 400: 0.12 + 0.48 m². Two of 600 x 400 do.
    let kinds = vec![
        Sheet { count: Some(2), ..Sheet::rectangle(300.0, 200.0) },
        Sheet { count: Some(3), ..Sheet::rectangle(600.0, 400.0) },
        Sheet::rectangle(900.0, 600.0),
    ];
    let shapes = [angle(0.0, 0.0, 80.0, 24.0), Path::rectangle(100.0, 0.0, 120.0, 45.0), Path::circle(Point::new(300.0, 30.0), 28.0)];
    let terms = Terms { sheets: kinds, rate: 3e-5, ..terms_of(1.0, 1.0, 3.0, 6.0) };
    let layout = nest(&work(&shapes, 28), &terms, 9);
    let area: f64 = layout.sheets.iter().map(|s| s.sheet.area()).sum();
    assert!(layout.unplaced.is_empty() && area < 0.5401e6, "{area}");
}

/// Ways that are only compared take no room from turns that are found later.
#[test]
fn lattices_that_are_not_laid_add_no_turns() {
    let t = [(0.0, 30.0), (0.0, 45.0), (60.0, 45.0), (60.0, 30.0), (38.0, 30.0), (38.0, 0.0), (22.0, 0.0), (22.0, 30.0)];
    let work = work(&[Path::polygon(&t.map(|(x, y)| Point::new(x, y)))], 60);
    let terms = Terms { turn: Turn::Any, ..terms_of(900.0, 600.0, 2.0, 5.0) };
    let problem = Problem::new(&work, &terms, &Tolerance::default());
    let mut engine = Lattices::new(&problem);
    let found = engine.improve(&crate::plan::Plan::default(), crate::cost::Cost::NOTHING, &|| true).expect("a lattice");
    let (shape, every) = (&problem.shapes[0], problem.shapes[0].turns.len());
    let laid: std::collections::BTreeSet<usize> =
        found.sheets.iter().flat_map(|s| &s.put).map(|p| p.turn).filter(|t| *t >= every).collect();
    let free = (0..12).filter(|k| shape.turns.add((1.0 + 2.7 * f64::from(*k), false), &shape.polygon, problem.spacing).is_some()).count();
    assert_eq!(free, 12 - laid.len(), "{laid:?}");
}

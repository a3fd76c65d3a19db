//! What is left of a sheet, and what that comes to.

use super::*;
use crate::geometry::Region;
use crate::rest::{largest, rest};

/// A piece of an offcut where it lay, to be compared with the sheet that it came from.
fn lying(piece: &Sheet, at: Point) -> Vec<Path> {
    piece.edges().iter().map(|p| p.transformed(Affine::translate(at.to_vec2()))).collect()
}

fn area(paths: &[Path]) -> f64 {
    Region::within(&paths.iter().collect::<Vec<_>>()).area()
}

/// A part at these places of a sheet.
fn placed(work: &Work, sheet: &Sheet, places: &[(f64, f64)]) -> SheetLayout {
    let id = work.parts[0].id;
    let at = |(i, (x, y)): (usize, &(f64, f64))| Placement { copy: copy(id, i as u32 + 1), x: *x, y: *y, angle: 0.0, mirrored: false };
    SheetLayout { sheet: sheet.clone(), placed: places.iter().enumerate().map(at).collect() }
}

#[test]
fn a_sheet_comes_back_with_the_holes_that_were_cut_out_of_it() {
    let work = work(&[Path::circle(Point::new(0.0, 0.0), 30.0)], 2);
    let sheet = Sheet::rectangle(300.0, 200.0);
    let left = rest(&work, &placed(&work, &sheet, &[(60.0, 60.0), (150.0, 100.0)]), 0.5);
    assert_eq!((left.pieces.len(), left.bin), (1, 0.0));
    let (whole, at) = &left.pieces[0];
    assert_eq!((whole.width, whole.height, whole.outline.len(), *at), (300.0, 200.0, 3, Point::ZERO));
    let hole = std::f64::consts::PI * 30.5 * 30.5;
    assert!((left.gone - 2.0 * hole).abs() < 3.0 && (whole.area() - (60_000.0 - 2.0 * hole)).abs() < 3.0, "{}", left.gone);
    // What was cut free all round comes apart; what is of no use goes into the bin.
    let bar = super::work(&[Path::rectangle(0.0, 0.0, 10.0, 200.0)], 2);
    let left = rest(&bar, &placed(&bar, &sheet, &[(100.0, 0.0), (285.0, 0.0)]), 1.0);
    let sizes: Vec<(i64, i64)> = left.pieces.iter().map(|p| (p.0.width.round() as i64, p.1.x.round() as i64)).collect();
    assert_eq!(sizes, [(173, 111), (99, 0)]);
    assert!((left.bin - 4.0 * 200.0).abs() < 1.0, "{}", left.bin);
}

#[test]
fn the_largest_pieces_lie_in_the_material() {
    let sheet =
        Sheet::offcut(vec![Path::rectangle(0.0, 0.0, 400.0, 300.0), Path::circle(Point::new(120.0, 150.0), 60.0)]).expect("an offcut");
    let pieces = largest(&sheet, 3);
    assert_eq!(pieces.len(), 3);
    let (first, at) = &pieces[0];
    assert!(at.x > 178.0 && first.width > 215.0 && first.height > 295.0, "right of the hole: {first:?} at {at:?}");
    let whole = Region::within(&sheet.outline.iter().collect::<Vec<_>>());
    for (piece, at) in &pieces {
        let lies = lying(piece, *at);
        assert!(Region::within(&lies.iter().collect::<Vec<_>>()).minus(&whole).area() < 1e-6);
    }
    assert!(largest(&Sheet::rectangle(60.0, 15.0), 3).is_empty(), "a strip that narrow is of no use");
}

#[test]
fn an_offcut_that_cannot_be_is_refused_in_words() {
    let bow = Path::polygon(&[Point::ZERO, Point::new(100.0, 100.0), Point::new(100.0, 0.0), Point::new(0.0, 90.0)]);
    let told = Sheet::offcut(vec![bow]).expect_err("it crosses itself");
    assert!(told.contains("crosses itself") && told.contains("47.4"), "{told}");
    let out = Path::rectangle(80.0, 20.0, 60.0, 30.0);
    let told = Sheet::offcut(vec![Path::rectangle(0.0, 0.0, 100.0, 90.0), out]).expect_err("a hole over the edge");
    assert!(told.contains("crosses"), "{told}");
    let mut open = Path::rectangle(0.0, 0.0, 100.0, 90.0);
    open.closed = false;
    assert!(Sheet::offcut(vec![open]).is_err_and(|e| e.contains("no closed outline")));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(30)))]
    /// However often an offcut is nested on and cut, what is left, what was cut out and what went into the bin are the sheet.
    #[test]
    fn nothing_is_lost_or_won_however_often_an_offcut_is_cut(radius in 12.0..45.0_f64, kerf in 0.1..2.0_f64, seed in 0..1000_u64) {
        let work = work(&[Path::circle(Point::new(0.0, 0.0), radius)], 3);
        let whole = Sheet::rectangle(320.0, 240.0);
        let (mut offcut, mut gone, mut bin, mut made) = (whole.clone(), 0.0, 0.0, 0);
        for round in 0..4 {
            let terms = Terms { spacing: 3.0 * kerf, margin: 3.0, sheets: vec![Sheet { count: Some(1), ..offcut.clone() }], ..Terms::default() };
            let problem = Problem::new(&work, &terms, &Tolerance::default());
            let control = Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: seed + round, tries: 2 };
            let layout = search(&problem, &control);
            let Some(lying) = layout.sheets.first().filter(|s| !s.placed.is_empty()) else { break };
            prop_assert_eq!(faults(&work, &layout, terms.distances()).count, 0);
            made += lying.placed.len();
            let left = rest(&work, lying, kerf);
            gone += left.gone;
            bin += left.bin;
            let Some((first, _)) = left.pieces.first() else {
                offcut = Sheet::rectangle(0.0, 0.0);
                break;
            };
            bin += left.pieces[1..].iter().map(|p| p.0.area()).sum::<f64>();
            offcut = first.clone();
        }
        let left = if offcut.outline.is_empty() { offcut.area() } else { area(&offcut.outline) };
        prop_assert!((left + gone + bin - whole.area()).abs() < 2.0, "{left} + {gone} + {bin} of {}", whole.area());
        let discs = made as f64 * std::f64::consts::PI * (radius + kerf).powi(2);
        prop_assert!((gone - discs).abs() < 0.002 * discs + 1.0, "{gone} of {discs}");
    }
}

//! What is aimed at on equally many sheets, and sheets by their price.

use super::*;

/// Plates of two sizes with an engraved field each.
fn plates(each: u32) -> Work {
    let plate = |x: f64, w: f64, h: f64| [Path::rectangle(x, 0.0, w, h), Path::rectangle(x + 8.0, 8.0, w - 16.0, h - 16.0)];
    let mut work = work(&[plate(0.0, 70.0, 38.0), plate(100.0, 52.0, 61.0)].concat(), each);
    work.parts.iter_mut().for_each(|p| p.engraved = std::mem::take(&mut p.holes));
    work
}

#[test]
fn rows_that_are_aimed_at_stand_in_line() {
    let work = plates(7);
    let terms = |aim: Aim| Terms { aim, turn: Turn::Half, ..terms_of(420.0, 300.0, 3.0, 5.0) };
    let merits = |aim: Aim| {
        let layout = nest(&work, &terms(aim), 30);
        assert_eq!((layout.sheets.len(), layout.unplaced.len(), faults(&work, &layout, terms(aim).distances()).count), (1, 0, 0));
        Merits::of(&layout, &work, &terms(aim))
    };
    let (rest, rows) = (merits(Aim::Rest), merits(Aim::Rows));
    assert!(rows.rows <= rest.rows && rows.rest <= rest.rest + 1e-6, "{rest:?} {rows:?}");
    // Fields of 54 × 22 and of 36 × 45 mm: in lines of at least three they take no more than half of what they do apart.
    let apart = [7.0 * (22.0 + 45.0), 7.0 * (54.0 + 36.0)].map(|a| (rows.rows_apart - a).abs());
    assert!(apart[0].min(apart[1]) < 1e-6 && rows.rows < 0.5 * rows.rows_apart, "{rows:?}");
}

#[test]
fn rows_are_counted_once_where_copies_stand_in_line() {
    let work = plates(2);
    let layout = nest(&work, &terms_of(420.0, 300.0, 3.0, 5.0), 3);
    let at = |layout: &Layout, y: f64| {
        let mut moved = layout.clone();
        let s = &mut moved.sheets[0];
        s.placed.retain(|p| work.part(p.copy.part).is_some_and(|part| part.bounds.width() > 60.0));
        let corner = work.part(s.placed[0].copy.part).expect("the part").bounds.min;
        for (i, p) in s.placed.iter_mut().enumerate() {
            (p.angle, p.mirrored) = (0.0, false);
            (p.x, p.y) = (10.0 + 90.0 * i as f64 - corner.x, 10.0 + y * i as f64 - corner.y);
        }
        Merits::of(&moved, &work, &Terms::default())
    };
    assert!((at(&layout, 0.0).rows - 22.0).abs() < 1e-9);
    assert!((at(&layout, 5.0).rows - 27.0).abs() < 1e-9);
    assert!((at(&layout, 60.0).rows - 44.0).abs() < 1e-9 && (at(&layout, 60.0).rows_apart - 44.0).abs() < 1e-9);
}

#[test]
fn what_is_left_over_goes_on_the_cheaper_sheet() {
    // Five squares of 100 go on the large sheet, the sixth needs one more: a small one does, wherever it stands in the list.
    let work = work(&[Path::rectangle(0.0, 0.0, 100.0, 100.0)], 6);
    let kinds = |cheap: Option<f64>| vec![Sheet::rectangle(530.0, 130.0), Sheet { price: cheap, ..Sheet::rectangle(200.0, 130.0) }];
    let widths = |cheap: Option<f64>| {
        let layout = nest(&work, &Terms { sheets: kinds(cheap), ..terms_of(530.0, 130.0, 3.0, 5.0) }, 12);
        assert!(layout.unplaced.is_empty());
        let mut all: Vec<f64> = layout.sheets.iter().map(|s| s.sheet.width).collect();
        all.sort_by(f64::total_cmp);
        all
    };
    assert_eq!(widths(None), [200.0, 530.0]);
    assert_eq!(widths(Some(1000.0)), [530.0, 530.0], "a small sheet that costs more is none the better for it");
}

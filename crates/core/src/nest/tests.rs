use super::*;
use crate::geometry::{Path, Tolerance};
use crate::testing::{cleaned, outlines};

fn work(paths: &[Path], quantity: u32) -> Work {
    let (drawing, decisions) = cleaned(&outlines(paths), quantity);
    crate::testing::assigned(&[drawing], &decisions, &Shop::builtin()).0
}

fn terms_of(width: f64, height: f64, spacing: f64, margin: f64) -> Terms {
    Terms { spacing, margin, sheets: vec![Sheet::rectangle(width, height)], turn: Turn::Quarter, ..Terms::default() }
}

fn nested(work: &Work, decisions: &Decisions) -> (Nested, Vec<Finding>) {
    let shop = Shop::builtin();
    run(work, decisions.first().nest.layout.as_ref(), &terms(decisions, BatchId::FIRST, &shop), &shop.machines[0].bed())
}

fn nest(work: &Work, terms: &Terms, tries: usize) -> Layout {
    let problem = Problem::new(work, terms, &Tolerance::default());
    search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 7, tries })
}

#[test]
fn what_fits_no_sheet_is_told_with_its_size() {
    let work = work(&[Path::rectangle(0.0, 0.0, 500.0, 90.0), Path::rectangle(0.0, 200.0, 50.0, 50.0)], 1);
    let terms = terms_of(300.0, 200.0, 2.0, 6.0);
    let layout = nest(&work, &terms, 20);
    assert_eq!(layout.unplaced.values().sum::<u32>(), 1);
    let mut decisions = Decisions::default();
    decisions.first_mut().nest =
        crate::decisions::NestDecisions { sheets: terms.sheets.clone(), layout: Some(layout), ..Default::default() };
    let (_, findings) = nested(&work, &decisions);
    let too_large = findings.iter().find(|f| f.code == "part-too-large").expect("a finding");
    assert!(too_large.text.contains("500.0 × 90.0") && too_large.text.contains("300 × 200"), "{}", too_large.text);
}

#[test]
fn a_kept_layout_goes_stale_with_what_is_chosen_of_the_rack() {
    let work = work(&[Path::rectangle(0.0, 0.0, 50.0, 50.0)], 3);
    let layout = nest(&work, &terms_of(600.0, 400.0, 2.0, 6.0), 5);
    let edit = |d: &Decisions, edit: NestEdit| edit.on(BatchId::FIRST).apply(d).expect("it applies");
    let kept = edit(&Decisions::default(), NestEdit::KeepLayout { layout });
    assert!(nested(&work, &kept).0.current);
    let offcut = Sheet { rack: Some(7), ..Sheet::rectangle(300.0, 200.0) };
    let chosen = edit(&kept, NestEdit::SetSheets { sheets: vec![offcut] });
    let (left, findings) = nested(&work, &chosen);
    assert!(!left.current && findings.iter().any(|f| f.code == "nest-stale" && f.text.contains("before 7 of the rack")), "{findings:?}");
    // Nested again it is right, also where nothing found a place on it; and not when it is chosen no more.
    let again = edit(&chosen, NestEdit::KeepLayout { layout: kept.first().nest.layout.clone().expect("it") });
    assert!(nested(&work, &again).0.current);
    assert!(!nested(&work, &edit(&again, NestEdit::SetSheets { sheets: Vec::new() })).0.current);
}

#[test]
fn a_kept_layout_goes_stale_with_its_parts() {
    let before = work(&[Path::rectangle(0.0, 0.0, 50.0, 50.0)], 3);
    let mut decisions = Decisions::default();
    decisions.first_mut().nest.layout = Some(nest(&before, &terms_of(600.0, 400.0, 2.0, 6.0), 5));
    assert!(nested(&before, &decisions).0.current);
    let (left, findings) = nested(&work(&[Path::rectangle(0.0, 0.0, 50.0, 50.0)], 4), &decisions);
    assert!(!left.current && findings.iter().any(|f| f.code == "nest-stale"));
    assert_eq!(left.layout.sheets[0].placed.len(), 3, "what was decided is still there");
    decisions.first_mut().nest.spacing = Some(30.0);
    let (left, findings) = nested(&before, &decisions);
    assert!(!left.current && findings.iter().any(|f| f.code == "nest-overlap"));
}

//! What is kept and what is made anew: a warm cache gives what a cold one does, and a change makes no more work than it must.

use crate::edits::{KINDS, drawn};
use crate::job::Job;
use crate::steel;
use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::{AssignEdit, Decisions, Edit, HoldEdit, IntakeEdit, NestEdit, OrderEdit, Process, Stock, Strategy};
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::{Affine, Vec2};
use boustrophe_core::ids::{BatchId, CopyId, EdgePlace};
use boustrophe_core::nest::{Placement, Sheet};
use boustrophe_core::print::Print;
use boustrophe_core::route::Route;
use boustrophe_core::shop::{ChartRow, Match, Rule};
use boustrophe_house::played;
use proptest::prelude::{ProptestConfig, any, prop, prop_assert, prop_assert_eq, proptest};
use serde_json::Value;

pub fn svg(body: &str) -> Vec<u8> {
    format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="200mm" viewBox="0 0 300 200">{body}</svg>"#).into_bytes()
}

pub const BOARDS: &str = r#"<path fill="none" stroke="red" d="M10 10h80v60h-80z"/><circle fill="none" stroke="red" cx="40" cy="40" r="12"/><path fill="none" stroke="red" d="M100 10h60v40h-60z"/><path fill="none" stroke="blue" d="M60 20h20"/>"#;
const PLATES: &str =
    r#"<path fill="none" stroke="black" d="M10 10h50v30h-50z"/><path fill="none" stroke="black" d="M70 10h40a10 10 0 0 1 0 20h-40z"/>"#;

/// Two drawings, two batches, all laid.
pub fn job() -> Job {
    let mut job = Job::of(&[("boards.svg", svg(BOARDS)), ("plates.svg", svg(PLATES))], Stock::default());
    job.edit(&Edit::Assign(AssignEdit::AddBatch { stock: steel() }));
    job.edit(&Edit::Intake(IntakeEdit::SetDrawingBatch { drawing: 2, to: BatchId(2) }));
    job.nest_batch(BatchId::FIRST, 1, 2);
    job.nest_batch(BatchId(2), 1, 2);
    job
}

/// All that a person or a machine gets to see of a route.
fn seen(job: &Job, route: &Route) -> String {
    let mut out = format!("{:?}\n{:?}\n", route.findings, route.ledger);
    for (id, b) in &route.batches {
        out += &format!("{id} {:?} {:?}\n", b.nested.layout, b.ledger);
        for i in 0..b.programs.len() {
            let mut text = Vec::new();
            b.write_program(i, &job.shop, &mut text).expect("written");
            out += &String::from_utf8_lossy(&text);
        }
    }
    out
}

/// Makes a change where it can be made; searches where it asks for that.
fn tried(job: &mut Job, edit: &Edit) {
    let Ok(decisions) = edit.apply(&job.decisions) else { return };
    job.decisions = decisions;
    if let Some(batch) = edit.nests() {
        job.nest_batch(batch, 1, 2);
    }
}

/// Pointers to all figures and switches of a value.
fn gather(value: &Value, at: &mut String, out: &mut Vec<String>) {
    let mut into = |key: &str, v: &Value, at: &mut String| {
        let length = at.len();
        at.push('/');
        at.push_str(&key.replace('~', "~0").replace('/', "~1"));
        gather(v, at, out);
        at.truncate(length);
    };
    match value {
        Value::Object(all) => all.iter().for_each(|(k, v)| into(k, v, at)),
        Value::Array(all) => all.iter().enumerate().for_each(|(i, v)| into(&i.to_string(), v, at)),
        Value::Bool(_) | Value::Number(_) => out.push(at.clone()),
        _ => {}
    }
}

/// A part laid at whole millimetres is cut where it lies now, not where one lay before.
#[test]
fn places_in_whole_millimetres_are_told_apart() {
    let mut job = Job::of(&[("plates.svg", svg(PLATES))], Stock::default());
    job.nest(1, 1);
    let kept = job.decisions.first().nest.layout.clone().expect("a layout");
    let places = [(33.0, 74.0), (259.0, 257.0), (257.0, 259.0), (64.0, 128.0), (128.0, 64.0), (65.0, 129.0), (10.0, 300.0), (300.0, 10.0)];
    let mut texts = Vec::new();
    for (x, y) in places.into_iter().chain(places) {
        let mut layout = kept.clone();
        layout.sheets.truncate(1);
        layout.sheets[0].placed.truncate(1);
        (layout.sheets[0].placed[0].x, layout.sheets[0].placed[0].y) = (x, y);
        job.decisions = NestEdit::KeepLayout { layout }.on(BatchId::FIRST).apply(&job.decisions).expect("kept");
        texts.push(seen(&job, &job.route()));
    }
    for (i, text) in texts.iter().enumerate() {
        assert_eq!(texts.iter().position(|t| t == text), Some(i % places.len()), "{:?}", places[i % places.len()]);
    }
}

/// Another picture in the place of one of equal size is what is burned.
#[test]
fn another_picture_of_the_same_size_is_another_program() {
    let png = |turned: bool| {
        let side = 32;
        let rgba =
            (0..side * side).flat_map(|i| [(if turned { i / side } else { i % side } * 8) as u8; 3].into_iter().chain([255])).collect();
        boustrophe_formats::bitmap::write_png(side, side, rgba).expect("a picture")
    };
    let mut job = Job::of(&[("grey.png", png(false))], Stock::default());
    job.edit(&Edit::Intake(IntakeEdit::SetEngraved { drawing: 1, on: true }));
    job.edit(&Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: 96.0 }));
    job.nest(1, 1);
    let before = job.text(&job.route(), 0);
    job.revise(1, "grey.png", &png(true));
    let warm = job.text(&job.route(), 0);
    job.cache = Cache::default();
    assert_eq!(warm, job.text(&job.route(), 0));
    assert_ne!(warm, before);
}

/// After each kind of change by itself, and back again.
#[test]
fn every_change_leaves_what_is_kept_right() {
    let mut job = job();
    let before = job.decisions.clone();
    for n in 0..KINDS {
        for v in [0.3, 0.7] {
            let edit = drawn(&job, n, v);
            tried(&mut job, &edit);
            let warm = seen(&job, &job.route());
            let kept = std::mem::take(&mut job.cache);
            assert_eq!(warm, seen(&job, &job.route()), "{edit:?}");
            job.cache = kept;
            job.decisions = before.clone();
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(16)))]
    /// Whatever is changed, in whatever order, and back again: what was kept is what is made anew.
    #[test]
    fn a_warm_cache_equals_a_cold_one(changes in prop::collection::vec((0..KINDS * 7, 0.0..1.0_f64), 1..7)) {
        let mut job = job();
        let mut history: Vec<Decisions> = vec![job.decisions.clone()];
        for (n, v) in changes {
            let edit = drawn(&job, n, v);
            tried(&mut job, &edit);
            history.push(job.decisions.clone());
        }
        for decisions in history.into_iter().rev() {
            job.decisions = decisions;
            let warm = seen(&job, &job.route());
            let kept = std::mem::take(&mut job.cache);
            let cold = seen(&job, &job.route());
            job.cache = kept;
            prop_assert_eq!(warm, cold);
        }
    }

    /// Any single figure of what is decided, changed: what was kept before is not taken for what comes of it now.
    #[test]
    fn every_figure_of_every_decision_is_in_a_key(leaf in any::<prop::sample::Index>(), by in 0.3..3.0_f64, changes in prop::collection::vec((0..KINDS * 7, 0.0..1.0_f64), 0..3)) {
        let mut job = job();
        for (n, v) in changes {
            let edit = drawn(&job, n, v);
            tried(&mut job, &edit);
        }
        let _ = seen(&job, &job.route());
        let mut json = serde_json::to_value(&job.decisions).expect("written");
        let mut leaves = Vec::new();
        gather(&json, &mut String::new(), &mut leaves);
        let at = &leaves[leaf.index(leaves.len())];
        match json.pointer_mut(at).expect("it is there") {
            Value::Bool(b) => *b = !*b,
            Value::Number(n) if n.is_f64() => *json.pointer_mut(at).expect("it") = (n.as_f64().unwrap_or(0.0) + by).into(),
            Value::Number(n) => *json.pointer_mut(at).expect("it") = (n.as_u64().unwrap_or(0) + 1).into(),
            _ => {}
        }
        // What makes no sense any more is no decision.
        if let Ok(changed) = serde_json::from_value::<Decisions>(json) {
            prop_assert_eq!(Print::of(&changed) == Print::of(&job.decisions), changed == job.decisions);
            job.decisions = changed;
            let warm = seen(&job, &job.route());
            job.cache = Cache::default();
            prop_assert_eq!(warm, seen(&job, &job.route()), "{}", at);
        }
    }

    /// A start that a hand set holds for its contour however the part comes to lie, is there again after undo and redo, and in
    /// a revision of the drawing whose contour is the same.
    #[test]
    fn a_start_set_by_hand_stays_where_it_was_put(share in 0.05..0.95_f64, segment in 0..4_u32, seed in 0..50_u64, turn in 0.0..360.0_f64, alone in any::<bool>()) {
        let mut job = job();
        let part = job.route().work.parts.iter().max_by(|a, b| a.area.total_cmp(&b.area)).expect("the board").id;
        job.edit(&NestEdit::SetQuantity { part, quantity: 3 }.on(BatchId::FIRST));
        job.nest(1, 2);
        let first = CopyId { part, number: 1 };
        let at = EdgePlace::On { segment, share };
        let before = job.decisions.clone();
        job.edit(&OrderEdit::SetStart { contour: part.0, at: Some(at), copy: alone.then_some(first) }.on(BatchId::FIRST));
        let set = job.decisions.clone();
        let wanted = |route: &Route| {
            let path = &route.work.part(part).expect("the board").outline;
            path.at(at.along(path)).0
        };
        // Where the copies' cuts start, back on the drawing.
        let starts = |job: &Job| {
            let route = job.route();
            let b = route.first().clone();
            let mut out = Vec::new();
            for (sheet, cuts) in b.sequence.sheets.iter().zip(&b.plan.sheets) {
                for step in &sheet.steps {
                    let cut = &cuts.cuts[step.cut];
                    let side = *cut.edges().next().expect("a good side");
                    if side.contour == part.0 && (!alone || side.copy == first) {
                        let placed = b.nested.layout.copies().find(|p| p.copy == side.copy).expect("it lies somewhere");
                        out.push(placed.affine().inverse() * cut.path.at(step.start * cut.path.length()).0);
                    }
                }
            }
            (out, wanted(&route))
        };
        let holds = |job: &Job| {
            let (found, wanted) = starts(job);
            found.len() == if alone { 1 } else { 3 } && found.iter().all(|p| p.distance(wanted) < 1e-6)
        };
        prop_assert!(holds(&job), "as it was put: {:?}", starts(&job));
        job.nest(seed, 6);
        prop_assert!(holds(&job), "nested again");
        // A copy turned by hand, and the layout kept.
        let mut layout = job.decisions.first().nest.layout.clone().expect("a layout");
        let placed = layout.sheets.iter_mut().flat_map(|s| &mut s.placed).find(|p| p.copy == first).expect("the first copy");
        let by = Affine::translate(Vec2::new(40.0, 25.0)) * Affine::rotate(turn.to_radians()) * placed.affine();
        *placed = Placement::of(first, by);
        job.edit(&NestEdit::KeepLayout { layout }.on(BatchId::FIRST));
        prop_assert!(holds(&job), "turned by {turn}");
        // Undo and redo.
        let (now, undone) = (job.decisions.clone(), before);
        job.decisions = undone;
        prop_assert!(!holds(&job), "taken back");
        job.decisions = set;
        prop_assert!(holds(&job), "done again");
        job.decisions = now;
        // A revision that has one contour more.
        let revised = svg(&format!(r#"{BOARDS}<circle fill="none" stroke="red" cx="140" cy="30" r="6"/>"#));
        job.revise(1, "boards.svg", &revised);
        prop_assert!(holds(&job), "revised");
    }
}

/// The counter tells which stations worked.
#[test]
fn a_change_makes_no_more_work_than_it_must() {
    let mut job = job();
    job.cache = Cache::default();
    job.route();
    let made = |job: &Job| Station::ALL.map(|s| job.cache.made(s));
    let before = made(&job);
    let worked = |job: &Job, before: &[usize; 8]| {
        job.route();
        let after = made(job);
        Station::ALL.into_iter().zip(after.iter().zip(before)).filter(|(_, (a, b))| a > b).map(|(s, _)| s).collect::<Vec<_>>()
    };
    // A row of the chart that nothing in the job is done with.
    let row = ChartRow { material: "slate-tile".into(), thickness: 8.0, ..job.shop.chart[0].clone() };
    job.shop.chart.push(row);
    assert_eq!(worked(&job, &before), []);
    // A feed: only what the head does, and its proof.
    job.shop.chart.iter_mut().filter(|r| r.machine == "lark" && r.process == Process::Cut).for_each(|r| r.feed *= 0.9);
    assert_eq!(worked(&job, &before), [Station::Hold, Station::Proof, Station::Release]);
    // A rule that makes nothing different: lines are looked at again, and that is all.
    let before = made(&job);
    job.shop.rules.push(Rule { id: 1, when: Match { layer: Some("nobody's".into()), ..Match::default() }, process: Process::Score });
    assert_eq!(worked(&job, &before), [Station::Assign]);
    // A nick of one batch leaves the other alone.
    let before = made(&job);
    job.edit(&HoldEdit::SetNickWidth { width: Some(0.7) }.on(BatchId::FIRST));
    assert_eq!(worked(&job, &before), [Station::Hold, Station::Proof, Station::Release]);
    assert_eq!((job.cache.made(Station::Hold) - before[5], job.cache.made(Station::Proof) - before[6]), (1, 1));
    // A quantity.
    let before = made(&job);
    let part = job.route().batch(BatchId(2)).work.parts[0].id;
    job.edit(&NestEdit::SetQuantity { part, quantity: 3 }.on(BatchId(2)));
    assert!(!worked(&job, &before).contains(&Station::Clean));
}

/// A copy moved on one of many sheets: that sheet alone is ordered and proved anew, and all comes out as if everything had been.
#[test]
fn a_move_on_one_sheet_leaves_the_others_alone() {
    let mut job = Job::of(&[("boards.svg", svg(BOARDS))], Stock::default());
    let parts: Vec<_> = job.route().work.parts.iter().map(|p| p.id).collect();
    for part in parts {
        job.edit(&NestEdit::SetQuantity { part, quantity: 9 }.on(BatchId::FIRST));
    }
    job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(250.0, 130.0)] }.on(BatchId::FIRST));
    job.nest(1, 3);
    let sheets = job.route().first().nested.layout.sheets.len();
    assert!(sheets > 3, "{sheets}");
    let before = job.cache.sheets_made();
    let mut layout = job.decisions.first().nest.layout.clone().expect("a layout");
    layout.sheets[1].placed[0].x += 0.25;
    job.edit(&NestEdit::KeepLayout { layout }.on(BatchId::FIRST));
    let warm = job.route();
    assert_eq!(job.cache.sheets_made(), (before.0 + 1, before.1 + 1));
    let seen_warm = seen(&job, &warm);
    job.cache = Cache::default();
    let cold = job.route();
    assert_eq!(seen_warm, seen(&job, &cold));
    assert_eq!(job.cache.sheets_made(), (sheets, sheets));
    // Another order is another order on every sheet.
    job.edit(&OrderEdit::SetStrategy { strategy: Strategy::Parts }.on(BatchId::FIRST));
    job.route();
    assert_eq!(job.cache.sheets_made().0, 2 * sheets);
}

//! The whole route over the demo drawings: what is kept, what is computed anew, and what must hold for every sheet.

mod boxes;
mod by_hand;
mod cached;
mod common;
mod controller;
mod dangers;
mod dialects;
mod edits;
mod handed;
mod held;
mod job;
mod jobs;
mod lifted;
mod lists;
mod loose;
mod paper;
mod pens;
mod plans;
mod posed;
mod printed;
mod real;
mod revised;
mod sabotage;
mod shared;
mod solids;
mod spotless;
mod tables;
mod unnicked;
mod views;

use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{AssignEdit, Edit, HoldEdit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::drawing::Unit;
use boustrophe_core::finding::{Finding, Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ids::CopyId;
use boustrophe_core::proof::interpret;
use boustrophe_core::release::Program;
use boustrophe_core::shop::Shop;
use boustrophe_formats::read;
use job::Job;
use std::path::Path;
use std::sync::Arc;

fn steel() -> Stock {
    Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 }
}

fn codes(findings: &[Finding], station: Station) -> Vec<&str> {
    findings.iter().filter(|f| f.station == station && f.severity != Severity::Note).map(|f| f.code.as_str()).collect()
}

/// Every demo drawing goes through with its remedies taken; what comes out is proved.
#[test]
fn every_demo_drawing_comes_through() {
    for (names, batch) in [
        (&["queen-excluder.dxf"][..], Stock::default()),
        (&["crown-board.dxf", "frame-bars.dxf"], Stock::default()),
        (&["number-plates.svg"], Stock { material: "acrylic".into(), ..Stock::default() }),
        (&["honey-sign.svg", "comb-tiles.svg"], Stock::default()),
        (&["mouse-guard.dxf", "stand-gusset.dxf"], steel()),
        (&["bee.png"], Stock { material: "card".into(), thickness: 1.5, ..Stock::default() }),
        (&["feeder-roof.stl"], Stock::default()),
    ] {
        let mut job = Job::new(names, batch);
        job.mend();
        job.nest(3, 4);
        job.mend();
        let route = job.route();
        assert!(route.released(), "{names:?}: {:?}", route.findings.iter().filter(|f| f.severity != Severity::Note).collect::<Vec<_>>());
        assert_eq!(route.first().programs.len(), route.first().nested.layout.sheets.len());
        let machine = job.shop.machine(&job.decisions.first().stock.machine).expect("a machine");
        for (i, proof) in route.first().proofs.iter().enumerate() {
            let actions = interpret(&job.text(&route, i)).expect("it reads back");
            assert!(!actions.is_empty() && proof.seconds > 1.0);
            let by_process: f64 = proof.by_process.values().sum();
            assert!(
                (by_process - proof.seconds).abs() < proof.seconds * 0.02 + machine.lift + machine.change,
                "{names:?}: the parts of the time make the whole"
            );
        }
        let sum: f64 = route.first().proofs.iter().map(|p| p.cut).sum();
        assert!((route.ledger.cut - sum).abs() < 1e-9 && route.ledger.yield_share > 0.0 && route.ledger.yield_share < 1.0);
    }
}

/// What does not depend on a change is not computed again.
#[test]
fn only_what_depends_on_a_change_is_computed_anew() {
    let mut job = Job::new(&["crown-board.dxf"], Stock::default());
    job.mend();
    job.nest(3, 4);
    job.mend();
    let before = job.route();
    let same = job.route();
    assert!(Arc::ptr_eq(&before.first().proofs, &same.first().proofs) && Arc::ptr_eq(&before.first().nested, &same.first().nested));
    job.edit(&HoldEdit::SetNickWidth { width: Some(0.6) }.on(BatchId::FIRST));
    let nicked = job.route();
    assert!(Arc::ptr_eq(&before.first().sequence, &nicked.first().sequence), "a nick moves no part and no turn");
    assert!(!Arc::ptr_eq(&before.first().toolpath, &nicked.first().toolpath) && nicked.ledger.cut < before.ledger.cut);
    job.edit(&HoldEdit::SetSweep { sweep: boustrophe_core::decisions::Sweep { angle: Some(90.0), one_way: false } }.on(BatchId::FIRST));
    assert!(Arc::ptr_eq(&before.first().nested, &job.route().first().nested));
    let id = before.work.parts[0].id;
    job.edit(&NestEdit::SetQuantity { part: id, quantity: 2 }.on(BatchId::FIRST));
    let more = job.route();
    assert!(!Arc::ptr_eq(&before.work, &more.work) && Arc::ptr_eq(&before.drawings[0].cleaned, &more.drawings[0].cleaned));
    assert!(!more.first().nested.current && !more.released(), "one copy has no place yet");
}

/// What a person accepted is a note, and only that.
#[test]
fn what_was_accepted_holds_nothing_up() {
    let mut job = Job::new(&["mouse-guard.dxf"], steel());
    job.mend();
    job.nest(3, 4);
    let route = job.route();
    let held = codes(&route.findings, Station::Hold);
    assert!(held.contains(&"small-holes"), "{held:?}");
    assert!(!route.released());
    let found = route.findings.iter().find(|f| f.code == "small-holes").expect("small holes");
    job.edit(&found.acceptance());
    let route = job.route();
    assert!(!codes(&route.findings, Station::Hold).contains(&"small-holes"));
    assert!(route.findings.iter().any(|f| f.code == "small-holes" && f.severity == Severity::Note), "it is still told");
    // Once more of them is asked anew: the holes of another drawing were accepted by nobody.
    job.add(&["mouse-guard.dxf"]);
    job.edit(&Edit::Intake(IntakeEdit::Apart { drawing: 2 }));
    job.mend();
    job.nest(3, 4);
    assert!(codes(&job.route().findings, Station::Hold).contains(&"small-holes"));
}

/// A program with a picture is written as it is wanted, always the same, and is the one that was proved.
#[test]
fn a_picture_is_written_anew_and_alike() {
    let mut job = Job::new(&["bee.png"], Stock { material: "slate-tile".into(), thickness: 8.0, ..Stock::default() });
    for edit in [
        Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: 127.0 }),
        Edit::Intake(IntakeEdit::SetEngraved { drawing: 1, on: true }),
        NestEdit::SetSheets { sheets: vec![boustrophe_core::nest::Sheet::rectangle(150.0, 150.0)] }.on(BatchId::FIRST),
    ] {
        job.edit(&edit);
    }
    job.mend();
    job.nest(3, 4);
    // On a tile at the bed's corner its rows have little room to come up to speed, which is told.
    let route = job.settled();
    assert!(route.released(), "{:?}", route.findings);
    assert_eq!(*route.first().programs, [Program::Streamed]);
    let (first, second) = (job.text(&route, 0), job.text(&route, 0));
    assert!(first == second && first.lines().count() > 5000 && first.ends_with("M2\n"));
    let picture = route.first().proofs[0].by_process.get(&Some(Process::Picture)).copied().unwrap_or(0.0);
    assert!(picture > 10.0 && route.ledger.engraved > 100.0);
    // As many rows as burn something, each one move of the proof.
    let rows = route.first().toolpath.sheets[0].ops[0].picture_rows().count();
    assert_eq!(route.first().proofs[0].moves.iter().filter(|m| m.process == Some(Process::Picture)).count(), rows);
    assert!(job.text(&route, 7).is_empty(), "there is no eighth sheet");
}

/// A drawing's size is asked for, never guessed; with the answer the work goes on.
#[test]
fn the_size_is_asked_for() {
    let mut job = Job::new(&["queen-excluder.dxf"], Stock::default());
    let route = job.route();
    assert_eq!((codes(&route.findings, Station::Intake), route.reached), (vec!["units-unsaid"], Station::Intake));
    job.edit(&Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: Unit::Mm }));
    assert!(job.route().reached > Station::Intake);
    let small = job.route().drawings[0].cleaned.bounds;
    job.edit(&Edit::Intake(IntakeEdit::SetUnit { drawing: 1, unit: Unit::In }));
    let large = job.route().drawings[0].cleaned.bounds;
    assert!((large.width() / small.width() - 25.4).abs() < 1e-6);
    assert!(job.route().findings.iter().any(|f| f.code == "part-too-large" || f.code == "not-nested"), "what fits no sheet is told");
}

/// Numbers on parts, settings and rows of the job's own are part of what the route depends on.
#[test]
fn what_is_decided_at_assign_reaches_the_program() {
    let mut job = Job::new(&["frame-bars.dxf"], Stock::default());
    job.mend();
    job.nest(3, 4);
    job.mend();
    let plain = job.route();
    let numbers = boustrophe_core::decisions::Numbers {
        prefix: "F".into(),
        first: 1,
        process: Process::Score,
        face: boustrophe_core::lettering::Face::Stroke,
        smallest: 1.5,
        tallest: 4.0,
    };
    job.edit(&Edit::Assign(AssignEdit::SetNumbers { numbers: Some(numbers) }));
    let numbered = job.route();
    assert!(numbered.ledger.score > plain.ledger.score + 20.0, "{} and {}", numbered.ledger.score, plain.ledger.score);
    assert!(numbered.released(), "numbers move no part: {:?}", numbered.findings);
    job.edit(&Edit::Assign(AssignEdit::SetNumbers { numbers: None }));
    let slow = boustrophe_core::decisions::JobSetting {
        id: 1,
        name: "gentle".into(),
        process: Process::Cut,
        feed: Some(300.0),
        power: None,
        passes: None,
        pitch: None,
        tool: None,
        kerf: None,
    };
    job.edit(&Edit::Assign(AssignEdit::SetSetting { setting: slow }));
    let outer = plain.work.items[plain.work.parts[0].outer.expect("an outline")].contour.id;
    job.edit(&Edit::Assign(AssignEdit::UseForContours { contours: vec![outer], setting: Some(1) }));
    let gentle = job.route();
    assert!(gentle.released() && gentle.ledger.seconds > plain.ledger.seconds + 1.0);
    assert!(job.text(&gentle, 0).contains("F300"));
}

/// Files that once made a reader or Clean fail, or take for ever, are answered now, as are all other seeds.
#[test]
fn what_once_failed_is_answered() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("seeds");
    let mut seen = 0;
    for entry in std::fs::read_dir(folder).expect("the seeds").flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let bytes = std::fs::read(entry.path()).expect("a seed");
        let drawing = read(&name, &bytes).unwrap_or_else(|e| panic!("{e}"));
        let shop = Shop::builtin();
        let mut decisions = boustrophe_core::decisions::DrawingDecisions::new(1, "hash", &name);
        decisions.unit = Some(Unit::Mm);
        let (intake, found) = boustrophe_core::intake::run(&drawing, &decisions, &shop.machines[0].bed());
        let (cleaned, more) = boustrophe_core::clean::run(&drawing, &intake, &decisions, &shop.tolerance);
        assert!(found.iter().chain(&more).all(|f| !f.text.is_empty()));
        for c in &cleaned.contours {
            assert!(c.path.segments.iter().all(|s| s.start.is_finite() && s.end.is_finite() && s.bulge.is_finite()), "{name}");
        }
        seen += 1;
    }
    assert!(seen >= 9, "{seen} seeds");
}

/// The demo's 24 number plates in four rows; each moved by up to a millimetre in height costs time, which the ledger
/// shows; the remedy lines them up again and the time is gone.
#[test]
fn plates_out_of_line_cost_time_until_they_are_lined_up() {
    use boustrophe_core::nest::{Layout, Placement, Sheet, SheetLayout};
    let mut job = Job::new(&["number-plates.svg"], Stock { material: "acrylic".into(), ..Stock::default() });
    job.mend();
    job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(600.0, 400.0)] }.on(BatchId::FIRST));
    let route = job.route();
    let parts: Vec<_> = route.work.parts.iter().collect();
    assert_eq!(parts.len(), 24);
    let laid = |jitter: f64| -> Layout {
        let place = |(i, part): (usize, &&boustrophe_core::assign::Part)| {
            let at = (10.0 + (i % 6) as f64 * 80.0, 10.0 + (i / 6) as f64 * 60.0 + jitter * ((i * 7) % 11) as f64 / 10.0);
            Placement {
                copy: CopyId { part: part.id, number: 1 },
                x: at.0 - part.bounds.min.x,
                y: at.1 - part.bounds.min.y,
                angle: 0.0,
                mirrored: false,
            }
        };
        let placed = parts.iter().enumerate().map(place).collect();
        Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(600.0, 400.0), placed }], ..Layout::default() }
    };
    job.edit(&NestEdit::KeepLayout { layout: laid(0.0) }.on(BatchId::FIRST));
    let straight = job.route();
    job.edit(&NestEdit::KeepLayout { layout: laid(1.9) }.on(BatchId::FIRST));
    let jittered = job.route();
    let more = jittered.ledger.seconds - straight.ledger.seconds;
    assert!(more > 3.0, "{more} s more");
    let told = jittered.findings.iter().find(|f| f.code == "out-of-line").expect("it is told");
    assert!(told.text.contains("in 4 lines"), "{}", told.text);
    job.edit(&told.remedies[0].edit);
    let mended = job.route();
    assert!((mended.ledger.seconds - straight.ledger.seconds).abs() < 2.0, "{} and {}", mended.ledger.seconds, straight.ledger.seconds);
    assert!(mended.findings.iter().all(|f| f.code != "out-of-line" && f.severity != Severity::Stop));
}

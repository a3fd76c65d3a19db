//! Wherever something holds a job up there is a way on: each finding of severity `stop`, brought about and lifted.

use crate::job::{Job, write};
use crate::tables::{beside_their_blanks, filled};
use boustrophe_core::assign::Process;
use boustrophe_core::clean::ContourId;
use boustrophe_core::decisions::{AssignEdit, Edit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::finding::Severity;
use boustrophe_core::geometry::{Affine, Segment, Vec2};
use boustrophe_core::hold::{Doing, Op, SheetPath};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::Sheet;
use boustrophe_core::release;
use boustrophe_core::release::ProgramOrder;
use boustrophe_formats::bitmap;
use std::collections::BTreeSet;
use std::io::Write;
use std::path::Path;

/// The codes of all findings of severity `stop`, from core's sources: what a new one brings about has to stand here too.
fn all_codes() -> BTreeSet<String> {
    fn walk(folder: &Path, out: &mut BTreeSet<String>) {
        for entry in std::fs::read_dir(folder).expect("core's sources").flatten() {
            let path = entry.path();
            if path.is_dir() {
                walk(&path, out);
            } else if !path.ends_with("tests.rs") {
                let text = std::fs::read_to_string(&path).expect("a source");
                let in_proof = path.parent().is_some_and(|p| p.ends_with("proof"));
                for mark in ["Severity::Stop,", "faults.add(", "faults.told("].into_iter().take(1 + 2 * usize::from(in_proof)) {
                    for after in text.split(mark).skip(1) {
                        if let Some(rest) = after.trim_start().strip_prefix("Code::") {
                            out.insert(in_reports(rest));
                        }
                    }
                }
            }
        }
    }
    let mut out = BTreeSet::new();
    walk(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../core/src"), &mut out);
    out
}

/// A code as reports have it, from its name in the source: `DoubledLines` is `doubled-lines`.
fn in_reports(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars().take_while(|c| c.is_alphanumeric()) {
        if c.is_uppercase() && !out.is_empty() {
            out.push('-');
        }
        out.extend(c.to_lowercase());
    }
    out
}

const RED: &str = r#"fill="none" stroke="red""#;

fn svg(body: &str) -> Vec<u8> {
    format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="150mm" viewBox="0 0 200 150">{body}</svg>"#).into_bytes()
}

fn of(body: &str) -> Job {
    Job::of(&[("part.svg", svg(body))], Stock::default())
}

/// A board with a hole in it, and another part beside it, laid.
fn boards() -> Job {
    let body = format!(
        r#"<path {RED} d="M10 10h80v60h-80z"/><circle {RED} cx="40" cy="40" r="12"/><path {RED} d="M100 10h60v40h-60z"/><path fill="none" stroke="blue" d="M60 20h20"/>"#
    );
    let mut job = of(&body);
    job.nest(1, 1);
    job
}

fn hole(job: &Job) -> ContourId {
    let route = job.route();
    route.work.items.iter().map(|i| &i.contour).find(|c| c.path.closed && (c.area.abs() - 452.4).abs() < 5.0).expect("the hole").id
}

/// Boards whose writer does something else with the hole than it is told.
fn with_fault(fault: impl Fn(&mut Op) + Send + Sync + 'static) -> Job {
    let mut job = boards();
    let hole = hole(&job);
    job.written_by(move |order: &ProgramOrder, to: &mut dyn Write| {
        let mut path: SheetPath = order.path.clone();
        path.ops.iter_mut().filter(|op| op.contour == hole).for_each(&fault);
        release::write(&ProgramOrder { path: &path, ..*order }, to)
    });
    job
}

/// Boards whose writer spoils the text of every program that holds the hole.
fn with_text(fault: impl Fn(String) -> String + Send + Sync + 'static) -> Job {
    let mut job = boards();
    let hole = hole(&job);
    job.written_by(move |order: &ProgramOrder, to: &mut dyn Write| {
        let mut text = Vec::new();
        write(order, &mut text)?;
        let text = String::from_utf8(text).expect("ASCII");
        to.write_all(if order.path.ops.iter().any(|o| o.contour == hole) { fault(text) } else { text }.as_bytes())
    });
    job
}

/// The lines that a piece of work burns.
fn runs_of(op: &mut Op) -> &mut Vec<Vec<Segment>> {
    let Doing::Line(line) = &mut op.doing else { panic!("it follows a line") };
    &mut line.runs
}

fn moved(op: &mut Op, by: Vec2) {
    runs_of(op).iter_mut().flatten().for_each(|s| *s = s.transformed(Affine::translate(by)));
}

/// A picture of black stripes a pixel wide.
fn striped(side: usize) -> Vec<u8> {
    let rgba = (0..side * side).flat_map(|i| if (i % side).is_multiple_of(2) { [0, 0, 0, 255] } else { [255; 4] }).collect();
    bitmap::write_png(side, side, rgba).expect("a picture")
}

fn engraved(job: &mut Job) {
    job.edit(&Edit::Intake(IntakeEdit::SetEngraved { drawing: 1, on: true }));
    job.edit(&Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: 96.0 }));
}

/// A job for each code.
fn brought_about() -> Vec<(&'static str, Job)> {
    let dxf = |insunits: u32, size: f64| {
        format!("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n{insunits}\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nCIRCLE\n8\n0\n10\n0\n20\n0\n40\n{size}\n0\nENDSEC\n0\nEOF\n")
            .into_bytes()
    };
    let plain = format!(r#"<path {RED} d="M10 10h80v60h-80z"/>"#);
    let mut out = vec![
        ("units-unsaid", Job::of(&[("ring.dxf", dxf(0, 50.0))], Stock::default())),
        ("too-large", Job::of(&[("ring.dxf", dxf(6, 90_000.0))], Stock::default())),
        ("nothing-drawn", of("")),
        ("trace-noise", Job::of(&[("noise.png", striped(2600))], Stock::default())),
        ("not-nested", of(&plain)),
        ("chart-missing", Job::of(&[("part.svg", svg(&plain))], Stock { thickness: 4.3, ..Stock::default() })),
        ("machine-gone", Job::of(&[("part.svg", svg(&plain))], Stock { machine: "sold".into(), ..Stock::default() })),
        ("material-gone", Job::of(&[("part.svg", svg(&plain))], Stock { material: "ivory".into(), ..Stock::default() })),
        ("part-too-large", {
            let mut job = of(&plain);
            job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(60.0, 60.0)] }.on(BatchId::FIRST));
            job.nest(1, 1);
            job
        }),
        ("unplaced", {
            let mut job = of(&plain);
            job.edit(&NestEdit::SetSheets { sheets: vec![Sheet { count: Some(1), ..Sheet::rectangle(100.0, 80.0) }] }.on(BatchId::FIRST));
            job.edit(&Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 3 }));
            job.nest(1, 1);
            job
        }),
        ("lifted-off", {
            let mut job = of(&plain);
            let layout = job.nest(1, 1);
            let copies = layout.copies().map(|p| p.copy).collect();
            job.edit(&NestEdit::LiftCopies { copies }.on(BatchId::FIRST));
            job
        }),
        ("hole-vanishes", {
            let mut job = of(&format!(r#"{plain}<circle {RED} cx="50" cy="40" r="0.07"/>"#));
            job.nest(1, 1);
            job
        }),
        ("picture-too-large", {
            let mut job = Job::of(&[("grey.png", striped(64))], Stock::default());
            engraved(&mut job);
            job.edit(&Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale: 20.0 }));
            job.shop.chart.iter_mut().filter(|r| r.process == Process::Picture).for_each(|r| r.pitch = 0.02);
            job.nest(1, 1);
            job
        }),
    ];
    for (code, edit) in [
        ("no-parts", Edit::Assign(AssignEdit::SetKey { key: String::new(), process: None })),
        ("no-copies", Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 0 })),
        ("nest-stale", Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 2 })),
        ("nest-overlap", NestEdit::SetSpacing { spacing: Some(200.0) }.on(BatchId::FIRST)),
    ] {
        let mut job = boards();
        match code {
            "no-parts" => {
                let keys: Vec<String> = job.route().work.key.iter().map(|k| k.key.clone()).collect();
                keys.into_iter().for_each(|key| job.edit(&Edit::Assign(AssignEdit::SetKey { key, process: Some(Process::Reference) })));
            }
            _ => job.edit(&edit),
        }
        out.push((code, job));
    }
    out.push(("off-bed", {
        let mut job = of(&plain);
        job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(1400.0, 100.0)] }.on(BatchId::FIRST));
        job.edit(&Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 18 }));
        job.nest(1, 1);
        job
    }));
    for (code, limit) in [("feed-over", true), ("power-over", false)] {
        let mut job = boards();
        // The machine was made slower after its chart was written; or a row asks for more than there is.
        if limit {
            job.shop.machines.iter_mut().for_each(|m| m.feed_limit = 300.0);
        } else {
            job.shop.chart.iter_mut().for_each(|r| r.power = 130.0);
        }
        out.push((code, job));
    }
    out.push(("picture-wrong", {
        let mut job = Job::of(&[("grey.png", striped(64))], Stock::default());
        engraved(&mut job);
        job.nest(1, 1);
        job.written_by(|order: &ProgramOrder, to: &mut dyn Write| {
            let mut path: SheetPath = order.path.clone();
            path.ops.iter_mut().filter(|o| o.picture().is_some()).for_each(|o| o.power *= 0.5);
            release::write(&ProgramOrder { path: &path, ..*order }, to)
        });
        job
    }));
    out.extend([
        ("burned-astray", with_fault(|op| moved(op, Vec2::new(9.0, 0.0)))),
        ("gouge", with_text_of_moved_hole()),
        ("not-burned", with_fault(|op| runs_of(op).clear())),
        ("burned-twice", with_fault(|op| op.passes += 1)),
        ("wrong-feed", with_fault(|op| op.feed *= 0.5)),
        ("wrong-power", with_fault(|op| op.power *= 0.5)),
        ("wrong-tool", with_text(|t| t.replacen("M3", "T9 M6\nM3", 1))),
        ("wrong-air", with_fault(|op| op.air = !op.air)),
        ("wrong-wait", with_fault(|op| op.pierce += 3.0)),
        ("wrong-stay", with_text(|t| t.rfind("G3 X").map_or_else(|| t.clone(), |at| format!("{}G4 P0.4\n{}", &t[..at], &t[at..])))),
        ("wrong-height", torch_unheld()),
        ("wrong-word", with_text(|t| t.replacen("M3 S", "M4 S", 1))),
        ("wrong-way", torch_the_other_way_round()),
        ("no-run-up", {
            let mut job = Job::of(&[("grey.png", striped(64))], Stock::default());
            engraved(&mut job);
            job.nest(1, 1);
            job.written_by(|order: &ProgramOrder, to: &mut dyn Write| {
                let mut path: SheetPath = order.path.clone();
                for op in &mut path.ops {
                    if let Doing::Picture(picture) = &mut op.doing {
                        picture.run_up *= 0.5;
                    }
                }
                release::write(&ProgramOrder { path: &path, ..*order }, to)
            });
            job
        }),
        ("outer-first", hole_last()),
        ("bridge-burned", over_a_bridge()),
        ("travel-over", torch_over_what_is_free()),
        ("left-on", with_text(|t| t.lines().filter(|l| !l.starts_with("M9")).map(|l| format!("{l}\n")).collect())),
        ("unsafe-start", with_text(|t| t.replacen("G21 ", "", 1))),
        ("program-unreadable", with_text(|t| t.replacen("G1 ", "G1 Xhive ", 1))),
        ("row-too-long", filled("name,no\nBartholomewvandermarrowbyunderhillfarrantandsons,1\n")),
        ("table-unmatched", filled("keeper\nOdile Farrant\n")),
        ("outside-blank", beside_their_blanks()),
    ]);
    out
}

/// A plate with a hole for the torch, laid.
fn torched() -> Job {
    let body = format!(r#"<path {RED} d="M10 10h90v80h-90z"/><circle {RED} cx="50" cy="50" r="12"/>"#);
    let mut job = Job::of(&[("part.svg", svg(&body))], Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 });
    job.nest(1, 1);
    job
}

/// A torch that goes round the hole the other way: its bevel comes on to the part.
fn torch_the_other_way_round() -> Job {
    let mut job = torched();
    let hole = hole(&job);
    job.written_by(move |order: &ProgramOrder, to: &mut dyn Write| {
        let mut path: SheetPath = order.path.clone();
        for op in path.ops.iter_mut().filter(|op| op.contour == hole) {
            for run in runs_of(op) {
                run.reverse();
                run.iter_mut().for_each(|s| *s = Segment { start: s.end, end: s.start, bulge: -s.bulge });
            }
        }
        release::write(&ProgramOrder { path: &path, ..*order }, to)
    });
    job
}

/// A torch whose writer spoils the text of every program that holds the hole.
fn torch_with_text(fault: impl Fn(String, &ProgramOrder) -> String + Send + Sync + 'static) -> Job {
    let mut job = torched();
    let hole = hole(&job);
    job.written_by(move |order: &ProgramOrder, to: &mut dyn Write| {
        let mut text = Vec::new();
        write(order, &mut text)?;
        let text = String::from_utf8(text).expect("ASCII");
        to.write_all(if order.path.ops.iter().any(|o| o.contour == hole) { fault(text, order) } else { text }.as_bytes())
    });
    job
}

/// A torch that is not told to hold its height while it cuts the hole.
fn torch_unheld() -> Job {
    torch_with_text(|text, order| {
        let word = release::Dialect::of(order.machine).word(release::Meaning::Height).expect("the torch's height has a word").to_string();
        text.replacen(&format!("{word}\n"), "", 1)
    })
}

/// The hole's cut goes on across a bridge of the outline.
fn over_a_bridge() -> Job {
    let mut job = boards();
    let hole = hole(&job);
    job.written_by(move |order: &ProgramOrder, to: &mut dyn Write| {
        let mut path: SheetPath = order.path.clone();
        let placement = path.ops.iter().find(|op| op.contour == hole).map(|op| op.placement);
        let bridge = path.ops.iter().filter(|op| Some(op.placement) == placement).find_map(|op| op.line().nicks.first().copied());
        for op in path.ops.iter_mut().filter(|op| op.contour == hole) {
            let (at, across) = bridge.expect("the outlines are held");
            runs_of(op).push(vec![Segment::line(at - across, at + across)]);
        }
        release::write(&ProgramOrder { path: &path, ..*order }, to)
    });
    job
}

/// A torch that goes home over the plate that it has cut free.
fn torch_over_what_is_free() -> Job {
    torch_with_text(|text, _| text.replacen("G0 X0 Y0", "G0 X60 Y50\nG0 X0 Y0", 1))
}

/// The hole is cut after the outline round it.
fn hole_last() -> Job {
    let mut job = boards();
    let hole = hole(&job);
    job.written_by(move |order: &ProgramOrder, to: &mut dyn Write| {
        let mut path: SheetPath = order.path.clone();
        path.ops.sort_by_key(|op| op.contour == hole);
        release::write(&ProgramOrder { path: &path, ..*order }, to)
    });
    job
}

/// The hole is cut with so wide a kerf that it eats into its part: the toolpath itself was made so.
fn with_text_of_moved_hole() -> Job {
    with_fault(|op| moved(op, Vec2::new(0.3, 0.0)))
}

#[test]
fn whatever_stops_a_job_can_be_lifted() {
    let jobs = brought_about();
    let known: BTreeSet<String> = jobs.iter().map(|(code, _)| (*code).to_owned()).collect();
    // Edges that no cut makes, or two, come only of a plan that is wrong: core's own tests spoil one, and lift it.
    let mut all = all_codes();
    assert!(all.remove("edges-not-once"));
    assert_eq!(known, all, "every code of a stop is brought about here, and no other");
    let mut faults = Vec::new();
    for (code, mut job) in jobs {
        let stops = |job: &Job| job.route().findings.into_iter().find(|f| f.code == code && f.severity == Severity::Stop);
        let Some(found) = stops(&job) else {
            let told: Vec<(String, String)> = job.route().findings.into_iter().map(|f| (f.code.to_string(), f.text)).collect();
            faults.push(format!("{code} is not brought about: {told:?}"));
            continue;
        };
        let before = job.decisions.clone();
        let lifts = found.remedies.iter().any(|r| {
            job.decisions = before.clone();
            job.edit(&r.edit);
            stops(&job).is_none()
        });
        let labels: Vec<&String> = found.remedies.iter().map(|r| &r.label).collect();
        if !lifts {
            faults.push(format!("none of {labels:?} lifts {code}: {:?}", stops(&job).map(|f| f.text)));
        }
    }
    assert!(faults.is_empty(), "{}", faults.join("\n"));
}

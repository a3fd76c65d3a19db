//! Tables that fill the writing of a drawing, and blanks that are worked on in trays.

use crate::job::Job;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::table::TableEdit;
use boustrophe_core::decisions::{AssignEdit, Edit, IntakeEdit, Lie, NestEdit, Stock, Tray};
use boustrophe_core::finding::{Finding, Severity};
use boustrophe_core::geometry::{Path, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::Placement;
use boustrophe_core::proof::{Action, interpret};
use boustrophe_formats::{jig, table};
use boustrophe_house::played;
use proptest::prelude::*;
use std::collections::BTreeSet;
use std::fmt::Write as _;

/// A plate of 90 × 30 with rounded ends, a hole on its left, `name` in the middle of the rest and `no` on the right, as DXF.
fn plate() -> Vec<u8> {
    let mut out = String::from("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n");
    let _ = write!(out, "0\nLWPOLYLINE\n8\nplate\n90\n4\n70\n1\n10\n0\n20\n0\n10\n90\n20\n0\n10\n90\n20\n30\n10\n0\n20\n30\n");
    let _ = write!(out, "0\nCIRCLE\n8\nhole\n10\n8\n20\n15\n40\n3\n");
    for (x, y, h, t) in [(20.0, 16.0, 6.0, "name"), (20.0, 6.0, 4.0, "no")] {
        let _ = write!(out, "0\nTEXT\n8\ntext\n10\n{x}\n20\n{y}\n40\n{h}\n1\n{t}\n");
    }
    out.push_str("0\nENDSEC\n0\nEOF\n");
    out.into_bytes()
}

/// The same plate as SVG, whose fields are letters: the name in the middle of its place, the number before its end.
fn lettered_plate() -> Vec<u8> {
    r##"<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="30mm" viewBox="0 0 90 30"><g fill="none" stroke="black"><rect width="90" height="30"/><circle cx="8" cy="15" r="3"/></g><style>.in{text-anchor:middle}</style><text class="in" font-size="8.57" x="48" y="14">{name}</text><text text-anchor="end" x="84" y="24" font-size="5.71">no</text></svg>"##.into()
}

pub fn filled(csv: &str) -> Job {
    filled_in(("plate.dxf", plate()), csv)
}

fn filled_in(plate: (&str, Vec<u8>), csv: &str) -> Job {
    let mut job = Job::of(&[plate], Stock { machine: "lark".into(), material: "birch-ply".into(), thickness: 3.0 });
    let table = table::read("names.csv", csv.as_bytes()).expect("a table");
    job.edit(&set(TableEdit::Set { table: Some(Box::new(table)) }));
    job
}

fn set(edit: TableEdit) -> Edit {
    Edit::Intake(IntakeEdit::Table { drawing: 1, edit })
}

fn finding(job: &Job, code: &str) -> Option<Finding> {
    job.route().findings.into_iter().find(|f| f.code == code)
}

fn tray(columns: u32, rows: u32) -> Tray {
    Tray {
        name: "tag".into(),
        rack: None,
        outline: vec![Path::rectangle(0.0, 0.0, 90.0, 30.0)],
        columns,
        rows,
        gap: 6.0,
        border: 10.0,
        lie: Lie::Centred,
        on_bed: None,
        play: 0.3,
        jig: None,
    }
}

/// Names of one word and of two, as many as are asked for.
fn names(n: usize) -> String {
    let first = ["Odile", "Bram", "Ada", "Wilhelmina", "Jo", "Theophil"];
    let last = ["Farrant", "Teck", "Underhill", "Ox", "van der Marrowby"];
    let mut out = String::from("name,no\n");
    for i in 0..n {
        let _ = writeln!(out, "{} {},{}", first[i % first.len()], last[i / first.len() % last.len()], i + 1);
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(40)))]
    /// Whatever stands in a table: a part a row, each with all its letters on its own plate and off its hole, or it is told.
    #[test]
    fn every_row_is_a_part_with_its_words_on_it(rows in prop::collection::vec(("[A-Za-z]{1,12}( [A-Za-z]{1,14}){0,2}", 0..5000_u32), 1..25), narrowest in 0.5..1.0_f64, two in any::<bool>(), letters in any::<bool>()) {
        let csv = rows.iter().fold("no,name\n".to_owned(), |csv, (name, no)| csv + &format!("{no},{name}\n"));
        let mut job = filled_in(if letters { ("plate.svg", lettered_plate()) } else { ("plate.dxf", plate()) }, &csv);
        job.edit(&set(TableEdit::Narrowest { share: narrowest }));
        job.edit(&set(TableEdit::TwoLines { on: two }));
        let long: Option<Finding> = finding(&job, "row-too-long");
        let route = job.route();
        prop_assert_eq!(route.work.parts.len(), rows.len());
        for part in &route.work.parts {
            let letters: Vec<_> = part.inside.iter().map(|i| &route.work.items[*i]).filter(|i| i.process == Process::Engrave).collect();
            prop_assert!(!letters.is_empty(), "{}", part.name);
            let hole = &route.work.items[part.holes[0]].contour;
            for l in letters {
                let b = l.contour.bounds;
                prop_assert!(part.bounds.holds(&b), "{} {b:?} {:?}", part.name, part.bounds);
                prop_assert!(b.min.x > hole.bounds.max.x + 1.0 && part.bounds.max.x - b.max.x > 1.0);
            }
        }
        // What is told is lifted by any of its remedies, and only rows that are left out are missing.
        if let Some(long) = long {
            prop_assert_eq!(long.severity, Severity::Stop);
            let leaves = |e: &&Edit| matches!(e, Edit::Intake(IntakeEdit::Table { edit: TableEdit::LeaveOut { .. }, .. }));
            let last = long.remedies.iter().map(|r| &r.edit).find(leaves).expect("one").clone();
            let (Edit::Intake(IntakeEdit::Table { edit: TableEdit::LeaveOut { rows: out }, .. }), n) = (&last, rows.len()) else { panic!("{last:?}") };
            let out = out.len();
            job.edit(&last);
            prop_assert!(finding(&job, "row-too-long").is_none());
            prop_assert_eq!(job.route().work.parts.len(), n - out);
        }
    }
}

/// Fields that came as letters are gone with their words, and others stand where those did: by their middle, by their end.
#[test]
fn letters_of_a_field_give_way_to_its_words() {
    let job = filled_in(("plate.svg", lettered_plate()), "name,no\nJo,7\nTheophil,4211\n");
    assert!(finding(&job, "table-unmatched").is_none() && finding(&job, "row-too-long").is_none());
    for part in &job.route().work.parts {
        let engraved: Vec<_> = part.inside.iter().map(|i| job.route().work.items[*i].contour.bounds).collect();
        let (names, numbers): (Vec<_>, Vec<_>) = engraved.into_iter().partition(|b| b.min.y - part.bounds.min.y > 13.0);
        let whole = |of: &[boustrophe_core::geometry::Bounds]| of.iter().fold(of[0], |a, b| a.union(*b));
        let (name, number) = (whole(&names), whole(&numbers));
        let (middle, end) = (name.center().x - part.bounds.min.x, number.max.x - part.bounds.min.x);
        assert!((middle - 48.0).abs() < 0.6 && (end - 84.0).abs() < 0.6, "{}: {middle} {end}", part.name);
        assert!((5.5..8.5).contains(&name.height()) && names.len() <= 12, "{} letters", names.len());
    }
}

#[test]
fn a_long_name_is_narrowed_then_set_in_two_lines_then_told() {
    let letters = |name: &str, two: bool| {
        let mut job = filled(&format!("name\n{name}\n"));
        job.edit(&set(TableEdit::TwoLines { on: two }));
        let route = job.route();
        let all: Vec<_> = route.work.items.iter().filter(|i| i.process == Process::Engrave).map(|i| i.contour.bounds).collect();
        let b = all.iter().fold(all[0], |a, b| a.union(*b));
        (b.width(), b.height(), finding(&job, "row-too-long").is_some())
    };
    let (_, tall, told) = letters("ODILE", true);
    assert!((tall - 6.0).abs() < 0.3 && !told, "as it was drawn: {tall}");
    let (wide, tall, told) = letters("WILHELMINA TECKER", true);
    assert!(wide > 60.0 && wide < 69.0 && (tall - 6.0).abs() < 0.3 && !told, "narrowed: {wide} {tall}");
    let (wide, tall, told) = letters("WILHELMINA VAN DER MARROWBY", true);
    assert!(wide < 69.0 && tall > 7.0 && !told, "in two lines: {wide} {tall}");
    let (.., told) = letters("WILHELMINA VAN DER MARROWBY", false);
    assert!(told, "in one line it is too long");
    assert!(letters("WILHELMINAVANDERMARROWBYUNDERHILLFARRANT", true).2, "one word cannot be broken");
}

/// 150 names on blanks in a jig of 3 × 5: ten trays, each name once, in the table's order, and none beside its blank.
#[test]
fn a_hundred_and_fifty_names_go_on_ten_trays() {
    let mut job = filled(&names(150));
    let drawn = job
        .route()
        .work
        .items
        .iter()
        .filter(|i| i.contour.row == 1 && i.contour.path.closed && i.process == Process::Cut)
        .map(|i| i.contour.source)
        .collect::<Vec<_>>();
    assert_eq!(drawn.len(), 2, "the plate's edge and its hole");
    // The blank is there already: neither its edge nor its hole is cut. What is decided on one row is decided on all.
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: drawn, process: Some(Process::Reference) }));
    job.edit(&NestEdit::SetTray { tray: Some(Box::new(tray(3, 5))) }.on(BatchId::FIRST));
    assert!(finding(&job, "row-too-long").is_none());
    let layout = job.nest(1, 3);
    assert_eq!(layout.sheets.len(), 10);
    let route = job.route();
    let stops: Vec<_> = route.findings.iter().filter(|f| f.severity == Severity::Stop).collect();
    assert!(stops.is_empty(), "{stops:?}");
    // Row after row, blank after blank: to the right, then down.
    let order: Vec<_> = layout.copies().map(|p| p.copy.part).collect();
    assert_eq!(order, route.work.parts.iter().map(|p| p.id).collect::<Vec<_>>());
    assert_eq!(order.iter().collect::<BTreeSet<_>>().len(), 150);
    assert!(route.work.parts[0].name.ends_with("Odile Farrant") && route.work.parts[149].name.contains(' '));
    // What the programs burn, read back, lies on the fifteen blanks of each tray, and something on each.
    let t = tray(3, 5);
    let boxes: Vec<_> = (0..15).map(|k| t.outline[0].transformed(t.place(k)).bounds()).collect();
    for i in 0..10 {
        let mut on = BTreeSet::new();
        for action in interpret(&job.text(&route, i)).expect("it reads") {
            let Action::Move { path, power, .. } = action else { continue };
            for p in [path.start, path.end].into_iter().filter(|_| power > 0.0) {
                let k = boxes.iter().position(|b| b.grown(0.05).has(p));
                assert!(k.is_some(), "tray {i}: {p:?} is beside every blank");
                on.extend(k);
            }
        }
        assert_eq!(on.len(), 15, "tray {i}");
    }
}

/// Two plates whose work reaches beside its blanks.
pub fn beside_their_blanks() -> Job {
    let mut job = filled("name,no\nOdile Farrant,1\nBram Teck,2\n");
    let drawn: Vec<_> = job.route().work.items.iter().filter(|i| i.process == Process::Cut).map(|i| i.contour.source).collect();
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: drawn, process: Some(Process::Reference) }));
    let off = Tray { lie: Lie::Corner { x: 40.0, y: 0.0 }, ..tray(2, 2) };
    job.edit(&NestEdit::SetTray { tray: Some(Box::new(off)) }.on(BatchId::FIRST));
    job.nest(1, 1);
    job
}

#[test]
fn what_reaches_beside_its_blank_is_told_and_lifted() {
    let mut job = beside_their_blanks();
    let found = finding(&job, "outside-blank").expect("told");
    assert_eq!((found.count, found.severity), (2, Severity::Stop));
    for remedy in found.remedies {
        let before = job.decisions.clone();
        job.edit(&remedy.edit);
        assert!(finding(&job, "outside-blank").is_none(), "{}", remedy.label);
        job.decisions = before;
    }
    // Taken off the blanks the nest is no longer what is wanted.
    job.edit(&NestEdit::SetTray { tray: None }.on(BatchId::FIRST));
    assert!(finding(&job, "nest-stale").is_some());
}

/// Two copies laid by hand on one blank are told, whatever else is to be looked at.
#[test]
fn two_on_one_blank_are_told() {
    let mut job = filled("name,no\nOdile,1\nBram,2\n");
    let drawn: Vec<_> = job.route().work.items.iter().filter(|i| i.process == Process::Cut).map(|i| i.contour.source).collect();
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: drawn, process: Some(Process::Reference) }));
    // A tray that is larger than the bed: that is to be looked at, and is no stop.
    job.edit(&NestEdit::SetTray { tray: Some(Box::new(tray(12, 2))) }.on(BatchId::FIRST));
    let layout = job.nest(1, 1);
    assert!(finding(&job, "sheet-over-bed").is_some() && finding(&job, "nest-overlap").is_none());
    let second = layout.sheets[0].placed[1];
    let back = Placement { x: second.x - 96.0, ..second };
    job.edit(&NestEdit::LayCopies { to: vec![(back, 0)] }.on(BatchId::FIRST));
    assert!(finding(&job, "outside-blank").is_none(), "it lies on a blank, but on another's");
    assert!(finding(&job, "nest-overlap").is_some());
}

#[test]
fn two_points_lay_the_work_where_they_are() {
    let mut job = filled("name,no\nOdile,1\n");
    let drawn: Vec<_> = job.route().work.items.iter().filter(|i| i.process == Process::Cut).map(|i| i.contour.source).collect();
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: drawn, process: Some(Process::Reference) }));
    let p = Point::new;
    // The plate's lower edge on a blank's right edge, upward.
    let t = Tray {
        outline: vec![Path::rectangle(0.0, 0.0, 40.0, 100.0)],
        lie: Lie::Points { work: [p(0.0, 0.0), p(90.0, 0.0)], blank: [p(36.0, 4.0), p(36.0, 94.0)] },
        ..tray(1, 1)
    };
    job.edit(&NestEdit::SetTray { tray: Some(Box::new(t)) }.on(BatchId::FIRST));
    let layout = job.nest(1, 1);
    let placed = layout.sheets[0].placed[0];
    assert_eq!(placed.angle, 90.0);
    let at = placed.affine() * p(90.0, 30.0);
    assert!(at.distance(p(10.0 + 6.0, 10.0 + 94.0)) < 1e-6, "{at:?}");
    assert!(finding(&job, "outside-blank").is_none());
}

/// The jig of a tray: its pockets are the blanks with room round them, where the tray has them; it comes to a program.
#[test]
fn a_jig_has_a_pocket_for_every_blank() {
    let t = tray(3, 5);
    let mut job = Job::of(
        &[("tags.jig", jig::to_text(&t).into_bytes())],
        Stock { machine: "lark".into(), material: "birch-ply".into(), thickness: 3.0 },
    );
    let route = job.route();
    let part = &route.work.parts[0];
    assert_eq!((route.work.parts.len(), part.holes.len()), (1, 15));
    let (w, h) = t.size();
    assert!((part.bounds.width() - w).abs() < 1e-6 && (part.bounds.height() - h).abs() < 1e-6);
    for (k, hole) in part.holes.iter().enumerate() {
        let pocket = route.work.items[*hole].contour.bounds;
        let blank = (0..15)
            .map(|k| t.outline[0].transformed(t.place(k)).bounds())
            .find(|b| pocket.holds(b))
            .unwrap_or_else(|| panic!("pocket {k}"));
        assert!((pocket.width() - blank.width() - 0.6).abs() < 1e-6 && (pocket.center() - blank.center()).hypot() < 1e-6);
    }
    job.nest(1, 3);
    job.mend();
    let stops: Vec<_> = job.route().findings.into_iter().filter(|f| f.severity == Severity::Stop).collect();
    assert!(stops.is_empty(), "{stops:?}");
}

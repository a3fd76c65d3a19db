//! What could burn, waste or hurt: programs that were tampered with, and drawings whose parts the beam cannot make.

use crate::job::Job;
use crate::steel;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{AssignEdit, CleanEdit, Edit, HoldEdit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::finding::{Finding, Severity};
use boustrophe_core::geometry::Point;
use boustrophe_core::hold::Op;
use boustrophe_core::ids::BatchId;
use boustrophe_core::proof;
use boustrophe_core::route::Route;
use boustrophe_house::played;
use proptest::prelude::*;
use std::collections::BTreeSet;

fn svg(width: u32, height: u32, body: &str) -> Vec<u8> {
    format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="{width}mm" height="{height}mm" viewBox="0 0 {width} {height}">{body}</svg>"#)
        .into_bytes()
}

/// A job over one drawing, one copy of each part as it was drawn, laid and held.
pub fn job(body: &str, stock: Stock, edits: &[Edit]) -> (Job, Route) {
    let mut job = Job::of(&[("part.svg", svg(200, 150, body))], stock);
    let filled: Vec<_> = job.route().work.items.iter().filter(|i| i.contour.style.fill.is_some()).map(|i| i.contour.id).collect();
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: filled, process: Some(Process::Engrave) }));
    edits.iter().for_each(|e| job.edit(e));
    job.nest(1, 1);
    let route = job.route();
    (job, route)
}

pub fn told<'a>(route: &'a Route, code: &str) -> Option<&'a Finding> {
    route.findings.iter().find(|f| f.code == code && f.severity != Severity::Note)
}

/// A finding's places, back from the sheet to the drawing (y up).
fn places(route: &Route, finding: &Finding) -> Vec<Point> {
    let placed = &route.first().nested.layout.sheets[finding.place.sheet.expect("a sheet")].placed[0];
    finding.place.points.iter().map(|p| placed.affine().inverse() * *p).collect()
}

pub const RED: &str = r#"fill="none" stroke="red""#;

#[test]
fn what_the_beam_cannot_make_is_told_where_it_is() {
    let plasma = (steel(), 1.6);
    let laser = (Stock::default(), 0.18);
    // Drawn with y down from the top at 150: a place (x, y) of the drawing is (x, 150 - y) here.
    let cases: [(&str, &str, (f64, f64), f64); 7] = [
        ("notch", "M10 10h80v60h-39.55v-8h-0.1v8h-40.35z", (50.4, 88.0), 0.1),
        ("notch", "M10 10h80v60h-39.5v-8h-1v8h-39.5z", (50.0, 88.0), 1.0),
        ("notch", "M10 10h80v60h-39.25v-8h-1.5v8h-39.25z", (50.0, 88.0), 1.5),
        ("pocket", "M10 10h80v60h-39.5v-8h9.5v-10h-20v10h9.5v8h-39.5z", (50.0, 92.0), 1.0),
        ("pocket", "M10 10h80v60h-39.95v-8h9.95v-10h-20v10h9.9v8h-39.9z", (50.0, 92.0), 0.1),
        ("web", "M10 10h80v60h-80zM30 10.12h20v15h-20z", (40.0, 139.9), 0.12),
        ("neck", "M10 10h30v29.6h20v-29.6h30v60h-30v-29.6h-20v29.6h-30z", (50.0, 110.0), 0.8),
    ];
    for (what, d, at, width) in cases {
        for (batch, kerf) in [&laser, &plasma] {
            if what != "web" && what != "neck" && width > *kerf {
                continue;
            }
            let (_, route) = job(&format!(r#"<path {RED} d="{d}"/>"#), batch.clone(), &[]);
            let code = if matches!(what, "web" | "neck") { "thin-web" } else { "not-cut-out" };
            let found = told(&route, code).unwrap_or_else(|| panic!("{what} {width} at kerf {kerf}: {:?}", route.findings));
            let near = |p: &Point| p.distance(Point::new(at.0, at.1)) < 14.0;
            assert!(places(&route, found).iter().any(near), "{what} {width} at kerf {kerf}: {:?}", places(&route, found));
            assert!(!route.released() && !found.remedies.is_empty(), "it waits for somebody to look");
        }
    }
    // Of several copies it is told that it is so in each.
    for copies in [1, 3] {
        let more = [Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: copies })];
        let (_, route) = job(&format!(r#"<path {RED} d="M10 10h80v60h-39.5v-8h-1v8h-39.5z"/>"#), steel(), &more);
        let text = &told(&route, "not-cut-out").expect("it is told").text;
        assert_eq!(text.contains("in every copy"), copies > 1, "{text}");
    }
    // Webs of 0.3 and 0.6 mm between holes, and one that is wide enough.
    for (web, thin) in [(0.3, true), (0.6, true), (6.0, false)] {
        for (batch, _) in [&laser, &plasma] {
            let holes = format!(
                r#"<path {RED} d="M10 10h100v60h-100z"/><circle {RED} cx="40" cy="40" r="10"/><circle {RED} cx="{}" cy="40" r="10"/>"#,
                60.0 + web
            );
            let (_, route) = job(&holes, batch.clone(), &[]);
            assert_eq!(told(&route, "thin-web").is_some(), thin, "{web}: {:?}", route.findings);
        }
    }
}

/// The first lit point of each stretch of a program that burns.
fn pierces(route: &Route, job: &Job) -> Vec<Point> {
    let actions = proof::interpret(&job.text(route, 0)).expect("it reads");
    let mut lit = false;
    let mut out = Vec::new();
    for a in &actions {
        if let proof::Action::Move { path, power, .. } = a {
            if *power > 0.0 && !lit {
                out.push(path.start);
            }
            lit = *power > 0.0;
        }
    }
    out
}

/// Plasma with nicks: every time the torch is lit it is off the part, or it is told.
#[test]
fn a_torch_is_lit_in_the_scrap_behind_nicks_too() {
    let nicks = [HoldEdit::SetNicks { on: true }.on(BatchId::FIRST)];
    let (job, route) = job(&format!(r#"<path {RED} d="M10 10h140v90h-140z"/><circle {RED} cx="70" cy="55" r="20"/>"#), steel(), &nicks);
    assert!(told(&route, "nick-pierce").is_none(), "{:?}", route.findings);
    let lit = pierces(&route, &job);
    assert!(lit.len() > 4, "nicks part the outline: {}", lit.len());
    let placed = &route.first().nested.layout.sheets[0].placed[0];
    let part = route.work.part(placed.copy.part).expect("the part");
    let outlines = std::iter::once(&part.outline).chain(part.holes.iter().map(|i| &route.work.items[*i].contour.path));
    for outline in outlines {
        let lying = outline.transformed(placed.affine());
        for p in &lit {
            assert!(lying.nearest(*p).distance > 1.6, "{p:?} is on the edge");
        }
    }
    // Where parts lie too near for leads, it is told instead.
    let close = [
        HoldEdit::SetNicks { on: true }.on(BatchId::FIRST),
        NestEdit::SetSpacing { spacing: Some(2.0) }.on(BatchId::FIRST),
        Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 40 }),
    ];
    let (_, route) = self::job(&format!(r#"<path {RED} d="M10 10h60v40h-60z"/>"#), steel(), &close);
    let told_of =
        |code: &str| route.findings.iter().filter(|f| f.code == code && f.severity == Severity::Look).map(|f| f.count).sum::<usize>();
    assert!(told_of("nick-pierce") + told_of("no-lead") + told_of("pierce-in-cut") > 0, "{:?}", route.findings);
    keeps_off_cuts(&route);
}

/// No lead begins within a kerf of the slit of what is cut before it.
fn keeps_off_cuts(route: &Route) {
    for sheet in &route.first().toolpath.sheets {
        for (i, op) in sheet.ops.iter().enumerate() {
            let begins = op.line().runs.iter().enumerate().filter_map(|(k, _)| op.lead_before(k).first()).map(|s| s.start);
            for p in begins {
                let earlier = sheet.ops[..i].iter().flat_map(|o| o.line().runs.iter().flatten().chain(o.leads()));
                let near = earlier.map(|s| s.distance(p)).fold(f64::INFINITY, f64::min);
                assert!(near > 1.4 * op.kerf, "a pierce {near} mm from an open cut");
            }
        }
    }
}

/// Engraving at the bed's edge has no room for its run-up: told, and each remedy lifts it.
#[test]
fn engraving_without_room_for_its_run_up_is_told() {
    let body = format!(
        r#"<path {RED} d="M10 10h160v60h-160z"/><rect fill="black" x="11" y="20" width="40" height="3"/><rect fill="black" x="129" y="20" width="40" height="3"/>"#
    );
    let edits = [NestEdit::SetMargin { margin: Some(1.0) }.on(BatchId::FIRST)];
    let (mut job, route) = job(&body, Stock::default(), &edits);
    let found = told(&route, "short-run-up").unwrap_or_else(|| panic!("{:?}", route.findings)).clone();
    assert!(found.text.contains("of 300 mm/s"), "{}", found.text);
    let before = job.decisions.clone();
    for remedy in &found.remedies {
        job.decisions = before.clone();
        job.edit(&remedy.edit);
        if remedy.label.contains("Nest again") {
            job.nest(1, 1);
        }
        assert!(told(&job.route(), "short-run-up").is_none(), "{}: {:?}", remedy.label, job.route().findings);
    }
}

/// What an operation adds is what its nature says, also in a shop that cuts everything of that colour.
#[test]
fn marks_and_writing_are_never_cut_for_their_colour() {
    use boustrophe_core::clean::operate::words;
    use boustrophe_core::shop::{Match, Rule};
    let mut job = Job::of(&[("ruler.svg", svg(400, 60, &format!(r#"<path {RED} d="M10 10h330v40h-330z"/>"#)))], Stock::default());
    job.shop.rules = vec![Rule { id: 1, when: Match::stroke([255, 0, 0]), process: Process::Cut }];
    let outline = job.route().work.items[0].contour.id;
    for typed in [
        "marks 31 every 10 long 8 numbered 1 at 5,0",
        "hole 6 at 8,8",
        "tab 14/5 at 0,0 from left",
        "write \"HIVE\" 8 stroke at 60,25",
        "write \"BEE\" 8 at 160,25 outline",
    ] {
        let operation = words::parse(typed, &[outline]).unwrap_or_else(|e| panic!("{typed}: {e}"));
        job.edit(&Edit::Clean(CleanEdit::Operate { drawing: 1, operation }));
    }
    let work = job.route().work;
    let count = |p: Process, closed: bool| work.items.iter().filter(|i| i.process == p && i.contour.path.closed == closed).count();
    assert_eq!((count(Process::Cut, true), count(Process::Cut, false)), (3, 0), "the outline, a hole and the tab's hole");
    let all = || work.items.iter().map(|i| (i.process, i.contour.path.closed, i.why)).collect::<Vec<_>>();
    assert!(count(Process::Score, false) >= 31 && count(Process::Engrave, true) >= 3, "{:?}", all());
    // A hand may still say otherwise.
    let mark = work.items.iter().find(|i| i.process == Process::Score).expect("a mark").contour.id;
    job.edit(&Edit::Assign(AssignEdit::SetContours { contours: vec![mark], process: Some(Process::Engrave) }));
    assert!(job.route().work.items.iter().any(|i| i.contour.id == mark && i.process == Process::Engrave));
}

/// Stops that a program is given on its sheet.
fn verdict(route: &Route, job: &Job, text: &str) -> Vec<String> {
    let machine = job.shop.machine(&job.decisions.first().stock.machine).expect("a machine");
    let b = route.first();
    let (path, cuts, layout) = (&b.toolpath.sheets[0], &b.plan.sheets[0], &b.nested.layout.sheets[0]);
    let (_, findings) =
        proof::run(text, &proof::Meant { sheet: 0, path, cuts, layout, work: &route.work, machine, pose: Default::default() });
    findings.into_iter().filter(|f| f.severity == Severity::Stop).map(|f| f.code.to_string()).collect()
}

/// The `n`-th line (from 0) of those that begin so, changed.
fn nth(text: &str, begins: &str, n: usize, change: impl Fn(&str) -> String) -> Option<String> {
    let at = text.lines().enumerate().filter(|(_, l)| l.starts_with(begins)).nth(n)?.0;
    Some(text.lines().enumerate().map(|(i, l)| if i == at { change(l) } else { l.to_owned() + "\n" }).collect())
}

/// A word's number changed in the `n`-th line that has the word.
fn word(text: &str, letter: char, n: usize, change: impl Fn(f64) -> f64) -> Option<String> {
    let has = |l: &str| !l.starts_with('(') && l.contains(letter);
    let at = text.lines().enumerate().filter(|(_, l)| has(l)).nth(n)?.0;
    let changed = |l: &str| {
        let i = l.find(letter).expect("it has");
        let end = l[i + 1..].find(|c: char| !matches!(c, '0'..='9' | '.' | '-')).map_or(l.len(), |e| i + 1 + e);
        let v: f64 = l[i + 1..end].parse().expect("a number");
        format!("{}{letter}{:.4}{}\n", &l[..i], change(v), &l[end..])
    };
    Some(text.lines().enumerate().map(|(i, l)| if i == at { changed(l) } else { l.to_owned() + "\n" }).collect())
}

/// Every kind of tampering there is, each in several places.
fn sabotages(text: &str) -> Vec<(String, String)> {
    let mut out: Vec<(String, String)> = Vec::new();
    let mut add = |what: String, changed: Option<String>| {
        if let Some(t) = changed.filter(|t| t.trim_end() != text.trim_end()) {
            out.push((what, t));
        }
    };
    let gone = |_: &str| String::new();
    for n in [0, 1, 4] {
        for begins in ["G1", "G2", "G3", "G0", "M3", "M5", "G4", "M8", "M9", "T", "S"] {
            add(format!("{begins} {n} left out"), nth(text, begins, n, gone));
        }
        for (from, to) in [("G2", "G3"), ("G3", "G2"), ("G1", "G0"), ("M5", "M3"), ("M3", "M5"), ("G2", "G1"), ("G0", "G1")] {
            add(format!("{from} {n} becomes {to}"), nth(text, from, n, |l| l.replacen(from, to, 1) + "\n"));
        }
        for (letter, share) in
            [('F', 0.5), ('F', 2.0), ('F', 0.01), ('F', 100.0), ('S', 0.01), ('S', 0.5), ('S', 20.0), ('P', 0.1), ('P', 10.0), ('T', 3.0)]
        {
            add(format!("{letter} {n} times {share}"), word(text, letter, n, |v| v * share));
        }
        for (letter, by) in [('X', 0.5), ('Y', -0.5), ('X', 2000.0), ('Y', -300.0), ('I', 0.4), ('J', 0.4), ('P', 1.0)] {
            // Past the travel home at the end, which may go where it likes.
            add(format!("{letter} {n} moved by {by}"), word(text, letter, n, |v| v + by));
        }
        add(format!("T {n} another"), nth(text, "T", n, |l| l.replacen('T', "T9", 1) + "\n"));
    }
    for (from, to) in [("G21", "G20"), ("G90", "G91"), ("G21 ", ""), ("G90 ", "")] {
        add(format!("{from} becomes {to}"), Some(text.replacen(from, to, 1)));
    }
    let lines: Vec<&str> = text.lines().collect();
    let works: Vec<usize> =
        (0..lines.len()).filter(|i| lines[*i].starts_with('(') && lines[*i][1..].starts_with(|c: char| c.is_ascii_digit())).collect();
    for pair in works.windows(2).chain(works.last().map(|l| [*l, lines.len() - 3]).iter().map(|p| &p[..])) {
        let joined = |l: &[&str]| l.iter().map(|l| format!("{l}\n")).collect::<String>();
        let (before, piece, after) = (joined(&lines[..pair[0]]), joined(&lines[pair[0]..pair[1]]), joined(&lines[pair[1]..]));
        add(format!("piece at {} left out", pair[0]), Some(format!("{before}{after}")));
        add(format!("piece at {} twice", pair[0]), Some(format!("{before}{piece}{piece}{after}")));
    }
    // The outline before what is in it: the last piece of work first.
    if let (Some(first), Some(last)) = (works.first(), works.last()) {
        let end = lines.len() - 3;
        let joined = |l: &[&str]| l.iter().map(|l| format!("{l}\n")).collect::<String>();
        let moved = joined(&lines[..*first]) + &joined(&lines[*last..end]) + &joined(&lines[*first..*last]) + &joined(&lines[end..]);
        add("the last first".into(), Some(moved));
    }
    add("one more line".into(), nth(text, "M3", 1, |l| format!("{l}\nG1 X33 Y33\nG1 X34 Y34\n")));
    add("cut off".into(), Some(text[..text.len() / 2].to_owned()));
    add("turned a little".into(), nth(text, "G1", 2, |l| l.replacen('Y', "Y1", 1) + "\n"));
    add("no first beam-off".into(), nth(text, "M5 S0", 0, gone));
    add(
        "scaled".into(),
        Some(text.lines().map(|l| if l.starts_with("G1 X") { l.replacen("X1", "X2", 1) + "\n" } else { l.to_owned() + "\n" }).collect()),
    );
    out
}

/// What was done, without where.
fn kind(what: &str) -> String {
    what.split(' ').enumerate().filter(|(i, w)| *i == 0 || w.parse::<usize>().is_err()).map(|w| w.1).collect::<Vec<_>>().join(" ")
}

/// Moves that are travel, or say again what holds already, do no harm where they are: what the sabotage left the same.
fn harmless(what: &str, good: &str, bad: &str) -> bool {
    let burned = |text: &str| {
        let actions = proof::interpret(text).ok()?;
        let mut out = Vec::new();
        let mut waits = Vec::new();
        for a in actions {
            match a {
                proof::Action::Move { path, feed, power, tool, air, .. } if power > 0.0 => {
                    out.push((format!("{path:?}"), feed.map(f64::to_bits), power.to_bits(), tool, air))
                }
                proof::Action::Move { .. } => {}
                proof::Action::Wait { seconds, power, .. } => waits.push((seconds.to_bits(), power.to_bits())),
            }
        }
        Some((out, waits))
    };
    let on_the_bed = !what.contains("moved by 2000") && !what.contains("moved by -300");
    on_the_bed
        && !what.starts_with("G21")
        && !what.starts_with("G90")
        && !what.contains("beam-off")
        && !what.starts_with("M9")
        && burned(good) == burned(bad)
}

#[test]
fn forty_kinds_of_sabotage_are_caught() {
    let laser = format!(
        r#"<path {RED} d="M10 10h80v60h-80z"/><circle {RED} cx="30" cy="40" r="9"/><path fill="none" stroke="blue" d="M50 20h30v10"/><rect fill="black" x="50" y="45" width="20" height="1"/>"#
    );
    let plasma = format!(
        r#"<path {RED} d="M10 10h140v90h-140z"/><circle {RED} cx="70" cy="55" r="20"/><path fill="none" stroke="blue" d="M20 20h30"/>"#
    );
    let mark = |job: &Job| {
        let line = job.route().work.items.iter().find(|i| !i.contour.path.closed).expect("the line").contour.id;
        Edit::Assign(AssignEdit::SetContours { contours: vec![line], process: Some(Process::Mark) })
    };
    for (body, batch, more) in [(laser, Stock::default(), false), (plasma, steel(), true)] {
        let (mut job, mut route) = job(&body, batch, &[HoldEdit::SetNicks { on: true }.on(BatchId::FIRST)]);
        if more {
            let edit = mark(&job);
            job.edit(&edit);
            route = job.route();
            assert!(route.first().toolpath.sheets[0].ops.iter().any(|o: &Op| o.process == Process::Mark && o.tool.is_some()));
        }
        let good = job.text(&route, 0);
        assert!(verdict(&route, &job, &good).is_empty(), "{:?}", verdict(&route, &job, &good));
        let all = sabotages(&good);
        let kinds: BTreeSet<String> = all.iter().map(|(what, _)| kind(what)).collect();
        assert!(kinds.len() >= 40, "{}: {kinds:?}", kinds.len());
        for (what, bad) in all {
            let caught = !verdict(&route, &job, &bad).is_empty();
            assert!(caught || harmless(&what, &good, &bad), "{what} is not caught");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(150)))]
    /// Parts without narrow places have no finding of any, on either machine: 300 of them.
    #[test]
    fn sound_parts_are_not_suspected(radii in prop::collection::vec(30.0..60.0_f64, 4..9), hole in 6.0..9.0_f64, turn in 0.0..6.0_f64, bulge in prop::sample::select(vec!["L", "A90 90 0 0 1 "])) {
        let corner = |k: usize| {
            let a = turn + std::f64::consts::TAU * k as f64 / radii.len() as f64;
            format!("{:.4} {:.4}", 70.0 + radii[k % radii.len()] * a.cos(), 70.0 + radii[k % radii.len()] * a.sin())
        };
        let edges: String = (1..=radii.len()).map(|k| format!("{bulge}{}", corner(k))).collect();
        let body = format!(r#"<path {RED} d="M{}{edges}Z"/><circle {RED} cx="70" cy="70" r="{hole}"/>"#, corner(0));
        for batch in [Stock::default(), steel()] {
            let (_, route) = job(&body, batch, &[]);
            for code in ["not-cut-out", "burned-away", "thin-web", "narrow-neck"] {
                prop_assert!(told(&route, code).is_none(), "{:?} of {body}", told(&route, code));
            }
            prop_assert!(route.findings.iter().all(|f| f.severity != Severity::Stop), "{:?}", route.findings);
        }
    }
}

//! Runs that are broken off at any moment: what the controller burned before, and what it burns after the shop went on.

use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::{Decisions, Edit, IntakeEdit, NestEdit, Pose, Process, Stock};
use boustrophe_core::finding::Severity;
use boustrophe_core::geometry::{Point, Segment};
use boustrophe_core::hold::{Row, SheetPath};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Control, Problem, search};
use boustrophe_core::proof::{Action, Interpreter, Meant, Stopped, still};
use boustrophe_core::release::{Dialect, GoOn, Joint, Lines, ProgramOrder, Relit, only, rest, write_lines};
use boustrophe_core::route::{Route, run};
use boustrophe_core::shop::{Machine, Match, Rule, Shop};
use boustrophe_machine::{Simulated, State, Status, checksum};
use proptest::prelude::*;
use std::sync::{Arc, LazyLock};

/// Three plates with a hole each, on a machine; the first is engraved where the machine does that. All of it is burned so many times.
/// What is burned twice is cut by a controller that knows no arcs.
fn route(machine: &str, material: &str, passes: u32) -> (Route, Shop) {
    let svg = r##"<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="60mm" viewBox="0 0 300 60"><g fill="none" stroke="red"><rect x="5" y="5" width="60" height="40"/><circle cx="30" cy="25" r="9"/><rect x="105" y="5" width="60" height="40" rx="8"/><circle cx="130" cy="25" r="9"/><path d="M205 5h60l-20 40h-40z"/><circle cx="225" cy="22" r="9"/></g><path d="M44 14h16v3h-16z" fill="black"/></svg>"##;
    let mut shop = Shop::builtin();
    shop.rules.push(Rule { id: 1, when: Match::filled(), process: Process::Engrave });
    shop.chart.iter_mut().filter(|r| r.machine == machine).for_each(|r| r.passes = passes);
    shop.machines.iter_mut().filter(|m| m.id == machine).for_each(|m| m.arcs = passes == 1);
    let stock = Stock { machine: machine.into(), material: material.into(), thickness: 3.0 };
    laid("plates.svg", svg.as_bytes(), stock, shop, &[])
}

/// A drawing with what is decided on it, laid on sheets.
fn laid(name: &str, bytes: &[u8], stock: Stock, shop: Shop, edits: &[Edit]) -> (Route, Shop) {
    let added = Edit::Intake(IntakeEdit::AddDrawing { file: name.into(), name: name.into() });
    let added = added.apply(&Decisions::on(stock)).expect("it is added");
    let decisions = edits.iter().fold(added, |d, e| e.apply(&d).expect("it applies"));
    let drawings = [Arc::new(boustrophe_formats::read(name, bytes).expect("it reads"))];
    let cache = Cache::default();
    let before = run(&drawings, &decisions, &shop, &cache, &mut |_| {});
    let problem = Problem::new(&before.first().work, &nest::terms(&decisions, BatchId::FIRST, &shop), &shop.tolerance);
    let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: 2 });
    let decisions = NestEdit::KeepLayout { layout }.on(BatchId::FIRST).apply(&decisions).expect("it is kept");
    (run(&drawings, &decisions, &shop, &cache, &mut |_| {}), shop)
}

static LASER: LazyLock<(Route, Shop)> = LazyLock::new(|| route("lark", "birch-ply", 1));
static TWICE: LazyLock<(Route, Shop)> = LazyLock::new(|| route("lark", "birch-ply", 2));
static TORCH: LazyLock<(Route, Shop)> = LazyLock::new(|| route("anvil", "mild-steel", 1));

/// A picture of grey stripes, burned twice.
static PICTURE: LazyLock<(Route, Shop)> = LazyLock::new(|| {
    let (w, h) = (24_usize, 16_usize);
    let grey = |i: usize| if i / w % 5 == 3 { 255 } else { (i % w * 9) as u8 };
    let png = boustrophe_formats::bitmap::write_png(w, h, (0..w * h).flat_map(|i| [grey(i), grey(i), grey(i), 255]).collect());
    let engraved =
        [Edit::Intake(IntakeEdit::SetEngraved { drawing: 1, on: true }), Edit::Intake(IntakeEdit::SetPpi { drawing: 1, ppi: 60.0 })];
    let mut shop = Shop::builtin();
    shop.chart.iter_mut().filter(|r| r.process == Process::Picture).for_each(|r| (r.passes, r.pitch) = (2, 0.4));
    laid("grey.png", &png.expect("a picture"), Stock::default(), shop, &engraved)
});

/// Six plates that share edges.
static SHARED: LazyLock<(Route, Shop)> = LazyLock::new(|| {
    let svg = r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40"><path d="M0 0h60v40h-60z" fill="none" stroke="red"/></svg>"#;
    let edits = [
        Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: 1, quantity: 6 }),
        NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST),
    ];
    laid("plate.svg", svg.as_bytes(), Stock::default(), Shop::builtin(), &edits)
});

/// How the sheet of each lies: the second askew, its zero off its corner.
const POSES: [Pose; 5] = [PLAIN, Pose { zero: Point::new(-30.0, -20.0), at: Point::new(60.0, 25.0), turn: 0.03 }, PLAIN, PLAIN, PLAIN];
const PLAIN: Pose = Pose { zero: Point::ZERO, at: Point::ZERO, turn: 0.0 };

fn program(path: &SheetPath, machine: &Machine, route: &Route, pose: Pose) -> (String, Lines) {
    let mut text = Vec::new();
    let order = ProgramOrder { path, machine, sheet: (1, 1), stock: &route.first().stock, pose };
    let lines = write_lines(&order, &mut text).expect("written");
    (String::from_utf8(text).expect("ASCII"), lines)
}

/// What may end a run.
const ENDS: [&str; 3] = ["stop", "room flame", "room limit"];

/// Runs a program on a simulated controller for so many seconds, until one of [`ENDS`]; how it stands then.
fn run_for(machine: &Machine, program: &str, seconds: f64, end: &str) -> Status {
    let controller = Simulated::new(machine.clone(), 1.0, "token");
    let lines: Vec<&str> = program.lines().collect();
    let sum = checksum(program);
    assert!(controller.answer(&format!("load a.nc {} {sum} 1", lines.len())).starts_with("ok"));
    for (i, line) in lines.iter().enumerate() {
        assert!(controller.answer(&format!("{} {line}", i + 1)).starts_with("ok"), "{line}");
    }
    assert!(controller.answer("end").starts_with("ok") && controller.answer(&format!("start 1 {sum}")).starts_with("ok"));
    controller.pass(seconds);
    let _ = controller.answer(end);
    controller.answer("status").strip_prefix("ok ").expect("it answers").parse().expect("a status")
}

/// What a program burned of a sheet by the controller's own record: all of it, or up to the line and the place where it stopped.
fn burned(machine: &Machine, program: &str, pose: Pose, stopped: Option<&Status>) -> Vec<Segment> {
    let mut reader = Interpreter::new(Dialect::of(machine));
    let mut actions = Vec::new();
    program.lines().for_each(|l| reader.line(l, &mut actions).expect("it reads"));
    let mut out = Vec::new();
    for action in &actions {
        let Action::Move { path, power, line, .. } = action else { continue };
        let share = match stopped {
            Some(s) if *line > s.line => break,
            Some(s) if *line == s.line => {
                let at = Point::new(s.x, s.y);
                (0..=1000)
                    .map(|k| f64::from(k) / 1000.0)
                    .min_by(|a, b| path.at(*a).distance(at).total_cmp(&path.at(*b).distance(at)))
                    .unwrap_or(1.0)
            }
            _ => 1.0,
        };
        if *power > 0.0 && share > 1e-6 {
            out.push(path.piece(0.0, share).transformed(pose.to_sheet()));
        }
    }
    out
}

/// How often the burned moves go over a place along a line; moves that follow on each other there, as chords of an arc do, go over it once.
fn times(moves: &[Segment], at: Point) -> usize {
    let near = |s: &Segment| {
        let n = (s.length() / 0.05).ceil().max(1.0) as usize;
        (0..=n).any(|k| s.at(k as f64 / n as f64).distance(at) < 0.06)
    };
    moves.chunk_by(|a, b| a.end == b.start && near(a) && near(b)).filter(|visit| visit.iter().any(near)).count()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(boustrophe_house::played(200)))]
    /// Whenever the machine stops or loses its power, and however the shop goes on: every contour is cut once, but for the one that was
    /// under way, which goes as was chosen.
    #[test]
    fn what_breaks_off_is_gone_on_with(share in 0.02..0.98_f64, how in 0..3_usize, end in 0..ENDS.len(), on in 0..5_usize) {
        let (route, shop): &(Route, Shop) = [&LASER, &TWICE, &TORCH, &PICTURE, &SHARED][on];
        let machine = shop.machine(&route.first().stock.machine).expect("the machine");
        let path = &route.first().toolpath.sheets[0];
        prop_assert!(on >= 2 || path.ops.iter().any(|o| !o.rows().is_empty()));
        prop_assert!(on != 4 || route.first().plan.shared() > 50.0);
        let pose = POSES[on];
        let (first, stands) = program(path, machine, route, pose);
        let seconds = share * route.first().proofs[0].seconds;
        let status = run_for(machine, &first, seconds, ENDS[end]);
        prop_assume!(matches!(status.state, State::Stopped | State::Fault));
        prop_assert!(!status.beam && status.alarm.is_some() == (end > 0) && status.unknown == (end == 2));
        let finished = stands.finished_at(status.line);
        let lines = stands.of_piece(finished);
        let stopped = Stopped { line: status.line, at: pose.to_sheet() * Point::new(status.x, status.y) };
        let from = [GoOn::Again, GoOn::Here(still(&first, Dialect::of(machine), lines, stopped, pose)), GoOn::Next][how];
        let overlap = machine.overlap();
        let lit: &[Relit] =
            if on == 2 { &[Relit::InTheScrap(1.0), Relit::InTheScrap(0.35), Relit::InTheKerf(4.0)] } else { &[Relit::OnTheLine] };
        let ways = lit.iter().map(|lit| rest(path, finished, from, Joint { overlap, lit: *lit }));
        let mut all = burned(machine, &first, pose, Some(&status));
        let whole = route.first().meant(0, shop).expect("it was worked out");
        let stops = |left: &SheetPath| -> Vec<String> {
            let found = boustrophe_core::proof::run(&program(left, machine, route, pose).0, &Meant { path: left, pose, ..whole }).1;
            found.into_iter().filter(|f| f.severity == Severity::Stop).map(|f| f.text).collect()
        };
        let mut refused = Vec::new();
        let left = ways.into_iter().find(|left| left.ops.is_empty() || {
            refused = stops(left);
            refused.is_empty()
        });
        let Some(left) = left else { return Err(TestCaseError::fail(format!("no way on is proved: {refused:?}"))) };
        if !left.ops.is_empty() {
            let second = program(&left, machine, route, pose).0;
            prop_assert_eq!(run_for(machine, &second, 1e6, "stop").state, State::Done);
            all.extend(burned(machine, &second, pose, None));
        }
        for (k, op) in path.ops.iter().enumerate() {
            let lines = op.line().runs.iter().flatten().filter(|s| s.length() > 4.0).flat_map(|s| [0.313, 0.529, 0.717].map(|t| s.at(t)));
            let swept: Vec<Row> = op.rows().iter().cloned().chain(op.picture_rows()).collect();
            // A place that burns: of a picture the end of its row does.
            let rows = swept.iter().map(|r| if op.picture().is_some() { r.start() } else { r.start().midpoint(r.end()) });
            let meant = op.passes as usize;
            for at in lines.chain(rows) {
                let n = times(&all, at);
                let fits = match (k == finished, from) {
                    (false, _) => n == meant,
                    (true, GoOn::Again) => (meant..=2 * meant).contains(&n),
                    // It goes on at the very place: there it may be seen twice; of an engraving the row that was under way is burned again.
                    (true, GoOn::Here(still)) => {
                        let beside = |row: &Row| (at - still.at).dot(row.way.turn_90()).abs() < op.pitch() / 2.0;
                        // A torch's lead comes on to the line along it: so far before their joint the two lie on each other.
                        let along = if on == 2 { 0.7 } else { 0.2 };
                        let near = swept.first().map_or(at.distance(still.at) < overlap + along, beside);
                        n == meant || n == meant + 1 && near
                    }
                    (true, GoOn::Next) => n <= meant,
                };
                prop_assert!(fits, "piece {k} of {} is burned {n} times at {at:?}; {finished} were finished; {from:?}", path.ops.len());
            }
        }
    }
}

#[test]
fn what_a_program_was_to_do_is_told_by_the_program() {
    for (route, shop) in [&*LASER, &*TORCH] {
        let machine = shop.machine(&route.first().stock.machine).expect("the machine");
        let path = &route.first().toolpath.sheets[0];
        let meant = route.first().meant(0, shop).expect("it was worked out");
        let pieces = |left: &SheetPath| boustrophe_core::proof::run(&program(left, machine, route, PLAIN).0, &meant).0.pieces();
        let all: Vec<usize> = (0..path.ops.len()).collect();
        assert_eq!(pieces(path), all);
        assert_eq!(pieces(&rest(path, 2, GoOn::Again, Joint::default())), all[2..]);
        assert_eq!(pieces(&rest(path, 2, GoOn::Next, Joint::default())), all[3..]);
        // Copies that are cut again are no tail of the sheet's work.
        let first = path.ops[1].placement;
        let theirs = |i: &usize| path.ops[*i].placement == first && path.ops[*i].process == Process::Cut;
        let theirs: Vec<usize> = all.iter().copied().filter(theirs).collect();
        assert!(theirs.last() < all.last() && pieces(&only(path, &route.first().plan.sheets[0], &[first])) == theirs, "{theirs:?}");
    }
}

//! Runs under odd orders of clicks and broken lines: a page starts its own run's program or nothing, and the record follows
//! the machine.

use super::{open, send};
use crate::app::App;
use crate::desks::Word;
use crate::error::ShopError;
use crate::packed::packed;
use crate::reading::Readers;
use boustrophe_core::decisions::{Decisions, Stock};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ledger::Ledger;
use boustrophe_core::nest::{Sheet, SheetLayout};
use boustrophe_core::release::Lines;
use boustrophe_core::released::{ReleasedBatch, ReleasedSheet};
use boustrophe_core::run::{Answer, RunState};
use boustrophe_core::shop::Shop;
use boustrophe_machine::{Driver, Link, Simulated, State, checksum, serve};
use boustrophe_store::{NewRelease, Release, Run, SheetRow, Store, Then};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};
use tokio::io::copy_bidirectional;
use tokio::net::{TcpListener, TcpStream};

const TOKEN: &str = "beeswax";

/// A program of a square so large, in so many pieces of work.
fn program(size: u32) -> String {
    let piece = |n: u32| format!("({n} Cut)\nG0 X{n} Y0\nM3 S500\nG1 X{n} Y{size} F6000\nM5\n");
    format!("G21 G90\nM5\n{}M2\n", (1..=6).map(piece).collect::<String>())
}

/// Sheets of the release that is sent from.
const SHEETS: i32 = 12;

/// A release whose sheets are programs of squares.
fn release(app: &App, job: i32) -> Release {
    let shop = app.shop();
    let stock = Stock::default();
    let lines = |text: &str| {
        let begins = text.lines().enumerate().filter(|(_, l)| l.starts_with('(')).map(|(i, _)| i + 1).collect();
        Lines { begins, home: text.lines().count() }
    };
    let programs: Vec<String> = (1..=SHEETS).map(|n| program(40 * n as u32)).collect();
    let sheet = |text: &String| ReleasedSheet {
        layout: SheetLayout { sheet: Sheet::rectangle(600.0, 400.0), placed: Vec::new() },
        cuts: Default::default(),
        path: Default::default(),
        pose: Default::default(),
        lines: lines(text),
        seconds: 3.0,
        by_process: Vec::new(),
    };
    let batch = ReleasedBatch {
        batch: BatchId::FIRST,
        machine: shop.machine(&stock.machine).expect("lark").clone(),
        stock,
        material: None,
        rows: Default::default(),
        time_factor: 1.0,
        work: Arc::default(),
        guests: BTreeMap::new(),
        sheets: programs.iter().map(sheet).collect(),
        ledger: Ledger::default(),
        numbered: (0, SHEETS as usize),
    };
    let row = |n: i32, text: &String| SheetRow {
        release_id: 0,
        sheet: n,
        batch: 1,
        place: n - 1,
        machine: "lark".into(),
        file_name: format!("sheet-{n}.nc"),
        sum: checksum(text),
        pieces: 6,
        seconds: 3.0,
        stock_id: None,
        pieces_of_stock: 1,
        lay: String::new(),
        miniature: String::new(),
    };
    let sheets = (1..=SHEETS).zip(programs).map(|(n, text)| (row(n, &text), text)).collect();
    let revision = app.store.job(job).expect("the job").head.expect("a head");
    let batches = vec![(BatchId::FIRST, packed(&batch).expect("packed"))];
    let new = NewRelease { job, revision, person: "Odile Farrant", ledger: &Ledger::default(), batches, sheets, papers: Vec::new() };
    let id = app.store.add_release(&new).expect("released").0;
    app.store.release(id).expect("it")
}

/// A shop with a Lark behind a line that can be cut.
struct Bench {
    app: Arc<App>,
    release: Release,
    /// The machine itself, past the line.
    machine: Link,
    cut: Arc<AtomicBool>,
    /// Counts the times that the line was cut: what was through is broken.
    cuts: Arc<AtomicU64>,
    _data: tempfile::TempDir,
}

async fn address(listener: &TcpListener) -> String {
    listener.local_addr().expect("its address").to_string()
}

impl Bench {
    async fn new(speed: f64) -> Self {
        let shop = Shop::builtin();
        let listener = TcpListener::bind("127.0.0.1:0").await.expect("a free port");
        let machine = Link::new(address(&listener).await, TOKEN);
        tokio::spawn(serve(Simulated::new(shop.machine("lark").expect("lark").clone(), speed, TOKEN), listener));
        let (cut, cuts) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicU64::new(0)));
        let line = TcpListener::bind("127.0.0.1:0").await.expect("a free port");
        let through = Link::new(address(&line).await, TOKEN);
        tokio::spawn(relay(line, machine.address.clone(), Arc::clone(&cut), Arc::clone(&cuts)));
        let data = tempfile::tempdir().expect("a folder");
        let store = Store::open(data.path()).expect("a shop");
        let job = store.add_job("Combs", "", None, &Decisions::default()).expect("a job").id;
        let links = BTreeMap::from([("lark".to_owned(), through)]);
        let app = Arc::new(App::new(store, shop, links, Readers::here(), data.path().to_owned()).expect("an app"));
        let release = release(&app, job);
        open(&app, &tokio::runtime::Handle::current());
        Self { app, release, machine, cut, cuts, _data: data }
    }

    fn send(&self, sheet: i32) -> i32 {
        send(&self.app, &self.release, sheet, 1, "Odile Farrant").expect("sent")
    }

    /// Somebody says what becomes of a run's sheet.
    fn answer(&self, id: i32, answer: Answer) {
        self.app.store.answer(id, answer, "Bram Teck", Then::Nothing).expect("answered");
        self.app.desks.desk("lark").expect("a desk").look_again();
    }

    fn run(&self, id: i32) -> Run {
        self.app.store.run(id).expect("a run")
    }

    async fn until(&self, what: &str, test: impl Fn() -> bool) {
        let began = Instant::now();
        while !test() {
            assert!(began.elapsed() < Duration::from_secs(20), "waited in vain until {what}");
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    }

    async fn until_run(&self, id: i32, state: RunState) {
        self.until(&format!("run {id} is {state}, now {}", self.run(id).state), || self.run(id).state == state).await;
    }

    async fn order(&self, id: i32, word: Word) -> Result<(), ShopError> {
        self.app.desks.desk("lark").expect("a desk").order(id, word).await
    }

    fn line(&self, up: bool) {
        self.cut.store(!up, Ordering::Release);
        if !up {
            self.cuts.fetch_add(1, Ordering::AcqRel);
        }
    }
}

/// A line that passes on what is said, until it is cut.
async fn relay(line: TcpListener, to: String, cut: Arc<AtomicBool>, cuts: Arc<AtomicU64>) {
    while let Ok((mut near, _)) = line.accept().await {
        if cut.load(Ordering::Acquire) {
            continue;
        }
        let (to, cuts) = (to.clone(), Arc::clone(&cuts));
        tokio::spawn(async move {
            let before = cuts.load(Ordering::Acquire);
            let Ok(mut far) = TcpStream::connect(to).await else { return };
            let broken = async {
                while cuts.load(Ordering::Acquire) == before {
                    tokio::time::sleep(Duration::from_millis(5)).await;
                }
            };
            tokio::select! { _ = copy_bidirectional(&mut near, &mut far) => {}, () = broken => {} }
        });
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_machine_takes_one_run_at_a_time_and_starts_the_right_one() {
    let bench = Bench::new(60.0).await;
    let (a, b) = (bench.send(1), bench.send(2));
    assert_eq!(bench.send(1), a, "two clicks are one");
    bench.until_run(a, RunState::Ready).await;
    assert_eq!(bench.run(b).state, RunState::Waiting);
    assert!(bench.order(b, Word::Start).await.expect_err("it is not at the machine").to_string().contains("busy with sheet-1.nc"));
    bench.order(a, Word::Start).await.expect("started");
    bench.until_run(a, RunState::Done).await;
    assert_eq!(bench.run(a).cuts_done, 6);
    // Its sheet lies on the bed until somebody has said that it may go.
    tokio::time::sleep(Duration::from_millis(400)).await;
    assert_eq!(bench.run(b).state, RunState::Waiting);
    bench.answer(a, Answer::Through);
    bench.until_run(b, RunState::Ready).await;
    assert_eq!(bench.run(b).cuts_done, 0);
    bench.order(b, Word::Start).await.expect("started");
    bench.until_run(b, RunState::Done).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_broken_line_ends_nothing_and_is_taken_up_again() {
    let bench = Bench::new(2.0).await;
    let a = bench.send(3);
    bench.until_run(a, RunState::Ready).await;
    bench.order(a, Word::Start).await.expect("started");
    bench.until("a piece is finished", || bench.run(a).cuts_done >= 1).await;
    bench.line(false);
    let desk = bench.app.desks.desk("lark").expect("a desk");
    bench.until("the silence is seen", || !desk.seen().live()).await;
    assert!(bench.run(a).ended_at.is_none() && bench.run(a).state == RunState::Running, "the machine goes on, and so does the run");
    assert!(matches!(bench.order(a, Word::Pause).await, Err(ShopError::Unreached { .. })));
    assert!(matches!(desk.stop().await, Err(ShopError::Unreached { .. })));
    bench.line(true);
    bench.until("it is heard again", || desk.seen().live()).await;
    desk.stop().await.expect("stopped");
    bench.until_run(a, RunState::Stopped).await;
    let run = bench.run(a);
    assert!(run.cuts_done >= 1 && run.cuts_done < 6 && run.line > 5 && run.detail.contains("pieces of work finished"), "{run:?}");
    assert_eq!(Driver::connect(&bench.machine).await.expect("there").status().await.expect("status").state, State::Stopped);
    // Stop goes to the machine also where the record says that nothing runs.
    desk.stop().await.expect("there is nothing to stop");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_done_at_the_machines_own_panel_is_not_taken_for_ours() {
    let bench = Bench::new(100.0).await;
    let mut panel = Driver::connect(&bench.machine).await.expect("the panel");
    let other = program(500);
    panel.load("other.nc", &other, 0, (0.0, 0.0), || ()).await.expect("loaded");
    let a = bench.send(1);
    tokio::time::sleep(Duration::from_millis(300)).await;
    assert_eq!(bench.run(a).state, RunState::Waiting, "what the panel loaded is left alone");
    panel.ask(&format!("start 0 {}", checksum(&other))).await.expect("started");
    bench.until("the panel's program has ended and ours is sent", || bench.run(a).state == RunState::Ready).await;
    // Another program takes its place before it is started: it waits on and is sent again.
    panel.load("third.nc", &other, 0, (0.0, 0.0), || ()).await.expect("loaded");
    bench.until_run(a, RunState::Waiting).await;
    assert!(bench.run(a).detail.contains("third.nc"), "{}", bench.run(a).detail);
    panel.ask("stop").await.expect("stopped");
    bench.until_run(a, RunState::Ready).await;
    bench.order(a, Word::Start).await.expect("started");
    bench.until_run(a, RunState::Done).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_machine_that_was_switched_off_in_a_run_is_told() {
    let bench = Bench::new(1.0).await;
    let a = bench.send(9);
    bench.until_run(a, RunState::Ready).await;
    bench.order(a, Word::Start).await.expect("started");
    bench.until_run(a, RunState::Running).await;
    // What a restart of the controller looks like: it holds nothing of ours any more.
    let mut panel = Driver::connect(&bench.machine).await.expect("the panel");
    bench.line(false);
    panel.ask("stop").await.expect("stopped");
    panel.load("fresh.nc", &program(10), 0, (0.0, 0.0), || ()).await.expect("loaded");
    bench.line(true);
    bench.until_run(a, RunState::Lost).await;
    assert!(bench.run(a).ended_at.is_some() && bench.run(a).detail.contains("Look at the sheet"), "{}", bench.run(a).detail);
}

/// What somebody does, or what happens.
#[derive(Clone, Copy, Debug)]
enum Step {
    Send(i32),
    Start(usize),
    Pause(usize),
    Resume(usize),
    Stop,
    Answer(usize),
    Withdraw(usize),
    Cut,
    Mend,
    Wait(u64),
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        2 => (1..3_i32).prop_map(Step::Send),
        4 => (0..3_usize).prop_map(Step::Start),
        1 => (0..3_usize).prop_map(Step::Pause),
        2 => (0..3_usize).prop_map(Step::Resume),
        1 => Just(Step::Stop),
        3 => (0..3_usize).prop_map(Step::Answer),
        1 => (0..3_usize).prop_map(Step::Withdraw),
        1 => Just(Step::Cut),
        2 => Just(Step::Mend),
        4 => (5..160_u64).prop_map(Step::Wait),
    ]
}

/// What the machine itself was seen to run: which runs it started and which it ended, watched past the line.
async fn witness(machine: Link, over: Arc<AtomicBool>) -> (Vec<i32>, Vec<i32>) {
    let (mut started, mut done) = (Vec::new(), Vec::new());
    let mut driver = Driver::connect(&machine).await.expect("the witness");
    while !over.load(Ordering::Acquire) {
        if let Ok(status) = driver.status().await {
            let run = status.held.map_or(0, |h| h.run);
            if status.state == State::Running && started.last() != Some(&run) {
                started.push(run);
            }
            if status.state == State::Done && done.last() != Some(&run) {
                done.push(run);
            }
        }
        tokio::time::sleep(Duration::from_millis(1)).await;
    }
    (started, done)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 20, max_shrink_iters: 0, ..ProptestConfig::default() })]
    /// Whatever is clicked and breaks, in whatever order: only a run whose start was asked for runs, and a run is done only
    /// when the machine has done it.
    #[test]
    fn never_another_program_and_never_two_done(steps in prop::collection::vec(step(), 8..24)) {
        tokio::runtime::Runtime::new().expect("a runtime").block_on(async {
            let bench = Bench::new(8.0).await;
            let over = Arc::new(AtomicBool::new(false));
            let watched = tokio::spawn(witness(bench.machine.clone(), Arc::clone(&over)));
            let mut runs: Vec<i32> = vec![bench.send(1), bench.send(2)];
            let mut asked: Vec<i32> = Vec::new();
            for step in &steps {
                let of = |i: usize| runs[i % runs.len()];
                match *step {
                    Step::Send(sheet) => {
                        let run = bench.send(sheet);
                        if !runs.contains(&run) {
                            runs.push(run);
                        }
                    }
                    Step::Start(i) => {
                        // Asked for, whether it is said to have got there or not.
                        asked.push(of(i));
                        let _ = bench.order(of(i), Word::Start).await;
                    }
                    Step::Pause(i) => drop(bench.order(of(i), Word::Pause).await),
                    Step::Resume(i) => drop(bench.order(of(i), Word::Resume).await),
                    Step::Stop => drop(bench.app.desks.desk("lark").expect("a desk").stop().await),
                    Step::Answer(i) => {
                        let run = bench.run(of(i));
                        let refused = bench.app.store.answer(run.id, Answer::Gone, "Bram Teck", Then::Nothing).is_err();
                        assert!(!run.asks() || !refused);
                        bench.app.desks.desk("lark").expect("a desk").look_again();
                    }
                    Step::Withdraw(i) => drop(bench.app.store.requeue(of(i), RunState::Withdrawn, "")),
                    Step::Cut => bench.line(false),
                    Step::Mend => bench.line(true),
                    Step::Wait(ms) => tokio::time::sleep(Duration::from_millis(ms)).await,
                }
            }
            bench.line(true);
            tokio::time::sleep(Duration::from_millis(1200)).await;
            over.store(true, Ordering::Release);
            let (started, done) = watched.await.expect("the witness");
            for run in &started {
                assert_ne!(bench.run(*run).state, RunState::Withdrawn, "run {run} was taken out of the queue, and ran: {steps:?}");
                assert!(asked.contains(run), "run {run} ran and nobody started it: {steps:?}");
            }
            let recorded: Vec<i32> = runs.iter().copied().filter(|r| bench.run(*r).state == RunState::Done).collect();
            for run in &recorded {
                assert!(done.contains(run), "run {run} is called done, and the machine has not done it: {done:?} {steps:?}");
            }
            let open: Vec<String> = runs.iter().map(|r| bench.run(*r)).filter(|r| r.ended_at.is_none() && r.state != RunState::Waiting).map(|r| r.state.to_string()).collect();
            assert!(open.len() <= 1, "one run at a time: {open:?}");
        });
    }
}

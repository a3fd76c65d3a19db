//! Runs under odd orders of clicks and broken lines: a page starts its own run's program or nothing, and the record follows
//! the machine.

use super::{Word, open, queue};
use crate::error::AppError;
use crate::reading::Readers;
use crate::shop::App;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::shop::Shop;
use boustrophe_machine::{Driver, Link, Simulated, State, checksum, serve};
use boustrophe_store::{NewRun, Run, Store};
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

/// A shop with a Lark behind a line that can be cut.
struct Bench {
    app: Arc<App>,
    job: i32,
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
        let machine = Link { address: address(&listener).await, token: TOKEN.into() };
        tokio::spawn(serve(Simulated::new(shop.machine("lark").expect("lark").clone(), speed, TOKEN), listener));
        let (cut, cuts) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicU64::new(0)));
        let line = TcpListener::bind("127.0.0.1:0").await.expect("a free port");
        let through = Link { address: address(&line).await, token: TOKEN.into() };
        tokio::spawn(relay(line, machine.address.clone(), Arc::clone(&cut), Arc::clone(&cuts)));
        let data = tempfile::tempdir().expect("a folder");
        let store = Store::open(data.path()).expect("a shop");
        let job = store.add_job("Combs", "", None, &Decisions::default()).expect("a job").id;
        let links = BTreeMap::from([("lark".to_owned(), through)]);
        let app = Arc::new(App::new(store, shop, links, Readers::here(), data.path().to_owned()).expect("an app"));
        open(&app);
        Self { app, job, machine, cut, cuts, _data: data }
    }

    fn send(&self, sheet: i32) -> i32 {
        let text = program(40 * sheet as u32);
        let new = NewRun {
            job: self.job,
            revision: 1,
            sheet,
            machine: "lark",
            file_name: &format!("sheet-{sheet}.nc"),
            program: &text,
            sum: &checksum(&text),
            cuts: 6,
            total: 3.0,
            goes_on: None,
            pose: Default::default(),
        };
        queue(&self.app, &new).expect("sent")
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

    async fn until_run(&self, id: i32, state: &str) {
        self.until(&format!("run {id} is {state}, now {}", self.run(id).state), || self.run(id).state == state).await;
    }

    async fn order(&self, id: i32, word: Word) -> Result<(), AppError> {
        self.app.machines.desk("lark").expect("a desk").order(id, word).await
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
    bench.until_run(a, "ready").await;
    assert_eq!(bench.run(b).state, "waiting");
    assert!(bench.order(b, Word::Start).await.expect_err("it is not at the machine").to_string().contains("busy with sheet-1.nc"));
    bench.order(a, Word::Start).await.expect("started");
    bench.until_run(a, "done").await;
    assert_eq!(bench.run(a).cuts_done, 6);
    bench.until_run(b, "ready").await;
    assert_eq!(bench.run(b).cuts_done, 0);
    bench.order(b, Word::Start).await.expect("started");
    bench.until_run(b, "done").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_broken_line_ends_nothing_and_is_taken_up_again() {
    let bench = Bench::new(2.0).await;
    let a = bench.send(3);
    bench.until_run(a, "ready").await;
    bench.order(a, Word::Start).await.expect("started");
    bench.until("a piece is finished", || bench.run(a).cuts_done >= 1).await;
    bench.line(false);
    let desk = bench.app.machines.desk("lark").expect("a desk");
    bench.until("the silence is seen", || !desk.seen().live()).await;
    assert!(bench.run(a).ended_at.is_none() && bench.run(a).state == "running", "the machine goes on, and so does the run");
    assert!(matches!(bench.order(a, Word::Pause).await, Err(AppError::Unreached { .. })));
    assert!(matches!(desk.stop().await, Err(AppError::Unreached { .. })));
    bench.line(true);
    bench.until("it is heard again", || desk.seen().live()).await;
    desk.stop().await.expect("stopped");
    bench.until_run(a, "stopped").await;
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
    assert_eq!(bench.run(a).state, "waiting", "what the panel loaded is left alone");
    panel.ask(&format!("start 0 {}", checksum(&other))).await.expect("started");
    bench.until("the panel's program has ended and ours is sent", || bench.run(a).state == "ready").await;
    // Another program takes its place before it is started: it waits on and is sent again.
    panel.load("third.nc", &other, 0, (0.0, 0.0), || ()).await.expect("loaded");
    bench.until_run(a, "waiting").await;
    assert!(bench.run(a).detail.contains("third.nc"), "{}", bench.run(a).detail);
    panel.ask("stop").await.expect("stopped");
    bench.until_run(a, "ready").await;
    bench.order(a, Word::Start).await.expect("started");
    bench.until_run(a, "done").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_machine_that_was_switched_off_in_a_run_is_told() {
    let bench = Bench::new(1.0).await;
    let a = bench.send(9);
    bench.until_run(a, "ready").await;
    bench.order(a, Word::Start).await.expect("started");
    bench.until_run(a, "running").await;
    // What a restart of the controller looks like: it holds nothing of ours any more.
    let mut panel = Driver::connect(&bench.machine).await.expect("the panel");
    bench.line(false);
    panel.ask("stop").await.expect("stopped");
    panel.load("fresh.nc", &program(10), 0, (0.0, 0.0), || ()).await.expect("loaded");
    bench.line(true);
    bench.until_run(a, "lost").await;
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
                    Step::Stop => drop(bench.app.machines.desk("lark").expect("a desk").stop().await),
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
                assert!(asked.contains(run), "run {run} ran and nobody started it: {steps:?}");
            }
            let recorded: Vec<i32> = runs.iter().copied().filter(|r| bench.run(*r).state == "done").collect();
            for run in &recorded {
                assert!(done.contains(run), "run {run} is called done, and the machine has not done it: {done:?} {steps:?}");
            }
            let open: Vec<String> = runs.iter().map(|r| bench.run(*r)).filter(|r| r.ended_at.is_none() && r.state != "waiting").map(|r| r.state).collect();
            assert!(open.len() <= 1, "one run at a time: {open:?}");
        });
    }
}

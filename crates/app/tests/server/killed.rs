//! The server itself killed, again and again, in the midst of two people's work, with its machine going on beside it.

use crate::client::{Shop, started, try_ask};
use crate::nested::{nested, until};
use boustrophe_machine::{Driver, Link, State, Status};
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::process::{Child, Command};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

/// Sequences that are played.
const SEQUENCES: u32 = 60;
/// Sequences at once: they wait most of the time.
const AT_ONCE: usize = 4;
/// Kills in each.
const KILLS: u32 = 2;
/// Sheets on the rack at first.
const SHEETS: i64 = 6;
/// How fast the machine is.
const SPEED: &str = "60";

const PLATES: &str = r#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="40mm" viewBox="0 0 50 40"><g fill="none" stroke="red"><rect x="5" y="5" width="40" height="30"/><circle cx="25" cy="20" r="7"/></g></svg>"#;

/// A process that ends with the test.
struct Ended(Child);

impl Drop for Ended {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// What the two were answered.
#[derive(Default)]
struct Told {
    /// Runs that were sent.
    sent: BTreeSet<String>,
    /// Runs whose start was asked for.
    started: BTreeSet<i32>,
    /// Sheets put on the rack, answered; and those of which nobody knows.
    put: i64,
    maybe: i64,
}

fn number(path: &str) -> i32 {
    path.rsplit('/').next().and_then(|n| n.parse().ok()).unwrap_or(0)
}

/// A form posted to a shop that may be gone by then.
fn post(address: &str, path: &str, fields: &[(&str, &str)]) -> Option<(u16, String)> {
    let body: Vec<String> = fields.iter().map(|(k, v)| format!("{k}={}", v.replace(' ', "+"))).collect();
    let headers = [("content-type", "application/x-www-form-urlencoded")];
    try_ask(address, "POST", path, &headers, body.join("&").as_bytes()).ok().map(|a| (a.status, a.header("location")))
}

/// The last runs that somebody may press something on.
fn runs(told: &Mutex<Told>) -> Vec<String> {
    told.lock().expect("told").sent.iter().rev().take(4).cloned().collect()
}

/// One person at work until the shop is gone.
fn works(address: &str, job: u32, told: &Mutex<Told>, mut chance: StdRng, gone: &AtomicBool) {
    while !gone.load(Ordering::Acquire) {
        std::thread::sleep(Duration::from_millis(chance.random_range(1..40)));
        let all = runs(told);
        let run = all.get(chance.random_range(0..all.len().max(1))).cloned().unwrap_or_default();
        match chance.random_range(0..12) {
            0..3 => {
                let sent =
                    post(address, &format!("/jobs/{job}/runs"), &[("sheet", "1"), ("times", "1"), ("release", "1"), ("person", "Bram")]);
                if let Some((303, to)) = sent {
                    told.lock().expect("told").sent.insert(to);
                }
            }
            3..8 if !run.is_empty() => starts(address, &run, told),
            8 if !run.is_empty() => drop(post(address, &format!("{run}/stop"), &[])),
            9 if !run.is_empty() => drop(post(address, &format!("{run}/withdraw"), &[])),
            10 if !run.is_empty() => answers(address, &run),
            11 => {
                let fields =
                    [("more", "%2B1"), ("there", "1"), ("saw", "8 at left bay"), ("price", "8"), ("place", "left bay"), ("what", "keep")];
                match post(address, "/shop/rack/1", &fields) {
                    Some((303, _)) => told.lock().expect("told").put += 1,
                    Some((status, _)) => assert!(status < 500, "the rack answers {status}"),
                    None => told.lock().expect("told").maybe += 1,
                }
            }
            _ => {}
        }
    }
}

/// Goes through a run's list and starts it.
fn starts(address: &str, run: &str, told: &Mutex<Told>) {
    for item in ["material", "focus", "air", "origin", "again", "lies", "zero"] {
        let _ = post(address, &format!("{run}/tick"), &[("item", item), ("on", "on"), ("person", "Bram")]);
    }
    told.lock().expect("told").started.insert(number(run));
    let _ = post(address, &format!("{run}/start"), &[]);
}

/// Says what becomes of a run's sheet, whichever answer fits.
fn answers(address: &str, run: &str) {
    let _ = post(address, &format!("{run}/through"), &[("then", ""), ("person", "Bram")]);
    let _ = post(address, &format!("{run}/through"), &[("then", "gone"), ("person", "Bram")]);
}

/// What a controller was seen to burn and to finish, past the shop: runs by number.
async fn witness(link: Link, over: &AtomicBool) -> (BTreeSet<i32>, BTreeSet<i32>) {
    let (mut lit, mut done) = (BTreeSet::new(), BTreeSet::new());
    let mut driver = Driver::connect(&link).await.expect("the witness");
    while !over.load(Ordering::Acquire) {
        if let Ok(Status { state, beam, held: Some(held), .. }) = driver.status().await {
            if beam {
                lit.insert(held.run);
            }
            if state == State::Done {
                done.insert(held.run);
            }
        }
        tokio::time::sleep(Duration::from_millis(2)).await;
    }
    (lit, done)
}

fn copied(from: &Path, to: &Path) {
    for file in std::fs::read_dir(from).expect("the template").flatten().filter(|f| f.path().is_file()) {
        std::fs::copy(file.path(), to.join(file.file_name())).expect("copied");
    }
}

/// One sequence: kills, and then everything brought to its end.
fn sequence(seed: u64, template: &Path, job: u32) {
    let mut chance = StdRng::seed_from_u64(seed);
    let mut controller = Command::new(env!("CARGO_BIN_EXE_boustrophe"));
    let (machine, at) = started(controller.args(["controller", "lark", "--token", "beeswax", "--machine-speed", SPEED]));
    let _machine = Ended(machine);
    let link = format!("lark={at},beeswax");
    let over = AtomicBool::new(false);
    let told = Mutex::new(Told::default());
    let mut data = tempfile::tempdir().expect("a folder");
    copied(template, data.path());
    std::thread::scope(|scope| {
        let watching = scope.spawn(|| {
            let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().expect("a runtime");
            runtime.block_on(witness(Link::new(at.clone(), "beeswax"), &over))
        });
        for _ in 0..KILLS {
            let mut shop = Shop::over(data, &["--connect", &link]);
            let gone = AtomicBool::new(false);
            let life = Duration::from_millis(chance.random_range(150..900));
            let (a, b) = (StdRng::seed_from_u64(chance.random()), StdRng::seed_from_u64(chance.random()));
            std::thread::scope(|people| {
                let (address, told, gone) = (shop.address.clone(), &told, &gone);
                let other = address.clone();
                people.spawn(move || works(&address, job, told, a, gone));
                people.spawn(move || works(&other, job, told, b, gone));
                std::thread::sleep(life);
                shop.process.kill().expect("killed");
                gone.store(true, Ordering::Release);
            });
            data = std::mem::replace(&mut shop.data, tempfile::tempdir().expect("a folder"));
        }
        let shop = Shop::over(data, &["--connect", &link]);
        let states = rests(&shop, &told);
        over.store(true, Ordering::Release);
        let (lit, done) = watching.join().expect("the witness");
        judged(seed, &shop, &told.into_inner().expect("told"), &states, (&lit, &done));
    });
}

/// Brings every run to its end; how each stands then.
fn rests(shop: &Shop, told: &Mutex<Told>) -> BTreeMap<i32, String> {
    let began = Instant::now();
    loop {
        // Runs that were sent and not answered are there too, or not.
        let all: Vec<i32> = (1..60).take_while(|n| shop.get(&format!("/runs/{n}")).status == 200).collect();
        let mut states = BTreeMap::new();
        let mut open = 0;
        for n in all {
            let run = format!("/runs/{n}");
            let state = shop.get(&format!("{run}/status/none")).header("x-state");
            match state.as_str() {
                "ready" => starts(&shop.address, &run, told),
                "paused" => drop(post(&shop.address, &format!("{run}/resume"), &[])),
                "done" | "stopped" | "fault" | "lost" => answers(&shop.address, &run),
                _ => {}
            }
            open += usize::from(!matches!(state.as_str(), "done" | "stopped" | "fault" | "lost" | "withdrawn"));
            states.insert(n, state);
        }
        if open == 0 {
            return states;
        }
        assert!(began.elapsed() < Duration::from_secs(60), "there is no way on from {states:?}");
        std::thread::sleep(Duration::from_millis(60));
    }
}

fn judged(seed: u64, shop: &Shop, told: &Told, states: &BTreeMap<i32, String>, (lit, done): (&BTreeSet<i32>, &BTreeSet<i32>)) {
    for run in &told.sent {
        assert!(states.contains_key(&number(run)), "sequence {seed}: {run} was sent and answered, and is gone: {states:?}");
    }
    for run in lit {
        assert!(told.started.contains(run), "sequence {seed}: run {run} burned, and nobody started it: {states:?}");
        assert_ne!(states.get(run).map(String::as_str), Some("withdrawn"), "sequence {seed}: run {run} burned and is called withdrawn");
    }
    for (run, state) in states {
        assert!(state != "done" || done.contains(run), "sequence {seed}: run {run} is called done, and its machine has not done it");
    }
    // Every run that burned used one sheet up: it came to its end, or was given up. What was stopped before it burned may not have.
    let certain = states.keys().filter(|run| lit.contains(run)).count() as i64;
    let possible = states.values().filter(|s| *s != "withdrawn").count() as i64;
    let there = || -> i64 {
        let page = shop.get("/shop/rack").text();
        let row = page.split("data-stock=\"1\"").nth(1).and_then(|t| t.split("</tbody>").next()).unwrap_or("").to_owned();
        row.split("name=\"there\" value=\"").nth(1).and_then(|t| t.split('"').next()).and_then(|n| n.parse().ok()).unwrap_or(0)
    };
    let fits = || {
        let gone = SHEETS + told.put - there();
        (certain - told.maybe..=possible).contains(&gone)
    };
    let told_of = format!("{SHEETS} + {} − {certain} to {possible}, has {}; {states:?}", told.put, there());
    until(&format!("sequence {seed}: the rack's balance is right: {told_of}"), fits);
}

#[test]
fn whenever_it_is_killed_nothing_answered_is_lost() {
    let first = Shop::open(&[]);
    let job = nested(&first, "Plates", ("plates.svg", PLATES.as_bytes()));
    let put = [
        ("material", "birch-ply"),
        ("thickness", "3"),
        ("count", "6"),
        ("width", "600"),
        ("height", "400"),
        ("price", "8"),
        ("place", "left bay"),
    ];
    let mut form = Vec::new();
    for (k, v) in put {
        form.extend(format!("--bee\r\ncontent-disposition: form-data; name=\"{k}\"\r\n\r\n{v}\r\n").bytes());
    }
    form.extend(b"--bee--\r\n");
    let answer = first.ask("POST", "/shop/rack", &[("content-type", "multipart/form-data; boundary=bee")], &form);
    assert_eq!(answer.status, 303, "{}", answer.sentence());
    let revision = first.revision(job).to_string();
    let released = first.post(&format!("/jobs/{job}/released"), &[("revision", &revision), ("person", "Odile")]);
    assert!(released.status < 400, "{} {}", released.status, released.sentence());
    let template = tempfile::tempdir().expect("a folder");
    let mut first = first;
    first.process.kill().expect("killed");
    first.process.wait().expect("ended");
    copied(first.data.path(), template.path());
    let next = AtomicU64::new(0);
    std::thread::scope(|threads| {
        for _ in 0..AT_ONCE {
            threads.spawn(|| {
                loop {
                    let seed = next.fetch_add(1, Ordering::Relaxed);
                    if seed >= u64::from(boustrophe_house::played(SEQUENCES)) {
                        break;
                    }
                    sequence(seed, template.path(), job);
                }
            });
        }
    });
}

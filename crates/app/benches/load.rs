//! What a shop bears: bombs, a crowd on its floor, nests and a large upload beside other work. `cargo bench -p boustrophe --bench load`.

#[path = "../tests/server/bursting.rs"]
mod bursting;
#[path = "../tests/server/client.rs"]
#[allow(dead_code)]
mod client;

use client::{Shop, demo, try_ask};
use diesel::{Connection, RunQueryDsl, SqliteConnection, sql_query};
use std::process::Command;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Milliseconds of a request.
fn asked(shop: &Shop, path: &str) -> f64 {
    let began = Instant::now();
    assert_eq!(shop.get(path).status, 200, "{path}");
    began.elapsed().as_secs_f64() * 1e3
}

/// The value that a share of the times lies below.
fn share(times: &mut [f64], of: f64) -> f64 {
    times.sort_by(f64::total_cmp);
    times[((times.len() - 1) as f64 * of) as usize]
}

/// Resident memory of a process at its most, MB.
fn peak(status: &str) -> u64 {
    let line = status.lines().find(|l| l.starts_with("VmHWM"));
    line.and_then(|l| l.split_whitespace().nth(1)).and_then(|n| n.parse::<u64>().ok()).unwrap_or(0) / 1024
}

/// Memory at its most of the server and its present children together, MB.
fn family(server: u32) -> u64 {
    let parent = format!("PPid:\t{server}\n");
    let all = std::fs::read_dir("/proc").expect("proc").flatten();
    let states = all.filter_map(|e| std::fs::read_to_string(e.path().join("status")).ok());
    states.filter(|s| s.contains(&parent) || s.contains(&format!("\nPid:\t{server}\n"))).map(|s| peak(&s)).sum()
}

/// Asks for a page again and again while something else goes on; the times in ms.
fn meanwhile<T: Send>(shop: &Shop, path: &str, work: impl FnOnce() -> T + Send) -> (T, Vec<f64>, u64) {
    let over = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let asker = scope.spawn(|| {
            let (mut times, mut most) = (Vec::new(), 0);
            while !over.load(Ordering::Relaxed) || times.is_empty() {
                times.push(asked(shop, path));
                most = most.max(family(shop.process.id()));
                std::thread::sleep(Duration::from_millis(20));
            }
            (times, most)
        });
        let done = work();
        over.store(true, Ordering::Relaxed);
        let (times, most) = asker.join().expect("answers");
        (done, times, most)
    })
}

fn burst() {
    let shop = Shop::open(&[]);
    let (job, other) = (shop.job("Bombs"), shop.job("Guards"));
    assert_eq!(shop.upload(&format!("/jobs/{other}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    for (name, bytes) in bursting::bombs() {
        let began = Instant::now();
        let upload = || shop.upload(&format!("/jobs/{job}/drawings"), &[(name, &bytes)]).status;
        let (status, mut times, most) = meanwhile(&shop, &format!("/jobs/{other}/nest"), upload);
        let took = began.elapsed().as_secs_f64();
        let slowest = share(&mut times, 1.0);
        println!(
            "{name:16} {:8} bytes: {status} after {took:5.1} s, server and readers {most:5} MB, another page {slowest:4.0} ms at most",
            bytes.len()
        );
    }
}

/// A shop of 200 jobs, 40 of them the demo's number plates taken through to their programs.
fn crowd() {
    let data = tempfile::tempdir().expect("a folder");
    let demo_shop = Command::new(env!("CARGO_BIN_EXE_boustrophe"));
    let mut command = demo_shop;
    command.args(["demo", "--listen", "127.0.0.1:0", "--data"]).arg(data.path());
    let (mut process, address) = client::started(&mut command);
    for station in ["nest", "proof", "release"] {
        let answer = try_ask(&address, "GET", &format!("/jobs/3/{station}"), &[], b"").expect("an answer");
        assert_eq!(answer.status, 200);
    }
    process.kill().and_then(|()| process.wait()).expect("it ends");
    let path = std::fs::read_dir(data.path()).expect("its folder").flatten().map(|e| e.path()).find(|p| p.ends_with("shop.sqlite"));
    let path = path.expect("its database");
    let mut db = SqliteConnection::establish(path.to_str().expect("a path")).expect("opened");
    let mut run = |sql: String| sql_query(&sql).execute(&mut db).unwrap_or_else(|e| panic!("{sql}: {e}"));
    for id in 1001..1198 {
        let from = if id <= 1040 { 3 } else { 1 + id % 2 };
        run(format!(
            "INSERT INTO jobs(id, name, person, due, created_at, archived) SELECT {id}, name || ' {id}', person, due, created_at, archived FROM jobs WHERE id = {from}"
        ));
        run(format!(
            "INSERT INTO revisions(id, job_id, label, decisions, ledger, created_at, in_force) SELECT {id}000, {id}, label, decisions, ledger, created_at, in_force FROM revisions WHERE id = (SELECT head FROM jobs WHERE id = {from})"
        ));
        run(format!("UPDATE jobs SET head = {id}000 WHERE id = {id}"));
        run(format!(
            "INSERT INTO cards(job_id, revision, body, miniature) SELECT {id}, {id}000, body, miniature FROM cards WHERE job_id = {from}"
        ));
    }
    drop(db);
    let shop = Shop::over(data, &[]);
    let page = shop.get("/").text();
    assert_eq!(page.matches("class=\"job-card\"").count(), 200);
    for minute in 0..2 {
        let mut times: Vec<f64> = (0..100).map(|_| asked(&shop, "/")).collect();
        println!(
            "floor of 200 jobs, round {minute}: {:.1} ms in the middle, {:.1} ms at most",
            share(&mut times, 0.5),
            share(&mut times, 1.0)
        );
    }
    let mut times: Vec<f64> = (1001..1041).map(|id| asked(&shop, &format!("/jobs/{id}/miniature"))).collect();
    println!("its miniatures: {:.1} ms in the middle, {:.1} ms at most", share(&mut times, 0.5), share(&mut times, 1.0));
    let all = std::thread::scope(|scope| {
        let askers: Vec<_> = (0..50)
            .map(|_| {
                scope.spawn(|| {
                    let (until, mut times) = (Instant::now() + Duration::from_secs(20), Vec::new());
                    while Instant::now() < until {
                        times.push(asked(&shop, "/"));
                    }
                    times
                })
            })
            .collect();
        askers.into_iter().flat_map(|a| a.join().expect("no error")).collect::<Vec<f64>>()
    });
    let (mut all, count) = (all.clone(), all.len());
    println!(
        "50 at once for 20 s: {count} answers, no error, {:.0} ms in the middle, p99 {:.0} ms, {:.0} ms at most",
        share(&mut all, 0.5),
        share(&mut all, 0.99),
        share(&mut all, 1.0)
    );
}

/// A page of another job while two nests and an upload of 100 MB run.
fn beside() {
    let shop = Shop::open(&[]);
    let other = shop.job("Guards");
    assert_eq!(shop.upload(&format!("/jobs/{other}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    let mut times: Vec<f64> = (0..30).map(|_| asked(&shop, &format!("/jobs/{other}/nest"))).collect();
    println!("a page alone: {:.1} ms in the middle, {:.1} ms at most", share(&mut times, 0.5), share(&mut times, 1.0));
    for name in ["Excluders", "More excluders"] {
        let job = shop.job(name);
        assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("bars.dxf", &demo("frame-bars.dxf"))]).status, 204);
        let revision = shop.revision(job).to_string();
        let answer = shop.post(&format!("/jobs/{job}/search/start"), &[("revision", &revision), ("seconds", "60")]);
        println!("nest of {name}: {}", answer.status);
    }
    let mut big = b"999\n".to_vec();
    big.resize(100 << 20, b'x');
    let job = shop.job("Large");
    let upload = || {
        let first = shop.upload(&format!("/jobs/{job}/drawings"), &[("large.dxf", &big)]).status;
        std::thread::sleep(Duration::from_secs(5));
        first
    };
    let (status, mut times, _) = meanwhile(&shop, &format!("/jobs/{other}/nest"), upload);
    println!(
        "beside two nests and 100 MB ({status}): {} answers, {:.1} ms in the middle, p99 {:.0} ms, {:.1} ms at most",
        times.len(),
        share(&mut times, 0.5),
        share(&mut times, 0.99),
        share(&mut times, 1.0)
    );
}

fn main() {
    burst();
    crowd();
    beside();
}

//! Being asked to end in the midst of everything.

use crate::client::{Shop, demo, started, try_ask};
use std::io::Write;
use std::net::TcpStream;
use std::process::Command;
use std::time::{Duration, Instant};

/// A process that ends with the test.
struct Ended(std::process::Child);

impl Drop for Ended {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Waits until a page says something.
fn until(what: &str, test: impl Fn() -> bool) {
    let began = Instant::now();
    while !test() {
        assert!(began.elapsed() < Duration::from_secs(40), "waited in vain until {what}");
        std::thread::sleep(Duration::from_millis(50));
    }
}

#[test]
fn asked_to_end_it_keeps_all_and_ends_in_time() {
    let mut controller = Command::new(env!("CARGO_BIN_EXE_boustrophe"));
    let (machine, at) = started(controller.args(["controller", "lark", "--token", "beeswax", "--machine-speed", "1"]));
    let _machine = Ended(machine);
    let link = format!("lark={at},beeswax");
    let mut shop = Shop::open(&["--connect", &link]);
    let job = shop.job("Guards");
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    let edit = |job: u32, fields: &[(&str, &str)]| {
        let revision = shop.revision(job).to_string();
        let answer = shop.post(&format!("/jobs/{job}/edit"), &[&[("revision", revision.as_str()), ("station", "nest")], fields].concat());
        assert_eq!(answer.status, 200, "{fields:?}: {}", answer.sentence());
    };
    // What is to be looked at is accepted, by the page's own buttons.
    let settle = |job: u32, stations: &[&str]| {
        for station in stations {
            loop {
                let page = shop.get(&format!("/jobs/{job}/{station}")).text();
                let Some(at) = page.find("class=\"finding look\"").or(page.find("class=\"finding stop\"")) else { break };
                let edit_text = page[at..]
                    .split("name=\"edit\" value=\"")
                    .nth(1)
                    .and_then(|t| t.split('"').next())
                    .expect("a remedy")
                    .replace("&#34;", "\"")
                    .replace("&quot;", "\"");
                edit(job, &[("edit", &edit_text)]);
            }
        }
    };
    settle(job, &["intake", "clean", "assign"]);
    assert_eq!(shop.post(&format!("/jobs/{job}/search/start"), &[]).status, 204);
    until("it searches", || shop.get(&format!("/jobs/{job}/nest")).text().contains("data-searching=\"true\""));
    std::thread::sleep(Duration::from_millis(600));
    assert_eq!(shop.post(&format!("/jobs/{job}/search/stop"), &[]).status, 204);
    until("the nest is kept", || shop.get(&format!("/jobs/{job}/nest")).text().contains("data-searching=\"false\""));
    settle(job, &["hold", "proof"]);
    let sent = shop.post(&format!("/jobs/{job}/runs"), &[("sheet", "1")]);
    assert_eq!(sent.status, 303, "{}", sent.sentence());
    let run = sent.header("location");
    let state = |shop: &Shop| shop.get(&format!("{run}/status/none")).header("x-state");
    until("it is at the machine", || state(&shop) == "ready");
    // Nothing starts while the list is open.
    assert_eq!(shop.post(&format!("{run}/start"), &[]).status, 422);
    for item in ["material", "focus", "air", "origin"] {
        assert_eq!(shop.post(&format!("{run}/tick"), &[("item", item), ("on", "on"), ("person", "")]).status, 422, "who ticks is asked");
        assert_eq!(shop.post(&format!("{run}/tick"), &[("item", item), ("on", "on"), ("person", "Bram Teck")]).status, 200);
    }
    assert_eq!(shop.post(&format!("{run}/start"), &[]).status, 200);
    until("it runs", || state(&shop) == "running");

    // A nest of another job, and an upload that hangs.
    let other = shop.job("Combs");
    assert_eq!(shop.upload(&format!("/jobs/{other}/drawings"), &[("comb.svg", &demo("comb-tiles.svg"))]).status, 204);
    assert_eq!(shop.post(&format!("/jobs/{other}/search/start"), &[]).status, 204);
    until("it searches", || shop.get(&format!("/jobs/{other}/nest")).text().contains("data-searching=\"true\""));
    std::thread::sleep(Duration::from_millis(800));
    let mut hanging = TcpStream::connect(&shop.address).expect("connected");
    let head = format!(
        "POST /jobs/{job}/drawings HTTP/1.1\r\nhost: {}\r\ncontent-length: 900000\r\ncontent-type: multipart/form-data; boundary=bee\r\n\r\n--bee\r\n",
        shop.address
    );
    hanging.write_all(head.as_bytes()).expect("begun");

    let began = Instant::now();
    let killed = Command::new("kill").args(["-TERM", &shop.process.id().to_string()]).status().expect("asked");
    assert!(killed.success());
    let ended = shop.process.wait().expect("it ends");
    assert!(ended.success() && began.elapsed() < Duration::from_secs(5), "{ended} after {:?}", began.elapsed());
    assert!(try_ask(&shop.address, "GET", "/", &[], b"").is_err(), "nobody is there any more");

    // Opened again: the nest was kept, and the run, which went on at the machine, is taken back.
    let data = std::mem::replace(&mut shop.data, tempfile::tempdir().expect("a folder"));
    let shop = Shop::over(data, &["--connect", &link]);
    assert!(shop.get(&format!("/jobs/{other}/nest")).text().contains("data-has-layout=\"true\""), "the best nest so far was kept");
    until("it is heard again", || !shop.get(&format!("{run}/status/none")).text().contains("class=\"silence\""));
    assert_eq!(state(&shop), "running", "the machine went on");
    assert_eq!(shop.post(&format!("{run}/stop"), &[]).status, 200);
    until("it has stopped", || state(&shop) == "stopped");
    assert!(shop.get(&run).text().contains("pieces of work finished"));
    // Begun anew, it is said that some was burned before.
    let again = shop.post(&format!("/jobs/{job}/runs"), &[("sheet", "1")]).header("location");
    assert!(again != run && shop.get(&again).text().contains("would be burned again"));
}

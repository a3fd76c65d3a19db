//! Being asked to end in the midst of everything.

use crate::client::{Shop, demo, started, try_ask};
use crate::nested::{nested, until};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::process::Command;
use std::time::Duration;

/// A process that ends with the test.
struct Ended(std::process::Child);

impl Drop for Ended {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[test]
fn asked_to_end_it_keeps_all_and_waits_for_nobody() {
    let mut controller = Command::new(env!("CARGO_BIN_EXE_boustrophe"));
    let (machine, at) = started(controller.args(["controller", "lark", "--token", "beeswax", "--machine-speed", "1"]));
    let _machine = Ended(machine);
    let link = format!("lark={at},beeswax");
    let mut shop = Shop::open(&["--connect", &link]);
    let job = nested(&shop, "Guards", ("guard.dxf", &demo("mouse-guard.dxf")));
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
    let mut hanging = TcpStream::connect(&shop.address).expect("connected");
    let head = format!(
        "POST /jobs/{job}/drawings HTTP/1.1\r\nhost: {}\r\ncontent-length: 900000\r\ncontent-type: multipart/form-data; boundary=bee\r\n\r\n--bee\r\n",
        shop.address
    );
    hanging.write_all(head.as_bytes()).expect("begun");

    let killed = Command::new("kill").args(["-TERM", &shop.process.id().to_string()]).status().expect("asked");
    assert!(killed.success());
    let ended = shop.process.wait().expect("it ends");
    assert!(ended.success(), "{ended}");
    // It has not waited for the upload: that one was cut off unanswered.
    hanging.set_read_timeout(Some(Duration::from_secs(60))).expect("a limit");
    let mut answer = Vec::new();
    let _ = hanging.read_to_end(&mut answer);
    assert!(!answer.starts_with(b"HTTP/1.1 20"), "{}", String::from_utf8_lossy(&answer));
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

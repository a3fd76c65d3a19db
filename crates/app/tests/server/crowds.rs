//! Many at once: the floor with many jobs, half-open connections, strangers under other names.

use crate::client::{Shop, ask, demo};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::Duration;

#[test]
fn the_floor_answers_a_crowd_from_what_is_stored() {
    let shop = Shop::open(&[]);
    let first = shop.job("Guards 0");
    assert_eq!(shop.upload(&format!("/jobs/{first}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    for i in 1..200 {
        shop.job(&format!("Guards {i}"));
    }
    let page = shop.get("/");
    assert!(page.status == 200 && page.text().matches("class=\"job-card\"").count() == 200);
    assert!(page.text().contains("21 parts") || page.text().contains("parts, not nested yet"), "the stored figures are shown");
    let answered: usize = std::thread::scope(|scope| {
        let asker = || (0..6).filter(|_| shop.get("/").text().matches("class=\"job-card\"").count() == 200).count();
        let askers: Vec<_> = (0..50).map(|_| scope.spawn(asker)).collect();
        askers.into_iter().map(|a| a.join().expect("answers")).sum()
    });
    assert_eq!(answered, 300, "every one of them is answered with the whole floor");
}

#[test]
fn half_open_connections_lock_nobody_out() {
    let shop = Shop::open(&[]);
    let half: Vec<TcpStream> = (0..1100)
        .map_while(|i| {
            let mut s = TcpStream::connect(&shop.address).ok()?;
            // Some say nothing, some half a head, some a head without its body.
            let said: &[u8] = match i % 3 {
                0 => b"",
                1 => b"GET / HT",
                _ => b"POST /jobs HTTP/1.1\r\nhost: localhost\r\ncontent-length: 100000\r\n\r\nname=",
            };
            s.write_all(said).ok()?;
            Some(s)
        })
        .collect();
    assert!(half.len() > 900, "{} connections", half.len());
    assert_eq!(shop.get("/").status, 200, "others are served meanwhile");
    // And they are let go in time.
    let mut last = &half[1];
    last.set_read_timeout(Some(Duration::from_secs(90))).expect("a limit");
    let mut answer = Vec::new();
    assert!(last.read_to_end(&mut answer).is_ok(), "the connection is ended by the shop");
}

#[test]
fn strangers_and_other_sites_change_nothing() {
    let shop = Shop::open(&["--host", "shop.lan"]);
    let form = [("content-type", "application/x-www-form-urlencoded")];
    let post = |headers: &[(&str, &str)]| ask(&shop.address, "POST", "/jobs", &[&form[..], headers].concat(), b"name=Rebound").status;
    let port = shop.address.rsplit(':').next().expect("a port").to_owned();
    let (evil, own) = (format!("evil.example:{port}"), format!("http://localhost:{port}"));
    for headers in [
        &[("host", evil.as_str()), ("origin", &format!("http://{evil}"))][..],
        &[("host", "evil.example")],
        &[("origin", "http://evil.example")],
        &[("origin", "null")],
        &[("sec-fetch-site", "cross-site")],
        &[("sec-fetch-site", "same-site"), ("origin", &own)],
    ] {
        assert_eq!(post(headers), 403, "{headers:?}");
    }
    assert_eq!(ask(&shop.address, "GET", "/", &[("host", "evil.example")], b"").status, 403);
    assert!(!shop.get("/").text().contains("Rebound"));
    for headers in
        [&[][..], &[("origin", own.as_str()), ("sec-fetch-site", "same-origin")], &[("host", "shop.lan"), ("origin", "https://shop.lan")]]
    {
        assert_eq!(post(headers), 303, "{headers:?}");
    }
}

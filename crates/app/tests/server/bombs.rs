//! Files made to burst a reader: each is answered in a sentence and within bounds, and other pages are answered meanwhile.

use crate::bursting::bombs;
use crate::client::{Shop, demo};
use std::io::Write;
use std::time::{Duration, Instant};

#[test]
fn bombs_are_answered_and_nobody_else_waits_for_them() {
    // What would take for ever is given three seconds instead of twelve: the bound is the same one.
    let shop = Shop::open(&["--reading-seconds", "3"]);
    let (job, other) = (shop.job("Bombs"), shop.job("Guards"));
    assert_eq!(shop.upload(&format!("/jobs/{other}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    let mut meanwhile = 0;
    for (name, bytes) in bombs() {
        meanwhile += std::thread::scope(|scope| {
            let up = scope.spawn(|| shop.upload(&format!("/jobs/{job}/drawings"), &[(name, &bytes)]));
            let mut answered = 0;
            while !up.is_finished() {
                assert_eq!(shop.get(&format!("/jobs/{other}/nest")).status, 200);
                answered += usize::from(!up.is_finished());
                std::thread::sleep(Duration::from_millis(50));
            }
            let answer = up.join().expect("an answer");
            // Either it could be read after all, or the sentence says which file and what.
            assert!(
                answer.status == 204 || answer.status == 422 && answer.sentence().contains(name),
                "{name}: {} {}",
                answer.status,
                answer.sentence()
            );
            answered
        });
    }
    assert!(meanwhile > 5, "{meanwhile} pages were answered while bombs were read");
    assert!(shop.memory() < 1500, "the server took {} MB", shop.memory());
    assert_eq!(shop.get("/health").status, 200);
}

/// Whoever leaves ends the reading that was done for them.
#[test]
fn a_reader_ends_with_whoever_asked() {
    use std::net::TcpStream;
    let shop = Shop::open(&[]);
    let job = shop.job("Bombs");
    let (_, bytes) = bombs().into_iter().find(|b| b.0 == "styles.svg").expect("it");
    let mut stream = TcpStream::connect(&shop.address).expect("connected");
    let mut body = b"--bee\r\ncontent-disposition: form-data; name=\"file\"; filename=\"a.svg\"\r\n\r\n".to_vec();
    body.extend(&bytes);
    body.extend(b"\r\n--bee--\r\n");
    let head = format!(
        "POST /jobs/{job}/drawings HTTP/1.1\r\nhost: {}\r\ncontent-length: {}\r\ncontent-type: multipart/form-data; boundary=bee\r\n\r\n",
        shop.address,
        body.len()
    );
    stream.write_all(head.as_bytes()).and_then(|()| stream.write_all(&body)).expect("sent");
    let children = || {
        let all = std::fs::read_dir("/proc").expect("proc").flatten();
        let parent = format!("PPid:\t{}\n", shop.process.id());
        all.filter(|e| std::fs::read_to_string(e.path().join("status")).is_ok_and(|s| s.contains(&parent))).count()
    };
    let until = |n: usize| {
        let began = Instant::now();
        while children() != n {
            assert!(began.elapsed() < Duration::from_secs(60), "{} readers, not {n}", children());
            std::thread::sleep(Duration::from_millis(20));
        }
    };
    until(1);
    drop(stream);
    until(0);
}

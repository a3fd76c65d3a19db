//! Files made to burst a reader: each is answered in a sentence, in time and within bounds, and other pages go on meanwhile.

use crate::client::{Shop, demo};
use flate2::Compression;
use flate2::write::ZlibEncoder;
use std::fmt::Write as _;
use std::io::Write;
use std::time::{Duration, Instant};

fn deflated(bytes: &[u8]) -> Vec<u8> {
    let mut z = ZlibEncoder::new(Vec::new(), Compression::best());
    z.write_all(bytes).expect("packed");
    z.finish().expect("packed")
}

/// So many MB of blanks, packed.
fn blanks(megabytes: usize) -> Vec<u8> {
    let mut z = ZlibEncoder::new(Vec::new(), Compression::best());
    (0..megabytes).for_each(|_| z.write_all(&[b' '; 1 << 20]).expect("packed"));
    z.finish().expect("packed")
}

fn pdf(objects: &[Vec<u8>]) -> Vec<u8> {
    let mut out = b"%PDF-1.7\n".to_vec();
    let mut offsets = Vec::new();
    for (i, o) in objects.iter().enumerate() {
        offsets.push(out.len());
        out.extend(format!("{} 0 obj\n", i + 1).bytes());
        out.extend_from_slice(o);
        out.extend(b"\nendobj\n");
    }
    let at = out.len();
    out.extend(format!("xref\n0 {}\n0000000000 65535 f \n", objects.len() + 1).bytes());
    offsets.iter().for_each(|o| out.extend(format!("{o:010} 00000 n \n").bytes()));
    out.extend(format!("trailer\n<</Size {}/Root 1 0 R>>\nstartxref\n{at}\n%%EOF\n", objects.len() + 1).bytes());
    out
}

fn stream(data: &[u8], more: &str) -> Vec<u8> {
    let mut out = format!("<<{more}/Length {}>>\nstream\n", data.len()).into_bytes();
    out.extend_from_slice(data);
    out.extend(b"\nendstream");
    out
}

fn page(more: &str, rest: Vec<Vec<u8>>) -> Vec<u8> {
    let mut objects = vec![
        b"<</Type/Catalog/Pages 2 0 R>>".to_vec(),
        b"<</Type/Pages/Kids[3 0 R]/Count 1>>".to_vec(),
        format!("<</Type/Page/Parent 2 0 R/MediaBox[0 0 100 100]/Contents 4 0 R{more}>>").into_bytes(),
    ];
    objects.extend(rest);
    pdf(&objects)
}

fn bombs() -> Vec<(&'static str, Vec<u8>)> {
    let nested = deflated(&deflated(&blanks(3000)));
    let forms: Vec<Vec<u8>> = (0..9)
        .map(|i| {
            let next = if i < 8 { format!("/Resources<</XObject<</F {} 0 R>>>>", 6 + i) } else { String::new() };
            let work = if i < 8 { "/F Do ".repeat(10) } else { "0 0 m 10 10 l S ".repeat(10) };
            stream(work.as_bytes(), &format!("/Type/XObject/Subtype/Form/BBox[0 0 100 100]{next}"))
        })
        .collect();
    let mut entities = format!("<!DOCTYPE s [<!ENTITY a \"{}\">", "x".repeat(1000));
    for (name, of) in [("b", "a"), ("c", "b"), ("d", "c"), ("e", "d")] {
        let _ = write!(entities, "<!ENTITY {name} \"{}\">", format!("&{of};").repeat(8));
    }
    let styled: String = (0..3000).map(|i| format!("<path class=\"c{i}\" d=\"M{} 0v9\"/>", i % 90)).collect();
    let sheet: String = (0..40_000).map(|i| format!(".a{i} .b{i} path{{stroke:#{i:06x}}}")).collect();
    let path: String = (0..300_000_u64).map(|i| format!("L{} {}", i % 997, (i * 7919) % 991)).collect();
    let equal: String = (0..400_000).map(|_| "0\nLINE\n8\n0\n10\n0\n20\n0\n11\n100\n21\n50\n").collect();
    let svg = |body: &str| {
        format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"100mm\" height=\"100mm\" viewBox=\"0 0 1000 1000\">{body}</svg>")
            .into_bytes()
    };
    vec![
        ("filters.pdf", page("", vec![stream(&nested, "/Filter[/FlateDecode/FlateDecode/FlateDecode]")])),
        ("one-filter.pdf", page("", vec![stream(&blanks(3000), "/Filter/FlateDecode")])),
        (
            "picture.pdf",
            page(
                "/Resources<</XObject<</I 5 0 R>>>>",
                vec![
                    stream(b"q 100 0 0 100 0 0 cm /I Do Q", ""),
                    stream(
                        &blanks(300),
                        "/Type/XObject/Subtype/Image/Width 20000/Height 15000/ColorSpace/DeviceGray/BitsPerComponent 8/Filter/FlateDecode",
                    ),
                ],
            ),
        ),
        ("forms.pdf", page("/Resources<</XObject<</F 5 0 R>>>>", [vec![stream(b"/F Do", "")], forms].concat())),
        ("entities.svg", [entities.into_bytes(), b"]>".to_vec(), svg("<path style=\"stroke:&e;\" d=\"M0 0h1\"/>")].concat()),
        ("styles.svg", svg(&format!("<style>{sheet}</style><g class=\"a1\"><g class=\"b1\">{styled}</g></g>"))),
        ("segments.svg", svg(&format!("<path fill=\"none\" stroke=\"red\" d=\"M0 0{path}\"/>"))),
        ("equal.dxf", format!("0\nSECTION\n2\nENTITIES\n{equal}0\nENDSEC\n0\nEOF\n").into_bytes()),
    ]
}

#[test]
fn bombs_are_answered_in_time_and_nobody_else_notices() {
    let shop = Shop::open(&[]);
    let (job, other) = (shop.job("Bombs"), shop.job("Guards"));
    assert_eq!(shop.upload(&format!("/jobs/{other}/drawings"), &[("guard.dxf", &demo("mouse-guard.dxf"))]).status, 204);
    for (name, bytes) in bombs() {
        let began = Instant::now();
        let slowest = std::thread::scope(|scope| {
            let up = scope.spawn(|| shop.upload(&format!("/jobs/{job}/drawings"), &[(name, &bytes)]));
            let mut slowest = Duration::ZERO;
            while !up.is_finished() {
                let asked = Instant::now();
                assert_eq!(shop.get(&format!("/jobs/{other}/nest")).status, 200);
                slowest = slowest.max(asked.elapsed());
                std::thread::sleep(Duration::from_millis(50));
            }
            let answer = up.join().expect("an answer");
            // Either it could be read after all, or the sentence says which file and what.
            assert!(
                answer.status == 204 || answer.status == 422 && answer.sentence().to_lowercase().contains(name),
                "{name}: {} {}",
                answer.status,
                answer.sentence()
            );
            slowest
        });
        assert!(began.elapsed() < Duration::from_secs(60), "{name} took {:?}", began.elapsed());
        assert!(slowest < Duration::from_secs(5), "{name}: another page waited {slowest:?}");
    }
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
            assert!(began.elapsed() < Duration::from_secs(8), "{} readers, not {n}", children());
            std::thread::sleep(Duration::from_millis(20));
        }
    };
    until(1);
    drop(stream);
    until(0);
}

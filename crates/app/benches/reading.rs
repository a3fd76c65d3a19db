//! What whole commands take, in processor seconds: large drawings read and checked, prepared, nested in the time they were given.
//! `cargo bench -p boustrophe --bench reading`.

use std::fmt::Write;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

const HEAD: &str = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";

fn written(folder: &Path, name: &str, text: &str) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, text).expect("written");
    path
}

/// Squares of single lines, so many in all.
fn lines(folder: &Path, count: usize) -> PathBuf {
    let mut text = HEAD.to_owned();
    let side = (count as f64 / 4.0).sqrt().ceil() as usize;
    for i in 0..count / 4 {
        let (x, y) = ((i % side) as f64, (i / side) as f64);
        let corners = [(x, y), (x + 0.8, y), (x + 0.8, y + 0.8), (x, y + 0.8)];
        for k in 0..4 {
            let (a, b) = (corners[k], corners[(k + 1) % 4]);
            let _ = write!(text, "0\nLINE\n8\n0\n10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a.0, a.1, b.0, b.1);
        }
    }
    written(folder, &format!("lines-{count}.dxf"), &(text + "0\nENDSEC\n0\nEOF\n"))
}

/// Circles in a plate, or each for itself.
fn circles(folder: &Path, count: usize, in_a_plate: bool) -> PathBuf {
    let mut text = HEAD.to_owned();
    let side = (count as f64).sqrt().ceil() as usize;
    if in_a_plate {
        let size = side as f64 * 8.0 + 8.0;
        let _ =
            write!(text, "0\nLWPOLYLINE\n8\n0\n90\n4\n70\n1\n10\n0\n20\n0\n10\n{size}\n20\n0\n10\n{size}\n20\n{size}\n10\n0\n20\n{size}\n");
    }
    for i in 0..count {
        let (x, y) = ((i % side) as f64 * 8.0 + 8.0, (i / side) as f64 * 8.0 + 8.0);
        let _ = write!(text, "0\nCIRCLE\n8\n0\n10\n{x}\n20\n{y}\n40\n{}\n", if in_a_plate { 1.5 } else { 3.0 });
    }
    written(folder, &format!("circles-{count}-{in_a_plate}.dxf"), &(text + "0\nENDSEC\n0\nEOF\n"))
}

/// A PDF of so many curves, about 30 bytes each.
fn curves(folder: &Path, count: usize) -> PathBuf {
    let mut work = String::from("0.1 w 1 0 0 RG\n");
    for i in 0..count {
        let (x, y) = ((i % 500) as f64 * 2.0, (i / 500) as f64 * 0.5 % 2000.0);
        let _ = writeln!(work, "{x} {y} m {} {y} {} {} {} {} c S", x + 0.5, x + 1.0, y + 0.5, x + 1.5, y + 0.2);
    }
    let mut out = b"%PDF-1.4\n".to_vec();
    let objects = [
        "<</Type/Catalog/Pages 2 0 R>>".to_owned(),
        "<</Type/Pages/Kids[3 0 R]/Count 1>>".to_owned(),
        "<</Type/Page/Parent 2 0 R/MediaBox[0 0 1010 2010]/Contents 4 0 R>>".to_owned(),
        format!("<</Length {}>>\nstream\n{work}\nendstream", work.len()),
    ];
    let mut at = Vec::new();
    for (i, object) in objects.iter().enumerate() {
        at.push(out.len());
        out.extend(format!("{} 0 obj\n{object}\nendobj\n", i + 1).bytes());
    }
    let table = out.len();
    out.extend(format!("xref\n0 {}\n0000000000 65535 f \n", at.len() + 1).bytes());
    at.iter().for_each(|o| out.extend(format!("{o:010} 00000 n \n").bytes()));
    out.extend(format!("trailer\n<</Size {}/Root 1 0 R>>\nstartxref\n{table}\n%%EOF\n", at.len() + 1).bytes());
    let path = folder.join(format!("curves-{count}.pdf"));
    std::fs::write(&path, out).expect("written");
    path
}

/// Seconds of the processor that children have taken so far, user and system.
fn spent() -> f64 {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    let fields: Vec<f64> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().filter_map(|f| f.parse().ok()).collect();
    // Of the fields behind the name the state is no figure: cutime and cstime are the 13th and 14th of the others, in hundredths.
    fields.get(12).zip(fields.get(13)).map_or(0.0, |(a, b)| (a + b) / 100.0)
}

fn run(what: &str, arguments: &[&str]) {
    let (before, began) = (spent(), Instant::now());
    let done = Command::new(env!("CARGO_BIN_EXE_boustrophe")).args(arguments).output().expect("it runs");
    let (clock, processor) = (began.elapsed().as_secs_f64(), spent() - before);
    let end = if done.status.success() { String::new() } else { format!(", ended with {}", done.status.code().unwrap_or(-1)) };
    println!("{what:60} {processor:7.1} processor s, {clock:6.1} s{end}");
}

fn main() {
    let folder = tempfile::tempdir().expect("a folder");
    let here = folder.path();
    let text = |p: &Path| p.to_string_lossy().into_owned();
    for count in [100_000, 1_000_000] {
        run(&format!("check of {count} lines"), &["check", &text(&lines(here, count))]);
    }
    run("check of a PDF of 18 MB of curves", &["check", &text(&curves(here, 420_000))]);
    let out = text(&here.join("out"));
    let prep =
        |what: &str, file: &Path, seconds: &str| run(what, &["prep", &text(file), "--out", &out, "--nest-seconds", seconds, "--accept"]);
    prep("prep of 5,000 contours, a second to nest", &circles(here, 5000, false), "1");
    prep("prep of a plate with 2,000 holes, a second to nest", &circles(here, 2000, true), "1");
}

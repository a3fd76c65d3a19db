//! What Nest cannot do is said in a sentence, and nothing is lost by it.

use crate::{dxf, prep};
use std::process::{Command, Stdio};

fn plate(folder: &std::path::Path, name: &str, (w, h): (u32, u32)) -> std::path::PathBuf {
    dxf(folder, name, &format!("0 LWPOLYLINE 8 0 90 4 70 1 10 0 20 0 10 {w} 20 0 10 {w} 20 {h} 10 0 20 {h}"))
}

#[test]
fn sheets_distances_and_numbers_that_will_not_do() {
    let folder = tempfile::tempdir().expect("a folder");
    let small = plate(folder.path(), "small.dxf", (60, 40));
    let large = plate(folder.path(), "large.dxf", (900, 80));
    // Exit 1 with the finding in the report; or exit 2 with one line.
    for (file, options, code, told) in [
        (&large, "--sheet 600x400", 1, "part-too-large"),
        (&small, "--sheet 600x400 --margin 200", 1, "part-too-large"),
        (&small, "--sheet 1@100x100 --quantity 40", 1, "unplaced"),
        (&small, "--sheet 600x400 --quantity 3 --spacing 500", 0, ""),
        (&small, "--sheet 600x400 --spacing 900", 2, "--spacing"),
        (&small, "--sheet 600x400 --margin 900", 2, "--margin"),
        (&small, "--sheet 0x400", 2, "--sheet"),
        (&small, "--quantity 0", 2, "--quantity"),
        (&small, "--quantity 100000", 2, "--quantity"),
        (&small, "--nest-seconds -1", 2, "--nest-seconds"),
        (&small, "--sheet 600x400 --nest-seconds 0", 0, ""),
        (&small, "--grain sideways", 2, "--grain"),
        (&small, "--strategy whim", 2, "--strategy"),
        (&small, "--strategy spread:nan", 2, "--strategy"),
        (&small, "--aim luck", 2, "--aim"),
        (&small, "--strategy corner:upper-right --nick-every 40 --nick-width 0.6 --aim rows", 0, ""),
    ] {
        let run = prep(std::slice::from_ref(file), &format!("--nest-seconds 0.4 {options} --accept"));
        assert_eq!(run.code(), Some(code), "{options}: {}", run.said());
        match code {
            1 => {
                let report = run.report();
                let codes: Vec<&str> = report["findings"].as_array().expect("findings").iter().filter_map(|f| f["code"].as_str()).collect();
                assert!(codes.contains(&told) && run.programs() == 0, "{options}: {codes:?}");
            }
            2 => assert!(run.said().contains(told) && run.said().trim().lines().count() == 1, "{options}: {}", run.said()),
            _ => assert!(run.programs() > 0, "{options}"),
        }
    }
}

#[test]
fn offcuts_that_are_none_are_named() {
    let folder = tempfile::tempdir().expect("a folder");
    let small = plate(folder.path(), "small.dxf", (60, 40));
    let open = dxf(folder.path(), "open.dxf", "0 LWPOLYLINE 8 0 90 4 70 0 10 0 20 0 10 300 20 0 10 300 20 200 10 0 20 200");
    let bow = dxf(folder.path(), "bow.dxf", "0 LWPOLYLINE 8 0 90 4 70 1 10 0 20 0 10 300 20 200 10 300 20 0 10 0 20 180");
    for (offcut, told) in [(&open, "closed outline"), (&bow, "crosses itself")] {
        let run = prep(std::slice::from_ref(&small), &format!("--offcut {}", offcut.display()));
        assert_eq!(run.code(), Some(2), "{}", run.said());
        assert!(run.said().contains(told) && run.said().contains("--offcut"), "{}", run.said());
    }
}

/// Whoever reads no further, as `head` does, ends the command quietly.
#[test]
fn a_pipe_that_is_shut_ends_it_quietly() {
    for words in [&["check", "--json"][..], &["check"], &["--help"]] {
        let mut child = Command::new(env!("CARGO_BIN_EXE_boustrophe"))
            .args(words)
            .args(if words.contains(&"check") { vec![crate::demo("queen-excluder.dxf")] } else { Vec::new() })
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("it runs");
        drop(child.stdout.take());
        let output = child.wait_with_output().expect("it ends");
        let said = String::from_utf8_lossy(&output.stderr);
        assert!(!said.contains("panicked") && output.status.code() != Some(101), "{words:?}: {:?}, {said}", output.status);
    }
}

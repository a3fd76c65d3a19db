//! `prove`: the program that was written does the work; whatever is changed in it is told, with its line.

use super::{Run, boustrophe, dxf, prep};
use serde_json::Value;

/// A plate with a hole and a scored line, on the torch.
fn plate() -> Run {
    let folder = tempfile::tempdir().expect("a folder");
    let entities = "0 LWPOLYLINE 8 CUT 90 4 70 1 10 0 20 0 10 120 20 0 10 120 20 80 10 0 20 80 \
         0 CIRCLE 8 CUT 10 60 20 40 40 15 0 LINE 8 SCORE 10 15 20 15 11 45 21 15";
    let file = dxf(folder.path(), "plate.dxf", entities);
    prep(&[file], "--units mm --machine anvil --thickness 6 --sheet 300x200 --nest-seconds 0 --accept")
}

fn prove(run: &Run, program: &str, more: &[&str]) -> std::process::Output {
    let file = run.out.path().join("changed.nc");
    std::fs::write(&file, program).expect("written");
    let folder = run.out.path().to_string_lossy().into_owned();
    let file = file.to_string_lossy().into_owned();
    boustrophe(&[&["prove", &file, "--job", &folder], more].concat())
}

/// Numbers of the lines that begin so, from 0.
fn at(lines: &[String], begin: &str) -> Vec<usize> {
    (0..lines.len()).filter(|i| lines[*i].starts_with(begin)).collect()
}

/// Every word of a letter, changed.
fn words(lines: &[String], letter: char, change: impl Fn(f64) -> f64) -> Vec<String> {
    let word = |w: &str| match w.strip_prefix(letter).and_then(|n| n.parse::<f64>().ok()) {
        Some(v) => format!("{letter}{:.4}", change(v)),
        None => w.to_owned(),
    };
    lines.iter().map(|l| if l.starts_with('(') { l.clone() } else { l.split(' ').map(word).collect::<Vec<_>>().join(" ") }).collect()
}

#[test]
#[allow(clippy::too_many_lines)]
fn forty_kinds_of_sabotage_are_told() {
    let run = plate();
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let text = run.file("sheet-01.nc");
    let good = prove(&run, &text, &[]);
    assert_eq!(good.status.code(), Some(0), "{}{}", String::from_utf8_lossy(&good.stdout), String::from_utf8_lossy(&good.stderr));
    let lines: Vec<String> = text.lines().map(str::to_owned).collect();
    let with = |change: &dyn Fn(&mut Vec<String>)| {
        let mut all = lines.clone();
        change(&mut all);
        all
    };
    let nth = |begin: &str, n: usize| at(&lines, begin)[n];
    let last = |begin: &str| *at(&lines, begin).last().expect("one");
    let replaced = |i: usize, from: &str, to: &str| {
        with(&|l| {
            assert!(l[i].contains(from), "{} has no {from}", l[i]);
            l[i] = l[i].replacen(from, to, 1);
        })
    };
    // The blocks: from one remark to the next.
    let remarks: Vec<usize> =
        at(&lines, "(").into_iter().filter(|i| lines[*i].ends_with("Cut)") || lines[*i].ends_with("Score)")).collect();
    let (score, hole, outline) = (remarks[0], remarks[1], remarks[2]);
    let end = nth("M9", 0).max(last("M5") + 1);
    let cut_g1 = |from: usize| {
        at(&lines, "G").into_iter().find(|i| *i > from && !lines[*i].starts_with("G0") && !lines[*i].starts_with("G4")).expect("a move")
    };
    let lit = |from: usize| at(&lines, "M3").into_iter().find(|i| *i > from).expect("it is lit");
    let out = |from: usize| at(&lines, "M5").into_iter().find(|i| *i > from).expect("it is put out");
    let last_move = (0..out(outline))
        .rev()
        .find(|i| lines[*i].starts_with("G1 ") || lines[*i].starts_with("G2 ") || lines[*i].starts_with("G3 "))
        .expect("a move");
    let f_line = (0..lines.len()).find(|i| *i > hole && lines[*i].contains(" F")).expect("a feed");
    let feed = lines[f_line].split(" F").nth(1).expect("a feed").to_owned();
    let power = lines[lit(hole)].split(" S").nth(1).expect("a power").to_owned();
    let arcs: Vec<usize> = (0..lines.len()).filter(|i| lines[*i].starts_with("G2 X") || lines[*i].starts_with("G3 X")).collect();
    let other_way = |i: usize| if lines[i].starts_with("G2") { replaced(i, "G2", "G3") } else { replaced(i, "G3", "G2") };
    let sabotage: Vec<(&str, Vec<String>)> = vec![
        ("a move is missing", with(&|l| drop(l.remove(cut_g1(outline) + 1)))),
        ("the last move is missing", with(&|l| drop(l.remove(last_move)))),
        ("an arc goes the other way", other_way(arcs[0])),
        ("the last arc goes the other way", other_way(arcs[arcs.len() - 1])),
        (
            "a move ends elsewhere in x",
            with(&|l| l[cut_g1(outline) + 1] = words(&l[cut_g1(outline) + 1..=cut_g1(outline) + 1], 'X', |v| v + 1.0).remove(0)),
        ),
        (
            "a move ends elsewhere in y",
            with(&|l| l[cut_g1(outline) + 1] = words(&l[cut_g1(outline) + 1..=cut_g1(outline) + 1], 'Y', |v| v - 0.5).remove(0)),
        ),
        ("an arc's centre lies elsewhere", with(&|l| l[arcs[1]] = words(&l[arcs[1]..=arcs[1]], 'I', |v| v + 0.5).remove(0))),
        ("half the feed", replaced(f_line, &feed, &format!("{}", feed.parse::<f64>().expect("a number") / 2.0))),
        ("faster than it can", replaced(f_line, &feed, "90000")),
        ("half the power", replaced(lit(hole), &power, &format!("{}", power.parse::<f64>().expect("a number") / 2.0))),
        ("ten times the power", replaced(lit(hole), &power, &format!("{power}0"))),
        ("no power", replaced(lit(outline), &power, "0")),
        ("never lit", with(&|l| drop(l.remove(lit(hole))))),
        ("left lit", with(&|l| drop(l.remove(out(hole))))),
        ("never put out", lines.iter().filter(|l| !l.starts_with("M5")).cloned().collect()),
        ("no wait at the pierce", with(&|l| drop(l.remove(lit(hole) + 1)))),
        (
            "twice the wait at the pierce",
            with(&|l| {
                let wait = l[lit(hole) + 1].clone();
                l.insert(lit(hole) + 1, wait);
            }),
        ),
        ("it stands in the middle of a cut", with(&|l| l.insert(cut_g1(outline) + 2, "G4 P0.4".into()))),
        ("no air", lines.iter().filter(|l| !l.starts_with("M8")).cloned().collect()),
        ("the air stays on", lines.iter().filter(|l| !l.starts_with("M9")).cloned().collect()),
        ("no end", with(&|l| drop(l.pop()))),
        ("something behind the end", with(&|l| l.push("G0 X5 Y5".into()))),
        ("inches", replaced(nth("G21", 0), "G21", "G20")),
        ("steps instead of positions", replaced(nth("G21", 0), "G90", "G91")),
        ("nothing is said of the state", with(&|l| drop(l.remove(nth("G21", 0))))),
        (
            "the hole twice",
            with(&|l| {
                let block = l[hole..outline].to_vec();
                let _ = l.splice(outline..outline, block);
            }),
        ),
        ("the hole is missing", with(&|l| drop(l.drain(hole..outline)))),
        (
            "the outline first",
            with(&|l| {
                let block: Vec<String> = l.drain(hole..outline).collect();
                let at = end - (outline - hole);
                let _ = l.splice(at..at, block);
            }),
        ),
        ("the score is missing", with(&|l| drop(l.drain(score..hole)))),
        (
            "a line through the part",
            with(&|l| {
                let _ = l.splice(outline..outline, ["G0 X60 Y40", "M3 S650", "G4 P1.6", "G1 X90 Y60", "M5"].map(str::to_owned));
            }),
        ),
        ("off the bed", with(&|l| l.insert(outline, "G0 X1600 Y20".into()))),
        (
            "a rapid while lit",
            with(&|l| {
                l[cut_g1(outline) + 1] = l[cut_g1(outline) + 1].replacen("G1", "G0", 1).replacen("G2", "G0", 1).replacen("G3", "G0", 1);
            }),
        ),
        ("a word that nobody knows", with(&|l| l.insert(outline, "M77".into()))),
        ("cut off", lines[..outline + 4].to_vec()),
        (
            "cut off, with an end",
            with(&|l| {
                l.truncate(outline + 4);
                l.extend(["M5".into(), "M2".into()]);
            }),
        ),
        ("another tool", with(&|l| l.insert(hole, "T1 M6".into()))),
        ("all of it a millimetre aside", words(&lines, 'X', |v| if v == 0.0 { v } else { v + 1.0 })),
        (
            "all of it larger by one in a hundred",
            words(&words(&words(&words(&lines, 'X', |v| v * 1.01), 'Y', |v| v * 1.01), 'I', |v| v * 1.01), 'J', |v| v * 1.01),
        ),
        ("mirrored", words(&lines, 'Y', |v| 200.0 - v)),
        ("a number that is none", with(&|l| l[cut_g1(outline)].push_str(" X1.2.3"))),
        ("the score as strong as a cut", with(&|l| l[lit(score)] = l[lit(hole)].clone())),
        ("nothing at all", Vec::new()),
    ];
    assert!(sabotage.len() >= 40);
    for (what, changed) in sabotage {
        assert_ne!(changed, lines, "{what}: nothing is changed");
        let output = prove(&run, &(changed.join("\n") + "\n"), &[]);
        let (out, said) = (String::from_utf8_lossy(&output.stdout).into_owned(), String::from_utf8_lossy(&output.stderr).into_owned());
        match output.status.code() {
            Some(1) => assert!(
                out.lines()
                    .all(|l| l.split_once(": ").is_some_and(|(n, text)| n.parse::<usize>().is_ok_and(|n| n > 0) && text.ends_with('.'))),
                "{what}: {out}"
            ),
            Some(2) => assert!(said.lines().count() == 1 && said.contains("line "), "{what}: {said}"),
            code => panic!("{what}: {code:?} {out}{said}"),
        }
    }
    // The line that is told is the one that was changed.
    let slow = replaced(f_line, &feed, "100");
    let output = prove(&run, &(slow.join("\n") + "\n"), &["--json"]);
    let told: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let first = &told["differences"][0];
    assert_eq!((first["code"].as_str(), first["line"].as_u64()), (Some("wrong-feed"), Some(f_line as u64 + 1)), "{told}");
    assert!(first["x"].is_f64() && first["y"].is_f64() && first["text"].as_str().is_some_and(|t| t.contains("feed")));
}

#[test]
fn what_prove_cannot_use_is_refused_in_a_sentence() {
    let run = plate();
    let folder = run.out.path().to_string_lossy().into_owned();
    let program = run.out.path().join("sheet-01.nc").to_string_lossy().into_owned();
    let empty = tempfile::tempdir().expect("a folder");
    let nothing = empty.path().to_string_lossy().into_owned();
    for (words, says) in [
        (vec!["prove"], "needs a program"),
        (vec!["prove", &program], "--job"),
        (vec!["prove", &program, "--job", &nothing], "boustrophe prep"),
        (vec!["prove", "/nowhere.nc", "--job", &folder], "/nowhere.nc"),
        (vec!["prove", &program, "--job", &folder, "--sheet", "9"], "has 1"),
        (vec!["prove", &program, "--job", &folder, "--sheet", "x"], "--sheet"),
    ] {
        let output = boustrophe(&words);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(output.status.code() == Some(2) && said.lines().count() == 1 && said.contains(says), "{words:?}: {said}");
    }
    std::fs::write(run.out.path().join("job.json"), "{}").expect("written");
    let output = boustrophe(&["prove", &program, "--job", &folder]);
    assert!(output.status.code() == Some(2) && String::from_utf8_lossy(&output.stderr).contains("is no job"));
}

#[test]
fn a_dialect_paper_and_setup_sheets_are_written_when_asked_for() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = dxf(folder.path(), "plate.dxf", "0 CIRCLE 8 CUT 10 60 20 60 40 40");
    let run =
        prep(std::slice::from_ref(&file), "--units mm --sheet 300x200 --nest-seconds 0 --accept --dialect chords --paper letter --setup");
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let text = run.file("sheet-01.nc");
    assert!(text.contains("G20 G90") && text.starts_with("N10 G40") && !text.contains("G2 "), "{text}");
    assert_eq!(prove(&run, &text, &[]).status.code(), Some(0));
    for name in ["paper-01.pdf", "setup-01.pdf"] {
        let bytes = std::fs::read(run.out.path().join(name)).expect(name);
        assert!(bytes.starts_with(b"%PDF"), "{name}");
    }
    let own = folder.path().join("own.toml");
    std::fs::write(&own, "name = \"own\"\nremarks = \"none\"\n[words]\nlight = [\"M4\"]\n").expect("written");
    let run =
        prep(std::slice::from_ref(&file), &format!("--units mm --sheet 300x200 --nest-seconds 0 --accept --dialect {}", own.display()));
    let text = run.file("sheet-01.nc");
    assert!(text.contains("M4 S") && !text.contains('('), "{text}");
    std::fs::write(&own, "name = \"own\"\n[words]\nlight = []\n").expect("written");
    for (dialect, says) in
        [(own.display().to_string(), "nothing can be cut"), ("nobody".into(), "laser, plasma, chords"), ("/no.toml".into(), "/no.toml")]
    {
        let run = prep(std::slice::from_ref(&file), &format!("--dialect {dialect}"));
        assert!(run.code() == Some(2) && run.said().contains(says), "{dialect}: {}", run.said());
    }
    let run = prep(&[file], "--paper a9");
    assert!(run.code() == Some(2) && run.said().contains("a4, a3 and letter"), "{}", run.said());
}

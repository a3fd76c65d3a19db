//! The command line as a script uses it: what goes in, what comes out, and what is refused.

mod batches;
mod mixed;
mod motion;
mod proved;
mod refused;
mod typed;

use serde_json::Value;
use std::f64::consts::TAU;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

struct Run {
    output: Output,
    out: tempfile::TempDir,
}

impl Run {
    fn report(&self) -> Value {
        let text = std::fs::read_to_string(self.out.path().join("report.json")).expect("a report");
        serde_json::from_str(&text).expect("it is JSON")
    }
    fn code(&self) -> Option<i32> {
        self.output.status.code()
    }
    fn said(&self) -> String {
        String::from_utf8_lossy(&self.output.stderr).into_owned()
    }
    fn file(&self, name: &str) -> String {
        std::fs::read_to_string(self.out.path().join(name)).unwrap_or_default()
    }
    fn programs(&self) -> usize {
        std::fs::read_dir(self.out.path()).expect("a folder").flatten().filter(|f| f.path().extension().is_some_and(|e| e == "nc")).count()
    }
}

fn demo(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name)
}

fn boustrophe(words: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_boustrophe")).args(words).output().expect("it runs")
}

fn prep(files: &[PathBuf], options: &str) -> Run {
    prep_on(&mut Command::new(env!("CARGO_BIN_EXE_boustrophe")), files, options)
}

/// The same by a command with surroundings of its own.
fn prep_on(command: &mut Command, files: &[PathBuf], options: &str) -> Run {
    let out = tempfile::tempdir().expect("a folder");
    let output = command.arg("prep").args(files).arg("--out").arg(out.path()).args(options.split_whitespace()).output().expect("it runs");
    Run { output, out }
}

/// A DXF of group codes, written into `folder`.
fn dxf(folder: &Path, name: &str, entities: &str) -> PathBuf {
    let body: String = entities.split_whitespace().map(|w| format!("{w}\n")).collect();
    let path = folder.join(name);
    std::fs::write(
        &path,
        format!("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n{body}0\nENDSEC\n0\nEOF\n"),
    )
    .expect("written");
    path
}

#[test]
fn the_whole_route_on_the_laser() {
    let run = prep(&[demo("crown-board.dxf"), demo("frame-bars.dxf")], "--quantity 3 --nest-seconds 1 --accept");
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let report = run.report();
    assert_eq!(report["version"], 1);
    let text = |v: &Value| v.as_str().unwrap_or_default().to_owned();
    let codes: Vec<String> = report["findings"].as_array().expect("findings").iter().map(|f| text(&f["code"])).collect();
    assert!(codes.contains(&"doubled-lines".to_owned()) && codes.contains(&"gaps-closed".to_owned()), "{codes:?}");
    let sheets = report["sheets"].as_array().expect("sheets");
    let placed: usize = sheets.iter().map(|s| s["placed"].as_array().map_or(0, Vec::len)).sum();
    let wanted: u64 = report["parts"].as_array().expect("parts").iter().filter_map(|p| p["quantity"].as_u64()).sum();
    assert_eq!(placed as u64, wanted);
    assert_eq!(run.programs(), sheets.len());
    for (i, sheet) in sheets.iter().enumerate() {
        let stem = format!("sheet-{:02}", i + 1);
        assert_eq!(sheet["program"], format!("{stem}.nc"));
        assert!(run.file(&format!("{stem}.svg")).contains("mm\""), "true size");
        let program = run.file(&format!("{stem}.nc"));
        // A reader of its own: what is burned in straight lines and arcs is what the report says was cut.
        let burned = burned_length(&program);
        let cut = sheet["cut"].as_f64().expect("a length") + sheet["score"].as_f64().expect("a length");
        assert!((burned - cut).abs() < 0.01 * cut, "{burned} and {cut}");
        // The exported drawing reads as what was nested.
        let drawing = dxf_of(&run, &stem);
        let check = boustrophe(&["check", drawing.to_str().expect("a path"), "--json"]);
        let check: Value = serde_json::from_slice(&check.stdout).expect("JSON");
        let area: f64 = sheet["placed"].as_array().map_or(0, Vec::len) as f64;
        assert!(check["drawings"][0]["contours"]["closed"].as_f64() >= Some(area) && check["drawings"][0]["contours"]["open"] == 0);
        assert_eq!(check["drawings"][0]["units"], "mm");
    }
    let total: f64 = sheets.iter().filter_map(|s| s["seconds"].as_f64()).sum();
    assert!((total - report["totals"]["seconds"].as_f64().expect("a time")).abs() < 1e-6 && total > 60.0);
    for station in ["read", "clean", "assign", "nest", "order", "hold", "proof"] {
        assert!(report["timings"][station].as_f64().is_some_and(|t| t >= 0.0), "{station}");
    }
}

fn dxf_of(run: &Run, stem: &str) -> PathBuf {
    run.out.path().join(format!("{stem}.dxf"))
}

/// Length of all moves with the beam on.
fn burned_length(program: &str) -> f64 {
    let mut sum = 0.0;
    each_burned(program, |length, _| sum += length);
    sum
}

/// Points half a millimetre apart along all moves with the beam on.
fn burned_points(program: &str) -> Vec<(f64, f64)> {
    let mut points = Vec::new();
    each_burned(program, |length, at| {
        let n = (length * 2.0).ceil().max(1.0) as usize;
        points.extend((0..=n).map(|i| at(i as f64 / n as f64)));
    });
    points
}

/// Tells the length of each move with the beam on, and where it is at a share of its way, by nothing but the program's words.
fn each_burned(program: &str, mut tell: impl FnMut(f64, &dyn Fn(f64) -> (f64, f64))) {
    let (mut x, mut y, mut on, mut power, mut motion) = (0.0_f64, 0.0_f64, false, 0.0, 0);
    for line in program.lines().map(|l| l.split('(').next().unwrap_or_default()) {
        let word = |letter: char| line.split_whitespace().find_map(|w| w.strip_prefix(letter)).and_then(|v| v.parse::<f64>().ok());
        match (word('G'), word('M')) {
            (Some(g), _) if g <= 3.0 => motion = g as i32,
            (_, Some(3.0)) => on = true,
            (_, Some(5.0)) => on = false,
            _ => {}
        }
        power = word('S').unwrap_or(power);
        if word('X').is_none() && word('Y').is_none() {
            continue;
        }
        let (nx, ny) = (word('X').unwrap_or(x), word('Y').unwrap_or(y));
        let straight = |t: f64| (x + (nx - x) * t, y + (ny - y) * t);
        let (i, j) = (word('I').unwrap_or(0.0), word('J').unwrap_or(0.0));
        let begin = (-j).atan2(-i);
        let turn = (ny - y - j).atan2(nx - x - i) - begin;
        let turn = if motion == 3 { turn.rem_euclid(TAU) } else { -(-turn).rem_euclid(TAU) };
        let round = |t: f64| (x + i + i.hypot(j) * (begin + turn * t).cos(), y + j + i.hypot(j) * (begin + turn * t).sin());
        if on && power > 0.0 {
            if motion < 2 {
                tell((nx - x).hypot(ny - y), &straight);
            } else {
                tell(i.hypot(j) * turn.abs(), &round);
            }
        }
        (x, y) = (nx, ny);
    }
}

#[test]
fn figures_are_those_of_the_geometry() {
    let folder = tempfile::tempdir().expect("a folder");
    // 100 × 60 with a hole of radius 10.
    let plate = "0 LWPOLYLINE 8 0 90 4 70 1 10 0 20 0 10 100 20 0 10 100 20 60 10 0 20 60 0 CIRCLE 8 0 10 50 20 30 40 10";
    let run = prep(
        &[dxf(folder.path(), "plate.dxf", plate)],
        "--no-nicks --sheet 200x100 --margin 5 --quantity 2 --nest-seconds 0.5 --spacing 3",
    );
    assert_eq!(run.report()["totals"]["sheets"], 2, "200 × 100 holds but one; there are as many as needed of the last");
    let run = prep(
        &[dxf(folder.path(), "plate.dxf", plate)],
        "--no-nicks --sheet 220x100 --margin 5 --quantity 2 --nest-seconds 0.5 --spacing 3",
    );
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let report = run.report();
    let part = &report["parts"][0];
    let pi = std::f64::consts::PI;
    let near = |v: &Value, x: f64| v.as_f64().is_some_and(|v| (v - x).abs() < 1e-6);
    assert!(near(&part["area"], 6000.0 - 100.0 * pi) && near(&part["perimeter"], 320.0 + 20.0 * pi), "{part}");
    assert!(near(&part["width"], 100.0) && near(&part["height"], 60.0) && part["holes"] == 1);
    // Kerf 0.18: the outline grows by its corners' arcs, the hole shrinks.
    let cut = 2.0 * (320.0 + pi * 0.18 + pi * (20.0 - 0.18));
    assert!(report["totals"]["cut"].as_f64().is_some_and(|c| (c - cut).abs() < 0.01), "{} for {cut}", report["totals"]["cut"]);
    assert_eq!(report["totals"]["pierces"], 4);
    assert_eq!(report["drawings"][0]["entities"]["read"], 2);
}

#[test]
fn findings_hold_it_up_and_write_no_program() {
    let run = prep(&[demo("queen-excluder.dxf")], "--nest-seconds 0.5");
    assert_eq!((run.code(), run.programs()), (Some(1), 0));
    assert_eq!(run.report()["findings"][0]["code"], "units-unsaid");
    let run = prep(&[demo("queen-excluder.dxf")], "--units mm --nest-seconds 0.5");
    assert_eq!((run.code(), run.programs()), (Some(0), 1), "{}", run.said());
    assert_eq!(run.report()["totals"]["pierces"].as_u64().map(|p| p > 240), Some(true));
    let run = prep(&[demo("mouse-guard.dxf")], "--machine anvil --material mild-steel --thickness 6 --nest-seconds 0.5");
    assert_eq!(run.code(), Some(1), "small holes are to be looked at");
    let run = prep(&[demo("mouse-guard.dxf")], "--machine anvil --material mild-steel --thickness 6 --nest-seconds 0.5 --accept");
    assert_eq!(run.code(), Some(0), "{}", run.said());
    assert!(run.file("sheet-01.nc").contains("G4 P"), "a pierce waits");
}

#[test]
fn a_second_run_leaves_nothing_of_the_first() {
    let out = tempfile::tempdir().expect("a folder");
    let out_text = out.path().to_str().expect("a path");
    let plates = demo("number-plates.svg");
    let plates = plates.to_str().expect("a path");
    let go = |more: &[&str]| {
        boustrophe(&[&["prep", plates, "--out", out_text, "--nest-seconds", "0.5", "--accept"], more].concat()).status.code()
    };
    assert_eq!(go(&["--quantity", "8"]), Some(0));
    assert!(out.path().join("sheet-03.nc").exists());
    assert_eq!(go(&[]), Some(0));
    assert!(out.path().join("sheet-01.nc").exists() && !out.path().join("sheet-02.nc").exists());
    assert_eq!(go(&["--sheet", "60x40"]), Some(1));
    assert!(!out.path().join("sheet-01.nc").exists() && out.path().join("report.json").exists());
}

#[test]
fn what_cannot_be_read_or_meant_is_exit_2_in_one_line() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = |name: &str, content: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, content).expect("written");
        path
    };
    let whole = std::fs::read(demo("crown-board.dxf")).expect("read");
    let cases = [
        (file("empty.svg", b"  \n"), "", "empty.svg is empty"),
        (file("letter.dxf", b"Dear Odile,\n"), "", "letter.dxf, line 1"),
        (file("half.dxf", &whole[..120]), "", "half.dxf, line"),
        (file("binary.dxf", &[0, 1, 2, 3]), "", "binary data"),
        (file("page.html", b"<html></html>"), "", "page.html"),
        (folder.path().join("missing.dxf"), "", "missing.dxf"),
        (demo("mouse-guard.dxf"), "--sheet 0x0", "--sheet"),
        (demo("mouse-guard.dxf"), "--quantity -1", "--quantity"),
        (demo("mouse-guard.dxf"), "--quantity 0", "--quantity"),
        (demo("mouse-guard.dxf"), "--machine crane", "--machine crane"),
        (demo("mouse-guard.dxf"), "--units ell", "--units"),
        (demo("mouse-guard.dxf"), "--colour red", "--colour"),
    ];
    for (path, options, said) in cases {
        let run = prep(&[path], options);
        assert_eq!(run.code(), Some(2), "{said}: {}", run.said());
        assert!(run.said().contains(said) && run.said().trim_end().lines().count() == 1, "{said}: {}", run.said());
        assert!(!run.out.path().join("report.json").exists());
    }
    assert_eq!(boustrophe(&["frobnicate"]).status.code(), Some(2));
}

#[test]
fn coordinates_that_are_no_place_are_left_out_and_told() {
    let folder = tempfile::tempdir().expect("a folder");
    let odd = "0 LINE 8 0 10 1e300 20 nan 11 5 21 5 0 CIRCLE 8 0 10 0 20 0 40 10";
    let path = dxf(folder.path(), "odd.dxf", odd);
    let run = prep(std::slice::from_ref(&path), "--nest-seconds 0.2");
    assert_eq!(run.code(), Some(1));
    assert!(run.said().contains("“1e300”, which is no place on a drawing"), "{}", run.said());
    assert_eq!(prep(&[path], "--nest-seconds 0.2 --accept").code(), Some(0));
    let part = prep(&[demo("queen-excluder.dxf")], "--units mm --sheet 100x80 --nest-seconds 0.2");
    assert_eq!(part.code(), Some(1));
    assert!(part.said().contains("402.0 × 330.0 mm; the largest sheet, 100 × 80 mm"), "{}", part.said());
    assert_eq!(part.report()["unplaced"][0]["count"], 1);
}

#[test]
fn check_tells_sizes_and_findings() {
    let check = boustrophe(&["check", demo("crown-board.dxf").to_str().expect("a path")]);
    assert_eq!(check.status.code(), Some(1));
    let said = String::from_utf8_lossy(&check.stdout);
    assert!(said.contains("240.00 × 200.00 mm (mm), 16 entities read") && said.contains("look  1 line lies exactly on another"), "{said}");
    let inch = boustrophe(&["check", demo("stand-gusset.dxf").to_str().expect("a path"), "--json"]);
    let inch: Value = serde_json::from_slice(&inch.stdout).expect("JSON");
    assert_eq!(inch["drawings"][0]["units"], "in");
}

#[test]
fn offcuts_are_filled_within_their_outline() {
    let folder = tempfile::tempdir().expect("a folder");
    let corner = "0 LWPOLYLINE 8 0 90 6 70 1 10 0 20 0 10 300 20 0 10 300 20 100 10 100 20 100 10 100 20 300 10 0 20 300";
    let square = "0 LWPOLYLINE 8 0 90 4 70 1 10 0 20 0 10 80 20 0 10 80 20 80 10 0 20 80";
    let offcut = dxf(folder.path(), "offcut.dxf", corner);
    let options = format!("--offcut {} --quantity 5 --nest-seconds 0.5", offcut.display());
    let run = prep(&[dxf(folder.path(), "square.dxf", square)], &options);
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let report = run.report();
    assert_eq!(report["sheets"].as_array().map(Vec::len), Some(1), "five squares of 80 go into the L");
    for placed in report["sheets"][0]["placed"].as_array().expect("placements") {
        let at = |key: &str| placed[key].as_f64().expect("a number");
        let turn = at("angle").to_radians();
        let xs = [(0.0, 0.0), (80.0, 80.0)]
            .map(|(x, y): (f64, f64)| (x * turn.cos() - y * turn.sin() + at("x"), x * turn.sin() + y * turn.cos() + at("y")));
        let (right, top) = (xs[0].0.max(xs[1].0), xs[0].1.max(xs[1].1));
        assert!(right <= 100.0 - 5.98 || top <= 100.0 - 5.98, "in one arm of the L: {placed}");
    }
}

/// The contract on placements: what lies where, by the report's figures alone, is what the program cuts.
#[test]
fn placements_say_where_the_program_cuts() {
    let folder = tempfile::tempdir().expect("a folder");
    // Right-angled triangles that no turn or mirror brings onto themselves, drawn away from the origin.
    let corners = [(120.0, 40.0), (200.0, 40.0), (120.0, 85.0)];
    let body: String = corners.iter().map(|(x, y)| format!("10 {x} 20 {y} ")).collect();
    let triangle = dxf(folder.path(), "triangle.dxf", &format!("0 LWPOLYLINE 8 0 90 3 70 1 {body}"));
    for (turn, seed) in [("none", 1), ("180", 2), ("90", 3), ("any", 4)] {
        let options = format!("--no-nicks --sheet 260x200 --quantity 9 --turn {turn} --seed {seed} --nest-seconds 0.3");
        let run = prep(std::slice::from_ref(&triangle), &options);
        assert_eq!(run.code(), Some(0), "{}", run.said());
        let mut placed = 0;
        for sheet in run.report()["sheets"].as_array().expect("sheets") {
            let burned = burned_points(&run.file(sheet["program"].as_str().expect("a name")));
            let mut edges = Vec::new();
            for p in sheet["placed"].as_array().expect("placements") {
                let at = |key: &str| p[key].as_f64().expect("a number");
                let (sin, cos) = at("angle").to_radians().sin_cos();
                let flip = if p["mirrored"] == true { -1.0 } else { 1.0 };
                let lies = corners.map(|(x, y)| (x * flip * cos - y * sin + at("x"), x * flip * sin + y * cos + at("y")));
                assert!(lies.iter().all(|(x, y)| *x > 5.9 && *y > 5.9 && *x < 254.1 && *y < 194.1), "within the margin: {lies:?}");
                edges.extend((0..3).map(|i| (lies[i], lies[(i + 1) % 3])));
                placed += 1;
            }
            // Half a kerf of 0.18 aside, corners rounded by as much.
            for b in &burned {
                let near = edges.iter().map(|e| from_edge(*b, *e)).fold(f64::INFINITY, f64::min);
                assert!((near - 0.09).abs() < 0.002, "{b:?} is {near} mm from the nearest edge");
            }
            for e in &edges {
                for t in [0.0, 0.25, 0.5, 0.75] {
                    let p = (e.0.0 + (e.1.0 - e.0.0) * t, e.0.1 + (e.1.1 - e.0.1) * t);
                    let near = burned.iter().map(|b| (b.0 - p.0).hypot(b.1 - p.1)).fold(f64::INFINITY, f64::min);
                    assert!(near < 0.6, "nothing is cut within {near} mm of {p:?}");
                }
            }
        }
        assert_eq!(placed, 9);
    }
}

fn from_edge(p: (f64, f64), (a, b): ((f64, f64), (f64, f64))) -> f64 {
    let (x, y) = (b.0 - a.0, b.1 - a.1);
    let t = (((p.0 - a.0) * x + (p.1 - a.1) * y) / (x * x + y * y)).clamp(0.0, 1.0);
    (p.0 - a.0 - x * t).hypot(p.1 - a.1 - y * t)
}

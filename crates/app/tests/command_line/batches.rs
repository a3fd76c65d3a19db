//! Several batches in one call: each on its own machine, of its own material, with its own programs.

use crate::{demo, dxf, prep, prep_on};
use serde_json::Value;
use std::process::Command;

/// A plate with a hole, its corner at `x`.
fn plate(x: f64, width: f64) -> String {
    let r = x + width;
    format!("0 LWPOLYLINE 8 0 90 4 70 1 10 {x} 20 0 10 {r} 20 0 10 {r} 20 60 10 {x} 20 60 0 CIRCLE 8 0 10 {} 20 30 40 8", x + 20.0)
}

#[test]
fn two_acrylics_from_drawings_to_two_proved_programs() {
    let folder = tempfile::tempdir().expect("a folder");
    let clear = dxf(folder.path(), "clear.dxf", &plate(0.0, 100.0));
    let amber = dxf(folder.path(), "amber.dxf", &(plate(0.0, 120.0) + " " + &plate(200.0, 90.0)));
    let stock =
        format!("--machine lark --material acrylic --thickness 3 --accept --nest-seconds 0.5 --stock {}=lark,acrylic,5", amber.display());
    let run = prep(&[clear.clone(), amber.clone()], &stock);
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let report = run.report();
    let batches = report["batches"].as_array().expect("batches");
    assert_eq!(batches.len(), 2, "{report}");
    let thickness: Vec<f64> = batches.iter().filter_map(|b| b["thickness"].as_f64()).collect();
    assert_eq!(thickness, [3.0, 5.0]);
    let sheets = report["sheets"].as_array().expect("sheets");
    assert_eq!((sheets.len(), run.programs()), (2, 2));
    // Sheets are numbered through, and each batch names its own.
    assert!(batches[0]["sheets"] == serde_json::json!([0]) && batches[1]["sheets"] == serde_json::json!([1]), "{report}");
    let placed = |i: usize| sheets[i]["placed"].as_array().map_or(0, Vec::len);
    assert_eq!((placed(0), placed(1)), (1, 2));
    // The sum is the job's.
    for figure in ["cut", "travel", "seconds", "pierces"] {
        let of = |v: &Value| v[figure].as_f64().unwrap_or_else(|| panic!("{figure}: {v}"));
        let sum: f64 = batches.iter().map(|b| of(&b["totals"])).sum();
        assert!((sum - of(&report["totals"])).abs() < 0.02 && sum > 0.0, "{figure}: {sum}, {report}");
    }
    // Another thickness is cut with another feed.
    let feeds = |name: &str| {
        let text = run.file(name);
        let f: Vec<String> = text.split_whitespace().filter(|w| w.starts_with('F')).map(str::to_owned).collect();
        assert!(!f.is_empty(), "{text}");
        f
    };
    assert_ne!(feeds("sheet-01.nc"), feeds("sheet-02.nc"));

    // Two machines at once.
    let stock = format!("--accept --nest-seconds 0.5 --stock {}=anvil,mild-steel,6", demo("mouse-guard.dxf").display());
    let run = prep(&[clear, demo("mouse-guard.dxf")], &stock);
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let machines: Vec<String> =
        run.report()["batches"].as_array().expect("batches").iter().filter_map(|b| b["machine"].as_str().map(str::to_owned)).collect();
    assert_eq!(machines, ["lark", "anvil"]);
    assert!(run.file("sheet-02.nc").contains("anvil") || run.file("sheet-02.nc").contains("Anvil"), "{}", run.file("sheet-02.nc"));
}

/// Twelve plates that share edges are cut along three lines one way and two the other, and the rim; each is cut by itself otherwise.
#[test]
fn common_edges_are_cut_once() {
    let folder = tempfile::tempdir().expect("a folder");
    let tile = dxf(folder.path(), "tile.dxf", "0 LWPOLYLINE 8 0 90 4 70 1 10 5 20 5 10 55 20 5 10 55 20 55 10 5 20 55");
    let with = "--quantity 12 --no-nicks --sheet 215x165 --nest-seconds 0.5";
    let run = prep(std::slice::from_ref(&tile), &format!("{with} --common-edges"));
    assert_eq!(run.code(), Some(0), "{}", run.said());
    let figure = |name: &str| run.report()["totals"][name].as_f64().unwrap_or_else(|| panic!("{name}"));
    // 4 × 3 of 50 mm: rim of 14 sides, 17 within.
    assert!((figure("cut") - 31.0 * 50.18).abs() < 3.0, "{}", figure("cut"));
    assert_eq!(figure("pierces"), 6.0);
    let run = prep(&[tile], "--quantity 12 --no-nicks --sheet 230x180 --nest-seconds 0.5 --mirror --grain along --turn 180");
    assert_eq!(run.code(), Some(0), "{}", run.said());
    assert!((run.report()["totals"]["cut"].as_f64().unwrap_or(0.0) - 48.0 * 50.15).abs() < 12.0, "{}", run.report()["totals"]);
}

#[test]
fn a_stock_that_cannot_be_is_refused_in_one_line() {
    let folder = tempfile::tempdir().expect("a folder");
    let clear = dxf(folder.path(), "clear.dxf", &plate(0.0, 100.0));
    for (stock, said) in [
        ("elsewhere.dxf=lark,acrylic,3", "elsewhere.dxf"),
        ("clear.dxf", "--stock"),
        ("clear.dxf=lark,acrylic", "--stock"),
        ("clear.dxf=crane,acrylic,3", "crane"),
        ("clear.dxf=lark,cheese,3", "cheese"),
        ("clear.dxf=lark,acrylic,0", "0.05 to 200"),
        ("clear.dxf=lark,acrylic,NaN", "--stock"),
    ] {
        let run = prep(std::slice::from_ref(&clear), &format!("--stock {stock}"));
        assert_eq!(run.code(), Some(2), "{stock}: {}", run.said());
        assert!(run.said().contains(said) && run.said().trim().lines().count() == 1, "{stock}: {}", run.said());
    }
}

/// By steps instead of seconds the layout is the same, however many threads work at it and however long they take.
#[test]
fn a_nest_by_steps_is_the_same_on_any_number_of_threads() {
    let files = [demo("frame-bars.dxf"), demo("mouse-guard.dxf")];
    let placed = |steps: u32, threads: &str| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_boustrophe"));
        let with = format!("--units mm --quantity 6 --sheet 500x350 --turn any --accept --nest-steps {steps}");
        let run = prep_on(command.env("RAYON_NUM_THREADS", threads), &files, &with);
        assert_eq!(run.code(), Some(0), "{}", run.said());
        run.report()["sheets"].as_array().expect("sheets").iter().map(|s| s["placed"].clone()).collect::<Vec<_>>()
    };
    let one = placed(9, "1");
    assert_eq!(one, placed(9, "3"));
    assert_ne!(one, placed(1, "3"), "more steps come to something else");
    for (options, told) in [("--nest-steps 0", "--nest-steps"), ("--nest-steps 5 --nest-seconds 2", "--nest-seconds")] {
        let run = prep(&files[..1], options);
        assert!(run.code() == Some(2) && run.said().contains(told) && run.said().trim().lines().count() == 1, "{}", run.said());
    }
}

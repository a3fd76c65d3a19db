//! Any mixture of flags and drawings: an answer, the right exit code, and the files that go with it; never a panic.

use crate::{demo, dxf, prep};
use proptest::prelude::*;

/// Each flag with values that will do, are at the edge, or will not do.
fn flag() -> impl Strategy<Value = String> {
    let of = |name: &'static str, values: &'static [&'static str]| prop::sample::select(values).prop_map(move |v| format!("{name} {v}"));
    prop_oneof![
        of("--units", &["mm", "in", "m", "ells"]),
        of("--ppi", &["96", "72", "0", "1e9"]),
        of("--scale", &["1", "0.05", "20", "1e-6", "-1", "NaN"]),
        of("--machine", &["lark", "anvil", "crane"]),
        of("--material", &["birch-ply", "acrylic", "card", "mild-steel", "cheese"]),
        of("--thickness", &["3", "6", "0.001", "1e6", "0"]),
        of("--quantity", &["1", "3", "0", "four"]),
        of("--turn", &["none", "180", "90", "any", "45"]),
        of("--sheet", &["600x400", "2@300x200", "1x1", "1e9x5", "600x"]),
        of("--spacing", &["0", "2", "50", "-1"]),
        of("--margin", &["0", "10", "400", "inf"]),
        of("--strategy", &["least", "parts", "rows", "spread:40", "spread:NaN", "fragile", "corner:upper-left", "whim"]),
        of("--nick-every", &["40", "5", "1e9", "-1"]),
        of("--nick-width", &["0.3", "20", "0"]),
        of("--aim", &["rest", "rows", "cuts", "luck"]),
        of("--seed", &["1", "18446744073709551615", "-3"]),
        prop::sample::select(&["--no-nicks", "--no-leads", "--accept", "--accept"][..]).prop_map(str::to_owned),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, max_shrink_iters: 30, ..ProptestConfig::default() })]
    #[test]
    fn any_mixture_is_answered(flags in prop::collection::vec(flag(), 0..5), which in prop::sample::subsequence(vec![0_usize, 1, 2, 3], 1..3)) {
        let folder = tempfile::tempdir().expect("a folder");
        let plate = "0 LWPOLYLINE 8 0 90 4 70 1 10 0 20 0 10 50 20 0 10 50 20 30 10 0 20 30 0 CIRCLE 8 0 10 25 20 15 40 6 0 LINE 8 0 10 5 20 5 11 9 21 5";
        let drawings = [
            dxf(folder.path(), "plate.dxf", plate),
            dxf(folder.path(), "speck.dxf", "0 CIRCLE 8 0 10 0 20 0 40 0.0004 0 POINT 8 0 10 3 20 3"),
            demo("mouse-guard.dxf"),
            demo("honey-sign.svg"),
        ];
        let files: Vec<_> = which.iter().map(|i| drawings[*i].clone()).collect();
        let run = prep(&files, &format!("{} --nest-seconds 0.1", flags.join(" ")));
        let said = run.said();
        prop_assert!(!said.contains("panicked"), "{said}");
        match run.code() {
            Some(0) => {
                let report = run.report();
                let sheets = report["sheets"].as_array().map_or(0, Vec::len);
                prop_assert!(sheets > 0 && run.programs() == sheets);
                prop_assert!(report["unplaced"].as_array().is_some_and(Vec::is_empty));
                let severity = |s: &str| report["findings"].as_array().expect("findings").iter().filter(|f| f["severity"] == s).count();
                prop_assert_eq!(severity("stop"), 0);
                prop_assert!(severity("look") == 0 || flags.iter().any(|f| f == "--accept"), "{report}");
                for figure in ["cut", "travel", "seconds", "yield"] {
                    prop_assert!(report["totals"][figure].as_f64().is_some_and(|v| v.is_finite() && v >= 0.0), "{figure}: {}", report["totals"]);
                }
            }
            Some(1) => {
                let report = run.report();
                prop_assert_eq!(run.programs(), 0);
                let findings = report["findings"].as_array().expect("findings");
                prop_assert!(findings.iter().any(|f| f["severity"] == "stop" || f["severity"] == "look"), "{findings:?}");
                prop_assert!(findings.iter().all(|f| f["text"].as_str().is_some_and(|t| t.len() > 10)));
            }
            Some(2) => {
                prop_assert!(said.trim_end().lines().count() == 1 && said.len() > 15, "{said}");
                prop_assert!(!run.out.path().join("report.json").exists() && run.programs() == 0);
            }
            other => prop_assert!(false, "{other:?}: {said}"),
        }
    }
}

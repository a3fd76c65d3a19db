//! Programs in every dialect that ships: proved, alike in what they burn, and golden for a plate that stays the same.

use crate::jobs::{drawn, job, plate};
use boustrophe_core::decisions::Stock;
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::proof::{Action, Interpreter};
use boustrophe_core::release::Dialect;
use boustrophe_house::played;
use proptest::prelude::*;
use std::path::Path;

/// Burned length and time that it waits, as a controller of that dialect understands it.
fn burned(program: &str, dialect: &Dialect) -> (f64, f64) {
    let mut reader = Interpreter::new(dialect.clone());
    let mut actions = Vec::new();
    program.lines().for_each(|l| reader.line(l, &mut actions).expect("it reads"));
    reader.finished().expect("it ends");
    actions.iter().fold((0.0, 0.0), |(length, wait), a| match a {
        Action::Move { path, power, .. } if *power > 0.0 => (length + path.length(), wait),
        Action::Move { .. } => (length, wait),
        Action::Wait { seconds, .. } => (length, wait + seconds),
    })
}

fn stock(plasma: bool) -> Stock {
    if plasma {
        Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 }
    } else {
        Stock { machine: "lark".into(), material: "birch-ply".into(), thickness: 3.0 }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(200)))]
    /// Every job's program is proved in every dialect, and burns the same.
    #[test]
    fn jobs_are_proved_in_every_dialect(plates in prop::collection::vec(plate(), 1..3), plasma in any::<bool>()) {
        let mut job = job(&drawn(&plates), stock(plasma), 1);
        job.nest(1, 1);
        job.settled();
        let mut first: Option<(f64, f64)> = None;
        for (name, _) in Dialect::SHIPPED {
            let dialect = Dialect::shipped(name).expect("it ships");
            job.shop.machines.iter_mut().for_each(|m| m.dialect.clone_from(&dialect));
            let route = job.route();
            let stops: Vec<&str> = route.findings.iter().filter(|f| f.station == Station::Proof && f.severity == Severity::Stop).map(|f| f.code.as_str()).collect();
            prop_assert!(stops.is_empty() && !route.first().programs.is_empty(), "{name}: {stops:?}");
            let done = burned(&job.text(&route, 0), &Dialect::of(job.shop.machine(&stock(plasma).machine).expect("the machine")));
            let (length, wait) = *first.get_or_insert(done);
            prop_assert!((done.0 - length).abs() < 0.001 * length + 0.05 && (done.1 - wait).abs() < 1e-6, "{name}: {done:?} for {first:?}");
        }
    }
}

/// A plate with a hole, a line and a field, in every dialect on the machine it is for. `BLESS=1` writes them anew.
#[test]
fn programs_are_written_as_they_were() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/golden");
    let svg = r#"<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60"><g fill="none"><rect stroke="red" x="5" y="5" width="60" height="40" rx="6"/><circle stroke="red" cx="24" cy="25" r="9"/><path stroke="blue" d="M42 15h16"/></g></svg>"#;
    for (name, plasma) in [("laser", false), ("plasma", true), ("chords", false)] {
        let mut job = job(svg, stock(plasma), 1);
        job.shop.machines.iter_mut().for_each(|m| m.dialect = Dialect::shipped(name).expect("it ships"));
        job.nest(1, 1);
        let route = job.settled();
        assert!(route.released(), "{name}: {:?}", route.findings);
        let text = job.text(&route, 0);
        let file = folder.join(format!("plate-{name}.nc"));
        if std::env::var_os("BLESS").is_some() {
            std::fs::write(&file, &text).expect("written");
        }
        assert_eq!(text, std::fs::read_to_string(&file).expect("the golden program"), "{name}");
    }
}

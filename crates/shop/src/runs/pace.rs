//! What a job is reckoned to take against what the simulated controller, which sees only so many moves ahead, takes for it.

use crate::app::App;
use crate::reading::Readers;
use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::{Decisions, Edit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Control, Problem, search};
use boustrophe_core::route::{BatchRoute, run};
use boustrophe_core::shop::Shop;
use boustrophe_machine::{Simulated, State, Status, checksum};
use boustrophe_store::Store;
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::sync::Arc;

/// Seconds that a controller of the batch's machine took for a sheet's program, run to its end in hundredths of a second.
fn taken(batch: &BatchRoute, shop: &Shop, sheet: usize) -> f64 {
    let mut text = Vec::new();
    batch.write_program(sheet, shop, &mut text).expect("written");
    let program = String::from_utf8(text).expect("ASCII");
    let machine = Simulated::new(shop.machine(&batch.stock.machine).expect("a machine").clone(), 1.0, "beeswax");
    machine.answer(&format!("load job.nc {} {} 1", program.lines().count(), checksum(&program)));
    for (i, line) in program.lines().enumerate() {
        let answer = machine.answer(&format!("{} {line}", i + 1));
        assert!(answer.starts_with("ok"), "{answer}: {line}");
    }
    assert!(machine.answer("end").starts_with("ok "));
    machine.answer(&format!("start 1 {}", checksum(&program)));
    loop {
        machine.pass(0.01);
        let status: Status = machine.answer("status")[3..].parse().expect("a status");
        if status.state == State::Done {
            return status.seconds;
        }
        // Long ones in longer steps: what is over at the end is not counted.
        machine.pass(status.total / 5000.0);
    }
}

fn within_two_percent(batch: &BatchRoute, shop: &Shop, what: &str) {
    for (i, proof) in batch.proofs.iter().enumerate() {
        let took = taken(batch, shop, i);
        assert!((took / proof.seconds - 1.0).abs() < 0.02, "{what}, sheet {}: {took:.1} s for {:.1} s", i + 1, proof.seconds);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn the_demo_jobs_take_what_they_are_reckoned_to() {
    let data = tempfile::tempdir().expect("a folder");
    let shop = crate::demo::shop();
    let app = Arc::new(
        App::new(Store::open(data.path()).expect("a shop"), shop, BTreeMap::new(), Readers::here(), data.path().join("incoming"))
            .expect("an app"),
    );
    std::fs::create_dir_all(&app.incoming).expect("a folder");
    tokio::task::spawn_blocking(move || {
        crate::demo::seed(&app).expect("the demo's jobs");
        let jobs = app.store.jobs().expect("jobs");
        assert!(jobs.len() >= 3);
        let mut sheets = 0;
        for job in jobs {
            let loaded = app.load(job.id).expect("a job");
            for batch in loaded.route.batches.values() {
                within_two_percent(batch, &loaded.shop, &job.name);
                sheets += batch.proofs.len();
            }
        }
        assert!(sheets >= 2, "{sheets} sheets");
    })
    .await
    .expect("it goes through");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 50, max_shrink_iters: 0, ..ProptestConfig::default() })]
    #[test]
    fn random_jobs_take_what_they_are_reckoned_to(plates in prop::collection::vec((20.0..90.0_f64, 20.0..70.0_f64, 0.0..9.0_f64, 2.0..8.0_f64, any::<bool>()), 1..5), plasma: bool, seed in 0..100_u64) {
        let mut svg = String::from(r#"<svg xmlns="http://www.w3.org/2000/svg" width="600mm" height="90mm" viewBox="0 0 600 90"><g fill="none" stroke="red">"#);
        for (i, (w, h, round, hole, filled)) in plates.iter().enumerate() {
            let x = i as f64 * 110.0 + 5.0;
            let _ = write!(svg, r#"<rect x="{x}" y="5" width="{w}" height="{h}" rx="{round}"/><circle cx="{}" cy="{}" r="{hole}"/>"#, x + w / 2.0, 5.0 + h / 2.0);
            // Many short moves: a waved line, engraved or scored.
            let waves: String = (0..40).map(|k| format!("q1 {} 2 0", if k % 2 == 0 { 2 } else { -2 })).take((*w as usize) / 3).collect();
            let (fill, stroke) = if *filled && !plasma { ("black", "none") } else { ("none", "blue") };
            let _ = write!(svg, r#"<path fill="{fill}" stroke="{stroke}" d="M{} {}{waves}"/>"#, x + 2.0, 5.0 + h - 4.0);
        }
        svg.push_str("</g></svg>");
        let shop = Shop::builtin();
        let stock = if plasma { Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 } } else { Stock::default() };
        let decisions = Edit::Intake(IntakeEdit::AddDrawing { file: "p.svg".into(), name: "p.svg".into() }).apply(&Decisions::on(stock)).expect("added");
        let drawings = [Arc::new(boustrophe_formats::read("p.svg", svg.as_bytes()).expect("it reads"))];
        let cache = Cache::default();
        let before = run(&drawings, &decisions, &shop, &cache, &mut |_| {});
        let problem = Problem::new(&before.first().work, &nest::terms(&decisions, BatchId::FIRST, &shop), &shop.tolerance);
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed, tries: 1 });
        let decisions = NestEdit::KeepLayout { layout }.on(BatchId::FIRST).apply(&decisions).expect("kept");
        let route = run(&drawings, &decisions, &shop, &cache, &mut |_| {});
        prop_assert!(!route.first().proofs.is_empty());
        within_two_percent(route.first(), &shop, "plates");
    }
}

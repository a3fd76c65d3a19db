//! A shop that an earlier version stored opens as it was.

use crate::client::{Shop, demo};
use diesel::prelude::*;
use diesel::sql_types::{Integer, Nullable, Text};
use std::io::Read;
use std::path::Path;

#[derive(QueryableByName)]
struct Row {
    #[diesel(sql_type = Integer)]
    id: i32,
    #[diesel(sql_type = Text)]
    label: String,
    #[diesel(sql_type = Nullable<Text>)]
    ledger: Option<String>,
}

/// The revisions in a shop's file, and the figures of the last.
fn revisions(folder: &Path) -> (Vec<(i32, String)>, serde_json::Value) {
    let path = folder.join("shop.sqlite");
    let mut shop = SqliteConnection::establish(path.to_str().expect("a path")).expect("it opens");
    let rows: Vec<Row> = diesel::sql_query("select id, label, ledger from revisions order by id").load(&mut shop).expect("revisions");
    let ledger = rows.last().and_then(|r| r.ledger.as_deref()).map(|l| serde_json::from_str(l).expect("figures"));
    (rows.into_iter().map(|r| (r.id, r.label)).collect(), ledger.expect("the last has figures"))
}

#[test]
fn a_shop_from_before_there_were_batches_opens_as_it_was() {
    let data = tempfile::tempdir().expect("a folder");
    let packed = include_bytes!("shops/before-batches.sqlite.gz");
    let mut stored = Vec::new();
    flate2::read::GzDecoder::new(&packed[..]).read_to_end(&mut stored).expect("unpacked");
    std::fs::write(data.path().join("shop.sqlite"), stored).expect("written");
    let (told, figures) = revisions(data.path());
    assert_eq!(told.len(), 19);

    let shop = Shop::over(data, &[]);
    for station in ["intake", "clean", "assign", "nest", "order", "hold", "proof", "release", "history/nest"] {
        let answer = shop.get(&format!("/jobs/1/{station}"));
        assert_eq!(answer.status, 200, "{station}: {}", answer.text());
    }
    let moves: serde_json::Value = serde_json::from_slice(&shop.get("/jobs/1/moves/1").body).expect("its program, as moves");
    // The order counts the way home since, and bridges keep off more: time differs by a little, what is made does not; travel counts the
    // ways from zero and back to it.
    let near = |then: f64, now: f64, share: f64| (then - now).abs() <= share * then.abs().max(1.0);
    let (now, then) = (moves["seconds"].as_f64().expect("seconds"), figures["seconds"].as_f64().expect("seconds"));
    assert!(near(then, now, 0.03), "{now} for {then}");
    // What was decided is in the pages: the setting, the start moved by hand, the part that is scored.
    assert!(shop.get("/jobs/1/assign").text().contains("slow"));
    assert!(shop.get("/jobs/1/nest").text().contains("3.5"));

    let (after, now) = revisions(shop.data.path());
    assert_eq!(after, told, "nothing is added by looking");
    let figure = |of: &serde_json::Value, name: &str| of[name].as_f64().unwrap_or_else(|| panic!("{name} in {of}"));
    let exact = ["sheets", "yield_share", "score"].map(|name| (name, 1e-6));
    let hardly = ["cut", "pierces", "seconds", "cost"].map(|name| (name, 0.03));
    for (name, share) in exact.into_iter().chain(hardly) {
        let (then, now) = (figure(&figures, name), figure(&now, name));
        assert!(near(then, now, share), "{name}: {then} then, {now} now");
    }

    // Back through all of its history, and forward again.
    for _ in 1..told.len() {
        let revision = shop.revision(1).to_string();
        assert_eq!(shop.post("/jobs/1/undo", &[("revision", &revision), ("station", "nest")]).status, 200);
    }
    assert_eq!(shop.revision(1), 1);
    for _ in 1..told.len() {
        let revision = shop.revision(1).to_string();
        assert_eq!(shop.post("/jobs/1/redo", &[("revision", &revision), ("station", "nest")]).status, 200);
    }
    assert_eq!(shop.revision(1), 19);
    // And it goes on from there, in its one batch.
    let answer = shop.post("/jobs/1/edit", &[("revision", "19"), ("station", "nest"), ("edit", r#"{"do":"set-spacing","spacing":4.0}"#)]);
    assert_eq!(answer.status, 200, "{}", answer.sentence());
}

/// Data that were damaged open for reading only, and every page says so and what to do.
#[test]
fn a_damaged_shop_is_read_and_says_so() {
    let mut shop = Shop::open(&[]);
    let job = shop.job("Combs");
    let mut large = demo("comb-tiles.svg");
    large.extend(std::iter::repeat_n(b' ', 300_000));
    assert_eq!(shop.upload(&format!("/jobs/{job}/drawings"), &[("comb.svg", &large)]).status, 204);
    assert_eq!(shop.get("/health").status, 200);
    let ended = std::process::Command::new("kill").args(["-TERM", &shop.process.id().to_string()]).status().expect("asked");
    assert!(ended.success() && shop.process.wait().expect("it ends").success());
    let data = std::mem::replace(&mut shop.data, tempfile::tempdir().expect("a folder"));
    let path = data.path().join("shop.sqlite");
    // All of it stands in the file, nothing in its log.
    let mut shut = SqliteConnection::establish(path.to_str().expect("a path")).expect("it opens");
    diesel::connection::SimpleConnection::batch_execute(&mut shut, "PRAGMA wal_checkpoint(TRUNCATE)").expect("written back");
    drop(shut);
    let mut bytes = std::fs::read(&path).expect("the data");
    // Pages in the midst of the large file's: what stands before them is whole.
    let from = bytes.len() - 20 * 4096;
    bytes[from..from + 3 * 4096].fill(0x55);
    std::fs::write(&path, &bytes).expect("damaged");
    let shop = Shop::over(data, &[]);
    let floor = shop.get("/");
    assert!(floor.status == 200 && floor.text().contains("id=\"damaged\"") && floor.text().contains("Combs"), "{}", floor.text());
    assert_eq!(shop.post("/jobs", &[("name", "Lids")]).status, 503);
    assert_eq!(shop.get("/health").status, 503);
    assert!(shop.get("/machines").status == 200 && shop.get("/shop/rack").status == 200);
}

//! The demo shop: Marrowby Hiveware, its rules, and three jobs at different stations.

use crate::app::App;
use crate::changing::apply;
use crate::error::ShopError;
use crate::incoming::add_own;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{Decisions, Edit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::geometry::{Path, Point, Region};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Control, Layout, Problem, Sheet, search};
use boustrophe_core::shop::{Match, Rule, Shop};
use boustrophe_store::OnRack;
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../demo"]
struct Drawings;

/// Nests that ship with the demo, so that it opens at once; made by so many tries, the same every time.
const NESTS: [&str; 2] = ["nests/hive-stands.json", "nests/number-plates.json"];
const TRIES: usize = 60;

/// The built-in shop with the workshop's colours: red is cut, blue scored, filled engraved, notes reference.
pub fn shop() -> Shop {
    let rule = |id, when, process| Rule { id, when, process };
    Shop {
        rules: vec![
            rule(1, Match::layer("notes"), Process::Reference),
            rule(2, Match::stroke([0xe4, 0x00, 0x2b]), Process::Cut),
            rule(3, Match::stroke([0x00, 0x47, 0xbb]), Process::Score),
            rule(4, Match::filled(), Process::Engrave),
        ],
        ..Shop::builtin()
    }
}

/// Fills an empty shop with the demo's jobs.
pub fn seed(app: &App) -> Result<(), ShopError> {
    if !app.store.jobs()?.is_empty() {
        return Ok(());
    }
    rack(app)?;
    let lark = |material: &str| Stock { machine: "lark".into(), material: material.into(), thickness: 3.0 };
    let boxes = begin(
        app,
        "Spring nucleus boxes",
        "2026-12-04",
        lark("birch-ply"),
        &["queen-excluder.dxf", "crown-board.dxf", "frame-bars.dxf", "honey-sign.svg"],
    )?;
    for (drawing, quantity) in [(1, 2), (2, 2), (3, 2)] {
        change(app, boxes, &Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing, quantity }))?;
    }

    let anvil = Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 };
    let stands = begin(app, "Hive stands", "2026-11-30", anvil, &["stand-gusset.dxf", "mouse-guard.dxf"])?;
    for (drawing, quantity) in [(1, 4), (2, 6)] {
        change(app, stands, &Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing, quantity }))?;
    }
    nest(app, stands, NESTS[0])?;

    let plates = begin(app, "Number plates", "2026-12-11", lark("acrylic"), &["number-plates.svg"])?;
    mend(app, plates)?;
    nest(app, plates, NESTS[1])?;
    Ok(())
}

/// Sheets of the usual sizes, and three offcuts: an L, one with a round bite, and one that was cut from already.
fn rack(app: &App) -> Result<(), ShopError> {
    let full = [
        ("birch-ply", 3.0, 600.0, 400.0, 14, 6.2),
        ("birch-ply", 6.0, 900.0, 600.0, 6, 21.0),
        ("acrylic", 3.0, 600.0, 400.0, 5, 18.5),
        ("mild-steel", 6.0, 1250.0, 1000.0, 3, 96.0),
    ];
    for (material, thickness, width, height, count, price) in full {
        let sheet = Sheet::rectangle(width, height);
        let (place, origin) = (if material == "mild-steel" { "steel rack" } else { "left bay" }, "bought".to_owned());
        let new =
            OnRack { material: material.into(), thickness, sheet, offcut: false, count, price: Some(price), place: place.into(), origin };
        app.store.add_stock(&new, "Odile Farrant")?;
    }
    let at = Point::new;
    let ell = Path::polygon(&[at(0.0, 0.0), at(380.0, 0.0), at(380.0, 130.0), at(170.0, 130.0), at(170.0, 290.0), at(0.0, 290.0)]);
    let board = Path::rectangle(0.0, 0.0, 320.0, 240.0);
    let bite = Region::within(&[&board]).minus(&Region::within(&[&Path::circle(at(320.0, 240.0), 110.0)]));
    let cut_from = vec![board, Path::circle(at(70.0, 70.0), 45.0), Path::circle(at(180.0, 70.0), 45.0)];
    for (outline, words) in
        [(vec![ell], "left from crown boards"), (bite.outlines(), "left from a round hatch"), (cut_from, "two discs cut from it")]
    {
        let sheet = Sheet { count: None, ..Sheet::offcut(outline)? };
        let (place, origin) = ("offcut box".to_owned(), words.to_owned());
        let new = OnRack { material: "birch-ply".into(), thickness: 3.0, sheet, offcut: true, count: 1, price: None, place, origin };
        app.store.add_stock(&new, "Bram Teck")?;
    }
    Ok(())
}

fn begin(app: &App, name: &str, due: &str, stock: Stock, files: &[&str]) -> Result<i32, ShopError> {
    let job = app.store.add_job(name, "Odile Farrant", Some(due), &Decisions::on(stock))?;
    let bytes = |file: &&str| Drawings::get(file).map(|f| ((*file).to_owned(), f.data.into_owned()));
    add_own(app, job.id, &files.iter().filter_map(bytes).collect::<Vec<_>>(), "Odile Farrant")?;
    Ok(job.id)
}

fn change(app: &App, job: i32, edit: &Edit) -> Result<(), ShopError> {
    let head = app.store.job(job)?.head.unwrap_or(0);
    apply(app, job, head, edit, "Odile Farrant")
}

/// Takes the first remedy of whatever is open at Intake and Clean.
fn mend(app: &App, job: i32) -> Result<(), ShopError> {
    let open: Vec<Edit> = app
        .load(job)?
        .route
        .findings
        .iter()
        .filter(|f| f.severity == Severity::Look && f.station <= Station::Clean)
        .filter_map(|f| f.remedies.first().map(|r| r.edit.clone()))
        .collect();
    open.iter().try_for_each(|edit| change(app, job, edit))
}

/// Keeps the nest that ships with the demo; where it does not hold, as for another version's parts, one is searched for.
fn nest(app: &App, job: i32, shipped: &str) -> Result<(), ShopError> {
    let loaded = app.load(job)?;
    let terms = nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop);
    let work = &loaded.here().work;
    let holds = |layout: &Layout| {
        let (nested, found) = nest::run(work, Some(layout), &terms, &loaded.machine().bed());
        nested.current && nested.layout == *layout && found.iter().all(|f| f.severity == Severity::Note)
    };
    let made = Drawings::get(shipped).and_then(|f| serde_json::from_slice(&f.data).ok());
    let layout = made.filter(holds).unwrap_or_else(|| searched(&Problem::new(work, &terms, &loaded.shop.tolerance)));
    change(app, job, &NestEdit::KeepLayout { layout }.on(BatchId::FIRST))
}

fn searched(problem: &Problem) -> Layout {
    search(problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: TRIES })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::reading::Readers;
    use boustrophe_store::Store;
    use std::collections::BTreeMap;

    /// What ships is what is shown, and holds. `BLESS=1` makes it anew, where drawings or the engine have changed.
    #[tokio::test(flavor = "multi_thread")]
    async fn the_nests_that_ship_hold() {
        let work = || {
            let data = tempfile::tempdir().expect("a folder");
            let store = Store::open(data.path()).expect("a shop");
            let app = App::new(store, shop(), BTreeMap::new(), Readers::here(), data.path().to_owned()).expect("an app");
            seed(&app).expect("filled");
            for (job, file) in [(2, NESTS[0]), (3, NESTS[1])] {
                let loaded = app.load(job).expect("the job");
                let here = loaded.here();
                assert!(here.nested.current && here.nested.layout.unplaced.is_empty(), "{file}");
                if std::env::var_os("BLESS").is_some() {
                    let terms = nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop);
                    let layout = searched(&Problem::new(&here.work, &terms, &loaded.shop.tolerance));
                    let to = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(file);
                    std::fs::create_dir_all(to.parent().expect("a folder")).expect("made");
                    std::fs::write(to, serde_json::to_string(&layout).expect("it can be") + "\n").expect("written");
                    continue;
                }
                let shipped = Drawings::get(file).unwrap_or_else(|| panic!("{file} is not there: make it with BLESS=1"));
                let shipped: Layout = serde_json::from_slice(&shipped.data).expect("it reads");
                assert_eq!(shipped.sheets, here.nested.layout.sheets, "{file} does not hold");
            }
        };
        tokio::task::spawn_blocking(work).await.expect("it runs");
    }
}

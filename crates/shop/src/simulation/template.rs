//! The shop that every history begins with: two jobs, nested on sheets of the rack.

use super::wires::{Over, Wires};
use crate::app::App;
use crate::changing::apply;
use crate::incoming::{add_own, on_top};
use crate::rack::chosen;
use crate::reading::Readers;
use boustrophe_core::decisions::{Decisions, Edit, NestEdit, Stock};
use boustrophe_core::drawing::Drawing;
use boustrophe_core::geometry::{Path as Line, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Control, Problem, Sheet, search};
use boustrophe_core::shop::Shop;
use boustrophe_formats::dxf::{self, WriteLayer};
use boustrophe_machine::Link;
use boustrophe_store::{OnRack, Store};
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::{Arc, LazyLock};

pub(super) const TOKEN: &str = "beeswax";
/// Sheets of each kind on the rack.
pub(super) const SHEETS: u32 = 5;

/// A job of the template: on a machine, of a sheet of the rack.
#[derive(Clone, Copy)]
pub(super) struct Made {
    pub(super) job: i32,
    pub(super) stock: i32,
}

/// The template's files, its jobs and their drawings.
pub(super) struct Template {
    files: Vec<(String, Vec<u8>)>,
    pub(super) jobs: Vec<Made>,
    drawings: Vec<(String, String, Arc<Drawing>)>,
}

/// Made once.
pub(super) static TEMPLATE: LazyLock<Template> = LazyLock::new(|| {
    std::thread::spawn(|| {
        let runtime = tokio::runtime::Runtime::new().expect("a runtime");
        let _here = runtime.enter();
        made()
    })
    .join()
    .expect("the template is made")
});

fn made() -> Template {
    let data = tempfile::tempdir().expect("a folder");
    let app = app_over(Store::open(data.path()).expect("a shop"), BTreeMap::new(), data.path());
    let plate = [Line::rectangle(0.0, 0.0, 40.0, 30.0), Line::circle(Point::new(20.0, 15.0), 7.0)];
    let drawn = dxf::write(&[WriteLayer { name: "cut", colour: 1, paths: plate.to_vec() }]).into_bytes();
    let stocks = [
        Stock { machine: "lark".into(), material: "birch-ply".into(), thickness: 3.0 },
        Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 },
    ];
    let mut jobs = Vec::new();
    for stock in stocks {
        let sheet = Sheet::rectangle(220.0, 140.0);
        let on_rack = OnRack {
            material: stock.material.clone(),
            thickness: stock.thickness,
            sheet,
            offcut: false,
            count: SHEETS,
            price: Some(8.0),
            place: "left bay".into(),
            origin: "bought".into(),
        };
        let id = app.store.add_stock(&on_rack, "Bram Teck").expect("it is put there");
        let job = app.store.add_job("Plates", "Odile Farrant", None, &Decisions::on(stock)).expect("a job").id;
        add_own(&app, job, &[("plates.dxf".into(), drawn.clone())], "").expect("a drawing");
        let sheets = chosen(&app, job, BatchId::FIRST, &[id]).expect("it is free");
        on_top(&app, job, &NestEdit::SetSheets { sheets }.on(BatchId::FIRST), "").expect("taken");
        nest(&app, job, "");
        let looks: Vec<Edit> =
            app.load(job).expect("it").route.findings.iter().map(boustrophe_core::finding::Finding::acceptance).collect();
        on_top(&app, job, &Edit::All { edits: looks }, "").expect("accepted");
        let loaded = app.load(job).expect("it");
        assert!(loaded.route.released(), "{:?}", loaded.route.findings);
        app.keep_figures(&loaded).expect("kept");
        jobs.push(Made { job, stock: id });
    }
    let of = |m: &Made| {
        let head = app.store.job(m.job).expect("it").head.expect("a head");
        let decisions = app.store.revision(m.job, head).expect("it").decisions;
        let d = decisions.drawings.first().expect("a drawing");
        (d.file.clone(), d.name.clone(), app.drawing(&d.file, &d.name).expect("it reads"))
    };
    let drawings = jobs.iter().map(of).collect();
    drop(app);
    let file = |name: &str| std::fs::read(data.path().join(name)).ok().map(|bytes| (name.to_owned(), bytes));
    let files = ["shop.sqlite", "shop.sqlite-wal"].iter().filter_map(|n| file(n)).collect();
    Template { files, jobs, drawings }
}

fn app_over(store: Store, links: BTreeMap<String, Link>, folder: &Path) -> App {
    let shop = crate::settings::open(&store, &Shop::builtin()).expect("its book");
    App::new(store, shop, links, Readers::here(), folder.to_owned()).expect("an app")
}

impl Template {
    /// Its files in a folder.
    pub(super) fn put(&self, folder: &Path) {
        std::fs::create_dir_all(folder).expect("a folder");
        for (name, bytes) in &self.files {
            std::fs::write(folder.join(name), bytes).expect("written");
        }
    }

    /// The shop in a folder, with wires to its machines.
    pub(super) fn open(&self, folder: &Path, wires: &[(&str, Arc<Wires>)]) -> App {
        let link = |(id, w): &(&str, Arc<Wires>)| ((*id).to_owned(), Link::new(*id, TOKEN).over(Arc::new(Over(Arc::clone(w)))));
        let store = Store::open(folder).expect("the shop opens whatever was torn");
        let app = app_over(store, wires.iter().map(link).collect(), folder);
        for (file, name, drawing) in &self.drawings {
            app.know(file, name, Drawing::clone(drawing));
        }
        app
    }
}

/// Lays a job's parts on its sheets and keeps that.
pub(super) fn nest(app: &App, job: i32, by: &str) {
    let Ok(loaded) = app.load(job) else { return };
    let terms = nest::terms(&loaded.revision.decisions, BatchId::FIRST, &loaded.shop);
    let problem = Problem::new(&loaded.here().work, &terms, &loaded.shop.tolerance);
    let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: 1 });
    let _ = apply(app, job, loaded.revision.id, &NestEdit::KeepLayout { layout }.on(BatchId::FIRST), by);
}

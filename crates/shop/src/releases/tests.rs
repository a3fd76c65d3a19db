//! What was released stays as it was, whatever is changed in job and book; what goes on, is cut again or nested again comes from it.

use super::{Shown, release, since, to_send};
use crate::app::App;
use crate::book;
use crate::reading::Readers;
use crate::runs::again::{Onward, SheetOf, Wanted, cut_again, go_on, own_work};
use crate::runs::send;
use boustrophe_core::decisions::{Decisions, Edit, NestEdit, Process, Stock};
use boustrophe_core::geometry::{Path, Point};
use boustrophe_core::ids::{BatchId, CopyId};
use boustrophe_core::nest::{self, Control, Problem, search};
use boustrophe_core::run::RunState;
use boustrophe_core::shop::Shop;
use boustrophe_formats::dxf::{self, WriteLayer};
use boustrophe_machine::Link;
use boustrophe_store::{Heard, Kind, Release, Run, Store, StoreError};
use std::collections::BTreeMap;
use std::sync::Arc;

struct Bench {
    app: Arc<App>,
    job: i32,
    _data: tempfile::TempDir,
}

impl Bench {
    /// A job of plates with a hole each, nested on a machine.
    fn new(stock: Stock, outlines: &[Path], more: &[Edit]) -> Self {
        let data = tempfile::tempdir().expect("a folder");
        let store = Store::open(data.path()).expect("a shop");
        let shop = crate::settings::open(&store, &Shop::builtin()).expect("its book");
        // Nobody answers there; what is queued stays so.
        let link = |id: &str| (id.to_owned(), Link::new("127.0.0.1:9", ""));
        let links = BTreeMap::from([link("lark"), link("anvil")]);
        let app = Arc::new(App::new(store, shop, links, Readers::here(), data.path().to_owned()).expect("an app"));
        let job = app.store.add_job("Plates", "Odile Farrant", None, &Decisions::on(stock)).expect("a job").id;
        let layers = [WriteLayer { name: "cut", colour: 1, paths: outlines.to_vec() }];
        crate::incoming::add_own(&app, job, &[("plates.dxf".into(), dxf::write(&layers).into_bytes())], "").expect("a drawing");
        let bench = Self { app, job, _data: data };
        more.iter().for_each(|e| bench.edit(e));
        bench.nest();
        let looks: Vec<Edit> =
            bench.app.load(job).expect("it").route.findings.iter().map(boustrophe_core::finding::Finding::acceptance).collect();
        bench.edit(&Edit::All { edits: looks });
        bench
    }

    fn edit(&self, edit: &Edit) {
        crate::incoming::on_top(&self.app, self.job, edit, "Odile Farrant").expect("changed");
    }

    fn nest(&self) {
        let loaded = self.app.load(self.job).expect("the job");
        let terms = nest::terms(&loaded.revision.decisions, BatchId::FIRST, &loaded.shop);
        let problem = Problem::new(&loaded.here().work, &terms, &loaded.shop.tolerance);
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: 3 });
        self.edit(&NestEdit::KeepLayout { layout }.on(BatchId::FIRST));
    }

    fn release(&self) -> Release {
        let head = self.app.store.job(self.job).expect("it").head.expect("a head");
        release(&self.app, self.job, head, "Odile Farrant").expect("released").0
    }

    /// A run of the first sheet that comes to stand so, so many of its pieces finished.
    fn run(&self, release: &Release, end: RunState, cuts_done: i32) -> Run {
        let run = send(&self.app, release, 1, 1, "Bram Teck").expect("sent");
        for state in [RunState::Sending, RunState::Ready, RunState::Running, end] {
            let line = cuts_done;
            let heard = Heard { state, seconds: 20.0, cuts_done, line, ..Heard::default() };
            self.app.store.note_run(run, &heard).expect("noted");
        }
        self.app.store.run(run).expect("it")
    }

    fn chart(&self, change: impl Fn(&mut Shop)) {
        book::change(&self.app, Kind::Chart, None, ("Odile Farrant", "tried"), |shop| {
            change(shop);
            Ok(())
        })
        .expect("changed");
    }
}

fn first_part(app: &App, job: i32) -> boustrophe_core::ids::PartId {
    app.load(job).expect("the job").here().work.parts[0].id
}

fn laser() -> Stock {
    Stock { machine: "lark".into(), material: "birch-ply".into(), thickness: 3.0 }
}

fn plates(n: usize) -> Vec<Path> {
    let plate = |k: usize| {
        let x = 70.0 * k as f64;
        [Path::rectangle(x, 0.0, 60.0, 40.0), Path::circle(Point::new(x + 20.0, 20.0), 8.0)]
    };
    (0..n).flat_map(plate).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_released_is_sent_whatever_has_changed() {
    let work = || {
        let bench = Bench::new(laser(), &plates(3), &[]);
        let (app, job) = (&bench.app, bench.job);
        let first = bench.release();
        let before = app.store.release_sheets(first.id).expect("its sheets");
        let program = app.store.program_of(&before[0].sum).expect("its program");
        let loaded = app.load(job).expect("the job");
        assert!(since(app, &first, &loaded).expect("told").is_none(), "nothing has moved on");
        assert_eq!(
            to_send(app, (job, 1), Shown::default(), "").expect("the same").id,
            first.id,
            "nothing has moved on: it is the same release"
        );

        // The book moves on, and the job.
        bench.chart(|shop| {
            let row = shop.chart.iter_mut().find(|r| r.is("lark", "birch-ply", 3.0, Process::Cut)).expect("the row");
            (row.kerf, row.feed, row.time_factor) = (row.kerf + 0.1, row.feed / 5.0, 2.0);
        });
        let part = first_part(app, job);
        bench.edit(&NestEdit::SetQuantity { part, quantity: 2 }.on(BatchId::FIRST));
        bench.nest();
        let loaded = app.load(job).expect("the job");
        let told = since(app, &first, &loaded).expect("told").expect("much has moved on");
        let words = told.words();
        assert!(words.contains("kerf of Birch plywood 3 mm, cut 0.") && words.contains("feed of Birch plywood"), "{words}");
        assert!(told.figures.iter().any(|f| f.0 == "time") && told.figures.iter().any(|f| f.0 == "cost"), "{:?}", told.figures);
        // Nothing of the release is another.
        assert_eq!(app.store.release_sheets(first.id).expect("its sheets"), before);
        let run = send(app, &first, 1, 1, "Bram Teck").expect("sent");
        assert_eq!(app.store.program(run).expect("its program"), program, "byte for byte");
        assert_eq!(app.store.run(run).expect("it").person, "Bram Teck");
        // A page that shows it may send it; what it does not show is not sent.
        assert_eq!(to_send(app, (job, 1), Shown { release: Some(first.id), revision: None }, "").expect("as shown").id, first.id);
        let second = bench.release();
        assert_ne!(app.store.release_sheets(second.id).expect("its sheets")[0].sum, before[0].sum);
        assert!(matches!(
            to_send(app, (job, 1), Shown { release: Some(first.id), revision: None }, ""),
            Err(crate::error::ShopError::Store(StoreError::Replaced { .. }))
        ));
        assert_eq!(app.store.run(run).expect("it").state, RunState::Withdrawn, "what waited of the first is withdrawn");
    };
    tokio::task::spawn_blocking(work).await.expect("it runs");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_goes_on_comes_from_the_release() {
    let work = || {
        let bench = Bench::new(laser(), &plates(3), &[]);
        let app = &bench.app;
        let first = bench.release();
        let broken = bench.run(&first, RunState::Stopped, 2);
        // A job and a book that would make quite other work of it.
        bench.chart(|shop| shop.chart.iter_mut().for_each(|r| r.feed /= 2.0));
        let part = first_part(app, bench.job);
        bench.edit(&NestEdit::SetQuantity { part, quantity: 0 }.on(BatchId::FIRST));
        bench.nest();
        let (sheet, path) = own_work(app, &broken).expect("its work");
        let whole = path.ops.len();
        assert_eq!(whole, sheet.sheet().expect("it").lines.begins.len());
        let on = go_on(app, &broken, Wanted::plain(Onward::Again), "Bram Teck").expect("it goes on");
        assert!(go_on(app, &broken, Wanted::plain(Onward::Next), "Odile Farrant").is_err(), "two at once make one run");
        let on = app.store.run(on).expect("it");
        let (_, left) = own_work(app, &on).expect("its work");
        assert_eq!((left.ops.len(), on.cuts), (whole - 2, i32::try_from(whole - 2).expect("few")));
        assert!(
            left.ops.iter().zip(&path.ops[2..]).all(|(a, b)| (a.contour, a.feed) == (b.contour, b.feed)),
            "piece by piece as it was released"
        );
        assert_eq!(app.store.open_runs("lark").expect("the queue")[0].id, on.id, "it comes next");
    };
    tokio::task::spawn_blocking(work).await.expect("it runs");
}

/// Six copies that share their edges: whichever of them hangs is cut all round once more, and nothing else.
#[tokio::test(flavor = "multi_thread")]
async fn copies_with_common_edges_are_cut_again_alone() {
    let work = || {
        for stock in [laser(), Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 3.0 }] {
            let common = NestEdit::SetCommonEdges { on: true }.on(BatchId::FIRST);
            let bench = Bench::new(stock.clone(), &[Path::rectangle(0.0, 0.0, 60.0, 40.0)], &[common]);
            let app = &bench.app;
            let part = first_part(app, bench.job);
            bench.edit(&NestEdit::SetQuantity { part, quantity: 6 }.on(BatchId::FIRST));
            bench.nest();
            let loaded = app.load(bench.job).expect("it");
            if !loaded.route.released() {
                let stops: Vec<&str> = loaded.route.findings.iter().map(|f| f.text.as_str()).collect();
                panic!("{}: {stops:?}", stock.machine);
            }
            let first = bench.release();
            let run = bench.run(&first, RunState::Done, 1);
            let sheet = SheetOf::run(app, &run).expect("its sheet");
            assert!(loaded.here().plan.shared() > 100.0, "they share edges");
            let all: Vec<CopyId> = sheet.copies().iter().map(|p| p.copy).collect();
            assert_eq!(all.len(), 6);
            let hangs = all[2];
            let again = app.store.run(cut_again(app, &run, &[hangs], "Bram Teck").expect("cut again")).expect("it");
            let (_, path) = own_work(app, &again).expect("its work");
            let placed = sheet.copies().iter().find(|p| p.copy == hangs).expect("it lies there");
            let outline = sheet.batch().work.part(hangs.part).expect("it").outline.transformed(placed.affine());
            let segments = || path.ops.iter().flat_map(|o| o.line().runs.iter().flatten());
            // Nothing but round it, within a kerf or so.
            for s in segments() {
                for t in [0.1, 0.5, 0.9] {
                    assert!(outline.nearest(s.at(t)).distance < 2.5, "{}: {:?} is none of its edges", stock.machine, s.at(t));
                }
            }
            // And all round it.
            let near = |p: Point| segments().any(|s| s.distance(p) < 2.5);
            let looks = (0..200).map(|k| outline.at(outline.length() * f64::from(k) / 200.0).0);
            let missed: Vec<Point> = looks.filter(|p| !near(*p)).collect();
            assert!(missed.is_empty(), "{}: {missed:?}", stock.machine);
        }
    };
    tokio::task::spawn_blocking(work).await.expect("it runs");
}

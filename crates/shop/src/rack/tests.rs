//! What stands in a job's way on the rack and at its guests, and the way on that each finding has.

mod balance;

use super::*;
use crate::changing::apply;
use crate::hosting;
use crate::incoming::{add_own, on_top};
use crate::reading::Readers;
use crate::releases::release;
use crate::runs::send;
use boustrophe_core::decisions::{IntakeEdit, Lie, Stock, Tray};
use boustrophe_core::geometry::{Path, Segment};
use boustrophe_core::nest::{self, Control, Problem, search};
use boustrophe_core::shop::Shop;
use boustrophe_formats::dxf::{self, WriteLayer};
use boustrophe_machine::Link;
use boustrophe_store::{Heard, Store};
use std::sync::Arc;

struct Bench {
    app: Arc<App>,
    _data: tempfile::TempDir,
}

impl Bench {
    fn new() -> Self {
        let data = tempfile::tempdir().expect("a folder");
        let store = Store::open(data.path()).expect("a shop");
        // Nobody answers there; what is queued stays so.
        let links = BTreeMap::from([("lark".to_owned(), Link::new("127.0.0.1:9", ""))]);
        let app = App::new(store, Shop::builtin(), links, Readers::here(), data.path().to_owned()).expect("an app");
        Self { app: Arc::new(app), _data: data }
    }

    /// A job with a plate of this size.
    fn job(&self, name: &str, width: f64, height: f64) -> i32 {
        let job = self.app.store.add_job(name, "Odile Farrant", None, &Decisions::on(Stock::default())).expect("a job").id;
        let layers = [WriteLayer { name: "cut", colour: 1, paths: vec![Path::rectangle(0.0, 0.0, width, height)] }];
        add_own(&self.app, job, &[(format!("{name}.dxf"), dxf::write(&layers).into_bytes())], "").expect("a drawing");
        job
    }

    fn put(&self, width: f64, height: f64, count: u32) -> i32 {
        let stock = Stock::default();
        let (place, origin) = ("left bay".to_owned(), "bought".to_owned());
        let sheet = Sheet::rectangle(width, height);
        let new = OnRack {
            material: stock.material,
            thickness: stock.thickness,
            sheet,
            offcut: count == 1,
            count,
            price: Some(8.0),
            place,
            origin,
        };
        self.app.store.add_stock(&new, "Bram Teck").expect("it is put there")
    }

    /// Takes these of the rack for a job, and nests on them.
    fn nest(&self, job: i32, ids: &[i32]) {
        let sheets = chosen(&self.app, job, BatchId::FIRST, ids).expect("they are free");
        on_top(&self.app, job, &NestEdit::SetSheets { sheets }.on(BatchId::FIRST), "").expect("taken");
        self.lay(job);
    }

    fn lay(&self, job: i32) {
        let loaded = self.app.load(job).expect("the job");
        let terms = nest::terms(&loaded.revision.decisions, BatchId::FIRST, &loaded.shop);
        let problem = Problem::new(&loaded.here().work, &terms, &loaded.shop.tolerance);
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: 3 });
        on_top(&self.app, job, &NestEdit::KeepLayout { layout }.on(BatchId::FIRST), "").expect("kept");
    }

    /// The run of the job's first sheet comes to its end.
    fn done(&self, job: i32) {
        let store = &self.app.store;
        let head = store.job(job).expect("the job").head.expect("a head");
        let (release, _) = release(&self.app, job, head, "Odile Farrant").expect("released");
        let run = send(&self.app, &release, 1, 1, "Bram Teck").expect("a run");
        for state in [RunState::Sending, RunState::Ready, RunState::Running, RunState::Done] {
            store.note_run(run, &Heard { state, ..Heard::default() }).expect("noted");
        }
    }

    fn stops(&self, job: i32) -> Vec<Finding> {
        let findings = self.app.load(job).expect("the job").route.findings;
        findings.into_iter().filter(|f| f.severity == Severity::Stop).collect()
    }

    /// Takes the remedy of the one stop that there is, of this code; it is gone then.
    fn lift(&self, job: i32, code: &str) {
        let stops = self.stops(job);
        let [stop] = stops.as_slice() else { panic!("{code}: {stops:?}") };
        assert_eq!(stop.code, code);
        let edit = stop.remedies[0].edit.clone();
        let head = self.app.store.job(job).expect("the job").head.expect("a head");
        apply(&self.app, job, head, &edit, "").expect("it applies");
        if edit.nests().is_some() {
            self.lay(job);
        }
        assert!(self.stops(job).iter().all(|f| f.code != code), "{:?}", self.stops(job));
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn sheets_in_another_hand_and_sheets_that_are_gone_can_be_done_without() {
    let work = || {
        let bench = Bench::new();
        let (first, second) = (bench.job("Boxes", 90.0, 60.0), bench.job("Lids", 80.0, 50.0));
        let offcut = bench.put(300.0, 200.0, 1);
        bench.nest(first, &[offcut]);
        let told = chosen(&bench.app, second, BatchId::FIRST, &[offcut]).expect_err("the second is told").to_string();
        assert!(told.contains("in hand for “Boxes”"), "{told}");
        assert!(bench.stops(first).is_empty());
        // The second comes to it all the same, as a revision of before would.
        let here = bench.app.store.stocked(offcut).expect("it");
        let sheets = vec![Sheet { count: Some(1), ..as_sheet(&here, first, None) }];
        on_top(&bench.app, second, &NestEdit::SetSheets { sheets }.on(BatchId::FIRST), "").expect("taken");
        bench.lay(second);
        assert!(!bench.app.load(second).expect("the job").route.released());
        bench.lift(second, "sheet-taken");
        // The first one's is thrown away under its hands.
        let gone = Taken { person: "Bram Teck", words: "thrown away", ..Taken::default() };
        bench.app.store.change_stock(offcut, (-1, None, ""), &gone).expect("thrown away");
        bench.lift(first, "sheet-gone");
    };
    tokio::task::spawn_blocking(work).await.expect("it runs");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_finished_run_takes_its_sheet_once_and_holds_its_job_up_with_nothing() {
    let work = || {
        let bench = Bench::new();
        let job = bench.job("Boxes", 90.0, 60.0);
        let sheet = bench.put(300.0, 200.0, 3);
        bench.nest(job, &[sheet]);
        let store = &bench.app.store;
        assert_eq!(store.stocked(sheet).expect("it").reserved.len(), 1);
        bench.done(job);
        for _ in 0..2 {
            settle(&bench.app);
        }
        let after = store.stocked(sheet).expect("it");
        assert_eq!((after.stock.count, after.reserved.len()), (2, 0));
        let rest: Vec<_> = store.stock(None).expect("the rack").into_iter().filter(|s| s.stock.offcut).collect();
        let [rest] = rest.as_slice() else { panic!("{rest:?}") };
        let share = rest.stock.sheet.area() / (300.0 * 200.0);
        assert!(share < 0.92 && (rest.stock.price.expect("a price") - 8.0 * share).abs() < 0.006, "{rest:?}");
        assert!(bench.stops(job).is_empty(), "what it has cut is not missing: {:?}", bench.stops(job));
        // The job's second sheet would be of the same kind: one of two that are left.
        assert_eq!(chosen(&bench.app, job, BatchId::FIRST, &[sheet]).expect("two are free")[0].count, Some(2));
    };
    tokio::task::spawn_blocking(work).await.expect("it runs");
}

#[tokio::test(flavor = "multi_thread")]
async fn guests_that_their_job_does_not_send_any_more_are_told_and_let_go() {
    let work = || {
        let bench = Bench::new();
        let (host, guest) = (bench.job("Floors", 120.0, 90.0), bench.job("Lids", 80.0, 50.0));
        hosting::take_in(&bench.app, host, BatchId::FIRST, guest, "").expect("taken in");
        bench.lay(host);
        assert!(bench.stops(host).is_empty() && bench.stops(guest).is_empty());
        assert_eq!(bench.app.load(host).expect("the job").here().nested.layout.copies().count(), 2);
        // The same job once more makes its own parts, and nobody else's.
        let more = crate::wanted::again(&bench.app, host, "Floors again", 2, "").expect("made");
        let more = bench.app.load(more).expect("the job");
        let drawings: Vec<_> = more.revision.decisions.drawings.iter().map(|d| (d.guest.is_some(), d.quantity)).collect();
        assert_eq!(drawings, [(false, 2)]);
        assert_eq!(more.route.work.parts.len(), 1);
        let again = hosting::take_in(&bench.app, host, BatchId::FIRST, guest, "").expect_err("they are there").to_string();
        assert!(again.contains("every part of it has its place already"), "{again}");
        // Their own job makes them itself after all.
        let part = *bench.app.load(guest).expect("the job").revision.decisions.parts.keys().next().expect("the lid");
        let place = boustrophe_core::decisions::Elsewhere { job: host, name: "Floors".into(), count: 0 };
        on_top(&bench.app, guest, &NestEdit::LieElsewhere { part, place }.on(BatchId::FIRST), "").expect("not there");
        bench.lift(host, "guest-unwanted");
        bench.lay(guest);
        assert!(bench.stops(guest).is_empty(), "{:?}", bench.stops(guest));
        // A job of another material has nothing to give; one with a score has it as a score there.
        let steel = Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 };
        let other = bench.app.store.add_job("Stands", "", None, &Decisions::on(steel)).expect("a job").id;
        assert!(hosting::take_in(&bench.app, host, BatchId::FIRST, other, "").is_err_and(|e| e.to_string().contains("nothing to make")));
        let scored = bench.job("Signs", 100.0, 40.0);
        let line = Path::new(
            vec![Segment::line(boustrophe_core::geometry::Point::new(10.0, 20.0), boustrophe_core::geometry::Point::new(90.0, 20.0))],
            false,
        );
        let layers = [
            WriteLayer { name: "cut", colour: 1, paths: vec![Path::rectangle(0.0, 0.0, 100.0, 40.0)] },
            WriteLayer { name: "fold", colour: 5, paths: vec![line] },
        ];
        add_own(&bench.app, scored, &[("sign.dxf".into(), dxf::write(&layers).into_bytes())], "").expect("a drawing");
        on_top(&bench.app, scored, &Edit::Intake(IntakeEdit::RemoveDrawing { drawing: 1 }), "").expect("the plain one goes");
        let processes = |job: i32| {
            let work = bench.app.load(job).expect("the job").route.work;
            let mut all: Vec<(Process, bool)> = work.items.iter().map(|i| (i.process, i.contour.path.closed)).collect();
            all.sort_unstable();
            all
        };
        let (own, before) = (processes(scored), processes(host));
        hosting::take_in(&bench.app, host, BatchId::FIRST, scored, "").expect("taken in");
        let mut both: Vec<_> = own.into_iter().chain(before).collect();
        both.sort_unstable();
        assert_eq!(processes(host), both, "every line is what it is at home");
    };
    tokio::task::spawn_blocking(work).await.expect("it runs");
}

#[tokio::test(flavor = "multi_thread")]
async fn blanks_come_off_the_rack_as_many_as_were_worked_on() {
    let work = || {
        let bench = Bench::new();
        let (job, blank) = (bench.job("Tags", 60.0, 30.0), bench.put(90.0, 50.0, 9));
        let store = &bench.app.store;
        let part = bench.app.load(job).expect("the job").route.work.parts[0].id;
        let s = store.stocked(blank).expect("it");
        let tray = Tray {
            name: name(&s),
            rack: u32::try_from(blank).ok(),
            outline: s.stock.sheet.edges(),
            columns: 2,
            rows: 2,
            gap: 5.0,
            border: 10.0,
            lie: Lie::Centred,
            on_bed: None,
            play: 0.3,
            jig: None,
        };
        for edit in [NestEdit::SetQuantity { part, quantity: 7 }, NestEdit::SetTray { tray: Some(Box::new(tray)) }] {
            on_top(&bench.app, job, &edit.on(BatchId::FIRST), "").expect("set");
        }
        bench.lay(job);
        assert!(bench.stops(job).is_empty(), "{:?}", bench.stops(job));
        let held = |id: i32| store.stocked(id).expect("it").reserved.iter().map(|r| r.2).sum::<u32>();
        assert_eq!((held(blank), bench.app.load(job).expect("the job").here().nested.layout.sheets.len()), (7, 2));
        // The first tray is done: its four are off the rack, and three are still in hand.
        bench.done(job);
        settle(&bench.app);
        let after = store.stocked(blank).expect("it");
        assert_eq!((after.stock.count, held(blank)), (5, 3));
        assert_eq!(store.stock(None).expect("the rack").len(), 1, "nothing is left over of a blank");
        reserve(&bench.app, &bench.app.load(job).expect("the job")).expect("in hand");
        assert_eq!(held(blank), 3);
        // Fewer there than are to be worked on: it is told, and sheets are cut instead.
        store.change_stock(blank, (-3, None, ""), &Taken { person: "Bram Teck", words: "broken", ..Taken::default() }).expect("fewer");
        bench.lift(job, "sheet-gone");
    };
    tokio::task::spawn_blocking(work).await.expect("it is done");
}

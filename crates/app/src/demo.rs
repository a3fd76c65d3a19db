//! The demo shop: Marrowby Hiveware, its rules, and three jobs at different stations.

use crate::error::AppError;
use crate::incoming::add_own;
use crate::pages::changes::apply;
use crate::shop::App;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{Decisions, Edit, IntakeEdit, NestEdit, Stock};
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Control, Problem, Terms, search};
use boustrophe_core::shop::{Match, Rule, Shop};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../demo"]
struct Drawings;

/// Tries of the demo's nests: quick, and the same every time.
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
pub fn seed(app: &App) -> Result<(), AppError> {
    if !app.store.jobs()?.is_empty() {
        return Ok(());
    }
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
    nest(app, stands)?;

    let plates = begin(app, "Number plates", "2026-12-11", lark("acrylic"), &["number-plates.svg"])?;
    mend(app, plates)?;
    nest(app, plates)?;
    Ok(())
}

fn begin(app: &App, name: &str, due: &str, stock: Stock, files: &[&str]) -> Result<i32, AppError> {
    let job = app.store.add_job(name, "Odile Farrant", Some(due), &Decisions::on(stock))?;
    let bytes = |file: &&str| Drawings::get(file).map(|f| ((*file).to_owned(), f.data.into_owned()));
    add_own(app, job.id, &files.iter().filter_map(bytes).collect::<Vec<_>>())?;
    Ok(job.id)
}

fn change(app: &App, job: i32, edit: &Edit) -> Result<(), AppError> {
    let head = app.store.job(job)?.head.unwrap_or(0);
    apply(app, job, head, edit)
}

/// Takes the first remedy of whatever is open at Intake and Clean.
fn mend(app: &App, job: i32) -> Result<(), AppError> {
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

fn nest(app: &App, job: i32) -> Result<(), AppError> {
    let loaded = app.load(job)?;
    let terms = Terms::of(loaded.decided(), &loaded.machine(), &loaded.shop);
    let problem = Problem::new(&loaded.here().work, &terms, &loaded.shop.tolerance);
    let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: TRIES });
    change(app, job, &NestEdit::KeepLayout { layout }.on(BatchId::FIRST))
}

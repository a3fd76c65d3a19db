//! The dockets of Order, Proof and Release: figures by sheet.

use crate::error::AppError;
use crate::shop::{App, Loaded};
use crate::view::metres;
use askama::Template;
use boustrophe_core::assign::Process;
use boustrophe_core::finding::{Severity, Station};
use boustrophe_core::ids::BatchId;
use boustrophe_core::time::clock;
use boustrophe_store::Run;

struct OrderRow {
    sheet: usize,
    steps: usize,
    travel: String,
    drawn: String,
    saved: String,
}

#[derive(Template)]
#[template(path = "order/docket.html")]
pub(super) struct Order {
    revision: i32,
    job: i32,
    batch: BatchId,
    rows: Vec<OrderRow>,
    moved: usize,
}

pub(super) fn order_body(loaded: &Loaded) -> Order {
    // Travel is one figure: that of the program, as the ledger has it.
    let travelled = |i: usize, planned: f64| loaded.here().proofs.get(i).map_or(planned, |p| p.travel);
    let rows = loaded.here().sequence.sheets.iter().enumerate().map(|(i, s)| OrderRow {
        sheet: loaded.here().before + i + 1,
        steps: s.steps.len(),
        travel: metres(travelled(i, s.travel)),
        drawn: metres(s.travel_as_drawn),
        saved: if s.travel_as_drawn > 0.0 { format!("{:.0} %", (1.0 - s.travel / s.travel_as_drawn) * 100.0) } else { "0 %".into() },
    });
    Order {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        rows: rows.collect(),
        moved: loaded.decided().order.moved(),
    }
}

struct SheetTime {
    sheet: usize,
    total: String,
    split: Vec<(&'static str, String)>,
}

#[derive(Template)]
#[template(path = "proof/docket.html")]
pub(super) struct Proof {
    sheets: Vec<SheetTime>,
    passed: bool,
    open: usize,
}

pub(super) fn proof_body(loaded: &Loaded) -> Proof {
    let (route, here) = (&loaded.route, loaded.here());
    let sheets = here.proofs.iter().enumerate().map(|(i, p)| SheetTime {
        sheet: here.before + i + 1,
        total: clock(p.seconds),
        split: p.by_process.iter().map(|(process, s)| (process.map_or("travel", Process::slug), clock(*s))).collect(),
    });
    let faults = route.findings_of(Station::Proof).filter(|f| f.severity == Severity::Stop).count();
    let open = route.findings.iter().filter(|f| f.severity != Severity::Note && f.station != Station::Proof).count();
    Proof { sheets: sheets.collect(), passed: faults == 0 && !here.proofs.is_empty() && here.nested.current, open }
}

struct ReleaseRow {
    sheet: usize,
    name: String,
    time: String,
}

#[derive(Template)]
#[template(path = "release/docket.html")]
pub(super) struct Release {
    job: i32,
    revision: i32,
    batch: BatchId,
    released: bool,
    holding: Vec<(&'static str, &'static str, usize)>,
    rows: Vec<ReleaseRow>,
    runs: Vec<Run>,
    initials: String,
    machine: String,
}

pub(super) fn release_body(app: &App, loaded: &Loaded) -> Result<Release, AppError> {
    let (route, here) = (&loaded.route, loaded.here());
    let holding = Station::ALL
        .into_iter()
        .map(|s| (s.slug(), s.name(), route.findings_of(s).filter(|f| f.severity != Severity::Note).count()))
        .filter(|h| h.2 > 0)
        .collect();
    let rows = here.proofs.iter().enumerate().map(|(i, p)| ReleaseRow {
        sheet: here.before + i + 1,
        name: crate::names::stem(&loaded.job, loaded.decided(), here.before + i),
        time: clock(p.seconds),
    });
    Ok(Release {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        released: route.released(),
        holding,
        rows: rows.collect(),
        runs: app.store.runs_of(loaded.job.id)?,
        initials: loaded.decided().release.initials.clone(),
        machine: loaded.machine().name.clone(),
    })
}

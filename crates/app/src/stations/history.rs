//! The job's history: every revision with its figures.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::bench::docket;
use crate::view::{Cell, ledger};
use askama::Template;
use axum::extract::{Form, Path};
use axum::response::Html;
use boustrophe_core::finding::Station;
use boustrophe_core::ledger::Ledger;
use boustrophe_shop::app::App;
use serde::Deserialize;
use std::sync::Arc;

struct Row {
    id: i32,
    label: String,
    at: String,
    /// Who made it.
    person: String,
    cells: Vec<Cell>,
    here: bool,
    baseline: bool,
}

#[derive(Template)]
#[template(path = "stations/history.html")]
struct History {
    job: i32,
    station: String,
    /// The revision in force.
    head: i32,
    rows: Vec<Row>,
}

/// Rows shown at most, the newest.
const MOST_ROWS: usize = 200;

/// All revisions, the newest first, each compared with the baseline or its parent.
pub async fn history(app: Shared, Path((job, station)): Path<(i32, String)>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| told(app, job, station)).await
}

fn told(app: &Arc<App>, job: i32, station: String) -> Result<Html<String>, AppError> {
    let found = app.store.job(job)?;
    let revisions = app.store.history(job)?;
    let of =
        |id: Option<i32>| -> Option<Ledger> { revisions.iter().find(|r| Some(r.id) == id).and_then(|r| r.ledger).filter(|l| l.sheets > 0) };
    let shop = app.shop();
    let rows = revisions
        .iter()
        .rev()
        .take(MOST_ROWS)
        .map(|r| Row {
            id: r.id,
            label: r.label.clone(),
            person: r.person.clone(),
            at: r.created_at.get(11..16).unwrap_or_default().to_owned(),
            cells: ledger(&r.ledger.unwrap_or_default(), of(found.baseline.or(r.parent)).as_ref(), &shop.house.currency),
            here: found.head == Some(r.id),
            baseline: found.baseline == Some(r.id),
        })
        .collect();
    html(&History { job, station, head: found.head.unwrap_or(0), rows })
}

/// Which revision, and what with it.
#[derive(Deserialize)]
pub struct Choice {
    revision: i32,
    /// The revision that the page showed; none for whichever is in force.
    #[serde(default)]
    seen: Option<i32>,
    station: String,
    /// `go` to it, make it the `baseline`, or `plain` for none.
    what: String,
}

/// Goes to a revision, or compares with it from now on.
pub async fn choose(app: Shared, Path(job): Path<i32>, Form(choice): Form<Choice>) -> Result<Html<String>, AppError> {
    let station = Station::from_slug(&choice.station).unwrap_or(Station::Intake);
    blocking(&app, move |app| {
        match choice.what.as_str() {
            "baseline" => app.store.set_baseline(job, Some(choice.revision))?,
            "plain" => app.store.set_baseline(job, None)?,
            // What was seen is what is left: else another's change would be taken back.
            _ => app.store.go_to(job, choice.seen, choice.revision)?,
        }
        html(&docket(app, &app.load(job)?, station, true)?)
    })
    .await
}

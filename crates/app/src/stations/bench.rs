//! A job's page at one of the eight stations.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::dockets;
use crate::view::{Cell, FindingView, Stop, Tab, findings, ledger_of, stops, tabs};
use askama::Template;
use axum::extract::{Path, Query};
use axum::response::{Html, Redirect};
use boustrophe_core::custom;
use boustrophe_core::decisions::Edit;
use boustrophe_core::finding::Station;
use boustrophe_core::ids::BatchId;
use boustrophe_core::route::safe_now;
use boustrophe_shop::app::{App, Loaded, stock_words};
use serde::Deserialize;

/// The docket, and around it what changes with it.
#[derive(Template)]
#[template(path = "stations/docket.html")]
pub struct Docket {
    pub job: i32,
    pub revision: i32,
    pub station: &'static str,
    pub title: &'static str,
    pub findings: Vec<FindingView>,
    /// How many of them have a remedy that is safe to take unseen.
    pub safe: usize,
    /// Findings that were settled all at once, each with the remedy that was taken.
    pub taken: Vec<(String, String)>,
    /// The station's settings that are not as usual in this shop.
    pub differs: Vec<SetHere>,
    /// The station's own decisions.
    pub body: String,
    pub next: Option<(&'static str, &'static str)>,
    pub stops: Vec<Stop>,
    pub cells: Vec<Cell>,
    pub batch: BatchId,
    /// The stage's tools and layers here.
    pub hand: (&'static str, &'static str),
    /// The batches, where there are several.
    pub tabs: Vec<Tab>,
    /// What it is made on and of.
    pub stock: String,
    /// What carries the batch along in an address.
    pub query: String,
    pub can_undo: bool,
    /// A nest is being searched for, whatever station is looked at.
    pub nesting: bool,
    /// True for an answer to htmx: route and ledger come along out of band.
    pub fragment: bool,
}

/// A setting that is not as usual, with the change that sets it back.
pub struct SetHere {
    pub what: &'static str,
    pub now: String,
    pub usual: String,
    pub back: String,
}

/// A station's settings that are not as usual.
fn set_here(loaded: &Loaded, station: Station) -> Vec<SetHere> {
    let (decided, batch) = (loaded.decided(), loaded.batch);
    let differs = match station {
        Station::Nest => custom::at_nest(decided, batch, &loaded.shop),
        Station::Order => custom::at_order(decided, batch),
        Station::Hold => custom::at_hold(decided, batch, &loaded.shop),
        _ => Vec::new(),
    };
    let back = |edit: &Edit| serde_json::to_string(edit).unwrap_or_default();
    differs.into_iter().map(|d| SetHere { what: d.what, back: back(&d.back), now: d.now, usual: d.usual }).collect()
}

#[derive(Template)]
#[template(path = "stations/job.html")]
struct Page {
    name: String,
    person: String,
    due: String,
    customer: String,
    quantity: i32,
    batch: String,
    title: &'static str,
    job: i32,
    stops: Vec<Stop>,
    cells: Vec<Cell>,
    query: String,
    station: &'static str,
    fragment: bool,
    docket: String,
}

/// What a page may be asked for.
#[derive(Default, Deserialize)]
pub struct Wish {
    /// `docket` for the docket alone.
    #[serde(default)]
    part: String,
    /// Which batch it is about.
    #[serde(default)]
    batch: BatchId,
}

/// A job without a station goes to where it needs a hand.
pub async fn job(app: Shared, Path(job): Path<i32>) -> Result<Redirect, AppError> {
    let reached = blocking(&app, move |app| Ok(app.load(job)?.route.reached)).await?;
    Ok(Redirect::to(&format!("/jobs/{job}/{}", reached.slug())))
}

/// The page at a station.
pub async fn page(app: Shared, Path((job, slug)): Path<(i32, String)>, Query(wish): Query<Wish>) -> Result<Html<String>, AppError> {
    let station = Station::from_slug(&slug).ok_or_else(|| AppError::NoPage(format!("/jobs/{job}/{slug}")))?;
    blocking(&app, move |app| {
        let loaded = app.load(job)?.about(wish.batch);
        let docket = docket(app, &loaded, station, wish.part == "docket")?;
        if wish.part == "docket" { html(&docket) } else { whole(&loaded, station, docket) }
    })
    .await
}

fn whole(loaded: &Loaded, station: Station, docket: Docket) -> Result<Html<String>, AppError> {
    let rendered = html(&docket)?.0;
    html(&Page {
        name: loaded.job.name.clone(),
        person: loaded.job.person.clone(),
        due: loaded.job.due.clone().unwrap_or_default(),
        customer: loaded.job.customer.clone(),
        quantity: loaded.job.quantity,
        batch: docket.stock,
        title: docket.title,
        job: loaded.job.id,
        stops: docket.stops,
        cells: docket.cells,
        query: docket.query,
        station: station.slug(),
        fragment: false,
        docket: rendered,
    })
}

/// What the stage has at a station: tools for the hand, and what of the cuts is shown over the sheets.
fn hand(station: Station) -> (&'static str, &'static str) {
    match station {
        Station::Intake => ("region compare", ""),
        Station::Clean => ("", ""),
        Station::Assign => ("grain sort", ""),
        Station::Nest => ("carry", ""),
        Station::Order => ("sequence start", "nicks travel numbers"),
        Station::Hold => ("pierce nick", "nicks pierces fates"),
        Station::Proof => ("", "nicks"),
        Station::Release => ("zero", "nicks"),
    }
}

/// `?batch=2`; nothing for the first, which every job has.
fn query(batch: BatchId) -> String {
    if batch.is_first() { String::new() } else { format!("?batch={batch}") }
}

/// The docket of a station.
pub fn docket(app: &App, loaded: &Loaded, station: Station, fragment: bool) -> Result<Docket, AppError> {
    let at = Station::ALL.iter().position(|s| *s == station).unwrap_or(0);
    let baseline = match loaded.job.baseline.or(loaded.revision.parent) {
        Some(id) if id != loaded.revision.id => app.store.revision(loaded.job.id, id)?.ledger.filter(|l| l.sheets > 0),
        _ => None,
    };
    Ok(Docket {
        job: loaded.job.id,
        revision: loaded.revision.id,
        station: station.slug(),
        title: station.name(),
        findings: findings(loaded, station),
        safe: safe_now(&loaded.route, &|f| f.station == station).len(),
        taken: Vec::new(),
        differs: set_here(loaded, station),
        body: dockets::body(app, loaded, station)?,
        next: Station::ALL.get(at + 1).map(|s| (s.slug(), s.name())),
        stops: stops(loaded, Some(station)),
        cells: ledger_of(loaded, baseline.as_ref()),
        batch: loaded.batch,
        hand: hand(station),
        tabs: tabs(loaded, station),
        stock: stock_words(&loaded.decided().stock, &loaded.shop),
        query: query(loaded.batch),
        can_undo: loaded.revision.parent.is_some(),
        nesting: app.searches.progress(loaded.job.id).is_some(),
        fragment,
    })
}

//! Test cards and gauges: made as jobs, and what came out best goes to the cut chart.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book::{change, told};
use askama::Template;
use axum::extract::{Form, Path};
use axum::response::{Html, Redirect};
use boustrophe_core::assign::Process;
use boustrophe_core::card::{BLOCK, BLOCKS, Card, Drawn, chosen, gauge, grid, kerf, ladder};
use boustrophe_core::decisions::{Acceptance, AssignEdit, Decisions, Edit, IntakeEdit, JobSetting, Stock};
use boustrophe_core::drawing::Unit;
use boustrophe_core::quantity::{length, number};
use boustrophe_core::shop::{ChartRow, Shop};
use boustrophe_formats::svg::{WriteGroup, write};
use boustrophe_shop::app::{Loaded, stock_words};
use boustrophe_shop::changing::apply;
use boustrophe_shop::incoming::keep;
use boustrophe_store::Kind;
use serde::Deserialize;

/// Feeds and powers of a card unless typed: a third to three times the row it is made round.
const STEPS: usize = 5;
/// Thicknesses that a card is made for, mm.
const THICKNESSES: (f64, f64) = (0.05, 200.0);

/// What a card is to be of.
#[derive(Deserialize)]
pub struct NewCard {
    process: String,
    /// `gauge` for a kerf gauge instead.
    #[serde(default)]
    kind: String,
    #[serde(default)]
    machine: String,
    #[serde(default)]
    material: String,
    #[serde(default)]
    thickness: String,
    #[serde(default)]
    feeds: String,
    #[serde(default)]
    powers: String,
}

/// A card for the batch of a job.
pub async fn for_job(app: Shared, Path(job): Path<i32>, Form(new): Form<NewCard>) -> Result<Redirect, AppError> {
    let id = blocking(&app, move |app| {
        let loaded = app.load(job)?;
        let d = &loaded.revision.decisions;
        begin(app, d.first().stock.clone(), &d.assign.rows, &new)
    })
    .await?;
    Ok(Redirect::to(&format!("/jobs/{id}/assign")))
}

/// A card for what was typed on the chart's page.
pub async fn for_chart(app: Shared, Form(new): Form<NewCard>) -> Result<Redirect, AppError> {
    let id = blocking(&app, move |app| {
        let thickness = length(&new.thickness, Unit::Mm)?;
        let batch = Stock { machine: new.machine.clone(), material: new.material.clone(), thickness };
        begin(app, batch, &[], &new)
    })
    .await?;
    Ok(Redirect::to(&format!("/jobs/{id}/assign")))
}

/// Numbers with commas between; none typed gives `usual`.
fn list(text: &str, usual: Vec<f64>) -> Result<Vec<f64>, AppError> {
    if text.trim().is_empty() {
        return Ok(usual);
    }
    text.split([',', ';']).map(|t| number(t.trim()).map_err(AppError::sentence)).collect()
}

/// Begins the job of a card; gives its number.
fn begin(app: &Shared, batch: Stock, proposed: &[ChartRow], new: &NewCard) -> Result<i32, AppError> {
    let shop = app.shop();
    let machine = shop.machine(&batch.machine).ok_or_else(|| AppError::sentence(format!("there is no machine “{}”", batch.machine)))?;
    if !(THICKNESSES.0..=THICKNESSES.1).contains(&batch.thickness) {
        return Err(AppError::sentence(format!(
            "a thickness of {} mm will not do for a card; type {} to {} mm",
            batch.thickness, THICKNESSES.0, THICKNESSES.1
        )));
    }
    let material =
        shop.material(&batch.material).ok_or_else(|| AppError::sentence(format!("there is no material “{}”", batch.material)))?;
    let process = if new.kind == "gauge" {
        Process::Cut
    } else {
        Process::from_slug(&new.process).ok_or_else(|| AppError::sentence(format!("“{}” is no process", new.process)))?
    };
    let base = base_row(&shop, &batch, proposed, process, machine.feed_limit);
    // Labels and frame with what the chart can do already.
    let has = |p: Process| shop.row(&batch.machine, &batch.material, batch.thickness, p).is_some();
    let near = |p: Process| shop.proposed(&batch.machine, &batch.material, batch.thickness, p).map(|r| r.0);
    let labels = [Process::Score, Process::Mark].into_iter().find(|p| has(*p) || near(*p).is_some()).unwrap_or(Process::Reference);
    let (drawn, card) = if new.kind == "gauge" {
        (gauge(), Card::Gauge)
    } else {
        let top = machine.feed_limit.min(base.feed * 1.8);
        let feeds = list(&new.feeds, ladder(base.feed / 2.2, top, STEPS))?;
        let powers = list(&new.powers, ladder(base.power / 2.0, (base.power * 1.5).min(100.0), STEPS))?;
        if let Some(f) = feeds.iter().find(|f| **f > machine.feed_limit) {
            return Err(AppError::sentence(format!(
                "a feed of {f} mm/min is over {}'s {}; type lower ones",
                machine.name, machine.feed_limit
            )));
        }
        let drawn = grid(process, &feeds, &powers, labels, has(Process::Cut) || process == Process::Cut)?;
        (drawn, Card::Grid { process, feeds, powers })
    };
    let words = if new.kind == "gauge" { "kerf gauge".to_owned() } else { format!("test card, {}", process.name().to_lowercase()) };
    let name = format!("{} {} mm, {words}", material.name, batch.thickness);
    let mut decisions = Decisions { card: Some(card), ..Decisions::on(batch.clone()) };
    decisions.first_mut().hold.nicks = Some(false);
    if !has(process) {
        decisions.assign.rows.push(ChartRow { unproved: true, ..base.clone() });
    }
    decisions.assign.rows.extend(near(labels).filter(|_| labels != process && !has(labels)));
    // What a card tries out is unproved by its nature, and its labels are letters.
    decisions.accepted.extend(["unproved", "gaps", "specks"].map(|code| Acceptance::Everywhere(code.into())));
    decisions.assign.settings = drawn.settings.iter().map(|s| s.1.clone()).collect();
    let job = app.store.add_job(&name, &app.by, None, &decisions)?;
    let hash = keep(app, "card.svg", svg(&drawn).as_bytes())?;
    apply(app, job.id, job.head.unwrap_or(0), &Edit::Intake(IntakeEdit::AddDrawing { file: hash, name: "card.svg".into() }), &app.by)?;
    assign(app, job.id, &drawn)?;
    Ok(job.id)
}

/// The row that a card is made round: the chart's, the job's, the nearest thickness's, or plain middle figures.
fn base_row(shop: &Shop, batch: &Stock, proposed: &[ChartRow], process: Process, feed_limit: f64) -> ChartRow {
    let known = shop.row(&batch.machine, &batch.material, batch.thickness, process).cloned();
    let own = || proposed.iter().find(|r| r.is(&batch.machine, &batch.material, batch.thickness, process)).cloned();
    let near = || shop.proposed(&batch.machine, &batch.material, batch.thickness, process).map(|p| p.0);
    known.or_else(own).or_else(near).unwrap_or_else(|| ChartRow {
        machine: batch.machine.clone(),
        material: batch.material.clone(),
        thickness: batch.thickness,
        process,
        feed: (feed_limit / 10.0).round(),
        power: 40.0,
        least_power: 0.0,
        passes: 1,
        kerf: 0.2,
        pitch: 0.1,
        pierce: 0.0,
        air: process == Process::Cut,
        tool: None,
        unproved: true,
        time_factor: 1.0,
    })
}

fn svg(drawn: &Drawn) -> String {
    let groups: Vec<WriteGroup> = drawn
        .layers
        .iter()
        .map(|l| WriteGroup { name: &l.name, stroke: "#22292b", filled: l.process == Process::Engrave, paths: l.paths.clone() })
        .collect();
    write(drawn.size.0, drawn.size.1, &groups)
}

/// Gives each layer of the card its process, and its cells their settings.
fn assign(app: &Shared, job: i32, drawn: &Drawn) -> Result<(), AppError> {
    let loaded = app.load(job)?;
    let mut edits = Vec::new();
    for row in &loaded.route.work.key {
        let Some(at) = drawn.layers.iter().position(|l| l.name == row.style.layer) else { continue };
        let key = row.key.clone();
        edits.push(match drawn.settings.iter().find(|s| s.0 == at) {
            Some((_, setting)) => Edit::Assign(AssignEdit::UseForKey { key, setting: Some(setting.id) }),
            None => Edit::Assign(AssignEdit::SetKey { key, process: Some(drawn.layers[at].process) }),
        });
    }
    Ok(apply(app, job, loaded.revision.id, &Edit::All { edits }, &app.by)?)
}

struct CellView {
    id: u32,
    feed: f64,
    power: f64,
}

#[derive(Template)]
#[template(path = "things/book/card.html")]
struct Page {
    job: i32,
    name: String,
    batch: String,
    /// Rows of cells, the highest first as they lie; powers are the columns.
    rows: Vec<Vec<CellView>>,
    powers: Vec<f64>,
    process: String,
    gauge: bool,
    drawn: f64,
    blocks: u32,
    person: String,
}

/// The page on which the best cell is clicked, or what was measured is typed.
pub async fn page(app: Shared, Path(job): Path<i32>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| shown(app, job)).await
}

fn shown(app: &Shared, job: i32) -> Result<Html<String>, AppError> {
    let loaded = app.load(job)?;
    let d = &loaded.revision.decisions;
    let shop = &loaded.shop;
    let mut page = Page {
        job,
        name: loaded.job.name.clone(),
        batch: stock_words(&d.first().stock, shop),
        rows: Vec::new(),
        powers: Vec::new(),
        process: String::new(),
        gauge: false,
        drawn: BLOCK * f64::from(BLOCKS),
        blocks: BLOCKS,
        person: loaded.job.person.clone(),
    };
    match &d.card {
        Some(Card::Grid { process, feeds, powers }) => {
            let cell = |s: &JobSetting| CellView { id: s.id, feed: s.feed.unwrap_or(0.0), power: s.power.unwrap_or(0.0) };
            let rows = feeds.iter().map(|f| d.assign.settings.iter().filter(|s| s.feed == Some(*f)).map(cell).collect());
            page.rows = rows.rev().collect();
            page.powers.clone_from(powers);
            page.process = process.name().to_lowercase();
        }
        Some(Card::Gauge) => page.gauge = true,
        None => return Err(AppError::sentence("this job is no test card; make one from Assign or from the cut chart.".into())),
    }
    html(&page)
}

/// The cell that came out best, or what the gauge measures.
#[derive(Deserialize)]
pub struct Best {
    #[serde(default)]
    cell: String,
    #[serde(default)]
    measured: String,
    #[serde(default)]
    drawn: String,
    #[serde(default)]
    person: String,
}

/// Writes what came out best to the cut chart.
pub async fn best(app: Shared, Path(job): Path<i32>, Form(best): Form<Best>) -> Result<Redirect, AppError> {
    let key = blocking(&app, move |app| best_taken(app, job, &best)).await?;
    Ok(Redirect::to(&format!("/shop/charts?row={key}#row")))
}

fn best_taken(app: &Shared, job: i32, best: &Best) -> Result<String, AppError> {
    let loaded = app.load(job)?;
    let d = &loaded.revision.decisions;
    let mm = |text: &str| length(text.trim(), Unit::Mm).map_err(AppError::sentence);
    let (row, reason) = match &d.card {
        Some(Card::Gauge) => {
            let now = row_of(&loaded, Process::Cut)?;
            let kerf = kerf(mm(&best.drawn)?, mm(&best.measured)?, BLOCKS)?;
            (ChartRow { kerf, ..now }, format!("kerf measured {kerf} mm on {}", loaded.job.name))
        }
        Some(Card::Grid { process, .. }) => {
            let cell = best.cell.parse().ok().and_then(|id: u32| d.assign.settings.iter().find(|s| s.id == id));
            let cell = cell.ok_or_else(|| AppError::sentence("click the cell that came out best.".into()))?;
            let now = row_of(&loaded, *process)?;
            let (feed, power) = (cell.feed.unwrap_or(now.feed), cell.power.unwrap_or(now.power));
            (chosen(&now, feed, power), format!("best of {}", loaded.job.name))
        }
        None => return Err(AppError::sentence("this job is no test card.".into())),
    };
    put(app, row, app.signed(&best.person), &reason)
}

/// Which process came out well.
#[derive(Deserialize)]
pub struct Proved {
    process: String,
}

/// The unproved row of a job came out well: it goes to the chart.
pub async fn proved(app: Shared, Path(job): Path<i32>, Form(form): Form<Proved>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?;
        let process = Process::from_slug(&form.process).ok_or_else(|| AppError::sentence(format!("“{}” is no process", form.process)))?;
        let row = row_of(&loaded, process)?;
        put(app, ChartRow { unproved: false, ..row }, &app.by, &format!("came out well in {}", loaded.job.name))
    })
    .await?;
    Ok(Redirect::to(&format!("/jobs/{job}/assign")))
}

fn row_of(loaded: &Loaded, process: Process) -> Result<ChartRow, AppError> {
    let row = loaded.rows().get(process, None).cloned();
    row.ok_or_else(|| AppError::sentence(format!("there are no {} settings to keep", process.name().to_lowercase())))
}

/// Puts a row into the chart, in place of the one it had; gives its key.
fn put(app: &Shared, row: ChartRow, person: &str, reason: &str) -> Result<String, AppError> {
    let key = row.key();
    change(app, Kind::Chart, None, (person, reason), |shop| {
        let machine = shop.machine(&row.machine).ok_or_else(|| format!("there is no machine “{}”", row.machine))?;
        told(&row.troubles(machine))?;
        match shop.chart.iter_mut().find(|r| r.is(&row.machine, &row.material, row.thickness, row.process)) {
            Some(known) => *known = ChartRow { thickness: known.thickness, ..row },
            None => shop.chart.push(row),
        }
        Ok(())
    })?;
    Ok(key)
}

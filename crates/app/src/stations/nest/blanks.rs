//! Ready-made pieces that are worked on: which, how many in a tray, how the work lies on them, and the jig that holds them.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::changes;
use crate::typed::Typed;
use axum::extract::{Form, Path};
use axum::response::{Redirect, Response};
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{Decisions, Edit, Lie, NestEdit, Stock, Tray, checked_tray};
use boustrophe_core::drawing::Unit;
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::{self, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::Turn;
use boustrophe_core::quantity::{count, length};
use boustrophe_formats::jig;
use boustrophe_shop::app::App;
use boustrophe_shop::rack::name;
use boustrophe_shop::{incoming, nests};
use serde::Deserialize;
use std::sync::Arc;

/// A tray as its form says it; lengths as they are typed.
#[derive(Deserialize)]
pub struct TrayForm {
    revision: i32,
    #[serde(default)]
    batch: BatchId,
    /// Number of the blank on the rack; empty where its size is typed.
    #[serde(default)]
    rack: String,
    /// `150x150`, or `d100` for a round one.
    #[serde(default)]
    size: String,
    columns: String,
    rows: String,
    gap: String,
    border: String,
    #[serde(default)]
    play: String,
    #[serde(default)]
    lie: String,
    #[serde(default)]
    x: String,
    #[serde(default)]
    y: String,
    /// Two points of the work and two of the blank: `x,y x,y`.
    #[serde(default)]
    work: String,
    #[serde(default)]
    blank: String,
}

fn mm(text: &str) -> Result<f64, AppError> {
    length(text.trim(), Unit::Mm).map_err(AppError::sentence)
}

/// A blank's outline from its typed size.
fn typed(size: &str) -> Result<(String, Vec<geometry::Path>), AppError> {
    let typed = size.trim();
    if let Some(d) = typed.strip_prefix(['d', 'D', 'ø', 'Ø', '⌀']) {
        let d = mm(d)?;
        if !(1.0..=5000.0).contains(&d) {
            return Err(AppError::sentence(format!("a blank of {d} mm will not do; use 1 to 5000 mm.")));
        }
        return Ok((format!("round blank {d} mm"), vec![geometry::Path::circle(Point::new(d / 2.0, d / 2.0), d / 2.0)]));
    }
    let (w, h) = typed
        .split_once(['x', '×', '*'])
        .ok_or_else(|| AppError::sentence(format!("“{typed}” is no size of a blank; type 150x150, or d100 for a round one.")))?;
    let (w, h) = (mm(w)?, mm(h)?);
    Ok((format!("blank {w} × {h} mm"), vec![geometry::Path::rectangle(0.0, 0.0, w, h)]))
}

/// Two points as they are typed.
fn points(text: &str, of: &str) -> Result<[Point; 2], AppError> {
    let wrong = || AppError::sentence(format!("“{text}” are no two points of the {of}; type them as 0,0 90,0."));
    let all: Vec<Point> = text
        .split_whitespace()
        .map(|p| {
            let (x, y) = p.split_once(',').ok_or_else(wrong)?;
            Ok(Point::new(mm(x)?, mm(y)?))
        })
        .collect::<Result<_, AppError>>()?;
    <[Point; 2]>::try_from(all).map_err(|_| wrong())
}

impl TrayForm {
    fn tray(&self, app: &App, before: Option<&Tray>) -> Result<Tray, AppError> {
        let (name, rack, outline) = match self.rack.trim().parse::<i32>() {
            Ok(id) => {
                let s = app.store.stocked(id)?;
                (name(&s), u32::try_from(id).ok(), s.stock.sheet.edges())
            }
            Err(_) => {
                let (name, outline) = typed(&self.size)?;
                (name, None, outline)
            }
        };
        let lie = match self.lie.as_str() {
            "corner" => Lie::Corner { x: mm(&self.x)?, y: mm(&self.y)? },
            "points" => Lie::Points { work: points(&self.work, "work")?, blank: points(&self.blank, "blank")? },
            _ => Lie::Centred,
        };
        let tray = Tray {
            name,
            rack,
            outline,
            columns: count(self.columns.trim(), 1, 200)?,
            rows: count(self.rows.trim(), 1, 200)?,
            gap: mm(&self.gap)?,
            border: mm(&self.border)?,
            lie,
            on_bed: before.and_then(|t| t.on_bed),
            play: if self.play.trim().is_empty() { 0.3 } else { mm(&self.play)? },
            jig: None,
        };
        checked_tray(&tray)?;
        // Its jig is still its jig as long as it has the same pockets.
        let same = |t: &&Tray| {
            let pockets = |t: &Tray| (t.columns, t.rows, t.gap.to_bits(), t.border.to_bits(), t.play.to_bits());
            pockets(t) == pockets(&tray) && t.outline == tray.outline
        };
        let jig = before.filter(same).and_then(|t| t.jig);
        Ok(Tray { jig, on_bed: tray.on_bed.filter(|_| jig.is_some()), ..tray })
    }
}

/// Works on blanks in a tray.
pub async fn work(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<TrayForm>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?;
        let before = loaded.revision.decisions.batch(form.batch).nest.tray.clone();
        let tray = form.tray(app, before.as_deref())?;
        let edits = vec![NestEdit::SetTray { tray: Some(Box::new(tray)) }.on(form.batch), NestEdit::Nest.on(form.batch)];
        changes::made(app, (job, form.revision), Station::Nest, form.batch, &Edit::All { edits })
    })
    .await
}

/// Which batch's tray.
#[derive(Deserialize)]
pub struct Of {
    #[serde(default)]
    batch: BatchId,
}

fn tray_of(app: &App, job: i32, batch: BatchId) -> Result<Arc<Tray>, AppError> {
    let none = || AppError::sentence("this batch is not worked on blanks any more; load the page again.".into());
    app.load(job)?.revision.decisions.batch(batch).nest.tray.clone().ok_or_else(none)
}

fn set(app: &Shared, job: i32, batch: BatchId, tray: Tray) -> Result<(), AppError> {
    Ok(incoming::on_top(app, job, &NestEdit::SetTray { tray: Some(Box::new(tray)) }.on(batch), &app.by)?)
}

/// Begins a job that cuts the tray's jig.
pub async fn cut_jig(app: Shared, Path(job): Path<i32>, Form(of): Form<Of>) -> Result<Redirect, AppError> {
    let to = blocking(&app, move |app| jig_begun(app, job, &of)).await?;
    Ok(Redirect::to(&format!("/jobs/{to}/nest")))
}

fn jig_begun(app: &Shared, job: i32, of: &Of) -> Result<i32, AppError> {
    let tray = tray_of(app, job, of.batch)?;
    if let Some(there) = tray.jig.filter(|j| app.store.job(*j).is_ok()) {
        return Ok(there);
    }
    let loaded = app.load(job)?.about(of.batch);
    let machine = loaded.here().stock.machine.clone();
    // Of what the machine's chart cuts first: people change it to the scrap they have.
    let row = loaded.shop.chart.iter().filter(|r| r.machine == machine && r.process == Process::Cut);
    let row = row.min_by(|a, b| a.thickness.total_cmp(&b.thickness));
    let stock = row.map_or_else(Stock::default, |r| Stock { machine, material: r.material.clone(), thickness: r.thickness });
    // The trays will lie as the jig does: unturned.
    let decisions = NestEdit::SetTurn { turn: Turn::None }.on(BatchId::FIRST).apply(&Decisions::on(stock))?;
    let made = app.store.add_job(&format!("Jig for {}", loaded.job.name), &app.by, None, &decisions)?;
    incoming::add_own(app, made.id, &[(format!("jig{}", jig::ENDING), jig::to_text(&tray).into_bytes())], &app.by)?;
    set(app, job, of.batch, Tray { jig: Some(made.id), ..(*tray).clone() })?;
    Ok(made.id)
}

/// The tray lies where its jig was cut: the next tray goes there too.
pub async fn where_jig_lies(app: Shared, Path(job): Path<i32>, Form(of): Form<Of>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| laid_by_jig(app, job, &of)).await?;
    Ok(Redirect::to(&format!("/jobs/{job}/nest")))
}

fn laid_by_jig(app: &Shared, job: i32, of: &Of) -> Result<(), AppError> {
    let tray = tray_of(app, job, of.batch)?;
    let sentence = |text: &str| AppError::sentence(text.into());
    let jig = tray.jig.ok_or_else(|| sentence("no job cuts this tray's jig; have it cut first."))?;
    let loaded = app.load(jig)?;
    let here = loaded.here();
    let lies = here.nested.layout.sheets.iter().zip(&here.poses).find_map(|(s, pose)| s.placed.first().map(|p| (p, pose)));
    let (placed, pose) = lies.ok_or_else(|| sentence("the jig is not nested yet; nest it where it will lie on the bed."))?;
    let to_bed = pose.to_bed() * placed.affine();
    let (origin, right) = (to_bed * Point::ZERO, to_bed * Point::new(1.0, 0.0));
    if (right - origin).y.abs() > 1e-6 || right.x < origin.x || placed.mirrored {
        return Err(sentence(
            "the jig lies turned on its sheet or on the bed; nest it with turns “none”, or line the tray up by two points at Release.",
        ));
    }
    let on_bed = Some(Point::new((origin.x * 1000.0).round() / 1000.0, (origin.y * 1000.0).round() / 1000.0));
    set(app, job, of.batch, Tray { on_bed, ..(*tray).clone() })?;
    Ok(nests::start(app, job, of.batch, nests::Wish::of(&app.by))?)
}

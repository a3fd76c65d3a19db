//! The operator's page: a program on a machine.

use super::{Shared, blocking};
use crate::error::{AppError, html};
use crate::runs;
use askama::Template;
use axum::extract::{Form, Path, Query};
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::time::clock;
use boustrophe_formats::svg::path_data;
use boustrophe_store::Run;
use serde::Deserialize;

#[derive(Template)]
#[template(path = "run.html")]
struct Page {
    run: Run,
    job_name: String,
    machine: String,
    material: String,
    tone: String,
    sheet: (f64, f64),
    outlines: String,
    status: String,
}

#[derive(Template)]
#[template(path = "run_status.html")]
struct StatusPart {
    run: Run,
    percent: u32,
    done: String,
    left: String,
    total: String,
}

/// The figures alone: what moves while the buttons stay.
#[derive(Template)]
#[template(path = "run_progress.html")]
struct Progress {
    run: Run,
    percent: u32,
    done: String,
    left: String,
    total: String,
}

/// Which sheet, from 1.
#[derive(Deserialize)]
pub struct Send {
    sheet: usize,
}

/// Sends a sheet's program to its machine and shows the run.
pub async fn send(app: Shared, Path(job): Path<i32>, Form(send): Form<Send>) -> Result<Redirect, AppError> {
    let run = blocking(&app, move |app| runs::send(app, job, send.sheet.saturating_sub(1))).await?;
    Ok(Redirect::to(&format!("/runs/{run}")))
}

/// The page of a run.
pub async fn page(app: Shared, Path(id): Path<i32>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let run = app.store.run(id)?;
        let job = app.store.job(run.job_id)?;
        let decisions = app.store.revision(run.job_id, run.revision)?.decisions;
        let shop = app.shop();
        let route = app.route(&decisions, &shop)?;
        let material = shop.material(&decisions.batch.material);
        let layout = usize::try_from(run.sheet - 1).ok().and_then(|i| route.nested.layout.sheets.get(i));
        let outlines = layout.map_or_else(String::new, |l| {
            l.placed
                .iter()
                .filter_map(|p| Some(path_data(&route.work.part(p.part)?.outline.transformed(p.affine()), l.sheet.height)))
                .collect()
        });
        let status = html(&status_of(run.clone()))?.0;
        html(&Page {
            job_name: job.name,
            machine: shop.machine(&run.machine).map_or_else(|| run.machine.clone(), |m| m.name.clone()),
            material: format!(
                "{} {} mm",
                material.map_or(decisions.batch.material.as_str(), |m| m.name.as_str()),
                decisions.batch.thickness
            ),
            tone: material.map_or_else(|| "#ddd".into(), |m| m.tone.clone()),
            sheet: layout.map_or((1.0, 1.0), |l| (l.sheet.width, l.sheet.height)),
            outlines,
            status,
            run,
        })
    })
    .await
}

fn status_of(run: Run) -> StatusPart {
    let share = if run.total > 0.0 { (run.seconds / run.total).clamp(0.0, 1.0) } else { 0.0 };
    let share = if run.state == "done" { 1.0 } else { share };
    StatusPart {
        percent: (share * 100.0).round() as u32,
        done: clock(run.seconds),
        left: clock((run.total - run.seconds).max(0.0)),
        total: clock(run.total),
        run,
    }
}

/// What the asking page shows.
#[derive(Deserialize)]
pub struct Shown {
    #[serde(default)]
    state: String,
}

/// How the run stands, for a page that asks again and again: the figures; once its state has changed, the buttons too.
pub async fn status(app: Shared, Path(id): Path<i32>, Query(shown): Query<Shown>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let status = status_of(app.store.run(id)?);
        if status.run.state == shown.state {
            let StatusPart { run, percent, done, left, total } = status;
            return Ok(html(&Progress { run, percent, done, left, total })?.into_response());
        }
        Ok(([("hx-retarget", "#run-status")], html(&status)?).into_response())
    })
    .await
}

/// Start, pause, resume, stop.
pub async fn order(app: Shared, Path((id, word)): Path<(i32, String)>) -> Result<Response, AppError> {
    if !["start", "pause", "resume", "stop"].contains(&word.as_str()) {
        return Err(AppError::NoPage(format!("/runs/{id}/{word}")));
    }
    runs::order(&app, id, &word).await?;
    status(app, Path(id), Query(Shown { state: String::new() })).await
}

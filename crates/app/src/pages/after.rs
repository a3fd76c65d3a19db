//! After a run: how one that broke off goes on, and whether one that is done has cut through.

use super::typed::Typed;
use super::{Shared, blocking, changes};
use crate::error::AppError;
use crate::machines::again::{self, SheetOf};
use crate::shop::App;
use axum::extract::{Form, Path};
use axum::response::Redirect;
use boustrophe_core::decisions::{Edit, NestEdit};
use boustrophe_core::finding::Station;
use boustrophe_core::ids::{BatchId, CopyId};
use boustrophe_formats::svg::path_data;
use boustrophe_store::Run;
use serde::Deserialize;
use std::sync::Arc;

/// Ticked when everything is cut through.
pub(super) const THROUGH: &str = "through";
/// Longest name of who ticks.
pub(super) const LONGEST_NAME: usize = 60;

/// A way on: its word, what it says, where it begins on the sheet, mm.
pub(super) type WayOn = (&'static str, String, (f64, f64));
/// A copy that was cut: id, name, outline as path data.
pub(super) type Made = (String, String, String);

/// How a run that broke off can go on.
pub(super) fn ways(app: &Arc<App>, run: &Run) -> Result<Vec<WayOn>, AppError> {
    let later = app.store.runs_of(run.job_id)?.iter().any(|r| r.goes_on == Some(run.id) && r.state != "withdrawn");
    if !again::broke_off(run) || later {
        return Ok(Vec::new());
    }
    let n = run.cuts_done + 1;
    let mut out = Vec::new();
    for (word, onward) in again::WAYS {
        let says = match onward {
            again::Onward::Again => format!("Piece {n} again from its begin"),
            again::Onward::Here => format!("Piece {n} on from where it stopped"),
            again::Onward::Next => format!("On with piece {}", n + 1),
        };
        // Where it cannot be worked out any more there is no way on; the page is shown all the same.
        let left = again::left(app, run, onward).ok();
        out.extend(left.as_ref().and_then(again::begin).map(|at| (word, says, at)));
    }
    Ok(out)
}

/// The copies that a run that is done has cut; none where its sheet cannot be worked out any more.
pub(super) fn copies(app: &App, run: &Run) -> Vec<Made> {
    if run.state != "done" {
        return Vec::new();
    }
    let Ok(sheet) = SheetOf::run(app, run) else { return Vec::new() };
    let height = sheet.here().nested.layout.sheets.get(sheet.at).map_or(0.0, |s| s.sheet.height);
    let named = |p: &boustrophe_core::nest::Placement| {
        let part = sheet.here().work.part(p.copy.part)?;
        let name = if part.quantity > 1 { format!("{}, copy {}", part.name, p.copy.number) } else { part.name.clone() };
        Some((p.copy.to_string(), name, path_data(&part.outline.transformed(p.affine()), height)))
    };
    let mut all: Vec<Made> = sheet.copies().iter().filter_map(named).collect();
    all.sort_by(|a, b| (a.1.len(), &a.1).cmp(&(b.1.len(), &b.1)));
    all
}

/// Where a run goes on that broke off, as it is posted.
#[derive(Deserialize)]
pub struct Onward {
    from: String,
}

/// Sends what is left of a run that broke off, and shows the new one.
pub async fn onward(app: Shared, Path(id): Path<i32>, Form(form): Form<Onward>) -> Result<Redirect, AppError> {
    let new = blocking(&app, move |app| {
        let run = app.store.run(id)?;
        let chosen = again::WAYS.iter().find(|w| w.0 == form.from);
        let (_, onward) = chosen.ok_or_else(|| AppError::Sentence("that is no way on; load the page again.".into()))?;
        again::go_on(app, &run, *onward)
    })
    .await?;
    Ok(Redirect::to(&format!("/runs/{new}")))
}

/// What was not cut through, and what is to be done about it.
#[derive(Deserialize)]
pub struct Through {
    #[serde(default)]
    failed: Vec<String>,
    /// `again`, `nest`, or empty where all is through.
    #[serde(default)]
    then: String,
    #[serde(default)]
    person: String,
}

/// Takes the answer to “cut through?”: nothing is to be done, or those copies are cut again, or wanted once more in the nest.
pub async fn through(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<Through>) -> Result<Redirect, AppError> {
    let to = blocking(&app, move |app| answered(app, id, &form)).await?;
    Ok(Redirect::to(&to))
}

fn answered(app: &Arc<App>, id: i32, form: &Through) -> Result<String, AppError> {
    let run = app.store.run(id)?;
    if run.state != "done" {
        return Err(AppError::Sentence("it has not come to its end; there is nothing to look through yet.".into()));
    }
    let person: String = form.person.trim().chars().take(LONGEST_NAME).collect();
    if person.is_empty() {
        return Err(AppError::Sentence("type your name first: the list keeps who looked.".into()));
    }
    let failed = form.failed.iter().map(|c| c.parse::<CopyId>()).collect::<Result<Vec<_>, _>>()?;
    if failed.is_empty() || form.then.is_empty() {
        if !failed.is_empty() {
            return Err(AppError::Sentence("say what is to be done with what is not cut through: cut it again, or nest it again.".into()));
        }
        app.store.tick(id, THROUGH, &person, true)?;
        return Ok(format!("/runs/{id}"));
    }
    app.store.tick(id, THROUGH, &person, true)?;
    if form.then == "again" {
        return Ok(format!("/runs/{}", again::cut_again(app, &run, &failed)?));
    }
    // Wanted once more: the copies that are lost count as made, so that many more are.
    let loaded = app.load(run.job_id)?;
    let sheet = usize::try_from(run.sheet - 1).unwrap_or(0);
    let batch = loaded.route.sheet(sheet).map_or(BatchId::FIRST, |s| s.0);
    let here = loaded.route.batch(batch);
    let mut edits = Vec::new();
    for part in here.work.parts.iter().map(|p| p.id) {
        let lost = failed.iter().filter(|c| c.part == part).count();
        let now = here.work.part(part).map_or(0, |p| p.quantity);
        if lost > 0 {
            edits.push(NestEdit::SetQuantity { part, quantity: now + u32::try_from(lost).unwrap_or(0) }.on(batch));
        }
    }
    changes::made(app, (run.job_id, loaded.revision.id), Station::Nest, batch, &Edit::All { edits })?;
    Ok(format!("/jobs/{}/nest", run.job_id))
}

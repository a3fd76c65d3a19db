//! After a run: how one that broke off goes on, and whether one that is done has cut through. Until that is said its sheet lies on the
//! bed, and nothing else comes there.

use crate::asking::{Shared, blocking, named};
use crate::error::AppError;
use crate::typed::Typed;
use axum::extract::Path;
use axum::response::Redirect;
use boustrophe_core::drawing::Unit;
use boustrophe_core::ids::CopyId;
use boustrophe_core::quantity::length;
use boustrophe_core::run::{Answer, RunState};
use boustrophe_formats::svg::path_data;
use boustrophe_shop::app::App;
use boustrophe_shop::runs::again::{self, FURTHEST_BACK, Onward, SheetOf, Wanted};
use boustrophe_shop::runs::said::said;
use boustrophe_store::{Run, StoreError};
use serde::Deserialize;
use strum::IntoEnumIterator;

/// A way on: its word, what it says, where it begins on the sheet, mm.
pub(super) type WayOn = (String, String, (f64, f64));
/// A copy that was cut: id, name, outline as path data.
pub(super) type Made = (String, String, String);

/// How a run that broke off can go on.
pub(super) fn ways(app: &App, run: &Run) -> Vec<WayOn> {
    if !again::broke_off(run) {
        return Vec::new();
    }
    let n = run.cuts_done + 1;
    let says = |onward| match onward {
        Onward::Again => format!("Piece {n} again from its begin"),
        Onward::Here => format!("Piece {n} on from where it stopped"),
        Onward::Next => format!("On with piece {}", n + 1),
    };
    // Where it cannot be worked out there is no such way on; the page is shown all the same.
    Onward::iter().filter_map(|o| Some((o.to_string(), says(o), again::begins(app, run, o)?))).collect()
}

/// The copies on the sheet of a run that has ended and is asked about.
pub(super) fn copies(app: &App, run: &Run) -> Vec<Made> {
    if !run.asks() && run.state != RunState::Done {
        return Vec::new();
    }
    let Ok(sheet) = SheetOf::run(app, run) else { return Vec::new() };
    let height = sheet.sheet().map_or(0.0, |s| s.layout.sheet.height);
    let named = |p: &boustrophe_core::nest::Placement| {
        let part = sheet.batch().work.part(p.copy.part)?;
        let name = if part.quantity > 1 { format!("{}, copy {}", part.name, p.copy.number) } else { part.name.clone() };
        Some((p.copy.to_string(), name, path_data(&part.outline.transformed(p.affine()), height)))
    };
    let mut all: Vec<Made> = sheet.copies().iter().filter_map(named).collect();
    all.sort_by(|a, b| (a.1.len(), &a.1).cmp(&(b.1.len(), &b.1)));
    all
}

/// Where a run goes on that broke off, as it is posted.
#[derive(Deserialize)]
pub struct OnwardForm {
    from: String,
    /// So much of what was burned once more, as typed; empty for as the machine is used to.
    #[serde(default)]
    back: String,
    /// The sheet was put back and aligned since.
    #[serde(default)]
    moved: String,
    #[serde(default)]
    person: String,
}

/// Sends what is left of a run that broke off, and shows the new one.
pub async fn onward(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<OnwardForm>) -> Result<Redirect, AppError> {
    let new = blocking(&app, move |app| gone_on(app, id, &form)).await?;
    Ok(Redirect::to(&format!("/runs/{new}")))
}

fn gone_on(app: &Shared, id: i32, form: &OnwardForm) -> Result<i32, AppError> {
    let run = app.store.run(id)?;
    let onward = form.from.parse().map_err(|_| AppError::sentence("that is no way on; load the page again.".into()))?;
    let back = match form.back.trim() {
        "" => None,
        typed => Some(length(typed, Unit::Mm).map_err(AppError::sentence)?),
    };
    if let Some(back) = back.filter(|b| !(0.0..=FURTHEST_BACK).contains(b)) {
        return Err(AppError::sentence(format!("{back} mm back will not do; use 0 to {FURTHEST_BACK}.")));
    }
    Ok(again::go_on(app, &run, Wanted { onward, back, moved: !form.moved.is_empty() }, app.signed(&form.person))?)
}

/// What was not cut through, and what is to be done about it.
#[derive(Deserialize)]
pub struct Through {
    #[serde(default)]
    failed: Vec<String>,
    /// `again`, `nest`, `gone`, or empty where all is through.
    #[serde(default)]
    then: String,
    #[serde(default)]
    person: String,
}

/// Takes the answer to what becomes of a sheet: nothing is to be done, some copies are cut again, some are wanted once more in the
/// nest, or the sheet is given up.
pub async fn through(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<Through>) -> Result<Redirect, AppError> {
    let to = blocking(&app, move |app| answered(app, id, &form)).await?;
    Ok(Redirect::to(&to))
}

fn answered(app: &Shared, id: i32, form: &Through) -> Result<String, AppError> {
    let sentence = |text: &str| Err(AppError::sentence(text.into()));
    let run = app.store.run(id)?;
    if !run.state.is_ended() || !run.has_burned() {
        return sentence("it has not come to its end; there is nothing to look through yet.");
    }
    if !run.asks() {
        return Err(StoreError::Answered { run: id }.into());
    }
    let person = named(app.signed(&form.person));
    if person.is_empty() {
        return sentence("type your name first: the list keeps who looked.");
    }
    let failed = form.failed.iter().map(|c| c.parse::<CopyId>()).collect::<Result<Vec<_>, _>>()?;
    let (done, here) = (run.state == RunState::Done, format!("/runs/{id}"));
    match form.then.as_str() {
        "" if !failed.is_empty() => sentence("say what is to be done with what is not cut through: cut it again, or nest it again."),
        "" if done => Ok(said(app, &run, Answer::Through, &[], &person).map(|()| here)?),
        "gone" if !done => Ok(said(app, &run, Answer::Gone, &[], &person).map(|()| here)?),
        "nest" if done && failed.is_empty() => sentence("tap what still hangs first, in the picture or in the list."),
        "nest" => Ok(said(app, &run, Answer::Nest, &failed, &person).map(|()| format!("/jobs/{}/nest", run.job_id))?),
        "again" if done && !failed.is_empty() => Ok(format!("/runs/{}", again::cut_again(app, &run, &failed, &person)?)),
        _ => sentence("that is no answer to what becomes of the sheet; load the page again."),
    }
}

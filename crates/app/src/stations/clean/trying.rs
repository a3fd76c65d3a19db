//! An operation while it is typed: what it would come to, on the stage and in a sentence.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::form::Form;
use crate::stations::intake::forms::on_the_bench;
use crate::stations::stage::{flat, json};
use axum::extract::{Form as Posted, Path};
use axum::response::Response;
use boustrophe_core::clean::operate::{tried, words};
use boustrophe_core::geometry::Path as Line;
use serde::Serialize;

/// Lines that are shown at most.
const MOST: usize = 4_000;

#[derive(Default, Serialize)]
struct Trying {
    /// New contours and those that change, on the bench: closed or not, and the line.
    lines: Vec<(bool, Vec<f64>)>,
    /// What is to be said of it; empty where it does as asked.
    said: String,
    /// It is not understood yet: nothing is shown.
    unclear: bool,
}

/// What the operation that is typed would come to.
pub async fn trying(app: Shared, Path(job): Path<i32>, Posted(form): Posted<Form>) -> Result<Response, AppError> {
    blocking(&app, move |app| comes_to(app, job, &form)).await
}

fn comes_to(app: &Shared, job: i32, form: &Form) -> Result<Response, AppError> {
    let (drawing, contours) = form.chosen()?;
    let operation = match words::parse(form.value.trim(), &contours) {
        Ok(operation) => operation,
        Err(said) => return json(&Trying { said, unclear: true, ..Trying::default() }),
    };
    let loaded = app.load(job)?;
    let Some(d) = loaded.route.drawings.iter().find(|d| d.id == drawing) else {
        return Err(AppError::sentence("that drawing is gone; choose its contours anew.".into()));
    };
    let home = on_the_bench(&loaded, drawing).unwrap_or_default();
    let tried = tried(&d.cleaned.contours, &operation);
    let line = |p: &Line| (p.closed, flat(&p.transformed(home).segments));
    json(&Trying { lines: tried.shown.iter().take(MOST).map(line).collect(), said: tried.judged.said.join("; "), unclear: false })
}

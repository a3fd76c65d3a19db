//! Tables that fill the writing of a drawing: taken in, and how their words are set.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::changes;
use crate::typed::Typed;
use crate::uploads;
use axum::extract::{Multipart, Path};
use axum::response::{Redirect, Response};
use boustrophe_core::decisions::table::{Table, TableEdit};
use boustrophe_core::decisions::{Edit, IntakeEdit};
use boustrophe_core::finding::Station;
use boustrophe_core::lettering::Face;
use boustrophe_core::quantity::number;
use boustrophe_formats::table;
use boustrophe_shop::{incoming, tables};
use serde::Deserialize;

/// Takes a table in for a drawing.
pub async fn fill(app: Shared, Path((job, drawing)): Path<(i32, u32)>, multipart: Multipart) -> Result<Redirect, AppError> {
    let mut files = uploads::receive(&app, multipart).await?;
    let file = files.pop().filter(|_| files.is_empty());
    let Some(file) = file else { return Err(AppError::sentence("choose one table, saved as CSV.".into())) };
    blocking(&app, move |app| {
        let before = app.load(job)?.revision.decisions.drawing(drawing).and_then(|d| d.table.clone());
        let read = table::read(&file.name, &file.bytes()?)?;
        // Another table is set as the one before was.
        let kept = before.unwrap_or_default();
        let table = Table { narrowest: kept.narrowest, two_lines: kept.two_lines, face: kept.face, ..read };
        Ok(incoming::on_top(app, job, &tables::set(drawing, Some(table)), &app.by)?)
    })
    .await?;
    Ok(Redirect::to(&format!("/jobs/{job}/intake")))
}

/// How words are set, as the form says it.
#[derive(Deserialize)]
pub struct How {
    revision: i32,
    narrowest: String,
    #[serde(default)]
    two_lines: String,
    face: String,
}

/// Sets words otherwise.
pub async fn how(app: Shared, Path((job, drawing)): Path<(i32, u32)>, Typed { form, .. }: Typed<How>) -> Result<Response, AppError> {
    let share = number(form.narrowest.trim().trim_end_matches('%'))? / 100.0;
    let face = Face::named(&form.face)
        .ok_or_else(|| AppError::sentence(format!("there are no letters “{}” any more; choose others.", form.face)))?;
    let edits = [TableEdit::Narrowest { share }, TableEdit::TwoLines { on: form.two_lines == "on" }, TableEdit::Face { face }];
    let edits = edits.into_iter().map(|edit| Edit::Intake(IntakeEdit::Table { drawing, edit })).collect();
    changes::make(app, job, form.revision, Station::Intake, Edit::All { edits }).await
}

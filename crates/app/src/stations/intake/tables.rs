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
use boustrophe_shop::incoming::{self, Dropped};
use serde::Deserialize;

/// True for a file that is called as tables are.
pub fn is_table(name: &str) -> bool {
    let lower = name.to_lowercase();
    [".csv", ".tsv"].iter().any(|e| lower.ends_with(e))
}

fn set(drawing: u32, table: Option<Table>) -> Edit {
    Edit::Intake(IntakeEdit::Table { drawing, edit: TableEdit::Set { table: table.map(Box::new) } })
}

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
        Ok(incoming::on_top(app, job, &set(drawing, Some(table)), &app.by)?)
    })
    .await?;
    Ok(Redirect::to(&format!("/jobs/{job}/intake")))
}

/// Gives each table that was dropped on a job to the drawing that says what its columns are called.
pub fn dropped(app: &Shared, job: i32, tables: &[Dropped]) -> Result<(), AppError> {
    for file in tables {
        let table = table::read(&file.name, &file.bytes()?)?;
        let loaded = app.load(job)?;
        let best = loaded
            .route
            .drawings
            .iter()
            .map(|d| (table.fields_in(&d.drawing), d.id))
            .filter(|(n, _)| *n > 0)
            .max_by_key(|(n, id)| (*n, u32::MAX - id));
        let Some((_, drawing)) = best else {
            let columns = table.columns.iter().take(6).map(|c| format!("“{c}”")).collect::<Vec<_>>().join(", ");
            return Err(AppError::sentence(format!(
                "{}: no drawing of this job says {columns}. Add the drawing first, with writing that is called as the columns are.",
                file.name
            )));
        };
        incoming::on_top(app, job, &set(drawing, Some(table)), &app.by)?;
    }
    Ok(())
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
    let face = match form.face.as_str() {
        "outline" => Face::Outline,
        "stroke" => Face::Stroke,
        other => return Err(AppError::sentence(format!("“{other}” are no letters; they are engraved (outline) or scored (stroke)."))),
    };
    let edits = [TableEdit::Narrowest { share }, TableEdit::TwoLines { on: form.two_lines == "on" }, TableEdit::Face { face }];
    let edits = edits.into_iter().map(|edit| Edit::Intake(IntakeEdit::Table { drawing, edit })).collect();
    changes::make(app, job, form.revision, Station::Intake, Edit::All { edits }).await
}

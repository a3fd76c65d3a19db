//! Tables that came in with drawings: which drawing each fills.

use crate::app::App;
use crate::error::ShopError;
use crate::incoming::{self, Dropped, Taken};
use boustrophe_core::decisions::table::{Table, TableEdit};
use boustrophe_core::decisions::{Edit, IntakeEdit};
use boustrophe_formats::table;

/// True for a file that is called as tables are.
pub fn is_table(name: &str) -> bool {
    let lower = name.to_lowercase();
    [".csv", ".tsv"].iter().any(|e| lower.ends_with(e))
}

/// The edit that gives a drawing its table, or takes it off.
pub fn set(drawing: u32, table: Option<Table>) -> Edit {
    Edit::Intake(IntakeEdit::Table { drawing, edit: TableEdit::Set { table: table.map(Box::new) } })
}

/// Refuses tables that fill nothing in any of these drawings.
pub fn fitting(app: &App, drawings: &[Taken], tables: &[Dropped]) -> Result<(), ShopError> {
    for file in tables {
        let table = table::read(&file.name, &file.bytes()?)?;
        let mut fields = 0;
        for d in drawings {
            fields += table.fields_in(&*app.drawing(&d.hash, &d.name)?);
        }
        if fields == 0 {
            return Err(unfit(&file.name, &table));
        }
    }
    Ok(())
}

fn unfit(name: &str, table: &Table) -> ShopError {
    let columns = table.columns.iter().take(6).map(|c| format!("“{c}”")).collect::<Vec<_>>().join(", ");
    ShopError::Sentence(format!(
        "{name}: no drawing says {columns}. Add the drawing first, with writing that is called as the columns are."
    ))
}

/// Gives each table that was dropped on a job to the drawing that says what its columns are called.
pub fn dropped(app: &App, job: i32, tables: &[Dropped], by: &str) -> Result<(), ShopError> {
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
            return Err(unfit(&file.name, &table));
        };
        incoming::on_top(app, job, &set(drawing, Some(table)), by)?;
    }
    Ok(())
}

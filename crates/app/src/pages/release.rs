//! Files of a released job.

use super::{Shared, blocking};
use crate::error::AppError;
use crate::names;
use axum::extract::Path;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use boustrophe_formats::sheet::{write_dxf, write_svg};

/// A program or drawing of a sheet (from 1): `1.nc`, `1.svg`, `1.dxf`. Programs only once they are proved.
pub async fn file(app: Shared, Path((job, name)): Path<(i32, String)>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let missing = || AppError::NoPage(format!("/jobs/{job}/files/{name}"));
        let (sheet, kind) = name.split_once('.').ok_or_else(missing)?;
        let sheet = sheet.parse::<usize>().ok().and_then(|n| n.checked_sub(1)).ok_or_else(missing)?;
        let loaded = app.load(job)?;
        let route = &loaded.route;
        let layout = route.nested.layout.sheets.get(sheet).ok_or_else(missing)?;
        let (text, mime) = match kind {
            "nc" if !route.released() => {
                return Err(AppError::Sentence("the programs are not released: settle the open findings first.".into()));
            }
            "nc" => (route.programs.get(sheet).cloned().ok_or_else(missing)?, "text/plain; charset=utf-8"),
            "svg" => (write_svg(&route.work, layout), "image/svg+xml"),
            "dxf" => (write_dxf(&route.work, layout), "application/dxf"),
            _ => return Err(missing()),
        };
        let file = format!("{}.{kind}", names::stem(&loaded.job, &loaded.revision.decisions, sheet));
        Ok(([(CONTENT_TYPE, mime.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{file}\""))], text).into_response())
    })
    .await
}

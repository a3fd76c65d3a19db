//! Files of a released job.

use crate::asking::{Shared, blocking, named};
use crate::error::AppError;
use crate::stations::changes;
use crate::typed::Typed;
use axum::extract::Path;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::{Affine, Bounds};
use boustrophe_core::ids::{BatchId, CopyId};
use boustrophe_core::nest::{Placement, Sheet, SheetLayout};
use boustrophe_formats::print::{Paper, fitted, tiled};
use boustrophe_formats::sheet::{kerf_dxf, kerf_svg, write_dxf, write_svg};
use boustrophe_shop::app::App;
use boustrophe_shop::kept::{JOB, Kept};
use boustrophe_shop::names;
use boustrophe_shop::releases::{self, REPORT};
use boustrophe_store::Release;
use serde::Deserialize;
use std::sync::Arc;

/// A program or drawing of a sheet (from 1): `1.nc`, `1.svg`, `1.dxf`. Programs only once they are proved.
pub async fn file(app: Shared, Path((job, name)): Path<(i32, String)>) -> Result<Response, AppError> {
    blocking(&app, move |app| file_of(app, job, name)).await
}

/// What is fetched and kept by whoever asks.
fn attached(mime: &str, file: &str, bytes: impl IntoResponse) -> Response {
    let header = [(CONTENT_TYPE, mime.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{file}\""))];
    (header, bytes).into_response()
}

/// The kind of a file by its name.
fn mime(name: &str) -> &'static str {
    match name.rsplit('.').next().unwrap_or_default() {
        "svg" => "image/svg+xml",
        "dxf" => "application/dxf",
        "pdf" => "application/pdf",
        "json" => "application/json",
        "zip" => "application/zip",
        _ => "text/plain; charset=utf-8",
    }
}

/// A file of a release, as it was made then; `None` where the release has none of that name.
fn of_release(app: &App, release: &Release, name: &str) -> Result<Option<Response>, AppError> {
    if let Some(batch) = name.strip_suffix(".zip").and_then(|b| b.parse().ok()) {
        let job = app.store.job(release.job)?;
        let file = format!("{}-{}.zip", job.id, names::safe(&job.name));
        return Ok(Some(attached(mime(name), &file, zip_of(app, release, batch)?)));
    }
    if name == REPORT || name == JOB {
        return Ok(app.store.release_paper(release.id, name)?.map(|bytes| attached(mime(name), name, bytes)));
    }
    let Some((sheet, kind)) = name.split_once('.') else { return Ok(None) };
    let Some(sheet) = sheet.parse().ok() else { return Ok(None) };
    let row = app.store.release_sheet(release.id, sheet)?;
    let stem = row.file_name.trim_end_matches(".nc");
    if kind == "nc" {
        return Ok(Some(attached(mime(name), &row.file_name, app.store.program_of(&row.sum)?)));
    }
    if let Some(bytes) = app.store.release_paper(release.id, name)? {
        return Ok(Some(attached(mime(name), &format!("{stem}.{kind}"), bytes)));
    }
    let batch = app.released(release.id, row.batch)?;
    let Some(kept) = usize::try_from(row.place).ok().and_then(|at| batch.sheets.get(at)) else { return Ok(None) };
    let title = format!("{}, sheet {sheet}", app.store.job(release.job)?.name);
    let pdf = match (kind, kind.strip_suffix(".pdf").map(str::parse::<Paper>)) {
        ("fitted.pdf", _) => fitted(&batch.work, &kept.layout, Paper::A4, &title),
        (_, Some(Ok(paper))) => tiled(&batch.work, &kept.layout, paper, &title).map_err(|e| AppError::sentence(format!("{e}.")))?,
        _ => return Ok(None),
    };
    Ok(Some(attached(mime(name), &format!("{stem}.{kind}"), pdf)))
}

/// All files of a batch of a release in one.
fn zip_of(app: &App, release: &Release, batch: i32) -> Result<Vec<u8>, AppError> {
    let broken = |e: &dyn std::fmt::Display| AppError::sentence(format!("the files cannot be put together ({e}); fetch them one by one."));
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored).large_file(true);
    let papers = app.store.release_papers(release.id)?;
    for row in app.store.release_sheets(release.id)?.into_iter().filter(|r| r.batch == batch) {
        let stem = row.file_name.trim_end_matches(".nc");
        let mut add = |name: &str, bytes: &[u8]| {
            zip.start_file(name, options).map_err(|e| broken(&e))?;
            std::io::Write::write_all(&mut zip, bytes).map_err(|e| broken(&e))
        };
        add(&row.file_name, app.store.program_of(&row.sum)?.as_bytes())?;
        for name in &papers {
            let Some(kind) = name.strip_prefix(&format!("{}.", row.sheet)) else { continue };
            if let Some(bytes) = app.store.release_paper(release.id, name)?.filter(|_| !kind.starts_with("kerf")) {
                add(&format!("{stem}.{kind}"), &bytes)?;
            }
        }
    }
    Ok(zip.finish().map_err(|e| broken(&e))?.into_inner())
}

/// Which revision is released, by whom.
#[derive(Deserialize)]
pub struct Releasing {
    revision: i32,
    #[serde(default)]
    person: String,
}

/// Releases a job: its programs, papers and figures are kept as they are now.
pub async fn make(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<Releasing>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let by = named(app.signed(&form.person));
        releases::release(app, job, form.revision, &by)?;
        changes::answered(app, job, Station::Release, BatchId::FIRST)
    })
    .await
}

/// A drawing as it came, at 1:1 on paper: `drawing-2.a4.pdf`.
fn on_paper(app: &Arc<App>, job: i32, drawing: u32, kind: &str) -> Result<Response, AppError> {
    let missing = || AppError::NoPage(format!("/jobs/{job}/files/drawing-{drawing}.{kind}"));
    let paper: Paper = kind.strip_suffix(".pdf").and_then(|p| p.parse().ok()).ok_or_else(missing)?;
    let loaded = app.load(job)?;
    let work = &loaded.route.work;
    let parts = || work.parts.iter().filter(|p| p.drawing == drawing);
    let bounds = parts().map(|p| p.bounds).reduce(Bounds::union).ok_or_else(missing)?;
    // Each part lies where it is drawn.
    let home = Affine::translate(-bounds.min.to_vec2());
    let placed = parts().map(|p| Placement::of(CopyId { part: p.id, number: 1 }, home)).collect();
    let layout = SheetLayout { sheet: Sheet::rectangle(bounds.width().max(1.0), bounds.height().max(1.0)), placed };
    let name = loaded.revision.decisions.drawing(drawing).map_or_else(String::new, |d| d.name.clone());
    let pdf = tiled(work, &layout, paper, &format!("{}, {name}", loaded.job.name)).map_err(|e| AppError::sentence(format!("{e}.")))?;
    let file = format!("{}-{}.{kind}", loaded.job.id, names::safe(&name));
    let header = [(CONTENT_TYPE, "application/pdf".to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{file}\""))];
    Ok((header, pdf).into_response())
}

fn file_of(app: &Arc<App>, job: i32, name: String) -> Result<Response, AppError> {
    if let Some((drawing, kind)) = name.strip_prefix("drawing-").and_then(|n| n.split_once('.'))
        && let Ok(drawing) = drawing.parse()
    {
        return on_paper(app, job, drawing, kind);
    }
    let missing = || AppError::NoPage(format!("/jobs/{job}/files/{name}"));
    if let Some(release) = app.store.last_release(job)? {
        return of_release(app, &release, &name)?.ok_or_else(missing);
    }
    let loaded = app.load(job)?;
    if name == JOB {
        return Ok(attached(mime(&name), &name, Kept::of_job(app, &loaded)?.written()?));
    }
    if name == REPORT {
        return Ok(attached(mime(&name), &name, boustrophe_shop::report::of(&loaded)?));
    }
    let (sheet, kind) = name.split_once('.').ok_or_else(missing)?;
    let sheet = sheet.parse::<usize>().ok().and_then(|n| n.checked_sub(1)).ok_or_else(missing)?;
    if matches!(kind, "nc" | "zip") {
        let text = if loaded.route.released() {
            "release the programs first."
        } else {
            "the programs are not proved: settle the open findings first."
        };
        return Err(AppError::sentence(text.into()));
    }
    let (batch, at) = loaded.route.sheet(sheet).ok_or_else(missing)?;
    let loaded = loaded.about(batch);
    let here = loaded.here();
    let layout = here.nested.layout.sheets.get(at).ok_or_else(missing)?;
    let path = || here.toolpath.sheets.get(at).ok_or_else(missing);
    let title = format!("{}, sheet {}", loaded.job.name, sheet + 1);
    let bytes = match kind {
        "svg" => write_svg(&here.work, layout).into_bytes(),
        "dxf" => write_dxf(&here.work, layout).into_bytes(),
        "kerf.svg" => kerf_svg(path()?).into_bytes(),
        "kerf.dxf" => kerf_dxf(path()?).into_bytes(),
        "setup.pdf" => {
            let program = names::program(&loaded.job, loaded.decided(), sheet, &loaded.machine());
            let sum = boustrophe_shop::papers::sum(here, &loaded.shop, at);
            boustrophe_shop::papers::setup(here, &loaded.shop, at, (&loaded.job.name, &program, &sum)).ok_or_else(missing)?
        }
        "fitted.pdf" => fitted(&here.work, layout, Paper::A4, &title),
        _ => {
            let paper: Paper = kind.strip_suffix(".pdf").and_then(|p| p.parse().ok()).ok_or_else(missing)?;
            tiled(&here.work, layout, paper, &title).map_err(|e| AppError::sentence(format!("{e}.")))?
        }
    };
    Ok(attached(mime(&name), &format!("{}.{kind}", names::stem(&loaded.job, loaded.decided(), sheet, &loaded.machine())), bytes))
}

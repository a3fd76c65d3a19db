//! Files of a released job.

use super::{Shared, blocking};
use crate::error::AppError;
use crate::names;
use crate::report::Report;
use crate::shop::{App, Loaded};
use axum::body::Body;
use axum::extract::Path;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use boustrophe_core::geometry::{Affine, Bounds};
use boustrophe_core::ids::{BatchId, CopyId};
use boustrophe_core::nest::{Placement, Sheet, SheetLayout};
use boustrophe_formats::print::{Paper, fitted, tiled};
use boustrophe_formats::sheet::{kerf_dxf, kerf_svg, write_dxf, write_svg};
use futures_util::StreamExt;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Pieces of a program that wait to be sent.
const AHEAD: usize = 4;

/// A program as it is written, piece by piece: with pictures it may be longer than memory likes.
fn program(app: Arc<App>, loaded: Loaded, sheet: usize, name: &str) -> Response {
    let (to, from) = tokio::sync::mpsc::channel::<std::io::Result<Vec<u8>>>(AHEAD);
    tokio::task::spawn_blocking(move || {
        let mut pipe = Pipe(to.clone());
        if let Err(error) = loaded.here().write_program(sheet, &app.shop(), &mut pipe) {
            // The other end may have gone; then nobody wants to know.
            let _ = to.blocking_send(Err(error));
        }
    });
    let pieces = futures_util::stream::unfold(from, |mut from| async { from.recv().await.map(|piece| (piece, from)) }).fuse();
    let header =
        [(CONTENT_TYPE, "text/plain; charset=utf-8".to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\""))];
    (header, Body::from_stream(pieces)).into_response()
}

/// Sends on what is written to it.
struct Pipe(tokio::sync::mpsc::Sender<std::io::Result<Vec<u8>>>);

impl std::io::Write for Pipe {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.blocking_send(Ok(bytes.to_vec())).map_err(|_| std::io::Error::from(std::io::ErrorKind::BrokenPipe))?;
        Ok(bytes.len())
    }
    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// A program or drawing of a sheet (from 1): `1.nc`, `1.svg`, `1.dxf`. Programs only once they are proved.
pub async fn file(app: Shared, Path((job, name)): Path<(i32, String)>) -> Result<Response, AppError> {
    blocking(&app, move |app| file_of(app, job, name)).await
}

/// The file of a batch, or of the job: `1.zip`, `report.json`.
fn file_of_all(app: &Arc<App>, job: i32, name: &str) -> Option<Result<Response, AppError>> {
    let attached = |mime: &str, file: &str, bytes: Vec<u8>| {
        let header = [(CONTENT_TYPE, mime.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{file}\""))];
        Ok((header, bytes).into_response())
    };
    if name == "report.json" {
        return Some(app.load(job).and_then(|loaded| {
            let (route, decisions) = (&loaded.route, &loaded.revision.decisions);
            let report = Report::new(route, &route.findings, decisions, route.released(), BTreeMap::new());
            let text =
                serde_json::to_vec_pretty(&report).map_err(|e| AppError::Sentence(format!("the report cannot be written ({e}).")))?;
            attached("application/json", "report.json", text)
        }));
    }
    let batch: BatchId = name.strip_suffix(".zip")?.parse().ok()?;
    Some(app.load(job).and_then(|loaded| {
        let loaded = loaded.about(batch);
        if !loaded.route.released() {
            return Err(AppError::Sentence("the programs are not released: settle the open findings first.".into()));
        }
        attached("application/zip", &format!("{}-{}.zip", loaded.job.id, names::safe(&loaded.job.name)), zipped(app, &loaded)?)
    }))
}

/// All files of a batch in one.
fn zipped(app: &Arc<App>, loaded: &Loaded) -> Result<Vec<u8>, AppError> {
    let broken = |e: &dyn std::fmt::Display| AppError::Sentence(format!("the files cannot be put together ({e}); fetch them one by one."));
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored).large_file(true);
    let here = loaded.here();
    let shop = app.shop();
    for (i, layout) in here.nested.layout.sheets.iter().enumerate() {
        let stem = names::stem(&loaded.job, loaded.decided(), here.before + i, &loaded.machine());
        let mut add = |kind: &str, write: &mut dyn FnMut(&mut dyn std::io::Write) -> std::io::Result<()>| {
            zip.start_file(format!("{stem}.{kind}"), options).map_err(|e| broken(&e))?;
            write(&mut zip).map_err(|e| broken(&e))
        };
        add("nc", &mut |to| here.write_program(i, &shop, to))?;
        add("svg", &mut |to| to.write_all(write_svg(&here.work, layout).as_bytes()))?;
        add("dxf", &mut |to| to.write_all(write_dxf(&here.work, layout).as_bytes()))?;
        let program = format!("{stem}.nc");
        if let Some(pdf) = crate::papers::setup(here, &shop, i, (&loaded.job.name, &program)) {
            add("setup.pdf", &mut |to| to.write_all(&pdf))?;
        }
    }
    Ok(zip.finish().map_err(|e| broken(&e))?.into_inner())
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
    let pdf = tiled(work, &layout, paper, &format!("{}, {name}", loaded.job.name)).map_err(|e| AppError::Sentence(format!("{e}.")))?;
    let file = format!("{}-{}.{kind}", loaded.job.id, names::safe(&name));
    let header = [(CONTENT_TYPE, "application/pdf".to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{file}\""))];
    Ok((header, pdf).into_response())
}

fn file_of(app: &Arc<App>, job: i32, name: String) -> Result<Response, AppError> {
    if let Some(all) = file_of_all(app, job, &name) {
        return all;
    }
    if let Some((drawing, kind)) = name.strip_prefix("drawing-").and_then(|n| n.split_once('.'))
        && let Ok(drawing) = drawing.parse()
    {
        return on_paper(app, job, drawing, kind);
    }
    let missing = || AppError::NoPage(format!("/jobs/{job}/files/{name}"));
    let (sheet, kind) = name.split_once('.').ok_or_else(missing)?;
    let sheet = sheet.parse::<usize>().ok().and_then(|n| n.checked_sub(1)).ok_or_else(missing)?;
    let loaded = app.load(job)?;
    let (batch, at) = loaded.route.sheet(sheet).ok_or_else(missing)?;
    let loaded = loaded.about(batch);
    let (route, here) = (&loaded.route, loaded.here());
    let layout = here.nested.layout.sheets.get(at).ok_or_else(missing)?;
    let path = || here.toolpath.sheets.get(at).ok_or_else(missing);
    let title = format!("{}, sheet {}", loaded.job.name, sheet + 1);
    let (text, mime) = match kind {
        "nc" if !route.released() => {
            return Err(AppError::Sentence("the programs are not released: settle the open findings first.".into()));
        }
        "nc" => {
            let name = names::program(&loaded.job, loaded.decided(), sheet, &loaded.machine());
            return Ok(program(Arc::clone(app), loaded, at, &name));
        }
        "svg" => (write_svg(&here.work, layout).into_bytes(), "image/svg+xml"),
        "dxf" => (write_dxf(&here.work, layout).into_bytes(), "application/dxf"),
        "kerf.svg" => (kerf_svg(path()?).into_bytes(), "image/svg+xml"),
        "kerf.dxf" => (kerf_dxf(path()?).into_bytes(), "application/dxf"),
        "setup.pdf" => {
            let program = names::program(&loaded.job, loaded.decided(), sheet, &loaded.machine());
            (crate::papers::setup(here, &app.shop(), at, (&loaded.job.name, &program)).ok_or_else(missing)?, "application/pdf")
        }
        "fitted.pdf" => (fitted(&here.work, layout, Paper::A4, &title), "application/pdf"),
        _ => {
            let paper: Paper = kind.strip_suffix(".pdf").and_then(|p| p.parse().ok()).ok_or_else(missing)?;
            let pdf = tiled(&here.work, layout, paper, &title).map_err(|e| AppError::Sentence(format!("{e}.")))?;
            (pdf, "application/pdf")
        }
    };
    let file = format!("{}.{kind}", names::stem(&loaded.job, loaded.decided(), sheet, &loaded.machine()));
    Ok(([(CONTENT_TYPE, mime.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{file}\""))], text).into_response())
}

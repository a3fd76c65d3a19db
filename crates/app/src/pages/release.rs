//! Files of a released job.

use super::{Shared, blocking};
use crate::error::AppError;
use crate::names;
use crate::shop::{App, Loaded};
use axum::body::Body;
use axum::extract::Path;
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use boustrophe_formats::sheet::{write_dxf, write_svg};
use futures_util::StreamExt;
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

fn file_of(app: &Arc<App>, job: i32, name: String) -> Result<Response, AppError> {
    let missing = || AppError::NoPage(format!("/jobs/{job}/files/{name}"));
    let (sheet, kind) = name.split_once('.').ok_or_else(missing)?;
    let sheet = sheet.parse::<usize>().ok().and_then(|n| n.checked_sub(1)).ok_or_else(missing)?;
    let loaded = app.load(job)?;
    let (batch, at) = loaded.route.sheet(sheet).ok_or_else(missing)?;
    let loaded = loaded.about(batch);
    let (route, here) = (&loaded.route, loaded.here());
    let layout = here.nested.layout.sheets.get(at).ok_or_else(missing)?;
    let (text, mime) = match kind {
        "nc" if !route.released() => {
            return Err(AppError::Sentence("the programs are not released: settle the open findings first.".into()));
        }
        "nc" => {
            let name = format!("{}.nc", names::stem(&loaded.job, loaded.decided(), sheet));
            return Ok(program(Arc::clone(app), loaded, at, &name));
        }
        "svg" => (write_svg(&here.work, layout), "image/svg+xml"),
        "dxf" => (write_dxf(&here.work, layout), "application/dxf"),
        _ => return Err(missing()),
    };
    let file = format!("{}.{kind}", names::stem(&loaded.job, loaded.decided(), sheet));
    Ok(([(CONTENT_TYPE, mime.to_owned()), (CONTENT_DISPOSITION, format!("attachment; filename=\"{file}\""))], text).into_response())
}

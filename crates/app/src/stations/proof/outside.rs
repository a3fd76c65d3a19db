//! Proof of any program: one from outside laid over the job's, and the lines of a program beside its moves.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::uploads;
use askama::Template;
use axum::extract::{Multipart, Path, Query};
use axum::response::{Html, IntoResponse, Response};
use boustrophe_core::proof::{Difference, differences};
use boustrophe_core::release::Program;
use boustrophe_shop::app::App;
use boustrophe_shop::incoming::Dropped;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::io::Read;
use std::sync::Arc;

/// Differences that are listed; the rest is counted.
const MOST_LISTED: usize = 60;
/// Moves that are drawn of a program from outside.
const MOST_MOVES: usize = 100_000;
/// Longest program that the page takes, bytes.
const LONGEST: u64 = 32 << 20;
/// Lines shown before and behind the one that runs.
const AROUND: usize = 4;

#[derive(Template)]
#[template(path = "stations/proof/outside.html")]
struct Outside {
    name: String,
    sheet: usize,
    /// Why it cannot be read.
    wrong: String,
    differences: Vec<Difference>,
    more: usize,
    seconds: String,
    /// Where it burns, as JSON: x, y, bulge, x, y after each other.
    burns: String,
}

/// Lays a program that was dropped over a sheet.
pub async fn outside(app: Shared, Path(job): Path<i32>, multipart: Multipart) -> Result<Html<String>, AppError> {
    let (fields, files) = uploads::receive_form(&app, multipart).await?;
    blocking(&app, move |app| proved(app, job, &fields, &files)).await
}

fn proved(app: &Shared, job: i32, fields: &BTreeMap<String, String>, files: &[Dropped]) -> Result<Html<String>, AppError> {
    let sheet: usize = fields.get("sheet").and_then(|s| s.parse().ok()).unwrap_or(1);
    let file = files.first().ok_or_else(|| AppError::sentence("there was no file in it; choose or drop a program.".into()))?;
    let size = std::fs::metadata(file.file.path()).map_or(0, |m| m.len());
    if size > LONGEST {
        return Err(AppError::sentence(format!(
            "{} has {} MB; the page takes programs of up to {} MB. Use `boustrophe prove` on the command line.",
            file.name,
            size >> 20,
            LONGEST >> 20
        )));
    }
    let mut bytes = Vec::new();
    let broken = |e: std::io::Error| AppError::sentence(format!("{} cannot be read ({e}); drop it again.", file.name));
    std::fs::File::open(file.file.path()).and_then(|mut f| f.read_to_end(&mut bytes)).map_err(broken)?;
    compared(app, job, sheet, &file.name, &String::from_utf8_lossy(&bytes))
}

fn compared(app: &Arc<App>, job: i32, sheet: usize, name: &str, program: &str) -> Result<Html<String>, AppError> {
    let loaded = app.load(job)?;
    let nowhere = || AppError::sentence("that sheet is not there any more; load the page again.".into());
    let (batch, at) = sheet.checked_sub(1).and_then(|i| loaded.route.sheet(i)).ok_or_else(nowhere)?;
    let meant = loaded.route.batch(batch).meant(at, &loaded.shop).ok_or_else(nowhere)?;
    let page = match differences(program, &meant) {
        Err(fault) => Outside {
            name: name.into(),
            sheet,
            wrong: fault.to_string(),
            differences: Vec::new(),
            more: 0,
            seconds: String::new(),
            burns: "[]".into(),
        },
        Ok((proof, mut found)) => {
            let burning = proof.moves.iter().filter(|m| m.process.is_some()).take(MOST_MOVES);
            let r = |v: f64| (v * 1e3).round() / 1e3;
            let burns: Vec<[f64; 5]> =
                burning.map(|m| [r(m.path.start.x), r(m.path.start.y), m.path.bulge, r(m.path.end.x), r(m.path.end.y)]).collect();
            let more = found.len().saturating_sub(MOST_LISTED);
            found.truncate(MOST_LISTED);
            Outside {
                name: name.into(),
                sheet,
                wrong: String::new(),
                differences: found,
                more,
                seconds: boustrophe_core::time::duration(proof.seconds),
                burns: serde_json::to_string(&burns).unwrap_or_default(),
            }
        }
    };
    html(&page)
}

/// Which line is wanted.
#[derive(Deserialize)]
pub struct At {
    at: usize,
}

#[derive(Serialize)]
struct Line<'a> {
    n: usize,
    text: &'a str,
}

/// The lines of a sheet's program (from 1) round one of them. A program that is written as it is wanted has none.
pub async fn lines(app: Shared, Path((job, sheet)): Path<(i32, usize)>, Query(asked): Query<At>) -> Result<Response, AppError> {
    blocking(&app, move |app| around(app, job, sheet, &asked)).await
}

fn around(app: &Shared, job: i32, sheet: usize, asked: &At) -> Result<Response, AppError> {
    let loaded = app.load(job)?;
    let nowhere = || AppError::NoPage(format!("/jobs/{job}/lines/{sheet}"));
    let (batch, at) = sheet.checked_sub(1).and_then(|i| loaded.route.sheet(i)).ok_or_else(nowhere)?;
    let text = match loaded.route.batch(batch).programs.get(at) {
        Some(Program::Kept(text)) => Arc::clone(text),
        _ => Arc::from(""),
    };
    let first = asked.at.saturating_sub(AROUND).max(1);
    let lines: Vec<Line> = text.lines().enumerate().skip(first - 1).take(2 * AROUND + 1).map(|(i, text)| Line { n: i + 1, text }).collect();
    Ok(axum::Json(lines).into_response())
}

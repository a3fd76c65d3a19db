//! `boustrophe prove`: any program against a job that `prep` wrote.

use super::book::Book;
use crate::failure::Failure;
use boustrophe_core::proof::{Difference, Meant, differences};
use boustrophe_core::route::Route;
use boustrophe_core::shop::Shop;
use boustrophe_shop::kept::{JOB, Kept};
use serde::Serialize;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// Longest program, bytes.
const LONGEST: u64 = 1 << 30;

/// The job in a folder of `prep`, or in a file of its own.
fn kept(job: &Path) -> Result<Kept, Failure> {
    let path = if job.is_file() { job.to_owned() } else { job.join(JOB) };
    let hint = "Use the folder that `boustrophe prep` wrote, or a job.json of Release.";
    let text = std::fs::read(&path).map_err(|error| Failure::File { path: path.display().to_string(), error, hint })?;
    Kept::read(&text).map_err(|what| Failure::Other(format!("{}: {what}. Run prep again.", path.display())))
}

#[derive(Serialize)]
struct Answer<'a> {
    sheet: usize,
    differences: &'a [Difference],
}

/// What is to be proved.
pub struct Asked {
    /// The program.
    pub program: PathBuf,
    /// The folder that `prep` wrote, or a `job.json`.
    pub job: PathBuf,
    /// Which sheet, from 1, where that is said.
    pub sheet: Option<usize>,
    /// Folder of the shop whose machines and charts are taken.
    pub data: Option<PathBuf>,
    /// For programs.
    pub json: bool,
}

/// Says what a program does otherwise than the job's sheet: the one that is named, the one that the program names, or the one that
/// it is most like.
pub fn run(asked: &Asked) -> Result<ExitCode, Failure> {
    let Asked { program, job, sheet, data, json } = asked;
    let (sheet, json) = (*sheet, *json);
    let shown = program.display().to_string();
    let hint = "Check the name and that it may be read.";
    let failed = |error| Failure::File { path: shown.clone(), error, hint };
    if std::fs::metadata(program).map_err(failed)?.len() > LONGEST {
        return Err(Failure::Other(format!("{shown}: it is longer than {} MB; that is no program of one sheet.", LONGEST >> 20)));
    }
    let bytes = std::fs::read(program).map_err(failed)?;
    let text = String::from_utf8_lossy(&bytes);
    let mut kept = kept(job)?;
    if data.is_some() {
        kept.shop = Book::of(data.as_deref())?.shop;
    }
    let route = kept.route().ok_or_else(|| Failure::Other(format!("{JOB}: its drawings cannot be read. Run prep again.")))?;
    let sheets = route.batches.values().map(|b| b.toolpath.sheets.len()).sum::<usize>();
    if sheets == 0 {
        return Err(Failure::Other(format!("{}: the job has no sheets; nothing was nested.", job.display())));
    }
    let chosen: Vec<usize> = match sheet.or_else(|| named(&text)) {
        Some(n) if (1..=sheets).contains(&n) => vec![n - 1],
        Some(n) if sheet.is_some() => return Err(Failure::Usage(format!("--sheet {n}: the job has {sheets}."))),
        _ => (0..sheets).collect(),
    };
    let mut best: Option<(usize, Vec<Difference>)> = None;
    for i in chosen {
        let meant = meant(&route, &kept.shop, i).ok_or_else(|| Failure::Other(format!("sheet {} was not worked out.", i + 1)))?;
        let (_, found) = differences(&text, &meant).map_err(|fault| Failure::Other(format!("{shown}: it cannot be read: {fault}.")))?;
        if best.as_ref().is_none_or(|b| found.len() < b.1.len()) {
            best = Some((i + 1, found));
        }
    }
    let (sheet, found) = best.unwrap_or_default();
    let mut out = std::io::stdout().lock();
    // Whoever reads it may have seen enough.
    if json {
        let _ = writeln!(out, "{}", serde_json::to_string_pretty(&Answer { sheet, differences: &found }).unwrap_or_default());
    } else if found.is_empty() {
        let _ = writeln!(out, "{shown} does the work of sheet {sheet}.");
    } else {
        for d in &found {
            let _ = writeln!(out, "{}: {}", d.line, d.text);
        }
    }
    Ok(if found.is_empty() { ExitCode::SUCCESS } else { ExitCode::from(1) })
}

/// The sheet, from 1, that a program's own remark names: ours begin with `Boustrophe Lark sheet 2 of 3`.
fn named(program: &str) -> Option<usize> {
    let line = program.lines().take(60).find(|l| l.contains("Boustrophe ") && l.contains(" sheet "))?;
    line.split(" sheet ").nth(1)?.split_whitespace().next()?.parse().ok()
}

/// What was meant for a sheet, from 0 over all batches.
fn meant<'a>(route: &'a Route, shop: &'a Shop, sheet: usize) -> Option<Meant<'a>> {
    let (batch, at) = route.sheet(sheet)?;
    route.batch(batch).meant(at, shop)
}

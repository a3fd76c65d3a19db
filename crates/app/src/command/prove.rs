//! `boustrophe prove`: any program against a job that `prep` wrote.

use crate::failure::Failure;
use base64::Engine;
use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::drawing::Drawing;
use boustrophe_core::proof::{Difference, Meant, differences};
use boustrophe_core::route::{self, Route};
use boustrophe_core::shop::Shop;
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;

/// Name of what a proof needs, in the folder of `prep`.
pub const JOB: &str = "job.json";
/// Longest program, bytes.
const LONGEST: u64 = 1 << 30;

/// What `prep` keeps of a job: all that its programs follow from.
#[derive(Serialize, Deserialize)]
pub struct Kept {
    version: u32,
    shop: Shop,
    decisions: Decisions,
    /// The drawings as they were read.
    drawings: Vec<String>,
}

impl Kept {
    /// What a job's programs follow from.
    pub fn of(drawings: &[Arc<Drawing>], decisions: &Decisions, shop: &Shop) -> Result<Self, Failure> {
        let packed = |d: &Arc<Drawing>| Ok(base64::engine::general_purpose::STANDARD.encode(postcard::to_stdvec(&**d)?));
        let drawings = drawings.iter().map(packed).collect::<Result<_, postcard::Error>>();
        let drawings = drawings.map_err(|e| Failure::Other(format!("the drawings cannot be written down: {e}")))?;
        Ok(Self { version: 1, shop: shop.clone(), decisions: decisions.clone(), drawings })
    }

    fn read(folder: &Path) -> Result<Self, Failure> {
        let path = folder.join(JOB);
        let hint = "Use the folder that `boustrophe prep` wrote.";
        let text = std::fs::read(&path).map_err(|error| Failure::File { path: path.display().to_string(), error, hint })?;
        let wrong = |what: String| Failure::Other(format!("{}: {what}. Run prep again.", path.display()));
        let kept: Self = serde_json::from_slice(&text).map_err(|e| wrong(format!("it is no job: {e}")))?;
        if kept.version == 1 { Ok(kept) } else { Err(wrong(format!("it was written by another version ({})", kept.version))) }
    }

    fn route(&self) -> Result<Route, Failure> {
        let unpacked = |text: &String| -> Option<Arc<Drawing>> {
            Some(Arc::new(postcard::from_bytes(&base64::engine::general_purpose::STANDARD.decode(text).ok()?).ok()?))
        };
        let drawings: Option<Vec<Arc<Drawing>>> = self.drawings.iter().map(unpacked).collect();
        let drawings = drawings.ok_or_else(|| Failure::Other(format!("{JOB}: its drawings cannot be read. Run prep again.")))?;
        Ok(route::run(&drawings, &self.decisions, &self.shop, &Cache::default(), &mut |_| {}))
    }
}

#[derive(Serialize)]
struct Answer<'a> {
    sheet: usize,
    differences: &'a [Difference],
}

/// Says what a program does otherwise than the job's sheet: the one that is named, the one that the program names, or the one that
/// it is most like.
pub fn run(program: &Path, job: &Path, sheet: Option<usize>, json: bool) -> Result<ExitCode, Failure> {
    let shown = program.display().to_string();
    let hint = "Check the name and that it may be read.";
    let failed = |error| Failure::File { path: shown.clone(), error, hint };
    if std::fs::metadata(program).map_err(failed)?.len() > LONGEST {
        return Err(Failure::Other(format!("{shown}: it is longer than {} MB; that is no program of one sheet.", LONGEST >> 20)));
    }
    let bytes = std::fs::read(program).map_err(failed)?;
    let text = String::from_utf8_lossy(&bytes);
    let kept = Kept::read(job)?;
    let route = kept.route()?;
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

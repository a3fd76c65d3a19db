//! `boustrophe check`: intake and clean only.

use super::book::Book;
use super::options::Reading;
use super::prep::read_drawings;
use crate::failure::Failure;
use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::finding::{Finding, Severity, Station};
use boustrophe_core::route::Route;
use boustrophe_shop::report;
use std::fmt::Write as _;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// Prints what was found; exit 1 when something has to be looked at.
pub fn run(drawings: &[PathBuf], reading: &Reading, data: Option<&Path>, json: bool) -> Result<ExitCode, Failure> {
    let (read, decided) = read_drawings(drawings, reading, 1)?;
    let decisions = Decisions { drawings: decided, ..Decisions::default() };
    let route = boustrophe_core::route::run(&read, &decisions, &Book::of(data)?.shop, &Cache::default(), &mut |_| {});
    let findings: Vec<&Finding> = route.findings.iter().filter(|f| f.station <= Station::Clean).collect();
    let told = if json { as_json(&route, &findings)? } else { as_text(&route, &findings) };
    let mut out = std::io::stdout().lock();
    // Whoever reads it may have heard enough: that is no fault.
    match out.write_all(told.as_bytes()).and_then(|()| out.flush()) {
        Err(e) if e.kind() != std::io::ErrorKind::BrokenPipe => {
            return Err(Failure::Other(format!("the findings cannot be written ({e})")));
        }
        _ => {}
    }
    let clear = findings.iter().all(|f| f.severity == Severity::Note);
    Ok(if clear { ExitCode::SUCCESS } else { ExitCode::from(1) })
}

fn as_json(route: &Route, findings: &[&Finding]) -> Result<String, Failure> {
    let out = serde_json::json!({
        "version": 1,
        "drawings": route.drawings.iter().map(report::drawing).collect::<Vec<_>>(),
        "findings": findings.iter().map(|f| report::finding(f)).collect::<Vec<_>>(),
    });
    serde_json::to_string_pretty(&out).map(|t| t + "\n").map_err(|e| Failure::Other(e.to_string()))
}

fn as_text(route: &Route, findings: &[&Finding]) -> String {
    let mut out = String::new();
    for d in &route.drawings {
        let (closed, open) = d.cleaned.counts();
        let b = d.cleaned.bounds;
        let _ = writeln!(
            out,
            "{}: {:.2} × {:.2} mm ({}), {}; {closed} closed and {open} open contours",
            d.drawing.file,
            b.width(),
            b.height(),
            d.intake.units,
            boustrophe_core::intake::account(&d.drawing)
        );
    }
    for f in findings {
        let _ = writeln!(out, "{}  {}", f.severity, f.text);
    }
    out
}

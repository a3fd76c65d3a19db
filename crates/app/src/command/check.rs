//! `boustrophe check`: intake and clean only.

use super::options::{Failure, Reading};
use super::prep::read_drawings;
use crate::{report, writer};
use boustrophe_core::decisions::Decisions;
use boustrophe_core::finding::{Finding, Severity, Station};
use boustrophe_core::route::Cache;
use boustrophe_core::shop::Shop;
use std::path::PathBuf;
use std::process::ExitCode;

/// Prints what was found; exit 1 when something has to be looked at.
pub fn run(drawings: &[PathBuf], reading: &Reading, json: bool) -> Result<ExitCode, Failure> {
    let (read, decided) = read_drawings(drawings, reading, 1)?;
    let decisions = Decisions { drawings: decided, ..Decisions::default() };
    let route = writer::route(&read, &decisions, &Shop::builtin(), &Cache::default(), &mut |_| {});
    let findings: Vec<&Finding> = route.findings.iter().filter(|f| f.station <= Station::Clean).collect();
    if json {
        let out = serde_json::json!({
            "version": 1,
            "drawings": route.drawings.iter().map(report::drawing).collect::<Vec<_>>(),
            "findings": findings.iter().map(|f| report::finding(f)).collect::<Vec<_>>(),
        });
        println!("{out:#}");
    } else {
        for d in &route.drawings {
            let (closed, open) = d.cleaned.counts();
            let b = d.cleaned.bounds;
            println!(
                "{}: {:.2} × {:.2} mm ({}), {}; {closed} closed and {open} open contours",
                d.drawing.file,
                b.width(),
                b.height(),
                d.intake.units,
                boustrophe_core::intake::account(&d.drawing)
            );
        }
        for f in &findings {
            println!("{}  {}", f.severity, f.text);
        }
    }
    let clear = findings.iter().all(|f| f.severity == Severity::Note);
    Ok(if clear { ExitCode::SUCCESS } else { ExitCode::from(1) })
}

//! Where the parts on the sheets are thin, in bands: for the stage at Hold.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::stage::{json, r};
use axum::extract::{Path, Query};
use axum::response::Response;
use boustrophe_core::assign::Process;
use boustrophe_core::geometry::Path as Line;
use boustrophe_core::hold::thinner_than;
use boustrophe_core::ids::BatchId;
use boustrophe_core::ids::PartId;
use boustrophe_shop::app::App;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Bands of thickness, the thinnest first.
const BANDS: usize = 4;

/// Up to how many kerfs, and of which batch.
#[derive(Deserialize)]
pub struct Asked {
    kerfs: f64,
    #[serde(default)]
    batch: BatchId,
}

#[derive(Serialize)]
struct Thin {
    /// Width of each band, mm.
    widths: Vec<f64>,
    /// By sheet, by band: closed lines as x, y after each other, mm.
    sheets: Vec<Vec<Vec<Vec<f64>>>>,
}

/// Where the parts of a batch are thinner than so many kerfs.
pub async fn thin(app: Shared, Path(job): Path<i32>, Query(asked): Query<Asked>) -> Result<Response, AppError> {
    blocking(&app, move |app| found(app, job, &asked)).await
}

fn found(app: &Arc<App>, job: i32, asked: &Asked) -> Result<Response, AppError> {
    if !(0.5..=50.0).contains(&asked.kerfs) {
        return Err(AppError::sentence("thin is what has 0.5 to 50 kerfs; type such a number.".into()));
    }
    let loaded = app.load(job)?.about(asked.batch);
    let kerf = loaded.rows().get(Process::Cut, None).map_or(0.0, |r| r.kerf);
    let widths: Vec<f64> = (1..=BANDS).map(|k| kerf * asked.kerfs * k as f64 / BANDS as f64).collect();
    let here = loaded.here();
    let mut of: BTreeMap<PartId, Vec<Vec<Line>>> = BTreeMap::new();
    for placed in here.nested.layout.copies() {
        let part = || here.work.part(placed.copy.part).map(|p| thinner_than(&here.work, p, &widths)).unwrap_or_default();
        of.entry(placed.copy.part).or_insert_with(part);
    }
    let points = |line: &Line, affine| line.transformed(affine).points(0.05).iter().flat_map(|p| [r(p.x), r(p.y)]).collect::<Vec<f64>>();
    let bands = |sheet: &boustrophe_core::nest::SheetLayout| -> Vec<Vec<Vec<f64>>> {
        let band = |k: usize| {
            let lying = sheet.placed.iter().filter_map(|p| Some((p.affine(), of.get(&p.copy.part)?.get(k)?)));
            lying.flat_map(|(affine, lines)| lines.iter().map(move |l| points(l, affine))).collect()
        };
        (0..BANDS).map(band).collect()
    };
    json(&Thin { sheets: here.nested.layout.sheets.iter().map(bands).collect(), widths })
}

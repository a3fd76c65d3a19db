//! `report.json`: the figures of a run, in mm, mm² and seconds. The fields are a contract.

use crate::app::Loaded;
use crate::error::ShopError;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::finding::Finding;
use boustrophe_core::ids::PartId;
use boustrophe_core::ledger::Ledger;
use boustrophe_core::nest::Placement;
use boustrophe_core::route::{BatchRoute, DrawingState, Route};
use serde::Serialize;
use std::collections::BTreeMap;

/// Entities used and left aside.
#[derive(Serialize)]
pub struct Entities {
    read: usize,
    skipped: Vec<Skipped>,
}

#[derive(Serialize)]
struct Skipped {
    kind: String,
    count: usize,
}

#[derive(Serialize)]
struct Contours {
    closed: usize,
    open: usize,
}

/// One drawing as read.
#[derive(Serialize)]
pub struct DrawingReport {
    file: String,
    units: String,
    width: f64,
    height: f64,
    entities: Entities,
    contours: Contours,
}

/// One finding.
#[derive(Serialize)]
pub struct FindingReport {
    code: String,
    severity: String,
    station: String,
    count: usize,
    text: String,
}

#[derive(Serialize)]
struct PartReport {
    id: String,
    drawing: String,
    /// Whose part it is, where it was taken in from another job.
    #[serde(skip_serializing_if = "Option::is_none")]
    job: Option<String>,
    quantity: u32,
    width: f64,
    height: f64,
    area: f64,
    perimeter: f64,
    holes: usize,
}

#[derive(Serialize)]
struct PlacedReport {
    part: String,
    x: f64,
    y: f64,
    angle: f64,
    mirrored: bool,
}

#[derive(Serialize)]
struct SheetReport {
    width: f64,
    height: f64,
    r#yield: f64,
    free_area: f64,
    placed: Vec<PlacedReport>,
    program: Option<String>,
    /// Number of its batch among those of the report, from 0.
    batch: usize,
    cut: f64,
    score: f64,
    engrave_area: f64,
    travel: f64,
    pierces: usize,
    seconds: f64,
}

#[derive(Serialize)]
struct Unplaced {
    part: String,
    count: u32,
}

#[derive(Serialize)]
struct Totals {
    sheets: usize,
    r#yield: f64,
    cut: f64,
    score: f64,
    engrave_area: f64,
    travel: f64,
    pierces: usize,
    seconds: f64,
}

/// What is made on one machine of one material.
#[derive(Serialize)]
struct BatchReport {
    machine: String,
    material: String,
    thickness: f64,
    /// Numbers of its sheets among those of the report, from 0.
    sheets: Vec<usize>,
    totals: Totals,
}

/// The whole report.
#[derive(Serialize)]
pub struct Report {
    version: u32,
    drawings: Vec<DrawingReport>,
    findings: Vec<FindingReport>,
    parts: Vec<PartReport>,
    sheets: Vec<SheetReport>,
    batches: Vec<BatchReport>,
    unplaced: Vec<Unplaced>,
    totals: Totals,
    timings: BTreeMap<&'static str, f64>,
}

/// A drawing's report.
pub fn drawing(state: &DrawingState) -> DrawingReport {
    let (closed, open) = state.cleaned.counts();
    let skipped = state.drawing.skipped.iter().map(|(kind, count)| Skipped { kind: kind.clone(), count: *count }).collect();
    DrawingReport {
        file: state.drawing.file.clone(),
        units: state.intake.units.clone(),
        width: state.cleaned.bounds.width(),
        height: state.cleaned.bounds.height(),
        entities: Entities { read: state.drawing.read, skipped },
        contours: Contours { closed, open },
    }
}

/// A finding's report.
pub fn finding(f: &Finding) -> FindingReport {
    FindingReport {
        code: f.code.to_string(),
        severity: f.severity.to_string(),
        station: f.station.slug().into(),
        count: f.count,
        text: f.text.clone(),
    }
}

/// The report of a job as it stands, as JSON.
pub fn of(loaded: &Loaded) -> Result<Vec<u8>, ShopError> {
    let (route, decisions) = (&loaded.route, &loaded.revision.decisions);
    let report = Report::new(route, &route.findings, decisions, route.released(), BTreeMap::new());
    serde_json::to_vec_pretty(&report).map_err(|e| ShopError::Sentence(format!("the report cannot be written ({e}).")))
}

impl Report {
    /// Gathers the report. `released` says whether programs were written.
    pub fn new(route: &Route, findings: &[Finding], decisions: &Decisions, released: bool, timings: BTreeMap<&'static str, f64>) -> Self {
        let file = |id: u32| decisions.drawing(id).map_or_else(String::new, |d| d.name.clone());
        let parts = route
            .work
            .parts
            .iter()
            .map(|p| PartReport {
                id: p.id.to_string(),
                drawing: file(p.drawing),
                job: decisions.drawing(p.drawing).and_then(|d| Some(d.guest.as_ref()?.name.clone())),
                quantity: p.quantity,
                width: p.bounds.width(),
                height: p.bounds.height(),
                area: p.area,
                perimeter: p.perimeter,
                holes: p.holes.len(),
            })
            .collect();
        let sheets =
            route.batches.values().enumerate().flat_map(|(n, b)| (0..b.nested.layout.sheets.len()).map(move |i| sheet(b, n, i, released)));
        let mut unplaced: BTreeMap<PartId, u32> = BTreeMap::new();
        for (part, count) in route.batches.values().flat_map(|b| &b.nested.layout.unplaced) {
            *unplaced.entry(*part).or_default() += count;
        }
        Self {
            version: 1,
            drawings: route.drawings.iter().map(drawing).collect(),
            findings: findings.iter().map(finding).collect(),
            parts,
            sheets: sheets.collect(),
            batches: route.batches.values().map(batch).collect(),
            unplaced: unplaced.into_iter().map(|(part, count)| Unplaced { part: part.to_string(), count }).collect(),
            totals: totals(&route.ledger),
            timings,
        }
    }
}

fn totals(l: &Ledger) -> Totals {
    Totals {
        sheets: l.sheets,
        r#yield: l.yield_share,
        cut: l.cut,
        score: l.score,
        engrave_area: l.engraved,
        travel: l.travel,
        pierces: l.pierces,
        seconds: l.seconds,
    }
}

fn batch(b: &BatchRoute) -> BatchReport {
    BatchReport {
        machine: b.stock.machine.clone(),
        material: b.stock.material.clone(),
        thickness: b.stock.thickness,
        sheets: (b.before..b.before + b.nested.layout.sheets.len()).collect(),
        totals: totals(&b.ledger),
    }
}

fn sheet(b: &BatchRoute, batch: usize, i: usize, released: bool) -> SheetReport {
    let s = &b.nested.layout.sheets[i];
    let area: f64 = s.placed.iter().filter_map(|p| b.work.part(p.copy.part)).map(|p| p.area).sum();
    let proof = b.proofs.get(i).cloned().unwrap_or_default();
    let placed = |p: &Placement| PlacedReport { part: p.copy.part.to_string(), x: p.x, y: p.y, angle: p.angle, mirrored: p.mirrored };
    SheetReport {
        width: s.sheet.width,
        height: s.sheet.height,
        r#yield: area / s.sheet.area(),
        free_area: s.sheet.area() - area,
        placed: s.placed.iter().map(placed).collect(),
        program: released.then(|| format!("{}.nc", sheet_stem(b.before + i))),
        batch,
        cut: proof.cut,
        score: proof.score,
        engrave_area: proof.engrave_area,
        travel: proof.travel,
        pierces: proof.pierces,
        seconds: proof.seconds,
    }
}

/// `sheet-01` for the first.
pub fn sheet_stem(i: usize) -> String {
    format!("sheet-{:02}", i + 1)
}

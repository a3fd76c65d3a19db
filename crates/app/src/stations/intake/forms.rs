//! What is done at Intake beyond plain edits: sizes by measuring, regions, new revisions, the picture behind a tracing.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::changes;
use crate::stations::intake::rows::in_rows;
use crate::typed::Posted;
use crate::uploads;
use axum::extract::{Multipart, Path};
use axum::http::StatusCode;
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use boustrophe_core::clean::carry;
use boustrophe_core::clean::trace::Trace;
use boustrophe_core::clean::{Compared, compare, region_at};
use boustrophe_core::decisions::{CleanEdit, Edit, IntakeEdit, View};
use boustrophe_core::drawing::{FileUnits, Unit};
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::{Affine, Bounds, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::quantity::{count, length, number};
use boustrophe_core::route::DrawingState;
use boustrophe_shop::app::{App, Loaded};
use boustrophe_shop::incoming;
use serde::Deserialize;

/// Where a drawing lies on the bench: from its own mm to the bench's.
pub fn on_the_bench(loaded: &Loaded, drawing: u32) -> Option<Affine> {
    let shown: Vec<(u32, Bounds)> = loaded.route.drawings.iter().map(|d| (d.id, extent(d))).filter(|d| !d.1.is_empty()).collect();
    let nth = shown.iter().position(|d| d.0 == drawing)?;
    let places = in_rows(&shown.iter().map(|d| (d.1.width(), d.1.height())).collect::<Vec<_>>());
    Some(Affine::translate(places[nth] - shown[nth].1.min))
}

/// Box of a drawing on the bench: its contours, and its picture where it has one.
pub fn extent(d: &DrawingState) -> Bounds {
    let mut b = d.cleaned.bounds;
    // What is far too large is not worked on; its size is told all the same.
    if b.is_empty() && !d.intake.raw.is_empty() {
        let raw = d.intake.raw;
        b = Bounds::of([raw.min, raw.max].map(|p| d.intake.transform * p));
    }
    if let Some(picture) = &d.drawing.bitmap {
        let (w, h) = (picture.width as f64, picture.height as f64);
        for p in [(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)] {
            b = b.with(d.intake.transform * Point::new(p.0, p.1));
        }
    }
    b
}

/// A picture's density against the rows it would be engraved with, in words.
pub fn judged(per_mm: f64, pitch: f64) -> String {
    let rows = 1.0 / pitch;
    let verdict = match per_mm / rows {
        share if share < 0.6 => "coarse: single pixels will be seen",
        share if share > 2.5 => "finer than the rows can show",
        _ => "as fine as the rows",
    };
    format!("{per_mm:.1} to the mm, {rows:.0} rows: {verdict}")
}

/// A length that was measured and what it really is: typed for a side, or between two points of the stage.
#[derive(Deserialize)]
pub struct Resize {
    revision: i32,
    drawing: u32,
    /// `width`, `height`, or the measured length in mm.
    measured: String,
    value: String,
    /// Where it was measured, on the bench.
    x: Option<f64>,
    y: Option<f64>,
}

/// Resizes a drawing so that what was measured comes out as typed, proportions locked.
pub async fn resize(app: Shared, Path(job): Path<i32>, Posted(form): Posted<Resize>) -> Result<Response, AppError> {
    let revision = form.revision;
    let edit = blocking(&app, move |app| resized(app, job, &form)).await?;
    changes::make(app, job, revision, Station::Intake, edit).await
}

fn resized(app: &App, job: i32, form: &Resize) -> Result<Edit, AppError> {
    let loaded = app.load(job)?;
    let d = state(&loaded, form.drawing)?;
    let decided = loaded.revision.decisions.drawing(form.drawing).ok_or_else(|| gone(form.drawing))?;
    let b = extent(d);
    let measured = match form.measured.as_str() {
        "width" => b.width(),
        "height" => b.height(),
        typed => typed.parse().unwrap_or(0.0),
    };
    let wanted = length(&form.value, Unit::Mm)?;
    if !(measured.is_finite() && measured > 1e-6 && wanted > 1e-6) {
        return Err(AppError::sentence("measure between two different points, and type what that length really is.".into()));
    }
    // Measured in one of several views it is that view's scale.
    let at = form
        .x
        .zip(form.y)
        .and_then(|(x, y)| Some((on_the_bench(&loaded, form.drawing)? * d.intake.transform).inverse() * Point::new(x, y)));
    if let Some(region) = at.filter(|_| decided.regions.len() > 1).and_then(|p| region_at(decided, p)) {
        let view = decided.views.get(region).cloned().unwrap_or_default();
        let view = View { scale: view.scale * wanted / measured, ..view };
        return Ok(Edit::Intake(IntakeEdit::SetView { drawing: form.drawing, region, view }));
    }
    let mut edits = vec![Edit::Intake(IntakeEdit::SetScale { drawing: form.drawing, scale: decided.scale * wanted / measured })];
    if !d.intake.sure {
        // With a length known, the unit no longer matters: the one the size was judged in stays.
        let unit = match d.drawing.units {
            FileUnits::Pixels => Some(Edit::Intake(IntakeEdit::SetPpi { drawing: form.drawing, ppi: 25.4 / mm_of(d, decided.scale) })),
            _ => d.intake.candidates.first().map(|c| c.edit.clone()),
        };
        edits.splice(0..0, unit);
    }
    Ok(Edit::All { edits })
}

/// mm of one drawing unit, without the scale that was decided.
fn mm_of(d: &DrawingState, scale: f64) -> f64 {
    d.intake.mm() / scale
}

pub fn state(loaded: &Loaded, drawing: u32) -> Result<&DrawingState, AppError> {
    loaded.route.drawings.iter().find(|d| d.id == drawing).ok_or_else(|| gone(drawing))
}

fn gone(drawing: u32) -> AppError {
    AppError::sentence(format!("there is no drawing {drawing} in this job any more; load the page again"))
}

/// How a picture is traced, as it is set.
#[derive(Deserialize)]
pub struct TraceForm {
    revision: i32,
    drawing: u32,
    threshold: String,
    /// `on` where the threshold is to be found from the picture.
    #[serde(default)]
    found: String,
    speck: String,
    smooth: String,
    side: String,
}

/// Traces a picture otherwise.
pub async fn trace(app: Shared, Path(job): Path<i32>, Posted(form): Posted<TraceForm>) -> Result<Response, AppError> {
    changes::make(app, job, form.revision, Station::Intake, form.edit()?).await
}

impl TraceForm {
    fn edit(&self) -> Result<Edit, String> {
        let threshold = if self.found == "on" { None } else { Some(count(self.threshold.trim(), 0, 255)? as u8) };
        let invert = match self.side.as_str() {
            "dark" => false,
            "light" => true,
            other => return Err(format!("“{other}” is no side; the shape is what is dark, or what is light")),
        };
        let trace = Trace { threshold, speck: count(self.speck.trim(), 1, 1_000_000)?, smooth: number(self.smooth.trim())?, invert };
        Ok(Edit::Clean(CleanEdit::SetTrace { drawing: self.drawing, trace }))
    }
}

/// A box on the bench, mm.
#[derive(Deserialize)]
pub struct Region {
    revision: i32,
    drawing: u32,
    x0: f64,
    y0: f64,
    x1: f64,
    y1: f64,
}

/// Takes only what lies in a box, besides the boxes that were taken before.
pub async fn region(app: Shared, Path(job): Path<i32>, Posted(form): Posted<Region>) -> Result<Response, AppError> {
    let revision = form.revision;
    let edit = blocking(&app, move |app| boxed(app, job, &form)).await?;
    changes::make(app, job, revision, Station::Intake, edit).await
}

fn boxed(app: &Shared, job: i32, form: &Region) -> Result<Edit, AppError> {
    let loaded = app.load(job)?;
    let d = state(&loaded, form.drawing)?;
    let place = on_the_bench(&loaded, form.drawing).ok_or_else(|| gone(form.drawing))?;
    if loaded.revision.decisions.drawing(form.drawing).is_some_and(|d| d.views.iter().any(|v| v.scale != 1.0)) {
        return Err(AppError::sentence(
            "its views have scales of their own and lie elsewhere than on the page: box more of them on its pages.".into(),
        ));
    }
    let home = (place * d.intake.transform).inverse();
    let corners = [(form.x0, form.y0), (form.x1, form.y0), (form.x1, form.y1), (form.x0, form.y1)];
    let mut regions = loaded.revision.decisions.drawing(form.drawing).map_or_else(Vec::new, |d| d.regions.clone());
    regions.push(Bounds::of(corners.map(|(x, y)| home * Point::new(x, y))));
    Ok(Edit::Intake(IntakeEdit::SetRegions { drawing: form.drawing, regions }))
}

/// Another file in the place of a drawing's: a new revision of it.
pub async fn replace(app: Shared, Path((job, drawing)): Path<(i32, u32)>, multipart: Multipart) -> Result<Response, AppError> {
    let files = uploads::receive(&app, multipart).await?;
    if files.len() != 1 {
        return Err(AppError::sentence("choose one file, the new revision of this drawing.".into()));
    }
    let (taken, refused) = incoming::take(&app, files).await?;
    let Some(incoming::Taken { name, hash }) = taken.into_iter().next() else { return Err(incoming::told(&refused).into()) };
    blocking(&app, move |app| {
        let edit = replacing(app, job, drawing, hash, name)?;
        Ok(incoming::on_top(app, job, &edit, &app.by)?)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT.into_response())
}

/// The edit that puts a file in the place of a drawing's, with what was decided on contours that only moved.
pub fn replacing(app: &App, job: i32, drawing: u32, file: String, name: String) -> Result<Edit, AppError> {
    let loaded = app.load(job)?;
    let decisions = &loaded.revision.decisions;
    let of = decisions.drawing(drawing).map_or(BatchId::FIRST, |d| d.batch);
    let machine = loaded.shop.machine_or_stand_in(&decisions.batch(of).stock.machine);
    let before = &state(&loaded, drawing)?.drawing;
    let after = app.drawing(&file, &name)?;
    let new = carry::Replacement { drawing, before, after: &after, file, name };
    Ok(carry::replacing(new, decisions, &machine, &loaded.shop.tolerance))
}

/// The picture of a drawing as it came, for the stage to show under its outlines.
pub async fn picture(app: Shared, Path((job, drawing)): Path<(i32, u32)>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let head = app.store.job(job)?.head.unwrap_or(0);
        let decisions = app.store.revision(job, head)?.decisions;
        let d = decisions.drawing(drawing).ok_or_else(|| gone(drawing))?;
        let bytes = app.store.file(&d.file)?;
        let mime = if bytes.starts_with(&[0xff, 0xd8]) { "image/jpeg" } else { "image/png" };
        Ok(([(CONTENT_TYPE, mime), (CACHE_CONTROL, "max-age=3600")], bytes).into_response())
    })
    .await
}

/// Compares a drawing with the file before it; `None` where there is none, or it can no longer be read.
pub fn compared(app: &App, loaded: &Loaded, d: &DrawingState) -> Option<Compared> {
    let decided = loaded.revision.decisions.drawing(d.id)?;
    let (hash, name) = decided.before.as_ref()?;
    let before = app.drawing(hash, name).ok()?;
    let machine = &*loaded.shop.machine_or_stand_in(&loaded.revision.decisions.batch(decided.batch).stock.machine);
    Some(compare(&before, &d.cleaned, decided, machine, &loaded.shop.tolerance))
}

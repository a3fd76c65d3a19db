//! The pages of a drawing as they came, to box regions on: each with its name and a scale of its own.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::intake::forms::state;
use crate::typed::Typed;
use askama::Template;
use axum::extract::Path;
use axum::response::{Html, Redirect};
use boustrophe_core::decisions::{DrawingDecisions, Edit, IntakeEdit, View};
use boustrophe_core::drawing::{Drawing, Shape};
use boustrophe_core::geometry::{self, Bounds, Point};
use boustrophe_core::quantity::ratio;
use boustrophe_shop::changing::apply;
use boustrophe_shop::incoming;
use serde::Deserialize;
use std::fmt::Write;

/// Entities drawn on the preview at most.
const MOST: usize = 40_000;
/// What is smaller than this share of the whole is not told apart.
const DETAIL: f64 = 1.0 / 3000.0;

struct Region {
    x: f64,
    y: f64,
    w: f64,
    h: f64,
    name: String,
    scale: f64,
    /// True size of it, mm.
    size: String,
}

#[derive(Template)]
#[template(path = "stations/intake/pages.html")]
struct Pages {
    job: i32,
    drawing: u32,
    revision: i32,
    name: String,
    view: String,
    /// Width of a hair on the picture.
    hair: f64,
    lines: String,
    texts: Vec<(f64, f64, f64, f64, String)>,
    pages: Vec<[f64; 4]>,
    regions: Vec<Region>,
}

/// Everything drawn, as one path with y down.
fn lines(d: &Drawing, all: Bounds) -> String {
    let close = all.width().max(all.height()).max(1e-9) * DETAIL;
    let mut out = String::new();
    for e in d.entities.iter().take(MOST) {
        let Shape::Path { curves, closed } = &e.shape else { continue };
        let path = geometry::Path::fitted(curves, *closed, close);
        for (i, p) in path.points(close).iter().enumerate() {
            let _ = write!(out, "{}{:.3} {:.3}", if i == 0 { 'M' } else { 'L' }, p.x, -p.y);
        }
        if path.closed {
            out.push('Z');
        }
    }
    out
}

/// The box round all pages, or else round all that is drawn.
fn whole(d: &Drawing, raw: Bounds) -> Bounds {
    d.pages.iter().fold(raw, |b, p| b.union(*p))
}

fn regions(decided: &DrawingDecisions, mm: f64) -> Vec<Region> {
    let view = |i: usize| decided.views.get(i).cloned().unwrap_or_default();
    let one = |(i, r): (usize, &Bounds)| {
        let View { name, scale } = view(i);
        let (w, h) = (r.width() * mm * scale, r.height() * mm * scale);
        Region { x: r.min.x, y: -r.max.y, w: r.width(), h: r.height(), name, scale, size: format!("{w:.1} × {h:.1} mm") }
    };
    decided.regions.iter().enumerate().map(one).collect()
}

/// The pages of a drawing with what is boxed on them.
pub async fn pages(app: Shared, Path((job, drawing)): Path<(i32, u32)>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| paged(app, job, drawing)).await
}

fn paged(app: &Shared, job: i32, drawing: u32) -> Result<Html<String>, AppError> {
    let loaded = app.load(job)?;
    let d = state(&loaded, drawing)?;
    let decided = loaded
        .revision
        .decisions
        .drawing(drawing)
        .ok_or_else(|| AppError::sentence("that drawing is gone; load the page again.".into()))?;
    let all = whole(&d.drawing, d.intake.raw);
    let room = 0.02 * all.width().max(all.height()).max(1e-6);
    let texts = d.drawing.entities.iter().filter_map(|e| match &e.shape {
        Shape::Text(t) => Some((t.at.x, -t.at.y, t.height * 1.35, -t.angle.to_degrees(), t.value.clone())),
        _ => None,
    });
    let mm = d.intake.mm();
    html(&Pages {
        job,
        drawing,
        revision: loaded.revision.id,
        name: decided.name.clone(),
        view: format!("{:.4} {:.4} {:.4} {:.4}", all.min.x - room, -all.max.y - room, all.width() + 2.0 * room, all.height() + 2.0 * room),
        hair: room / 20.0,
        lines: lines(&d.drawing, all),
        texts: texts.take(2000).collect(),
        pages: d.drawing.pages.iter().map(|p| [p.min.x, -p.max.y, p.width(), p.height()]).collect(),
        regions: regions(decided, mm),
    })
}

/// A region boxed, changed or dropped; places in drawing units, y down as on the picture.
#[derive(Deserialize)]
pub struct RegionForm {
    revision: i32,
    /// `add`, `say`, `drop`.
    what: String,
    #[serde(default)]
    region: usize,
    #[serde(default)]
    name: String,
    #[serde(default)]
    scale: String,
    #[serde(default)]
    x0: f64,
    #[serde(default)]
    y0: f64,
    #[serde(default)]
    x1: f64,
    #[serde(default)]
    y1: f64,
}

/// Boxes a region, says what it is, or drops it.
pub async fn change(
    app: Shared,
    Path((job, drawing)): Path<(i32, u32)>,
    Typed { form, .. }: Typed<RegionForm>,
) -> Result<Redirect, AppError> {
    blocking(&app, move |app| changed(app, job, drawing, form)).await?;
    Ok(Redirect::to(&format!("/jobs/{job}/drawings/{drawing}/pages")))
}

fn changed(app: &Shared, job: i32, drawing: u32, form: RegionForm) -> Result<(), AppError> {
    let edit = match form.what.as_str() {
        "add" => {
            let loaded = app.load(job)?;
            let mut regions = loaded.revision.decisions.drawing(drawing).map_or_else(Vec::new, |d| d.regions.clone());
            let box_ = Bounds::of([Point::new(form.x0, -form.y0), Point::new(form.x1, -form.y1)]);
            if !(box_.width() > 0.0 && box_.height() > 0.0) {
                return Err(AppError::sentence("draw a box with a width and a height round what is to be made.".into()));
            }
            regions.push(box_);
            Edit::Intake(IntakeEdit::SetRegions { drawing, regions })
        }
        "say" => {
            let scale = if form.scale.trim().is_empty() { 1.0 } else { ratio(form.scale.trim())? };
            Edit::Intake(IntakeEdit::SetView { drawing, region: form.region, view: View { name: form.name.trim().into(), scale } })
        }
        _ => Edit::Intake(IntakeEdit::DropRegion { drawing, region: form.region }),
    };
    // What is boxed is boxed on whatever is there; what is said of a region is said of the one that was shown.
    let done = if form.what == "add" { incoming::on_top(app, job, &edit, &app.by) } else { apply(app, job, form.revision, &edit, &app.by) };
    Ok(done?)
}

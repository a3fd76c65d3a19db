//! What the stage draws, as compact JSON: numbers in mm, rounded to a thousandth.

mod moves;
mod poses;
mod sheets;

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::intake::forms::{compared, extent, on_the_bench};
use crate::stations::intake::rows::APART;
use axum::extract::{Path, Query};
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use boustrophe_core::assign::{Item, Part, Process};
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::{Affine, Segment, Vec2};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Grain, Layout};
use boustrophe_shop::app::{App, Loaded};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

pub use moves::moves;
pub use poses::poses;
use sheets::{PartScene, Sheet};

/// `x, y, bulge, x, y, bulge, x, y`: a line and its arcs.
type Flat = Vec<f64>;

#[derive(Serialize)]
struct Contour {
    id: String,
    /// Drawing it comes from.
    of: u32,
    /// Number of its looks among those of the job.
    looks: usize,
    p: &'static str,
    why: Cow<'static, str>,
    closed: bool,
    /// What it fills is told by winding, not even-odd.
    wound: bool,
    /// New in this revision of the file.
    fresh: bool,
    /// The matrix from its picture, a unit square with y down, where it frames one.
    picture: Option<[f64; 6]>,
    d: Flat,
}

#[derive(Serialize)]
struct Bench {
    id: u32,
    name: String,
    /// The picture's address and the matrix from its pixels, y down, to the bench.
    picture: Option<(String, [f64; 6])>,
    /// Contours of the file before this revision that are gone.
    gone: Vec<Flat>,
    x: f64,
    y: f64,
    w: f64,
    h: f64,
    contours: Vec<Contour>,
    texts: Vec<(f64, f64, f64, f64, String)>,
    /// The two ends of an arrow along the grain of each part whose grain is said.
    grains: Vec<[f64; 4]>,
}

#[derive(Serialize)]
struct Mark {
    severity: String,
    text: String,
    points: Vec<[f64; 2]>,
    contours: Vec<String>,
}

#[derive(Serialize)]
struct Stage {
    revision: i32,
    tone: String,
    grain: bool,
    bench: Vec<Bench>,
    sheets: Vec<Sheet>,
    /// Every part that lies on a sheet, once.
    parts: Vec<PartScene>,
    /// By the finding's number in the route.
    marks: std::collections::BTreeMap<usize, Mark>,
}

pub fn r(v: f64) -> f64 {
    (v * 1000.0).round() / 1000.0
}

pub fn flat(segments: &[Segment]) -> Flat {
    let mut out = Vec::with_capacity(segments.len() * 3 + 2);
    if let Some(first) = segments.first() {
        out.extend([r(first.start.x), r(first.start.y)]);
    }
    for s in segments {
        out.extend([(s.bulge * 1e6).round() / 1e6, r(s.end.x), r(s.end.y)]);
    }
    out
}

/// What may be asked for.
#[derive(Default, Deserialize)]
pub struct Wish {
    /// The best layout of the search under way instead of the kept one.
    #[serde(default)]
    live: bool,
    /// Which batch's sheets.
    #[serde(default)]
    batch: BatchId,
}

/// The stage of a station.
pub async fn stage(app: Shared, Path((job, slug)): Path<(i32, String)>, Query(wish): Query<Wish>) -> Result<Response, AppError> {
    let station = Station::from_slug(&slug).ok_or_else(|| AppError::NoPage(format!("/jobs/{job}/stage/{slug}")))?;
    blocking(&app, move |app| {
        let loaded = app.load(job)?;
        json(&build(app, &loaded.about(wish.batch), station, wish.live))
    })
    .await
}

pub fn json(value: &impl Serialize) -> Result<Response, AppError> {
    let text = serde_json::to_string(value).map_err(|e| AppError::sentence(format!("the stage could not be drawn: {e}")))?;
    Ok(([(CONTENT_TYPE, "application/json"), (CACHE_CONTROL, "no-store")], text).into_response())
}

fn build(app: &App, loaded: &Loaded, station: Station, live: bool) -> Stage {
    let material = loaded.material();
    let mut stage = Stage {
        revision: loaded.revision.id,
        tone: material.map_or_else(|| "#d8d2c4".into(), |m| m.tone.clone()),
        grain: material.is_some_and(|m| m.grain),
        bench: Vec::new(),
        sheets: Vec::new(),
        parts: Vec::new(),
        marks: std::collections::BTreeMap::new(),
    };
    let best = app.searches.progress(loaded.job.id).filter(|p| p.batch == loaded.batch).and_then(|p| p.layout).filter(|_| live);
    let layout: &Layout = best.as_deref().unwrap_or(&loaded.here().nested.layout);
    let on_sheets = station >= Station::Nest && !layout.sheets.is_empty();
    if on_sheets {
        (stage.parts, stage.sheets) = sheets::scene(app, loaded, layout, station, best.is_none());
    } else {
        stage.bench = bench(app, loaded, station);
    }
    stage.marks = marks(loaded, &stage, station);
    stage
}

/// An arrow through the middle of a part along its grain, on the bench.
fn grain_arrow(loaded: &Loaded, part: &Part, home: Affine) -> Option<[f64; 4]> {
    let said = |b: &BatchId| loaded.revision.decisions.batch(*b).nest.parts.get(&part.id).and_then(|n| n.grain);
    let grain = part.wanted.keys().find_map(said)?;
    let b = part.bounds;
    let half = if grain == Grain::Along { Vec2::new(b.width() * 0.3, 0.0) } else { Vec2::new(0.0, b.height() * 0.3) };
    let (from, to) = (home * (b.center() - half), home * (b.center() + half));
    Some([from.x, from.y, to.x, to.y].map(r))
}

fn bench(app: &App, loaded: &Loaded, station: Station) -> Vec<Bench> {
    let work = &loaded.route.work;
    let drawn: usize = loaded.route.drawings.iter().map(|d| d.cleaned.contours.len()).sum();
    let (drawn, numbers) = work.items.split_at(drawn.min(work.items.len()));
    let mut first = 0;
    let mut out = Vec::new();
    for d in &loaded.route.drawings {
        let n = d.cleaned.contours.len();
        let items = &drawn[first..first + n];
        first += n;
        let Some(home) = on_the_bench(loaded, d.id) else { continue };
        let b = extent(d);
        let compared = if station <= Station::Clean { compared(app, loaded, d) } else { None };
        let contours = items
            .iter()
            .chain(numbers.iter().filter(|i| i.contour.drawing == d.id))
            .map(|i| {
                let key = i.contour.style.key();
                let looks = work.key.iter().position(|row| row.key == key).unwrap_or(0);
                let flat = flat(&i.contour.path.transformed(home).segments);
                let fresh = compared.as_ref().is_some_and(|c| c.fresh.contains(&i.contour.id));
                let (id, closed) = (i.contour.id.to_string(), i.contour.path.closed);
                let picture = shown(i).map(|place| (home * place).as_coeffs());
                Contour {
                    id,
                    of: i.contour.drawing,
                    looks,
                    p: i.process.slug(),
                    why: Cow::Owned(i.why.told(&loaded.shop)),
                    closed,
                    wound: i.contour.style.winding,
                    fresh,
                    picture,
                    d: flat,
                }
            })
            .collect();
        let texts =
            d.cleaned.reference().map(|t| (r((home * t.at).x), r((home * t.at).y), r(t.height), r(t.angle), t.value.clone())).collect();
        let picture = d.drawing.bitmap.as_ref().map(|p| {
            // Pixels run down from the upper left corner.
            let upright = Affine::new([1.0, 0.0, 0.0, -1.0, 0.0, p.height as f64]);
            (format!("/jobs/{}/picture/{}", loaded.job.id, d.id), (home * d.intake.transform * upright).as_coeffs())
        });
        let grains = loaded.route.work.parts.iter().filter(|p| p.drawing == d.id).filter_map(|p| grain_arrow(loaded, p, home)).collect();
        let corner = home * b.min;
        out.push(Bench {
            id: d.id,
            name: d.cleaned.name.clone(),
            picture,
            grains,
            gone: compared.map_or_else(Vec::new, |c| c.gone.iter().map(|p| flat(&p.transformed(home).segments)).collect()),
            x: r(corner.x),
            y: r(corner.y),
            w: r(b.width()),
            h: r(b.height()),
            contours,
            texts,
        });
    }
    out
}

/// From a unit square with y down to where the item's picture lies; `None` where it has none to be engraved.
fn shown(item: &Item) -> Option<Affine> {
    let upright = Affine::new([1.0, 0.0, 0.0, -1.0, 0.0, 1.0]);
    item.contour.picture_place().filter(|_| item.process == Process::Picture).map(|place| place * upright)
}

/// Where findings are, on the bench or on the sheets as they are drawn.
fn marks(loaded: &Loaded, stage: &Stage, station: Station) -> std::collections::BTreeMap<usize, Mark> {
    let mut out = std::collections::BTreeMap::new();
    for (i, f) in loaded
        .route
        .findings
        .iter()
        .enumerate()
        .filter(|(_, f)| f.station == station && (f.place.sheet.is_none() || f.place.batch.is_none_or(|b| b == loaded.batch)))
    {
        let shift = match (f.place.sheet, f.place.drawing) {
            (Some(sheet), _) => stage.sheets.get(sheet).map(|s| Vec2::new(s.x, s.y)),
            (None, Some(drawing)) if stage.sheets.is_empty() => on_the_bench(loaded, drawing).map(|a| a.translation()),
            _ => None,
        };
        let points = shift.map_or_else(Vec::new, |by| f.place.points.iter().map(|p| *p + by).map(|p| [r(p.x), r(p.y)]).collect());
        if points.is_empty() && f.place.contours.is_empty() {
            continue;
        }
        out.insert(
            i,
            Mark {
                severity: f.severity.to_string(),
                text: f.text.clone(),
                points,
                contours: f.place.contours.iter().map(ToString::to_string).collect(),
            },
        );
    }
    out
}

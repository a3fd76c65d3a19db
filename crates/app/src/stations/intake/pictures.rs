//! Pictures as they will look: tones on the material, and tracings before they are kept.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::intake::forms::{on_the_bench, state};
use crate::stations::stage::flat;
use axum::extract::{Path, Query};
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{IntoResponse, Response};
use boustrophe_core::assign::{Item, Process};
use boustrophe_core::clean::ContourId;
use boustrophe_core::clean::trace::{Trace, trace};
use boustrophe_core::geometry::{Affine, Clip};
use boustrophe_core::picture::{Dither, Tone, raster};
use boustrophe_formats::bitmap::write_png;
use boustrophe_shop::app::Loaded;
use serde::Deserialize;

/// Pixels of a preview's longer side.
const PREVIEW: f64 = 1500.0;
/// Pixels of a small one, for choosing by eye.
const SMALL: f64 = 200.0;

/// Settings to be looked at instead of those that were decided.
#[derive(Default, Deserialize)]
pub struct Wanted {
    dither: Option<String>,
    brightness: Option<f64>,
    contrast: Option<f64>,
    gamma: Option<f64>,
    invert: Option<bool>,
    /// A small picture, at the true pitch, of the picture's middle.
    #[serde(default)]
    small: bool,
}

impl Wanted {
    fn tone(&self, decided: Tone) -> Tone {
        Tone {
            dither: self.dither.as_deref().and_then(Dither::from_slug).unwrap_or(decided.dither),
            brightness: self.brightness.unwrap_or(decided.brightness),
            contrast: self.contrast.unwrap_or(decided.contrast),
            gamma: self.gamma.unwrap_or(decided.gamma),
            invert: self.invert.unwrap_or(decided.invert),
            crop: decided.crop,
        }
    }
}

/// A picture in its engraved tone, on nothing: the stage shows the material under it.
pub async fn tone(app: Shared, Path((job, id)): Path<(i32, String)>, Query(wanted): Query<Wanted>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?;
        let id: ContourId = id.parse()?;
        let item = loaded.route.work.items.iter().find(|i| i.contour.id == id);
        let item = item.ok_or_else(|| AppError::NoPage(format!("/jobs/{job}/tone/{id}")))?;
        let png = toned(&loaded, item, &wanted).ok_or_else(|| AppError::sentence("this is no picture that could be engraved.".into()))?;
        Ok(([(CONTENT_TYPE, "image/png"), (CACHE_CONTROL, "no-store")], png).into_response())
    })
    .await
}

fn toned(loaded: &Loaded, item: &Item, wanted: &Wanted) -> Option<Vec<u8>> {
    let decisions = &loaded.revision.decisions;
    let bitmap = item.contour.picture.as_ref()?;
    let place = item.contour.picture_place()?;
    let [ax, ay, bx, by, ..] = place.as_coeffs();
    let (w, h) = (ax.hypot(ay), bx.hypot(by));
    let tone = wanted.tone(decisions.assign.pictures.get(&item.contour.id).copied().unwrap_or_default());
    let rows = loaded.rows().get(Process::Picture, item.setting).map_or(0.1, |r| r.pitch);
    let flat = Affine::scale_non_uniform(w, h);
    let crop = tone.crop.and_then(|id| loaded.route.work.items.iter().find(|i| i.contour.id == id));
    let clip = crop.map(|c| Clip::new([c.contour.path.transformed(flat * place.inverse())]));
    let (pitch, frame) = if wanted.small {
        // The middle at the true pitch: dots are judged by eye at their size.
        let side = (SMALL * rows).min(w.min(h));
        (side / SMALL, Affine::translate(((side - w) / 2.0, (side - h) / 2.0)) * flat)
    } else {
        (rows.max(w.max(h) / PREVIEW), flat)
    };
    let raster = raster(bitmap, frame, &tone, clip.as_ref().filter(|_| !wanted.small), pitch)?;
    let ink = loaded.material().map_or([91, 58, 30], |m| rgb(&m.engraved));
    let (x0, y0) = if wanted.small { (-raster.column, -raster.row) } else { (0, 0) };
    let (width, height) = if wanted.small { (SMALL as usize, SMALL as usize) } else { (raster.width, raster.height) };
    let mut pixels = Vec::with_capacity(width * height * 4);
    for y in (0..height).rev() {
        for x in 0..width {
            let (c, r) = (x as i64 + x0, y as i64 + y0);
            let within = (0..raster.width as i64).contains(&c) && (0..raster.height as i64).contains(&r);
            let burn = if within { raster.pixels(r as usize)[c as usize] } else { 0 };
            pixels.extend([ink[0], ink[1], ink[2], burn]);
        }
    }
    write_png(width, height, pixels)
}

fn rgb(colour: &str) -> [u8; 3] {
    let part = |i: usize| colour.get(i..i + 2).and_then(|v| u8::from_str_radix(v, 16).ok()).unwrap_or(0);
    [part(1), part(3), part(5)]
}

/// How a tracing would come out.
#[derive(Deserialize)]
pub struct Trying {
    threshold: Option<u8>,
    speck: u32,
    smooth: f64,
    #[serde(default)]
    invert: bool,
}

/// The outlines of a tracing that is being tried, as they would lie on the bench.
pub async fn tracing(app: Shared, Path((job, drawing)): Path<(i32, u32)>, Query(t): Query<Trying>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?;
        let d = state(&loaded, drawing)?;
        let bitmap = d.drawing.bitmap.as_ref().ok_or_else(|| AppError::sentence("this drawing is no picture.".into()))?;
        let home = on_the_bench(&loaded, drawing).unwrap_or_default() * d.intake.transform;
        let settings = Trace { threshold: t.threshold, speck: t.speck, smooth: t.smooth, invert: t.invert };
        let outlines = trace(bitmap, &settings);
        let lines: Option<Vec<Vec<f64>>> = outlines.map(|o| o.iter().map(|p| flat(&p.transformed(home).segments)).collect());
        let text = serde_json::to_string(&lines).map_err(|e| AppError::sentence(e.to_string()))?;
        Ok(([(CONTENT_TYPE, "application/json"), (CACHE_CONTROL, "no-store")], text).into_response())
    })
    .await
}

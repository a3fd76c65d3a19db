//! The bed as it is: the picture that a machine's camera took of it, or a photo with two known points, laid flat; what lies there
//! is outlined on it and goes to the rack, lying where it lies.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book::who;
use crate::typed::Typed;
use crate::uploads::receive;
use askama::Template;
use axum::Json;
use axum::extract::{Multipart, Path};
use axum::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::bed::{Flat, Photo, offcut, outline, similar};
use boustrophe_core::drawing::Unit;
use boustrophe_core::geometry::{Path as Outline, Point};
use boustrophe_core::quantity::length;
use boustrophe_core::shop::{Machine, thickness};
use boustrophe_formats::bitmap;
use boustrophe_shop::app::App;
use boustrophe_shop::rack;
use boustrophe_store::OnRack;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;
use std::time::SystemTime;
use time::OffsetDateTime;

#[derive(Template)]
#[template(path = "things/machines/bed.html")]
struct Page {
    machine: Machine,
    /// When the flat picture was made, where there is one.
    taken: Option<String>,
    /// A photo waits for its two points: its size, pixels.
    photo: Option<(usize, usize)>,
    materials: Vec<(String, String)>,
    /// What lies there as the rack has it: name, and corners in mm with y down from the bed's far edge, as of a polygon.
    lying: Vec<(String, String)>,
}

fn file(app: &App, machine: &str, kind: &str) -> Result<PathBuf, AppError> {
    // Ids are the book's own; a path in one would be another file.
    if !machine.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_') {
        return Err(AppError::NoPage(format!("/bed/{machine}")));
    }
    Ok(app.beds.join(format!("{machine}.{kind}.png")))
}

fn machine_of(app: &App, id: &str) -> Result<Machine, AppError> {
    app.shop().machine(id).cloned().ok_or_else(|| AppError::NoPage(format!("/bed/{id}")))
}

/// True where there is a flat picture of a machine's bed, and the time it was made, as a number.
pub fn pictured(app: &App, machine: &str) -> Option<u64> {
    let made = std::fs::metadata(file(app, machine, "flat").ok()?).ok()?.modified().ok()?;
    made.duration_since(SystemTime::UNIX_EPOCH).ok().map(|d| d.as_secs())
}

/// The page.
pub async fn page(app: Shared, Path(id): Path<String>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| shown(app, &id)).await
}

fn shown(app: &Shared, id: &str) -> Result<Html<String>, AppError> {
    let machine = machine_of(app, id)?;
    let at = |kind: &str| std::fs::metadata(file(app, id, kind)?).and_then(|m| m.modified()).map_err(|_| AppError::NoPage(String::new()));
    let taken = at("flat").ok().map(|t| {
        let t = OffsetDateTime::from(t);
        format!("{:04}-{:02}-{:02} {:02}:{:02} UTC", t.year(), u8::from(t.month()), t.day(), t.hour(), t.minute())
    });
    // A photo that is newer than what was made of one before waits to be laid flat.
    let waits = at("photo").ok().filter(|p| at("flat").ok().is_none_or(|f| f < *p));
    let photo = waits.and_then(|_| std::fs::read(file(app, id, "photo").ok()?).ok()).and_then(|b| bitmap::photo(&b).ok());
    let place = rack::place_on(&machine.id);
    let mut lying = Vec::new();
    for s in app.store.stock(None)?.into_iter().filter(|s| s.stock.place == place) {
        let Some(at) = s.stock.sheet.on_bed else { continue };
        let rings: Vec<String> = s.stock.sheet.edges().iter().take(1).map(|p| corners(p, at, machine.bed_height)).collect();
        lying.push((rack::name(&s), rings.join(" ")));
    }
    let materials = app.shop().materials.iter().map(|m| (m.id.clone(), m.name.clone())).collect();
    html(&Page { machine, taken, photo: photo.map(|p| (p.width, p.height)), materials, lying })
}

fn corners(path: &Outline, at: Point, height: f64) -> String {
    path.points(0.5).iter().map(|p| format!("{:.1},{:.1} ", p.x + at.x, height - p.y - at.y)).collect()
}

/// Has the camera look at the bed, and lays flat what it saw.
pub async fn look(app: Shared, Path(id): Path<String>) -> Result<Redirect, AppError> {
    let machine = machine_of(&app, &id)?;
    if !machine.camera {
        return Err(AppError::sentence(format!("{} has no camera; drop a photo of its bed instead.", machine.name)));
    }
    let photo = app.desks.desk(&id)?.look().await?;
    blocking(&app, move |app| {
        let bed = (machine.bed_width, machine.bed_height);
        let flat = Flat::by_marks(&photo, bed).map_err(|e| AppError::sentence(format!("{e}.")))?;
        save(app, &machine.id, "flat", &flat.photo)
    })
    .await?;
    Ok(Redirect::to(&format!("/bed/{id}")))
}

fn save(app: &App, machine: &str, kind: &str, photo: &Photo) -> Result<(), AppError> {
    let failed = |e: std::io::Error| AppError::sentence(format!("the picture cannot be kept ({e}); is the disk full?"));
    std::fs::create_dir_all(&app.beds).map_err(failed)?;
    let rgba = photo.rgb.chunks(3).flat_map(|c| [c[0], c[1], c[2], 255]).collect();
    let png = bitmap::write_png(photo.width, photo.height, rgba);
    let png = png.ok_or_else(|| AppError::sentence("the picture cannot be written; take it again.".into()))?;
    // Whole or not at all: a page that looks meanwhile finds the one before.
    let path = file(app, machine, kind)?;
    let part = path.with_extension("part");
    std::fs::write(&part, png).and_then(|()| std::fs::rename(&part, &path)).map_err(failed)
}

/// A photo of the bed that is dropped: two of its points are to be told.
pub async fn photo(app: Shared, Path(id): Path<String>, multipart: Multipart) -> Result<Response, AppError> {
    let files = receive(&app, multipart).await?;
    let to = format!("/bed/{id}");
    blocking(&app, move |app| {
        let machine = machine_of(app, &id)?;
        let file = files.first().ok_or_else(|| AppError::sentence("there was no photo in it; choose or drop one.".into()))?;
        let photo = bitmap::photo(&file.bytes()?).map_err(|e| AppError::sentence(format!("the file {}: {e}.", file.name)))?;
        save(app, &machine.id, "photo", &photo)
    })
    .await?;
    Ok(([("hx-redirect", to)], "").into_response())
}

/// Two points of a photo, pixels from its upper left corner, and where they are on the bed, as typed.
#[derive(Deserialize)]
pub struct Known {
    px: f64,
    py: f64,
    qx: f64,
    qy: f64,
    ax: String,
    ay: String,
    bx: String,
    by: String,
}

/// Lays a photo flat by two points that are known.
pub async fn known(app: Shared, Path(id): Path<String>, Typed { form: known, .. }: Typed<Known>) -> Result<Redirect, AppError> {
    let to = format!("/bed/{id}");
    blocking(&app, move |app| measured(app, &id, &known)).await?;
    Ok(Redirect::to(&to))
}

fn measured(app: &Shared, id: &str, known: &Known) -> Result<(), AppError> {
    let machine = machine_of(app, id)?;
    let bytes = std::fs::read(file(app, id, "photo")?).map_err(|_| AppError::sentence("the photo is gone; drop it again.".into()))?;
    let photo = bitmap::photo(&bytes).map_err(AppError::sentence)?;
    let mm = |t: &str| length(t.trim(), Unit::Mm).map_err(AppError::sentence);
    let on_bed = [Point::new(mm(&known.ax)?, mm(&known.ay)?), Point::new(mm(&known.bx)?, mm(&known.by)?)];
    let seen = [Point::new(known.px, known.py), Point::new(known.qx, known.qy)];
    let to_photo = similar(on_bed, seen).map_err(|e| AppError::sentence(format!("{e}.")))?;
    let flat = Flat::of(&photo, (machine.bed_width, machine.bed_height), |p| to_photo * p);
    save(app, id, "flat", &flat.photo)
}

/// The bed's picture, flat, or the photo that waits.
pub async fn picture(app: Shared, Path((id, kind)): Path<(String, String)>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let missing = || AppError::NoPage(format!("/bed/{id}/{kind}"));
        let kind = match kind.as_str() {
            "flat.png" => "flat",
            "photo.png" => "photo",
            _ => return Err(missing()),
        };
        let bytes = std::fs::read(file(app, &id, kind)?).map_err(|_| AppError::NoPage(format!("/bed/{id}/{kind}.png")))?;
        Ok(([(CONTENT_TYPE, "image/png"), (CACHE_CONTROL, "no-cache")], bytes).into_response())
    })
    .await
}

fn flat(app: &App, machine: &Machine) -> Result<Flat, AppError> {
    let none = |_| AppError::sentence(format!("there is no picture of {}'s bed yet; take one first.", machine.name));
    let bytes = std::fs::read(file(app, &machine.id, "flat")?).map_err(none)?;
    let photo = bitmap::photo(&bytes).map_err(AppError::sentence)?;
    let per_mm = photo.width as f64 / machine.bed_width;
    Ok(Flat { photo, per_mm })
}

/// Where a piece was touched, mm on the bed.
#[derive(Deserialize)]
pub struct Touched {
    x: f64,
    y: f64,
}

/// Corners of what was found, mm on the bed: its edge first, then its holes.
#[derive(Serialize)]
struct Found {
    rings: Vec<Vec<[f64; 2]>>,
}

/// The outline of what lies at a place.
pub async fn touched(app: Shared, Path(id): Path<String>, Typed { form: at, .. }: Typed<Touched>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let machine = machine_of(app, &id)?;
        let found = outline(&flat(app, &machine)?, Point::new(at.x, at.y)).map_err(|e| AppError::sentence(format!("{e}.")))?;
        let r = |v: f64| (v * 10.0).round() / 10.0;
        let ring = |p: &Outline| p.segments.iter().map(|s| [r(s.start.x), r(s.start.y)]).collect();
        Ok(Json(Found { rings: found.iter().map(ring).collect() }).into_response())
    })
    .await
}

/// What was outlined and mended, to be kept.
#[derive(Deserialize)]
pub struct Kept {
    /// Rings of corners in mm on the bed, as JSON.
    rings: String,
    material: String,
    thickness: String,
    #[serde(default)]
    person: String,
}

/// Puts what was outlined on the rack: it lies on the bed, where it lies.
pub async fn keep(app: Shared, Path(id): Path<String>, Typed { form, .. }: Typed<Kept>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| kept(app, &id, &form)).await?;
    Ok(Redirect::to("/shop/rack"))
}

fn kept(app: &Shared, id: &str, form: &Kept) -> Result<(), AppError> {
    let machine = machine_of(app, id)?;
    let unread = |_| AppError::sentence("the outline is not understood; outline the piece again.".into());
    let rings: Vec<Vec<[f64; 2]>> = serde_json::from_str(&form.rings).map_err(unread)?;
    let sheet = offcut(&rings, &machine).map_err(|e| AppError::sentence(format!("{e}.")))?;
    let thickness = length(form.thickness.trim(), Unit::Mm).and_then(thickness).map_err(AppError::sentence)?;
    if app.shop().material(&form.material).is_none() {
        return Err(AppError::sentence("that material is not in the shop's book; write it down there first.".into()));
    }
    let new = OnRack {
        material: form.material.clone(),
        thickness,
        sheet,
        offcut: true,
        count: 1,
        price: None,
        place: rack::place_on(&machine.id),
        origin: format!("outlined on the bed of {}", machine.name),
    };
    app.store.add_stock(&new, who(app.signed(&form.person)))?;
    Ok(())
}

//! The shop's letters: those that are shipped, and faces of its own.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book::who;
use crate::uploads::receive_form;
use askama::Template;
use axum::extract::{Form, Multipart};
use axum::response::{Html, Redirect};
use boustrophe_core::geometry::Bounds;
use boustrophe_core::lettering::{self, Face};
use boustrophe_formats::svg::path_data;
use boustrophe_shop::incoming::Dropped;
use serde::Deserialize;
use std::collections::BTreeMap;

/// What each face shows, and how high its capitals are, in units of the picture.
const SAMPLE: (&str, f64) = ("Hive 8, Queen & Drone ÄŁČỳ", 20.0);

struct FaceView {
    name: String,
    /// Who added it and when; empty for what is shipped.
    added: String,
    own: bool,
    /// Outlines of its sample, filled or drawn as lines, and the box round them.
    sample: String,
    filled: bool,
    view: String,
}

#[derive(Template)]
#[template(path = "things/book/letters.html")]
struct Letters {
    faces: Vec<FaceView>,
}

fn view(face: Face, added: String) -> FaceView {
    let line = lettering::line(SAMPLE.0, SAMPLE.1, face);
    let b = line.paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds())).grown(2.0);
    // The picture's y runs down from the top.
    let sample = line.paths.iter().map(|p| path_data(p, 0.0)).collect::<Vec<_>>().join(" ");
    let view = format!("{:.1} {:.1} {:.1} {:.1}", b.min.x, -b.max.y, b.width().max(1.0), b.height().max(1.0));
    FaceView { name: face.name(), own: matches!(face, Face::Own(_)), added, sample, filled: face.is_area(), view }
}

/// All faces, each with a sample.
pub async fn letters(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, shown).await
}

fn shown(app: &Shared) -> Result<Html<String>, AppError> {
    let own = app.store.faces()?;
    let shipped = Face::SHIPPED.into_iter().map(|f| view(f, String::new()));
    let added = own.iter().filter_map(|f| {
        let at: String = f.at.chars().take(10).collect();
        Some(view(Face::Own(lettering::find(&f.name)?), format!("{at}, {}", f.person)))
    });
    html(&Letters { faces: shipped.chain(added).collect() })
}

/// Adds a face of the shop's own.
pub async fn add(app: Shared, multipart: Multipart) -> Result<Redirect, AppError> {
    let (fields, mut files) = receive_form(&app, multipart).await?;
    let Some(file) = files.pop().filter(|_| files.is_empty()) else {
        return Err(AppError::sentence("choose one face, a file that ends in .ttf or .otf.".into()));
    };
    blocking(&app, move |app| added(app, &fields, &file)).await?;
    Ok(Redirect::to("/shop/letters"))
}

fn added(app: &Shared, fields: &BTreeMap<String, String>, file: &Dropped) -> Result<(), AppError> {
    let typed = fields.get("name").map_or("", |n| n.trim());
    let stem = file.name.rsplit_once('.').map_or(file.name.as_str(), |n| n.0);
    let name = if typed.is_empty() { stem } else { typed };
    let bytes = file.bytes()?;
    lettering::learn(name, &bytes).map_err(|e| AppError::sentence(format!("{}: {e}.", file.name)))?;
    Ok(app.store.add_face(name.trim(), &bytes, who(fields.get("person").map_or("", String::as_str)))?)
}

/// A face by its name.
#[derive(Deserialize)]
pub struct Named {
    name: String,
}

/// Takes a face away. What was written with it is told as missing when it is worked out the next time.
pub async fn remove(app: Shared, Form(form): Form<Named>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        app.store.remove_face(&form.name)?;
        lettering::forget(&form.name);
        Ok(Redirect::to("/shop/letters"))
    })
    .await
}

//! The floor: every job as a card, sorted by what needs a hand next.

use super::{Shared, blocking, changes};
use crate::error::{AppError, html};
use crate::shop::Loaded;
use crate::view::{Cell, ledger};
use askama::Template;
use axum::extract::{Form, Multipart};
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::decisions::Decisions;
use boustrophe_core::finding::Severity;
use boustrophe_formats::svg::path_data;
use serde::Deserialize;

/// A job on the floor.
struct Card {
    id: i32,
    name: String,
    due: String,
    batch: String,
    station: &'static str,
    slug: &'static str,
    stops: usize,
    looks: usize,
    tone: String,
    /// Width and height of the first sheet, and outlines on it.
    sheet: (f64, f64),
    outlines: String,
    cells: Vec<Cell>,
    parts: u32,
}

#[derive(Template)]
#[template(path = "floor.html")]
struct Floor {
    cards: Vec<Card>,
}

/// The start page.
pub async fn floor(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, |app| {
        let mut cards = Vec::new();
        for job in app.store.jobs()? {
            cards.push(card(&app.load(job.id)?));
        }
        // Something to decide first, then by date.
        cards.sort_by(|a, b| {
            (b.stops + b.looks > 0).cmp(&(a.stops + a.looks > 0)).then(a.due.is_empty().cmp(&b.due.is_empty())).then(a.due.cmp(&b.due))
        });
        html(&Floor { cards })
    })
    .await
}

fn card(loaded: &Loaded) -> Card {
    let route = &loaded.route;
    let b = &loaded.revision.decisions.batch;
    let material = loaded.shop.material(&b.material);
    let count = |severity: Severity| route.findings.iter().filter(|f| f.severity == severity).count();
    let first = route.nested.layout.sheets.first();
    let mut outlines = String::new();
    let mut sheet = (0.0, 0.0);
    if let Some(s) = first {
        sheet = (s.sheet.width, s.sheet.height);
        for p in &s.placed {
            if let Some(part) = route.work.part(p.part) {
                outlines.push_str(&path_data(&part.outline.transformed(p.affine()), s.sheet.height));
            }
        }
    }
    Card {
        id: loaded.job.id,
        name: loaded.job.name.clone(),
        due: loaded.job.due.clone().unwrap_or_default(),
        batch: format!("{} {} mm", material.map_or(b.material.as_str(), |m| m.name.as_str()), b.thickness),
        station: route.reached.name(),
        slug: route.reached.slug(),
        stops: count(Severity::Stop),
        looks: count(Severity::Look),
        tone: material.map_or_else(|| "#ddd".into(), |m| m.tone.clone()),
        sheet,
        outlines,
        cells: ledger(&route.ledger, None).into_iter().filter(|c| matches!(c.name, "sheets" | "yield" | "time")).collect(),
        parts: route.work.parts.iter().map(|p| p.quantity).sum(),
    }
}

/// A new job by name.
#[derive(Deserialize)]
pub struct NewJob {
    name: String,
}

/// Begins a job.
pub async fn begin(app: Shared, Form(new): Form<NewJob>) -> Result<Redirect, AppError> {
    let name: String = new.name.trim().chars().take(80).collect();
    if name.is_empty() {
        return Err(AppError::Sentence("a job needs a name; type one.".into()));
    }
    let id = blocking(&app, move |app| Ok(app.store.add_job(&name, "", None, &Decisions::default())?.id)).await?;
    Ok(Redirect::to(&format!("/jobs/{id}/intake")))
}

/// Files dropped on the floor begin a job named after the first.
pub async fn dropped(app: Shared, multipart: Multipart) -> Result<Response, AppError> {
    let files = changes::receive(multipart).await?;
    let id = blocking(&app, move |app| {
        if let Some(error) = files.iter().find_map(|(name, bytes)| boustrophe_formats::read(name, bytes).err()) {
            return Err(error.into());
        }
        let name = files.first().map_or("Job", |f| f.0.rsplit_once('.').map_or(f.0.as_str(), |n| n.0)).to_owned();
        let job = app.store.add_job(&name, "", None, &Decisions::default())?;
        changes::add_files(app, job.id, files)?;
        Ok(job.id)
    })
    .await?;
    Ok(([("hx-redirect", format!("/jobs/{id}/intake"))], "").into_response())
}

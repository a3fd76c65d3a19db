//! The parts of a job as Nest lists them: so many at once, as far as they are looked at; what can be said of one when it is opened.

use super::kits;
use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::assign::docket::Choice;
use crate::stations::window::Window;
use askama::Template;
use axum::extract::{Path, Query};
use axum::response::Html;
use boustrophe_core::assign::Part;
use boustrophe_core::decisions::{Edit, NestEdit};
use boustrophe_core::geometry::Affine;
use boustrophe_core::ids::{BatchId, PartId};
use boustrophe_core::nest::{self, Grain, Kit, PartNest, Terms, Turn};
use boustrophe_core::route::BatchRoute;
use boustrophe_formats::svg::miniature_data;
use boustrophe_shop::app::{App, Loaded, stock_words};
use boustrophe_shop::guests;
use serde::Deserialize;
use std::collections::HashMap;

/// Parts that are listed at once; the next follow when the list is looked through to there.
const AT_ONCE: usize = 40;
/// Room for a part's outline in the list, and the error that its curves may have there.
const MINIATURE: (f64, f64) = (34.0, 26.0);

/// A part in the list.
struct PartRow {
    id: String,
    name: String,
    size: String,
    quantity: u32,
    placed: usize,
    /// Its outline in a box of 34 by 26.
    shape: String,
    /// The job that it is of, where not of this one.
    slip: String,
    /// Where else copies of it lie.
    elsewhere: String,
    /// How it is laid where that is not as the others are.
    said: String,
}

/// Some of the parts.
#[derive(Template)]
#[template(path = "stations/nest/rows.html")]
pub struct Rows {
    job: i32,
    batch: BatchId,
    parts: Vec<PartRow>,
    /// Where the list goes on, and for what word it is sieved.
    next: Option<usize>,
    find: String,
}

/// The parts of a window of the list.
pub fn rows(app: &App, loaded: &Loaded, window: &Window) -> Result<Rows, AppError> {
    let here = loaded.here();
    let terms = nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop);
    let places = guests::places(app, loaded)?;
    let mut placed: HashMap<PartId, usize> = HashMap::new();
    here.nested.layout.copies().for_each(|c| *placed.entry(c.copy.part).or_insert(0) += 1);
    let row = |p: &Part| PartRow {
        id: p.id.to_string(),
        name: p.name.clone(),
        size: format!("{:.1} × {:.1}", p.bounds.width(), p.bounds.height()),
        quantity: p.quantity,
        placed: placed.get(&p.id).copied().unwrap_or(0),
        shape: miniature(p),
        slip: guests::owner(&loaded.revision.decisions, &here.work, p).map_or_else(String::new, |g| g.name.clone()),
        elsewhere: places.get(&p.id).cloned().unwrap_or_default(),
        said: terms.parts.get(&p.id).map_or_else(String::new, PartNest::words),
    };
    let (parts, next) = window.of(here.work.parts.iter(), |p| &p.name, AT_ONCE);
    let parts = parts.into_iter().map(row).collect();
    Ok(Rows { job: loaded.job.id, batch: loaded.batch, parts, next, find: window.find.clone() })
}

/// The next parts of the list, or those with a word in their names.
pub async fn window(app: Shared, Path(job): Path<i32>, Query(window): Query<Window>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| html(&rows(app, &app.load(job)?.about(window.batch), &window)?)).await
}

/// Which part is opened.
#[derive(Deserialize)]
pub struct Opened {
    #[serde(default)]
    batch: BatchId,
    part: PartId,
}

/// What can be said of a part: forms whose choices are whole changes.
#[derive(Template)]
#[template(path = "stations/nest/ways.html")]
struct Ways {
    job: i32,
    revision: i32,
    batch: BatchId,
    id: String,
    name: String,
    ways: Vec<(&'static str, Vec<Choice>)>,
    /// Where else it could be made; empty where there is one batch.
    batches: Vec<Choice>,
}

/// What can be said of a part of the list.
pub async fn part_ways(app: Shared, Path(job): Path<i32>, Query(opened): Query<Opened>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| said_of(app, job, &opened)).await
}

fn said_of(app: &Shared, job: i32, opened: &Opened) -> Result<Html<String>, AppError> {
    let loaded = app.load(job)?.about(opened.batch);
    let part = loaded.here().work.parts.iter().find(|p| p.id == opened.part);
    let part = part.ok_or_else(|| AppError::sentence("that part is not there any more; load the page again.".into()))?;
    let terms = nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop);
    html(&Ways {
        job,
        revision: loaded.revision.id,
        batch: loaded.batch,
        id: part.id.to_string(),
        name: part.name.clone(),
        ways: ways(part, &terms, loaded.batch),
        batches: made_elsewhere(&loaded, part),
    })
}

/// The batches of the job, and which of them makes the part.
fn made_elsewhere(loaded: &Loaded, part: &Part) -> Vec<Choice> {
    let all = &loaded.route.batches;
    if all.len() < 2 || part.wanted.len() > 1 {
        return Vec::new();
    }
    let choice = |(id, b): (&BatchId, &BatchRoute)| Choice {
        slug: id.to_string(),
        name: stock_words(&b.stock, &loaded.shop),
        chosen: part.wanted.contains_key(id),
    };
    all.iter().map(choice).collect()
}

/// What can be said of how one part is laid.
fn ways(part: &Part, terms: &Terms, batch: BatchId) -> Vec<(&'static str, Vec<Choice>)> {
    let said = terms.parts.get(&part.id).copied().unwrap_or_default();
    let choice = |name: &str, nest: PartNest| Choice {
        slug: serde_json::to_string::<Edit>(&NestEdit::SetPart { part: part.id, nest }.on(batch)).unwrap_or_default(),
        name: name.into(),
        chosen: nest == said,
    };
    let turns = std::iter::once(("as all", None)).chain(Turn::ALL.map(|t| (t.name(), Some(t))));
    let grains = [("as all", None), ("along", Some(Grain::Along)), ("across", Some(Grain::Across))];
    let mirrors = [("as all", None), ("yes", Some(true)), ("no", Some(false))];
    let kits: Vec<Option<Kit>> =
        std::iter::once(None).chain(kits::all(terms).into_iter().map(Some)).chain([Some(kits::free(terms))]).collect();
    let of_kit = |kit: Option<Kit>| choice(&kit.map_or_else(|| "none".into(), |k| format!("kit {}", k.name())), PartNest { kit, ..said });
    let mut all = vec![
        ("Turns", turns.map(|(name, turn)| choice(name, PartNest { turn, ..said })).collect()),
        ("Grain", grains.into_iter().map(|(name, grain)| choice(name, PartNest { grain, ..said })).collect()),
        ("Mirror", mirrors.into_iter().map(|(name, mirror)| choice(name, PartNest { mirror, ..said })).collect()),
        ("Goes first", [("no", false), ("yes", true)].into_iter().map(|(name, first)| choice(name, PartNest { first, ..said })).collect()),
        (
            "Fills gaps",
            [("no", false), ("yes", true)].into_iter().map(|(name, filler)| choice(name, PartNest { filler, ..said })).collect(),
        ),
        ("Belongs to", kits.into_iter().map(of_kit).collect()),
    ];
    if let Some(kit) = said.kit {
        let lies = |name: &str, near: bool| Choice {
            slug: serde_json::to_string::<Edit>(&kits::lie(terms, Kit { near, ..kit }, batch)).unwrap_or_default(),
            name: name.into(),
            chosen: kit.near == near,
        };
        all.push(("Its parts lie", vec![lies("on one sheet", false), lies("side by side", true)]));
    }
    all
}

/// A part's outline in the room that the list has for it.
fn miniature(part: &Part) -> String {
    let (w, h) = MINIATURE;
    let b = part.bounds;
    let k = ((w - 2.0) / b.width().max(1e-9)).min((h - 2.0) / b.height().max(1e-9));
    let home = Affine::translate((w / 2.0, h / 2.0)) * Affine::scale(k) * Affine::translate(-b.center().to_vec2());
    miniature_data(&part.outline.transformed(home), h, 0.6)
}

//! Nest's docket: parts, sheets, spacing, the search.

use super::assign::Choice;
use crate::error::AppError;
use crate::shop::{App, Loaded, stock_words};
use askama::Template;
use boustrophe_core::assign::Part;
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Sheet, Terms, Turn};
use boustrophe_core::route::BatchRoute;

struct PartRow {
    id: String,
    name: String,
    size: String,
    quantity: u32,
    /// Where else it could be made; empty where there is one batch.
    batches: Vec<Choice>,
}

/// Parts listed: every one of a drawing that people make by hand.
const MOST_LISTED: usize = 2000;

#[derive(Template)]
#[template(path = "nest/docket.html")]
pub(super) struct Nest {
    job: i32,
    revision: i32,
    batch: BatchId,
    parts: Vec<PartRow>,
    more: usize,
    copies: u32,
    spacing: String,
    margin: String,
    sheets: String,
    turns: Vec<Choice>,
    searching: bool,
    in_vain: bool,
    was_searching: bool,
    has_layout: bool,
}

/// The batches of the job, and which of them makes the part.
fn elsewhere(loaded: &Loaded, part: &Part) -> Vec<Choice> {
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

pub(super) fn nest_body(app: &App, loaded: &Loaded) -> Result<Nest, AppError> {
    let terms = Terms::of(loaded.decided(), &loaded.machine(), &loaded.shop);
    let parts = &loaded.here().work.parts;
    let sheet = |s: &Sheet| {
        let size = format!("{}x{}", s.width, s.height);
        s.count.map_or(size.clone(), |n| format!("{n}@{size}"))
    };
    let searching = app.searches.progress(loaded.job.id).is_some_and(|p| p.batch == loaded.batch);
    Ok(Nest {
        job: loaded.job.id,
        revision: loaded.revision.id,
        batch: loaded.batch,
        parts: parts
            .iter()
            .take(MOST_LISTED)
            .map(|p| PartRow {
                id: p.id.to_string(),
                name: p.name.clone(),
                size: format!("{:.1} × {:.1}", p.bounds.width(), p.bounds.height()),
                quantity: p.quantity,
                batches: elsewhere(loaded, p),
            })
            .collect(),
        more: parts.len().saturating_sub(MOST_LISTED),
        copies: parts.iter().map(|p| p.quantity).sum(),
        spacing: format!("{}", terms.spacing),
        margin: format!("{}", terms.margin),
        sheets: terms.sheets.iter().map(sheet).collect::<Vec<_>>().join(", "),
        turns: Turn::ALL
            .iter()
            .map(|t| Choice { slug: t.name().trim_end_matches('°').into(), name: t.name().into(), chosen: terms.turn == *t })
            .collect(),
        searching,
        in_vain: app.searches.was_in_vain(loaded.job.id),
        was_searching: !searching && app.store.was_searching(loaded.job.id)? == Some(loaded.batch),
        has_layout: !loaded.here().nested.layout.sheets.is_empty(),
    })
}

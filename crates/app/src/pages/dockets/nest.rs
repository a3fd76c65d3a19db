//! Nest's docket: parts, sheets, spacing, the search.

use crate::error::AppError;
use crate::pages::assign::Choice;
use crate::shop::{App, Loaded};
use askama::Template;
use boustrophe_core::nest::{Setting, Sheet, Turn};

struct PartRow {
    id: String,
    name: String,
    size: String,
    quantity: u32,
}

/// Parts listed: every one of a drawing that people make by hand.
const MOST_LISTED: usize = 2000;

#[derive(Template)]
#[template(path = "nest/docket.html")]
pub(super) struct Nest {
    job: i32,
    revision: i32,
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

pub(super) fn nest_body(app: &App, loaded: &Loaded) -> Result<Nest, AppError> {
    let decisions = &loaded.revision.decisions;
    let machine = &*loaded.shop.machine_or_stand_in(&decisions.batch.machine);
    let setting = Setting::of(decisions, machine, &loaded.shop);
    let parts = &loaded.route.work.parts;
    let sheet = |s: &Sheet| {
        let size = format!("{}x{}", s.width, s.height);
        s.count.map_or(size.clone(), |n| format!("{n}@{size}"))
    };
    let searching = app.searches.progress(loaded.job.id).is_some();
    Ok(Nest {
        job: loaded.job.id,
        revision: loaded.revision.id,
        parts: parts
            .iter()
            .take(MOST_LISTED)
            .map(|p| PartRow {
                id: p.id.to_string(),
                name: p.name.clone(),
                size: format!("{:.1} × {:.1}", p.bounds.width(), p.bounds.height()),
                quantity: p.quantity,
            })
            .collect(),
        more: parts.len().saturating_sub(MOST_LISTED),
        copies: parts.iter().map(|p| p.quantity).sum(),
        spacing: format!("{}", setting.spacing),
        margin: format!("{}", setting.margin),
        sheets: setting.sheets.iter().map(sheet).collect::<Vec<_>>().join(", "),
        turns: Turn::ALL
            .iter()
            .map(|t| Choice { slug: t.name().trim_end_matches('°').into(), name: t.name().into(), chosen: setting.turn == *t })
            .collect(),
        searching,
        in_vain: app.searches.was_in_vain(loaded.job.id),
        was_searching: !searching && app.store.was_searching(loaded.job.id)?,
        has_layout: !loaded.route.nested.layout.sheets.is_empty(),
    })
}

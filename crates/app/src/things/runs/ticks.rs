//! The list that is gone through before a run is started.

use crate::asking::{Shared, blocking, escaped, named};
use crate::error::AppError;
use crate::typed::Typed;
use axum::extract::Path;
use axum::response::Html;
use boustrophe_shop::runs::list;
use serde::Deserialize;

/// A tick, as it is set.
#[derive(Deserialize)]
pub struct TickForm {
    item: String,
    #[serde(default)]
    on: String,
    #[serde(default)]
    person: String,
}

/// Ticks a line of the list, or takes the tick off. Only before the start.
pub async fn tick(app: Shared, Path(id): Path<i32>, Typed { form, .. }: Typed<TickForm>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| ticked_off(app, id, &form)).await
}

fn ticked_off(app: &Shared, id: i32, form: &TickForm) -> Result<Html<String>, AppError> {
    let tick = list::tick(app, id, &form.item, &named(app.signed(&form.person)), form.on == "on")?;
    Ok(Html(tick.map_or_else(String::new, |t| escaped(&list::signed(&t)))))
}

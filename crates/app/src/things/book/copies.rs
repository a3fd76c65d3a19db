//! A machine or a material made from another: all that is said of it, under a name of its own.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::things::book::change;
use crate::typed::Typed;
use axum::extract::Path;
use axum::response::Redirect;
use boustrophe_core::shop::Shop;
use boustrophe_shop::app::App;
use boustrophe_store::Kind;
use serde::Deserialize;
use std::sync::Arc;

/// What the copy is called, and who makes it.
#[derive(Deserialize)]
pub struct Copy {
    name: String,
    #[serde(default)]
    person: String,
    /// `on` where a machine's rows of the chart are taken along.
    #[serde(default)]
    rows: String,
}

impl Copy {
    /// The name, and one that stands in addresses and files, which nothing of the kind has yet.
    fn named(&self, taken: impl Fn(&str) -> bool) -> Result<(String, String), String> {
        let name = self.name.trim();
        if name.is_empty() || name.chars().count() > 40 {
            return Err("give it a name of 1 to 40 letters".into());
        }
        let letters: String = name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
        let words: Vec<&str> = letters.split('-').filter(|w| !w.is_empty()).collect();
        let base = if words.is_empty() { "new".to_owned() } else { words.join("-") };
        let free = std::iter::once(base.clone()).chain((2..1000).map(|n| format!("{base}-{n}"))).find(|id| !taken(id) && id != "new");
        Ok((name.to_owned(), free.ok_or("there are too many of that name")?))
    }
}

/// A machine like another: bed, speeds, dialect, camera, slats, and its rows of the chart where that is wanted.
pub async fn machine(app: Shared, Path(id): Path<String>, Typed { form, .. }: Typed<Copy>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| machine_copied(app, &id, &form)).await?;
    Ok(Redirect::to("/shop/machines"))
}

fn machine_copied(app: &Arc<App>, id: &str, form: &Copy) -> Result<(), AppError> {
    let (_, made) = form.named(|id| app.shop().machines.iter().any(|m| m.id == id)).map_err(AppError::sentence)?;
    change(app, Kind::Machine, None, (&form.person, "copied"), |shop| {
        let (name, made) = form.named(|id| shop.machines.iter().any(|m| m.id == id))?;
        let mut copy = shop.machines.iter().find(|m| m.id == id).ok_or_else(|| format!("there is no machine “{id}”"))?.clone();
        (copy.name, copy.id) = (name, made);
        shop.machines.push(copy);
        Ok(())
    })?;
    if form.rows == "on" {
        change(app, Kind::Chart, None, (&form.person, "copied with its machine"), |shop| rows(shop, id, &made))?;
    }
    Ok(())
}

/// The chart's rows of a machine once more for another.
fn rows(shop: &mut Shop, of: &str, to: &str) -> Result<(), String> {
    let copies: Vec<_> = shop.chart.iter().filter(|r| r.machine == of).cloned().collect();
    shop.chart.extend(copies.into_iter().map(|mut row| {
        to.clone_into(&mut row.machine);
        row
    }));
    Ok(())
}

/// A material like another; what is cut of it on which machine has still to be found out.
pub async fn material(app: Shared, Path(id): Path<String>, Typed { form, .. }: Typed<Copy>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        change(app, Kind::Material, None, (&form.person, "copied"), |shop| {
            let (name, made) = form.named(|id| shop.materials.iter().any(|m| m.id == id))?;
            let mut copy = shop.materials.iter().find(|m| m.id == id).ok_or_else(|| format!("there is no material “{id}”"))?.clone();
            (copy.name, copy.id) = (name, made);
            shop.materials.push(copy);
            Ok(())
        })
    })
    .await?;
    Ok(Redirect::to("/shop/machines"))
}

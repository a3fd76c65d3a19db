//! Name plates in one step: letters welded, a backing round them, a ring to hang them by; top and backing each in its batch.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::assign::edits::stock_of;
use crate::typed::Typed;
use axum::extract::Path;
use axum::response::Redirect;
use boustrophe_core::assign::Part;
use boustrophe_core::drawing::Unit;
use boustrophe_core::ids::PartId;
use boustrophe_core::lettering::Face;
use boustrophe_core::plate::{ENDING, Hung, LAYERS, NamePlate};
use boustrophe_core::quantity::length;
use boustrophe_shop::incoming;
use boustrophe_shop::names;
use serde::Deserialize;

/// A name plate as its form says it; lengths as they are typed.
#[derive(Deserialize)]
pub struct PlateForm {
    text: String,
    height: String,
    spacing: String,
    offset: String,
    #[serde(default)]
    ring: String,
    #[serde(default)]
    hole: String,
    #[serde(default)]
    hung: Hung,
    /// Which letters, by their name; empty for plain ones.
    #[serde(default)]
    face: String,
    #[serde(default)]
    bridge: String,
    /// What the backing is made of; empty for the same as the top.
    #[serde(default)]
    backing: String,
}

impl PlateForm {
    fn plate(&self) -> Result<NamePlate, String> {
        let mm = |text: &str| length(text.trim(), Unit::Mm);
        let ring = if self.ring.trim().is_empty() || self.ring.trim() == "0" { (0.0, 0.0) } else { (mm(&self.ring)?, mm(&self.hole)?) };
        Ok(NamePlate {
            text: self.text.trim().into(),
            height: mm(&self.height)?,
            spacing: mm(&self.spacing)?,
            offset: mm(&self.offset)?,
            ring,
            hung: self.hung,
            face: if self.face.is_empty() {
                Face::Outline
            } else {
                Face::named(&self.face).ok_or("these letters are gone; choose others")?
            },
            bridge: if self.bridge.trim().is_empty() { 0.0 } else { mm(&self.bridge)? },
        })
    }
}

/// Makes a name plate.
pub async fn make(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<PlateForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| made(app, job, &form)).await?;
    Ok(Redirect::to(&format!("/jobs/{job}/intake")))
}

fn made(app: &Shared, job: i32, form: &PlateForm) -> Result<(), AppError> {
    let plate = form.plate().and_then(|p| p.drawn().map(|_| p)).map_err(|e| AppError::sentence(format!("{e}.")))?;
    let backing = if form.backing.is_empty() { None } else { Some(stock_of(&form.backing)?) };
    incoming::add_own(app, job, &[(format!("{}{ENDING}", names::plain(&plate.text)), plate.to_text().into_bytes())], &app.by)?;
    let Some(stock) = backing else { return Ok(()) };
    let loaded = app.load(job)?;
    let decisions = &loaded.revision.decisions;
    let Some(drawing) = decisions.drawings.last().map(|d| d.id) else { return Ok(()) };
    let is_backing =
        |p: &&Part| p.drawing == drawing && p.outer.is_some_and(|i| loaded.route.work.items[i].contour.style.layer == LAYERS[1]);
    let parts: Vec<PartId> = loaded.route.work.parts.iter().filter(is_backing).map(|p| p.id).collect();
    Ok(incoming::on_top(app, job, &decisions.made_of(parts, stock), &app.by)?)
}

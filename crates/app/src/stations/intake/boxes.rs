//! Boxes and trays from their figures: made, seen put together, and changed later, with what was decided on their panels kept.

use crate::asking::escaped;
use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::intake::forms::replacing;
use crate::typed::Typed;
use axum::extract::Path;
use axum::response::{Html, Redirect};
use boustrophe_core::drawing::Unit;
use boustrophe_core::panels::{BoxSpec, ENDING, Form, Top, picture};
use boustrophe_core::quantity::{count, length, number};
use boustrophe_shop::app::App;
use boustrophe_shop::incoming;
use boustrophe_shop::names;
use serde::Deserialize;

/// A box as its form says it; lengths as they are typed.
#[derive(Deserialize)]
pub struct BoxForm {
    /// The drawing that is changed; none for a new box.
    #[serde(default)]
    drawing: Option<u32>,
    #[serde(default)]
    name: String,
    width: String,
    depth: String,
    height: String,
    #[serde(default)]
    inner: String,
    #[serde(default)]
    top: String,
    base: String,
    sides: String,
    front: String,
    clearance: String,
    finger: String,
    #[serde(default)]
    across: String,
    #[serde(default)]
    along: String,
    #[serde(default)]
    handle: String,
    #[serde(default)]
    feet: String,
    #[serde(default)]
    numbers: String,
    #[serde(default)]
    kind: String,
    /// Of a sloped tray: the front's height and the angle.
    #[serde(default)]
    low: String,
    #[serde(default)]
    slope: String,
    /// Of a frame: its rails, and how far those behind are set back.
    #[serde(default)]
    rail: String,
    #[serde(default)]
    set_back: String,
}

impl BoxForm {
    fn spec(&self) -> Result<BoxSpec, String> {
        let mm = |text: &str| length(text.trim(), Unit::Mm);
        let or_none = |text: &str| if text.trim().is_empty() { Ok(0.0) } else { mm(text) };
        let n = |text: &str| if text.trim().is_empty() { Ok(0) } else { count(text.trim(), 0, 40) };
        let handle = match self.handle.trim() {
            "" | "0" => (0.0, 0.0),
            typed => {
                let (a, b) = typed
                    .split_once(['x', '×', '*'])
                    .ok_or_else(|| format!("“{typed}” is no handle; type its length x its height, as 80x25"))?;
                (mm(a)?, mm(b)?)
            }
        };
        let usual = BoxSpec::default();
        let mm_or = |text: &str, usual: f64| if text.trim().is_empty() { Ok(usual) } else { mm(text) };
        let angle = self.slope.trim().trim_end_matches('°');
        let spec = BoxSpec {
            form: match self.kind.as_str() {
                "sloped" => Form::Sloped,
                "frame" => Form::Frame,
                _ => Form::Box,
            },
            slope: (mm_or(&self.low, usual.slope.0)?, if angle.is_empty() { usual.slope.1 } else { number(angle)? }),
            rails: (mm_or(&self.rail, usual.rails.0)?, mm_or(&self.set_back, usual.rails.1)?),
            name: if self.name.trim().is_empty() { "Box".into() } else { self.name.trim().to_owned() },
            size: (mm(&self.width)?, mm(&self.depth)?, mm(&self.height)?),
            inner: self.inner == "on",
            top: match self.top.as_str() {
                "closed" => Top::Closed,
                "lid" => Top::Lid,
                _ => Top::Open,
            },
            thickness: (mm(&self.base)?, mm(&self.sides)?, mm(&self.front)?),
            clearance: mm(&self.clearance)?,
            finger: mm(&self.finger)?,
            dividers: (n(&self.across)?, n(&self.along)?),
            handle,
            feet: or_none(&self.feet)?,
            numbers: self.numbers == "on",
        };
        spec.checked()?;
        Ok(spec)
    }
}

/// Makes a box, or changes one.
pub async fn make(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<BoxForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| made(app, job, &form)).await?;
    Ok(Redirect::to(&format!("/jobs/{job}/intake")))
}

fn made(app: &Shared, job: i32, form: &BoxForm) -> Result<(), AppError> {
    let spec = form.spec().map_err(|e| AppError::sentence(format!("{e}.")))?;
    let (name, bytes) = (format!("{}{ENDING}", names::plain(&spec.name)), spec.to_text().into_bytes());
    let Some(drawing) = form.drawing else { return Ok(incoming::add_own(app, job, &[(name, bytes)], &app.by)?) };
    let hash = incoming::known(app, &name, &bytes)?;
    let edit = replacing(app, job, drawing, hash, name)?;
    Ok(incoming::on_top(app, job, &edit, &app.by)?)
}

/// The figures of a job's drawing that is a box; none of another.
pub fn figures(app: &App, file: &str, name: &str) -> Option<BoxSpec> {
    if !name.ends_with(ENDING) {
        return None;
    }
    let bytes = app.store.file(file).ok()?;
    BoxSpec::from_text(std::str::from_utf8(&bytes).ok()?).ok()
}

/// A box put together, as its form stands.
pub async fn seen(app: Shared, Path(_job): Path<i32>, Typed { form, .. }: Typed<BoxForm>) -> Result<Html<String>, AppError> {
    blocking(&app, move |_| {
        let drawn = form.spec().and_then(|spec| picture(&spec));
        Ok(Html(drawn.unwrap_or_else(|e| format!("<p class=\"hint\">{}.</p>", escaped(&e)))))
    })
    .await
}

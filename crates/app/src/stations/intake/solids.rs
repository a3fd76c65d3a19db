//! Solids: how their faces are joined, and which edges belong together, to be printed.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::changes;
use crate::stations::intake::forms::state;
use crate::typed::Typed;
use askama::Template;
use axum::extract::Path;
use axum::response::{Html, Response};
use boustrophe_core::decisions::{Edit, IntakeEdit, Joints, SolidChoices};
use boustrophe_core::drawing::Unit;
use boustrophe_core::finding::Station;
use boustrophe_core::quantity::length;
use boustrophe_core::solid::Pair;
use serde::Deserialize;

/// What is chosen of a solid, as it is typed.
#[derive(Deserialize)]
pub struct Choices {
    revision: i32,
    joints: String,
    #[serde(default)]
    pitch: String,
    #[serde(default)]
    inset: String,
    #[serde(default)]
    diameter: String,
    #[serde(default)]
    thickness: String,
    #[serde(default)]
    apart: String,
    #[serde(default)]
    whole: String,
}

impl Choices {
    fn choices(&self) -> Result<SolidChoices, String> {
        let mm = |text: &str| length(text.trim(), Unit::Mm);
        let joints = match self.joints.as_str() {
            "ties" => Joints::Ties { pitch: mm(&self.pitch)?, inset: mm(&self.inset)?, diameter: mm(&self.diameter)? },
            "shortened" => Joints::Shortened { thickness: mm(&self.thickness)? },
            _ => Joints::Bare,
        };
        Ok(SolidChoices { joints, apart: self.apart == "on", whole: self.whole == "on" })
    }
}

/// Joins the faces otherwise.
pub async fn choose(app: Shared, Path((job, drawing)): Path<(i32, u32)>, Typed { form, .. }: Typed<Choices>) -> Result<Response, AppError> {
    let choices = form.choices()?;
    changes::make(app, job, form.revision, Station::Intake, Edit::Intake(IntakeEdit::SetSolid { drawing, choices })).await
}

#[derive(Template)]
#[template(path = "stations/intake/pairs.html")]
struct Pairs {
    job: i32,
    name: String,
    words: String,
    /// Edges are shortened: by how much is listed.
    shortened: bool,
    /// Number, the two parts, length, angle, by how much each is shortened, and the bevel that does without it.
    rows: Vec<(usize, String, String, String, String, String, String)>,
}

/// Which edges of a solid belong together, to be printed.
pub async fn pairs(app: Shared, Path((job, drawing)): Path<(i32, u32)>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| paired(app, job, drawing)).await
}

fn paired(app: &Shared, job: i32, drawing: u32) -> Result<Html<String>, AppError> {
    let loaded = app.load(job)?;
    let d = state(&loaded, drawing)?;
    let decided = loaded.revision.decisions.drawing(drawing);
    let (Some(solid), Some(decided)) = (&d.drawing.solid, decided) else {
        return Err(AppError::sentence("this drawing is no solid of so few triangles that its edges could be listed.".into()));
    };
    let stem = decided.name.rsplit_once('.').map_or(decided.name.as_str(), |s| s.0);
    let part = |n: usize| format!("{stem} {n}");
    let row = |p: Pair| {
        (
            p.number,
            part(p.faces[0]),
            part(p.faces[1]),
            format!("{:.1}", p.length),
            format!("{:.1}", p.angle),
            if p.shortened > 0.0 { format!("{:.2}", p.shortened) } else { String::new() },
            format!("{:.1}", p.bevel),
        )
    };
    let pairs = solid.pairs(&decided.solid, d.intake.mm());
    let shortened = pairs.iter().any(|p| p.shortened > 0.0);
    let rows = pairs.into_iter().map(row).collect();
    html(&Pairs { job, name: decided.name.clone(), words: decided.solid.words(), shortened, rows })
}

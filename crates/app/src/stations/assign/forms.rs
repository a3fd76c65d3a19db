//! Assign: what is typed into its forms.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::changes::make;
use crate::stations::intake::forms::on_the_bench;
use crate::typed::Typed;
use axum::extract::{Form, Path};
use axum::response::Response;
use boustrophe_core::assign::{Part, Process};
use boustrophe_core::clean::ContourId;
use boustrophe_core::decisions::{AssignEdit, Edit, JobSetting, NestEdit, Numbers};
use boustrophe_core::drawing::Unit;
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::Point;
use boustrophe_core::ids::BatchId;
use boustrophe_core::lettering::Face;
use boustrophe_core::nest::{Grain, PartNest};
use boustrophe_core::picture::{Dither, Tone};
use boustrophe_core::quantity::{count, length, number};
use serde::Deserialize;

/// Rows of the key that are ticked, and what they become.
#[derive(Deserialize)]
pub struct Ticked {
    revision: i32,
    value: String,
    #[serde(default)]
    keys: Vec<String>,
}

/// Several rows of the key at once.
pub async fn keys(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<Ticked>) -> Result<Response, AppError> {
    if form.keys.is_empty() {
        return Err(AppError::sentence("tick the rows that are to be changed first.".into()));
    }
    let edits: Vec<Edit> = form.keys.iter().map(|k| super::edits::key(k, &form.value)).collect::<Result<_, _>>()?;
    make(app, job, form.revision, Station::Assign, Edit::All { edits }).await
}

/// A setting of the job's own, as it is typed; empty fields are the chart's.
#[derive(Deserialize)]
pub struct SettingForm {
    revision: i32,
    name: String,
    process: String,
    #[serde(default)]
    feed: String,
    #[serde(default)]
    power: String,
    #[serde(default)]
    passes: String,
    #[serde(default)]
    pitch: String,
    #[serde(default)]
    tool: String,
}

/// Adds a setting.
pub async fn setting(app: Shared, Path(job): Path<i32>, Form(form): Form<SettingForm>) -> Result<Response, AppError> {
    let revision = form.revision;
    let setting = blocking(&app, move |app| {
        let decisions = app.store.revision(job, revision)?.decisions;
        let id = decisions.assign.next_setting();
        form.setting(id).map_err(AppError::sentence)
    })
    .await?;
    make(app, job, revision, Station::Assign, Edit::Assign(AssignEdit::SetSetting { setting })).await
}

impl SettingForm {
    fn setting(&self, id: u32) -> Result<JobSetting, String> {
        let typed = |text: &str, read: &dyn Fn(&str) -> Result<f64, String>| {
            if text.trim().is_empty() { Ok(None) } else { read(text.trim()).map(Some) }
        };
        let whole = |text: &str, most: u32| if text.trim().is_empty() { Ok(None) } else { count(text.trim(), 1, most).map(Some) };
        Ok(JobSetting {
            id,
            name: self.name.trim().to_owned(),
            process: Process::from_slug(&self.process).ok_or("choose a process for the setting")?,
            feed: typed(&self.feed, &number)?,
            power: typed(&self.power, &number)?,
            passes: whole(&self.passes, 50)?,
            pitch: typed(&self.pitch, &|t| length(t, Unit::Mm))?,
            tool: whole(&self.tool, 99)?,
            kerf: None,
        })
    }
}

/// How a picture is toned, as it is set.
#[derive(Deserialize)]
pub struct ToneForm {
    revision: i32,
    dither: String,
    brightness: String,
    contrast: String,
    gamma: String,
    #[serde(default)]
    invert: String,
    #[serde(default)]
    crop: String,
}

/// Sets the tone of a picture.
pub async fn tone(app: Shared, Path((job, id)): Path<(i32, String)>, Form(form): Form<ToneForm>) -> Result<Response, AppError> {
    let edit = form.edit(&id)?;
    make(app, job, form.revision, Station::Assign, edit).await
}

impl ToneForm {
    fn edit(&self, picture: &str) -> Result<Edit, String> {
        let crop = self.crop.trim();
        let tone = Tone {
            dither: Dither::from_slug(&self.dither).ok_or_else(|| format!("“{}” is no way to set a picture", self.dither))?,
            brightness: number(self.brightness.trim())?,
            contrast: number(self.contrast.trim())?,
            gamma: number(self.gamma.trim())?,
            invert: self.invert == "on",
            crop: if crop.is_empty() { None } else { Some(crop.parse::<ContourId>()?) },
        };
        Ok(Edit::Assign(AssignEdit::SetTone { contour: picture.parse()?, tone: (tone != Tone::default()).then_some(tone) }))
    }
}

/// Numbers on parts, as they are typed.
#[derive(Deserialize)]
pub struct NumbersForm {
    revision: i32,
    /// `off` takes the numbers away.
    face: String,
    #[serde(default)]
    prefix: String,
    #[serde(default)]
    first: String,
    #[serde(default)]
    smallest: String,
    #[serde(default)]
    tallest: String,
}

/// Sets or takes away the numbers on parts.
pub async fn numbers(app: Shared, Path(job): Path<i32>, Form(form): Form<NumbersForm>) -> Result<Response, AppError> {
    let numbers = form.numbers()?;
    make(app, job, form.revision, Station::Assign, Edit::Assign(AssignEdit::SetNumbers { numbers })).await
}

impl NumbersForm {
    fn numbers(&self) -> Result<Option<Numbers>, String> {
        let (face, process) = match self.face.as_str() {
            "off" => return Ok(None),
            "engraved" => (Face::Outline, Process::Engrave),
            _ => (Face::Stroke, Process::Score),
        };
        let mm = |text: &str| length(text.trim(), Unit::Mm);
        Ok(Some(Numbers {
            prefix: self.prefix.trim().to_owned(),
            first: count(self.first.trim(), 0, 1_000_000)?,
            process,
            face,
            smallest: mm(&self.smallest)?,
            tallest: mm(&self.tallest)?,
        }))
    }
}

/// A stroke on a part, in mm on the bench: which way its grain runs.
#[derive(Deserialize)]
pub struct Stroke {
    revision: i32,
    x0: f64,
    y0: f64,
    x1: f64,
    y1: f64,
}

/// Sine of the angle within which a stroke runs along x or y of the drawing.
const ASKEW: f64 = 0.35;

/// Sets which way a part's grain runs, as a stroke on it shows.
pub async fn grain(app: Shared, Path(job): Path<i32>, Form(form): Form<Stroke>) -> Result<Response, AppError> {
    let revision = form.revision;
    let edit = blocking(&app, move |app| grained(app, job, &form)).await?;
    make(app, job, revision, Station::Assign, edit).await
}

fn grained(app: &Shared, job: i32, form: &Stroke) -> Result<Edit, AppError> {
    let loaded = app.load(job)?;
    let (a, b) = (Point::new(form.x0, form.y0), Point::new(form.x1, form.y1));
    let on = |p: &&Part| on_the_bench(&loaded, p.drawing).is_some_and(|home| p.outline.contains(home.inverse() * a.midpoint(b)));
    let part = loaded.route.work.parts.iter().filter(on).min_by(|a, b| a.area.total_cmp(&b.area));
    let part =
        part.ok_or_else(|| AppError::sentence("there is no part under that stroke; draw it on the part whose grain it shows.".into()))?;
    let grain = Grain::running((b - a).atan2(), ASKEW).ok_or_else(|| {
        AppError::sentence("parts are laid by quarter turns to the grain: draw the stroke along the drawing or across it.".into())
    })?;
    let batch = part.wanted.keys().next().copied().unwrap_or(BatchId::FIRST);
    let said = loaded.revision.decisions.batch(batch).nest.parts.get(&part.id).copied().unwrap_or_default();
    Ok(NestEdit::SetPart { part: part.id, nest: PartNest { grain: Some(grain), ..said } }.on(batch))
}

#[cfg(test)]
mod tests;

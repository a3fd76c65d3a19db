//! Assign: the drawing key, the job's own settings, pictures, numbers.

use super::changes::make;
use super::{Shared, blocking};
use crate::error::AppError;
use crate::shop::Loaded;
use crate::view::metres;
use askama::Template;
use axum::extract::{Form, Path, RawForm};
use axum::response::Response;
use boustrophe_core::assign::{KeyRow, Process};
use boustrophe_core::clean::ContourId;
use boustrophe_core::decisions::{JobSetting, Numbers};
use boustrophe_core::edit::Edit;
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::{Affine, Vec2};
use boustrophe_core::lettering::Face;
use boustrophe_core::picture::{Dither, Tone};
use boustrophe_core::quantity::{count, length, number};
use boustrophe_core::{card::Card, drawing::Unit};
use boustrophe_formats::svg::path_data;
use serde::Deserialize;

/// One of several to choose from.
pub struct Choice {
    pub slug: String,
    pub name: String,
    pub chosen: bool,
}

struct KeyView {
    key: String,
    words: String,
    count: usize,
    length: String,
    why: String,
    process: String,
    slug: &'static str,
    /// The sample's outline in a box of 40 × 40, and the looks it is drawn with.
    picture: String,
    stroke: String,
    fill: String,
    dashed: bool,
    choices: Vec<Choice>,
}

struct FeedView {
    process: &'static str,
    slug: &'static str,
    figures: String,
    width: String,
    unproved: bool,
}

struct SettingView {
    id: u32,
    name: String,
    process: &'static str,
    figures: String,
}

struct PictureView {
    id: String,
    dithers: Vec<Choice>,
    brightness: f64,
    contrast: f64,
    gamma: f64,
    invert: bool,
    crop: String,
    pixels: String,
    judged: String,
    /// Engraving comes out lighter than the face, and the picture is not inverted.
    should_invert: bool,
}

struct NumbersView {
    on: bool,
    prefix: String,
    first: u32,
    smallest: f64,
    tallest: f64,
}

#[derive(Template)]
#[template(path = "assign/docket.html")]
pub struct Assign {
    job: i32,
    revision: i32,
    rows: Vec<KeyView>,
    processes: Vec<(&'static str, &'static str)>,
    batches: Vec<Choice>,
    feeds: Vec<FeedView>,
    settings: Vec<SettingView>,
    pictures: Vec<PictureView>,
    numbers: NumbersView,
    tone: String,
    card: bool,
}

/// The station's docket.
pub fn docket(loaded: &Loaded) -> Assign {
    let decisions = &loaded.revision.decisions;
    Assign {
        job: loaded.job.id,
        revision: loaded.revision.id,
        rows: loaded.route.work.key.iter().map(|row| key_view(loaded, row)).collect(),
        processes: Process::ALL.map(|p| (p.slug(), p.name())).to_vec(),
        batches: batches(loaded),
        feeds: feeds(loaded),
        settings: decisions.settings.iter().filter(|_| decisions.card.is_none()).map(setting_view).collect(),
        pictures: pictures(loaded),
        numbers: numbers_view(decisions.numbers.as_ref()),
        tone: loaded.shop.material(&decisions.batch.material).map_or_else(|| "#dcc397".into(), |m| m.tone.clone()),
        card: matches!(decisions.card, Some(Card::Grid { .. } | Card::Gauge)),
    }
}

fn key_view(loaded: &Loaded, row: &KeyRow) -> KeyView {
    let decisions = &loaded.revision.decisions;
    let setting = decisions.key_settings.get(&row.key).and_then(|id| decisions.settings.iter().find(|s| s.id == *id));
    let mut choices = vec![Choice { slug: "shape".into(), name: "by rule or shape".into(), chosen: row.chosen.is_none() }];
    choices.extend(Process::ALL.map(|p| Choice {
        slug: p.slug().into(),
        name: p.name().into(),
        chosen: row.chosen == Some(p) && setting.is_none(),
    }));
    if decisions.card.is_none() {
        let chosen = setting.map(|s| s.id);
        let own = decisions.settings.iter();
        choices.extend(own.map(|s| Choice {
            slug: format!("setting:{}", s.id),
            name: format!("{}: {}", s.process.name(), s.name),
            chosen: chosen == Some(s.id),
        }));
    }
    let b = row.sample.bounds;
    let fit = 36.0 / b.width().max(b.height()).max(1e-6);
    let home = Affine::translate(Vec2::new(20.0, 20.0)) * Affine::scale(fit) * Affine::translate(-b.center().to_vec2());
    let colour = |c: Option<[u8; 3]>| c.map_or_else(|| "none".to_owned(), |c| format!("#{:02x}{:02x}{:02x}", c[0], c[1], c[2]));
    KeyView {
        key: row.key.clone(),
        words: row.style.words(),
        count: row.count,
        length: metres(row.length),
        why: row.why.told(&loaded.shop),
        process: match setting {
            Some(s) => format!("{}, {}", row.process.name(), s.name),
            None if row.mixed.len() > 1 => row.mixed.iter().map(|(p, n)| format!("{n} {}", p.name())).collect::<Vec<_>>().join(", "),
            None => row.process.name().to_owned(),
        },
        slug: row.process.slug(),
        picture: path_data(&row.sample.path.transformed(home), 40.0),
        stroke: if row.style.stroke.or(row.style.fill).is_none() { "#8a5a2b".into() } else { colour(row.style.stroke) },
        fill: colour(row.style.fill),
        dashed: !row.style.line_type.is_empty() && !row.style.line_type.eq_ignore_ascii_case("continuous"),
        choices,
    }
}

/// What the processes in use are done with; all that can be told of the batch where none is.
fn feeds(loaded: &Loaded) -> Vec<FeedView> {
    let decisions = &loaded.revision.decisions;
    Process::ALL
        .into_iter()
        .filter_map(|p| loaded.shop.row_for(decisions, p, None))
        .map(|r| FeedView {
            process: r.process.name(),
            slug: r.process.slug(),
            figures: format!(
                "{:.0} mm/min · {:.0} %{}",
                r.feed,
                r.power,
                if r.passes > 1 { format!(" · {} ×", r.passes) } else { String::new() }
            ),
            width: match r.process {
                Process::Engrave | Process::Picture => format!("row {}", r.pitch),
                Process::Mark => r.tool.map_or_else(String::new, |t| format!("tool {t}")),
                _ => format!("kerf {}", r.kerf),
            },
            unproved: r.unproved,
        })
        .collect()
}

fn setting_view(s: &JobSetting) -> SettingView {
    let mut words = Vec::new();
    let mut add = |v: Option<String>| words.extend(v);
    add(s.feed.map(|v| format!("{v} mm/min")));
    add(s.power.map(|v| format!("{v} %")));
    add(s.passes.map(|v| format!("{v} ×")));
    add(s.pitch.map(|v| format!("row {v} mm")));
    add(s.tool.map(|v| format!("tool {v}")));
    SettingView { id: s.id, name: s.name.clone(), process: s.process.name(), figures: words.join(" · ") }
}

fn pictures(loaded: &Loaded) -> Vec<PictureView> {
    let decisions = &loaded.revision.decisions;
    let pitch = loaded.shop.row_for(decisions, Process::Picture, None).map_or(0.1, |r| r.pitch);
    let light = loaded.shop.material(&decisions.batch.material).is_some_and(boustrophe_core::shop::Material::engraves_light);
    let shown = loaded.route.work.items.iter().filter(|i| i.process == Process::Picture);
    shown
        .filter_map(|i| Some((i, i.contour.picture.as_ref()?, i.contour.picture_place()?)))
        .map(|(i, bitmap, place)| {
            let tone = decisions.pictures.get(&i.contour.id).copied().unwrap_or_default();
            let [ax, ay, ..] = place.as_coeffs();
            let per_mm = bitmap.width as f64 / ax.hypot(ay);
            PictureView {
                id: i.contour.id.to_string(),
                dithers: Dither::ALL.map(|d| Choice { slug: d.slug().into(), name: d.name().into(), chosen: d == tone.dither }).into(),
                brightness: tone.brightness,
                contrast: tone.contrast,
                gamma: tone.gamma,
                invert: tone.invert,
                crop: tone.crop.map_or_else(String::new, |c| c.to_string()),
                pixels: format!("{} × {}", bitmap.width, bitmap.height),
                judged: super::intake::judged(per_mm, pitch),
                should_invert: light && !tone.invert,
            }
        })
        .collect()
}

fn numbers_view(n: Option<&Numbers>) -> NumbersView {
    NumbersView {
        on: n.is_some(),
        prefix: n.map_or_else(String::new, |n| n.prefix.clone()),
        first: n.map_or(1, |n| n.first),
        smallest: n.map_or(2.0, |n| n.smallest),
        tallest: n.map_or(6.0, |n| n.tallest),
    }
}

/// Every machine, material and thickness that the chart knows, and the one in force.
fn batches(loaded: &Loaded) -> Vec<Choice> {
    let now = &loaded.revision.decisions.batch;
    let mut all: Vec<(String, String, f64)> = Vec::new();
    let here = (now.machine.clone(), now.material.clone(), now.thickness);
    for r in loaded.shop.chart.iter().map(|r| (r.machine.clone(), r.material.clone(), r.thickness)).chain([here]) {
        if !all.iter().any(|a| a.0 == r.0 && a.1 == r.1 && (a.2 - r.2).abs() < boustrophe_core::shop::SAME_THICKNESS) {
            all.push(r);
        }
    }
    all.into_iter()
        .map(|(machine, material, thickness)| Choice {
            name: format!(
                "{} · {} {thickness} mm",
                loaded.shop.machine(&machine).map_or(machine.as_str(), |m| m.name.as_str()),
                loaded.shop.material(&material).map_or(material.as_str(), |m| m.name.as_str()),
            ),
            chosen: machine == now.machine
                && material == now.material
                && (thickness - now.thickness).abs() < boustrophe_core::shop::SAME_THICKNESS,
            slug: format!("{machine}/{material}/{thickness}"),
        })
        .collect()
}

/// Several rows of the key at once: `keys` again and again, and what they become.
pub async fn keys(app: Shared, Path(job): Path<i32>, RawForm(bytes): RawForm) -> Result<Response, AppError> {
    let fields: Vec<(String, String)> = form_urlencoded::parse(&bytes).into_owned().collect();
    let one = |name: &str| fields.iter().find(|f| f.0 == name).map_or("", |f| f.1.as_str());
    let keys: Vec<String> = fields.iter().filter(|f| f.0 == "keys").map(|f| f.1.clone()).collect();
    if keys.is_empty() {
        return Err(AppError::Sentence("tick the rows that are to be changed first.".into()));
    }
    let edits: Vec<Edit> = keys.iter().map(|k| crate::edits::key(k, one("value"))).collect::<Result<_, _>>().map_err(AppError::Sentence)?;
    let revision = one("revision").parse().unwrap_or(0);
    make(app, job, revision, Station::Assign, Edit::All { edits }).await
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
        let id = decisions.settings.iter().map(|s| s.id).max().unwrap_or(0) + 1;
        form.setting(id).map_err(AppError::Sentence)
    })
    .await?;
    make(app, job, revision, Station::Assign, Edit::SetSetting { setting }).await
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
    let edit = form.edit(&id).map_err(AppError::Sentence)?;
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
        Ok(Edit::SetTone { contour: picture.parse()?, tone: (tone != Tone::default()).then_some(tone) })
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
    let numbers = form.numbers().map_err(AppError::Sentence)?;
    make(app, job, form.revision, Station::Assign, Edit::SetNumbers { numbers }).await
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

#[cfg(test)]
mod tests;

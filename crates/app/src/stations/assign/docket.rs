//! Assign's docket: the drawing key, batches, the job's own settings, pictures, numbers.

use crate::view::{metres, swatched};
use askama::Template;
use boustrophe_core::assign::{KeyRow, Process};
use boustrophe_core::card::Card;
use boustrophe_core::decisions::{JobSetting, Numbers, Stock};
use boustrophe_core::geometry::{Affine, Vec2};
use boustrophe_core::ids::BatchId;
use boustrophe_core::picture::Dither;
use boustrophe_core::shop::Shop;
use boustrophe_formats::svg::miniature_data;
use boustrophe_shop::app::{Loaded, stock_words};

/// One of several to choose from.
pub struct Choice {
    pub slug: String,
    pub name: String,
    pub chosen: bool,
}

struct KeyView {
    key: String,
    words: String,
    /// The same in pieces, each with the colour that it begins with.
    said: Vec<(Option<String>, String)>,
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

/// A batch, and what it could be on and of.
struct BatchView {
    id: BatchId,
    choices: Vec<Choice>,
}

#[derive(Template)]
#[template(path = "stations/assign/docket.html")]
pub struct Assign {
    job: i32,
    revision: i32,
    rows: Vec<KeyView>,
    processes: Vec<(&'static str, &'static str)>,
    batches: Vec<BatchView>,
    /// What another batch could be on and of.
    stocks: Vec<Choice>,
    /// Drawings and the batches of their parts, where there are several.
    drawings: Vec<(u32, String, Vec<Choice>)>,
    feeds: Vec<FeedView>,
    settings: Vec<SettingView>,
    pictures: Vec<PictureView>,
    numbers: NumbersView,
    tone: String,
    card: bool,
}

/// The station's docket.
pub fn body(loaded: &Loaded) -> Assign {
    let decisions = &loaded.revision.decisions;
    Assign {
        job: loaded.job.id,
        revision: loaded.revision.id,
        rows: loaded.route.work.key.iter().map(|row| key_view(loaded, row)).collect(),
        processes: Process::ALL.map(|p| (p.slug(), p.name())).to_vec(),
        batches: loaded
            .revision
            .decisions
            .batches
            .iter()
            .map(|(id, b)| BatchView { id: *id, choices: batches(loaded, &b.stock) })
            .collect(),
        stocks: batches(loaded, &loaded.decided().stock),
        drawings: drawings(loaded),
        feeds: feeds(loaded),
        settings: decisions.assign.settings.iter().filter(|_| decisions.card.is_none()).map(setting_view).collect(),
        pictures: pictures(loaded),
        numbers: numbers_view(decisions.assign.numbers.as_ref()),
        tone: loaded.material().map_or_else(|| "#dcc397".into(), |m| m.tone.clone()),
        card: matches!(decisions.card, Some(Card::Grid { .. } | Card::Gauge)),
    }
}

fn key_view(loaded: &Loaded, row: &KeyRow) -> KeyView {
    let decisions = &loaded.revision.decisions;
    let setting = decisions.assign.key_settings.get(&row.key).and_then(|id| decisions.assign.settings.iter().find(|s| s.id == *id));
    let mut choices = vec![Choice { slug: "shape".into(), name: "by rule or shape".into(), chosen: row.chosen.is_none() }];
    choices.extend(Process::ALL.map(|p| Choice {
        slug: p.slug().into(),
        name: p.name().into(),
        chosen: row.chosen == Some(p) && setting.is_none(),
    }));
    if decisions.card.is_none() {
        let chosen = setting.map(|s| s.id);
        let own = decisions.assign.settings.iter();
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
        said: swatched(&row.style.words()),
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
        picture: miniature_data(&row.sample.path.transformed(home), 40.0, 0.5),
        stroke: if row.style.stroke.or(row.style.fill).is_none() { "#8a5a2b".into() } else { colour(row.style.stroke) },
        fill: colour(row.style.fill),
        dashed: !row.style.line_type.is_empty() && !row.style.line_type.eq_ignore_ascii_case("continuous"),
        choices,
    }
}

/// What the processes in use are done with; all that can be told of the batch where none is.
fn feeds(loaded: &Loaded) -> Vec<FeedView> {
    let rows = loaded.rows();
    Process::ALL
        .into_iter()
        .filter_map(|p| rows.get(p, None))
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
    let pitch = loaded.rows().get(Process::Picture, None).map_or(0.1, |r| r.pitch);
    let light = loaded.material().is_some_and(boustrophe_core::shop::Material::engraves_light);
    let shown = loaded.route.work.items.iter().filter(|i| i.process == Process::Picture);
    shown
        .filter_map(|i| Some((i, i.contour.picture.as_ref()?, i.contour.picture_place()?)))
        .map(|(i, bitmap, place)| {
            let tone = decisions.assign.pictures.get(&i.contour.id).copied().unwrap_or_default();
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
                judged: crate::stations::intake::forms::judged(per_mm, pitch),
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

/// The drawings, each with the batches that its parts may be made in; nothing where there is one batch.
fn drawings(loaded: &Loaded) -> Vec<(u32, String, Vec<Choice>)> {
    let d = &loaded.revision.decisions;
    let choices = |of: BatchId| {
        let all = d.batches.iter();
        all.map(|(id, b)| Choice { slug: id.to_string(), name: stock_words(&b.stock, &loaded.shop), chosen: *id == of }).collect()
    };
    let several = d.batches.len() > 1;
    d.drawings.iter().filter(|_| several).map(|x| (x.id, x.name.clone(), choices(x.batch))).collect()
}

/// Thickness that a material is offered in of which the chart has no row, mm.
const UNTRIED: f64 = 3.0;

/// What the chart has no row of: materials that are new, on every machine, and machines that are new, with all that is known of others.
/// What is missing is a finding then.
fn untried(shop: &Shop) -> Vec<(String, String, f64)> {
    let mut out = Vec::new();
    for m in shop.materials.iter().filter(|m| shop.chart.iter().all(|r| r.material != m.id)) {
        out.extend(shop.machines.iter().map(|on| (on.id.clone(), m.id.clone(), UNTRIED)));
    }
    for on in shop.machines.iter().filter(|on| shop.chart.iter().all(|r| r.machine != on.id)) {
        out.extend(shop.chart.iter().map(|r| (on.id.clone(), r.material.clone(), r.thickness)));
    }
    out
}

/// Every machine, material and thickness that the chart knows, what it has no row of yet, and the one in force.
pub fn batches(loaded: &Loaded, now: &Stock) -> Vec<Choice> {
    let mut all: Vec<(String, String, f64)> = Vec::new();
    let here = (now.machine.clone(), now.material.clone(), now.thickness);
    let known = loaded.shop.chart.iter().map(|r| (r.machine.clone(), r.material.clone(), r.thickness));
    for r in known.chain(untried(&loaded.shop)).chain([here]) {
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

//! The stock rack: what sheets and offcuts there are, where they stand, and what became of them.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book::who;
use crate::uploads::receive_form;
use askama::Template;
use axum::extract::{Form, Multipart, Path};
use axum::response::{Html, Redirect};
use boustrophe_core::decisions::DrawingDecisions;
use boustrophe_core::drawing::{Drawing, Unit};
use boustrophe_core::finding::Code;
use boustrophe_core::geometry::Affine;
use boustrophe_core::nest::Sheet;
use boustrophe_core::quantity::{count, length, number};
use boustrophe_core::route;
use boustrophe_core::shop::{Shop, thickness};
use boustrophe_formats::svg::path_data;
use boustrophe_shop::app::App;
use boustrophe_shop::changed_stock::{StockChange, change_stock, place, seen};
use boustrophe_shop::incoming::Dropped;
use boustrophe_shop::rack::{balance, name, place_words};
use boustrophe_store::{OnRack, StockEvent, Stocked};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Sheets of one kind at most.
const MOST_SHEETS: u32 = 100_000;

struct Item {
    s: Stocked,
    name: String,
    shape: String,
    /// Its size in words, and its area where that is another.
    size: String,
    area: String,
    price: String,
    /// The same in the shop's currency.
    costs: String,
    /// Where it stands, in words.
    place: String,
    /// Price and place, as a form brings them back.
    seen: String,
    held: Vec<(i32, String)>,
    events: Vec<StockEvent>,
}

struct Shelf {
    title: String,
    tone: String,
    items: Vec<Item>,
}

#[derive(Template)]
#[template(path = "things/rack/rack.html")]
struct Rack {
    /// What does not add up.
    balance: Vec<String>,
    shelves: Vec<Shelf>,
    materials: Vec<(String, String)>,
}

/// An outline as a path of an SVG in mm, y down.
pub fn drawn(sheet: &Sheet) -> String {
    sheet.edges().iter().map(|p| path_data(p, sheet.height)).collect()
}

fn item(app: &App, s: Stocked) -> Result<Item, AppError> {
    let mut events = app.store.stock_events(s.id)?;
    events.iter_mut().for_each(|e| e.at = e.at.chars().take(16).collect::<String>().replace('T', " "));
    let whole = s.stock.sheet.width * s.stock.sheet.height;
    Ok(Item {
        name: name(&s),
        shape: drawn(&s.stock.sheet),
        size: format!("{:.0} × {:.0}", s.stock.sheet.width, s.stock.sheet.height),
        area: if s.stock.sheet.outline.is_empty() {
            String::new()
        } else {
            format!("{:.0} % of it there", s.stock.sheet.area() / whole * 100.0)
        },
        price: s.stock.price.map_or_else(String::new, |p| p.to_string()),
        costs: s.stock.price.map_or_else(String::new, |p| app.shop().house.currency.told(p)),
        place: place_words(&app.shop(), &s.stock.place),
        seen: seen(&s.stock),
        held: s.reserved.iter().map(|(job, name, n)| (*job, format!("{n} for “{name}”"))).collect(),
        events,
        s,
    })
}

/// More or fewer, as typed: `+3`, `- 2`; nothing is none.
fn more(typed: &str) -> Result<i32, String> {
    let bare: String = typed.chars().filter(|c| !c.is_whitespace()).map(|c| if c == '\u{2212}' { '-' } else { c }).collect();
    match (bare.strip_prefix('-'), bare.strip_prefix('+').unwrap_or(&bare)) {
        (None, "") => Ok(0),
        (Some(fewer), _) => count(fewer, 0, MOST_SHEETS).map(|n| -i32::try_from(n).unwrap_or(0)),
        (None, more) => count(more, 0, MOST_SHEETS).map(|n| i32::try_from(n).unwrap_or(0)),
    }
}

/// The rack, shelf by shelf.
pub async fn rack(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, shown).await
}

fn shown(app: &Shared) -> Result<Html<String>, AppError> {
    let shop = app.shop();
    let mut shelves: BTreeMap<(String, String), Shelf> = BTreeMap::new();
    for s in app.store.stock(None)? {
        let material = shop.material(&s.stock.material);
        let title = format!("{} {} mm", material.map_or(s.stock.material.as_str(), |m| m.name.as_str()), s.stock.thickness);
        let key = (s.stock.material.clone(), format!("{:09.3}", s.stock.thickness));
        let tone = material.map_or("#dddddd".to_owned(), |m| m.tone.clone());
        let shelf = shelves.entry(key).or_insert_with(|| Shelf { title, tone, items: Vec::new() });
        shelf.items.push(item(app, s)?);
    }
    let materials = shop.materials.iter().map(|m| (m.id.clone(), m.name.clone())).collect();
    html(&Rack { balance: balance(app)?, shelves: shelves.into_values().collect(), materials })
}

/// Something on the rack, as it is typed.
#[derive(Deserialize)]
pub struct StockForm {
    /// So many more, or with a minus fewer; empty for as many as before.
    #[serde(default)]
    more: String,
    /// How many the page showed.
    there: u32,
    /// Price and place as the page showed them.
    saw: String,
    price: String,
    place: String,
    #[serde(default)]
    person: String,
    /// `keep`, `away`, `pieces`.
    #[serde(default)]
    what: String,
}

fn price(text: &str) -> Result<Option<f64>, AppError> {
    let typed = text.trim();
    if typed.is_empty() {
        return Ok(None);
    }
    let p = number(typed)?;
    if (0.0..=1e7).contains(&p) { Ok(Some(p)) } else { Err(AppError::sentence(format!("“{typed}” is no price; type 0 or more"))) }
}

/// Changes something on the rack, takes it away, or cuts it up into its largest pieces.
pub async fn change(app: Shared, Path(id): Path<i32>, Form(form): Form<StockForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| changed(app, id, form)).await
}

fn changed(app: &Arc<App>, id: i32, form: StockForm) -> Result<Redirect, AppError> {
    let change = match form.what.as_str() {
        "away" => StockChange::Away { there: form.there },
        "pieces" => StockChange::Pieces,
        _ => StockChange::Keep { more: more(&form.more)?, price: price(&form.price)?, place: form.place, saw: form.saw },
    };
    change_stock(app, id, &change, who(&form.person))?;
    Ok(Redirect::to("/shop/rack"))
}

/// What is put on the rack, as a form with or without a file says it.
#[derive(Default)]
struct Put {
    fields: BTreeMap<String, String>,
    file: Option<Dropped>,
}

impl Put {
    async fn read(app: &App, multipart: Multipart) -> Result<Self, AppError> {
        let (fields, files) = receive_form(app, multipart).await?;
        Ok(Self { fields, file: files.into_iter().find(|f| !f.name.is_empty()) })
    }
    fn field(&self, name: &str) -> &str {
        self.fields.get(name).map_or("", |f| f.trim())
    }
}

/// Puts a sheet kind or an offcut on the rack: of a typed size, or with the outline that a drawing or a picture shows.
pub async fn add(app: Shared, multipart: Multipart) -> Result<Redirect, AppError> {
    let put = Put::read(&app, multipart).await?;
    let drawing = match &put.file {
        Some(file) => Some(app.readers.read(&file.name, file.file.path()).await?),
        None => None,
    };
    blocking(&app, move |app| put_there(app, &put, drawing.as_ref())).await
}

fn put_there(app: &App, put: &Put, drawing: Option<&Drawing>) -> Result<Redirect, AppError> {
    let mm = |name: &str| length(put.field(name), Unit::Mm).map_err(AppError::sentence);
    let known = if put.field("known").is_empty() { None } else { Some(mm("known")?) };
    let sheet = match (drawing, &put.file) {
        (Some(drawing), Some(file)) => outline(drawing, &file.name, known, &app.shop())?,
        _ => {
            let sheet = Sheet::rectangle(mm("width")?, mm("height")?);
            sheet.checked()?;
            sheet
        }
    };
    let thickness = thickness(mm("thickness")?).map_err(AppError::sentence)?;
    let material = put.field("material").to_owned();
    if app.shop().material(&material).is_none() {
        return Err(AppError::sentence("that material is not in the shop's book; write it down there first.".into()));
    }
    let offcut = !sheet.outline.is_empty() || put.field("offcut") == "on";
    let n = if put.field("count").is_empty() { 1 } else { count(put.field("count"), 1, MOST_SHEETS)? };
    let origin = match &put.file {
        Some(file) => format!("outline from {}", file.name),
        None if offcut => "measured by hand".into(),
        None => "bought".into(),
    };
    let (price, place) = (price(put.field("price"))?, place(put.field("place")));
    let new = OnRack { material, thickness, sheet: Sheet { count: None, ..sheet }, offcut, count: n, price, place, origin };
    app.store.add_stock(&new, who(put.field("person")))?;
    Ok(Redirect::to("/shop/rack"))
}

/// The outline of an offcut from a drawing or a picture. With `known` its width is that, mm; a picture has no size without.
fn outline(drawing: &Drawing, file: &str, known: Option<f64>, shop: &Shop) -> Result<Sheet, AppError> {
    let sentence = |text: String| AppError::sentence(format!("{file}: {text}"));
    let mut decided = DrawingDecisions::new(1, "", file);
    if drawing.bitmap.is_some() && known.is_none() {
        return Err(sentence("a picture does not say how large it is; type how wide the offcut is in truth.".into()));
    }
    decided.unit = decided.unit.or(known.map(|_| Unit::Mm));
    let (closed, found) = route::outlines(drawing, &decided, &shop.machines[0], &shop.tolerance);
    if known.is_none()
        && let Some(open) = found.iter().find(|f| f.code == Code::UnitsUnsaid)
    {
        return Err(sentence(format!("{} Type how wide the offcut is in truth.", open.text)));
    }
    let edge = closed.iter().max_by(|a, b| a.area().abs().total_cmp(&b.area().abs())).map_or(0.0, |p| p.bounds().width());
    let scale = Affine::scale(known.filter(|_| edge > 0.0).map_or(1.0, |known| known / edge));
    Sheet::offcut(closed.iter().map(|p| p.transformed(scale)).collect()).map_err(sentence)
}

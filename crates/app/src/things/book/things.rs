//! Machines and materials.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book::{ChangeView, Shown, change, changes, told};
use crate::typed::Typed;
use crate::typed::least_and_most;
use askama::Template;
use axum::extract::{Form, Path};
use axum::response::{Html, Redirect};
use boustrophe_core::drawing::Unit;
use boustrophe_core::quantity::{count, length, number};
use boustrophe_core::release::Dialect;
use boustrophe_core::shop::{Currency, House, Machine, MachineKind, Material, NickRule, Tool};
use boustrophe_shop::app::App;
use boustrophe_shop::settings::HOUSE;
use boustrophe_store::Kind;
use serde::Deserialize;
use std::sync::Arc;

struct MachineView {
    m: Machine,
    revision: i32,
    plasma: bool,
    /// It is at the end of a line.
    linked: bool,
    tools: String,
    /// Its dialect as a file.
    dialect: String,
    changes: Vec<ChangeView>,
}

struct MaterialView {
    m: Material,
    revision: i32,
    /// Its own nicks: width, pitch, fewest and most; empty for the shop's.
    nicks: (String, String, String),
    changes: Vec<ChangeView>,
}

#[derive(Template)]
#[template(path = "things/book/things.html")]
struct Things {
    house: House,
    /// Of what goes for the whole shop; none as long as nobody has said anything.
    house_revision: i32,
    machines: Vec<MachineView>,
    materials: Vec<MaterialView>,
    /// Names of the dialects that come with the application.
    shipped: [&'static str; 3],
}

/// Machines and materials.
pub async fn things(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, shown).await
}

fn shown(app: &Shared) -> Result<Html<String>, AppError> {
    let shop = app.shop();
    let stored = app.store.settings()?;
    let revision = |kind: Kind, key: &str| stored.iter().find(|s| s.kind == kind && s.key == key).map_or(0, |s| s.revision);
    let tools = |m: &Machine| m.tools.iter().map(|t| format!("{} {} {}", t.number, t.kind, t.width)).collect::<Vec<_>>().join("\n");
    let machines = shop.machines.iter().map(|m| {
        Ok(MachineView {
            tools: tools(m),
            dialect: m.dialect.to_string(),
            revision: revision(Kind::Machine, &m.id),
            linked: app.desks.desk(&m.id).is_ok(),
            plasma: m.kind == MachineKind::Plasma,
            changes: changes(app, Kind::Machine, &m.id)?,
            m: m.clone(),
        })
    });
    let materials = shop.materials.iter().map(|m| {
        let revision = revision(Kind::Material, &m.id);
        Ok(MaterialView { revision, nicks: own_nicks(&m.nicks), changes: changes(app, Kind::Material, &m.id)?, m: m.clone() })
    });
    html(&Things {
        house: shop.house.clone(),
        house_revision: revision(Kind::House, HOUSE),
        machines: machines.collect::<Result<_, AppError>>()?,
        materials: materials.collect::<Result<_, AppError>>()?,
        shipped: Dialect::SHIPPED.map(|s| s.0),
    })
}

/// A material's own nicks as they are typed.
fn own_nicks(rule: &NickRule) -> (String, String, String) {
    let mm = |v: Option<f64>| v.map_or_else(String::new, |v| v.to_string());
    (mm(rule.width), mm(rule.pitch), rule.count.map_or_else(String::new, |(least, most)| format!("{least} to {most}")))
}

/// A machine, as it is typed.
#[derive(Deserialize)]
pub struct MachineForm {
    name: String,
    bed_width: String,
    bed_height: String,
    feed_limit: String,
    rapid: String,
    acceleration: String,
    junction: String,
    power_limit: String,
    lift: String,
    #[serde(default)]
    slat_offset: String,
    #[serde(default)]
    slow_holes: String,
    #[serde(default)]
    slow_share: String,
    #[serde(default)]
    leads_from: String,
    #[serde(default)]
    silence: String,
    #[serde(default)]
    overlap: String,
    #[serde(default)]
    camera: String,
    change: String,
    row_turn: String,
    slat_pitch: String,
    hourly: String,
    spacing: String,
    margin: String,
    spot: String,
    #[serde(default)]
    clockwise: String,
    #[serde(default)]
    arcs: String,
    #[serde(default)]
    fast_gaps: String,
    #[serde(default)]
    tools: String,
    /// Pattern of file names; empty for as it was.
    #[serde(default)]
    file_names: String,
    /// Its dialect as a file; empty for as it was.
    #[serde(default)]
    dialect: String,
    #[serde(default)]
    person: String,
    /// Revision on the page; none for something new.
    revision: Option<i32>,
}

/// Changes a machine.
pub async fn save_machine(app: Shared, Path(id): Path<String>, Typed { form, fields }: Typed<MachineForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        let action = format!("/shop/machines/{id}");
        let shown = Shown { key: &id, revision: form.revision, action: &action, fields: &fields };
        change(app, Kind::Machine, Some(&shown), (&form.person, ""), |shop| {
            let known = shop.machines.iter_mut().find(|m| m.id == id).ok_or_else(|| format!("there is no machine “{id}”"))?;
            let machine = form.machine(known)?;
            told(&machine.troubles())?;
            *known = machine;
            Ok(())
        })
    })
    .await?;
    Ok(Redirect::to("/shop/machines"))
}

impl MachineForm {
    fn machine(&self, known: &Machine) -> Result<Machine, String> {
        let n = |text: &str| number(text.trim());
        // What a form does not have stays as it was.
        let or = |text: &str, known: f64| if text.trim().is_empty() { Ok(known) } else { n(text) };
        let name = self.name.trim();
        if name.is_empty() || name.chars().count() > 40 {
            return Err("give the machine a name of 1 to 40 letters".into());
        }
        Ok(Machine {
            id: known.id.clone(),
            kind: known.kind,
            name: name.to_owned(),
            bed_width: n(&self.bed_width)?,
            bed_height: n(&self.bed_height)?,
            feed_limit: n(&self.feed_limit)?,
            rapid: n(&self.rapid)?,
            acceleration: n(&self.acceleration)?,
            junction: n(&self.junction)?,
            power_limit: n(&self.power_limit)?,
            lift: n(&self.lift)?,
            change: n(&self.change)?,
            row_turn: n(&self.row_turn)?,
            slat_pitch: n(&self.slat_pitch)?,
            slat_offset: or(&self.slat_offset, known.slat_offset)?,
            slow_holes: or(&self.slow_holes, known.slow_holes)?,
            slow_share: or(&self.slow_share, known.slow_share)?,
            leads_from: or(&self.leads_from, known.leads_from)?,
            overlap: if self.overlap.trim().is_empty() { known.overlap } else { Some(n(&self.overlap)?) },
            silence: or(&self.silence, known.silence)?,
            earlier_air: None,
            hourly: n(&self.hourly)?,
            spacing: n(&self.spacing)?,
            margin: n(&self.margin)?,
            spot: n(&self.spot)?,
            clockwise: self.clockwise == "on",
            arcs: self.arcs == "on",
            fast_gaps: self.fast_gaps == "on",
            camera: self.camera == "on",
            file_names: if self.file_names.trim().is_empty() { known.file_names.clone() } else { self.file_names.trim().to_owned() },
            dialect: if self.dialect.trim().is_empty() {
                known.dialect.clone()
            } else {
                self.dialect.parse().map_err(|e| format!("the dialect, {e}"))?
            },
            tools: self.tools.lines().filter(|l| !l.trim().is_empty()).map(tool).collect::<Result<_, _>>()?,
        })
    }
}

/// A dialect that is tried: its text and the machine it is for.
#[derive(Deserialize)]
pub struct Tried {
    dialect: String,
    /// Shipped one that is wanted in its place; empty for what was typed.
    #[serde(default)]
    take: String,
}

#[derive(Template)]
#[template(path = "things/book/sample.html")]
struct Sample {
    /// The dialect that was taken, where one was.
    taken: String,
    wrong: String,
    program: String,
}

/// A sample program in a dialect as it is typed.
pub async fn try_dialect(app: Shared, Path(id): Path<String>, Form(tried): Form<Tried>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| sampled(app, &id, &tried)).await
}

fn sampled(app: &Shared, id: &str, tried: &Tried) -> Result<Html<String>, AppError> {
    let shop = app.shop();
    let machine = shop.machine(id).ok_or_else(|| AppError::NoPage(format!("/shop/machines/{id}/dialect")))?;
    let shipped = Dialect::SHIPPED.iter().find(|s| s.0 == tried.take).map(|s| s.1);
    let text = shipped.unwrap_or(&tried.dialect);
    let sample = match text.parse::<Dialect>() {
        Ok(dialect) => {
            let machine = Machine { dialect, ..machine.clone() };
            Sample { taken: shipped.unwrap_or_default().into(), wrong: String::new(), program: boustrophe_core::release::sample(&machine) }
        }
        Err(wrong) => Sample { taken: String::new(), wrong, program: String::new() },
    };
    html(&sample)
}

/// `1 scriber 0.5`: number, kind, width of its mark in mm.
fn tool(line: &str) -> Result<Tool, String> {
    let words: Vec<&str> = line.split_whitespace().collect();
    let [first, kind @ .., last] = words.as_slice() else {
        return Err(format!("“{line}” is no tool; write number, kind and width in mm, such as 1 scriber 0.5"));
    };
    if kind.is_empty() {
        return Err(format!("“{line}” is no tool; write number, kind and width in mm, such as 1 scriber 0.5"));
    }
    Ok(Tool { number: count(first, 1, 99)?, kind: kind.join(" "), width: length(last, Unit::Mm)? })
}

/// What goes for the whole shop, as it is typed.
#[derive(Deserialize)]
pub struct HouseForm {
    currency: String,
    person: String,
    /// Revision on the page; none for something new.
    revision: Option<i32>,
}

/// Changes what goes for the whole shop.
pub async fn save_house(app: Shared, Typed { form, fields }: Typed<HouseForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| house_saved(app, &form, &fields)).await?;
    Ok(Redirect::to("/shop/machines"))
}

fn house_saved(app: &Arc<App>, form: &HouseForm, fields: &[(String, String)]) -> Result<usize, AppError> {
    let shown = Shown { key: HOUSE, revision: form.revision, action: "/shop/house", fields };
    change(app, Kind::House, Some(&shown), (&form.person, ""), |shop| {
        shop.house.currency = Currency::typed(&form.currency)?;
        Ok(())
    })
}

/// A material, as it is typed.
#[derive(Deserialize)]
pub struct MaterialForm {
    name: String,
    tone: String,
    engraved: String,
    #[serde(default)]
    grain: String,
    price: String,
    density: String,
    width: String,
    height: String,
    /// Nicks: width, pitch, fewest and most; empty for the shop's.
    #[serde(default)]
    nick_width: String,
    #[serde(default)]
    nick_pitch: String,
    #[serde(default)]
    nick_count: String,
    /// Room in slots; empty where nothing is known.
    #[serde(default)]
    clearance: String,
    #[serde(default)]
    person: String,
    /// Revision on the page; none for something new.
    revision: Option<i32>,
}

/// Changes a material, or adds one under a new id.
pub async fn save_material(app: Shared, Path(id): Path<String>, Typed { form, fields }: Typed<MaterialForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| material_saved(app, &id, &form, &fields)).await?;
    Ok(Redirect::to("/shop/machines"))
}

fn material_saved(app: &Arc<App>, id: &str, form: &MaterialForm, fields: &[(String, String)]) -> Result<usize, AppError> {
    let fresh = id == "new";
    let action = format!("/shop/materials/{id}");
    let shown = Shown { key: id, revision: form.revision, action: &action, fields };
    change(app, Kind::Material, Some(&shown).filter(|_| !fresh), (&form.person, ""), |shop| {
        let id = if fresh { form.name.trim().to_lowercase().replace(|c: char| !c.is_ascii_alphanumeric(), "-") } else { id.to_owned() };
        // “new” is where new ones are posted to.
        let id = if fresh && id == "new" { "new-material".to_owned() } else { id };
        let material = form.material(&id)?;
        told(&material.troubles())?;
        match shop.materials.iter().position(|m| m.id == id) {
            Some(_) if fresh => return Err(format!("there is a material “{id}” already; change that one, or give this another name")),
            Some(i) => shop.materials[i] = material,
            None if fresh => shop.materials.push(material),
            None => return Err(format!("there is no material “{id}”")),
        }
        Ok(())
    })
}

impl MaterialForm {
    fn material(&self, id: &str) -> Result<Material, String> {
        let n = |text: &str| number(text.trim());
        let mm = |text: &str| if text.trim().is_empty() { Ok(None) } else { length(text.trim(), Unit::Mm).map(Some) };
        let name = self.name.trim();
        if name.is_empty() || name.chars().count() > 40 || id.is_empty() {
            return Err("give the material a name of 1 to 40 letters".into());
        }
        Ok(Material {
            id: id.to_owned(),
            name: name.to_owned(),
            tone: self.tone.trim().to_lowercase(),
            engraved: self.engraved.trim().to_lowercase(),
            grain: self.grain == "on",
            price: n(&self.price)?,
            density: n(&self.density)?,
            sheet: (length(self.width.trim(), Unit::Mm)?, length(self.height.trim(), Unit::Mm)?),
            clearance: if self.clearance.trim().is_empty() { None } else { Some(length(self.clearance.trim(), Unit::Mm)?) },
            nicks: NickRule { width: mm(&self.nick_width)?, pitch: mm(&self.nick_pitch)?, count: least_and_most(&self.nick_count)? },
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tools_are_read_line_by_line() {
        assert_eq!(tool("2 forming wheel 3mm"), Ok(Tool { number: 2, kind: "forming wheel".into(), width: 3.0 }));
        assert!(tool("2 3").is_err() && tool("scriber 1 2").is_err() && tool("").is_err());
    }
}

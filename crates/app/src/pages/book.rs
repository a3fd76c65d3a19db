//! The shop's book: machines, materials, cut charts and standing rules, with who changed what and when.

use super::changes::receive;
use super::{Shared, blocking};
use crate::error::{AppError, html};
use crate::settings;
use crate::shop::App;
use askama::Template;
use axum::extract::{Form, Multipart, Path, Query};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::assign::{self, Process};
use boustrophe_core::clean::Cleaned;
use boustrophe_core::drawing::{Unit, colour_name};
use boustrophe_core::finding::counted;
use boustrophe_core::quantity::{count, length, number};
use boustrophe_core::shop::{ChartRow, Machine, MachineKind, Match, Material, Rule, Shop, Tool, rules};
use boustrophe_formats::chart;
use boustrophe_store::SettingChange;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Changes shown of one thing.
const CHANGES: i64 = 12;

/// A change, as it is read.
struct ChangeView {
    at: String,
    person: String,
    words: String,
}

struct RowView {
    process: &'static str,
    row: ChartRow,
    changes: Vec<ChangeView>,
    open: bool,
}

struct ChartView {
    title: String,
    machine: String,
    material: String,
    rows: Vec<RowView>,
}

#[derive(Template)]
#[template(path = "shop/charts.html")]
struct Charts {
    charts: Vec<ChartView>,
    machines: Vec<(String, String)>,
    materials: Vec<(String, String)>,
    processes: Vec<(&'static str, &'static str)>,
}

/// Which row is to be open.
#[derive(Default, Deserialize)]
pub struct Open {
    #[serde(default)]
    row: String,
}

/// The cut charts.
pub async fn charts(app: Shared, Query(open): Query<Open>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let shop = app.shop();
        let mut charts: Vec<ChartView> = Vec::new();
        for r in &shop.chart {
            let view =
                RowView { process: r.process.name(), row: r.clone(), changes: changes(app, "chart", &r.key())?, open: r.key() == open.row };
            match charts.iter_mut().find(|c| c.machine == r.machine && c.material == r.material) {
                Some(c) => c.rows.push(view),
                None => charts.push(ChartView {
                    title: title(&shop, &r.machine, &r.material),
                    machine: r.machine.clone(),
                    material: r.material.clone(),
                    rows: vec![view],
                }),
            }
        }
        for c in &mut charts {
            c.rows.sort_by(|a, b| a.row.thickness.total_cmp(&b.row.thickness).then(a.row.process.cmp(&b.row.process).reverse()));
        }
        html(&Charts {
            charts,
            machines: shop.machines.iter().map(|m| (m.id.clone(), m.name.clone())).collect(),
            materials: shop.materials.iter().map(|m| (m.id.clone(), m.name.clone())).collect(),
            processes: Process::ALL.iter().filter(|p| **p != Process::Reference).map(|p| (p.slug(), p.name())).collect(),
        })
    })
    .await
}

fn title(shop: &Shop, machine: &str, material: &str) -> String {
    let machine = shop.machine(machine).map_or(machine, |m| m.name.as_str());
    let material = shop.material(material).map_or(material, |m| m.name.as_str());
    format!("{machine} · {material}")
}

/// The last changes of a thing, each told by what differs.
fn changes(app: &App, kind: &str, key: &str) -> Result<Vec<ChangeView>, AppError> {
    Ok(app.store.setting_changes(kind, Some(key), CHANGES)?.iter().map(change_view).collect())
}

fn change_view(c: &SettingChange) -> ChangeView {
    let parsed = |text: &Option<String>| text.as_ref().and_then(|t| serde_json::from_str::<BTreeMap<String, serde_json::Value>>(t).ok());
    let words = match (parsed(&c.before), parsed(&c.after)) {
        (None, _) => "written down".to_owned(),
        (_, None) => "taken away".to_owned(),
        (Some(before), Some(after)) => {
            let differing = after.iter().filter(|(k, v)| before.get(*k) != Some(v));
            let told: Vec<String> = differing
                .map(|(k, v)| format!("{} {} to {v}", k.replace('_', " "), before.get(k).unwrap_or(&serde_json::Value::Null)))
                .collect();
            told.join(", ")
        }
    };
    let reason = if c.reason.is_empty() { String::new() } else { format!(" ({})", c.reason) };
    ChangeView { at: c.at.chars().take(16).collect::<String>().replace('T', " "), person: c.person.clone(), words: words + &reason }
}

/// A row of the chart, as it is typed.
#[derive(Deserialize)]
pub struct RowForm {
    machine: String,
    material: String,
    thickness: String,
    process: String,
    feed: String,
    power: String,
    #[serde(default)]
    least_power: String,
    #[serde(default)]
    passes: String,
    #[serde(default)]
    kerf: String,
    #[serde(default)]
    pitch: String,
    #[serde(default)]
    pierce: String,
    #[serde(default)]
    air: String,
    #[serde(default)]
    tool: String,
    #[serde(default)]
    person: String,
    /// `remove` takes the row away.
    #[serde(default)]
    what: String,
}

impl RowForm {
    fn row(&self) -> Result<ChartRow, String> {
        let process = Process::from_slug(&self.process).ok_or_else(|| format!("“{}” is no process", self.process))?;
        let or = |text: &str, missing: f64| if text.trim().is_empty() { Ok(missing) } else { number(text.trim()) };
        let mm = |text: &str, missing: f64| if text.trim().is_empty() { Ok(missing) } else { length(text.trim(), Unit::Mm) };
        Ok(ChartRow {
            machine: self.machine.clone(),
            material: self.material.clone(),
            thickness: length(self.thickness.trim(), Unit::Mm)?,
            process,
            feed: number(self.feed.trim())?,
            power: number(self.power.trim())?,
            least_power: or(&self.least_power, 0.0)?,
            passes: if self.passes.trim().is_empty() { 1 } else { count(self.passes.trim(), 1, 50)? },
            kerf: mm(&self.kerf, 0.0)?,
            pitch: mm(&self.pitch, if matches!(process, Process::Engrave | Process::Picture) { 0.1 } else { 0.0 })?,
            pierce: or(&self.pierce, 0.0)?,
            air: self.air == "on",
            tool: if self.tool.trim().is_empty() { None } else { Some(count(self.tool.trim(), 1, 99)?) },
            unproved: false,
        })
    }
}

/// Writes a row down, or takes it away.
pub async fn save_row(app: Shared, Form(form): Form<RowForm>) -> Result<Redirect, AppError> {
    let key = blocking(&app, move |app| {
        let row = form.row().map_err(AppError::Sentence)?;
        let key = row.key();
        change(app, "chart", &form.person, "", |shop| {
            let machine = shop.machine(&row.machine).ok_or_else(|| format!("there is no machine “{}”", row.machine))?;
            shop.material(&row.material).ok_or_else(|| format!("there is no material “{}”", row.material))?;
            let at = shop.chart.iter().position(|r| r.is(&row.machine, &row.material, row.thickness, row.process));
            if form.what == "remove" {
                shop.chart.remove(at.ok_or("that row is not there any more")?);
                return Ok(());
            }
            told(&row.troubles(machine))?;
            match at {
                Some(i) => shop.chart[i] = row,
                None => shop.chart.push(row),
            }
            Ok(())
        })?;
        Ok(key)
    })
    .await?;
    Ok(Redirect::to(&format!("/shop/charts?row={key}#row")))
}

fn told(troubles: &[String]) -> Result<(), String> {
    if troubles.is_empty() { Ok(()) } else { Err(format!("{}. Nothing was changed.", troubles.join("; "))) }
}

/// Changes the shop and keeps it, or says why not and leaves it alone.
fn change(
    app: &App,
    kind: &'static str,
    person: &str,
    reason: &str,
    edit: impl FnOnce(&mut Shop) -> Result<(), String>,
) -> Result<usize, AppError> {
    let mut shop = (*app.shop()).clone();
    edit(&mut shop).map_err(AppError::Sentence)?;
    let person = if person.trim().is_empty() { "somebody" } else { person.trim() };
    let changed = settings::save(&app.store, &shop, kind, &person.chars().take(60).collect::<String>(), reason)?;
    app.reopen()?;
    Ok(changed)
}

/// The chart as a table.
pub async fn export(app: Shared) -> Response {
    let text = chart::write(&app.shop().chart);
    ([(CONTENT_TYPE, "text/csv; charset=utf-8"), (CONTENT_DISPOSITION, "attachment; filename=\"cut-chart.csv\"")], text).into_response()
}

/// Rows of a table take the place of theirs in the chart; the others stay.
pub async fn import(app: Shared, multipart: Multipart) -> Result<Response, AppError> {
    let files = receive(multipart).await?;
    blocking(&app, move |app| {
        let mut rows: Vec<ChartRow> = Vec::new();
        for (name, bytes) in &files {
            rows.extend(chart::read(name, bytes, &app.shop()).map_err(AppError::Sentence)?);
        }
        let names = files.iter().map(|f| f.0.as_str()).collect::<Vec<_>>().join(", ");
        change(app, "chart", "somebody", &format!("imported from {names}"), |shop| {
            for row in rows {
                match shop.chart.iter_mut().find(|r| r.is(&row.machine, &row.material, row.thickness, row.process)) {
                    Some(known) => *known = row,
                    None => shop.chart.push(row),
                }
            }
            Ok(())
        })?;
        Ok(([("hx-redirect", "/shop/charts")], "").into_response())
    })
    .await
}

struct RuleView {
    number: usize,
    id: u32,
    words: String,
    process: &'static str,
    slug: &'static str,
    stroke: String,
    trouble: String,
    matched: usize,
}

#[derive(Template)]
#[template(path = "shop/rules.html")]
struct Rules {
    rules: Vec<RuleView>,
    processes: Vec<(&'static str, &'static str)>,
    jobs: usize,
    changes: Vec<ChangeView>,
}

/// The standing rules.
pub async fn rules_page(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let shop = app.shop();
        let past = past(app)?;
        let troubles = rules::troubles(&shop.rules);
        let view = |(i, r): (usize, &Rule)| RuleView {
            number: i + 1,
            id: r.id,
            words: r.when.words(),
            process: r.process.name(),
            slug: r.process.slug(),
            stroke: r.when.stroke.map_or_else(String::new, |s| colour_name(s.0)),
            trouble: troubles.iter().filter(|t| t.0 == i).map(|t| t.1.as_str()).collect::<Vec<_>>().join(" "),
            matched: past.iter().flat_map(|p| &p.cleaned).flat_map(|c| &c.contours).filter(|c| r.when.holds(c)).count(),
        };
        html(&Rules {
            rules: shop.rules.iter().enumerate().map(view).collect(),
            processes: Process::ALL.iter().map(|p| (p.slug(), p.name())).collect(),
            jobs: past.len(),
            changes: app.store.setting_changes("rule", None, CHANGES)?.iter().map(change_view).collect(),
        })
    })
    .await
}

/// A job that rules are tried on.
struct Past {
    name: String,
    cleaned: Vec<Arc<Cleaned>>,
    decisions: boustrophe_core::decisions::Decisions,
    now: BTreeMap<boustrophe_core::clean::ContourId, Process>,
}

fn past(app: &App) -> Result<Vec<Past>, AppError> {
    let mut out = Vec::new();
    for job in app.store.jobs()? {
        let loaded = app.load(job.id)?;
        out.push(Past {
            name: loaded.job.name,
            cleaned: loaded.route.drawings.iter().map(|d| Arc::clone(&d.cleaned)).collect(),
            now: loaded.route.work.items.iter().map(|i| (i.contour.id, i.process)).collect(),
            decisions: loaded.revision.decisions,
        });
    }
    Ok(out)
}

/// A rule, as it is typed; what stays empty is not looked at.
#[derive(Clone, Default, Deserialize)]
#[serde(default)]
pub struct RuleForm {
    stroke: String,
    near: String,
    layer: String,
    line_type: String,
    width: String,
    filled: String,
    text: String,
    picture: String,
    closed: String,
    size: String,
    process: String,
    person: String,
}

impl RuleForm {
    fn rule(&self, id: u32) -> Result<Rule, String> {
        let given = |text: &str| Some(text.trim().to_owned()).filter(|t| !t.is_empty());
        let flag = |text: &str| match text {
            "yes" => Some(true),
            "no" => Some(false),
            _ => None,
        };
        let range = |text: &str| -> Result<Option<(f64, f64)>, String> {
            let Some(text) = given(text) else { return Ok(None) };
            let (from, to) = text.split_once(['-', '–', ' ']).ok_or_else(|| format!("“{text}” is no range; type it like 0.1-0.5"))?;
            Ok(Some((length(from.trim(), Unit::Mm)?, length(to.trim(), Unit::Mm)?)))
        };
        let stroke = match given(&self.stroke) {
            None => None,
            Some(text) => {
                let reach = if self.near.trim().is_empty() { 0 } else { count(self.near.trim(), 0, 255)? };
                Some((colour(&text)?, reach))
            }
        };
        Ok(Rule {
            id,
            when: Match {
                stroke,
                layer: given(&self.layer),
                line_type: given(&self.line_type),
                width: range(&self.width)?,
                filled: flag(&self.filled),
                text: flag(&self.text),
                picture: flag(&self.picture),
                closed: flag(&self.closed),
                size: range(&self.size)?,
            },
            process: Process::from_slug(&self.process).ok_or("choose what the rule makes of it")?,
        })
    }
}

/// `#rrggbb`, the # left out or not.
fn colour(text: &str) -> Result<[u8; 3], String> {
    let hex = text.trim_start_matches('#');
    let part = |i: usize| hex.get(i..i + 2).and_then(|v| u8::from_str_radix(v, 16).ok());
    match (hex.len(), part(0), part(2), part(4)) {
        (6, Some(r), Some(g), Some(b)) => Ok([r, g, b]),
        _ => Err(format!("“{text}” is no colour; write it like #e4002b")),
    }
}

#[derive(Template)]
#[template(path = "shop/tried.html")]
struct Tried {
    words: String,
    trouble: String,
    matched: usize,
    jobs: usize,
    lines: Vec<String>,
}

/// What a rule would change in the jobs that are there, before it is kept.
pub async fn try_rule(app: Shared, Form(form): Form<RuleForm>) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let mut draft = (*app.shop()).clone();
        let rule = form.rule(next_id(&draft)).map_err(AppError::Sentence)?;
        draft.rules.push(rule.clone());
        let trouble =
            rules::troubles(&draft.rules).into_iter().filter(|t| t.0 + 1 == draft.rules.len()).map(|t| t.1).collect::<Vec<_>>().join(" ");
        let past = past(app)?;
        let matched = past.iter().flat_map(|p| &p.cleaned).flat_map(|c| &c.contours).filter(|c| rule.when.holds(c)).count();
        let lines = past.iter().filter_map(|p| would_change(p, &draft)).collect();
        html(&Tried { words: rule.words(), trouble, matched, jobs: past.len(), lines })
    })
    .await
}

/// What becomes something else in a job under other rules, in a sentence; `None` for nothing.
fn would_change(past: &Past, draft: &Shop) -> Option<String> {
    let (work, _) = assign::run(&past.cleaned, &past.decisions, draft);
    let mut moved: BTreeMap<(Process, Process), usize> = BTreeMap::new();
    for item in &work.items {
        if let Some(before) = past.now.get(&item.contour.id).filter(|p| **p != item.process) {
            *moved.entry((*before, item.process)).or_insert(0) += 1;
        }
    }
    let told: Vec<String> = moved
        .iter()
        .map(|((from, to), n)| format!("{} from {} to {}", counted(*n, "contour", "contours"), from.name(), to.name()))
        .collect();
    (!told.is_empty()).then(|| format!("{}: {}", past.name, told.join(", ")))
}

fn next_id(shop: &Shop) -> u32 {
    shop.rules.iter().map(|r| r.id).max().unwrap_or(0) + 1
}

/// Keeps a rule, as the last.
pub async fn add_rule(app: Shared, Form(form): Form<RuleForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        change(app, "rule", &form.person, "", |shop| {
            let rule = form.rule(next_id(shop))?;
            if rule.when.is_empty() {
                return Err("this rule matches everything, so no rule after it and no shape would say anything. Give it a colour, a layer or another condition.".into());
            }
            shop.rules.push(rule);
            // Rules that disagree are told on the page; what can match nothing is refused.
            let last = shop.rules.len() - 1;
            let impossible = |t: &(usize, String)| t.0 == last && (t.1.contains("match nothing") || t.1.contains("nearly any") || t.1.contains("without a name"));
            rules::troubles(&shop.rules).into_iter().find(impossible).map_or(Ok(()), |t| Err(t.1))
        })
    })
    .await?;
    Ok(Redirect::to("/shop/rules"))
}

/// What is done with a rule.
#[derive(Deserialize)]
pub struct Move {
    /// `up`, `down` or `remove`.
    what: String,
    #[serde(default)]
    person: String,
}

/// Moves a rule, or takes it away.
pub async fn move_rule(app: Shared, Path(id): Path<u32>, Form(form): Form<Move>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        change(app, "rule", &form.person, "", |shop| {
            let at = shop.rules.iter().position(|r| r.id == id).ok_or("that rule is not there any more; load the page again")?;
            match form.what.as_str() {
                "up" if at > 0 => shop.rules.swap(at, at - 1),
                "down" if at + 1 < shop.rules.len() => shop.rules.swap(at, at + 1),
                "remove" => drop(shop.rules.remove(at)),
                _ => {}
            }
            Ok(())
        })
    })
    .await?;
    Ok(Redirect::to("/shop/rules"))
}

struct MachineView {
    m: Machine,
    plasma: bool,
    tools: String,
    changes: Vec<ChangeView>,
}

struct MaterialView {
    m: Material,
    changes: Vec<ChangeView>,
}

#[derive(Template)]
#[template(path = "shop/things.html")]
struct Things {
    machines: Vec<MachineView>,
    materials: Vec<MaterialView>,
}

/// Machines and materials.
pub async fn things(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, move |app| {
        let shop = app.shop();
        let tools = |m: &Machine| m.tools.iter().map(|t| format!("{} {} {}", t.number, t.kind, t.width)).collect::<Vec<_>>().join("\n");
        let machines = shop.machines.iter().map(|m| {
            Ok(MachineView {
                tools: tools(m),
                plasma: m.kind == MachineKind::Plasma,
                changes: changes(app, "machine", &m.id)?,
                m: m.clone(),
            })
        });
        let materials = shop.materials.iter().map(|m| Ok(MaterialView { changes: changes(app, "material", &m.id)?, m: m.clone() }));
        html(&Things { machines: machines.collect::<Result<_, AppError>>()?, materials: materials.collect::<Result<_, AppError>>()? })
    })
    .await
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
    air_on: String,
    air_off: String,
    #[serde(default)]
    tools: String,
    #[serde(default)]
    person: String,
}

/// Changes a machine.
pub async fn save_machine(app: Shared, Path(id): Path<String>, Form(form): Form<MachineForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        change(app, "machine", &form.person, "", |shop| {
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
            hourly: n(&self.hourly)?,
            spacing: n(&self.spacing)?,
            margin: n(&self.margin)?,
            spot: n(&self.spot)?,
            clockwise: self.clockwise == "on",
            arcs: self.arcs == "on",
            air: (self.air_on.trim().to_owned(), self.air_off.trim().to_owned()),
            tools: self.tools.lines().filter(|l| !l.trim().is_empty()).map(tool).collect::<Result<_, _>>()?,
        })
    }
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
    #[serde(default)]
    person: String,
}

/// Changes a material, or adds one under a new id.
pub async fn save_material(app: Shared, Path(id): Path<String>, Form(form): Form<MaterialForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        change(app, "material", &form.person, "", |shop| {
            let fresh = id == "new";
            let id = if fresh { form.name.trim().to_lowercase().replace(|c: char| !c.is_ascii_alphanumeric(), "-") } else { id };
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
    })
    .await?;
    Ok(Redirect::to("/shop/machines"))
}

impl MaterialForm {
    fn material(&self, id: &str) -> Result<Material, String> {
        let n = |text: &str| number(text.trim());
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
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_typed_becomes_a_rule_or_is_refused_with_a_reason() {
        let form = RuleForm {
            stroke: "e4002b".into(),
            near: "6".into(),
            size: "0-10".into(),
            closed: "yes".into(),
            process: "cut".into(),
            ..RuleForm::default()
        };
        let rule = form.rule(9).expect("a rule");
        assert_eq!(rule.words(), "line #e4002b within 6, closed, 0 to 10 mm large: Cut");
        for (wrong, said) in [
            (RuleForm { stroke: "red".into(), ..form.clone() }, "no colour"),
            (RuleForm { size: "10".into(), ..form.clone() }, "no range"),
            (RuleForm { near: "300".into(), ..form.clone() }, "300"),
            (RuleForm { process: String::new(), ..form.clone() }, "choose"),
        ] {
            assert!(wrong.rule(1).expect_err("refused").contains(said), "{said}");
        }
    }

    #[test]
    fn tools_are_read_line_by_line() {
        assert_eq!(tool("2 forming wheel 3mm"), Ok(Tool { number: 2, kind: "forming wheel".into(), width: 3.0 }));
        assert!(tool("2 3").is_err() && tool("scriber 1 2").is_err() && tool("").is_err());
    }
}

//! Cut charts: what each machine does each material with.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::things::book::{ChangeView, Shown, change, changes, told};
use crate::typed::Typed;
use crate::uploads::receive;
use askama::Template;
use axum::extract::{Multipart, Query};
use axum::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use axum::response::{Html, IntoResponse, Redirect, Response};
use boustrophe_core::assign::Process;
use boustrophe_core::drawing::Unit;
use boustrophe_core::quantity::{count, length, number};
use boustrophe_core::shop::{ChartRow, Shop};
use boustrophe_formats::chart;
use boustrophe_shop::app::App;
use boustrophe_shop::incoming::Dropped;
use boustrophe_store::Kind;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::Arc;

struct RowView {
    process: &'static str,
    row: ChartRow,
    revision: i32,
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
#[template(path = "things/book/charts.html")]
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
    blocking(&app, move |app| shown(app, open)).await
}

fn shown(app: &Arc<App>, open: Open) -> Result<Html<String>, AppError> {
    let shop = app.shop();
    let revisions: BTreeMap<String, i32> =
        app.store.settings()?.into_iter().filter(|s| s.kind == Kind::Chart).map(|s| (s.key, s.revision)).collect();
    let mut charts: Vec<ChartView> = Vec::new();
    for r in &shop.chart {
        let view = RowView {
            process: r.process.name(),
            row: r.clone(),
            revision: revisions.get(&r.key()).copied().unwrap_or(0),
            changes: changes(app, Kind::Chart, &r.key())?,
            open: r.key() == open.row,
        };
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
        processes: Process::ALL.iter().filter(|p| p.burns()).map(|p| (p.slug(), p.name())).collect(),
    })
}

fn title(shop: &Shop, machine: &str, material: &str) -> String {
    let machine = shop.machine(machine).map_or(machine, |m| m.name.as_str());
    let material = shop.material(material).map_or(material, |m| m.name.as_str());
    format!("{machine} · {material}")
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
    time_factor: String,
    #[serde(default)]
    person: String,
    /// Revision of the row on the page; none for a new one.
    revision: Option<i32>,
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
            pitch: mm(&self.pitch, if process.is_swept() { 0.1 } else { 0.0 })?,
            pierce: or(&self.pierce, 0.0)?,
            air: self.air == "on",
            tool: if self.tool.trim().is_empty() { None } else { Some(count(self.tool.trim(), 1, 99)?) },
            unproved: false,
            time_factor: or(&self.time_factor, 1.0)?,
        })
    }
}

/// Writes a row down, or takes it away.
pub async fn save_row(app: Shared, Typed { form, fields }: Typed<RowForm>) -> Result<Redirect, AppError> {
    let key = blocking(&app, move |app| row_saved(app, &form, &fields)).await?;
    Ok(Redirect::to(&format!("/shop/charts?row={key}#row")))
}

fn row_saved(app: &Arc<App>, form: &RowForm, fields: &[(String, String)]) -> Result<String, AppError> {
    let row = form.row()?;
    // Rows of nearly one thickness are one: the one that is there says its key.
    let key = app.shop().row(&row.machine, &row.material, row.thickness, row.process).map_or_else(|| row.key(), ChartRow::key);
    let shown = Shown { key: &key, revision: form.revision, action: "/shop/charts", fields };
    change(app, Kind::Chart, Some(&shown), (&form.person, ""), |shop| {
        let machine = shop.machine(&row.machine).ok_or_else(|| format!("there is no machine “{}”", row.machine))?;
        shop.material(&row.material).ok_or_else(|| format!("there is no material “{}”", row.material))?;
        let at = shop.chart.iter().position(|r| r.is(&row.machine, &row.material, row.thickness, row.process));
        if form.what == "remove" {
            shop.chart.remove(at.ok_or("that row is not there any more")?);
            return Ok(());
        }
        told(&row.troubles(machine))?;
        match at {
            Some(i) => shop.chart[i] = ChartRow { thickness: shop.chart[i].thickness, ..row },
            None => shop.chart.push(row),
        }
        Ok(())
    })?;
    Ok(key)
}

/// The chart as a table.
pub async fn export(app: Shared) -> Response {
    let text = chart::write(&app.shop().chart);
    ([(CONTENT_TYPE, "text/csv; charset=utf-8"), (CONTENT_DISPOSITION, "attachment; filename=\"cut-chart.csv\"")], text).into_response()
}

/// Rows of a table take the place of theirs in the chart; the others stay.
pub async fn import(app: Shared, multipart: Multipart) -> Result<Response, AppError> {
    let files = receive(&app, multipart).await?;
    blocking(&app, move |app| imported(app, &files)).await
}

fn imported(app: &Arc<App>, files: &[Dropped]) -> Result<Response, AppError> {
    let mut rows: Vec<ChartRow> = Vec::new();
    for f in files {
        rows.extend(chart::read(&f.name, &f.bytes()?, &app.shop())?);
    }
    let names = files.iter().map(|f| f.name.as_str()).collect::<Vec<_>>().join(", ");
    change(app, Kind::Chart, None, ("somebody", &format!("imported from {names}")), |shop| {
        for row in rows {
            match shop.chart.iter_mut().find(|r| r.is(&row.machine, &row.material, row.thickness, row.process)) {
                Some(known) => *known = row,
                None => shop.chart.push(row),
            }
        }
        Ok(())
    })?;
    Ok(([("hx-redirect", "/shop/charts")], "").into_response())
}

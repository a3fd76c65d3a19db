//! The machine room of the demo: what may befall the simulated machines, brought about by hand. It is there only with the demo.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::typed::Typed;
use askama::Template;
use axum::extract::Path;
use axum::response::{Html, Redirect};
use boustrophe_machine::Fault;
use boustrophe_shop::app::App;
use serde::Deserialize;
use std::sync::Arc;

#[derive(Template)]
#[template(path = "things/machines/room.html")]
struct Page {
    /// Id, name, how it stands.
    machines: Vec<(String, String, String)>,
}

fn is_open(app: &Arc<App>) -> Result<(), AppError> {
    if app.room { Ok(()) } else { Err(AppError::NoPage("/machine-room".into())) }
}

/// The page.
pub async fn page(app: Shared) -> Result<Html<String>, AppError> {
    blocking(&app, shown).await
}

fn shown(app: &Shared) -> Result<Html<String>, AppError> {
    is_open(app)?;
    let stands = |id: &str| {
        let seen = app.desks.desk(id).map(|d| d.seen()).unwrap_or_default();
        seen.status.as_ref().filter(|_| seen.live()).map_or_else(
            || "not heard".to_owned(),
            |s| {
                let alarm = s.alarm.map_or_else(String::new, |a| format!(", alarm {a}"));
                format!("{}{alarm}{}", s.state, if s.unknown { ", does not know its place" } else { "" })
            },
        )
    };
    let machines = app.shop().machines.iter().map(|m| (m.id.clone(), m.name.clone(), stands(&m.id))).collect();
    html(&Page { machines })
}

/// What befalls a machine, in the words of its room.
#[derive(Deserialize)]
pub struct Befall {
    what: String,
    /// A figure that belongs to it.
    #[serde(default)]
    figure: String,
}

/// Brings something about.
pub async fn befall(app: Shared, Path(machine): Path<String>, Typed { form, .. }: Typed<Befall>) -> Result<Redirect, AppError> {
    is_open(&app)?;
    let words = format!("{} {}", form.what, form.figure.trim());
    let words = words.trim();
    words.parse::<Fault>().map_err(AppError::sentence)?;
    app.desks.desk(&machine)?.tell(&format!("room {words}")).await?;
    Ok(Redirect::to("/machine-room"))
}

//! What the floor shows of a job: made when the job changes or is looked at, stored, and only read by the floor.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use crate::figures::ledger;
use crate::since;
use boustrophe_core::finding::{Severity, Station};
use boustrophe_store::Card;
use serde::{Deserialize, Serialize};
use std::sync::PoisonError;

/// Figures of a job on the floor.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Figures {
    /// Material and thickness.
    pub batch: String,
    /// Station that it is at.
    pub station: String,
    /// Findings that hold it up, and findings to look at.
    pub stops: usize,
    /// See `stops`.
    pub looks: usize,
    /// Names of its drawings' files.
    pub files: Vec<String>,
    /// Copies wanted of all parts.
    pub parts: u32,
    /// True where something lies on a sheet.
    pub nested: bool,
    /// Figures of the ledger, name and value.
    pub cells: Vec<(String, String)>,
    /// The release in force, who made it and when, and what has moved on since, in words.
    pub release: Option<Told>,
}

/// A release as it is told.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Told {
    /// Its number.
    pub id: i32,
    /// Who made it.
    pub by: String,
    /// When.
    pub at: String,
    /// What has moved on since; empty where nothing has.
    pub since: String,
}

impl Told {
    /// When it was made, as it is read.
    pub fn when(&self) -> String {
        self.at.get(..16).unwrap_or(&self.at).replace('T', " ")
    }
}

/// The release of a job in force, as it is told.
fn told(app: &App, loaded: &Loaded) -> Result<Option<Told>, ShopError> {
    let Some(release) = app.store.last_release(loaded.job.id)? else { return Ok(None) };
    // What cannot be read any more is told as moved on.
    let since = match since::since(app, &release, loaded) {
        Ok(since) => since.map_or_else(String::new, |s| s.words()),
        Err(error) => error.to_string(),
    };
    Ok(Some(Told { id: release.id, by: release.person, at: release.at, since }))
}

/// What a job's card tells of its release, as it was last worked out.
pub fn release_told(app: &App, job: i32) -> Result<Option<Told>, ShopError> {
    let body = app.store.card(job)?.map(|c| c.body).unwrap_or_default();
    Ok(serde_json::from_str::<Figures>(&body).ok().and_then(|f| f.release))
}

impl Figures {
    fn of(loaded: &Loaded, release: Option<Told>) -> Self {
        let route = &loaded.route;
        let b = &loaded.revision.decisions.first().stock;
        let material = loaded.shop.material(&b.material);
        let more = loaded.route.batches.len() - 1;
        let count = |severity: Severity| route.findings.iter().filter(|f| f.severity == severity).count();
        let told =
            ledger(&route.ledger, None, &loaded.shop.house.currency).into_iter().filter(|c| matches!(c.name, "sheets" | "yield" | "time"));
        let others = if more > 0 { format!(" and {}", boustrophe_core::finding::counted(more, "other", "others")) } else { String::new() };
        Self {
            batch: format!("{} {} mm{others}", material.map_or(b.material.as_str(), |m| m.name.as_str()), b.thickness),
            station: route.reached.slug().into(),
            stops: count(Severity::Stop),
            looks: count(Severity::Look),
            files: loaded.revision.decisions.drawings.iter().map(|d| d.name.clone()).collect(),
            parts: route.work.parts.iter().map(|p| p.quantity).sum(),
            nested: route.ledger.sheets > 0,
            cells: told.map(|c| (c.name.to_owned(), c.value)).collect(),
            release,
        }
    }

    /// The station that it is at.
    pub fn at(&self) -> Station {
        Station::from_slug(&self.station).unwrap_or(Station::Intake)
    }
}

/// Stores what the floor shows of a job, unless it is stored already.
pub fn keep(app: &App, loaded: &Loaded) -> Result<(), ShopError> {
    let made_for = (loaded.revision.id, app.state());
    let carded = || app.carded.lock().unwrap_or_else(PoisonError::into_inner);
    if carded().get(&loaded.job.id) == Some(&made_for) {
        return Ok(());
    }
    let body = serde_json::to_string(&Figures::of(loaded, told(app, loaded)?)).map_err(boustrophe_store::StoreError::Json)?;
    // The first sheet that there is, of whichever batch.
    let first = loaded.route.batches.values().find(|b| !b.nested.layout.sheets.is_empty()).unwrap_or_else(|| loaded.route.first());
    let miniature = crate::miniature::of(first, &loaded.shop, 0);
    app.store.set_card(&Card { job_id: loaded.job.id, revision: loaded.revision.id, body, miniature })?;
    carded().insert(loaded.job.id, made_for);
    Ok(())
}

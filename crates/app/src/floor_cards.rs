//! What the floor shows of a job: made when the job changes or is looked at, stored, and only read by the floor.

use crate::error::AppError;
use crate::releases;
use crate::shop::{App, Loaded};
use crate::view::ledger;
use boustrophe_core::finding::{Severity, Station};
use boustrophe_store::Card;
use serde::{Deserialize, Serialize};
use std::sync::atomic::Ordering;
use std::sync::{Arc, PoisonError};

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
fn told(app: &App, loaded: &Loaded) -> Result<Option<Told>, AppError> {
    let Some(release) = app.store.last_release(loaded.job.id)? else { return Ok(None) };
    // What cannot be read any more is told as moved on.
    let since = match releases::since(app, &release, loaded) {
        Ok(since) => since.map_or_else(String::new, |s| s.words()),
        Err(error) => error.to_string(),
    };
    Ok(Some(Told { id: release.id, by: release.person, at: release.at, since }))
}

/// What a job's card tells of its release, as it was last worked out.
pub fn release_told(app: &App, job: i32) -> Result<Option<Told>, AppError> {
    let body = app.store.card(job)?.map(|c| c.body).unwrap_or_default();
    Ok(serde_json::from_str::<Figures>(&body).ok().and_then(|f| f.release))
}

/// Has a job's card made anew when it is looked at next, though neither job nor book has changed.
pub fn forget(app: &App, job: i32) {
    app.carded.lock().unwrap_or_else(PoisonError::into_inner).remove(&job);
}

impl Figures {
    fn of(loaded: &Loaded, release: Option<Told>) -> Self {
        let route = &loaded.route;
        let b = &loaded.revision.decisions.first().stock;
        let material = loaded.shop.material(&b.material);
        let more = loaded.route.batches.len() - 1;
        let count = |severity: Severity| route.findings.iter().filter(|f| f.severity == severity).count();
        let told = ledger(&route.ledger, None).into_iter().filter(|c| matches!(c.name, "sheets" | "yield" | "time"));
        let others = if more > 0 { format!(" and {}", boustrophe_core::finding::counted(more, "other", "others")) } else { String::new() };
        Self {
            batch: format!("{} {} mm{others}", material.map_or(b.material.as_str(), |m| m.name.as_str()), b.thickness),
            station: route.reached.slug().into(),
            stops: count(Severity::Stop),
            looks: count(Severity::Look),
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
pub fn keep(app: &App, loaded: &Loaded) -> Result<(), AppError> {
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

/// Makes cards anew one after the other behind everything else: those of `all` jobs after the shop's book has changed, else
/// those that are not of their job's revision in force.
pub fn refresh(app: &Arc<App>, all: bool) {
    let (busy, again) = &app.carding;
    again.fetch_or(all, Ordering::AcqRel);
    if busy.swap(true, Ordering::AcqRel) {
        return;
    }
    let making = Arc::clone(app);
    app.aside.run(move || {
        let (app, (busy, again)) = (&making, &making.carding);
        loop {
            let all = again.swap(false, Ordering::AcqRel);
            let stale = app.store.floor(false).unwrap_or_default().into_iter();
            let stale = stale.filter(|(job, card)| all || job.head != card.as_ref().map(|c| c.0));
            for (job, _) in stale {
                if let Err(error) = app.deep.install(|| app.keep_figures(&app.load(job.id)?)) {
                    tracing::warn!(job = job.id, %error, "no card could be made for the floor");
                }
            }
            if !again.load(Ordering::Acquire) {
                break;
            }
        }
        busy.store(false, Ordering::Release);
    });
}

//! A job as it stands: its revision in force and all that was computed for it.

use crate::app::{App, Loaded};
use crate::cards;
use crate::error::ShopError;
use crate::{guests, rack};
use boustrophe_core::ids::BatchId;
use boustrophe_store::Job;
use std::sync::Arc;
use std::sync::atomic::Ordering;

impl App {
    /// A job as it stands. Work for a thread that may block.
    pub fn load(&self, job: i32) -> Result<Loaded, ShopError> {
        let job = self.store.job(job)?;
        let head = job.head.ok_or_else(|| ShopError::Sentence(format!("{} has no revision; begin it again.", job.name)))?;
        let revision = match self.store.revision(job.id, head) {
            Err(boustrophe_store::StoreError::Json(why)) => return Err(self.unreadable(&job, head, &why)),
            other => other?,
        };
        let shop = self.shop();
        let route = self.route(&revision.decisions, &shop)?;
        self.with_others(Loaded { job, revision, route, shop, batch: BatchId::FIRST })
    }

    /// A job with what the rack and other jobs have to say of it.
    pub(crate) fn with_others(&self, loaded: Loaded) -> Result<Loaded, ShopError> {
        let Loaded { job, revision, mut route, shop, batch } = loaded;
        let mut told = rack::told(self, job.id, &revision.decisions)?;
        told.extend(guests::told(self, job.id, &revision.decisions));
        if !told.is_empty() {
            route.reached = route.reached.min(boustrophe_core::finding::Station::Nest);
            route.findings.extend(told);
            route.findings.sort_by_key(|f| f.station);
        }
        Ok(Loaded { job, revision, route, shop, batch })
    }

    /// Stores what the history and the floor show of a job, where that is not stored already. Pages that are only looked at
    /// store nothing.
    pub fn keep_figures(&self, loaded: &Loaded) -> Result<(), ShopError> {
        if self.store.damage().is_some() {
            return Ok(());
        }
        if loaded.revision.ledger.as_ref() != Some(&loaded.route.ledger) {
            self.store.set_ledger(loaded.revision.id, &loaded.route.ledger)?;
        }
        rack::reserve(self, loaded)?;
        cards::keep(self, loaded)
    }

    /// A revision that cannot be read stops its own job and no other; the one before is offered.
    fn unreadable(&self, job: &Job, head: i32, why: &serde_json::Error) -> ShopError {
        let before = self.store.before(job.id, head).ok().flatten();
        ShopError::Unreadable { job: job.id, name: job.name.clone(), head, before: before.is_some(), why: why.to_string() }
    }
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

//! Changes of jobs, whoever makes them.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use boustrophe_core::decisions::Edit;
use boustrophe_core::ids::BatchId;
use boustrophe_store::NewRevision;

/// Applies an edit to the revision that a page showed.
pub fn apply(app: &App, job: i32, revision: i32, edit: &Edit, by: &str) -> Result<(), ShopError> {
    changed(app, job, revision, edit, by).map(drop)
}

/// The same; the job as it is then. Its route is worked out once, before it is stored, and is what the page shows.
pub fn changed(app: &App, job: i32, revision: i32, edit: &Edit, by: &str) -> Result<Loaded, ShopError> {
    let before = app.store.revision(job, revision)?;
    let after = edit.apply(&before.decisions)?;
    // Worked out before it is kept: a change that cannot be computed is refused, not stored.
    let shop = app.shop();
    let route = app.route(&after, &shop)?;
    let new = NewRevision { label: &edit.label(), person: by, decisions: &after };
    let id = app.store.add_revision(job, revision, new)?;
    let (job, revision) = (app.store.job(job)?, app.store.revision(job, id)?);
    let loaded = app.with_others(Loaded { job, revision, route, shop, batch: BatchId::FIRST })?;
    app.keep_figures(&loaded)?;
    Ok(loaded)
}

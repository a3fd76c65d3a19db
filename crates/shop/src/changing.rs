//! Changes of jobs, whoever makes them.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use boustrophe_core::decisions::Edit;
use boustrophe_core::ids::BatchId;
use boustrophe_store::NewRevision;

/// Applies an edit to the revision that a page showed.
pub fn apply(app: &App, job: i32, revision: i32, edit: &Edit, by: &str) -> Result<(), ShopError> {
    let before = app.store.revision(job, revision)?;
    let after = edit.apply(&before.decisions)?;
    // Worked out before it is kept: a change that cannot be computed is refused, not stored.
    let shop = app.shop();
    let route = app.route(&after, &shop)?;
    let new = NewRevision { label: &edit.label(), person: by, decisions: &after };
    let id = app.store.add_revision(job, revision, new)?;
    let revision = boustrophe_store::Revision { id, decisions: after, ledger: None, ..before };
    app.keep_figures(&Loaded { job: app.store.job(job)?, revision, route, shop, batch: BatchId::FIRST })
}

//! What somebody says of a sheet whose run has ended, where nothing more is burned of it.

use super::again::SheetOf;
use crate::app::App;
use crate::error::ShopError;
use boustrophe_core::decisions::{Decisions, Edit, NestEdit};
use boustrophe_core::ids::CopyId;
use boustrophe_core::run::Answer;
use boustrophe_store::{NewRevision, Run, Then};
use std::sync::Arc;

/// Keeps an answer that sends nothing: all is through, the sheet is given up, or `lost` copies are wanted once more (all of it, where
/// none are named). The answer and what is wanted again are one step: said twice, it is once.
pub fn said(app: &Arc<App>, run: &Run, answer: Answer, lost: &[CopyId], by: &str) -> Result<(), ShopError> {
    if answer == Answer::Nest {
        let (revision, edit, after) = wanted_again(app, run, lost)?;
        let new = NewRevision { label: &edit.label(), person: by, decisions: &after };
        app.store.answer(run.id, answer, by, Then::Change { job: run.job_id, parent: revision, new })?;
        app.keep_figures(&app.load(run.job_id)?)?;
    } else {
        app.store.answer(run.id, answer, by, Then::Nothing)?;
    }
    app.desks.desk(&run.machine)?.look_again();
    crate::rack::settle_soon(app);
    Ok(())
}

/// Wants the lost copies of a run's sheet once more, of the batch that it was released in: the revision that this is made on, the edit
/// and what comes of it.
fn wanted_again(app: &App, run: &Run, lost: &[CopyId]) -> Result<(i32, Edit, Decisions), ShopError> {
    let sheet = SheetOf::run(app, run)?;
    let all: Vec<CopyId> = sheet.copies().iter().map(|p| p.copy).filter(|c| lost.is_empty() || lost.contains(c)).collect();
    if all.is_empty() {
        return Err(ShopError::Sentence("none of what was chosen lies on this sheet; load the page again.".into()));
    }
    let batch = sheet.batch().batch;
    let loaded = app.load(run.job_id)?;
    let here = loaded.route.batches.get(&batch).ok_or_else(|| {
        ShopError::Sentence("the batch that it was cut in is not in the job any more; want the parts again by hand.".into())
    })?;
    let mut edits = Vec::new();
    for part in &sheet.batch().work.parts {
        let n = all.iter().filter(|c| c.part == part.id).count();
        let Some(now) = here.work.part(part.id).filter(|_| n > 0) else {
            if n > 0 {
                return Err(ShopError::Sentence(format!("{} is not in the job any more; add it again.", part.name)));
            }
            continue;
        };
        edits.push(NestEdit::SetQuantity { part: part.id, quantity: now.quantity + u32::try_from(n).unwrap_or(0) }.on(batch));
    }
    let edit = Edit::All { edits };
    let after = edit.apply(&loaded.revision.decisions)?;
    // Worked out before it is kept, as every change is.
    app.route(&after, &loaded.shop)?;
    Ok((loaded.revision.id, edit, after))
}

//! Released sheets as runs burn them.

use crate::app::App;
use crate::error::ShopError;
use crate::packed::unpacked;
use boustrophe_core::decisions::Pose;
use boustrophe_core::nest::Placement;
use boustrophe_core::released::{ReleasedBatch, ReleasedSheet};
use boustrophe_core::shop::Machine;
use boustrophe_store::Run;
use std::sync::Arc;

/// The sheet of a run, as it was released.
pub struct SheetOf {
    pub(crate) batch: Arc<ReleasedBatch>,
    /// Number within its batch, from 0.
    pub at: usize,
}

impl SheetOf {
    /// The sheet of a run as it was when the run was sent.
    pub fn run(app: &App, run: &Run) -> Result<Self, ShopError> {
        let earlier =
            || ShopError::Sentence("this run is of an earlier version, which did not keep what was released; send the sheet again.".into());
        let release = run.release_id.ok_or_else(earlier)?;
        let row = app.store.release_sheet(release, run.sheet)?;
        Ok(Self { batch: app.released(release, row.batch)?, at: usize::try_from(row.place).unwrap_or(0) })
    }
    /// Its batch.
    pub fn batch(&self) -> &ReleasedBatch {
        &self.batch
    }
    /// All that there is of it.
    pub fn sheet(&self) -> Result<&ReleasedSheet, ShopError> {
        self.batch.sheets.get(self.at).ok_or_else(|| ShopError::Sentence("the sheet is not in its release; send it again.".into()))
    }
    /// The machine that it was released for.
    pub fn machine(&self) -> &Machine {
        &self.batch.machine
    }
    /// How it lies on the bed as Release has it now: a sheet that was put back may have been aligned since.
    pub fn lies_now(&self, app: &App, run: &Run) -> Result<Pose, ShopError> {
        let head = app.store.job(run.job_id)?.head.unwrap_or(run.revision);
        let decisions = app.store.revision(run.job_id, head)?.decisions;
        let batch = decisions.batches.get(&self.batch.batch);
        Ok(batch.zip(self.sheet().ok()).map_or(run.pose, |(b, s)| b.release.pose(self.at, &s.layout.sheet)))
    }
    /// Copies on the sheet, in the order of its placements.
    pub fn copies(&self) -> &[Placement] {
        self.sheet().map_or(&[], |s| &s.layout.placed)
    }
}

impl App {
    /// A batch of a release as it was released.
    pub fn released(&self, release: i32, batch: i32) -> Result<Arc<ReleasedBatch>, ShopError> {
        if let Some(found) = self.released.get(&(release, batch)) {
            return Ok(found);
        }
        let read: ReleasedBatch = unpacked(&self.store.release_batch(release, batch)?)?;
        let read = Arc::new(ReleasedBatch { machine: read.machine.clone().modern(), ..read });
        self.released.insert((release, batch), Arc::clone(&read));
        Ok(read)
    }
}

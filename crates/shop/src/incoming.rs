//! Files on their way in: put down on the disk as they come, read in a child, kept, and added to a job one upload after the
//! other.

use crate::app::App;
use crate::changing::apply;
use crate::error::ShopError;
use boustrophe_core::decisions::{DrawingDecisions, Edit, IntakeEdit};
use boustrophe_store::StoreError;
use sha2::{Digest, Sha256};
use std::collections::BTreeSet;
use std::io::Read;
use std::sync::{Arc, PoisonError};
use tempfile::NamedTempFile;

/// Times that an addition is tried on a job that others are changing.
const TRIES: usize = 20;

/// A file as it was dropped.
pub struct Dropped {
    /// Its name, without folders.
    pub name: String,
    /// Where it was put down.
    pub file: NamedTempFile,
}

impl Dropped {
    /// Its bytes.
    pub fn bytes(&self) -> Result<Vec<u8>, ShopError> {
        let mut bytes = Vec::new();
        let read = self.file.reopen().and_then(|mut f| f.read_to_end(&mut bytes));
        read.map_err(|e| ShopError::Sentence(format!("{} cannot be read just now ({e}); add it again.", self.name)))?;
        Ok(bytes)
    }
}

/// A file that could be read and is kept.
pub struct Taken {
    /// Its name.
    pub name: String,
    /// Hash of its bytes.
    pub hash: String,
}

/// Reads files and keeps those that can be read; of the others it is said why not.
pub async fn take(app: &Arc<App>, dropped: Vec<Dropped>) -> Result<(Vec<Taken>, Vec<ShopError>), ShopError> {
    let (mut taken, mut refused) = (Vec::new(), Vec::new());
    for d in dropped {
        match app.readers.read(&d.name, d.file.path()).await {
            Err(error) => refused.push(error),
            Ok(drawing) => {
                let keeping = Arc::clone(app);
                let (name, hash) = tokio::task::spawn_blocking(move || {
                    let hash = keep(&keeping, &d.name, &d.bytes()?)?;
                    Ok::<_, ShopError>((d.name, hash))
                })
                .await??;
                app.know(&hash, &name, drawing);
                taken.push(Taken { name, hash });
            }
        }
    }
    Ok((taken, refused))
}

/// Keeps a file as it is; gives the hash of its bytes.
pub fn keep(app: &App, name: &str, bytes: &[u8]) -> Result<String, ShopError> {
    let hash: String = Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect();
    app.store.add_file(&hash, name, bytes)?;
    Ok(hash)
}

/// Keeps files that we made ourselves and adds them to a job.
pub fn add_own(app: &App, job: i32, files: &[(String, Vec<u8>)], by: &str) -> Result<(), ShopError> {
    let mut taken = Vec::new();
    for (name, bytes) in files {
        taken.push(Taken { name: name.clone(), hash: known(app, name, bytes)? });
    }
    add(app, job, taken, by)
}

/// Keeps a file that we made ourselves; gives its hash.
pub fn known(app: &App, name: &str, bytes: &[u8]) -> Result<String, ShopError> {
    let hash = keep(app, name, bytes)?;
    app.know(&hash, name, boustrophe_formats::read(name, bytes)?);
    Ok(hash)
}

/// Adds files to a job as one change, on whatever revision is in force: uploads wait for each other, and what others change
/// meanwhile stands.
pub fn add(app: &App, job: i32, taken: Vec<Taken>, by: &str) -> Result<(), ShopError> {
    if taken.is_empty() {
        return Ok(());
    }
    let before: BTreeSet<u32> = drawings(app, job)?.into_iter().map(|d| d.id).collect();
    let edits = taken.into_iter().map(|t| Edit::Intake(IntakeEdit::AddDrawing { file: t.hash, name: t.name })).collect();
    on_top(app, job, &Edit::All { edits }, by)?;
    as_the_job(app, job, &before, by)
}

/// The drawings of a job as it is now.
fn drawings(app: &App, job: i32) -> Result<Vec<DrawingDecisions>, ShopError> {
    Ok(app.store.revision(job, app.store.job(job)?.head.unwrap_or(0))?.decisions.drawings)
}

/// Drawings that have just come are wanted as often as the job is; those that were there before stay as they were set.
fn as_the_job(app: &App, job: i32, before: &BTreeSet<u32>, by: &str) -> Result<(), ShopError> {
    let quantity = app.store.job(job)?.quantity.unsigned_abs();
    if quantity <= 1 {
        return Ok(());
    }
    let fresh = drawings(app, job)?.into_iter().filter(|d| !before.contains(&d.id));
    let edits = fresh.map(|d| Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: d.id, quantity })).collect();
    on_top(app, job, &Edit::All { edits }, by)
}

/// Makes an edit on whatever revision is in force.
pub fn on_top(app: &App, job: i32, edit: &Edit, by: &str) -> Result<(), ShopError> {
    let turn = app.adding(job);
    let _turn = turn.lock().unwrap_or_else(PoisonError::into_inner);
    app.deep.install(|| {
        for _ in 1..TRIES {
            let head = app.store.job(job)?.head.unwrap_or(0);
            match apply(app, job, head, edit, by) {
                Err(ShopError::Store(StoreError::Moved { .. })) => {}
                other => return other,
            }
        }
        apply(app, job, app.store.job(job)?.head.unwrap_or(0), edit, by)
    })
}

/// One sentence of several.
pub fn told(refused: &[ShopError]) -> ShopError {
    ShopError::Sentence(refused.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "))
}

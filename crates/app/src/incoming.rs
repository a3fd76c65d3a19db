//! Files on their way in: put down on the disk as they come, read in a child, kept, and added to a job one upload after the
//! other.

use crate::changing::apply;
use crate::error::AppError;
use crate::shop::App;
use axum::extract::Multipart;
use axum::http::StatusCode;
use boustrophe_core::decisions::{Edit, IntakeEdit};
use boustrophe_store::StoreError;
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::io::{Read, Write};
use std::sync::{Arc, PoisonError};
use tempfile::NamedTempFile;

/// Drawings taken in one go.
const MOST_FILES: usize = 50;
/// Longest file name kept, characters.
const LONGEST_NAME: usize = 120;
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
    pub fn bytes(&self) -> Result<Vec<u8>, AppError> {
        let mut bytes = Vec::new();
        let read = self.file.reopen().and_then(|mut f| f.read_to_end(&mut bytes));
        read.map_err(|e| AppError::Sentence(format!("{} cannot be read just now ({e}); add it again.", self.name)))?;
        Ok(bytes)
    }
}

/// Puts the files of an upload down as they come.
pub async fn receive(app: &App, multipart: Multipart) -> Result<Vec<Dropped>, AppError> {
    let (_, files) = receive_form(app, multipart).await?;
    if files.is_empty() { Err(AppError::Sentence("there was no file in it; choose or drop a drawing.".into())) } else { Ok(files) }
}

/// The fields of a form and its files, put down as they come. A file that was not chosen is none.
pub async fn receive_form(app: &App, mut multipart: Multipart) -> Result<(BTreeMap<String, String>, Vec<Dropped>), AppError> {
    let broken = |e: axum::extract::multipart::MultipartError| {
        if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
            AppError::Sentence(format!(
                "that is more than {} MB; add the files one by one, or leave out what is not to be cut.",
                boustrophe_formats::MOST_BYTES >> 20
            ))
        } else {
            AppError::Sentence(format!("the upload broke off ({e}); add the files again."))
        }
    };
    let (mut fields, mut files) = (BTreeMap::new(), Vec::new());
    while let Some(mut field) = multipart.next_field().await.map_err(broken)? {
        let plain = |n: &str| n.rsplit(['/', '\\']).next().unwrap_or(n).chars().take(LONGEST_NAME).collect::<String>();
        let Some(name) = field.file_name().map(plain).filter(|n| !n.is_empty()) else {
            if fields.len() < MOST_FILES
                && let Some(name) = field.name().map(str::to_owned)
            {
                fields.insert(name, field.text().await.map_err(broken)?);
            }
            continue;
        };
        let mut file = app.file_coming_in()?;
        while let Some(bytes) = field.chunk().await.map_err(broken)? {
            file.write_all(&bytes).map_err(|e| AppError::Sentence(format!("{name} cannot be put down ({e}); is the disk full?")))?;
        }
        files.push(Dropped { name, file });
        if files.len() > MOST_FILES {
            return Err(AppError::Sentence(format!("these are more than {MOST_FILES} files; add them in two goes.")));
        }
    }
    Ok((fields, files))
}

/// A file that could be read and is kept.
pub struct Taken {
    /// Its name.
    pub name: String,
    /// Hash of its bytes.
    pub hash: String,
}

/// Reads files and keeps those that can be read; of the others it is said why not.
pub async fn take(app: &Arc<App>, dropped: Vec<Dropped>) -> Result<(Vec<Taken>, Vec<AppError>), AppError> {
    let (mut taken, mut refused) = (Vec::new(), Vec::new());
    for d in dropped {
        match app.readers.read(&d.name, d.file.path()).await {
            Err(error) => refused.push(error),
            Ok(drawing) => {
                let keeping = Arc::clone(app);
                let (name, hash) = tokio::task::spawn_blocking(move || {
                    let hash = keep(&keeping, &d.name, &d.bytes()?)?;
                    Ok::<_, AppError>((d.name, hash))
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
pub fn keep(app: &App, name: &str, bytes: &[u8]) -> Result<String, AppError> {
    let hash: String = Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect();
    app.store.add_file(&hash, name, bytes)?;
    Ok(hash)
}

/// Keeps files that we made ourselves and adds them to a job.
pub fn add_own(app: &App, job: i32, files: &[(String, Vec<u8>)], by: &str) -> Result<(), AppError> {
    let mut taken = Vec::new();
    for (name, bytes) in files {
        taken.push(Taken { name: name.clone(), hash: known(app, name, bytes)? });
    }
    add(app, job, taken, by)
}

/// Keeps a file that we made ourselves; gives its hash.
pub fn known(app: &App, name: &str, bytes: &[u8]) -> Result<String, AppError> {
    let hash = keep(app, name, bytes)?;
    app.know(&hash, name, boustrophe_formats::read(name, bytes)?);
    Ok(hash)
}

/// Adds files to a job as one change, on whatever revision is in force: uploads wait for each other, and what others change
/// meanwhile stands.
pub fn add(app: &App, job: i32, taken: Vec<Taken>, by: &str) -> Result<(), AppError> {
    if taken.is_empty() {
        return Ok(());
    }
    let edits = taken.into_iter().map(|t| Edit::Intake(IntakeEdit::AddDrawing { file: t.hash, name: t.name })).collect();
    on_top(app, job, &Edit::All { edits }, by)
}

/// Makes an edit on whatever revision is in force.
pub fn on_top(app: &App, job: i32, edit: &Edit, by: &str) -> Result<(), AppError> {
    let turn = app.adding(job);
    let _turn = turn.lock().unwrap_or_else(PoisonError::into_inner);
    app.deep.install(|| {
        for _ in 1..TRIES {
            let head = app.store.job(job)?.head.unwrap_or(0);
            match apply(app, job, head, edit, by) {
                Err(AppError::Store(StoreError::Moved { .. })) => {}
                other => return other,
            }
        }
        apply(app, job, app.store.job(job)?.head.unwrap_or(0), edit, by)
    })
}

/// One sentence of several.
pub fn told(refused: &[AppError]) -> AppError {
    AppError::Sentence(refused.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "))
}

//! Files as a form brings them: put down on the disk as they come.

use crate::error::AppError;
use axum::extract::Multipart;
use axum::http::StatusCode;
use boustrophe_shop::app::App;
use boustrophe_shop::incoming::Dropped;
use std::collections::BTreeMap;
use std::io::Write;

/// Drawings taken in one go.
const MOST_FILES: usize = 50;
/// Longest file name kept, characters.
const LONGEST_NAME: usize = 120;

/// Puts the files of an upload down as they come.
pub async fn receive(app: &App, multipart: Multipart) -> Result<Vec<Dropped>, AppError> {
    let (_, files) = receive_form(app, multipart).await?;
    if files.is_empty() { Err(AppError::sentence("there was no file in it; choose or drop a drawing.".into())) } else { Ok(files) }
}

/// The fields of a form and its files, put down as they come. A file that was not chosen is none.
pub async fn receive_form(app: &App, mut multipart: Multipart) -> Result<(BTreeMap<String, String>, Vec<Dropped>), AppError> {
    let broken = |e: axum::extract::multipart::MultipartError| {
        if e.status() == StatusCode::PAYLOAD_TOO_LARGE {
            AppError::sentence(format!(
                "that is more than {} MB; add the files one by one, or leave out what is not to be cut.",
                boustrophe_formats::MOST_BYTES >> 20
            ))
        } else {
            AppError::sentence(format!("the upload broke off ({e}); add the files again."))
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
            file.write_all(&bytes).map_err(|e| AppError::sentence(format!("{name} cannot be put down ({e}); is the disk full?")))?;
        }
        files.push(Dropped { name, file });
        if files.len() > MOST_FILES {
            return Err(AppError::sentence(format!("these are more than {MOST_FILES} files; add them in two goes.")));
        }
    }
    Ok((fields, files))
}

//! Poses alone: what travels after a drag or a better layout of a search, while the parts are as they were.

use super::*;

#[derive(Serialize)]
struct Poses {
    revision: i32,
    /// Names of the parts, in the order of their numbers: a stage that knows others loads the scene anew.
    parts: usize,
    /// For each sheet its copies: name, number of the part, pose.
    sheets: Vec<Vec<(String, usize, [f64; 6])>>,
}

/// The poses of the best layout of a search, or of the kept one.
pub async fn poses(app: Shared, Path(job): Path<i32>, Query(wish): Query<super::Wish>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?.about(wish.batch);
        let best = app.searches.progress(job).filter(|p| p.batch == loaded.batch).and_then(|p| p.layout).filter(|_| wish.live);
        json(&of(&loaded, best.as_deref().unwrap_or(&loaded.here().nested.layout)))
    })
    .await
}

fn of(loaded: &Loaded, layout: &Layout) -> Poses {
    let index = sheets::index(loaded, layout);
    let sheet = |s| sheets::copies(loaded, s, &index).into_iter().map(|c| (c.id, c.part, c.pose)).collect();
    Poses { revision: loaded.revision.id, parts: index.len(), sheets: layout.sheets.iter().map(sheet).collect() }
}

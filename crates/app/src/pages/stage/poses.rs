//! Poses alone: what travels after a drag or a better layout of a search, while the parts are as they were.

use super::*;
use crate::pages::changes;
use axum::extract::Form;
use boustrophe_core::decisions::NestEdit;
use boustrophe_core::geometry::Point;
use boustrophe_core::ids::CopyId;
use boustrophe_core::nest::{Placement, slid};

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

/// A copy that was carried: where to, on which sheet from 0.
#[derive(Deserialize)]
pub struct Carried {
    revision: i32,
    #[serde(default)]
    batch: BatchId,
    copy: CopyId,
    sheet: usize,
    x: f64,
    y: f64,
    #[serde(default)]
    angle: f64,
    #[serde(default)]
    mirrored: bool,
}

#[derive(Serialize)]
struct Moved {
    revision: i32,
    copy: String,
    sheet: usize,
    pose: [f64; 6],
    x: f64,
    y: f64,
    angle: f64,
    /// It could not lie where it was put, and slid by so much, mm.
    slid: f64,
}

/// Lays a copy by hand. Where it cannot lie it slides to the nearest place where it can; where there is none near, it is
/// refused in a sentence. The answer is its pose alone.
pub async fn moved(app: Shared, Path(job): Path<i32>, Form(to): Form<Carried>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?.about(to.batch);
        let here = loaded.here();
        let wanted = Placement { copy: to.copy, x: to.x, y: to.y, angle: to.angle, mirrored: to.mirrored };
        let terms = boustrophe_core::nest::Terms::of(loaded.decided(), &loaded.machine(), &loaded.shop);
        let found = slid(&here.work, &here.nested.layout, wanted, to.sheet, &terms)
            .ok_or_else(|| AppError::Sentence("it cannot lie there, nor near: put it where there is room for it.".into()))?;
        changes::apply(app, job, to.revision, &NestEdit::MoveCopy { to: found, sheet: to.sheet }.on(loaded.batch))?;
        let head = app.store.job(job)?.head.unwrap_or(0);
        json(&Moved {
            revision: head,
            copy: found.copy.to_string(),
            sheet: to.sheet,
            pose: found.affine().as_coeffs(),
            x: found.x,
            y: found.y,
            angle: found.angle,
            slid: Point::new(found.x, found.y).distance(Point::new(wanted.x, wanted.y)),
        })
    })
    .await
}

//! All safe remedies of a station, taken by one key.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::bench::docket;
use crate::stations::changes::{Back, conflict};
use crate::typed::Posted;
use axum::extract::Path;
use axum::response::{IntoResponse, Response};
use boustrophe_core::decisions::Edit;
use boustrophe_core::finding::{Finding, Station};
use boustrophe_core::route::mended;
use boustrophe_shop::changing::changed;
use boustrophe_shop::error::ShopError;
use boustrophe_store::StoreError;

/// Takes them in their order until there are none; the answer is the docket with a list of what was done. One undo takes all back.
pub async fn all(app: Shared, Path(job): Path<i32>, Posted(back): Posted<Back>) -> Result<Response, AppError> {
    blocking(&app, move |app| taken(app, job, &back)).await
}

fn taken(app: &Shared, job: i32, back: &Back) -> Result<Response, AppError> {
    let station = Station::from_slug(&back.station).unwrap_or(Station::Intake);
    let loaded = app.load(job)?;
    let of = |f: &Finding| f.station == station;
    let done = mended::<ShopError>(loaded.route.clone(), &loaded.revision.decisions, &of, &mut |d| app.route(d, &loaded.shop))?;
    if done.edits.is_empty() {
        return Err(AppError::sentence("no finding here has a remedy that is safe to take unseen; look at them one by one.".into()));
    }
    let edit = Edit::All { edits: done.edits };
    let loaded = match changed(app, job, back.revision, &edit, &app.by) {
        Err(ShopError::Store(StoreError::Moved { head })) => return conflict(app, job, station, &edit, head),
        other => other?,
    };
    let mut page = docket(app, &loaded.about(back.batch), station, true)?;
    let told = |f: Finding| (f.text, f.remedies.into_iter().next().map(|r| r.label).unwrap_or_default());
    page.taken = done.settled.into_iter().map(told).collect();
    Ok(html(&page)?.into_response())
}

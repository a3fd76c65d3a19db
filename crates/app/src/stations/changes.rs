//! Changes: edits, undo and redo, files that are dropped.

use crate::asking::{Shared, blocking};
use crate::error::{AppError, html};
use crate::stations::bench::docket;
use crate::stations::form::Form;
use crate::things::book;
use crate::typed::{Posted, Typed};
use crate::uploads;
use askama::Template;
use axum::extract::{Multipart, Path};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Redirect, Response};
use boustrophe_core::clean::coupon::{fingers, room, slots};
use boustrophe_core::clean::operate::Spot;
use boustrophe_core::clean::{ContourId, Operation};
use boustrophe_core::decisions::{CleanEdit, Edit};
use boustrophe_core::drawing::Unit;
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::Point;
use boustrophe_core::ids::BatchId;
use boustrophe_core::lettering::{Face, Setting};
use boustrophe_core::quantity::length;
use boustrophe_formats::dxf::{self, WriteLayer};
use boustrophe_shop::app::{App, Loaded};
use boustrophe_shop::changing::changed;
use boustrophe_shop::error::ShopError;
use boustrophe_shop::nests;
use boustrophe_shop::{incoming, tables};
use boustrophe_store::{Kind, StoreError};

#[derive(Template)]
#[template(path = "stations/conflict.html")]
struct Conflict {
    job: i32,
    station: String,
    wanted: String,
    theirs: String,
    edit: String,
    head: i32,
}

/// One change; the answer is the docket with route and ledger.
pub async fn edit(app: Shared, Path(job): Path<i32>, Posted(form): Posted<Form>) -> Result<Response, AppError> {
    blocking(&app, move |app| edited(app, job, &form)).await
}

fn edited(app: &Shared, job: i32, form: &Form) -> Result<Response, AppError> {
    let station = Station::from_slug(&form.station).unwrap_or(Station::Intake);
    made(app, (job, form.revision), station, form.batch, &form.edit()?)
}

/// Makes an edit on the revision that a page showed; the answer is the station's docket about the batch that the page was about.
pub fn made(app: &Shared, (job, revision): (i32, i32), station: Station, batch: BatchId, edit: &Edit) -> Result<Response, AppError> {
    let searched = edit.nests();
    if let (Edit::Nest(_), Some(nested)) = (edit, searched) {
        // Nothing is decided by the wish alone.
        nests::start(app, job, nested, nests::Wish::of(&app.by))?;
        return answered(app, job, station, batch);
    }
    match changed(app, job, revision, edit, &app.by) {
        Err(ShopError::Store(StoreError::Moved { head })) => conflict(app, job, station, edit, head),
        Err(other) => Err(other.into()),
        Ok(loaded) => {
            // What is being searched for this batch is not wanted any more; a search of another goes on.
            if searched.is_some() && app.searches.progress(job).map(|p| p.batch) == searched {
                app.searches.stop(job);
            }
            searched.map_or(Ok(()), |nested| nests::start(app, job, nested, nests::Wish::of(&app.by)))?;
            shown(app, loaded, station, batch)
        }
    }
}

/// The docket after a change, about the batch that the page was about.
pub fn answered(app: &App, job: i32, station: Station, batch: BatchId) -> Result<Response, AppError> {
    let loaded = app.load(job)?;
    app.keep_figures(&loaded)?;
    shown(app, loaded, station, batch)
}

fn shown(app: &App, loaded: Loaded, station: Station, batch: BatchId) -> Result<Response, AppError> {
    Ok(html(&docket(app, &loaded.about(batch), station, true)?)?.into_response())
}

/// Makes an edit on the revision that the page showed and answers with the station's docket.
pub async fn make(app: Shared, job: i32, revision: i32, station: Station, edit: Edit) -> Result<Response, AppError> {
    blocking(&app, move |app| made(app, (job, revision), station, BatchId::FIRST, &edit)).await
}

/// What slots and tabs are fitted to: three figures, and the contours whose slots are ticked among all that have some.
#[derive(serde::Deserialize)]
pub struct Fit {
    revision: i32,
    on: u32,
    nominal: String,
    measured: String,
    clearance: String,
    #[serde(default)]
    fit: Vec<ContourId>,
    #[serde(default)]
    all: Vec<ContourId>,
}

/// Fits slots and tabs.
pub async fn slot_fit(app: Shared, Path(job): Path<i32>, Typed { form, .. }: Typed<Fit>) -> Result<Response, AppError> {
    let mm = |text: &str| length(text, Unit::Mm).map_err(AppError::sentence);
    let operation = Operation::SlotFit {
        nominal: mm(&form.nominal)?,
        measured: mm(&form.measured)?,
        clearance: mm(&form.clearance)?,
        leave: form.all.into_iter().filter(|c| !form.fit.contains(c)).collect(),
    };
    make(app, job, form.revision, Station::Clean, Edit::Clean(CleanEdit::Operate { drawing: form.on, operation })).await
}

/// What a slot coupon is called among a job's drawings.
pub const COUPON: &str = "slot-coupon.dxf";
/// And one for fingers.
pub const FINGERS: &str = "finger-coupon.dxf";
/// Notches and slots of a coupon.
const FITS: u32 = 9;

/// The slot of a coupon that holds the sheet, and how thick that measured, as typed.
#[derive(serde::Deserialize)]
pub struct Holds {
    width: String,
    /// 0 for a notch of a finger coupon: what stands under it is the room.
    measured: String,
    #[serde(default)]
    person: String,
}

/// Writes down the room that slots in a job's material want, as a coupon has shown it.
pub async fn holds(app: Shared, Path(job): Path<i32>, Posted(form): Posted<Holds>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| held(app, job, &form)).await?;
    Ok(Redirect::to(&format!("/jobs/{job}/clean")))
}

fn held(app: &Shared, job: i32, form: &Holds) -> Result<(), AppError> {
    let mm = |text: &str| length(text.trim(), Unit::Mm).map_err(AppError::sentence);
    let room = room(mm(&form.width)?, mm(&form.measured)?);
    let loaded = app.load(job)?;
    let id = loaded.revision.decisions.first().stock.material.clone();
    book::change(app, Kind::Material, None, (app.signed(&form.person), "from a coupon"), |shop| {
        let known = shop.materials.iter_mut().find(|m| m.id == id).ok_or("its material is not in the shop's book any more")?;
        known.clearance = Some(room);
        book::told(&known.troubles())
    })?;
    Ok(())
}

/// Figures of a slot coupon.
#[derive(serde::Deserialize)]
pub struct CouponForm {
    middle: String,
    step: String,
    /// `fingers` for a finger of the middle width.
    #[serde(default)]
    of: String,
}

/// Adds a slot or finger coupon to the job as a drawing.
pub async fn coupon(app: Shared, Path(job): Path<i32>, Posted(form): Posted<CouponForm>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| coupon_added(app, job, form)).await
}

fn coupon_added(app: &Shared, job: i32, form: CouponForm) -> Result<Redirect, AppError> {
    let mm = |text: &str| length(text, Unit::Mm).map_err(AppError::sentence);
    let (middle, step) = (mm(&form.middle)?, mm(&form.step)?);
    let (name, coupon) = match form.of.as_str() {
        // From pressed together to loose: a third of them with less than nothing.
        "fingers" => (FINGERS, fingers(middle, -step * f64::from(FITS / 3), step, FITS)?),
        _ => (COUPON, slots(middle, step, FITS)?),
    };
    let paths = std::iter::once(coupon.outline).chain(coupon.tongue).collect();
    let layers = [WriteLayer { name: "cut", colour: 7, paths }];
    incoming::add_own(app, job, &[(name.into(), dxf::write(&layers).into_bytes())], &app.by)?;
    // Its numbers are written on it as a person would: scored whatever the shop's colours say, and clean as they are.
    let loaded = app.load(job)?;
    let comb = loaded.route.drawings.last().and_then(|d| Some((d.id, d.cleaned.contours.first()?.id)));
    let (drawing, part) = comb.ok_or_else(|| AppError::sentence("the coupon could not be drawn; try other figures.".into()))?;
    let write = |(text, height, at): (String, f64, Point)| {
        let spot = Spot { x: at.x, y: at.y, ..Spot::default() };
        Edit::Clean(CleanEdit::Operate {
            drawing,
            operation: Operation::Write { part, spot, text, height, face: Face::Stroke, angle: 0.0, setting: Setting::default() },
        })
    };
    incoming::on_top(app, job, &Edit::All { edits: coupon.labels.into_iter().map(write).collect() }, &app.by)?;
    Ok(Redirect::to(&format!("/jobs/{job}/clean")))
}

/// The job has moved on: what was wanted and what is there now, side by side.
pub fn conflict(app: &App, job: i32, station: Station, edit: &Edit, head: i32) -> Result<Response, AppError> {
    let theirs = app.store.revision(job, head)?.label;
    let page = Conflict {
        job,
        station: station.slug().into(),
        wanted: edit.label(),
        theirs,
        edit: serde_json::to_string(edit).unwrap_or_default(),
        head,
    };
    let mut response = (StatusCode::CONFLICT, html(&page)?).into_response();
    for (name, value) in [("hx-retarget", "#notice"), ("hx-reswap", "innerHTML")] {
        response.headers_mut().insert(axum::http::HeaderName::from_static(name), axum::http::HeaderValue::from_static(value));
    }
    Ok(response)
}

/// The revision that the page shows, and which docket is to come back.
#[derive(serde::Deserialize)]
pub struct Back {
    pub revision: i32,
    #[serde(default)]
    pub station: String,
    #[serde(default)]
    pub batch: BatchId,
}

/// Back one revision.
pub async fn undo(app: Shared, Path(job): Path<i32>, Posted(back): Posted<Back>) -> Result<Response, AppError> {
    step(app, job, back, |app, job, shown| app.store.undo(job, shown), "there is nothing to undo").await
}

/// Forward again.
pub async fn redo(app: Shared, Path(job): Path<i32>, Posted(back): Posted<Back>) -> Result<Response, AppError> {
    step(app, job, back, |app, job, shown| app.store.redo(job, shown), "there is nothing to do again").await
}

async fn step(
    app: Shared,
    job: i32,
    back: Back,
    go: fn(&App, i32, i32) -> Result<Option<i32>, StoreError>,
    none: &'static str,
) -> Result<Response, AppError> {
    let station = Station::from_slug(&back.station).unwrap_or(Station::Intake);
    blocking(&app, move |app| match go(app, job, back.revision) {
        Err(StoreError::Moved { head }) => moved(app, job, station, head),
        other => {
            other?.ok_or_else(|| AppError::sentence(none.into()))?;
            answered(app, job, station, back.batch)
        }
    })
    .await
}

/// Somebody else has changed the job: undo would take theirs back. The page as it is now, and what they did.
fn moved(app: &App, job: i32, station: Station, head: i32) -> Result<Response, AppError> {
    let theirs = app.store.revision(job, head)?.label;
    Err(AppError::Moved { station: format!("/jobs/{job}/{}", station.slug()), theirs })
}

/// Goes back from a revision that cannot be read to the one before it.
pub async fn back(app: Shared, Path(job): Path<i32>, Posted(back): Posted<Back>) -> Result<Redirect, AppError> {
    blocking(&app, move |app| {
        app.store.undo(job, back.revision)?;
        Ok(Redirect::to(&format!("/jobs/{job}")))
    })
    .await
}

/// Files for a job: each that can be read is added; of the others it is said why not.
pub async fn files(app: Shared, Path(job): Path<i32>, multipart: Multipart) -> Result<Response, AppError> {
    // Before anything is taken in: a job that is not there takes nothing.
    blocking(&app, move |app| Ok(app.store.job(job)?)).await?;
    let (tables, drawings) = uploads::receive(&app, multipart).await?.into_iter().partition(|f| tables::is_table(&f.name));
    let (taken, refused) = incoming::take(&app, drawings).await?;
    blocking(&app, move |app| {
        incoming::add(app, job, taken, &app.by)?;
        let tables: Vec<incoming::Dropped> = tables;
        Ok(tables::dropped(app, job, &tables, &app.by)?)
    })
    .await?;
    if refused.is_empty() { Ok(StatusCode::NO_CONTENT.into_response()) } else { Err(incoming::told(&refused).into()) }
}

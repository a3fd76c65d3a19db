//! Hold by hand: a nick added, moved or taken off, a pierce carried elsewhere; in every copy or in one.

use crate::asking::{Shared, blocking};
use crate::error::AppError;
use crate::stations::changes;
use axum::Json;
use axum::extract::{Form, Path as At};
use axum::response::{IntoResponse, Response};
use boustrophe_core::cuts::{Cut, Line};
use boustrophe_core::decisions::{Edit, HoldEdit};
use boustrophe_core::finding::{Code, Station};
use boustrophe_core::geometry::Point;
use boustrophe_core::hold::Op;
use boustrophe_core::hold::hand::{nicks_with, pierce_at};
use boustrophe_core::ids::{BatchId, CutId};
use boustrophe_core::route::Route;
use boustrophe_shop::app::Loaded;
use serde::{Deserialize, Serialize};

/// What a hand does with a nick, as the stage posts it: places are on the sheet, mm.
#[derive(Deserialize)]
pub struct Nick {
    revision: i32,
    #[serde(default)]
    batch: BatchId,
    cut: String,
    /// The nick that is moved or taken off, as `x,y`; empty to add one.
    #[serde(default)]
    from: String,
    /// Where it goes, as `x,y`; empty to take it off.
    #[serde(default)]
    to: String,
    /// `one` for this copy alone.
    #[serde(default)]
    reach: String,
}

fn point(text: &str) -> Result<Option<Point>, AppError> {
    if text.is_empty() {
        return Ok(None);
    }
    let v: Vec<f64> = text.split(',').filter_map(|n| n.parse().ok()).filter(|n: &f64| n.is_finite()).collect();
    let [x, y] = v[..] else { return Err(AppError::sentence("that is no place on the sheet; load the page again.".into())) };
    Ok(Some(Point::new(x, y)))
}

fn gone() -> AppError {
    AppError::sentence("that cut is not on the sheet any more; load the page again.".into())
}

/// A cut by its name, with what is done along it.
fn cut(loaded: &Loaded, name: CutId) -> Result<(&Cut, &Op), AppError> {
    let here = loaded.here();
    let mut sheets = here.plan.sheets.iter().zip(&here.toolpath.sheets);
    let found = sheets.find_map(|(plan, path)| {
        let at = plan.names().iter().position(|n| *n == name)?;
        Some((&plan.cuts[at], path.ops.iter().find(|o| o.cut == at && !o.is_swept())?))
    });
    found.ok_or_else(gone)
}

/// A closed cut of one part.
fn closed_cut(loaded: &Loaded, name: CutId) -> Result<(&Cut, &Op), AppError> {
    let found = cut(loaded, name)?;
    if found.0.path.closed && found.0.line == Line::Drawn {
        Ok(found)
    } else {
        Err(AppError::sentence("a pierce is set on a closed contour of one part: this is none.".into()))
    }
}

impl Nick {
    fn edit(&self, loaded: &Loaded) -> Result<Edit, AppError> {
        let name: CutId = self.cut.parse()?;
        let (cut, op) = cut(loaded, name)?;
        let places = nicks_with(cut, op, point(&self.from)?, point(&self.to)?).ok_or_else(gone)?;
        if cut.line != Line::Drawn {
            // It is no copy's own: where it lies depends on all that share it.
            return Ok(HoldEdit::SetCommonNicks { cut: name, places: Some(places) }.on(self.batch));
        }
        if !cut.path.closed {
            return Err(AppError::sentence(
                "nicks are set on closed contours and on common edges: this line is open and frees nothing.".into(),
            ));
        }
        let copy = (self.reach == "one").then_some(name.copy);
        Ok(HoldEdit::SetNickPlaces { contour: name.contour, places: Some(places), copy }.on(self.batch))
    }
}

/// Adds a nick, moves one, or takes one off.
pub async fn nick(app: Shared, At(job): At<i32>, Form(form): Form<Nick>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let edit = form.edit(&app.load(job)?.about(form.batch))?;
        changes::made(app, (job, form.revision), Station::Hold, form.batch, &edit)
    })
    .await
}

/// Where a pierce is carried, as the stage posts it: on the sheet, mm.
#[derive(Deserialize)]
pub struct Carried {
    revision: i32,
    #[serde(default)]
    batch: BatchId,
    cut: String,
    to: String,
    /// `one` for this copy alone.
    #[serde(default)]
    reach: String,
    /// `on` while it is carried: it is told whether its lead would be free, and nothing is done.
    #[serde(default)]
    ask: String,
}

#[derive(Serialize)]
struct Told {
    free: bool,
}

impl Carried {
    fn edit(&self, loaded: &Loaded) -> Result<Edit, AppError> {
        let name: CutId = self.cut.parse()?;
        let (cut, op) = closed_cut(loaded, name)?;
        let pierce = point(&self.to)?.ok_or_else(gone)?;
        let mirrored = loaded.here().nested.layout.copies().find(|p| p.copy == name.copy).is_some_and(|p| p.mirrored);
        let place = pierce_at(cut, op, pierce, mirrored);
        let copy = (self.reach == "one").then_some(name.copy);
        Ok(HoldEdit::SetPierce { contour: name.contour, pierce: Some(place), copy }.on(self.batch))
    }
}

/// Pierces by hand that are led in elsewhere.
fn not_kept(route: &Route) -> usize {
    route.findings.iter().filter(|f| f.code == Code::PierceNotKept).map(|f| f.count).sum()
}

/// Puts a pierce elsewhere, or tells whether it could be there.
pub async fn pierce(app: Shared, At(job): At<i32>, Form(form): Form<Carried>) -> Result<Response, AppError> {
    blocking(&app, move |app| {
        let loaded = app.load(job)?.about(form.batch);
        let edit = form.edit(&loaded)?;
        if form.ask == "on" {
            let route = app.route(&edit.apply(&loaded.revision.decisions)?, &loaded.shop)?;
            return Ok(Json(Told { free: not_kept(&route) <= not_kept(&loaded.route) }).into_response());
        }
        changes::made(app, (job, form.revision), Station::Hold, form.batch, &edit)
    })
    .await
}

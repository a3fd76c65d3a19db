//! Hold by hand: a nick added, moved or taken off, a pierce carried elsewhere; in every copy or in one.

use super::{Shared, blocking, changes};
use crate::error::AppError;
use crate::shop::Loaded;
use axum::Json;
use axum::extract::{Form, Path as At};
use axum::response::{IntoResponse, Response};
use boustrophe_core::cuts::{Cut, Line};
use boustrophe_core::decisions::{Edit, HoldEdit, PiercePlace};
use boustrophe_core::finding::Station;
use boustrophe_core::geometry::{Path, Point};
use boustrophe_core::hold::Op;
use boustrophe_core::ids::{BatchId, CutId, EdgePlace};
use boustrophe_core::route::Route;
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
    let [x, y] = v[..] else { return Err(AppError::Sentence("that is no place on the sheet; load the page again.".into())) };
    Ok(Some(Point::new(x, y)))
}

fn gone() -> AppError {
    AppError::Sentence("that cut is not on the sheet any more; load the page again.".into())
}

/// A closed cut of one part by its name, with what is done along it.
fn closed_cut(loaded: &Loaded, name: CutId) -> Result<(&Cut, &Op), AppError> {
    let here = loaded.here();
    let mut sheets = here.plan.sheets.iter().zip(&here.toolpath.sheets);
    let found = sheets.find_map(|(plan, path)| {
        let at = plan.names().iter().position(|n| *n == name)?;
        Some((&plan.cuts[at], path.ops.iter().find(|o| o.cut == at && !o.is_swept())?))
    });
    let (cut, op) = found.ok_or_else(gone)?;
    if cut.path.closed && cut.line == Line::Drawn {
        Ok((cut, op))
    } else {
        Err(AppError::Sentence("nicks and pierces are set on closed contours of one part: this is none.".into()))
    }
}

impl Nick {
    fn edit(&self, loaded: &Loaded) -> Result<Edit, AppError> {
        let name: CutId = self.cut.parse()?;
        let (cut, op) = closed_cut(loaded, name)?;
        let mut places: Vec<f64> = op.line().nicks.iter().map(|(p, _)| cut.path.nearest(*p).along).collect();
        let along = |p: Point| cut.path.nearest(p).along;
        if let Some(from) = point(&self.from)?.map(along) {
            let round = |a: f64| (a - from).abs().min(cut.path.length() - (a - from).abs());
            let nearest = (0..places.len()).min_by(|a, b| round(places[*a]).total_cmp(&round(places[*b])));
            places.remove(nearest.ok_or_else(gone)?);
        }
        places.extend(point(&self.to)?.map(along));
        places.sort_by(f64::total_cmp);
        let places = places.into_iter().map(|a| EdgePlace::at(&cut.path, a)).collect();
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
        let foot = cut.path.nearest(pierce);
        let far = pierce.distance(cut.path.at(foot.along).0);
        // The lead is a quarter circle where it can be: the cut begins as far along as the pierce stands off.
        let burned = Path::new(op.line().runs.concat(), true).area();
        let along = if (burned > 0.0) == (cut.path.area() > 0.0) { foot.along + far } else { foot.along - far };
        let along = along.rem_euclid(cut.path.length());
        let (at, ahead) = cut.path.at(along);
        let mirrored = loaded.here().nested.layout.copies().find(|p| p.copy == name.copy).is_some_and(|p| p.mirrored);
        let left = if mirrored { -ahead.turn_90() } else { ahead.turn_90() };
        let off = pierce - at;
        let place = PiercePlace { at: EdgePlace::at(&cut.path, along), ahead: off.dot(ahead), aside: off.dot(left) };
        let copy = (self.reach == "one").then_some(name.copy);
        Ok(HoldEdit::SetPierce { contour: name.contour, pierce: Some(place), copy }.on(self.batch))
    }
}

/// Pierces by hand that are led in elsewhere.
fn not_kept(route: &Route) -> usize {
    route.findings.iter().filter(|f| f.code == "pierce-not-kept").map(|f| f.count).sum()
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

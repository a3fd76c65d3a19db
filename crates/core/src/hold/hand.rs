//! What a hand does with the nicks and the pierce of a closed cut, as decisions on the contour as drawn.

use super::Op;
use crate::cuts::Cut;
use crate::decisions::PiercePlace;
use crate::geometry::{Path, Point};
use crate::ids::EdgePlace;

/// The nicks of a cut as they stand, without the one nearest to `from` and with one more at `to`, both as the cut lies, mm. `None`
/// where there is none to take away.
pub fn nicks_with(cut: &Cut, op: &Op, from: Option<Point>, to: Option<Point>) -> Option<Vec<EdgePlace>> {
    let along = |p: Point| cut.path.nearest(p).along;
    let mut places: Vec<f64> = op.line().nicks.iter().map(|(p, _)| along(*p)).collect();
    if let Some(from) = from.map(along) {
        let round = |a: f64| if cut.path.closed { (a - from).abs().min(cut.path.length() - (a - from).abs()) } else { (a - from).abs() };
        let nearest = (0..places.len()).min_by(|a, b| round(places[*a]).total_cmp(&round(places[*b])))?;
        places.remove(nearest);
    }
    places.extend(to.map(along));
    places.sort_by(f64::total_cmp);
    Some(places.into_iter().map(|a| EdgePlace::at(&cut.path, a)).collect())
}

/// A pierce at a place on the sheet, mm, for a cut as it lies. The lead is a quarter circle where it can be: the cut begins as far along
/// as the pierce stands off.
pub fn pierce_at(cut: &Cut, op: &Op, pierce: Point, mirrored: bool) -> PiercePlace {
    let foot = cut.path.nearest(pierce).along;
    let far = pierce.distance(cut.path.at(foot).0);
    let as_drawn = (Path::new(op.line().runs.concat(), true).area() > 0.0) == (cut.path.area() > 0.0);
    let along = (if as_drawn { foot + far } else { foot - far }).rem_euclid(cut.path.length());
    let (at, ahead) = cut.path.at(along);
    let left = if mirrored { -ahead.turn_90() } else { ahead.turn_90() };
    let off = pierce - at;
    PiercePlace { at: EdgePlace::at(&cut.path, along), ahead: off.dot(ahead), aside: off.dot(left) }
}

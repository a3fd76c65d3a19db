//! Which trays of blanks can be.

use super::EditError;
use super::edit::within;
use super::nest::{Sheet, Tray};
use crate::geometry::Point;
use boustrophe_nest::Lie;

/// Pockets of a tray at most.
const MOST: u32 = 2_000;

/// Refuses what no tray can be.
pub fn checked(tray: &Tray) -> Result<(), EditError> {
    let b = tray.blank();
    if b.is_empty() || !tray.outline.iter().all(|p| p.closed && p.bounds().min.is_finite() && p.bounds().max.is_finite()) {
        return Err(EditError::Refused("a blank needs a closed outline".into()));
    }
    if tray.columns == 0 || tray.rows == 0 || tray.columns.saturating_mul(tray.rows) > MOST {
        return Err(EditError::Refused(format!("a tray has 1 to {MOST} pockets")));
    }
    within("a blank's width in mm", b.width(), 1.0, 5000.0)?;
    within("a blank's height in mm", b.height(), 1.0, 5000.0)?;
    within("a gap in mm", tray.gap, 0.0, 500.0)?;
    within("a border in mm", tray.border, 0.0, 500.0)?;
    within("room round a blank in mm", tray.play, 0.0, 5.0)?;
    if tray.gap < 2.0 * tray.play && tray.count() > 1 {
        return Err(EditError::Refused("pockets would run into each other: make the gap larger than twice the room round a blank".into()));
    }
    let near = |p: Point| within("a place in mm", p.x, -5000.0, 5000.0).and(within("a place in mm", p.y, -5000.0, 5000.0)).map(drop);
    match tray.lie {
        Lie::Centred => {}
        Lie::Corner { x, y } => near(Point::new(x, y))?,
        Lie::Points { work, blank } => {
            work.into_iter().chain(blank).try_for_each(near)?;
            if work[0].distance(work[1]) < 0.1 || blank[0].distance(blank[1]) < 0.1 {
                return Err(EditError::Refused("two points in one place tell no direction; take two that are apart".into()));
            }
        }
    }
    let (w, h) = tray.size();
    Sheet::rectangle(w, h).checked().map_err(EditError::Refused)
}

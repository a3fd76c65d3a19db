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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Path;

    #[test]
    fn two_points_of_a_jig_lie_apart() {
        let p = Point::new;
        let tray = |work: [Point; 2], blank: [Point; 2]| Tray {
            name: "tag".into(),
            rack: None,
            outline: vec![Path::rectangle(0.0, 0.0, 60.0, 30.0)],
            columns: 3,
            rows: 2,
            gap: 4.0,
            border: 10.0,
            lie: Lie::Points { work, blank },
            on_bed: None,
            play: 0.2,
            jig: None,
        };
        let (apart, together) = ([p(5.0, 5.0), p(55.0, 25.0)], [p(5.0, 5.0), p(5.0, 5.05)]);
        assert_eq!(checked(&tray(apart, apart)), Ok(()));
        for (work, blank) in [(together, apart), (apart, together)] {
            let told = checked(&tray(work, blank)).expect_err("they tell no direction").to_string();
            assert!(told.contains("no direction"), "{told}");
        }
        let crowded = Tray { gap: 0.3, ..tray(apart, apart) };
        assert!(checked(&crowded).is_err_and(|e| e.to_string().contains("run into each other")));
    }
}

//! What an operation may ask for, and the sentence for what it may not.

use super::operation::{MOST_COPIES, Operation, Spot};
use crate::ids::ContourId;

impl Operation {
    /// Refuses figures that make no sense, with what would do.
    pub fn checked(&self) -> Result<(), String> {
        let length = |what: &str, v: f64, least: f64| {
            if v.is_finite() && v >= least && v <= 10_000.0 {
                Ok(())
            } else {
                Err(format!("{v} will not do as {what}; use {least} to 10000 mm"))
            }
        };
        let any =
            |what: &str, v: f64| if v.is_finite() && v.abs() <= 100_000.0 { Ok(()) } else { Err(format!("{v} will not do as {what}")) };
        let spot = |s: &Spot| any("a distance", s.x).and(any("a distance", s.y));
        let some = |c: &[ContourId], least: usize| {
            if c.len() >= least {
                Ok(())
            } else {
                Err(format!("choose {} on the stage first", if least == 1 { "a contour" } else { "two contours or more" }))
            }
        };
        match self {
            Self::Delete { contours } | Self::Centre { contours } | Self::TakeApart { contours } => some(contours, 1),
            Self::Combine { contours } | Self::Weld { contours } | Self::Intersect { contours } | Self::Align { contours, .. } => {
                some(contours, 2)
            }
            Self::Subtract { contours, .. } => some(contours, 1),
            Self::Offset { contours, by, rings, .. } => {
                some(contours, 1)?;
                any("an offset", *by)?;
                if by.abs() < 0.001 || !(1..=200).contains(rings) {
                    Err("an offset needs a distance other than 0, and 1 to 200 rings".into())
                } else {
                    Ok(())
                }
            }
            Self::Corner { contours, size, .. } => some(contours, 1).and(length("a corner", *size, 0.01)),
            Self::Hole { spot: s, diameter, .. } => spot(s).and(length("a diameter", *diameter, 0.01)),
            Self::Slot { spot: s, length: l, width, angle, .. } => {
                spot(s)?;
                length("a width", *width, 0.01)?;
                any("an angle", *angle)?;
                if l >= width {
                    length("a length", *l, 0.01)
                } else {
                    Err(format!("a slot {l} mm long cannot be {width} mm wide; the length is over all"))
                }
            }
            Self::Tab { spot: s, outer, hole, .. } => {
                spot(s)?;
                length("a hole", *hole, 0.01)?;
                if outer > hole {
                    length("a ring", *outer, 0.02)
                } else {
                    Err(format!("a ring of {outer} mm has no room for a hole of {hole} mm"))
                }
            }
            Self::Marks { spot: s, pitch, count, length: l, angle, .. } => {
                spot(s)?;
                any("an angle", *angle)?;
                length("a pitch", *pitch, 0.05)?;
                length("a mark", *l, 0.05)?;
                if (1..=MOST_COPIES).contains(count) { Ok(()) } else { Err(format!("{count} marks will not do; use 1 to {MOST_COPIES}")) }
            }
            Self::Write { spot: s, text, height, angle, setting, .. } => {
                setting.checked()?;
                spot(s)?;
                any("an angle", *angle)?;
                length("a height", *height, 0.3)?;
                if text.trim().is_empty() || text.chars().count() > 200 { Err("type 1 to 200 letters".into()) } else { Ok(()) }
            }
            Self::Move { contours, dx, dy } => some(contours, 1).and(any("a way", *dx)).and(any("a way", *dy)),
            Self::Turn { contours, degrees } => some(contours, 1).and(any("an angle", *degrees)),
            Self::Mirror { contours, .. } => some(contours, 1),
            Self::Array { contours, columns, rows, dx, dy } => {
                some(contours, 1).and(any("a way", *dx)).and(any("a way", *dy))?;
                let n = columns.saturating_mul(*rows).saturating_mul(contours.len() as u32);
                if *columns >= 1 && *rows >= 1 && n <= MOST_COPIES {
                    Ok(())
                } else {
                    Err(format!("{columns} × {rows} will not do; all copies together may be {MOST_COPIES}"))
                }
            }
            Self::Thicken { contours, width } => some(contours, 1).and(length("a width", *width, 0.05)),
            Self::Widen { contours, width } => some(contours, 1).and(length("a width", *width, 0.01)),
            Self::Close { contours } => some(contours, 1),
            Self::Reletter { contours, text, .. } => {
                some(contours, 1)?;
                if text.trim().is_empty() || text.chars().count() > 200 { Err("type 1 to 200 letters".into()) } else { Ok(()) }
            }
            Self::SlotFit { nominal, measured, clearance, .. } => {
                length("a nominal thickness", *nominal, 0.1)?;
                length("a measured thickness", *measured, 0.1)?;
                any("a clearance", *clearance)?;
                if (measured + clearance - nominal).abs() < *nominal {
                    Ok(())
                } else {
                    Err(format!("slots of {nominal} mm cannot become {} mm wide", measured + clearance))
                }
            }
        }
    }
}

//! What a layout has to keep to: distances, sheets, turns, grain, what is said of single parts.

use crate::geometry::{Path, Segment};
use crate::grain::Grain;
use crate::ids::PartId;
use crate::layout::{Placement, Sheet};
use crate::tray::Tray;
use crate::ways::{Aim, PartNest, Turn};
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;

/// What a layout has to keep to, and what is aimed at.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Terms {
    /// Least distance between parts, mm.
    pub spacing: f64,
    /// Least distance from the edge, mm.
    pub margin: f64,
    /// Sheets to use in order; the last may be without limit.
    pub sheets: Vec<Sheet>,
    /// Turns to try.
    pub turn: Turn,
    /// Parts may be mirrored.
    pub mirror: bool,
    /// Which way the parts' grain lies.
    pub grain: Option<Grain>,
    /// What is said of single parts.
    pub parts: BTreeMap<PartId, PartNest>,
    /// With common edges the kerf, mm: parts with nothing but straight edges may lie so near to each other.
    pub common: Option<f64>,
    /// What is aimed at among layouts of equally many sheets.
    pub aim: Aim,
    /// Price of a sheet that has none of its own, by its area: money per mm².
    pub rate: f64,
    /// The blanks that are worked on, where it is no sheets.
    pub tray: Option<Arc<Tray>>,
}

/// Turns that differ by less are the same, degrees.
const SAME_TURN: f64 = 0.01;

/// What stands against a copy lying as it does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Against {
    /// It may not be turned so.
    Turn,
    /// Its grain would run the other way.
    Grain,
    /// It may not be mirrored.
    Mirror,
}

impl Against {
    /// As a sentence goes on: it lies …
    pub fn words(self) -> &'static str {
        match self {
            Self::Turn => "turned as it may not be",
            Self::Grain => "against the grain",
            Self::Mirror => "face down",
        }
    }
}

/// The distances that parts keep, mm.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Distances {
    /// From each other.
    pub spacing: f64,
    /// From the sheet's edge.
    pub margin: f64,
    /// From each other where both have nothing but straight edges, if that is less.
    pub common: Option<f64>,
}

impl Distances {
    /// A spacing and a margin, mm.
    pub fn of(spacing: f64, margin: f64) -> Self {
        Self { spacing, margin, common: None }
    }
    /// The least distance of two parts, mm, by whether each has nothing but straight edges.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// let common = Distances { common: Some(0.15), ..Distances::of(2.0, 5.0) };
    /// assert_eq!((common.between(true, true), common.between(true, false)), (0.15, 2.0));
    /// ```
    pub fn between(self, a: bool, b: bool) -> f64 {
        self.common.filter(|_| a && b).map_or(self.spacing, |kerf| kerf.min(self.spacing))
    }
}

/// True for what has nothing but straight edges.
pub fn is_straight(path: &Path) -> bool {
    path.segments.iter().all(Segment::is_line)
}

impl Default for Terms {
    /// 2 mm between parts, 5 mm to the edge, quarter turns, sheets of 600 × 400 mm; the last sheet's rest is to be usable, and a
    /// square metre costs 1.
    fn default() -> Self {
        Self {
            spacing: 2.0,
            margin: 5.0,
            sheets: vec![Sheet::rectangle(600.0, 400.0)],
            turn: Turn::Quarter,
            mirror: false,
            grain: None,
            parts: BTreeMap::new(),
            common: None,
            aim: Aim::Rest,
            rate: 1e-6,
            tray: None,
        }
    }
}

impl Terms {
    /// What a sheet costs: its own price, or its material's.
    pub fn price(&self, sheet: &Sheet) -> f64 {
        sheet.price.unwrap_or_else(|| sheet.area() * self.rate)
    }

    /// The distances that parts keep.
    pub fn distances(&self) -> Distances {
        Distances { spacing: self.spacing, margin: self.margin, common: self.common }
    }

    /// Quarter turns of a part, in degrees, and whether it may be mirrored too; the fewest turns first.
    pub fn poses(&self, part: PartId) -> (Vec<f64>, bool) {
        let said = self.parts.get(&part).copied().unwrap_or_default();
        let angles = said.turn.unwrap_or(self.turn).angles();
        let angles = said.grain.or(self.grain).map_or(angles.clone(), |g| g.kept_by(&angles));
        (angles, said.mirror.unwrap_or(self.mirror))
    }

    /// What stands against a copy lying as a hand lays it; `None` where it may. By hand a part that may be turned by quarters may be
    /// turned by any angle, as long as its grain does not matter.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// # use boustrophe_geometry::ids::CopyId;
    /// let at = |angle: f64, mirrored: bool| Placement { copy: CopyId::default(), x: 0.0, y: 0.0, angle, mirrored };
    /// let along = Terms { grain: Some(Grain::Along), ..Terms::default() };
    /// assert_eq!(along.against(&at(180.0, false)), None);
    /// assert_eq!(along.against(&at(90.0, false)), Some(Against::Grain));
    /// assert_eq!(Terms::default().against(&at(15.0, false)), None);
    /// assert_eq!(Terms::default().against(&at(0.0, true)), Some(Against::Mirror));
    /// ```
    pub fn against(&self, lying: &Placement) -> Option<Against> {
        let said = self.parts.get(&lying.copy.part).copied().unwrap_or_default();
        let (turn, grain) = (said.turn.unwrap_or(self.turn), said.grain.or(self.grain));
        let is = |angle: f64, turns: &[f64]| {
            turns.iter().any(|t| {
                let off = (angle - t).rem_euclid(360.0);
                off.min(360.0 - off) < SAME_TURN
            })
        };
        if lying.mirrored && !said.mirror.unwrap_or(self.mirror) {
            return Some(Against::Mirror);
        }
        match grain {
            Some(g) if !is(lying.angle, &g.kept_by(&Turn::Quarter.angles())) => Some(Against::Grain),
            Some(g) if !is(lying.angle, &g.kept_by(&turn.angles())) => Some(Against::Turn),
            None if matches!(turn, Turn::None | Turn::Half) && !is(lying.angle, &turn.angles()) => Some(Against::Turn),
            _ => None,
        }
    }

    /// True where a part may lie at any angle.
    pub fn any_angle(&self, part: PartId) -> bool {
        let said = self.parts.get(&part).copied().unwrap_or_default();
        said.turn.unwrap_or(self.turn) == Turn::Any && said.grain.or(self.grain).is_none()
    }
}

//! Leads: how a closed cut is entered and left, by rule and by hand.

use super::{EditError, within};
use crate::ids::EdgePlace;
use serde::{Deserialize, Serialize};

/// Shape of a lead-in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LeadShape {
    /// A quarter circle that ends along the contour.
    #[default]
    Arc,
    /// A line, at 45° to the contour.
    Line,
    /// A line, then a quarter circle.
    LineArc,
}

impl LeadShape {
    /// All, as offered.
    pub const ALL: [Self; 3] = [Self::Arc, Self::Line, Self::LineArc];

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Arc => "arc",
            Self::Line => "line",
            Self::LineArc => "line and arc",
        }
    }
}

/// How a closed cut with a lead ends.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LeadEnd {
    /// Back into the scrap by a short arc, where there is room.
    #[default]
    Out,
    /// Where it began.
    Stop,
}

impl LeadEnd {
    /// All, as offered.
    pub const ALL: [Self; 2] = [Self::Out, Self::Stop];

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Out => "back into the scrap",
            Self::Stop => "where it began",
        }
    }
}

/// Where on a contour a lead is tried first.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LeadFrom {
    /// Where Order has it start.
    #[default]
    Start,
    /// In the middle of its longest side.
    LongSide,
    /// At its sharpest corner that points into the scrap.
    Corner,
}

impl LeadFrom {
    /// All, as offered.
    pub const ALL: [Self; 3] = [Self::Start, Self::LongSide, Self::Corner];

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Start => "the start",
            Self::LongSide => "the middle of the longest side",
            Self::Corner => "a corner",
        }
    }
}

/// How leads are laid.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct LeadRule {
    /// Shape of the lead-in.
    pub shape: LeadShape,
    /// Its length, mm; `None` for as the thickness asks.
    pub length: Option<f64>,
    /// How the cut ends.
    pub end: LeadEnd,
    /// Where it is tried first.
    pub from: LeadFrom,
    /// How far the cut goes on over its begin, mm; less than nothing: how far before it it ends.
    pub overlap: f64,
    /// The torch stays lit from one cut to the next where that is no farther through the scrap, mm; 0 where it never does.
    pub chain: f64,
}

impl LeadRule {
    /// What is wrong with its figures is said.
    pub(super) fn checked(self) -> Result<Self, EditError> {
        self.length.map(|l| within("a lead in mm", l, 0.5, FARTHEST_PIERCE)).transpose()?;
        within("an overlap in mm", self.overlap, -10.0, 50.0)?;
        within("a way that the torch stays lit, in mm,", self.chain, 0.0, 200.0)?;
        Ok(self)
    }
}

/// Where a hand put the pierce of a contour: the place on the contour that the lead goes to, and the pierce as seen from there.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct PiercePlace {
    /// Where the cut begins.
    pub at: EdgePlace,
    /// To the pierce, along the contour as drawn, mm.
    pub ahead: f64,
    /// To the pierce, to the left of the contour as drawn, mm.
    pub aside: f64,
}

/// A pierce is no further from its contour than this, mm.
pub(super) const FARTHEST_PIERCE: f64 = 100.0;

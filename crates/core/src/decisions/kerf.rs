//! What a hand decides about the kerf: on which side of an open cut it lies, and what is done at sharp corners.

use super::{EditError, within};
use serde::{Deserialize, Serialize};

/// On which side of an open cut the kerf lies, seen along it as drawn.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LineSide {
    /// On the line.
    #[default]
    Middle,
    /// To its left: what is right of the line keeps its size.
    Left,
    /// To its right.
    Right,
}

impl LineSide {
    /// All, as offered.
    pub const ALL: [Self; 3] = [Self::Middle, Self::Left, Self::Right];

    /// The same side of a line that runs the other way.
    pub fn other(self) -> Self {
        match self {
            Self::Middle => Self::Middle,
            Self::Left => Self::Right,
            Self::Right => Self::Left,
        }
    }

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Middle => "on the line",
            Self::Left => "to its left",
            Self::Right => "to its right",
        }
    }
    /// As typed: `middle`, `left`, `right`.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Middle => "middle",
            Self::Left => "left",
            Self::Right => "right",
        }
    }
}

/// What is done where a part's edge turns inward, so that the corner is burned out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum InnerCorner {
    /// Nothing.
    #[default]
    Plain,
    /// The head stands for a while.
    Dwell,
    /// The head goes round a loop in the scrap.
    Loop,
}

/// What is done at a part's sharp outer corners, so that they stay crisp.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum OuterCorner {
    /// The kerf goes round the corner.
    #[default]
    Plain,
    /// The head goes on straight, round a loop in the scrap, and comes back straight: it does not slow down at the corner.
    Loop,
}

impl InnerCorner {
    /// All, as offered.
    pub const ALL: [Self; 3] = [Self::Plain, Self::Dwell, Self::Loop];

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Plain => "as drawn",
            Self::Dwell => "with a dwell",
            Self::Loop => "with a loop in the scrap",
        }
    }
}

impl OuterCorner {
    /// All, as offered.
    pub const ALL: [Self; 2] = [Self::Plain, Self::Loop];

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Plain => "as drawn",
            Self::Loop => "with a loop in the scrap",
        }
    }
}

/// What is done at sharp corners of closed cuts.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct CornerRule {
    /// Where an edge turns inward.
    pub inner: InnerCorner,
    /// Where it turns outward.
    pub outer: OuterCorner,
    /// How far a loop goes beyond the corner, mm. Default 4.
    pub reach: f64,
    /// How long the head stands in a corner, s. Default 0.1.
    pub seconds: f64,
}

impl Default for CornerRule {
    fn default() -> Self {
        Self { inner: InnerCorner::Plain, outer: OuterCorner::Plain, reach: 4.0, seconds: 0.1 }
    }
}

impl CornerRule {
    /// What is wrong with its figures is said.
    pub(super) fn checked(self) -> Result<Self, EditError> {
        within("a loop's reach in mm", self.reach, 0.5, 50.0)?;
        within("a stay in a corner in seconds", self.seconds, 0.01, 10.0)?;
        Ok(self)
    }
}

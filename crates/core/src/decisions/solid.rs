//! How the faces of a solid become parts that can be put together.

use super::EditError;
use super::edit::within;
use serde::{Deserialize, Serialize};

/// What is done along edges where two faces join.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Joints {
    /// Nothing: the faces as they are.
    #[default]
    Bare,
    /// Holes along the edge, at the same places in both faces: for ties, rings or thread. All in mm.
    Ties {
        /// From hole to hole.
        pitch: f64,
        /// From the edge to a hole's middle.
        inset: f64,
        /// Of a hole.
        diameter: f64,
    },
    /// Each face ends where the inner sides of two plates so thick meet, mm: t / tan(θ / 2) from an edge of the solid with the
    /// angle θ inside. With their edges bevelled they would meet without that.
    Shortened {
        /// Of the plates.
        thickness: f64,
    },
}

/// What is chosen of a solid.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct SolidChoices {
    /// Along joined edges.
    pub joints: Joints,
    /// Triangles in one plane are parts of their own, and not merged.
    pub apart: bool,
    /// All faces of what is a flat plate are laid, and not one.
    pub whole: bool,
}

impl SolidChoices {
    pub(super) fn checked(&self) -> Result<(), EditError> {
        match self.joints {
            Joints::Bare => Ok(()),
            Joints::Ties { pitch, inset, diameter } => {
                within("a hole's diameter in mm", diameter, 0.3, 50.0)?;
                within("a pitch in mm", pitch, diameter * 1.5, 1000.0)?;
                within("a distance from the edge in mm", inset, diameter, 200.0).map(drop)
            }
            Joints::Shortened { thickness } => within("a thickness in mm", thickness, 0.05, 100.0).map(drop),
        }
    }
    /// In words.
    pub fn words(&self) -> String {
        let joints = match self.joints {
            Joints::Bare => "bare edges".to_owned(),
            Joints::Ties { pitch, inset, diameter } => format!("holes of {diameter} mm every {pitch} mm, {inset} mm from the edge"),
            Joints::Shortened { thickness } => format!("edges shortened for plates of {thickness} mm"),
        };
        match (self.apart, self.whole) {
            (true, _) => format!("{joints}, triangles apart"),
            (false, true) => format!("{joints}, all faces"),
            _ => joints,
        }
    }
}

//! Which way the grain of a part lies.

use serde::{Deserialize, Serialize};

/// Which way a part's grain lies on the sheet. A part's grain runs along the x of its drawing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Grain {
    /// Along the sheet's x.
    Along,
    /// Across it.
    Across,
}

impl Grain {
    /// As typed: `along`, `across`.
    pub fn from_word(word: &str) -> Option<Self> {
        [Self::Along, Self::Across].into_iter().find(|g| g.name() == word)
    }
    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Along => "along",
            Self::Across => "across",
        }
    }
    /// The turns of some that keep it, degrees. A part whose grain lies across may be turned by a quarter whatever else is said.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// assert_eq!(Grain::Along.kept_by(&Turn::Quarter.angles()), [0.0, 180.0]);
    /// assert_eq!(Grain::Across.kept_by(&Turn::None.angles()), [90.0]);
    /// ```
    pub fn kept_by(self, angles: &[f64]) -> Vec<f64> {
        let half = angles.contains(&180.0);
        let first = if self == Self::Along { 0.0 } else { 90.0 };
        if half { vec![first, first + 180.0] } else { vec![first] }
    }
    /// The grain of a part in whose drawing it runs at this angle, radians: none where it is off x and y by more than the angle
    /// with this sine, as parts are laid by quarter turns to it.
    pub fn running(angle: f64, askew: f64) -> Option<Self> {
        let (sin, cos) = (angle.sin().abs(), angle.cos().abs());
        if sin < askew {
            Some(Self::Along)
        } else if cos < askew {
            Some(Self::Across)
        } else {
            None
        }
    }
}

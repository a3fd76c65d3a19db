//! Which ways a part may lie, and what is aimed at.

use crate::grain::Grain;
use serde::{Deserialize, Serialize};

/// Which turns a part may take on the sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Turn {
    /// As drawn.
    None,
    /// As drawn or upside down.
    Half,
    /// By quarter turns.
    #[default]
    Quarter,
    /// By any angle.
    Any,
}

impl Turn {
    /// All, as offered.
    pub const ALL: [Self; 4] = [Self::None, Self::Half, Self::Quarter, Self::Any];

    /// Angles by quarters, degrees anticlockwise; the fewer turns of another are the first of these.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// assert_eq!(Turn::Half.angles(), [0.0, 180.0]);
    /// ```
    pub fn angles(self) -> Vec<f64> {
        let steps = match self {
            Self::None => 1,
            Self::Half => 2,
            Self::Quarter | Self::Any => 4,
        };
        // What fewer turns allow comes first.
        [0.0, 180.0, 90.0, 270.0][..steps].to_vec()
    }
    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Half => "180°",
            Self::Quarter => "90°",
            Self::Any => "any",
        }
    }
    /// As typed on the command line: `none`, `180`, `90`, `any`.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|t| t.name().trim_end_matches('°') == word)
    }
}

/// What is aimed at among layouts of equally many sheets, after their price.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Aim {
    /// What the last sheet leaves stays in one usable piece.
    #[default]
    Rest,
    /// Engraved parts stand in line, so that their rows coincide.
    Rows,
    /// Neighbours share their cuts.
    Cuts,
}

impl Aim {
    /// All, as offered.
    pub const ALL: [Self; 3] = [Self::Rest, Self::Rows, Self::Cuts];

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Rest => "a usable rest",
            Self::Rows => "rows in line",
            Self::Cuts => "shared cuts",
        }
    }
    /// As typed: `rest`, `rows`, `cuts`.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Rest => "rest",
            Self::Rows => "rows",
            Self::Cuts => "cuts",
        }
    }
}

/// The kit that a part belongs to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Kit {
    /// Kits of a job are told apart by it, from 0.
    pub number: u32,
    /// What belongs to one lies side by side, not only on one sheet.
    #[serde(default)]
    pub near: bool,
}

impl Kit {
    /// As it is called: `A`, `B`, ... `Z`, `A1`.
    ///
    /// ```
    /// # use boustrophe_nest::*;
    /// assert_eq!((Kit { number: 1, near: false }.name(), Kit { number: 26, near: true }.name()), ("B".into(), "A1".into()));
    /// ```
    pub fn name(self) -> String {
        let letter = char::from(b'A' + (self.number % 26) as u8);
        if self.number < 26 { letter.to_string() } else { format!("{letter}{}", self.number / 26) }
    }
}

/// How one part may be laid, where that is not what is said of all; narrower wins.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct PartNest {
    /// Its turns.
    pub turn: Option<Turn>,
    /// Whether it may be mirrored.
    pub mirror: Option<bool>,
    /// Its grain.
    pub grain: Option<Grain>,
    /// It has its place before the others, where not all have one.
    pub first: bool,
    /// It fills what room the others leave: never a sheet for its sake.
    pub filler: bool,
    /// The kit that it belongs to.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub kit: Option<Kit>,
}

impl PartNest {
    /// What is said of it that is not said of all, as people say it; empty for nothing.
    pub fn words(&self) -> String {
        let mut told: Vec<String> = Vec::new();
        told.extend(self.turn.map(|t| format!("turns {}", t.name())));
        told.extend(self.grain.map(|g| format!("grain {}", g.name())));
        told.extend(self.mirror.map(|m| if m { "may be mirrored" } else { "never mirrored" }.into()));
        told.extend(self.first.then(|| "goes first".into()));
        told.extend(self.filler.then(|| "fills gaps".into()));
        told.extend(self.kit.map(|k| format!("kit {}", k.name())));
        told.join(", ")
    }
}

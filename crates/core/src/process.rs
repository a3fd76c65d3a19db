//! The six kinds of work that are done along a line.

use serde::{Deserialize, Serialize};

/// What is done along a contour.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Process {
    /// A bitmap swept in rows.
    Picture,
    /// Its area is swept in rows.
    Engrave,
    /// A tool other than beam or torch.
    Mark,
    /// A shallow line.
    Score,
    /// Through the sheet.
    #[default]
    Cut,
    /// Seen, never sent.
    Reference,
}

impl Process {
    /// Those a person chooses from.
    pub const ALL: [Self; 6] = [Self::Cut, Self::Score, Self::Engrave, Self::Picture, Self::Mark, Self::Reference];

    /// True where it is done by rows: areas and pictures.
    pub fn is_swept(self) -> bool {
        matches!(self, Self::Engrave | Self::Picture)
    }
    /// True where it goes through and frees what it goes round.
    pub fn frees(self) -> bool {
        self == Self::Cut
    }
    /// True where the machine does anything: a reference is only looked at.
    pub fn burns(self) -> bool {
        self != Self::Reference
    }
    /// Name as shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Picture => "Picture",
            Self::Engrave => "Engrave",
            Self::Mark => "Mark",
            Self::Score => "Score",
            Self::Cut => "Cut",
            Self::Reference => "Reference",
        }
    }
    /// Name in addresses and data.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Picture => "picture",
            Self::Engrave => "engrave",
            Self::Mark => "mark",
            Self::Score => "score",
            Self::Cut => "cut",
            Self::Reference => "reference",
        }
    }
    /// The process with this slug.
    pub fn from_slug(slug: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|p| p.slug() == slug)
    }
}

//! The kinds of work that are done along a line, and all that is asked of a kind: in what order, in what form and ink, by what words.

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

/// How lines look in drawings that are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Looks {
    /// Colour in SVG.
    pub colour: &'static str,
    /// Colour index in DXF (0 to 255).
    pub index: u8,
    /// Index among the first nine colours of DXF, for drawings that a standing rule is to know again.
    pub plain: u8,
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
    /// Those that are done, in their order on a sheet: what goes through comes last, for it frees what it goes round.
    pub fn in_order() -> Vec<Self> {
        let mut all: Vec<Self> = Self::ALL.into_iter().filter(|p| p.burns()).collect();
        all.sort();
        all
    }
    /// How its lines look in drawings that are written; `None` for what is not drawn by lines or not sent.
    pub fn looks(self) -> Option<Looks> {
        let looks = |colour, index, plain| Some(Looks { colour, index, plain });
        match self {
            Self::Engrave => looks("#8a5a2b", 34, 3),
            Self::Mark => looks("#1f6f6b", 132, 4),
            Self::Score => looks("#7b3b63", 214, 5),
            Self::Cut => looks("#22292b", 7, 1),
            Self::Picture | Self::Reference => None,
        }
    }
    /// What the head is doing there, in a word.
    pub fn doing(self) -> &'static str {
        match self {
            Self::Picture | Self::Engrave => "engraving",
            Self::Mark => "marking",
            Self::Score => "scoring",
            Self::Cut => "cutting",
            Self::Reference => "travelling",
        }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_goes_through_comes_last_and_what_is_only_seen_never() {
        let order = Process::in_order();
        assert_eq!(order.last(), Some(&Process::Cut));
        assert_eq!(order.len() + 1, Process::ALL.len());
        // Two kinds of lines that looked alike in a drawing could not be told from each other again.
        let looks: Vec<Looks> = order.iter().filter_map(|p| p.looks()).collect();
        for (i, a) in looks.iter().enumerate() {
            assert!(looks[i + 1..].iter().all(|b| a.colour != b.colour && a.index != b.index && a.plain != b.plain));
        }
    }
}

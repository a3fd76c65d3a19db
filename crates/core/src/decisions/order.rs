//! What is decided at Order.

use super::reach::{said, say};
use super::{Decisions, EditError, OnBatch, set_or_clear, within};
use crate::ids::{BatchId, ContourId, CopyId, CutId, EdgePlace};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A corner of the sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum SheetCorner {
    #[default]
    LowerLeft,
    LowerRight,
    UpperLeft,
    UpperRight,
}

/// How the machine goes over a sheet. Whatever it is, every contour comes after those that lie inside it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(tag = "by", rename_all = "kebab-case")]
pub enum Strategy {
    /// With the least travel.
    #[default]
    Least,
    /// A part is finished before the next is begun.
    Parts,
    /// The same, parts in rows along x, there and back.
    Rows,
    /// The next cut begins away from where the last ended, so that heat is spread.
    Spread {
        /// At least so far, mm.
        least: f64,
    },
    /// Slender parts after the others.
    Fragile,
    /// Part by part away from a corner of the sheet.
    Corner {
        /// Which.
        corner: SheetCorner,
    },
}

/// Distance that heat is spread by unless it is said otherwise, mm.
const SPREAD: f64 = 60.0;

impl Strategy {
    /// All that are offered.
    pub const ALL: [Self; 6] = [
        Self::Least,
        Self::Parts,
        Self::Rows,
        Self::Spread { least: SPREAD },
        Self::Fragile,
        Self::Corner { corner: SheetCorner::LowerLeft },
    ];

    /// As shown.
    pub fn name(self) -> String {
        match self {
            Self::Least => "least travel".into(),
            Self::Parts => "part by part".into(),
            Self::Rows => "along rows".into(),
            Self::Spread { least } => format!("heat spread by {least} mm"),
            Self::Fragile => "fragile parts last".into(),
            Self::Corner { corner } => format!(
                "from the {} corner",
                match corner {
                    SheetCorner::LowerLeft => "lower left",
                    SheetCorner::LowerRight => "lower right",
                    SheetCorner::UpperLeft => "upper left",
                    SheetCorner::UpperRight => "upper right",
                }
            ),
        }
    }

    /// As typed: `least`, `parts`, `rows`, `spread` or `spread:40` (mm), `fragile`, `corner` or `corner:upper-right`.
    pub fn from_word(word: &str) -> Option<Self> {
        let (name, more) = word.split_once(':').map_or((word, None), |(n, m)| (n, Some(m)));
        match (name, more) {
            ("least", None) => Some(Self::Least),
            ("parts", None) => Some(Self::Parts),
            ("rows", None) => Some(Self::Rows),
            ("fragile", None) => Some(Self::Fragile),
            ("spread", mm) => {
                let least = mm.map_or(Some(SPREAD), |t| t.parse().ok()).filter(|l| (0.0..=10_000.0).contains(l));
                least.map(|least| Self::Spread { least })
            }
            ("corner", which) => {
                let corner = match which {
                    None | Some("lower-left") => SheetCorner::LowerLeft,
                    Some("lower-right") => SheetCorner::LowerRight,
                    Some("upper-left") => SheetCorner::UpperLeft,
                    Some("upper-right") => SheetCorner::UpperRight,
                    Some(_) => return None,
                };
                Some(Self::Corner { corner })
            }
            _ => None,
        }
    }

    fn checked(self) -> Result<Self, EditError> {
        if let Self::Spread { least } = self {
            within("a distance in mm", least, 0.0, 10_000.0)?;
        }
        Ok(self)
    }
}

/// Which way along a contour the cut goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// As it is drawn.
    Drawn,
    /// The other way.
    Against,
}

impl Way {
    /// The same way along a line that is drawn the other way.
    pub fn other(self) -> Self {
        match self {
            Self::Drawn => Self::Against,
            Self::Against => Self::Drawn,
        }
    }
}

/// Decisions at Order, of one batch.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct OrderDecisions {
    /// Where on a contour the cut starts, for every copy.
    pub starts: BTreeMap<ContourId, EdgePlace>,
    /// The same for one copy alone; beats what holds for every copy.
    pub copy_starts: BTreeMap<CopyId, BTreeMap<ContourId, EdgePlace>>,
    /// How the machine goes over a sheet.
    pub strategy: Strategy,
    /// Cuts that have their place among those of their kind on their sheet, from 0.
    pub places: BTreeMap<CutId, u32>,
    /// Which way a contour is cut, for every copy.
    pub ways: BTreeMap<ContourId, Way>,
    /// The same for one copy alone; beats what holds for every copy.
    pub copy_ways: BTreeMap<CopyId, BTreeMap<ContourId, Way>>,
}

impl OrderDecisions {
    /// Where a copy's contour is to start, if that was decided.
    pub fn start(&self, copy: CopyId, contour: ContourId) -> Option<EdgePlace> {
        said(&self.starts, &self.copy_starts, (copy, contour)).copied()
    }
    /// Which way a copy's contour is cut, if that was decided.
    pub fn way(&self, copy: CopyId, contour: ContourId) -> Option<Way> {
        said(&self.ways, &self.copy_ways, (copy, contour)).copied()
    }
    /// Starts that were decided, for every copy and for single ones.
    pub fn moved(&self) -> usize {
        self.starts.len() + self.copy_starts.values().map(BTreeMap::len).sum::<usize>()
    }
    /// Directions that were decided, for every copy and for single ones.
    pub fn turned(&self) -> usize {
        self.ways.len() + self.copy_ways.values().map(BTreeMap::len).sum::<usize>()
    }
}

/// Cuts of which a hand may say the place, at most.
const MOST_PLACES: usize = 5000;

/// A change at Order, of one batch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum OrderEdit {
    /// `None` gives the start back to the machine. Without a copy it holds for every one.
    SetStart {
        contour: ContourId,
        #[serde(alias = "share")]
        at: Option<EdgePlace>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        copy: Option<CopyId>,
    },
    SetStrategy {
        strategy: Strategy,
    },
    /// A cut has its place among those of its kind on its sheet, from 0; `None` gives it back to the machine.
    SetPlace {
        cut: CutId,
        at: Option<u32>,
    },
    /// Cuts of one sheet and kind that come one after the other, the first in this place, from 0.
    SetSequence {
        cuts: Vec<CutId>,
        from: u32,
    },
    /// `None` gives the direction back to the machine. Without a copy it holds for every one.
    SetWay {
        contour: ContourId,
        way: Option<Way>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        copy: Option<CopyId>,
    },
    /// Everything that a hand has said of the order goes back to the machine.
    FreeAll,
}

impl OrderEdit {
    /// The change on this batch.
    pub fn on(self, batch: BatchId) -> super::Edit {
        super::Edit::Order(OnBatch { batch, edit: self })
    }

    pub(super) fn apply(&self, d: &mut Decisions, batch: BatchId) -> Result<(), EditError> {
        let order = &mut d.batch_mut(batch)?.order;
        match self {
            Self::SetStart { contour, at, copy } => {
                if at.is_some_and(|p| !p.is_sane()) {
                    return Err(EditError::Refused("a place on a contour is a share of 0 to 1 of a segment".into()));
                }
                say(&mut order.starts, &mut order.copy_starts, (*copy, *contour), *at);
            }
            Self::SetWay { contour, way, copy } => say(&mut order.ways, &mut order.copy_ways, (*copy, *contour), *way),
            Self::SetStrategy { strategy } => order.strategy = strategy.checked()?,
            Self::SetPlace { cut, at } => set_or_clear(&mut order.places, *cut, *at),
            Self::SetSequence { cuts, from } => {
                for (i, cut) in cuts.iter().enumerate() {
                    order.places.insert(*cut, from.saturating_add(i as u32));
                }
            }
            Self::FreeAll => *order = OrderDecisions { strategy: order.strategy, ..OrderDecisions::default() },
        }
        if order.places.len() > MOST_PLACES {
            return Err(EditError::TooMany { what: "cuts placed by hand", most: MOST_PLACES });
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetStart { at: None, .. } => "Start left to the machine".into(),
            Self::SetStart { at: Some(EdgePlace::Along(share)), .. } => format!("Start moved to {:.1} %", share * 100.0),
            Self::SetStart { at: Some(EdgePlace::On { segment, share }), .. } => {
                format!("Start moved to {:.0} % of edge {}", share * 100.0, segment + 1)
            }
            Self::SetStrategy { strategy } => format!("Order: {}", strategy.name()),
            Self::SetPlace { at: Some(at), .. } => format!("A cut in place {}", at + 1),
            Self::SetPlace { at: None, .. } => "A cut’s place left to the machine".into(),
            Self::SetSequence { cuts, .. } => format!("{} in the order of a hand", crate::words::counted(cuts.len(), "cut", "cuts")),
            Self::SetWay { way: None, .. } => "Direction left to the machine".into(),
            Self::SetWay { .. } => "Direction turned".into(),
            Self::FreeAll => "Order left to the machine".into(),
        }
    }
}

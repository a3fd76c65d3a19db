//! Everything a person decided about a job, a file a station, and every change of it. The rest is computed.
//!
//! What is decided is plain data: it imports geometry and names, never a station. A change ([`Edit`]) is what a button, a
//! remedy, the interface and the command line all do.
//!
//! ```
//! use boustrophe_core::decisions::{Decisions, Edit, IntakeEdit, NestEdit};
//! use boustrophe_core::ids::BatchId;
//!
//! let begun = Decisions::default();
//! let added = Edit::from(IntakeEdit::AddDrawing { file: "hash of its bytes".into(), name: "plate.dxf".into() }).apply(&begun)?;
//! let spaced = NestEdit::SetSpacing { spacing: Some(3.0) }.on(BatchId::FIRST).apply(&added)?;
//! assert_eq!(spaced.first().nest.spacing, Some(3.0));
//! // What makes no sense is refused with what would do; nothing is changed then.
//! let refused = NestEdit::SetSpacing { spacing: Some(-1.0) }.on(BatchId::FIRST).apply(&added);
//! assert!(refused.is_err_and(|e| e.to_string().contains("use 0 to 500")));
//! # Ok::<(), boustrophe_core::decisions::EditError>(())
//! ```

pub mod assign;
mod card;
pub mod clean;
mod edit;
pub mod hold;
pub mod intake;
pub mod kerf;
pub mod leads;
pub mod nest;
pub mod order;
mod pose;
mod reach;
pub mod release;
mod revision;
mod rows;
mod solid;
mod stored;
pub mod table;
#[cfg(test)]
mod tests;
mod tray;

pub use crate::shop::Stock;
pub use assign::{AssignDecisions, AssignEdit, Elsewhere, JobSetting, Numbers, PartDecisions, Process};
pub use boustrophe_nest::{Lie, Tray};
pub use card::Card;
pub use clean::{CleanEdit, Mend};
pub use edit::{Edit, EditError, MOST_COPIES, OnBatch};
use edit::{copies, millimetres, set_or_clear, within};
pub use hold::{HoldDecisions, HoldEdit, NickWhich, Sweep};
pub use intake::{DrawingDecisions, Guest, IntakeEdit, Naming, View};
pub use kerf::{CornerRule, InnerCorner, LineSide, OuterCorner};
pub use leads::{LeadEnd, LeadFrom, LeadRule, LeadShape, PiercePlace};
pub use nest::{NestDecisions, NestEdit};
pub use order::{OrderDecisions, OrderEdit, SheetCorner, Strategy, Way};
pub use pose::{Pose, Zero};
pub use release::{Laid, ReleaseDecisions, ReleaseEdit};
pub use revision::MovedPlace;
pub use solid::{Joints, SolidChoices};
pub use stored::modern;
pub use tray::checked as checked_tray;

use crate::ids::{BatchId, ContourId, EdgePlace, PartId};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;

/// All decisions of one revision of a job.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "stored::Stored")]
pub struct Decisions {
    /// The drawings in the order they came, each with what was decided on it at Intake and Clean.
    pub drawings: Vec<DrawingDecisions>,
    /// What each line is.
    pub assign: AssignDecisions,
    /// What was decided on single parts, for all their copies.
    pub parts: BTreeMap<PartId, PartDecisions>,
    /// What is made on which machine of which material; the first is always there.
    pub batches: BTreeMap<BatchId, BatchDecisions>,
    /// Findings of severity `look` that a person accepted.
    pub accepted: Vec<Acceptance>,
    /// The job is a test card, or a kerf gauge: what it tries out.
    pub card: Option<Card>,
}

impl Default for Decisions {
    /// A job just begun, with one batch.
    fn default() -> Self {
        Self::on(Stock::default())
    }
}

/// Decisions on one batch, from Nest on.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct BatchDecisions {
    /// What it is made on and of.
    pub stock: Stock,
    /// Nest.
    pub nest: NestDecisions,
    /// Order.
    pub order: OrderDecisions,
    /// Hold.
    pub hold: HoldDecisions,
    /// Release.
    pub release: ReleaseDecisions,
}

/// A stock, where it can be.
fn checked(stock: Stock) -> Result<Stock, EditError> {
    within("a thickness in mm", stock.thickness, 0.05, 200.0)?;
    Ok(stock)
}

/// What a person accepted as it is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Acceptance {
    /// Every finding of a code: as jobs of earlier versions have it.
    Everywhere(String),
    /// Findings of a code at these places and as often there.
    At {
        /// The code.
        code: String,
        /// Places as [`crate::finding::Finding::places`] names them, and how often.
        places: BTreeMap<String, u32>,
    },
}

impl Decisions {
    /// A job just begun, its one batch on and of this.
    pub fn on(stock: Stock) -> Self {
        Self {
            drawings: Vec::new(),
            assign: AssignDecisions::default(),
            parts: BTreeMap::new(),
            batches: BTreeMap::from([(BatchId::FIRST, BatchDecisions { stock, ..BatchDecisions::default() })]),
            accepted: Vec::new(),
            card: None,
        }
    }
    /// Decisions on a batch; on the first where there is no such batch any more.
    pub fn batch(&self, id: BatchId) -> &BatchDecisions {
        self.batches.get(&id).unwrap_or_else(|| self.first())
    }
    /// Decisions on the first batch.
    pub fn first(&self) -> &BatchDecisions {
        // Whatever makes decisions puts a first batch into them.
        static NONE: std::sync::LazyLock<BatchDecisions> = std::sync::LazyLock::new(BatchDecisions::default);
        self.batches.get(&BatchId::FIRST).unwrap_or(&NONE)
    }
    /// The same, to be changed.
    pub fn first_mut(&mut self) -> &mut BatchDecisions {
        self.batches.entry(BatchId::FIRST).or_default()
    }
    /// Decisions on a batch, to be changed.
    pub fn batch_mut(&mut self, id: BatchId) -> Result<&mut BatchDecisions, EditError> {
        self.batches.get_mut(&id).ok_or_else(|| EditError::Gone("that batch".into()))
    }
    /// One more batch, on and of this; its name.
    pub fn add_batch(&mut self, stock: Stock) -> BatchId {
        let id = self.next_batch();
        self.batches.insert(id, BatchDecisions { stock, ..BatchDecisions::default() });
        id
    }
    /// The number of the batch that would be added.
    fn next_batch(&self) -> BatchId {
        BatchId(self.batches.keys().map(|b| b.0).max().unwrap_or(0) + 1)
    }
    /// The change after which parts are made of a stock: in the batch that is of it, or in a new one.
    pub fn made_of(&self, parts: Vec<PartId>, stock: Stock) -> Edit {
        let known = self.batches.iter().find(|(_, b)| b.stock == stock).map(|(id, _)| *id);
        let moved = Edit::Assign(AssignEdit::MoveParts { parts, to: known.unwrap_or_else(|| self.next_batch()) });
        match known {
            Some(_) => moved,
            None => Edit::All { edits: vec![Edit::Assign(AssignEdit::AddBatch { stock }), moved] },
        }
    }
    fn find(&mut self, id: u32) -> Result<&mut DrawingDecisions, EditError> {
        self.drawings.iter_mut().find(|x| x.id == id).ok_or_else(|| EditError::Gone(format!("drawing {id} of this job")))
    }
    /// The same with contours under other names, wherever they stand.
    pub fn renamed(&self, names: &BTreeMap<ContourId, ContourId>) -> Self {
        /// A contour or part by its name, a copy, whose name begins with its part's, or a cut.
        fn new_name(s: &str, names: &BTreeMap<String, String>) -> Option<String> {
            let of_copy = || s.split_once('-').and_then(|(part, n)| Some(format!("{}-{n}", names.get(part)?)));
            // A cut is of a contour and a copy: either may be called otherwise now.
            let of_cut = || {
                let (contour, copy) = s.split_once('@')?;
                let (to, at) = (new_name(contour, names), new_name(copy, names));
                let known = to.is_some() || at.is_some();
                known.then(|| format!("{}@{}", to.as_deref().unwrap_or(contour), at.as_deref().unwrap_or(copy)))
            };
            names.get(s).cloned().or_else(of_copy).or_else(of_cut)
        }
        fn rename(value: &mut Value, names: &BTreeMap<String, String>) {
            match value {
                Value::String(s) => {
                    if let Some(new) = new_name(s, names) {
                        *s = new;
                    }
                }
                Value::Array(all) => all.iter_mut().for_each(|v| rename(v, names)),
                Value::Object(map) => {
                    let old = std::mem::take(map);
                    for (key, mut value) in old {
                        rename(&mut value, names);
                        map.insert(new_name(&key, names).unwrap_or(key), value);
                    }
                }
                _ => {}
            }
        }
        let names: BTreeMap<String, String> = names.iter().map(|(a, b)| (a.to_string(), b.to_string())).collect();
        let written = serde_json::to_value(self).map(|mut value| {
            rename(&mut value, &names);
            value
        });
        // What was written from decisions reads back as decisions.
        written.and_then(serde_json::from_value).unwrap_or_else(|_| self.clone())
    }
    /// All places on contours that a hand set.
    pub fn each_place(&mut self, mut look: impl FnMut(ContourId, &mut EdgePlace)) {
        for batch in self.batches.values_mut() {
            let (order, hold) = (&mut batch.order, &mut batch.hold);
            let starts = order.starts.iter_mut().chain(order.copy_starts.values_mut().flatten());
            starts.for_each(|(c, at)| look(*c, at));
            let nicks = hold.nick_places.iter_mut().chain(hold.copy_nicks.values_mut().flatten());
            nicks.for_each(|(c, all)| all.iter_mut().for_each(|at| look(*c, at)));
            let common = hold.common_nicks.iter_mut();
            common.for_each(|(cut, all)| all.iter_mut().for_each(|at| look(cut.contour, at)));
            let pierces = hold.pierces.iter_mut().chain(hold.copy_pierces.values_mut().flatten());
            pierces.for_each(|(c, pierce)| look(*c, &mut pierce.at));
        }
    }
    /// True where findings of this code were accepted at all these places.
    pub fn accepts(&self, code: &str, places: &BTreeMap<String, u32>) -> bool {
        self.accepted.iter().any(|a| match a {
            Acceptance::Everywhere(known) => known == code,
            Acceptance::At { code: known, places: at } => known == code && places.iter().all(|(p, n)| at.get(p).is_some_and(|m| n <= m)),
        })
    }
    /// The decisions on drawing `id`.
    pub fn drawing(&self, id: u32) -> Option<&DrawingDecisions> {
        self.drawings.iter().find(|d| d.id == id)
    }
}

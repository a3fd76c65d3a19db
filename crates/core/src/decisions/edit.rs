//! A change of [`Decisions`].

use super::{Acceptance, AssignEdit, CleanEdit, Decisions, HoldEdit, IntakeEdit, NestEdit, OrderEdit, ReleaseEdit};
use crate::ids::BatchId;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Single changes in one at most: more than a hand or a page makes.
const MOST_EDITS: usize = 20_000;
/// Greatest quantity of one part.
pub const MOST_COPIES: u32 = 5000;

/// One change. As JSON: `{"do": "set-unit", "drawing": 1, "unit": "mm"}`; those on a batch other than the first name it:
/// `{"do": "set-spacing", "batch": 2, "spacing": 3}`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(from = "Written", into = "Written")]
pub enum Edit {
    /// Several at once, undone at once.
    All {
        /// In this order.
        edits: Vec<Edit>,
    },
    /// Go on in spite of `look` findings of this code at these places; the route fills them in where it offers this.
    Accept {
        /// The finding's code.
        code: String,
        /// Places as [`crate::finding::Finding::places`] names them, and how often.
        places: BTreeMap<String, u32>,
    },
    /// At Intake.
    Intake(IntakeEdit),
    /// At Clean.
    Clean(CleanEdit),
    /// At Assign.
    Assign(AssignEdit),
    /// At Nest.
    Nest(OnBatch<NestEdit>),
    /// At Order.
    Order(OnBatch<OrderEdit>),
    /// At Hold.
    Hold(OnBatch<HoldEdit>),
    /// At Release.
    Release(OnBatch<ReleaseEdit>),
}

/// A change with the batch that it is on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OnBatch<E> {
    /// Which batch.
    #[serde(default, skip_serializing_if = "BatchId::is_first")]
    pub batch: BatchId,
    /// What is changed.
    #[serde(flatten)]
    pub edit: E,
}

/// How a change is written: told apart by `do`, whichever station's it is.
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum Written {
    Job(JobWide),
    Intake(IntakeEdit),
    Clean(CleanEdit),
    Assign(AssignEdit),
    Nest(OnBatch<NestEdit>),
    Order(OnBatch<OrderEdit>),
    Hold(OnBatch<HoldEdit>),
    Release(OnBatch<ReleaseEdit>),
}

#[derive(Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
enum JobWide {
    All {
        edits: Vec<Edit>,
    },
    Accept {
        code: String,
        #[serde(default)]
        places: BTreeMap<String, u32>,
    },
}

impl From<Written> for Edit {
    fn from(written: Written) -> Self {
        match written {
            Written::Job(JobWide::All { edits }) => Self::All { edits },
            Written::Job(JobWide::Accept { code, places }) => Self::Accept { code, places },
            Written::Intake(e) => Self::Intake(e),
            Written::Clean(e) => Self::Clean(e),
            Written::Assign(e) => Self::Assign(e),
            Written::Nest(e) => Self::Nest(e),
            Written::Order(e) => Self::Order(e),
            Written::Hold(e) => Self::Hold(e),
            Written::Release(e) => Self::Release(e),
        }
    }
}

impl From<Edit> for Written {
    fn from(edit: Edit) -> Self {
        match edit {
            Edit::All { edits } => Self::Job(JobWide::All { edits }),
            Edit::Accept { code, places } => Self::Job(JobWide::Accept { code, places }),
            Edit::Intake(e) => Self::Intake(e),
            Edit::Clean(e) => Self::Clean(e),
            Edit::Assign(e) => Self::Assign(e),
            Edit::Nest(e) => Self::Nest(e),
            Edit::Order(e) => Self::Order(e),
            Edit::Hold(e) => Self::Hold(e),
            Edit::Release(e) => Self::Release(e),
        }
    }
}

impl From<IntakeEdit> for Edit {
    fn from(e: IntakeEdit) -> Self {
        Self::Intake(e)
    }
}
impl From<CleanEdit> for Edit {
    fn from(e: CleanEdit) -> Self {
        Self::Clean(e)
    }
}
impl From<AssignEdit> for Edit {
    fn from(e: AssignEdit) -> Self {
        Self::Assign(e)
    }
}

/// Why a change cannot be made. Nothing is changed then.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum EditError {
    /// A figure beyond its limits.
    #[error("{value} will not do as {what}; use {least} to {most}")]
    OutOfRange {
        /// What it was to be, with its unit.
        what: &'static str,
        /// What was asked for.
        value: f64,
        /// The least that will do.
        least: f64,
        /// The most that will do.
        most: f64,
    },
    /// More than there may be.
    #[error("{most} {what} are the most")]
    TooMany {
        /// Of what.
        what: &'static str,
        /// How many there may be.
        most: usize,
    },
    /// What it is on has gone.
    #[error("{0} is not there any more; load the page again")]
    Gone(String),
    /// It makes no sense; the sentence says what would.
    #[error("{0}")]
    Refused(String),
}

impl Edit {
    /// The decisions after this change. The error says why it cannot be done and what would do; nothing is changed then.
    pub fn apply(&self, before: &Decisions) -> Result<Decisions, EditError> {
        if self.count() > MOST_EDITS {
            return Err(EditError::TooMany { what: "changes at once", most: MOST_EDITS });
        }
        let mut after = before.clone();
        self.apply_to(&mut after)?;
        Ok(after)
    }

    /// Single changes in it.
    fn count(&self) -> usize {
        if let Self::All { edits } = self { edits.iter().fold(0, |n, e| n.saturating_add(e.count())) } else { 1 }
    }

    fn apply_to(&self, d: &mut Decisions) -> Result<(), EditError> {
        match self {
            Self::All { edits } => edits.iter().try_for_each(|e| e.apply_to(d)),
            Self::Accept { code, places } => accept(d, code, places),
            Self::Intake(e) => e.apply(d),
            Self::Clean(e) => e.apply(d),
            Self::Assign(e) => e.apply(d),
            Self::Nest(on) => on.edit.apply(d, on.batch),
            Self::Order(on) => on.edit.apply(d, on.batch),
            Self::Hold(on) => on.edit.apply(d, on.batch),
            Self::Release(on) => on.edit.apply(d, on.batch),
        }
    }

    /// What the history calls it.
    pub fn label(&self) -> String {
        match self {
            Self::All { edits } => match edits.as_slice() {
                [] => "Nothing".into(),
                [one] => one.label(),
                [first, ..] => format!("{}, and {} more", first.label(), edits.len() - 1),
            },
            Self::Accept { code, .. } => format!("Accepted: {}", code.replace('-', " ")),
            Self::Intake(e) => e.label(),
            Self::Clean(e) => e.label(),
            Self::Assign(e) => e.label(),
            Self::Nest(on) => on.edit.label(),
            Self::Order(on) => on.edit.label(),
            Self::Hold(on) => on.edit.label(),
            Self::Release(on) => on.edit.label(),
        }
    }

    /// The batch whose parts are to be laid anew after it, if any.
    pub fn nests(&self) -> Option<BatchId> {
        match self {
            Self::Nest(OnBatch { batch, edit: NestEdit::Nest }) => Some(*batch),
            Self::All { edits } => edits.iter().find_map(Self::nests),
            _ => None,
        }
    }

    /// The same change on another batch; one that is on no batch stays as it is.
    pub fn on(self, batch: BatchId) -> Self {
        match self {
            Self::All { edits } => Self::All { edits: edits.into_iter().map(|e| e.on(batch)).collect() },
            Self::Nest(on) => Self::Nest(OnBatch { batch, ..on }),
            Self::Order(on) => Self::Order(OnBatch { batch, ..on }),
            Self::Hold(on) => Self::Hold(OnBatch { batch, ..on }),
            Self::Release(on) => Self::Release(OnBatch { batch, ..on }),
            Self::Assign(AssignEdit::SetBatch { machine, material, thickness, .. }) => {
                Self::Assign(AssignEdit::SetBatch { batch, machine, material, thickness })
            }
            other => other,
        }
    }
}

/// Places of one acceptance at most.
const MOST_PLACES: usize = 4000;

/// Accepts findings at places, besides those that were accepted before.
fn accept(d: &mut Decisions, code: &str, places: &BTreeMap<String, u32>) -> Result<(), EditError> {
    if places.is_empty() {
        return Err(EditError::Refused(format!("say at which places “{code}” is accepted; the button of the finding does")));
    }
    if places.len() > MOST_PLACES {
        return Err(EditError::TooMany { what: "places accepted at once", most: MOST_PLACES });
    }
    let known = d.accepted.iter_mut().find_map(|a| match a {
        Acceptance::At { code: known, places } if known == code => Some(places),
        _ => None,
    });
    match known {
        Some(known) => places.iter().for_each(|(p, n)| {
            let m = known.entry(p.clone()).or_default();
            *m = (*m).max(*n);
        }),
        None => d.accepted.push(Acceptance::At { code: code.into(), places: places.clone() }),
    }
    Ok(())
}

pub(super) fn set_or_clear<K: Ord, V>(map: &mut BTreeMap<K, V>, key: K, value: Option<V>) {
    match value {
        Some(v) => map.insert(key, v),
        None => map.remove(&key),
    };
}

pub(super) fn copies(quantity: u32) -> Result<u32, EditError> {
    if quantity > MOST_COPIES {
        Err(EditError::Refused(format!("{quantity} copies are too many for one job; use at most {MOST_COPIES}")))
    } else {
        Ok(quantity)
    }
}

pub(super) fn within(what: &'static str, value: f64, least: f64, most: f64) -> Result<f64, EditError> {
    if value.is_finite() && (least..=most).contains(&value) { Ok(value) } else { Err(EditError::OutOfRange { what, value, least, most }) }
}

/// A length that was typed, or the machine's own.
pub(super) fn millimetres(v: Option<f64>) -> String {
    v.map_or_else(|| "as the shop has it".into(), |v| format!("{v} mm"))
}

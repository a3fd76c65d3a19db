//! What is decided at Order.

use super::{Decisions, EditError, OnBatch, set_or_clear};
use crate::ids::{BatchId, ContourId, CopyId, EdgePlace};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Decisions at Order, of one batch.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct OrderDecisions {
    /// Where on a contour the cut starts, for every copy.
    pub starts: BTreeMap<ContourId, EdgePlace>,
    /// The same for one copy alone; beats what holds for every copy.
    pub copy_starts: BTreeMap<CopyId, BTreeMap<ContourId, EdgePlace>>,
}

impl OrderDecisions {
    /// Where a copy's contour is to start, if that was decided.
    pub fn start(&self, copy: CopyId, contour: ContourId) -> Option<EdgePlace> {
        self.copy_starts.get(&copy).and_then(|c| c.get(&contour)).or_else(|| self.starts.get(&contour)).copied()
    }
    /// Starts that were decided, for every copy and for single ones.
    pub fn moved(&self) -> usize {
        self.starts.len() + self.copy_starts.values().map(BTreeMap::len).sum::<usize>()
    }
}

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
                match copy {
                    None => set_or_clear(&mut order.starts, *contour, *at),
                    Some(copy) => {
                        let own = order.copy_starts.entry(*copy).or_default();
                        set_or_clear(own, *contour, *at);
                        order.copy_starts.retain(|_, own| !own.is_empty());
                    }
                }
            }
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
        }
    }
}

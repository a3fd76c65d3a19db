//! What is decided at Release.

use super::{Decisions, EditError, OnBatch};
use crate::ids::BatchId;
use serde::{Deserialize, Serialize};

/// Decisions at Release, of one batch.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct ReleaseDecisions {
    /// Initials that go into file names.
    pub initials: String,
}

/// A change at Release, of one batch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum ReleaseEdit {
    SetInitials { initials: String },
}

impl ReleaseEdit {
    /// The change on this batch.
    pub fn on(self, batch: BatchId) -> super::Edit {
        super::Edit::Release(OnBatch { batch, edit: self })
    }

    pub(super) fn apply(&self, d: &mut Decisions, batch: BatchId) -> Result<(), EditError> {
        match self {
            Self::SetInitials { initials } => {
                d.batch_mut(batch)?.release.initials = initials.chars().filter(|c| c.is_alphanumeric()).take(6).collect();
            }
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetInitials { initials } => format!("Initials {initials}"),
        }
    }
}

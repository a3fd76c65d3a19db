//! What is decided at Hold.

use super::{Decisions, EditError, OnBatch, within};
use crate::ids::BatchId;
use serde::{Deserialize, Serialize};

/// How engraved areas are swept.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Sweep {
    /// Angle of the rows in degrees from the x axis; `None` for along x or y, whichever is faster.
    pub angle: Option<f64>,
    /// All rows one way.
    pub one_way: bool,
}

/// Decisions at Hold.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct HoldDecisions {
    /// Nicks on outlines; `None` for the machine's custom (laser yes, plasma no).
    pub nicks: Option<bool>,
    /// Width of the bridge that is left, mm.
    pub nick_width: Option<f64>,
    /// One nick per this much outline, mm.
    pub nick_pitch: Option<f64>,
    /// Leads; `None` for the machine's custom (plasma yes, laser no).
    pub leads: Option<bool>,
    /// How engraved areas are swept.
    pub sweep: Sweep,
}

/// A change at Hold, of one batch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum HoldEdit {
    SetNicks { on: bool },
    SetNickWidth { width: Option<f64> },
    SetNickPitch { pitch: Option<f64> },
    SetLeads { on: bool },
    SetSweep { sweep: Sweep },
}

impl HoldEdit {
    /// The change on this batch.
    pub fn on(self, batch: BatchId) -> super::Edit {
        super::Edit::Hold(OnBatch { batch, edit: self })
    }

    pub(super) fn apply(&self, d: &mut Decisions, batch: BatchId) -> Result<(), EditError> {
        let hold = &mut d.batch_mut(batch)?.hold;
        match self {
            Self::SetNicks { on } => hold.nicks = Some(*on),
            Self::SetNickWidth { width } => hold.nick_width = width.map(|w| within("a nick width in mm", w, 0.05, 20.0)).transpose()?,
            Self::SetNickPitch { pitch } => hold.nick_pitch = pitch.map(|p| within("a nick pitch in mm", p, 5.0, 10_000.0)).transpose()?,
            Self::SetLeads { on } => hold.leads = Some(*on),
            Self::SetSweep { sweep } => {
                sweep.angle.map(|a| within("an angle of rows in degrees", a, -360.0, 360.0)).transpose()?;
                hold.sweep = *sweep;
            }
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetNicks { on } => if *on { "Nicks on" } else { "Nicks off" }.into(),
            Self::SetNickWidth { width } => format!("Nick width {}", super::millimetres(*width)),
            Self::SetNickPitch { pitch } => format!("A nick every {}", super::millimetres(*pitch)),
            Self::SetLeads { on } => if *on { "Leads on" } else { "Leads off" }.into(),
            Self::SetSweep { sweep: Sweep { angle: Some(a), .. } } => format!("Rows at {a}°"),
            Self::SetSweep { .. } => "Rows along x or y".into(),
        }
    }
}

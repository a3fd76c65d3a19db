//! The forms of Hold as edits.

use crate::stations::form::Form;
use crate::typed::least_and_most;
use boustrophe_core::decisions::{Edit, HoldEdit, LineSide, NickWhich, Sweep};
use boustrophe_core::drawing::Unit;
use boustrophe_core::ids::BatchId;
use boustrophe_core::quantity::{length, number};
use strum::{EnumIter, EnumString, IntoStaticStr};

/// What forms of Hold change, by the word that they post.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumIter, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Word {
    Nicks,
    NickWidth,
    NickPitch,
    NickCount,
    NickWhich,
    LeadLength,
    Leads,
    PierceBack,
    NicksBack,
    CommonNicksBack,
    Side,
    Overlap,
    Chain,
    CornerReach,
    CornerSeconds,
    Sweep,
}

impl Word {
    /// The edit that a form wishes for, or what is wrong with what was typed.
    pub fn edit(self, form: &Form) -> Result<Edit, String> {
        let value = form.value.trim();
        match self {
            Self::Nicks => Ok(HoldEdit::SetNicks { on: form.is_on() }.on(BatchId::FIRST)),
            Self::NickWidth => Ok(HoldEdit::SetNickWidth { width: form.optional()? }.on(BatchId::FIRST)),
            Self::NickPitch => Ok(HoldEdit::SetNickPitch { pitch: form.optional()? }.on(BatchId::FIRST)),
            Self::NickCount => Ok(HoldEdit::SetNickCount { count: least_and_most(value)? }.on(BatchId::FIRST)),
            Self::NickWhich => NickWhich::ALL
                .into_iter()
                .find(|w| w.slug() == value)
                .map(|which| HoldEdit::SetNickWhich { which }.on(BatchId::FIRST))
                .ok_or_else(|| format!("“{value}” names no contours; type outlines, small or all")),
            Self::LeadLength => Ok(HoldEdit::SetLeadLength { length: form.optional()? }.on(BatchId::FIRST)),
            Self::Leads => Ok(HoldEdit::SetLeads { on: form.is_on() }.on(BatchId::FIRST)),
            Self::PierceBack => {
                let (contour, copy) = form.contour_of_copy()?;
                Ok(HoldEdit::SetPierce { contour, pierce: None, copy }.on(BatchId::FIRST))
            }
            Self::NicksBack => {
                let (contour, copy) = form.contour_of_copy()?;
                Ok(HoldEdit::SetNickPlaces { contour, places: None, copy }.on(BatchId::FIRST))
            }
            Self::CommonNicksBack => {
                let cut = form.on.split(',').next().unwrap_or_default().parse()?;
                Ok(HoldEdit::SetCommonNicks { cut, places: None }.on(BatchId::FIRST))
            }
            Self::Side => {
                let side =
                    LineSide::ALL.into_iter().find(|s| s.slug() == value).ok_or_else(|| format!("“{value}” is no side of a line"))?;
                Ok(HoldEdit::SetSide { contours: form.contours()?, side: Some(side) }.on(BatchId::FIRST))
            }
            Self::Overlap => Ok(HoldEdit::SetOverlap { overlap: form.optional()?.unwrap_or(0.0) }.on(BatchId::FIRST)),
            Self::Chain => Ok(HoldEdit::SetChain { most: form.optional()?.unwrap_or(0.0) }.on(BatchId::FIRST)),
            Self::CornerReach => Ok(HoldEdit::SetCornerReach { reach: length(value, Unit::Mm)? }.on(BatchId::FIRST)),
            Self::CornerSeconds => Ok(HoldEdit::SetCornerSeconds { seconds: number(value)? }.on(BatchId::FIRST)),
            Self::Sweep => sweep(value),
        }
    }
}

/// `auto`, `x`, `y` or an angle in degrees, and `one way` where rows go only one way.
fn sweep(text: &str) -> Result<Edit, String> {
    let (rows, one_way) = text.strip_suffix("one way").map_or((text, false), |r| (r.trim(), true));
    let angle = match rows {
        "auto" | "" => None,
        "x" => Some(0.0),
        "y" => Some(90.0),
        degrees => Some(number(degrees)?),
    };
    Ok(HoldEdit::SetSweep { sweep: Sweep { angle, one_way } }.on(BatchId::FIRST))
}

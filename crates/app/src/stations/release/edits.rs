//! The forms of Release as edits.

use crate::stations::form::Form;
use boustrophe_core::decisions::{Edit, ReleaseEdit};
use boustrophe_core::ids::BatchId;
use strum::{EnumIter, EnumString, IntoStaticStr};

/// What forms of Release change, by the word that they post.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumIter, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Word {
    Zero,
    Lay,
    Align,
    LayAtCorner,
    Initials,
}

impl Word {
    /// The edit that a form wishes for, or what is wrong with what was typed.
    pub fn edit(self, form: &Form) -> Result<Edit, String> {
        let value = form.value.trim();
        match self {
            Self::Zero => super::laying::zero(value).map(|zero| ReleaseEdit::SetZero { zero }.on(BatchId::FIRST)),
            Self::Lay => super::laying::laid(&form.on, value).map(|edit| edit.on(BatchId::FIRST)),
            Self::Align => super::laying::aligned(&form.on, value).map(|edit| edit.on(BatchId::FIRST)),
            Self::LayAtCorner => Ok(ReleaseEdit::LayAtCorner.on(BatchId::FIRST)),
            Self::Initials => Ok(ReleaseEdit::SetInitials { initials: value.to_owned() }.on(BatchId::FIRST)),
        }
    }
}

//! The forms of Clean as edits.

use crate::stations::form::Form;
use boustrophe_core::clean::operate::words;
use boustrophe_core::decisions::{CleanEdit, Edit};
use boustrophe_core::drawing::Unit;
use boustrophe_core::quantity::{count, length};
use strum::{EnumIter, EnumString, IntoStaticStr};

/// What forms of Clean change, by the word that they post.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumIter, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Word {
    Operate,
    TakeBack,
    Gap,
}

impl Word {
    /// The edit that a form wishes for, or what is wrong with what was typed.
    pub fn edit(self, form: &Form) -> Result<Edit, String> {
        let value = form.value.trim();
        match self {
            Self::Operate => {
                let (drawing, contours) = form.chosen()?;
                Ok(Edit::Clean(CleanEdit::Operate { drawing, operation: words::parse(value, &contours)? }))
            }
            Self::TakeBack => {
                let at = count(value, 0, 10_000)? as usize;
                Ok(Edit::Clean(CleanEdit::TakeBack { drawing: form.drawing()?, at }))
            }
            Self::Gap => Ok(Edit::Clean(CleanEdit::SetGap { drawing: form.drawing()?, gap: length(value, Unit::Mm)? })),
        }
    }
}

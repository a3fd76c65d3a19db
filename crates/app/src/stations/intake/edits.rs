//! The forms of Intake as edits.

use crate::stations::form::Form;
use boustrophe_core::decisions::{Edit, IntakeEdit};
use boustrophe_core::quantity::{number, ratio};
use strum::{EnumIter, EnumString, IntoStaticStr};

/// What forms of Intake change, by the word that they post.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumIter, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Word {
    Scale,
    TurnDrawing,
    DrawingBatch,
    Engraved,
}

impl Word {
    /// The edit that a form wishes for, or what is wrong with what was typed.
    pub fn edit(self, form: &Form) -> Result<Edit, String> {
        let value = form.value.trim();
        match self {
            Self::Scale => Ok(Edit::Intake(IntakeEdit::SetScale { drawing: form.drawing()?, scale: ratio(value)? })),
            Self::TurnDrawing => Ok(Edit::Intake(IntakeEdit::TurnDrawing { drawing: form.drawing()?, degrees: number(value)? })),
            Self::DrawingBatch => Ok(Edit::Intake(IntakeEdit::SetDrawingBatch { drawing: form.drawing()?, to: value.parse()? })),
            Self::Engraved => Ok(Edit::Intake(IntakeEdit::SetEngraved { drawing: form.drawing()?, on: form.is_on() })),
        }
    }
}

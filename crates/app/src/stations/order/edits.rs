//! The forms of Order as edits.

use crate::stations::form::Form;
use boustrophe_core::decisions::{Edit, OrderEdit, Strategy, Way};
use boustrophe_core::ids::{BatchId, EdgePlace};
use boustrophe_core::quantity::{count, number};
use strum::{EnumIter, EnumString, IntoStaticStr};

/// What forms of Order change, by the word that they post.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumIter, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Word {
    Start,
    Way,
    Strategy,
    FreeOrder,
}

impl Word {
    /// The edit that a form wishes for, or what is wrong with what was typed.
    pub fn edit(self, form: &Form) -> Result<Edit, String> {
        let value = form.value.trim();
        match self {
            Self::Start => {
                let (contour, copy) = form.contour_of_copy()?;
                Ok(OrderEdit::SetStart { contour, at: Some(place(value)?), copy }.on(BatchId::FIRST))
            }
            Self::Way => {
                let (contour, copy) = form.contour_of_copy()?;
                let way = match value {
                    "drawn" => Way::Drawn,
                    "against" => Way::Against,
                    other => return Err(format!("“{other}” is no way along a contour")),
                };
                Ok(OrderEdit::SetWay { contour, way: Some(way), copy }.on(BatchId::FIRST))
            }
            Self::Strategy => Strategy::from_word(value)
                .map(|strategy| OrderEdit::SetStrategy { strategy }.on(BatchId::FIRST))
                .ok_or_else(|| format!("“{value}” is no order")),
            Self::FreeOrder => Ok(OrderEdit::FreeAll.on(BatchId::FIRST)),
        }
    }
}

/// A place on a contour: `segment:share`.
fn place(value: &str) -> Result<EdgePlace, String> {
    let (segment, share) = value.split_once(':').ok_or_else(|| format!("“{value}” is no place on a contour"))?;
    Ok(EdgePlace::On { segment: count(segment, 0, 10_000_000)?, share: number(share)? })
}

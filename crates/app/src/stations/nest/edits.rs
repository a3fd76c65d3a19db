//! The forms of Nest as edits.

use crate::stations::form::Form;
use boustrophe_core::decisions::{Edit, MOST_COPIES, NestEdit};
use boustrophe_core::drawing::Unit;
use boustrophe_core::geometry::{Bounds, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Aim, Grain, Sheet, Turn};
use boustrophe_core::quantity::{count, length};
use strum::{EnumIter, EnumString, IntoStaticStr};

/// What forms of Nest change, by the word that they post.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumIter, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Word {
    Quantity,
    Spacing,
    Margin,
    Turn,
    Mirror,
    Clamps,
    Common,
    Grain,
    Aim,
    Aside,
    Sheet,
}

impl Word {
    /// The edit that a form wishes for, or what is wrong with what was typed.
    pub fn edit(self, form: &Form) -> Result<Edit, String> {
        let value = form.value.trim();
        match self {
            Self::Quantity => {
                Ok(NestEdit::SetQuantity { part: form.on.parse()?, quantity: count(value, 0, MOST_COPIES)? }.on(BatchId::FIRST))
            }
            Self::Spacing => Ok(NestEdit::SetSpacing { spacing: form.optional()? }.on(BatchId::FIRST)),
            Self::Margin => Ok(NestEdit::SetMargin { margin: form.optional()? }.on(BatchId::FIRST)),
            Self::Turn => Turn::from_word(value)
                .map(|turn| NestEdit::SetTurn { turn }.on(BatchId::FIRST))
                .ok_or_else(|| format!("“{value}” is no turn")),
            Self::Mirror => Ok(NestEdit::SetMirror { mirror: form.is_on() }.on(BatchId::FIRST)),
            Self::Clamps => clamps(value).map(|clamps| NestEdit::SetClamps { clamps }.on(BatchId::FIRST)),
            Self::Common => Ok(NestEdit::SetCommonEdges { on: form.is_on() }.on(BatchId::FIRST)),
            Self::Grain => grain(value).map(|grain| NestEdit::SetGrain { grain }.on(BatchId::FIRST)),
            Self::Aim => aim(value).map(|aim| NestEdit::SetAim { aim }.on(BatchId::FIRST)),
            Self::Aside => aside(value).map(|edit| edit.on(BatchId::FIRST)),
            Self::Sheet => sheets(value).map(|sheets| NestEdit::SetSheets { sheets }.on(BatchId::FIRST)),
        }
    }
}

/// `x,y wxh`, several with semicolons, mm; empty for none.
fn clamps(text: &str) -> Result<Vec<Bounds>, String> {
    let one = |text: &str| {
        let wrong = || format!("“{text}” is no clamp; type where its lower left corner is and how large it is, in mm, such as 0,0 50x30");
        let (place, size) = text.split_once(' ').ok_or_else(wrong)?;
        let (x, y) = place.split_once(',').ok_or_else(wrong)?;
        let (w, h) = size.trim().split_once(['x', 'X', '×']).ok_or_else(wrong)?;
        let mm = |t: &str| length(t.trim(), Unit::Mm).map_err(|_| wrong());
        let (min, size) = (Point::new(mm(x)?, mm(y)?), (mm(w)?, mm(h)?));
        Ok(Bounds { min, max: Point::new(min.x + size.0, min.y + size.1) })
    };
    text.split(';').map(str::trim).filter(|t| !t.is_empty()).map(one).collect()
}

/// `along`, `across`; empty where it does not matter.
fn grain(value: &str) -> Result<Option<Grain>, String> {
    if value.is_empty() {
        Ok(None)
    } else {
        Grain::from_word(value).map(Some).ok_or_else(|| format!("“{value}” is no grain; type along or across"))
    }
}

/// `rest`, `rows`, `cuts`.
pub fn aim(value: &str) -> Result<Aim, String> {
    Aim::ALL.into_iter().find(|a| a.slug() == value).ok_or_else(|| format!("“{value}” is nothing to nest for; type rest, rows or cuts"))
}

/// What is done with another nest: `set`, `swap`, `drop`.
fn aside(value: &str) -> Result<NestEdit, String> {
    match value {
        "set" => Ok(NestEdit::SetAside),
        "swap" => Ok(NestEdit::SwapAside),
        "drop" => Ok(NestEdit::DropAside),
        other => Err(format!("“{other}” is nothing to do with another nest")),
    }
}

/// `600x400`, `3@600x400`, several with commas; empty for the material's own sheet.
fn sheets(text: &str) -> Result<Vec<Sheet>, String> {
    text.split([',', ';'])
        .map(str::trim)
        .filter(|t| !t.is_empty())
        .map(|one| {
            let wrong = || format!("“{one}” is no sheet; type width x height in mm, such as 600x400, or 3@600x400 for three of them");
            let (n, size) = match one.split_once('@') {
                Some((n, size)) => (Some(count(n, 1, 10_000)?), size),
                None => (None, one),
            };
            let (w, h) = size.split_once(['x', 'X', '×']).ok_or_else(wrong)?;
            let sheet = Sheet {
                count: n,
                ..Sheet::rectangle(length(w, Unit::Mm).map_err(|_| wrong())?, length(h, Unit::Mm).map_err(|_| wrong())?)
            };
            sheet.checked().map(|()| sheet)
        })
        .collect()
}

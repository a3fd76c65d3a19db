//! The forms of Assign as edits.

use crate::stations::form::Form;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{AssignEdit, Edit, Stock};
use boustrophe_core::drawing::Unit;
use boustrophe_core::ids::BatchId;
use boustrophe_core::quantity::{count, length};
use strum::{EnumIter, EnumString, IntoStaticStr};

/// What forms of Assign change, by the word that they post.
#[derive(Clone, Copy, Debug, PartialEq, Eq, EnumIter, EnumString, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Word {
    Key,
    Contours,
    Batch,
    MovePart,
    AddBatch,
    DropBatch,
    DropSetting,
    Earlier,
}

impl Word {
    /// The edit that a form wishes for, or what is wrong with what was typed.
    pub fn edit(self, form: &Form) -> Result<Edit, String> {
        let value = form.value.trim();
        match self {
            Self::Key => key(&form.on, value),
            Self::Contours => {
                let contours = form.contours()?;
                match value.strip_prefix("setting:") {
                    Some(id) => Ok(Edit::Assign(AssignEdit::UseForContours { contours, setting: Some(count(id, 0, u32::MAX)?) })),
                    None => Ok(Edit::Assign(AssignEdit::SetContours { contours, process: process(value)? })),
                }
            }
            Self::Batch => batch(value).map(|edit| form.on.parse().map_or(edit.clone(), |of| edit.on(of))),
            Self::MovePart => Ok(Edit::Assign(AssignEdit::MoveParts { parts: vec![form.on.parse()?], to: value.parse()? })),
            Self::AddBatch => added(value),
            Self::DropBatch => Ok(Edit::Assign(AssignEdit::DropBatch { batch: value.parse()? })),
            Self::DropSetting => Ok(Edit::Assign(AssignEdit::DropSetting { id: count(value, 0, u32::MAX)? })),
            Self::Earlier => Ok(Edit::Assign(AssignEdit::MoveSetting { id: count(value, 0, u32::MAX)?, earlier: 1 })),
        }
    }
}

/// A process by its slug; `shape` gives back to rules and shape.
fn process(value: &str) -> Result<Option<Process>, String> {
    if value == "shape" { Ok(None) } else { Process::from_slug(value).map(Some).ok_or_else(|| format!("“{value}” is no process")) }
}

/// What a row of the key becomes: a process with the chart's settings, `shape`, or `setting:` and its number.
pub fn key(key: &str, value: &str) -> Result<Edit, String> {
    let key = key.to_owned();
    match value.strip_prefix("setting:") {
        Some(id) => Ok(Edit::Assign(AssignEdit::UseForKey { key, setting: Some(count(id, 0, u32::MAX)?) })),
        None => Ok(Edit::Assign(AssignEdit::SetKey { key, process: process(value)? })),
    }
}

/// Another batch, on and of `machine/material/thickness`.
fn added(text: &str) -> Result<Edit, String> {
    stock_of(text).map(|stock| Edit::Assign(AssignEdit::AddBatch { stock }))
}

/// What a batch is made on and of, as it is chosen.
pub fn stock_of(text: &str) -> Result<Stock, String> {
    match batch(text)? {
        Edit::Assign(AssignEdit::SetBatch { machine, material, thickness, .. }) => Ok(Stock { machine, material, thickness }),
        _ => Err(format!("“{text}” is no machine, material and thickness")),
    }
}

/// `machine/material/thickness`.
fn batch(text: &str) -> Result<Edit, String> {
    let mut parts = text.split('/');
    let (Some(machine), Some(material), Some(thickness)) = (parts.next(), parts.next(), parts.next()) else {
        return Err(format!("“{text}” is no machine, material and thickness"));
    };
    Ok(Edit::Assign(AssignEdit::SetBatch {
        batch: BatchId::FIRST,
        machine: machine.into(),
        material: material.into(),
        thickness: length(thickness, Unit::Mm)?,
    }))
}

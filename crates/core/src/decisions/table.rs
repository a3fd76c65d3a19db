//! A table that fills the writing of a drawing: what it says, and how far its words may be narrowed.

use super::{EditError, within};
use crate::drawing::{Drawing, Shape};
use crate::lettering::Face;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// Rows, columns and letters of a cell at most.
const MOST: (usize, usize, usize) = (5_000, 60, 400);

/// A column a field, a row a copy.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Table {
    /// The file that it came in.
    pub name: String,
    /// Names of the columns, as the drawing says them.
    pub columns: Vec<String>,
    /// The rows, in order.
    pub rows: Vec<Vec<String>>,
    /// Words are narrowed to no less than this share of their width.
    pub narrowest: f64,
    /// What is too long is set in two lines.
    pub two_lines: bool,
    /// Which letters.
    pub face: Face,
    /// The encoding that its letters were supposed to be in, where the file did not say.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub supposed: Option<String>,
    /// Rows that are not made, from 0.
    pub left_out: BTreeSet<u32>,
}

impl Default for Table {
    fn default() -> Self {
        Self {
            name: String::new(),
            columns: Vec::new(),
            rows: Vec::new(),
            narrowest: 0.75,
            two_lines: true,
            face: Face::Outline,
            supposed: None,
            left_out: BTreeSet::new(),
        }
    }
}

impl Table {
    /// The least that words may be narrowed to: beyond it they cannot be read.
    pub const NARROWEST: f64 = 0.3;

    /// The column that a line of the drawing's writing is called after: `name`, `{name}` and `<Name>` are one.
    pub fn column(&self, writing: &str) -> Option<usize> {
        let plain = |s: &str| s.trim().trim_matches(['{', '}', '<', '>', '[', ']', '«', '»', '#', '%', '$']).trim().to_lowercase();
        let said = plain(writing);
        self.columns.iter().position(|c| !said.is_empty() && plain(c) == said)
    }

    /// How many lines of a drawing's writing are called as its columns are.
    pub fn fields_in(&self, drawing: &Drawing) -> usize {
        let said = drawing.entities.iter().filter_map(|e| if let Shape::Text(t) = &e.shape { Some(t) } else { None });
        said.chain(&drawing.lettered).filter_map(|t| self.column(&t.value)).count()
    }

    fn checked(&self) -> Result<(), EditError> {
        let too = |what: &'static str, n: usize, most: usize| if n > most { Err(EditError::TooMany { what, most }) } else { Ok(()) };
        too("rows of a table", self.rows.len(), MOST.0)?;
        too("columns of a table", self.columns.len().max(self.rows.iter().map(Vec::len).max().unwrap_or(0)), MOST.1)?;
        too("letters of a cell", self.rows.iter().chain([&self.columns]).flatten().map(|c| c.chars().count()).max().unwrap_or(0), MOST.2)?;
        within("a share", self.narrowest, Self::NARROWEST, 1.0).map(drop)
    }
}

/// A change of a drawing's table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum TableEdit {
    /// A table, or none.
    Set {
        table: Option<Box<Table>>,
    },
    /// Words are narrowed to no less than this share.
    Narrowest {
        share: f64,
    },
    TwoLines {
        on: bool,
    },
    Face {
        face: Face,
    },
    /// These rows, from 0, are not made, besides those that were left out before.
    LeaveOut {
        rows: BTreeSet<u32>,
    },
    /// All rows are made.
    TakeAll,
}

impl TableEdit {
    pub(super) fn apply(&self, table: &mut Option<Table>) -> Result<(), EditError> {
        if let Self::Set { table: new } = self {
            *table = new.as_deref().cloned();
        }
        let Some(t) = table else {
            return if matches!(self, Self::Set { .. }) { Ok(()) } else { Err(EditError::Gone("that table".into())) };
        };
        match self {
            Self::Set { .. } => {}
            Self::Narrowest { share } => t.narrowest = *share,
            Self::TwoLines { on } => t.two_lines = *on,
            Self::Face { face } => t.face = *face,
            Self::LeaveOut { rows } => t.left_out.extend(rows),
            Self::TakeAll => t.left_out.clear(),
        }
        t.checked()
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::Set { table: Some(t) } => format!("Filled from {}, {}", t.name, crate::words::counted(t.rows.len(), "row", "rows")),
            Self::Set { table: None } => "Not filled from a table".into(),
            Self::Narrowest { share } => format!("Words narrowed to {:.0} % at least", share * 100.0),
            Self::TwoLines { on } => if *on { "Long words in two lines" } else { "Words in one line" }.into(),
            Self::Face { face: Face::Stroke } => "Letters to be scored".into(),
            Self::Face { face } => format!("Letters to be engraved, {}", face.name()),
            Self::LeaveOut { rows } => format!("{} left out", crate::words::counted(rows.len(), "row", "rows")),
            Self::TakeAll => "All rows".into(),
        }
    }
}

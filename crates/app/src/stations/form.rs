//! What a form posts: the revision that it was shown on, and what was typed.

use boustrophe_core::clean::ContourId;
use boustrophe_core::drawing::Unit;
use boustrophe_core::ids::{BatchId, CopyId};
use boustrophe_core::quantity::length;
use serde::Deserialize;

/// A change as a form posts it: either a whole edit as JSON, or its word, what it is on, and what was typed.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct Form {
    /// The revision that the page shows.
    pub revision: i32,
    /// The station whose docket is to come back.
    pub station: String,
    /// The batch that the page is about.
    pub batch: BatchId,
    /// A whole edit.
    pub edit: String,
    /// The word of a station.
    pub r#do: String,
    /// What it is on: a drawing, a part, a style, contours.
    pub on: String,
    /// What was typed or chosen.
    pub value: String,
}

impl Form {
    /// The drawing that it is on.
    pub fn drawing(&self) -> Result<u32, String> {
        self.on.parse().map_err(|_| format!("“{}” is no drawing", self.on))
    }

    /// A length in mm; `None` for an empty field.
    pub fn optional(&self) -> Result<Option<f64>, String> {
        let value = self.value.trim();
        if value.is_empty() { Ok(None) } else { length(value, Unit::Mm).map(Some) }
    }

    /// What a switch says.
    pub fn is_on(&self) -> bool {
        matches!(self.value.trim(), "on" | "true")
    }

    /// Contours by their names, with commas between.
    pub fn contours(&self) -> Result<Vec<ContourId>, String> {
        contours(&self.on)
    }

    /// The contour that a card is about: `contour@copy` for one copy's, without it for every copy's.
    pub fn contour_of_copy(&self) -> Result<(ContourId, Option<CopyId>), String> {
        let (contour, copy) = self.on.split_once('@').map_or((self.on.as_str(), None), |(contour, copy)| (contour, Some(copy)));
        Ok((contour.parse()?, copy.map(str::parse).transpose()?))
    }

    /// The drawing and contours that a card on the stage is about: `drawing:contour,contour`.
    pub fn chosen(&self) -> Result<(u32, Vec<ContourId>), String> {
        let (drawing, named) = self.on.split_once(':').ok_or("choose contours on the stage first")?;
        Ok((drawing.parse().map_err(|_| "choose contours of one drawing".to_owned())?, contours(named)?))
    }
}

fn contours(text: &str) -> Result<Vec<ContourId>, String> {
    text.split(',').filter(|c| !c.is_empty()).map(str::parse::<ContourId>).collect()
}

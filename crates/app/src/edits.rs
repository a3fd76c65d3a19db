//! From the fields of a form to an [`Edit`].

use boustrophe_core::assign::Process;
use boustrophe_core::clean::ContourId;
use boustrophe_core::clean::operate::words;
use boustrophe_core::decisions::Sweep;
use boustrophe_core::drawing::Unit;
use boustrophe_core::edit::{Edit, MOST_COPIES};
use boustrophe_core::nest::{Sheet, Turn};
use boustrophe_core::quantity::{count, length, number};
use serde::Deserialize;

/// A change as a form posts it: either a whole edit as JSON, or its name, what it is on, and what was typed.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
pub struct Form {
    /// The revision that the page shows.
    pub revision: i32,
    /// The station whose docket is to come back.
    pub station: String,
    /// A whole edit.
    pub edit: String,
    /// Name of the edit.
    pub r#do: String,
    /// What it is on: a drawing, a part, a style, contours.
    pub on: String,
    /// What was typed or chosen.
    pub value: String,
}

impl Form {
    /// The edit, or what is wrong with what was typed.
    pub fn edit(&self) -> Result<Edit, String> {
        if !self.edit.is_empty() {
            return serde_json::from_str(&self.edit).map_err(|e| format!("this change is not understood: {e}"));
        }
        let value = self.value.trim();
        let mm = |text: &str| length(text, Unit::Mm);
        let optional = || if value.is_empty() { Ok(None) } else { mm(value).map(Some) };
        let drawing = || self.on.parse::<u32>().map_err(|_| format!("“{}” is no drawing", self.on));
        let on_or_off = || value == "on" || value == "true";
        match self.r#do.as_str() {
            "scale" => Ok(Edit::SetScale { drawing: drawing()?, scale: scale(value)? }),
            "turn-drawing" => Ok(Edit::TurnDrawing { drawing: drawing()?, degrees: number(value)? }),
            "unit" => Ok(Edit::SetUnit { drawing: drawing()?, unit: value.parse()? }),
            "operate" => {
                let (drawing, contours) = self.chosen()?;
                Ok(Edit::Operate { drawing, operation: words::parse(value, &contours)? })
            }
            "take-back" => {
                let at = count(value, 0, 10_000)? as usize;
                Ok(Edit::TakeBack { drawing: drawing()?, at })
            }
            "gap" => Ok(Edit::SetGap { drawing: drawing()?, gap: mm(value)? }),
            "key" => key(&self.on, value),
            "contours" => {
                let contours = self.on.split(',').filter(|c| !c.is_empty()).map(str::parse::<ContourId>).collect::<Result<Vec<_>, _>>()?;
                match value.strip_prefix("setting:") {
                    Some(id) => Ok(Edit::UseForContours { contours, setting: Some(count(id, 0, u32::MAX)?) }),
                    None => Ok(Edit::SetContours { contours, process: process(value)? }),
                }
            }
            "start" => Ok(Edit::SetStart { contour: self.on.parse()?, share: number(value)? }),
            "batch" => batch(value),
            "quantity" => Ok(Edit::SetQuantity { part: self.on.parse()?, quantity: count(value, 0, MOST_COPIES)? }),
            "spacing" => Ok(Edit::SetSpacing { spacing: optional()? }),
            "margin" => Ok(Edit::SetMargin { margin: optional()? }),
            "turn" => Turn::from_word(value).map(|turn| Edit::SetTurn { turn }).ok_or_else(|| format!("“{value}” is no turn")),
            "sheet" => sheets(value).map(|sheets| Edit::SetSheets { sheets }),
            "nicks" => Ok(Edit::SetNicks { on: on_or_off() }),
            "nick-width" => Ok(Edit::SetNickWidth { width: optional()? }),
            "nick-pitch" => Ok(Edit::SetNickPitch { pitch: optional()? }),
            "leads" => Ok(Edit::SetLeads { on: on_or_off() }),
            "engraved" => Ok(Edit::SetEngraved { drawing: drawing()?, on: on_or_off() }),
            "drop-setting" => Ok(Edit::DropSetting { id: count(value, 0, u32::MAX)? }),
            "earlier" => Ok(Edit::MoveSetting { id: count(value, 0, u32::MAX)?, earlier: 1 }),
            "sweep" => sweep(value),
            "initials" => Ok(Edit::SetInitials { initials: value.to_owned() }),
            other => Err(format!("“{other}” is no change that can be made here")),
        }
    }
}

impl Form {
    /// The drawing and contours that a card on the stage is about: `drawing:contour,contour`.
    fn chosen(&self) -> Result<(u32, Vec<ContourId>), String> {
        let (drawing, contours) = self.on.split_once(':').ok_or("choose contours on the stage first")?;
        let drawing = drawing.parse().map_err(|_| "choose contours of one drawing".to_owned())?;
        let contours = contours.split(',').filter(|c| !c.is_empty()).map(str::parse).collect::<Result<_, String>>()?;
        Ok((drawing, contours))
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
        Some(id) => Ok(Edit::UseForKey { key, setting: Some(count(id, 0, u32::MAX)?) }),
        None => Ok(Edit::SetKey { key, process: process(value)? }),
    }
}

/// `0.5`, `1:20` (the drawing is a twentieth of true size), `1/8" = 1'` or `2*3`.
fn scale(text: &str) -> Result<f64, String> {
    let Some((drawn, real)) = text.split_once(['=', ':']) else { return number(text) };
    // Marks of inches and feet, as drawings write them.
    let side = |t: &str| length(&t.trim().replace(['"', '″'], "in").replace(['\'', '′'], "ft"), Unit::Mm);
    let (drawn, real) = (side(drawn)?, side(real)?);
    if drawn <= 0.0 || real <= 0.0 {
        return Err(format!("“{text}” is no ratio; type it as 1:20 or 1/8\" = 1'"));
    }
    Ok(real / drawn)
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
    Ok(Edit::SetSweep { sweep: Sweep { angle, one_way } })
}

/// `machine/material/thickness`.
fn batch(text: &str) -> Result<Edit, String> {
    let mut parts = text.split('/');
    let (Some(machine), Some(material), Some(thickness)) = (parts.next(), parts.next(), parts.next()) else {
        return Err(format!("“{text}” is no machine, material and thickness"));
    };
    Ok(Edit::SetBatch { machine: machine.into(), material: material.into(), thickness: length(thickness, Unit::Mm)? })
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

#[cfg(test)]
mod tests {
    use super::*;

    fn form(name: &str, on: &str, value: &str) -> Result<Edit, String> {
        Form { r#do: name.into(), on: on.into(), value: value.into(), ..Form::default() }.edit()
    }

    #[test]
    fn what_is_typed_becomes_an_edit() {
        assert_eq!(form("spacing", "", "1/8in"), Ok(Edit::SetSpacing { spacing: Some(3.175) }));
        assert_eq!(form("spacing", "", ""), Ok(Edit::SetSpacing { spacing: None }));
        for (typed, is) in [("1:20", 20.0), ("1/8\" = 1'", 96.0), ("1/8\"=1'", 96.0), ("1in = 1ft", 12.0), ("2:1", 0.5)] {
            let Ok(Edit::SetScale { drawing: 1, scale }) = form("scale", "1", typed) else { panic!("{typed}") };
            assert!((scale - is).abs() < 1e-9, "{typed}: {scale}");
        }
        assert!(form("scale", "1", "1:0").is_err() && form("scale", "1", "=").is_err());
        let Ok(Edit::SetSheets { sheets }) = form("sheet", "", "2@600x400, 900x600") else { panic!("two kinds") };
        assert_eq!((sheets[0].count, sheets[1].width), (Some(2), 900.0));
    }

    #[test]
    fn what_makes_no_sense_is_said() {
        for (name, on, value) in [
            ("sheet", "", "0x0"),
            ("sheet", "", "wide"),
            ("quantity", "zz", "1"),
            ("quantity", "0000000000000001", "-1"),
            ("spacing", "", "abc"),
            ("turn", "", "45"),
            ("none", "", ""),
            ("key", "layer=", "burn"),
            ("batch", "", "lark"),
        ] {
            assert!(form(name, on, value).is_err(), "{name} {value}");
        }
        assert!(Form { edit: "{".into(), ..Form::default() }.edit().is_err());
    }
}

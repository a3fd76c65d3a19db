//! From the fields of a form to an [`Edit`].

use boustrophe_core::assign::Process;
use boustrophe_core::clean::operate::words;
use boustrophe_core::clean::trace::Trace;
use boustrophe_core::clean::{ContourId, Operation};
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
        let process = || {
            if value == "shape" {
                Ok(None)
            } else {
                Process::from_slug(value).map(Some).ok_or_else(|| format!("“{value}” is no process"))
            }
        };
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
            "slot-fit" => {
                let parts: Vec<f64> = value.split('/').map(mm).collect::<Result<_, _>>()?;
                let [nominal, measured, clearance] = parts[..] else { return Err("type nominal, measured thickness and clearance".into()) };
                Ok(Edit::Operate { drawing: drawing()?, operation: Operation::SlotFit { nominal, measured, clearance, leave: Vec::new() } })
            }
            // threshold, specks, smoothness and which side, with strokes between.
            "trace" => trace(drawing()?, value),
            "gap" => Ok(Edit::SetGap { drawing: drawing()?, gap: mm(value)? }),
            "key" => Ok(Edit::SetKey { key: self.on.clone(), process: process()? }),
            "contours" => {
                let contours = self.on.split(',').filter(|c| !c.is_empty()).map(str::parse::<ContourId>).collect::<Result<Vec<_>, _>>()?;
                Ok(Edit::SetContours { contours, process: process()? })
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

/// `0.5`, `1:20` (the drawing is a twentieth of true size) or `2*3`.
fn scale(text: &str) -> Result<f64, String> {
    match text.split_once(':') {
        Some((drawn, real)) => Ok(number(real)? / number(drawn)?),
        None => number(text),
    }
}

/// `threshold/specks/smoothness/side`: an empty threshold is found from the picture, side is `dark` or `light`.
fn trace(drawing: u32, text: &str) -> Result<Edit, String> {
    let parts: Vec<&str> = text.split('/').map(str::trim).collect();
    let [threshold, speck, smooth, side] = parts[..] else {
        return Err(format!("“{text}” is no threshold/specks/smoothness/side, such as 128/12/0.6/dark"));
    };
    let threshold = if threshold.is_empty() || threshold == "auto" { None } else { Some(count(threshold, 0, 255)? as u8) };
    let invert = match side {
        "dark" => false,
        "light" => true,
        other => return Err(format!("“{other}” is no side; the shape is what is dark, or what is light")),
    };
    Ok(Edit::SetTrace { drawing, trace: Trace { threshold, speck: count(speck, 1, 1_000_000)?, smooth: number(smooth)?, invert } })
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
        assert_eq!(form("scale", "1", "1:20"), Ok(Edit::SetScale { drawing: 1, scale: 20.0 }));
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

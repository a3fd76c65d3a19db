//! From the fields of a form to an [`Edit`].

use crate::laying;
use boustrophe_core::assign::Process;
use boustrophe_core::clean::ContourId;
use boustrophe_core::clean::operate::words;
use boustrophe_core::decisions::Stock;
use boustrophe_core::decisions::{
    AssignEdit, CleanEdit, Edit, HoldEdit, IntakeEdit, LineSide, MOST_COPIES, NestEdit, NickWhich, OrderEdit, ReleaseEdit, Strategy, Sweep,
    Way,
};
use boustrophe_core::drawing::Unit;
use boustrophe_core::geometry::{Bounds, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ids::CopyId;
use boustrophe_core::ids::EdgePlace;
use boustrophe_core::nest::{Aim, Grain, Sheet, Turn};
use boustrophe_core::quantity::{count, length, number, ratio};
use serde::Deserialize;

/// A change as a form posts it: either a whole edit as JSON, or its name, what it is on, and what was typed.
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
        self.named().map(|edit| edit.on(self.batch))
    }

    /// The edit of this name, on whichever batch.
    fn named(&self) -> Result<Edit, String> {
        let value = self.value.trim();
        let mm = |text: &str| length(text, Unit::Mm);
        let optional = || if value.is_empty() { Ok(None) } else { mm(value).map(Some) };
        let drawing = || self.on.parse::<u32>().map_err(|_| format!("“{}” is no drawing", self.on));
        let on_or_off = || value == "on" || value == "true";
        match self.r#do.as_str() {
            "scale" => Ok(Edit::Intake(IntakeEdit::SetScale { drawing: drawing()?, scale: ratio(value)? })),
            "turn-drawing" => Ok(Edit::Intake(IntakeEdit::TurnDrawing { drawing: drawing()?, degrees: number(value)? })),
            "unit" => Ok(Edit::Intake(IntakeEdit::SetUnit { drawing: drawing()?, unit: value.parse()? })),
            "operate" => {
                let (drawing, contours) = self.chosen()?;
                Ok(Edit::Clean(CleanEdit::Operate { drawing, operation: words::parse(value, &contours)? }))
            }
            "take-back" => {
                let at = count(value, 0, 10_000)? as usize;
                Ok(Edit::Clean(CleanEdit::TakeBack { drawing: drawing()?, at }))
            }
            "gap" => Ok(Edit::Clean(CleanEdit::SetGap { drawing: drawing()?, gap: mm(value)? })),
            "key" => key(&self.on, value),
            "contours" => {
                let contours = contours(&self.on)?;
                match value.strip_prefix("setting:") {
                    Some(id) => Ok(Edit::Assign(AssignEdit::UseForContours { contours, setting: Some(count(id, 0, u32::MAX)?) })),
                    None => Ok(Edit::Assign(AssignEdit::SetContours { contours, process: process(value)? })),
                }
            }
            "start" => {
                let (contour, copy) = self.contour_of_copy()?;
                Ok(OrderEdit::SetStart { contour, at: Some(place(value)?), copy }.on(BatchId::FIRST))
            }
            "way" => {
                let (contour, copy) = self.contour_of_copy()?;
                let way = match value {
                    "drawn" => Way::Drawn,
                    "against" => Way::Against,
                    other => return Err(format!("“{other}” is no way along a contour")),
                };
                Ok(OrderEdit::SetWay { contour, way: Some(way), copy }.on(BatchId::FIRST))
            }
            "strategy" => Strategy::from_word(value)
                .map(|strategy| OrderEdit::SetStrategy { strategy }.on(BatchId::FIRST))
                .ok_or_else(|| format!("“{value}” is no order")),
            "free-order" => Ok(OrderEdit::FreeAll.on(BatchId::FIRST)),
            "batch" => batch(value).map(|edit| self.on.parse().map_or(edit.clone(), |of| edit.on(of))),
            "quantity" => Ok(NestEdit::SetQuantity { part: self.on.parse()?, quantity: count(value, 0, MOST_COPIES)? }.on(BatchId::FIRST)),
            "move-part" => Ok(Edit::Assign(AssignEdit::MoveParts { parts: vec![self.on.parse()?], to: value.parse()? })),
            "drawing-batch" => Ok(Edit::Intake(IntakeEdit::SetDrawingBatch { drawing: drawing()?, to: value.parse()? })),
            "add-batch" => added(value),
            "drop-batch" => Ok(Edit::Assign(AssignEdit::DropBatch { batch: value.parse()? })),
            "spacing" => Ok(NestEdit::SetSpacing { spacing: optional()? }.on(BatchId::FIRST)),
            "margin" => Ok(NestEdit::SetMargin { margin: optional()? }.on(BatchId::FIRST)),
            "turn" => Turn::from_word(value)
                .map(|turn| NestEdit::SetTurn { turn }.on(BatchId::FIRST))
                .ok_or_else(|| format!("“{value}” is no turn")),
            "mirror" => Ok(NestEdit::SetMirror { mirror: on_or_off() }.on(BatchId::FIRST)),
            "clamps" => clamps(value).map(|clamps| NestEdit::SetClamps { clamps }.on(BatchId::FIRST)),
            "common" => Ok(NestEdit::SetCommonEdges { on: on_or_off() }.on(BatchId::FIRST)),
            "grain" => grain(value).map(|grain| NestEdit::SetGrain { grain }.on(BatchId::FIRST)),
            "aim" => aim(value).map(|aim| NestEdit::SetAim { aim }.on(BatchId::FIRST)),
            "aside" => aside(value).map(|edit| edit.on(BatchId::FIRST)),
            "sheet" => sheets(value).map(|sheets| NestEdit::SetSheets { sheets }.on(BatchId::FIRST)),
            "zero" => laying::zero(value).map(|zero| ReleaseEdit::SetZero { zero }.on(BatchId::FIRST)),
            "lay" => laying::laid(&self.on, value).map(|edit| edit.on(BatchId::FIRST)),
            "align" => laying::aligned(&self.on, value).map(|edit| edit.on(BatchId::FIRST)),
            "lay-at-corner" => Ok(ReleaseEdit::LayAtCorner.on(BatchId::FIRST)),
            "nicks" => Ok(HoldEdit::SetNicks { on: on_or_off() }.on(BatchId::FIRST)),
            "nick-width" => Ok(HoldEdit::SetNickWidth { width: optional()? }.on(BatchId::FIRST)),
            "nick-pitch" => Ok(HoldEdit::SetNickPitch { pitch: optional()? }.on(BatchId::FIRST)),
            "nick-count" => Ok(HoldEdit::SetNickCount { count: least_and_most(value)? }.on(BatchId::FIRST)),
            "nick-which" => NickWhich::ALL
                .into_iter()
                .find(|w| w.slug() == value)
                .map(|which| HoldEdit::SetNickWhich { which }.on(BatchId::FIRST))
                .ok_or_else(|| format!("“{value}” names no contours; type outlines, small or all")),
            "lead-length" => Ok(HoldEdit::SetLeadLength { length: optional()? }.on(BatchId::FIRST)),
            "pierce-back" => {
                let (contour, copy) = self.contour_of_copy()?;
                Ok(HoldEdit::SetPierce { contour, pierce: None, copy }.on(BatchId::FIRST))
            }
            "nicks-back" => {
                let (contour, copy) = self.contour_of_copy()?;
                Ok(HoldEdit::SetNickPlaces { contour, places: None, copy }.on(BatchId::FIRST))
            }
            "common-nicks-back" => {
                let cut = self.on.split(',').next().unwrap_or_default().parse()?;
                Ok(HoldEdit::SetCommonNicks { cut, places: None }.on(BatchId::FIRST))
            }
            "side" => {
                let side =
                    LineSide::ALL.into_iter().find(|s| s.slug() == value).ok_or_else(|| format!("“{value}” is no side of a line"))?;
                Ok(HoldEdit::SetSide { contours: contours(&self.on)?, side: Some(side) }.on(BatchId::FIRST))
            }
            "overlap" => Ok(HoldEdit::SetOverlap { overlap: optional()?.unwrap_or(0.0) }.on(BatchId::FIRST)),
            "chain" => Ok(HoldEdit::SetChain { most: optional()?.unwrap_or(0.0) }.on(BatchId::FIRST)),
            "corner-reach" => Ok(HoldEdit::SetCornerReach { reach: mm(value)? }.on(BatchId::FIRST)),
            "corner-seconds" => Ok(HoldEdit::SetCornerSeconds { seconds: number(value)? }.on(BatchId::FIRST)),
            "leads" => Ok(HoldEdit::SetLeads { on: on_or_off() }.on(BatchId::FIRST)),
            "engraved" => Ok(Edit::Intake(IntakeEdit::SetEngraved { drawing: drawing()?, on: on_or_off() })),
            "drop-setting" => Ok(Edit::Assign(AssignEdit::DropSetting { id: count(value, 0, u32::MAX)? })),
            "earlier" => Ok(Edit::Assign(AssignEdit::MoveSetting { id: count(value, 0, u32::MAX)?, earlier: 1 })),
            "sweep" => sweep(value),
            "initials" => Ok(ReleaseEdit::SetInitials { initials: value.to_owned() }.on(BatchId::FIRST)),
            other => Err(format!("“{other}” is no change that can be made here")),
        }
    }
}

impl Form {
    /// The contour that a card is about: `contour@copy` for one copy's, without it for every copy's.
    fn contour_of_copy(&self) -> Result<(ContourId, Option<CopyId>), String> {
        let (contour, copy) = self.on.split_once('@').map_or((self.on.as_str(), None), |(contour, copy)| (contour, Some(copy)));
        Ok((contour.parse()?, copy.map(str::parse).transpose()?))
    }

    /// The drawing and contours that a card on the stage is about: `drawing:contour,contour`.
    fn chosen(&self) -> Result<(u32, Vec<ContourId>), String> {
        let (drawing, contours) = self.on.split_once(':').ok_or("choose contours on the stage first")?;
        let drawing = drawing.parse().map_err(|_| "choose contours of one drawing".to_owned())?;
        let contours = contours.split(',').filter(|c| !c.is_empty()).map(str::parse).collect::<Result<_, String>>()?;
        Ok((drawing, contours))
    }
}

/// A place on a contour: `segment:share`.
fn place(value: &str) -> Result<EdgePlace, String> {
    let (segment, share) = value.split_once(':').ok_or_else(|| format!("“{value}” is no place on a contour"))?;
    Ok(EdgePlace::On { segment: count(segment, 0, 10_000_000)?, share: number(share)? })
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

/// Contours by their names, with commas between.
fn contours(text: &str) -> Result<Vec<ContourId>, String> {
    text.split(',').filter(|c| !c.is_empty()).map(str::parse::<ContourId>).collect()
}

/// `2 to 8`; empty for the shop's.
pub fn least_and_most(text: &str) -> Result<Option<(u32, u32)>, String> {
    let text = text.trim();
    if text.is_empty() {
        return Ok(None);
    }
    let (least, most) = text.split_once("to").unwrap_or((text, text));
    let one = |t: &str| count(t.trim(), 0, 400);
    Ok(Some((one(least)?, one(most)?)))
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

/// `auto`, `x`, `y` or an angle in degrees, and `one way` where rows go only one way.
fn sweep(text: &str) -> Result<Edit, String> {
    let (rows, one_way) = text.strip_suffix("one way").map_or((text, false), |r| (r.trim(), true));
    let angle = match rows {
        "auto" | "" => None,
        "x" => Some(0.0),
        "y" => Some(90.0),
        degrees => Some(number(degrees)?),
    };
    Ok(HoldEdit::SetSweep { sweep: Sweep { angle, one_way } }.on(BatchId::FIRST))
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
    use boustrophe_core::decisions::OnBatch;

    fn form(name: &str, on: &str, value: &str) -> Result<Edit, String> {
        Form { r#do: name.into(), on: on.into(), value: value.into(), ..Form::default() }.edit()
    }

    #[test]
    fn what_is_typed_becomes_an_edit() {
        assert_eq!(form("spacing", "", "1/8in"), Ok(NestEdit::SetSpacing { spacing: Some(3.175) }.on(BatchId::FIRST)));
        assert_eq!(form("spacing", "", ""), Ok(NestEdit::SetSpacing { spacing: None }.on(BatchId::FIRST)));
        assert_eq!(form("scale", "1", "1:20"), Ok(Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale: 20.0 })));
        let Ok(Edit::Nest(OnBatch { edit: NestEdit::SetSheets { sheets }, .. })) = form("sheet", "", "2@600x400, 900x600") else {
            panic!("two kinds")
        };
        assert_eq!((sheets[0].count, sheets[1].width), (Some(2), 900.0));
        let Ok(Edit::Nest(OnBatch { edit: NestEdit::SetClamps { clamps }, .. })) = form("clamps", "", "0,0 50x30; 550,1in 20x20") else {
            panic!("two clamps")
        };
        assert_eq!((clamps[0].max.x, clamps[1].min.y, clamps[1].height()), (50.0, 25.4, 20.0));
        assert_eq!(form("grain", "", ""), Ok(NestEdit::SetGrain { grain: None }.on(BatchId::FIRST)));
        assert_eq!(form("aside", "", "swap"), Ok(NestEdit::SwapAside.on(BatchId::FIRST)));
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
            ("clamps", "", "0,0"),
            ("clamps", "", "0,0 axb"),
            ("clamps", "", "10 5x5"),
            ("grain", "", "sideways"),
            ("aside", "", "burn"),
            ("key", "layer=", "burn"),
            ("batch", "", "lark"),
        ] {
            assert!(form(name, on, value).is_err(), "{name} {value}");
        }
        assert!(Form { edit: "{".into(), ..Form::default() }.edit().is_err());
    }
}

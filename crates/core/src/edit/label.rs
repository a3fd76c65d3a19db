//! What the history calls each change.

use super::Edit;
use crate::nest::Sheet;

impl Edit {
    /// What the history calls it.
    pub fn label(&self) -> String {
        match self {
            Self::All { edits } => match edits.as_slice() {
                [] => "Nothing".into(),
                [one] => one.label(),
                [first, ..] => format!("{}, and {} more", first.label(), edits.len() - 1),
            },
            Self::AddDrawing { name, .. } => format!("Added {name}"),
            Self::ReplaceDrawing { name, .. } => format!("New revision {name}"),
            Self::RemoveDrawing { .. } => "Removed a drawing".into(),
            Self::SetUnit { unit, .. } => format!("Drawing is in {unit}"),
            Self::SetPpi { ppi, .. } => format!("{ppi} pixels per inch"),
            Self::SetScale { scale, .. } => format!("Drawing × {scale:.4}"),
            Self::TurnDrawing { degrees, .. } => format!("Turned {degrees}°"),
            Self::MirrorDrawing { .. } => "Mirrored".into(),
            Self::SetGap { gap, .. } => format!("Gaps up to {gap:.3} mm joined"),
            Self::SetTrace { .. } => "Traced otherwise".into(),
            Self::SetRegions { regions, .. } => {
                if regions.is_empty() {
                    "All of the drawing".into()
                } else {
                    format!("{} of the drawing", crate::finding::counted(regions.len(), "region", "regions"))
                }
            }
            Self::SetEngraved { on, .. } => if *on { "Picture engraved as it is" } else { "Picture traced" }.into(),
            Self::SetTone { tone: Some(t), .. } => format!("Picture: {}", t.words()),
            Self::SetTone { tone: None, .. } => "Picture as it is".into(),
            Self::SetSetting { setting } => format!("Setting “{}”", setting.name),
            Self::DropSetting { .. } => "A setting taken away".into(),
            Self::MoveSetting { .. } => "Order of settings".into(),
            Self::UseForKey { setting: Some(_), .. } | Self::UseForContours { setting: Some(_), .. } => {
                "Done with a setting of its own".into()
            }
            Self::UseForKey { setting: None, .. } | Self::UseForContours { setting: None, .. } => "Done as the chart says".into(),
            Self::ProposeRow { row } => format!("Unproved {} settings for {} mm", row.process.name().to_lowercase(), row.thickness),
            Self::SetNumbers { numbers: Some(_) } => "Numbers on parts".into(),
            Self::SetNumbers { numbers: None } => "No numbers on parts".into(),
            Self::SetSweep { sweep } => match sweep.angle {
                Some(a) => format!("Rows at {a}°"),
                None => "Rows along x or y".into(),
            },
            Self::SetCard { .. } => "Test card".into(),
            Self::Compared { .. } => "New revision looked through".into(),
            Self::Mend { mend, .. } => mend.done().into(),
            Self::Refit { tolerance: Some(t), .. } => format!("Polylines followed within {t} mm"),
            Self::Refit { tolerance: None, .. } => "Polylines as drawn".into(),
            Self::Operate { operation, .. } => operation.sentence(),
            Self::TakeBack { .. } => "An operation taken back".into(),
            Self::SetKey { process: Some(p), .. } => format!("Drawing key: {}", p.name()),
            Self::SetKey { process: None, .. } => "Drawing key: by rule and shape".into(),
            Self::SetContours { process: Some(p), contours } => format!("{} by hand on {}", p.name(), contours.len()),
            Self::SetContours { process: None, contours } => format!("{} back to the key", contours.len()),
            Self::SetBatch { material, thickness, machine } => format!("{material} {thickness} mm on {machine}"),
            Self::SetQuantity { quantity, .. } | Self::SetDrawingQuantity { quantity, .. } => format!("Quantity {quantity}"),
            Self::SetSpacing { spacing } => format!("Spacing {}", millimetres(*spacing)),
            Self::SetMargin { margin } => format!("Margin {}", millimetres(*margin)),
            Self::SetTurn { turn } => format!("Turns: {}", turn.name()),
            Self::SetSheets { sheets } => {
                let of = |s: &Sheet| s.count.map_or_else(String::new, |n| format!("{n} of ")) + &format!("{} × {}", s.width, s.height);
                let told: Vec<String> = sheets.iter().take(3).map(of).collect();
                if told.is_empty() { "The material's own sheets".into() } else { format!("Sheets {}", told.join(", ")) }
            }
            Self::Nest => "Nest again".into(),
            Self::KeepLayout { layout } => format!("Nested on {}", crate::finding::counted(layout.sheets.len(), "sheet", "sheets")),
            Self::SetStart { share, .. } => format!("Start moved to {:.1} %", share * 100.0),
            Self::SetNicks { on } => if *on { "Nicks on" } else { "Nicks off" }.into(),
            Self::SetNickWidth { width } => format!("Nick width {}", millimetres(*width)),
            Self::SetNickPitch { pitch } => format!("A nick every {}", millimetres(*pitch)),
            Self::SetLeads { on } => if *on { "Leads on" } else { "Leads off" }.into(),
            Self::Accept { code, .. } => format!("Accepted: {}", code.replace('-', " ")),
            Self::SetInitials { initials } => format!("Initials {initials}"),
        }
    }
}

/// A length that was typed, or the machine's own.
fn millimetres(v: Option<f64>) -> String {
    v.map_or_else(|| "as the shop has it".into(), |v| format!("{v} mm"))
}

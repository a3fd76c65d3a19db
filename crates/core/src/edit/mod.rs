//! A change of [`Decisions`]: what a button, the interface and the command line all do.

use crate::assign::{PartId, Process};
use crate::card::Card;
use crate::clean::trace::Trace;
use crate::clean::{ContourId, Operation};
use crate::decisions::{Decisions, DrawingDecisions, JobSetting, Mend, Numbers, Sweep};
use crate::drawing::Unit;
use crate::geometry::Bounds;
use crate::nest::{Layout, Sheet, Turn};
use crate::picture::Tone;
use crate::shop::ChartRow;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

mod label;
mod limits;
#[cfg(test)]
mod tests;

pub use limits::MOST_COPIES;
use limits::{accept, copies, find, known_setting, replace, sane_card, sane_layout, sane_row, set_or_clear, set_setting, within};

/// One change. As JSON: `{"do": "set-unit", "drawing": 1, "unit": "mm"}`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Edit {
    /// A picture is engraved as it is, or traced.
    SetEngraved {
        drawing: u32,
        on: bool,
    },
    /// How a picture is toned; `None` for as it is.
    SetTone {
        contour: ContourId,
        tone: Option<Tone>,
    },
    /// A setting of the job's own: a new one, or one of this number changed.
    SetSetting {
        setting: JobSetting,
    },
    /// Takes a setting away; what was done with it goes back to the chart's.
    DropSetting {
        id: u32,
    },
    /// A setting is done so many places earlier, later where negative.
    MoveSetting {
        id: u32,
        earlier: i32,
    },
    /// A style is done with a setting of the job's own; `None` for the chart's.
    UseForKey {
        key: String,
        setting: Option<u32>,
    },
    /// Contours are done with a setting of the job's own; `None` for their style's.
    UseForContours {
        contours: Vec<ContourId>,
        setting: Option<u32>,
    },
    /// A row that the cut chart lacks, for this job.
    ProposeRow {
        row: Box<ChartRow>,
    },
    SetNumbers {
        numbers: Option<Numbers>,
    },
    SetSweep {
        sweep: Sweep,
    },
    SetCard {
        card: Card,
    },
    /// Several at once, undone at once.
    All {
        edits: Vec<Edit>,
    },
    /// A new drawing; `file` is the hash of its bytes.
    AddDrawing {
        file: String,
        name: String,
    },
    /// Another file in the place of a drawing's; what was decided stays where contours are unchanged.
    ReplaceDrawing {
        drawing: u32,
        file: String,
        name: String,
        /// Contours that are there again under other names.
        #[serde(default)]
        carried: BTreeMap<ContourId, ContourId>,
        /// From where the drawing was to where it is, mm, as the six numbers of a matrix.
        #[serde(default)]
        moved: Option<[f64; 6]>,
    },
    RemoveDrawing {
        drawing: u32,
    },
    SetUnit {
        drawing: u32,
        unit: Unit,
    },
    SetPpi {
        drawing: u32,
        ppi: f64,
    },
    /// Drawing size × `scale` = true size.
    SetScale {
        drawing: u32,
        scale: f64,
    },
    /// Turn further by `degrees`, anticlockwise.
    TurnDrawing {
        drawing: u32,
        degrees: f64,
    },
    MirrorDrawing {
        drawing: u32,
    },
    SetGap {
        drawing: u32,
        gap: f64,
    },
    SetTrace {
        drawing: u32,
        trace: Trace,
    },
    /// Only what lies in these boxes, in drawing units; none for all of it.
    SetRegions {
        drawing: u32,
        regions: Vec<Bounds>,
    },
    /// The new revision has been looked through: the one before is no longer shown.
    Compared {
        drawing: u32,
    },
    Mend {
        drawing: u32,
        mend: Mend,
    },
    /// Follow dense polylines within `tolerance` mm; `None` leaves them as drawn.
    Refit {
        drawing: u32,
        tolerance: Option<f64>,
    },
    /// Do something with a drawing's contours, after all that was done before.
    Operate {
        drawing: u32,
        operation: Operation,
    },
    /// Take back the operation at this place in the list, from 0; those after it stay.
    TakeBack {
        drawing: u32,
        at: usize,
    },
    /// `None` gives the style back to rules and shape.
    SetKey {
        key: String,
        process: Option<Process>,
    },
    /// `None` gives the contours back to the key.
    SetContours {
        contours: Vec<ContourId>,
        process: Option<Process>,
    },
    SetBatch {
        machine: String,
        material: String,
        thickness: f64,
    },
    SetQuantity {
        part: PartId,
        quantity: u32,
    },
    SetDrawingQuantity {
        drawing: u32,
        quantity: u32,
    },
    SetSpacing {
        spacing: Option<f64>,
    },
    SetMargin {
        margin: Option<f64>,
    },
    SetTurn {
        turn: Turn,
    },
    SetSheets {
        sheets: Vec<Sheet>,
    },
    KeepLayout {
        layout: Layout,
    },
    /// The parts are to be laid anew. Nothing is decided by it: whoever takes it searches, and keeps what is found.
    Nest,
    SetStart {
        contour: ContourId,
        share: f64,
    },
    SetNicks {
        on: bool,
    },
    SetNickWidth {
        width: Option<f64>,
    },
    SetNickPitch {
        pitch: Option<f64>,
    },
    SetLeads {
        on: bool,
    },
    /// Go on in spite of `look` findings of this code at these places; the route fills them in where it offers this.
    Accept {
        code: String,
        #[serde(default)]
        places: BTreeMap<String, u32>,
    },
    SetInitials {
        initials: String,
    },
}

/// Operations on one drawing at most.
const MOST_OPERATIONS: usize = 500;

impl Edit {
    /// The decisions after this change. The message says why it cannot be done and what would do; nothing is changed then.
    pub fn apply(&self, before: &Decisions) -> Result<Decisions, String> {
        let mut after = before.clone();
        self.apply_to(&mut after)?;
        Ok(after)
    }

    /// True when the parts are to be laid anew after it.
    pub fn nests(&self) -> bool {
        match self {
            Self::Nest => true,
            Self::All { edits } => edits.iter().any(Self::nests),
            _ => false,
        }
    }

    fn apply_to(&self, d: &mut Decisions) -> Result<(), String> {
        match self {
            Self::All { edits } => edits.iter().try_for_each(|e| e.apply_to(d))?,
            Self::AddDrawing { file, name } => {
                let id = d.drawings.iter().map(|x| x.id).max().unwrap_or(0) + 1;
                d.drawings.push(DrawingDecisions::new(id, file, name));
            }
            Self::ReplaceDrawing { drawing, file, name, carried, moved } => {
                replace(d, *drawing, (file, name), carried, *moved)?;
            }
            Self::RemoveDrawing { drawing } => {
                find(d, *drawing)?;
                d.drawings.retain(|x| x.id != *drawing);
            }
            Self::SetUnit { drawing, unit } => find(d, *drawing)?.unit = Some(*unit),
            Self::SetPpi { drawing, ppi } => find(d, *drawing)?.ppi = Some(within("pixels per inch", *ppi, 1.0, 10_000.0)?),
            Self::SetScale { drawing, scale } => find(d, *drawing)?.scale = within("a scale", *scale, 1e-6, 1e6)?,
            Self::TurnDrawing { drawing, degrees } => {
                let found = find(d, *drawing)?;
                found.angle = (found.angle + within("an angle", *degrees, -360.0, 360.0)?).rem_euclid(360.0);
            }
            Self::MirrorDrawing { drawing } => {
                let found = find(d, *drawing)?;
                found.mirrored = !found.mirrored;
            }
            Self::SetGap { drawing, gap } => find(d, *drawing)?.gap = Some(within("a gap in mm", *gap, 0.0, 10.0)?),
            Self::SetTrace { drawing, trace } => {
                within("a smoothness in pixels", trace.smooth, 0.05, 10.0)?;
                find(d, *drawing)?.trace = *trace;
            }
            Self::SetEngraved { drawing, on } => find(d, *drawing)?.engraved = *on,
            Self::SetTone { contour, tone } => {
                if let Some(t) = tone {
                    within("a brightness", t.brightness, -100.0, 100.0)?;
                    within("a contrast", t.contrast, -100.0, 100.0)?;
                    within("a gamma", t.gamma, 0.1, 10.0)?;
                }
                set_or_clear(&mut d.pictures, *contour, *tone);
            }
            Self::SetSetting { setting } => set_setting(d, setting)?,
            Self::DropSetting { id } => {
                d.settings.retain(|s| s.id != *id);
                d.key_settings.retain(|_, s| s != id);
                d.contour_settings.retain(|_, s| s != id);
            }
            Self::MoveSetting { id, earlier } => {
                let at = d.settings.iter().position(|s| s.id == *id).ok_or("that setting is not there any more; load the page again")?;
                let to = (at as i64 - i64::from(*earlier)).clamp(0, d.settings.len() as i64 - 1) as usize;
                let moved = d.settings.remove(at);
                d.settings.insert(to, moved);
            }
            Self::UseForKey { key, setting } => {
                let process = known_setting(d, *setting)?;
                set_or_clear(&mut d.key_settings, key.clone(), *setting);
                if let Some(p) = process {
                    d.keys.insert(key.clone(), p);
                }
            }
            Self::UseForContours { contours, setting } => {
                let process = known_setting(d, *setting)?;
                for c in contours {
                    set_or_clear(&mut d.contour_settings, *c, *setting);
                    if let Some(p) = process {
                        d.contours.insert(*c, p);
                    }
                }
            }
            Self::ProposeRow { row } => {
                sane_row(row)?;
                d.rows.retain(|r| !r.is(&row.machine, &row.material, row.thickness, row.process));
                d.rows.push((**row).clone());
            }
            Self::SetNumbers { numbers } => {
                if let Some(n) = numbers {
                    within("a smallest height in mm", n.smallest, 0.5, 100.0)?;
                    within("a tallest height in mm", n.tallest, n.smallest, 500.0)?;
                    if n.prefix.chars().count() > 12 {
                        return Err("what stands before the numbers may have 12 letters".into());
                    }
                }
                d.numbers.clone_from(numbers);
            }
            Self::SetSweep { sweep } => {
                if let Some(a) = sweep.angle {
                    within("an angle of rows in degrees", a, -360.0, 360.0)?;
                }
                d.hold.sweep = *sweep;
            }
            Self::SetCard { card } => {
                sane_card(card)?;
                d.card = Some(card.clone());
            }
            Self::SetRegions { drawing, regions } => {
                if regions.len() > 200 || regions.iter().any(|r| r.is_empty() || !r.min.is_finite() || !r.max.is_finite()) {
                    return Err("a region needs two corners, and there may be 200 of them".into());
                }
                find(d, *drawing)?.regions.clone_from(regions);
            }
            Self::Compared { drawing } => find(d, *drawing)?.before = None,
            Self::Mend { drawing, mend } => {
                find(d, *drawing)?.mends.insert(*mend);
            }
            Self::Refit { drawing, tolerance } => {
                find(d, *drawing)?.refit = tolerance.map(|t| within("a tolerance in mm", t, 0.001, 5.0)).transpose()?;
            }
            Self::Operate { drawing, operation } => {
                operation.checked()?;
                let found = find(d, *drawing)?;
                if found.operations.len() >= MOST_OPERATIONS {
                    return Err(format!(
                        "{MOST_OPERATIONS} operations on one drawing are the most; export the drawing and go on from there"
                    ));
                }
                found.operations.push(operation.clone());
            }
            Self::TakeBack { drawing, at } => {
                let found = find(d, *drawing)?;
                if *at >= found.operations.len() {
                    return Err("that operation is not there any more; load the page again".into());
                }
                found.operations.remove(*at);
            }
            // A process chosen plainly is done as the chart says.
            Self::SetKey { key, process } => {
                set_or_clear(&mut d.keys, key.clone(), *process);
                d.key_settings.remove(key);
            }
            Self::SetContours { contours, process } => {
                for c in contours {
                    set_or_clear(&mut d.contours, *c, *process);
                    d.contour_settings.remove(c);
                }
            }
            Self::SetBatch { machine, material, thickness } => {
                d.batch.thickness = within("a thickness in mm", *thickness, 0.05, 200.0)?;
                (d.batch.machine, d.batch.material) = (machine.clone(), material.clone());
            }
            Self::SetQuantity { part, quantity } => d.parts.entry(*part).or_default().quantity = Some(copies(*quantity)?),
            Self::SetDrawingQuantity { drawing, quantity } => find(d, *drawing)?.quantity = copies(*quantity)?,
            Self::SetSpacing { spacing } => d.nest.spacing = spacing.map(|s| within("a spacing in mm", s, 0.0, 500.0)).transpose()?,
            Self::SetMargin { margin } => d.nest.margin = margin.map(|m| within("a margin in mm", m, 0.0, 500.0)).transpose()?,
            Self::SetTurn { turn } => d.nest.turn = *turn,
            Self::SetSheets { sheets } => {
                sheets.iter().try_for_each(Sheet::checked)?;
                d.nest.sheets.clone_from(sheets);
            }
            Self::KeepLayout { layout } => {
                sane_layout(layout)?;
                d.nest.layout = Some(layout.clone());
            }
            Self::Nest => {}
            Self::SetStart { contour, share } => {
                d.starts.insert(*contour, within("a place on the contour", *share, 0.0, 1.0)?);
            }
            Self::SetNicks { on } => d.hold.nicks = Some(*on),
            Self::SetNickWidth { width } => d.hold.nick_width = width.map(|w| within("a nick width in mm", w, 0.05, 20.0)).transpose()?,
            Self::SetNickPitch { pitch } => {
                d.hold.nick_pitch = pitch.map(|p| within("a nick pitch in mm", p, 5.0, 10_000.0)).transpose()?
            }
            Self::SetLeads { on } => d.hold.leads = Some(*on),
            Self::Accept { code, places } => accept(d, code, places)?,
            Self::SetInitials { initials } => d.initials = initials.chars().filter(|c| c.is_alphanumeric()).take(6).collect(),
        }
        Ok(())
    }
}

//! What is decided at Assign: what each line is, what it is done with, and which batch makes it.

use super::Card;
use super::{Decisions, EditError, Stock, checked, set_or_clear, within};
use crate::ids::{BatchId, ContourId, PartId};
use crate::lettering::Face;
use crate::picture::Tone;
pub use crate::process::Process;
use crate::shop::ChartRow;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Decisions at Assign, for the whole job.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct AssignDecisions {
    /// Process by style key; beats the shop's rules.
    pub keys: BTreeMap<String, Process>,
    /// Process of single contours; beats the key.
    pub contours: BTreeMap<ContourId, Process>,
    /// Settings of the job's own beside those of the cut chart, in the order in which they are done.
    pub settings: Vec<JobSetting>,
    /// Which of the job's settings a style is done with, where not the chart's.
    pub key_settings: BTreeMap<String, u32>,
    /// The same for single contours.
    pub contour_settings: BTreeMap<ContourId, u32>,
    /// Numbers on the parts.
    pub numbers: Option<Numbers>,
    /// Rows that the cut chart lacks, for this job only, unproved.
    pub rows: Vec<ChartRow>,
    /// How pictures are toned.
    pub pictures: BTreeMap<ContourId, Tone>,
}

impl AssignDecisions {
    /// The job's own settings by number and process, in order: what bears on the order of work, and no figure of them.
    pub fn turns(&self) -> Vec<(u32, Process)> {
        self.settings.iter().map(|s| (s.id, s.process)).collect()
    }
    /// A number that no setting has yet.
    pub fn next_setting(&self) -> u32 {
        self.settings.iter().map(|s| s.id).max().unwrap_or(0) + 1
    }
}

/// Decisions on one part, for every copy.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct PartDecisions {
    /// Copies wanted, by batch, where not as many as of its drawing's others.
    pub quantity: BTreeMap<BatchId, u32>,
    /// The batch that it is made in, where not its drawing's.
    pub batch: Option<BatchId>,
    /// Copies that lie on other jobs' sheets.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub elsewhere: Vec<Elsewhere>,
}

/// Copies of a part on another job's sheets.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Elsewhere {
    /// Number of that job.
    pub job: i32,
    /// What it is called.
    pub name: String,
    /// How many.
    pub count: u32,
}

/// Settings of one process for this job: engrave deep, engrave light.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct JobSetting {
    /// Number within the job.
    pub id: u32,
    /// What people call it.
    pub name: String,
    /// What it is done by.
    pub process: Process,
    /// Feed, mm/min; `None` for the chart's.
    pub feed: Option<f64>,
    /// Power, percent; `None` for the chart's.
    pub power: Option<f64>,
    /// Times round; `None` for the chart's.
    pub passes: Option<u32>,
    /// Distance of engraved rows, mm; `None` for the chart's.
    pub pitch: Option<f64>,
    /// Number of the tool, for marks; `None` for the chart's.
    pub tool: Option<u32>,
    /// Width of the cut that is made up for, mm; `None` for the chart's.
    #[serde(default)]
    pub kerf: Option<f64>,
}

/// A number for each part.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Numbers {
    /// What stands before each number.
    pub prefix: String,
    /// The first number.
    pub first: u32,
    /// Score for single strokes, engrave for outlines, or another.
    pub process: Process,
    /// Which letters.
    pub face: Face,
    /// Capitals are no lower than this, mm; parts without so much room go without.
    pub smallest: f64,
    /// And no higher than this, mm.
    pub tallest: f64,
}

/// A change at Assign.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum AssignEdit {
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
    /// How a picture is toned; `None` for as it is.
    SetTone {
        contour: ContourId,
        tone: Option<Tone>,
    },
    SetNumbers {
        numbers: Option<Numbers>,
    },
    SetCard {
        card: Card,
    },
    /// What a batch is made on and of.
    SetBatch {
        #[serde(default, skip_serializing_if = "BatchId::is_first")]
        batch: BatchId,
        machine: String,
        material: String,
        thickness: f64,
    },
    /// Another batch, on and of this.
    AddBatch {
        stock: Stock,
    },
    /// A batch goes; its parts are made in the first.
    DropBatch {
        batch: BatchId,
    },
    /// Parts are made in this batch.
    MoveParts {
        parts: Vec<PartId>,
        to: BatchId,
    },
}

/// Settings of one job at most.
const MOST_SETTINGS: usize = 400;
/// Batches of one job at most.
const MOST_BATCHES: usize = 40;

impl AssignEdit {
    pub(super) fn apply(&self, d: &mut Decisions) -> Result<(), EditError> {
        let a = &mut d.assign;
        match self {
            // A process chosen plainly is done as the chart says.
            Self::SetKey { key, process } => {
                set_or_clear(&mut a.keys, key.clone(), *process);
                a.key_settings.remove(key);
            }
            Self::SetContours { contours, process } => {
                for c in contours {
                    set_or_clear(&mut a.contours, *c, *process);
                    a.contour_settings.remove(c);
                }
            }
            Self::SetSetting { setting } => set_setting(a, setting)?,
            Self::DropSetting { id } => {
                a.settings.retain(|s| s.id != *id);
                a.key_settings.retain(|_, s| s != id);
                a.contour_settings.retain(|_, s| s != id);
            }
            Self::MoveSetting { id, earlier } => {
                let at = a.settings.iter().position(|s| s.id == *id).ok_or_else(|| EditError::Gone("that setting".into()))?;
                let to = (at as i64 - i64::from(*earlier)).clamp(0, a.settings.len() as i64 - 1) as usize;
                let moved = a.settings.remove(at);
                a.settings.insert(to, moved);
            }
            Self::UseForKey { key, setting } => {
                let process = known_setting(a, *setting)?;
                set_or_clear(&mut a.key_settings, key.clone(), *setting);
                if let Some(p) = process {
                    a.keys.insert(key.clone(), p);
                }
            }
            Self::UseForContours { contours, setting } => {
                let process = known_setting(a, *setting)?;
                for c in contours {
                    set_or_clear(&mut a.contour_settings, *c, *setting);
                    if let Some(p) = process {
                        a.contours.insert(*c, p);
                    }
                }
            }
            Self::ProposeRow { row } => {
                sane_row(row)?;
                a.rows.retain(|r| !r.is(&row.machine, &row.material, row.thickness, row.process));
                a.rows.push((**row).clone());
            }
            Self::SetTone { contour, tone } => {
                if let Some(t) = tone {
                    within("a brightness", t.brightness, -100.0, 100.0)?;
                    within("a contrast", t.contrast, -100.0, 100.0)?;
                    within("a gamma", t.gamma, 0.1, 10.0)?;
                }
                set_or_clear(&mut a.pictures, *contour, *tone);
            }
            Self::SetNumbers { numbers } => {
                if let Some(n) = numbers {
                    within("a smallest height in mm", n.smallest, 0.5, 100.0)?;
                    within("a tallest height in mm", n.tallest, n.smallest, 500.0)?;
                    if n.prefix.chars().count() > 12 {
                        return Err(EditError::Refused("what stands before the numbers may have 12 letters".into()));
                    }
                }
                a.numbers.clone_from(numbers);
            }
            Self::SetCard { card } => {
                sane_card(card)?;
                d.card = Some(card.clone());
            }
            Self::SetBatch { batch, machine, material, thickness } => {
                let stock = Stock { machine: machine.clone(), material: material.clone(), thickness: *thickness };
                d.batch_mut(*batch)?.stock = checked(stock)?;
            }
            Self::AddBatch { stock } => {
                if d.batches.len() >= MOST_BATCHES {
                    return Err(EditError::TooMany { what: "batches of one job", most: MOST_BATCHES });
                }
                d.add_batch(checked(stock.clone())?);
            }
            Self::DropBatch { batch } => drop_batch(d, *batch)?,
            Self::MoveParts { parts, to } => {
                d.batch_mut(*to)?;
                for part in parts {
                    let decided = d.parts.entry(*part).or_default();
                    // As many as were wanted where it was.
                    if let Some(n) = decided.batch.or(Some(BatchId::FIRST)).and_then(|b| decided.quantity.remove(&b)) {
                        decided.quantity.insert(*to, n);
                    }
                    decided.batch = Some(*to);
                }
            }
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetKey { process: Some(p), .. } => format!("Drawing key: {}", p.name()),
            Self::SetKey { process: None, .. } => "Drawing key: by rule and shape".into(),
            Self::SetContours { process: Some(p), contours } => format!("{} by hand on {}", p.name(), contours.len()),
            Self::SetContours { process: None, contours } => format!("{} back to the key", contours.len()),
            Self::SetSetting { setting } => format!("Setting “{}”", setting.name),
            Self::DropSetting { .. } => "A setting taken away".into(),
            Self::MoveSetting { .. } => "Order of settings".into(),
            Self::UseForKey { setting: Some(_), .. } | Self::UseForContours { setting: Some(_), .. } => {
                "Done with a setting of its own".into()
            }
            Self::UseForKey { setting: None, .. } | Self::UseForContours { setting: None, .. } => "Done as the chart says".into(),
            Self::ProposeRow { row } => format!("Unproved {} settings for {} mm", row.process.name().to_lowercase(), row.thickness),
            Self::SetTone { tone: Some(t), .. } => format!("Picture: {}", t.words()),
            Self::SetTone { tone: None, .. } => "Picture as it is".into(),
            Self::SetNumbers { numbers: Some(_) } => "Numbers on parts".into(),
            Self::SetNumbers { numbers: None } => "No numbers on parts".into(),
            Self::SetCard { .. } => "Test card".into(),
            Self::SetBatch { material, thickness, machine, .. } => format!("{material} {thickness} mm on {machine}"),
            Self::AddBatch { stock } => format!("A batch of {} {} mm on {}", stock.material, stock.thickness, stock.machine),
            Self::DropBatch { batch } => format!("Batch {batch} given up"),
            Self::MoveParts { parts, to } => {
                format!("{} to batch {to}", crate::words::counted(parts.len(), "part", "parts"))
            }
        }
    }
}

fn drop_batch(d: &mut Decisions, batch: BatchId) -> Result<(), EditError> {
    if batch.is_first() {
        return Err(EditError::Refused("the first batch stays; change what it is made of instead".into()));
    }
    d.batches.remove(&batch).ok_or_else(|| EditError::Gone("that batch".into()))?;
    d.drawings.iter_mut().filter(|x| x.batch == batch).for_each(|x| x.batch = BatchId::FIRST);
    for part in d.parts.values_mut() {
        let n = part.quantity.remove(&batch);
        if part.batch == Some(batch) {
            part.batch = Some(BatchId::FIRST);
            n.into_iter().for_each(|n| *part.quantity.entry(BatchId::FIRST).or_default() += n);
        }
    }
    Ok(())
}

fn set_setting(a: &mut AssignDecisions, setting: &JobSetting) -> Result<(), EditError> {
    if setting.name.trim().is_empty() || setting.name.chars().count() > 40 {
        return Err(EditError::Refused("give the setting a name of 1 to 40 letters".into()));
    }
    let number =
        |what: &'static str, v: Option<f64>, least: f64, most: f64| v.map_or(Ok(0.0), |v| within(what, v, least, most)).map(|_| ());
    number("a feed in mm/min", setting.feed, 1.0, 200_000.0)?;
    number("a power in percent", setting.power, 0.1, 100.0)?;
    number("a row pitch in mm", setting.pitch, 0.02, 5.0)?;
    number("a kerf in mm", setting.kerf, 0.0, 10.0)?;
    if setting.passes.is_some_and(|p| p == 0 || p > 50) {
        return Err(EditError::Refused("use 1 to 50 passes".into()));
    }
    if let Some(known) = a.settings.iter_mut().find(|s| s.id == setting.id) {
        known.clone_from(setting);
    } else if a.settings.len() >= MOST_SETTINGS {
        return Err(EditError::TooMany { what: "settings of one job", most: MOST_SETTINGS });
    } else {
        a.settings.push(setting.clone());
    }
    Ok(())
}

/// The process of a setting that is there.
fn known_setting(a: &AssignDecisions, id: Option<u32>) -> Result<Option<Process>, EditError> {
    let Some(id) = id else { return Ok(None) };
    let found = a.settings.iter().find(|s| s.id == id).map(|s| s.process);
    found.map(Some).ok_or_else(|| EditError::Gone("that setting".into()))
}

/// Figures of a chart row that no machine could have.
fn sane_row(row: &ChartRow) -> Result<(), EditError> {
    within("a thickness in mm", row.thickness, 0.05, 200.0)?;
    within("a feed in mm/min", row.feed, 1.0, 200_000.0)?;
    within("a power in percent", row.power, 0.1, 100.0)?;
    within("a least power in percent", row.least_power, 0.0, 100.0)?;
    within("passes", f64::from(row.passes), 1.0, 50.0)?;
    within("a kerf in mm", row.kerf, 0.0, 10.0)?;
    within("a row pitch in mm", row.pitch, 0.0, 5.0)?;
    within("a pierce delay in s", row.pierce, 0.0, 60.0)?;
    Ok(())
}

fn sane_card(card: &Card) -> Result<(), EditError> {
    if let Card::Grid { feeds, powers, .. } = card {
        feeds.iter().try_for_each(|f| within("a feed in mm/min", *f, 1.0, 200_000.0).map(drop))?;
        powers.iter().try_for_each(|p| within("a power in percent", *p, 0.1, 100.0).map(drop))?;
    }
    Ok(())
}

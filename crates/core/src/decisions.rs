//! Everything a person decided about a job, one struct a station. The rest is computed from it.

use crate::assign::{PartId, Process};
use crate::card::Card;
use crate::clean::trace::Trace;
use crate::clean::{ContourId, Operation};
use crate::drawing::Unit;
use crate::geometry::Bounds;
use crate::lettering::Face;
use crate::nest::{Layout, Sheet, Turn};
use crate::picture::Tone;
use crate::shop::ChartRow;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

/// All decisions of one revision of a job.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Decisions {
    /// The drawings in the order they came, each with what was decided on it at Intake and Clean.
    pub drawings: Vec<DrawingDecisions>,
    /// Assign: process by style key; beats the shop's rules.
    pub keys: BTreeMap<String, Process>,
    /// Assign: process of single contours; beats the key.
    pub contours: BTreeMap<ContourId, Process>,
    /// Settings of the job's own beside those of the cut chart, in the order in which they are done.
    pub settings: Vec<JobSetting>,
    /// Assign: which of the job's settings a style is done with, where not the chart's.
    pub key_settings: BTreeMap<String, u32>,
    /// Assign: the same for single contours.
    pub contour_settings: BTreeMap<ContourId, u32>,
    /// Assign: numbers on the parts.
    pub numbers: Option<Numbers>,
    /// Assign: rows that the cut chart lacks, for this job only, unproved.
    pub rows: Vec<ChartRow>,
    /// Assign: how pictures are toned.
    pub pictures: BTreeMap<ContourId, Tone>,
    /// What it is made on and of.
    pub batch: Batch,
    /// What was decided on single parts, for all their copies.
    pub parts: BTreeMap<PartId, PartDecisions>,
    /// Nest.
    pub nest: NestDecisions,
    /// Order: where on a contour the cut starts, as a share of its length. Holds for every copy.
    pub starts: BTreeMap<ContourId, f64>,
    /// Hold.
    pub hold: HoldDecisions,
    /// Findings of severity `look` that a person accepted.
    pub accepted: Vec<Acceptance>,
    /// Release: initials that go into file names.
    pub initials: String,
    /// The job is a test card, or a kerf gauge: what it tries out.
    pub card: Option<Card>,
}

/// Decisions on one drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DrawingDecisions {
    /// Number of the drawing within the job; never used again.
    pub id: u32,
    /// The stored file, by the hash of its bytes.
    pub file: String,
    /// The file's name as it came.
    pub name: String,
    /// Unit, where the file does not say or says it wrong.
    pub unit: Option<Unit>,
    /// Pixels per inch, for a file in pixels.
    pub ppi: Option<f64>,
    /// Drawing size × scale = true size.
    pub scale: f64,
    /// Turned by this many degrees, anticlockwise.
    pub angle: f64,
    /// Mirrored left to right, before it is turned.
    pub mirrored: bool,
    /// Free ends up to this far apart are joined, mm; `None` for the shop's tolerance.
    pub gap: Option<f64>,
    /// A picture is engraved as it is, not traced.
    #[serde(default)]
    pub engraved: bool,
    /// How a picture is traced.
    #[serde(default)]
    pub trace: Trace,
    /// Only what lies in one of these boxes is taken, in drawing units; all of it where there is none.
    #[serde(default)]
    pub regions: Vec<Bounds>,
    /// The file before this one, by its hash and name, while a new revision is compared with it.
    #[serde(default)]
    pub before: Option<(String, String)>,
    /// What is mended in it.
    #[serde(default)]
    pub mends: BTreeSet<Mend>,
    /// Polylines of many short edges are followed by lines and arcs within this, mm; `None` leaves them.
    #[serde(default)]
    pub refit: Option<f64>,
    /// What a person does with its contours, in order.
    #[serde(default)]
    pub operations: Vec<Operation>,
    /// How many of each of its parts, unless said of the part.
    pub quantity: u32,
}

impl DrawingDecisions {
    /// A drawing just added, nothing decided.
    pub fn new(id: u32, file: &str, name: &str) -> Self {
        Self {
            id,
            file: file.into(),
            name: name.into(),
            unit: None,
            ppi: None,
            scale: 1.0,
            angle: 0.0,
            mirrored: false,
            gap: None,
            engraved: false,
            trace: Trace::default(),
            regions: Vec::new(),
            before: None,
            mends: BTreeSet::new(),
            refit: None,
            operations: Vec::new(),
            quantity: 1,
        }
    }
}

/// Something that is wrong with a drawing in many places and is mended in all of them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Mend {
    /// Pieces without length are dropped.
    DropZero,
    /// Lines that lie on another are removed.
    RemoveDoubles,
    /// Contours smaller than a speck are dropped.
    DropSpecks,
    /// Outlines that cross themselves fall into loops.
    SplitCrossings,
    /// Dashes in a row become one line.
    JoinDashes,
    /// Joints that are nearly smooth are made smooth.
    SmoothKinks,
    /// Points become small crosses.
    MarkCentres,
    /// Outlines that close only with lines of another style are left open.
    KeepStylesApart,
}

impl Mend {
    /// What the history says.
    pub fn done(self) -> &'static str {
        match self {
            Self::DropZero => "Pieces without length dropped",
            Self::RemoveDoubles => "Doubled lines removed",
            Self::DropSpecks => "Specks dropped",
            Self::SplitCrossings => "Crossing outlines split",
            Self::JoinDashes => "Dashes joined",
            Self::SmoothKinks => "Kinks smoothed",
            Self::MarkCentres => "Points marked",
            Self::KeepStylesApart => "Styles kept apart",
        }
    }
}

/// Machine, material and thickness that parts are made with.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Batch {
    /// Machine id.
    pub machine: String,
    /// Material id.
    pub material: String,
    /// Thickness, mm.
    pub thickness: f64,
}

impl Default for Batch {
    fn default() -> Self {
        Self { machine: "lark".into(), material: "birch-ply".into(), thickness: 3.0 }
    }
}

/// Decisions on one part, for every copy.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct PartDecisions {
    /// Copies wanted.
    pub quantity: Option<u32>,
}

/// Decisions at Nest.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct NestDecisions {
    /// Sheets to use, in order; the last may be used without limit. Empty: the material's own sheet.
    pub sheets: Vec<Sheet>,
    /// Least distance between parts, mm; `None` for the machine's.
    pub spacing: Option<f64>,
    /// Least distance from the sheet's edge, mm; `None` for the machine's.
    pub margin: Option<f64>,
    /// Which turns are allowed.
    pub turn: Turn,
    /// The layout that a search found and that was kept.
    pub layout: Option<Layout>,
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

/// How engraved areas are swept.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Sweep {
    /// Angle of the rows in degrees from the x axis; `None` for along x or y, whichever is faster.
    pub angle: Option<f64>,
    /// All rows one way.
    pub one_way: bool,
}

/// Decisions at Hold.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct HoldDecisions {
    /// Nicks on outlines; `None` for the machine's custom (laser yes, plasma no).
    pub nicks: Option<bool>,
    /// Width of the bridge that is left, mm.
    pub nick_width: Option<f64>,
    /// One nick per this much outline, mm.
    pub nick_pitch: Option<f64>,
    /// Leads; `None` for the machine's custom (plasma yes, laser no).
    pub leads: Option<bool>,
    /// How engraved areas are swept.
    pub sweep: Sweep,
}

/// What a person accepted as it is.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Acceptance {
    /// Every finding of a code: as jobs of earlier versions have it.
    Everywhere(String),
    /// Findings of a code at these places and as often there.
    At {
        /// The code.
        code: String,
        /// Places as [`crate::finding::Finding::places`] names them, and how often.
        places: BTreeMap<String, u32>,
    },
}

impl Decisions {
    /// The same with contours under other names, wherever they stand.
    pub fn renamed(&self, names: &BTreeMap<ContourId, ContourId>) -> Self {
        fn rename(value: &mut Value, names: &BTreeMap<String, String>) {
            match value {
                Value::String(s) => {
                    if let Some(new) = names.get(s) {
                        s.clone_from(new);
                    }
                }
                Value::Array(all) => all.iter_mut().for_each(|v| rename(v, names)),
                Value::Object(map) => {
                    let old = std::mem::take(map);
                    for (key, mut value) in old {
                        rename(&mut value, names);
                        map.insert(names.get(&key).cloned().unwrap_or(key), value);
                    }
                }
                _ => {}
            }
        }
        let names: BTreeMap<String, String> = names.iter().map(|(a, b)| (a.to_string(), b.to_string())).collect();
        let written = serde_json::to_value(self).map(|mut value| {
            rename(&mut value, &names);
            value
        });
        // What was written from decisions reads back as decisions.
        written.and_then(serde_json::from_value).unwrap_or_else(|_| self.clone())
    }
    /// True where findings of this code were accepted at all these places.
    pub fn accepts(&self, code: &str, places: &BTreeMap<String, u32>) -> bool {
        self.accepted.iter().any(|a| match a {
            Acceptance::Everywhere(known) => known == code,
            Acceptance::At { code: known, places: at } => known == code && places.iter().all(|(p, n)| at.get(p).is_some_and(|m| n <= m)),
        })
    }
    /// The decisions on drawing `id`.
    pub fn drawing(&self, id: u32) -> Option<&DrawingDecisions> {
        self.drawings.iter().find(|d| d.id == id)
    }
}

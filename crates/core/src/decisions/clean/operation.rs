//! What a person does with contours at Clean, and what it is called.

use crate::geometry::Corners;
use crate::ids::ContourId;
use crate::lettering::{Face, Setting};
use serde::{Deserialize, Serialize};

/// Where an addition is measured from: x and y run inward from a corner or edge, to the right and up from the centre.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Anchor {
    /// Lower left corner of the box.
    #[default]
    LowerLeft,
    /// Lower right corner.
    LowerRight,
    /// Upper left corner.
    UpperLeft,
    /// Upper right corner.
    UpperRight,
    /// Middle of the box.
    Centre,
    /// Middle of the left edge; x inward, y up.
    Left,
    /// Middle of the right edge.
    Right,
    /// Middle of the lower edge.
    Bottom,
    /// Middle of the upper edge.
    Top,
}

/// Where else an addition is made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Repeat {
    /// Nowhere else.
    #[default]
    Once,
    /// In the other three corners.
    Corners,
    /// On the other side, left and right.
    Across,
    /// On the other side, up and down.
    UpAndDown,
}

/// Place of an addition in a part.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Spot {
    /// Measured from here.
    pub anchor: Anchor,
    /// Along x, mm.
    pub x: f64,
    /// Along y, mm.
    pub y: f64,
    /// Where else.
    pub repeat: Repeat,
}

/// Round or cut.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum CornerShape {
    /// By an arc of the size as radius.
    Round,
    /// By a straight cut, the size off both edges.
    Chamfer,
}

/// What contours are lined up by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Edge {
    /// Left edges.
    Left,
    /// Right edges.
    Right,
    /// Lower edges.
    Bottom,
    /// Upper edges.
    Top,
    /// Centres, in both directions.
    Centre,
    /// Centres above each other.
    CentreX,
    /// Centres beside each other.
    CentreY,
}

/// One thing that a person does. Contours are given by name; lengths in mm, angles in degrees.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "op", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Operation {
    Delete {
        contours: Vec<ContourId>,
    },
    /// At every corner sharper than 20°.
    TakeApart {
        contours: Vec<ContourId>,
    },
    /// Open lines to one, each joined to the nearest end by a line.
    Combine {
        contours: Vec<ContourId>,
    },
    Weld {
        contours: Vec<ContourId>,
    },
    Subtract {
        from: ContourId,
        contours: Vec<ContourId>,
    },
    Intersect {
        contours: Vec<ContourId>,
    },
    /// Outward where `by` is positive; `rings` of them, each `by` further; the original stays where `keep` is true.
    Offset {
        contours: Vec<ContourId>,
        by: f64,
        corners: Corners,
        rings: u32,
        keep: bool,
    },
    Corner {
        contours: Vec<ContourId>,
        size: f64,
        shape: CornerShape,
    },
    Hole {
        part: ContourId,
        spot: Spot,
        diameter: f64,
    },
    /// A slot with round ends, `length` over all.
    Slot {
        part: ContourId,
        spot: Spot,
        length: f64,
        width: f64,
        angle: f64,
    },
    /// A ring of `outer` diameter with a `hole`, welded to the outline.
    Tab {
        part: ContourId,
        spot: Spot,
        outer: f64,
        hole: f64,
    },
    /// A scale: `count` marks at a `pitch`, `length` long, every `numbered`-th longest and with its number (0 for none), every
    /// `middle`-th of the others longer than the rest. The numbers rise by `by` (0: as the marks are counted); with `both` they stand a
    /// second time, counted from the other end and upright for who stands on the other side.
    Marks {
        part: ContourId,
        spot: Spot,
        pitch: f64,
        count: u32,
        length: f64,
        numbered: u32,
        angle: f64,
        #[serde(default, skip_serializing_if = "is_none")]
        middle: u32,
        #[serde(default, skip_serializing_if = "is_none")]
        by: u32,
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        both: bool,
    },
    Write {
        part: ContourId,
        spot: Spot,
        text: String,
        height: f64,
        face: Face,
        angle: f64,
        /// In lines, to a side, spaced, fitted, round a circle.
        #[serde(default, skip_serializing_if = "Setting::is_usual")]
        setting: Setting,
    },
    Move {
        contours: Vec<ContourId>,
        dx: f64,
        dy: f64,
    },
    Turn {
        contours: Vec<ContourId>,
        degrees: f64,
    },
    /// Left to right about the middle of all, or up and down; a mirrored copy where `keep` is true.
    Mirror {
        contours: Vec<ContourId>,
        upright: bool,
        keep: bool,
    },
    Array {
        contours: Vec<ContourId>,
        columns: u32,
        rows: u32,
        dx: f64,
        dy: f64,
    },
    /// To the first of them.
    Align {
        contours: Vec<ContourId>,
        edge: Edge,
    },
    /// Open lines become areas `width` mm wide.
    /// Bars and webs of what is chosen that are thinner than `width` mm become that wide, evenly about their middles.
    Thicken {
        contours: Vec<ContourId>,
        width: f64,
    },
    Widen {
        contours: Vec<ContourId>,
        width: f64,
    },
    /// Open lines get a straight edge from end to start.
    Close {
        contours: Vec<ContourId>,
    },
    /// Closed outlines give way to a cross on their middle.
    Centre {
        contours: Vec<ContourId>,
    },
    /// Chosen glyphs give way to new text of the same size on the same base line.
    Reletter {
        contours: Vec<ContourId>,
        text: String,
        face: Face,
    },
    /// Slots and tabs as wide as `nominal` become `measured` + `clearance` wide, those on `leave` excepted.
    SlotFit {
        nominal: f64,
        measured: f64,
        clearance: f64,
        leave: Vec<ContourId>,
    },
}

/// Copies that one operation may make.
pub const MOST_COPIES: u32 = 2000;

fn is_none(n: &u32) -> bool {
    *n == 0
}

impl Operation {
    /// What it is, for the list and the history.
    pub fn sentence(&self) -> String {
        let on = |c: &[ContourId]| crate::words::counted(c.len(), "contour", "contours");
        match self {
            Self::Delete { contours } => format!("Deleted {}", on(contours)),
            Self::TakeApart { contours } => format!("Took {} apart", on(contours)),
            Self::Combine { contours } => format!("Combined {}", on(contours)),
            Self::Weld { contours } => format!("Welded {}", on(contours)),
            Self::Subtract { contours, .. } => format!("Took {} out of another", on(contours)),
            Self::Intersect { contours } => format!("What {} share", on(contours)),
            Self::Offset { contours, by, rings, .. } => {
                let rings = if *rings > 1 { format!(", {rings} rings") } else { String::new() };
                format!("Offset {} by {by} mm{rings}", on(contours))
            }
            Self::Corner { contours, size, shape: CornerShape::Round } => format!("Corners of {} rounded {size} mm", on(contours)),
            Self::Corner { contours, size, shape: CornerShape::Chamfer } => format!("Corners of {} cut {size} mm", on(contours)),
            Self::Hole { diameter, spot, .. } => format!("Hole {diameter} mm at {}, {}", spot.x, spot.y),
            Self::Slot { length, width, .. } => format!("Slot {length} × {width} mm"),
            Self::Tab { outer, hole, .. } => format!("Ring tab {outer} mm with a hole of {hole} mm"),
            Self::Marks { count, pitch, .. } => format!("{count} marks every {pitch} mm"),
            Self::Write { text, height, .. } => format!("“{}” {height} mm high", text.chars().take(24).collect::<String>()),
            Self::Move { contours, dx, dy } => format!("Moved {} by {dx}, {dy}", on(contours)),
            Self::Turn { contours, degrees } => format!("Turned {} by {degrees}°", on(contours)),
            Self::Mirror { contours, .. } => format!("Mirrored {}", on(contours)),
            Self::Array { columns, rows, .. } => format!("{columns} columns × {rows} rows"),
            Self::Align { contours, .. } => format!("Lined up {}", on(contours)),
            Self::Thicken { contours, width } => format!("Thin places of {} made {width} mm wide", on(contours)),
            Self::Widen { contours, width } => format!("{} made {width} mm wide", on(contours)),
            Self::Close { contours } => format!("Closed {}", on(contours)),
            Self::Centre { contours } => format!("{} became centre marks", on(contours)),
            Self::Reletter { text, .. } => format!("Letters set anew: “{}”", text.chars().take(24).collect::<String>()),
            Self::SlotFit { nominal, measured, clearance, .. } => format!("Slots of {nominal} mm fitted to {measured} + {clearance} mm"),
        }
    }
}

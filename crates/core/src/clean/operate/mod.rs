//! What a person does with contours at Clean: delete, weld, offset, round corners, add holes and writing, copy, move,
//! fit slots. Operations are decisions: they are kept in order, listed, taken back one by one, and replayed when the
//! drawing is read again.

mod add;
mod areas;
mod corners;
mod limits;
mod mend;
mod place;
pub mod slots;
#[cfg(test)]
mod tests;
pub mod words;
mod work;

use super::identity::mixed;
use super::{Contour, ContourId};
use crate::geometry::Corners;
use crate::lettering::Face;
use rustc_hash::FxHasher;
use serde::{Deserialize, Serialize};
use std::hash::Hasher;
use std::sync::Arc;
use work::Work;

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
    /// A scale: `count` marks at a `pitch`, `length` long, every `numbered`-th with its number (0 for none).
    Marks {
        part: ContourId,
        spot: Spot,
        pitch: f64,
        count: u32,
        length: f64,
        numbered: u32,
        angle: f64,
    },
    Write {
        part: ContourId,
        spot: Spot,
        text: String,
        height: f64,
        face: Face,
        angle: f64,
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
    Widen {
        contours: Vec<ContourId>,
        width: f64,
    },
    /// Open lines get a straight edge from end to start.
    Close {
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

impl Operation {
    /// What it is, for the list and the history.
    pub fn sentence(&self) -> String {
        let on = |c: &[ContourId]| crate::finding::counted(c.len(), "contour", "contours");
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
            Self::Widen { contours, width } => format!("{} made {width} mm wide", on(contours)),
            Self::Close { contours } => format!("Closed {}", on(contours)),
            Self::Reletter { text, .. } => format!("Letters set anew: “{}”", text.chars().take(24).collect::<String>()),
            Self::SlotFit { nominal, measured, clearance, .. } => format!("Slots of {nominal} mm fitted to {measured} + {clearance} mm"),
        }
    }
}

/// An operation that could not be done as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Lost {
    /// Place in the list.
    pub(super) at: usize,
    /// What it is.
    pub(super) sentence: String,
}

/// Does all operations in order. Those whose contours are all gone are told.
pub(super) fn run(contours: Vec<Arc<Contour>>, operations: &[Operation]) -> (Vec<Arc<Contour>>, Vec<Lost>) {
    let mut work = Work { contours, seed: 0, made: 0 };
    let mut lost = Vec::new();
    let mut before: Vec<u64> = Vec::new();
    for (at, operation) in operations.iter().enumerate() {
        // Named after what is done, so that taking back another operation renames nothing.
        let own = hash(operation);
        let again = before.iter().filter(|h| **h == own).count() as u64;
        before.push(own);
        (work.seed, work.made) = (mixed(own.wrapping_add(again)), 0);
        if !apply(&mut work, operation) {
            lost.push(Lost { at, sentence: operation.sentence() });
        }
    }
    (work.contours, lost)
}

fn hash(operation: &Operation) -> u64 {
    let mut h = FxHasher::default();
    h.write(&serde_json::to_vec(operation).unwrap_or_default());
    h.finish()
}

/// Does one operation; false when there is nothing left to do it to.
fn apply(work: &mut Work, operation: &Operation) -> bool {
    match operation {
        Operation::Delete { contours } => {
            let at = work.all(contours);
            work.remove(&at);
            !at.is_empty()
        }
        Operation::TakeApart { contours } => areas::take_apart(work, contours),
        Operation::Combine { contours } => areas::combine(work, contours),
        Operation::Weld { contours } => areas::weld(work, contours),
        Operation::Subtract { from, contours } => areas::subtract(work, *from, contours),
        Operation::Intersect { contours } => areas::intersect(work, contours),
        Operation::Offset { contours, by, corners, rings, keep } => areas::offset(work, contours, *by, *corners, *rings, *keep),
        Operation::Corner { contours, size, shape } => corners::shape(work, contours, *size, *shape),
        Operation::Hole { part, spot, diameter } => add::hole(work, *part, spot, *diameter),
        Operation::Slot { part, spot, length, width, angle } => add::slot(work, *part, spot, (*length, *width), *angle),
        Operation::Tab { part, spot, outer, hole } => add::tab(work, *part, spot, *outer, *hole),
        Operation::Marks { part, spot, pitch, count, length, numbered, angle } => {
            add::marks(work, *part, spot, &add::Scale { pitch: *pitch, count: *count, length: *length, numbered: *numbered, angle: *angle })
        }
        Operation::Write { part, spot, text, height, face, angle } => add::write(work, *part, spot, text, *height, *face, *angle),
        Operation::Move { contours, dx, dy } => place::shift(work, contours, *dx, *dy),
        Operation::Turn { contours, degrees } => place::turn(work, contours, *degrees),
        Operation::Mirror { contours, upright, keep } => place::mirror(work, contours, *upright, *keep),
        Operation::Array { contours, columns, rows, dx, dy } => place::array(work, contours, (*columns, *rows), (*dx, *dy)),
        Operation::Align { contours, edge } => place::align(work, contours, *edge),
        Operation::Widen { contours, width } => mend::widen(work, contours, *width),
        Operation::Close { contours } => mend::close(work, contours),
        Operation::Reletter { contours, text, face } => mend::reletter(work, contours, text, *face),
        Operation::SlotFit { nominal, measured, clearance, leave } => slots::fit(work, *nominal, measured + clearance, leave),
    }
}

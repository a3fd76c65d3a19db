//! What is decided at Clean.

mod limits;
mod operation;

pub use operation::{Anchor, CornerShape, Edge, MOST_COPIES, Operation, Repeat, Spot};

use super::{Decisions, EditError, within};
use serde::{Deserialize, Serialize};

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
    /// Outlines that came with small gaps in them are closed: those were nicks.
    CloseNicks,
    /// Joints that are nearly smooth are made smooth.
    SmoothKinks,
    /// Points become small crosses.
    MarkCentres,
    /// Outlines that close only with lines of another style are left open.
    KeepStylesApart,
    /// Filled shapes of one style that lie over each other stay apart.
    KeepOverlaps,
    /// Outlines of filled shapes stay although they are filled on both sides.
    KeepUnseen,
    /// Drawn outlines of one style that lie over each other become one.
    WeldOverlaps,
    /// Dashes become one line where they go round a corner, along a circle or follow a line type; slits in a row stay.
    JoinRows,
    /// Of outlines that are drawn twice, a hair apart, one stays.
    DropNearTwins,
    /// Lines that are drawn as narrow areas become their middles.
    TakeMiddles,
    /// Filled shapes that lie wholly on others of their look are left out: they do not show.
    DropCovered,
    /// Open lines with a fill are closed as the fill shows them.
    CloseFilled,
}

impl Mend {
    /// What the history says.
    pub fn done(self) -> &'static str {
        match self {
            Self::DropZero => "Pieces without length dropped",
            Self::RemoveDoubles => "Doubled lines removed",
            Self::DropSpecks => "Specks dropped",
            Self::CloseFilled => "Filled lines closed",
            Self::SplitCrossings => "Crossing outlines split",
            Self::JoinDashes => "Dashes joined",
            Self::CloseNicks => "Nicked outlines closed",
            Self::SmoothKinks => "Kinks smoothed",
            Self::MarkCentres => "Points marked",
            Self::KeepStylesApart => "Styles kept apart",
            Self::KeepOverlaps => "Filled shapes kept apart",
            Self::KeepUnseen => "Unseen outlines kept",
            Self::WeldOverlaps => "Overlapping outlines welded",
            Self::JoinRows => "Dashed lines joined",
            Self::DropNearTwins => "Near twins dropped",
            Self::TakeMiddles => "Middles of narrow areas taken",
            Self::DropCovered => "Covered shapes left out",
        }
    }
}

/// How a picture is traced.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Trace {
    /// What is darker is shape, 0 to 255; `None` where the two heaps of grey levels part best.
    pub threshold: Option<u8>,
    /// Smaller spots are left out, pixels of area.
    pub speck: u32,
    /// Lines and arcs follow the edge within this, pixels.
    pub smooth: f64,
    /// What is light is the shape.
    pub invert: bool,
}

impl Default for Trace {
    fn default() -> Self {
        Self { threshold: None, speck: 12, smooth: 0.6, invert: false }
    }
}

/// A change at Clean.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum CleanEdit {
    SetGap {
        drawing: u32,
        gap: f64,
    },
    SetTrace {
        drawing: u32,
        trace: Trace,
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
}

/// Operations on one drawing at most.
const MOST_OPERATIONS: usize = 500;

impl CleanEdit {
    pub(super) fn apply(&self, d: &mut Decisions) -> Result<(), EditError> {
        match self {
            Self::SetGap { drawing, gap } => d.find(*drawing)?.gap = Some(within("a gap in mm", *gap, 0.0, 10.0)?),
            Self::SetTrace { drawing, trace } => {
                within("a smoothness in pixels", trace.smooth, 0.05, 10.0)?;
                d.find(*drawing)?.trace = *trace;
            }
            Self::Mend { drawing, mend } => {
                d.find(*drawing)?.mends.insert(*mend);
            }
            Self::Refit { drawing, tolerance } => {
                d.find(*drawing)?.refit = tolerance.map(|t| within("a tolerance in mm", t, 0.001, 5.0)).transpose()?;
            }
            Self::Operate { drawing, operation } => {
                operation.checked().map_err(EditError::Refused)?;
                let found = d.find(*drawing)?;
                if found.operations.len() >= MOST_OPERATIONS {
                    return Err(EditError::TooMany { what: "operations on one drawing", most: MOST_OPERATIONS });
                }
                found.operations.push(operation.clone());
            }
            Self::TakeBack { drawing, at } => {
                let found = d.find(*drawing)?;
                if *at >= found.operations.len() {
                    return Err(EditError::Gone("that operation".into()));
                }
                found.operations.remove(*at);
            }
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetGap { gap, .. } => format!("Gaps up to {gap:.3} mm joined"),
            Self::SetTrace { .. } => "Traced otherwise".into(),
            Self::Mend { mend, .. } => mend.done().into(),
            Self::Refit { tolerance: Some(t), .. } => format!("Polylines followed within {t} mm"),
            Self::Refit { tolerance: None, .. } => "Polylines as drawn".into(),
            Self::Operate { operation, .. } => operation.sentence(),
            Self::TakeBack { .. } => "An operation taken back".into(),
        }
    }
}

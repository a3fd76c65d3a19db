//! What is decided at Release.

use super::nest::Sheet;
use super::{Decisions, EditError, OnBatch, Pose, Zero};
use crate::geometry::Point;
use crate::ids::BatchId;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Furthest from the bed's corner that a sheet's corner may lie, mm.
const FURTHEST: f64 = 20_000.0;

/// Decisions at Release, of one batch.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct ReleaseDecisions {
    /// Initials that go into file names.
    pub initials: String,
    /// Which point of the sheet is the program's zero.
    #[serde(skip_serializing_if = "is_usual")]
    pub zero: Zero,
    /// Where sheets of the batch lie on the bed, by their number in it from 1; the others at its corner, or where the rack says.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub laid: BTreeMap<u32, Laid>,
}

fn is_usual(zero: &Zero) -> bool {
    *zero == Zero::LowerLeft
}

/// Where a sheet lies on the bed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Laid {
    /// The lower left corner of its box, mm.
    pub at: Point,
    /// How far it is turned, radians anticlockwise.
    pub turn: f64,
}

impl ReleaseDecisions {
    /// How sheet `i` of the batch, from 0, lies and where its zero is.
    pub fn pose(&self, i: usize, sheet: &Sheet) -> Pose {
        let laid = u32::try_from(i + 1).ok().and_then(|n| self.laid.get(&n)).copied();
        // Trays lie where the first one does: in the same jig.
        let laid = laid.or_else(|| sheet.tray.as_ref().and_then(|_| self.laid.get(&1)).copied());
        let laid = laid.unwrap_or_else(|| Laid { at: sheet.on_bed.unwrap_or_default(), turn: 0.0 });
        Pose { zero: self.zero.on((sheet.width, sheet.height)), at: laid.at, turn: laid.turn }
    }
}

/// A change at Release, of one batch. Sheets are numbered within it from 1.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum ReleaseEdit {
    SetInitials {
        initials: String,
    },
    SetZero {
        zero: Zero,
    },
    /// The sheet lies there on the bed, mm, turned by so many degrees.
    Lay {
        sheet: u32,
        x: f64,
        y: f64,
        #[serde(default)]
        degrees: f64,
    },
    /// Two points of the sheet were found there on the bed.
    Align {
        sheet: u32,
        on_sheet: [Point; 2],
        on_bed: [Point; 2],
    },
    /// All sheets lie where they lie without a word.
    LayAtCorner,
}

impl ReleaseEdit {
    /// The change on this batch.
    pub fn on(self, batch: BatchId) -> super::Edit {
        super::Edit::Release(OnBatch { batch, edit: self })
    }

    pub(super) fn apply(&self, d: &mut Decisions, batch: BatchId) -> Result<(), EditError> {
        let release = &mut d.batch_mut(batch)?.release;
        match self {
            Self::SetInitials { initials } => release.initials = initials.chars().filter(|c| c.is_alphanumeric()).take(6).collect(),
            Self::SetZero { zero } => {
                if let Zero::At(p) = zero {
                    near("the zero's place in mm", *p)?;
                }
                release.zero = *zero;
            }
            Self::Lay { sheet, x, y, degrees } => {
                let at = Point::new(*x, *y);
                near("the sheet's place on the bed in mm", at)?;
                super::edit::within("a turn in degrees", *degrees, -360.0, 360.0)?;
                lay(release, *sheet, Laid { at, turn: degrees.to_radians() })?;
            }
            Self::Align { sheet, on_sheet, on_bed } => {
                for p in on_sheet.iter().chain(on_bed) {
                    near("a point's place in mm", *p)?;
                }
                let (at, turn) = Pose::aligned(*on_sheet, *on_bed).map_err(EditError::Refused)?;
                lay(release, *sheet, Laid { at, turn })?;
            }
            Self::LayAtCorner => {
                // Also what the rack says lies elsewhere.
                let sheets = d.batch(batch).nest.layout.as_ref().map_or(0, |l| l.sheets.len());
                let all = (1..=u32::try_from(sheets).unwrap_or(0)).map(|n| (n, Laid::default())).collect();
                d.batch_mut(batch)?.release.laid = all;
            }
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetInitials { initials } => format!("Initials {initials}"),
            Self::SetZero { zero } => format!("Zero at the {}", zero.words()),
            Self::Lay { sheet, x, y, .. } => format!("Sheet {sheet} of the batch at {x:.1}, {y:.1} mm on the bed"),
            Self::Align { sheet, .. } => format!("Sheet {sheet} of the batch aligned by two points"),
            Self::LayAtCorner => "Sheets at the bed's corner".into(),
        }
    }
}

fn near(what: &'static str, p: Point) -> Result<(), EditError> {
    super::edit::within(what, p.x, -FURTHEST, FURTHEST)?;
    super::edit::within(what, p.y, -FURTHEST, FURTHEST)?;
    Ok(())
}

/// Sheets of a batch that are laid by hand at most.
const MOST_LAID: usize = 1000;

fn lay(release: &mut ReleaseDecisions, sheet: u32, laid: Laid) -> Result<(), EditError> {
    if !(1..=1_000_000).contains(&sheet) || release.laid.len() >= MOST_LAID && !release.laid.contains_key(&sheet) {
        return Err(EditError::TooMany { what: "sheets laid by hand", most: MOST_LAID });
    }
    release.laid.insert(sheet, laid);
    Ok(())
}

//! What is decided at Nest: sheets, distances, turns, and the layout itself.

use super::{BatchDecisions, Decisions, EditError, OnBatch, copies, within};
use crate::geometry::{Affine, LARGEST_COORDINATE, Path, Vec2};
use crate::ids::{BatchId, CopyId, PartId};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Which turns a part may take on the sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Turn {
    /// As drawn.
    None,
    /// As drawn or upside down.
    Half,
    /// By quarter turns.
    #[default]
    Quarter,
    /// By steps of 15°.
    Any,
}

impl Turn {
    /// All, as offered.
    pub const ALL: [Self; 4] = [Self::None, Self::Half, Self::Quarter, Self::Any];

    /// Angles to try, degrees anticlockwise.
    pub fn angles(self) -> Vec<f64> {
        let steps = match self {
            Self::None => 1,
            Self::Half => 2,
            Self::Quarter => 4,
            Self::Any => 24,
        };
        (0..steps).map(|i| f64::from(i) * 360.0 / f64::from(steps)).collect()
    }
    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Half => "180°",
            Self::Quarter => "90°",
            Self::Any => "any",
        }
    }
    /// As typed on the command line: `none`, `180`, `90`, `any`.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|t| t.name().trim_end_matches('°') == word)
    }
}

/// A kind of sheet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sheet {
    /// Width, mm.
    pub width: f64,
    /// Height, mm.
    pub height: f64,
    /// How many there are; `None` for as many as needed.
    pub count: Option<u32>,
    /// The true outline of an offcut and its holes, within width × height; empty for a full rectangle.
    #[serde(default)]
    pub outline: Vec<Path>,
}

impl Sheet {
    /// A full sheet, as many as needed.
    pub fn rectangle(width: f64, height: f64) -> Self {
        Self { width, height, count: None, outline: Vec::new() }
    }
    /// An offcut from closed outlines: the largest is its edge, the others are holes. Moved so that its box starts at 0, 0.
    pub fn offcut(mut outlines: Vec<Path>) -> Result<Self, String> {
        outlines.retain(|p| p.closed && p.area().abs() > 1.0);
        outlines.sort_by(|a, b| b.area().abs().total_cmp(&a.area().abs()));
        let Some(edge) = outlines.first() else {
            return Err("it holds no closed outline; draw the offcut's edge as one closed line".into());
        };
        let bounds = edge.bounds();
        let home = Affine::translate(-bounds.min.to_vec2());
        let outline = outlines.iter().map(|p| p.transformed(home)).collect();
        let sheet = Self { width: bounds.width(), height: bounds.height(), count: Some(1), outline };
        sheet.checked()?;
        Ok(sheet)
    }
    /// Refuses sheets without size and sheets beyond any machine.
    pub fn checked(&self) -> Result<(), String> {
        let sane = |v: f64| v.is_finite() && (1.0..=20_000.0).contains(&v);
        if sane(self.width) && sane(self.height) {
            Ok(())
        } else {
            Err(format!("a sheet of {} × {} mm cannot be; each side must be 1 to 20000 mm", self.width, self.height))
        }
    }
    /// Area, mm².
    pub fn area(&self) -> f64 {
        match self.outline.split_first() {
            None => self.width * self.height,
            Some((edge, holes)) => edge.area().abs() - holes.iter().map(|h| h.area().abs()).sum::<f64>(),
        }
    }
}

/// One copy of a part on a sheet: mirror in x if `mirrored`, turn about the drawing's origin, then move.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Placement {
    /// Which copy of which part.
    pub copy: CopyId,
    /// Move in x after the turn, mm.
    pub x: f64,
    /// Move in y after the turn, mm.
    pub y: f64,
    /// Turn, degrees anticlockwise.
    pub angle: f64,
    /// Mirrored in x first.
    pub mirrored: bool,
}

impl Placement {
    /// The placement of a rigid motion, mirrored or not. Quarter turns are exact.
    pub fn of(copy: CopyId, motion: Affine) -> Self {
        let [a, b, _, _, x, y] = motion.as_coeffs();
        let mirrored = motion.determinant() < 0.0;
        let angle = if mirrored { (-b).atan2(-a) } else { b.atan2(a) }.to_degrees().rem_euclid(360.0);
        let quarter = (angle / 90.0).round() * 90.0;
        let angle = if (angle - quarter).abs() < 1e-9 { quarter.rem_euclid(360.0) } else { angle };
        Self { copy, x, y, angle, mirrored }
    }

    /// From the drawing's mm to the sheet's. Quarter turns are exact.
    pub fn affine(&self) -> Affine {
        let mirror = if self.mirrored { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY };
        Affine::translate(Vec2::new(self.x, self.y)) * turned(self.angle) * mirror
    }
}

/// A turn by `degrees`, exact for quarter turns.
pub fn turned(degrees: f64) -> Affine {
    let (s, c) = match degrees.rem_euclid(360.0) {
        0.0 => (0.0, 1.0),
        90.0 => (1.0, 0.0),
        180.0 => (0.0, -1.0),
        270.0 => (-1.0, 0.0),
        d => d.to_radians().sin_cos(),
    };
    Affine::new([c, s, -s, c, 0.0, 0.0])
}

/// A sheet with what lies on it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SheetLayout {
    /// The sheet.
    pub sheet: Sheet,
    /// The copies on it.
    pub placed: Vec<Placement>,
}

/// Parts on sheets.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Layout {
    /// Sheets in order of use.
    pub sheets: Vec<SheetLayout>,
    /// Copies that found no place, by part.
    pub unplaced: BTreeMap<PartId, u32>,
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
    /// Copies that are held in place while the rest is nested round them.
    pub held: BTreeSet<CopyId>,
}

/// A change at Nest, of one batch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum NestEdit {
    SetQuantity {
        part: PartId,
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
    /// A copy is laid by hand: on this sheet, counted from 0. It is not held by that.
    MoveCopy {
        to: Placement,
        sheet: usize,
    },
    /// Copies are held where they lie, or let go.
    HoldCopies {
        copies: Vec<CopyId>,
        on: bool,
    },
    /// The parts are to be laid anew. Nothing is decided by it: whoever takes it searches, and keeps what is found.
    Nest,
}

/// Copies of one layout at most.
const MOST_PLACED: usize = 200_000;

impl NestEdit {
    /// The change on this batch.
    pub fn on(self, batch: BatchId) -> super::Edit {
        super::Edit::Nest(OnBatch { batch, edit: self })
    }

    pub(super) fn apply(&self, d: &mut Decisions, batch: BatchId) -> Result<(), EditError> {
        if let Self::SetQuantity { part, quantity } = self {
            d.batch_mut(batch)?;
            d.parts.entry(*part).or_default().quantity.insert(batch, copies(*quantity)?);
            return Ok(());
        }
        let BatchDecisions { nest, .. } = d.batch_mut(batch)?;
        match self {
            Self::SetQuantity { .. } | Self::Nest => {}
            Self::SetSpacing { spacing } => nest.spacing = spacing.map(|s| within("a spacing in mm", s, 0.0, 500.0)).transpose()?,
            Self::SetMargin { margin } => nest.margin = margin.map(|m| within("a margin in mm", m, 0.0, 500.0)).transpose()?,
            Self::SetTurn { turn } => nest.turn = *turn,
            Self::SetSheets { sheets } => {
                sheets.iter().try_for_each(Sheet::checked).map_err(EditError::Refused)?;
                nest.sheets.clone_from(sheets);
            }
            Self::KeepLayout { layout } => {
                sane_layout(layout)?;
                nest.layout = Some(layout.clone());
            }
            Self::MoveCopy { to, sheet } => {
                sane_placement(to)?;
                let layout = nest.layout.as_mut().ok_or_else(|| EditError::Gone("the layout".into()))?;
                layout.lay(*to, *sheet).ok_or_else(|| EditError::Gone("that copy or that sheet".into()))?;
            }
            Self::HoldCopies { copies, on: true } => nest.held.extend(copies),
            Self::HoldCopies { copies, on: false } => nest.held.retain(|c| !copies.contains(c)),
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetQuantity { quantity, .. } => format!("Quantity {quantity}"),
            Self::SetSpacing { spacing } => format!("Spacing {}", super::millimetres(*spacing)),
            Self::SetMargin { margin } => format!("Margin {}", super::millimetres(*margin)),
            Self::SetTurn { turn } => format!("Turns: {}", turn.name()),
            Self::SetSheets { sheets } => {
                let of = |s: &Sheet| s.count.map_or_else(String::new, |n| format!("{n} of ")) + &format!("{} × {}", s.width, s.height);
                let told: Vec<String> = sheets.iter().take(3).map(of).collect();
                if told.is_empty() { "The material's own sheets".into() } else { format!("Sheets {}", told.join(", ")) }
            }
            Self::KeepLayout { layout } => format!("Nested on {}", crate::finding::counted(layout.sheets.len(), "sheet", "sheets")),
            Self::MoveCopy { to, .. } => format!("A copy laid at {:.1}, {:.1}, {:.0}°", to.x, to.y, to.angle),
            Self::HoldCopies { copies, on } => {
                format!("{} {}", crate::finding::counted(copies.len(), "copy", "copies"), if *on { "held" } else { "let go" })
            }
            Self::Nest => "Nest again".into(),
        }
    }
}

fn sane_layout(layout: &Layout) -> Result<(), EditError> {
    layout.sheets.iter().try_for_each(|s| s.sheet.checked()).map_err(EditError::Refused)?;
    if layout.copies().count() > MOST_PLACED {
        return Err(EditError::TooMany { what: "copies of one layout", most: MOST_PLACED });
    }
    layout.copies().try_for_each(sane_placement)
}

fn sane_placement(p: &Placement) -> Result<(), EditError> {
    for v in [p.x, p.y] {
        within("a place in mm", v, -LARGEST_COORDINATE, LARGEST_COORDINATE)?;
    }
    within("an angle in degrees", p.angle, -3600.0, 3600.0)?;
    Ok(())
}

impl Layout {
    /// Every copy that lies on a sheet.
    pub fn copies(&self) -> impl Iterator<Item = &Placement> {
        self.sheets.iter().flat_map(|s| &s.placed)
    }

    /// Lays a copy that is there elsewhere, on sheet `sheet` from 0; `None` where there is no such copy or sheet. The others
    /// keep their places in the list.
    pub fn lay(&mut self, to: Placement, sheet: usize) -> Option<()> {
        let on = self.sheets.iter().position(|s| s.placed.iter().any(|p| p.copy == to.copy))?;
        let target = self.sheets.get(sheet)?.placed.len();
        let at = self.sheets[on].placed.iter().position(|p| p.copy == to.copy)?;
        if on == sheet {
            self.sheets[on].placed[at] = to;
        } else {
            self.sheets[on].placed.remove(at);
            self.sheets[sheet].placed.insert(target, to);
        }
        Some(())
    }

    /// The same with its copies numbered from 1 within each part, where they have no number of their own yet.
    pub fn numbered(mut self) -> Self {
        let mut used: BTreeSet<CopyId> = self.copies().map(|p| p.copy).filter(|c| c.number > 0).collect();
        let mut next: BTreeMap<PartId, u32> = BTreeMap::new();
        for p in self.sheets.iter_mut().flat_map(|s| &mut s.placed).filter(|p| p.copy.number == 0) {
            let number = next.entry(p.copy.part).or_insert(0);
            loop {
                *number += 1;
                p.copy.number = *number;
                if used.insert(p.copy) {
                    break;
                }
            }
        }
        self
    }
}

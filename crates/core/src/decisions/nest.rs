//! What is decided at Nest: sheets, distances, turns, and which layout.

use super::tray::checked;
use super::{BatchDecisions, Decisions, EditError, Elsewhere, OnBatch, copies, within};
use crate::geometry::{Bounds, LARGEST_COORDINATE};
use crate::ids::{BatchId, CopyId, PartId};
pub use boustrophe_nest::{Aim, Grain, Layout, PartNest, Placement, Sheet, SheetLayout, Tray, Turn, turned};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Decisions at Nest.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct NestDecisions {
    /// Sheets to use, in order; the last may be used without limit. Empty: the material's own sheet.
    pub sheets: Vec<Sheet>,
    /// Boxes of every sheet that nothing may be laid on, mm.
    pub clamps: Vec<Bounds>,
    /// Least distance between parts, mm; `None` for the machine's.
    pub spacing: Option<f64>,
    /// Least distance from the sheet's edge, mm; `None` for the machine's.
    pub margin: Option<f64>,
    /// Which turns are allowed.
    pub turn: Turn,
    /// Parts may be mirrored.
    pub mirror: bool,
    /// Which way the parts' grain lies; `None`: it does not matter.
    pub grain: Option<Grain>,
    /// Neighbours are laid a kerf apart and share one cut along straight edges.
    pub common_edges: bool,
    /// What is aimed at among layouts of equally many sheets.
    pub aim: Aim,
    /// What is said of single parts.
    pub parts: BTreeMap<PartId, PartNest>,
    /// The layout that a search found and that was kept.
    pub layout: Option<Layout>,
    /// Another that was set aside, to be compared with it.
    pub aside: Option<Layout>,
    /// Copies that are held in place while the rest is nested round them.
    pub held: BTreeSet<CopyId>,
    /// The batch is worked on blanks that lie in such a tray, and not on sheets.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tray: Option<Arc<Tray>>,
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
    /// Copies of a part lie on another job's sheets; none any more where the count is 0.
    LieElsewhere {
        part: PartId,
        place: Elsewhere,
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
    SetMirror {
        mirror: bool,
    },
    SetGrain {
        grain: Option<Grain>,
    },
    /// Neighbours share cuts along straight edges, or each is cut by itself.
    SetCommonEdges {
        on: bool,
    },
    SetAim {
        aim: Aim,
    },
    /// How one part may be laid.
    SetPart {
        part: PartId,
        nest: PartNest,
    },
    /// Boxes of every sheet that nothing may be laid on.
    SetClamps {
        clamps: Vec<Bounds>,
    },
    SetSheets {
        sheets: Vec<Sheet>,
    },
    /// Blanks are worked on in such a tray; `None`: sheets.
    SetTray {
        tray: Option<Box<Tray>>,
    },
    KeepLayout {
        layout: Layout,
    },
    /// Another sheet by hand, for copies that are laid on it in the same change.
    AddSheet {
        sheet: Sheet,
    },
    /// Copies are laid by hand, each on its sheet, counted from 0: those that are there move, the others are added. They are not
    /// held by that. Sheets on which nothing lies then are put back.
    LayCopies {
        to: Vec<(Placement, usize)>,
    },
    /// Copies are lifted off: they wait for a place.
    LiftCopies {
        copies: Vec<CopyId>,
    },
    /// The layout is set aside, to be compared with what comes.
    SetAside,
    /// The layout that was set aside comes back, and this one is set aside.
    SwapAside,
    /// What was set aside is given up.
    DropAside,
    /// Copies are held where they lie, or let go.
    HoldCopies {
        copies: Vec<CopyId>,
        on: bool,
    },
    /// The parts are to be laid anew. Nothing is decided by it: whoever takes it searches, and keeps what is found.
    Nest,
}

/// Clamps of a sheet at most.
const MOST_CLAMPS: usize = 60;
/// Sheets of one layout at most.
const MOST_SHEETS: usize = 10_000;
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
        if let Self::LieElsewhere { part, place } = self {
            let all = &mut d.parts.entry(*part).or_default().elsewhere;
            all.retain(|e| e.job != place.job);
            all.extend((place.count > 0).then(|| place.clone()));
            return Ok(());
        }
        let BatchDecisions { nest, .. } = d.batch_mut(batch)?;
        match self {
            Self::SetQuantity { .. } | Self::LieElsewhere { .. } | Self::Nest => {}
            Self::SetSpacing { spacing } => nest.spacing = spacing.map(|s| within("a spacing in mm", s, 0.0, 500.0)).transpose()?,
            Self::SetMargin { margin } => nest.margin = margin.map(|m| within("a margin in mm", m, 0.0, 500.0)).transpose()?,
            Self::SetTurn { turn } => nest.turn = *turn,
            Self::SetMirror { mirror } => nest.mirror = *mirror,
            Self::SetGrain { grain } => nest.grain = *grain,
            Self::SetCommonEdges { on } => nest.common_edges = *on,
            Self::SetAim { aim } => nest.aim = *aim,
            Self::SetPart { part, nest: said } if *said == PartNest::default() => {
                nest.parts.remove(part);
            }
            Self::SetPart { part, nest: said } => {
                nest.parts.insert(*part, *said);
            }
            Self::SetClamps { clamps } => {
                if clamps.len() > MOST_CLAMPS || clamps.iter().any(|c| c.is_empty() || !c.min.is_finite() || !c.max.is_finite()) {
                    return Err(EditError::Refused(format!("a clamp needs a place and a size, and there may be {MOST_CLAMPS} of them")));
                }
                nest.clamps.clone_from(clamps);
            }
            Self::SetSheets { sheets } => {
                sheets.iter().try_for_each(Sheet::checked).map_err(EditError::Refused)?;
                nest.sheets.clone_from(sheets);
            }
            Self::SetTray { tray } => {
                tray.iter().try_for_each(|t| checked(t))?;
                nest.tray = tray.as_deref().cloned().map(Arc::new);
            }
            Self::KeepLayout { layout } => {
                sane_layout(layout)?;
                let made_for = Some(nest.sheets.iter().filter_map(|s| s.rack).collect());
                nest.layout = Some(Layout { made_for, ..layout.clone() });
            }
            Self::AddSheet { sheet } => {
                sheet.checked().map_err(EditError::Refused)?;
                let layout = nest.layout.as_mut().ok_or_else(|| EditError::Gone("that layout".into()))?;
                if layout.sheets.len() >= MOST_SHEETS {
                    return Err(EditError::TooMany { what: "sheets of one layout", most: MOST_SHEETS });
                }
                layout.sheets.push(SheetLayout { sheet: sheet.clone(), placed: Vec::new() });
            }
            Self::LayCopies { to } => {
                let layout = nest.layout.as_mut().ok_or_else(|| EditError::Gone("that layout".into()))?;
                to.iter().try_for_each(|(p, _)| sane_placement(p))?;
                if layout.copies().count() + to.len() > MOST_PLACED {
                    return Err(EditError::TooMany { what: "copies of one layout", most: MOST_PLACED });
                }
                for (p, sheet) in to {
                    layout.lay(*p, *sheet).or_else(|| layout.add(*p, *sheet)).ok_or_else(|| EditError::Gone("that sheet".into()))?;
                }
                layout.without_empty();
            }
            Self::LiftCopies { copies } => {
                let layout = nest.layout.as_mut().ok_or_else(|| EditError::Gone("that layout".into()))?;
                copies.iter().try_for_each(|c| layout.lift(*c)).ok_or_else(|| EditError::Gone("that copy".into()))?;
                layout.without_empty();
                nest.held.retain(|c| !copies.contains(c));
            }
            Self::SetAside => nest.aside.clone_from(&nest.layout),
            Self::SwapAside => std::mem::swap(&mut nest.aside, &mut nest.layout),
            Self::DropAside => nest.aside = None,
            Self::HoldCopies { copies, on: true } => nest.held.extend(copies),
            Self::HoldCopies { copies, on: false } => nest.held.retain(|c| !copies.contains(c)),
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetQuantity { quantity, .. } => format!("Quantity {quantity}"),
            Self::LieElsewhere { place, .. } if place.count == 0 => format!("Not with “{}” any more", place.name),
            Self::LieElsewhere { place, .. } => format!("{} with “{}”", place.count, place.name),
            Self::SetSpacing { spacing } => format!("Spacing {}", super::millimetres(*spacing)),
            Self::SetMargin { margin } => format!("Margin {}", super::millimetres(*margin)),
            Self::SetTurn { turn } => format!("Turns: {}", turn.name()),
            Self::SetMirror { mirror } => if *mirror { "Parts may be mirrored" } else { "Parts are not mirrored" }.into(),
            Self::SetGrain { grain } => grain.map_or_else(|| "Grain does not matter".into(), |g| format!("Grain {}", g.name())),
            Self::SetCommonEdges { on } => if *on { "Common edges" } else { "No common edges" }.into(),
            Self::SetAim { aim } => format!("Nest for {}", aim.name()),
            Self::SetPart { nest, .. } => match nest.words() {
                none if none.is_empty() => "A part is laid as the others are".into(),
                told => format!("A part: {told}"),
            },
            Self::SetClamps { clamps } => crate::words::counted(clamps.len(), "clamp", "clamps"),
            Self::SetSheets { sheets } => {
                let of = |s: &Sheet| s.count.map_or_else(String::new, |n| format!("{n} of ")) + &format!("{} × {}", s.width, s.height);
                let told: Vec<String> = sheets.iter().take(3).map(of).collect();
                if told.is_empty() { "The material's own sheets".into() } else { format!("Sheets {}", told.join(", ")) }
            }
            Self::SetTray { tray: Some(t) } => format!("{} in trays of {} × {}", t.name, t.columns, t.rows),
            Self::SetTray { tray: None } => "Sheets, no blanks".into(),
            Self::KeepLayout { layout } => format!("Nested on {}", crate::words::counted(layout.sheets.len(), "sheet", "sheets")),
            Self::AddSheet { sheet } => format!("Another sheet of {} × {}", sheet.width, sheet.height),
            Self::LayCopies { to } if to.len() == 1 => {
                to.iter().map(|(p, _)| format!("A copy laid at {:.1}, {:.1}, {:.0}°", p.x, p.y, p.angle)).collect()
            }
            Self::LayCopies { to } => format!("{} laid by hand", crate::words::counted(to.len(), "copy", "copies")),
            Self::LiftCopies { copies } => format!("{} lifted off", crate::words::counted(copies.len(), "copy", "copies")),
            Self::SetAside => "This nest set aside".into(),
            Self::SwapAside => "The other nest taken".into(),
            Self::DropAside => "The nest set aside given up".into(),
            Self::HoldCopies { copies, on } => {
                format!("{} {}", crate::words::counted(copies.len(), "copy", "copies"), if *on { "held" } else { "let go" })
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

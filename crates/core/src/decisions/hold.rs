//! What is decided at Hold.

use super::kerf::{CornerRule, LineSide};
use super::leads::{FARTHEST_PIERCE, LeadRule, PiercePlace};
use super::reach::{said, say};
use super::{Decisions, EditError, OnBatch, within};
use crate::ids::{BatchId, ContourId, CopyId, CutId, EdgePlace};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// How engraved areas are swept.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Sweep {
    /// Angle of the rows in degrees from the x axis; `None` for along x or y, whichever is faster.
    pub angle: Option<f64>,
    /// All rows one way.
    pub one_way: bool,
}

/// Which contours the rule gives nicks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NickWhich {
    /// Every outline.
    #[default]
    Outlines,
    /// Outlines of parts that would fall between the slats.
    Small,
    /// Outlines, and holes whose slugs would otherwise drop.
    All,
}

impl NickWhich {
    /// All, as offered.
    pub const ALL: [Self; 3] = [Self::Outlines, Self::Small, Self::All];

    /// As shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Outlines => "every outline",
            Self::Small => "parts that fall between slats",
            Self::All => "outlines and holes",
        }
    }
    /// As typed: `outlines`, `small`, `all`.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Outlines => "outlines",
            Self::Small => "small",
            Self::All => "all",
        }
    }
}

/// Nicks that a hand set on one contour, at most.
const MOST_NICKS: usize = 400;

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
    /// Fewest and most nicks of a contour; `None` for the shop's.
    pub nick_count: Option<(u32, u32)>,
    /// Which contours the rule gives nicks.
    pub nick_which: NickWhich,
    /// Middles of the nicks that a hand set on a contour, in the place of the rule's, in every copy.
    pub nick_places: BTreeMap<ContourId, Vec<EdgePlace>>,
    /// The same for one copy alone; beats what holds for every copy.
    pub copy_nicks: BTreeMap<CopyId, BTreeMap<ContourId, Vec<EdgePlace>>>,
    /// Leads; `None` for the machine's custom (plasma yes, laser no).
    pub leads: Option<bool>,
    /// How leads are laid.
    pub lead: LeadRule,
    /// Where a hand put the pierce of a contour, in every copy.
    pub pierces: BTreeMap<ContourId, PiercePlace>,
    /// The same for one copy alone; beats what holds for every copy.
    pub copy_pierces: BTreeMap<CopyId, BTreeMap<ContourId, PiercePlace>>,
    /// Middles of the nicks that a hand set on a cut that copies have in common, in the place of the rule's.
    pub common_nicks: BTreeMap<CutId, Vec<EdgePlace>>,
    /// What is done at sharp corners.
    pub corners: CornerRule,
    /// On which side of an open cut the kerf lies, where a hand said.
    pub sides: BTreeMap<ContourId, LineSide>,
    /// How engraved areas are swept.
    pub sweep: Sweep,
}

impl HoldDecisions {
    /// Where a hand put the pierce of a copy's contour, if one did.
    pub fn pierce_at(&self, copy: CopyId, contour: ContourId) -> Option<PiercePlace> {
        said(&self.pierces, &self.copy_pierces, (copy, contour)).copied()
    }
    /// Contours whose pierce a hand put, for every copy and for single ones.
    pub fn pierced(&self) -> usize {
        self.pierces.len() + self.copy_pierces.values().map(BTreeMap::len).sum::<usize>()
    }
    /// Where a hand set the nicks of a copy's contour, if one did.
    pub fn nicks_at(&self, copy: CopyId, contour: ContourId) -> Option<&[EdgePlace]> {
        said(&self.nick_places, &self.copy_nicks, (copy, contour)).map(Vec::as_slice)
    }
    /// Contours whose nicks a hand set, for every copy and for single ones.
    pub fn nicked(&self) -> usize {
        self.nick_places.len() + self.common_nicks.len() + self.copy_nicks.values().map(BTreeMap::len).sum::<usize>()
    }
}

/// A change at Hold, of one batch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum HoldEdit {
    SetNicks {
        on: bool,
    },
    SetNickWidth {
        width: Option<f64>,
    },
    SetNickPitch {
        pitch: Option<f64>,
    },
    SetNickCount {
        count: Option<(u32, u32)>,
    },
    SetNickWhich {
        which: NickWhich,
    },
    /// All nicks of a contour; `None` gives them back to the rule. Without a copy it holds for every one.
    SetNickPlaces {
        contour: ContourId,
        places: Option<Vec<EdgePlace>>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        copy: Option<CopyId>,
    },
    /// All nicks of a cut that copies have in common; `None` gives them back to the rule.
    SetCommonNicks {
        cut: CutId,
        places: Option<Vec<EdgePlace>>,
    },
    SetCorners {
        corners: CornerRule,
    },
    /// `None` for on the line.
    SetSide {
        contours: Vec<ContourId>,
        side: Option<LineSide>,
    },
    SetLeads {
        on: bool,
    },
    SetLead {
        lead: LeadRule,
    },
    SetLeadLength {
        length: Option<f64>,
    },
    SetOverlap {
        overlap: f64,
    },
    SetChain {
        most: f64,
    },
    SetCornerReach {
        reach: f64,
    },
    SetCornerSeconds {
        seconds: f64,
    },
    /// `None` gives the pierce back to the rule. Without a copy it holds for every one.
    SetPierce {
        contour: ContourId,
        pierce: Option<PiercePlace>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        copy: Option<CopyId>,
    },
    SetSweep {
        sweep: Sweep,
    },
}

impl HoldEdit {
    /// The change on this batch.
    pub fn on(self, batch: BatchId) -> super::Edit {
        super::Edit::Hold(OnBatch { batch, edit: self })
    }

    pub(super) fn apply(&self, d: &mut Decisions, batch: BatchId) -> Result<(), EditError> {
        let hold = &mut d.batch_mut(batch)?.hold;
        match self {
            Self::SetNicks { on } => hold.nicks = Some(*on),
            Self::SetNickWidth { width } => hold.nick_width = width.map(|w| within("a nick width in mm", w, 0.05, 20.0)).transpose()?,
            Self::SetNickPitch { pitch } => hold.nick_pitch = pitch.map(|p| within("a nick pitch in mm", p, 5.0, 10_000.0)).transpose()?,
            Self::SetNickCount { count } => {
                if count.is_some_and(|(least, most)| least > most || most > MOST_NICKS as u32) {
                    return Err(EditError::Refused(format!("at least and at most, no more than {MOST_NICKS}: the first is the smaller")));
                }
                hold.nick_count = *count;
            }
            Self::SetNickWhich { which } => hold.nick_which = *which,
            Self::SetNickPlaces { contour, places, copy } => {
                sane(places.as_deref())?;
                say(&mut hold.nick_places, &mut hold.copy_nicks, (*copy, *contour), places.clone());
            }
            Self::SetCommonNicks { cut, places } => {
                sane(places.as_deref())?;
                match places {
                    Some(places) => hold.common_nicks.insert(*cut, places.clone()),
                    None => hold.common_nicks.remove(cut),
                };
            }
            Self::SetCorners { corners } => hold.corners = corners.checked()?,
            Self::SetSide { contours, side } => match side.filter(|s| *s != LineSide::Middle) {
                Some(side) => hold.sides.extend(contours.iter().map(|c| (*c, side))),
                None => hold.sides.retain(|c, _| !contours.contains(c)),
            },
            Self::SetLeads { on } => hold.leads = Some(*on),
            Self::SetLeadLength { length } => hold.lead = LeadRule { length: *length, ..hold.lead }.checked()?,
            Self::SetOverlap { overlap } => hold.lead = LeadRule { overlap: *overlap, ..hold.lead }.checked()?,
            Self::SetChain { most } => hold.lead = LeadRule { chain: *most, ..hold.lead }.checked()?,
            Self::SetCornerReach { reach } => hold.corners = CornerRule { reach: *reach, ..hold.corners }.checked()?,
            Self::SetCornerSeconds { seconds } => hold.corners = CornerRule { seconds: *seconds, ..hold.corners }.checked()?,
            Self::SetLead { lead } => hold.lead = lead.checked()?,
            Self::SetPierce { contour, pierce, copy } => {
                if let Some(p) = pierce {
                    within("a pierce's distance in mm", p.ahead.hypot(p.aside), 0.1, FARTHEST_PIERCE)?;
                    if !p.at.is_sane() {
                        return Err(EditError::Refused("a place on a contour is a share of 0 to 1 of a segment".into()));
                    }
                }
                say(&mut hold.pierces, &mut hold.copy_pierces, (*copy, *contour), *pierce);
            }
            Self::SetSweep { sweep } => {
                sweep.angle.map(|a| within("an angle of rows in degrees", a, -360.0, 360.0)).transpose()?;
                hold.sweep = *sweep;
            }
        }
        Ok(())
    }

    pub(super) fn label(&self) -> String {
        match self {
            Self::SetNicks { on } => if *on { "Nicks on" } else { "Nicks off" }.into(),
            Self::SetNickWidth { width } => format!("Nick width {}", super::millimetres(*width)),
            Self::SetNickPitch { pitch } => format!("A nick every {}", super::millimetres(*pitch)),
            Self::SetNickCount { count: Some((least, most)) } => format!("{least} to {most} nicks"),
            Self::SetNickCount { count: None } => "Nicks as many as usual".into(),
            Self::SetNickWhich { which } => format!("Nicks: {}", which.name()),
            Self::SetNickPlaces { places: None, .. } => "Nicks left to the rule".into(),
            Self::SetNickPlaces { places: Some(at), .. } => format!("{} set by hand", crate::words::counted(at.len(), "nick", "nicks")),
            Self::SetCommonNicks { places: None, .. } => "Nicks on a common edge left to the rule".into(),
            Self::SetCommonNicks { places: Some(at), .. } => {
                format!("{} set by hand on a common edge", crate::words::counted(at.len(), "nick", "nicks"))
            }
            Self::SetCorners { corners } => format!("Inner corners {}, outer {}", corners.inner.name(), corners.outer.name()),
            Self::SetSide { side, .. } => format!("Kerf {}", side.unwrap_or_default().name()),
            Self::SetLeads { on } => if *on { "Leads on" } else { "Leads off" }.into(),
            Self::SetLead { lead } => format!("Leads: {}, from {}, ending {}", lead.shape.name(), lead.from.name(), lead.end.name()),
            Self::SetLeadLength { length } => format!("Leads of {}", super::millimetres(*length)),
            Self::SetOverlap { overlap } if *overlap < 0.0 => format!("Cuts end {} mm before their begin", -overlap),
            Self::SetOverlap { overlap } => format!("Cuts go on {overlap} mm over their begin"),
            Self::SetChain { most } if *most <= 0.0 => "Every cut pierced".into(),
            Self::SetChain { most } => format!("Lit from cut to cut over {most} mm"),
            Self::SetCornerReach { reach } => format!("Loops {reach} mm beyond corners"),
            Self::SetCornerSeconds { seconds } => format!("{seconds} s in corners"),
            Self::SetPierce { pierce: None, .. } => "Pierce left to the rule".into(),
            Self::SetPierce { pierce: Some(p), .. } => format!("Pierce put {:.1} mm off", p.ahead.hypot(p.aside)),
            Self::SetSweep { sweep: Sweep { angle: Some(a), .. } } => format!("Rows at {a}°"),
            Self::SetSweep { .. } => "Rows along x or y".into(),
        }
    }
}

/// Places on a contour that a hand can have set.
fn sane(places: Option<&[EdgePlace]>) -> Result<(), EditError> {
    if places.iter().copied().flatten().any(|p| !p.is_sane()) {
        return Err(EditError::Refused("a place on a contour is a share of 0 to 1 of a segment".into()));
    }
    if places.is_some_and(|p| p.len() > MOST_NICKS) {
        return Err(EditError::TooMany { what: "nicks of a contour", most: MOST_NICKS });
    }
    Ok(())
}

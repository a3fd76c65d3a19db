//! Station 4: parts on sheets.
//!
//! The layout that a search found is itself a decision ([`Layout`] in [`crate::decisions::NestDecisions`]). [`run`] looks
//! whether the kept layout still fits the parts; [`search`] finds one.

mod check;
mod convex;
mod nofit;
mod packer;
mod problem;
mod search;
#[cfg(test)]
mod tests;

pub use check::faults;
pub use problem::Problem;
pub use search::{Control, is_better, search};

use crate::assign::{PartId, Work};
use crate::decisions::Decisions;
use crate::edit::Edit;
use crate::finding::{Finding, Severity, Station, counted};
use crate::geometry::{Affine, Path, Vec2};
use crate::shop::{Machine, Shop};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

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
    /// Which part.
    pub part: PartId,
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
    pub fn of(part: PartId, motion: Affine) -> Self {
        let [a, b, _, _, x, y] = motion.as_coeffs();
        let mirrored = motion.determinant() < 0.0;
        let angle = if mirrored { (-b).atan2(-a) } else { b.atan2(a) }.to_degrees().rem_euclid(360.0);
        let quarter = (angle / 90.0).round() * 90.0;
        let angle = if (angle - quarter).abs() < 1e-9 { quarter.rem_euclid(360.0) } else { angle };
        Self { part, x, y, angle, mirrored }
    }

    /// From the drawing's mm to the sheet's. Quarter turns are exact.
    pub fn affine(&self) -> Affine {
        let mirror = if self.mirrored { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY };
        Affine::translate(Vec2::new(self.x, self.y)) * turned(self.angle) * mirror
    }
}

/// A turn by `degrees`, exact for quarter turns.
pub(crate) fn turned(degrees: f64) -> Affine {
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

/// The settings in force at Nest.
#[derive(Clone, Debug, PartialEq)]
pub struct Setting {
    /// Least distance between parts, mm.
    pub spacing: f64,
    /// Least distance from the edge, mm.
    pub margin: f64,
    /// Sheets to use in order; the last may be without limit.
    pub sheets: Vec<Sheet>,
    /// Turns to try.
    pub turn: Turn,
}

impl Setting {
    /// What was decided, and the machine's and material's custom for the rest.
    pub fn of(decisions: &Decisions, machine: &Machine, shop: &Shop) -> Self {
        let usual = shop.material(&decisions.batch.material).map_or((600.0, 400.0), |m| m.sheet);
        let sheets =
            if decisions.nest.sheets.is_empty() { vec![Sheet::rectangle(usual.0, usual.1)] } else { decisions.nest.sheets.clone() };
        Self {
            spacing: decisions.nest.spacing.unwrap_or(machine.spacing),
            margin: decisions.nest.margin.unwrap_or(machine.margin),
            sheets,
            turn: decisions.nest.turn,
        }
    }
}

/// The layout as far as it holds, and whether it has to be made anew.
#[derive(Clone, Debug, Default)]
pub struct Nested {
    /// The kept layout without parts that are gone.
    pub layout: Layout,
    /// False when parts, quantities or settings have changed since it was made, or there is none.
    pub current: bool,
}

/// Checks the kept layout against the parts as they are now.
pub fn run(work: &Work, decisions: &Decisions, machine: &Machine, shop: &Shop) -> (Nested, Vec<Finding>) {
    let mut findings = Vec::new();
    let setting = Setting::of(decisions, machine, shop);
    let wanted: u32 = work.parts.iter().map(|p| p.quantity).sum();
    let Some(kept) = &decisions.nest.layout else {
        if wanted > 0 {
            let text = format!("{} to be laid on sheets.", counted(wanted as usize, "part waits", "parts wait"));
            findings.push(Finding::new(Station::Nest, Severity::Stop, "not-nested", wanted as usize, text).choice("Nest", Edit::Nest));
        }
        return (Nested::default(), findings);
    };
    let mut layout = kept.clone();
    let before: usize = layout.sheets.iter().map(|s| s.placed.len()).sum();
    for sheet in &mut layout.sheets {
        sheet.placed.retain(|p| work.part(p.part).is_some_and(|part| part.quantity > 0));
    }
    let gone = before - layout.sheets.iter().map(|s| s.placed.len()).sum::<usize>();
    let stale = staleness(work, &layout, gone);
    if let Some(text) = &stale {
        findings.push(Finding::new(Station::Nest, Severity::Stop, "nest-stale", 1, text.as_str()).choice("Nest again", Edit::Nest));
    } else {
        findings.extend(unplaced(work, &layout, &setting));
    }
    let bed_long = machine.bed_width.max(machine.bed_height);
    for (i, s) in layout.sheets.iter().enumerate() {
        if s.sheet.width > machine.bed_width + 1e-6 || s.sheet.height > machine.bed_height + 1e-6 {
            let text = format!(
                "Sheet {} is {:.0} × {:.0} mm, larger than {}'s bed of {:.0} × {:.0} mm. Use a sheet of at most {:.0} mm.",
                i + 1,
                s.sheet.width,
                s.sheet.height,
                machine.name,
                machine.bed_width,
                machine.bed_height,
                bed_long
            );
            let smaller = layout.sheets.iter().map(|s| Sheet::rectangle(s.sheet.width.min(machine.bed_width), s.sheet.height.min(machine.bed_height)));
            let edits = vec![Edit::SetSheets { sheets: smaller.collect() }, Edit::Nest];
            findings.push(
                Finding::new(Station::Nest, Severity::Look, "sheet-over-bed", 1, text)
                    .choice("Nest again on sheets as large as the bed", Edit::All { edits })
                    .acceptable("Leave it so"),
            );
        }
    }
    let (faults, unkept) = check::faults(work, &layout, setting.spacing, setting.margin);
    if faults > 0 {
        findings.push(
            Finding::new(
                Station::Nest,
                Severity::Stop,
                "nest-overlap",
                faults,
                format!(
                    "{} nearer to another or to the edge than the spacing of {} and margin of {} mm allow.",
                    counted(faults, "part lies", "parts lie"),
                    setting.spacing,
                    setting.margin
                ),
            )
            .on_sheet(unkept.0, unkept.1)
            .choice("Nest again", Edit::Nest),
        );
    }
    (Nested { layout, current: stale.is_none() && faults == 0 }, findings)
}

fn staleness(work: &Work, layout: &Layout, gone: usize) -> Option<String> {
    if gone > 0 {
        return Some(format!("{} of the nest is no longer wanted.", counted(gone, "part", "parts")));
    }
    let mut have: BTreeMap<PartId, u32> = layout.unplaced.clone();
    for p in layout.sheets.iter().flat_map(|s| &s.placed) {
        *have.entry(p.part).or_insert(0) += 1;
    }
    let off = work.parts.iter().filter(|p| have.get(&p.id).copied().unwrap_or(0) != p.quantity).count();
    (off > 0).then(|| format!("The nest was made for other quantities of {}.", counted(off, "part", "parts")))
}

fn unplaced(work: &Work, layout: &Layout, setting: &Setting) -> Vec<Finding> {
    let largest = setting.sheets.iter().max_by(|a, b| a.area().total_cmp(&b.area()));
    let mut findings = Vec::new();
    let mut waiting = 0;
    for (id, n) in &layout.unplaced {
        let (Some(part), Some(sheet)) = (work.part(*id), largest) else { continue };
        let (w, h) = (part.bounds.width(), part.bounds.height());
        let room = |side: f64| (side - 2.0 * setting.margin).max(0.0);
        let (room_w, room_h) = (room(sheet.width), room(sheet.height));
        let fits = w <= room_w && h <= room_h || setting.turn == Turn::Quarter && h <= room_w && w <= room_h || setting.turn == Turn::Any;
        if fits {
            waiting += *n as usize;
            continue;
        }
        let text = format!(
            "{} is {w:.1} × {h:.1} mm; the largest sheet, {:.0} × {:.0} mm, has {room_w:.1} × {room_h:.1} mm inside its margin. Use a larger sheet, a smaller margin, or leave the part out.",
            part.name, sheet.width, sheet.height
        );
        findings.push(
            Finding::new(Station::Nest, Severity::Stop, "part-too-large", *n as usize, text)
                .on([*id])
                .choice("Leave it out", Edit::SetQuantity { part: *id, quantity: 0 }),
        );
    }
    if waiting > 0 {
        let text =
            format!("{} no place on the sheets there are. Add sheets or lower quantities.", counted(waiting, "part finds", "parts find"));
        let mut finding = Finding::new(Station::Nest, Severity::Stop, "unplaced", waiting, text);
        if let Some(sheet) = largest {
            // The last sheet of the list may be used as often as it takes.
            let sheets = setting.sheets.iter().cloned().chain([Sheet { count: None, ..sheet.clone() }]).collect();
            let edits = vec![Edit::SetSheets { sheets }, Edit::Nest];
            finding = finding.choice(format!("Take more sheets of {:.0} × {:.0} mm", sheet.width, sheet.height), Edit::All { edits });
        }
        let fewer = layout.unplaced.iter().filter_map(|(id, n)| {
            let part = work.part(*id)?;
            Some(Edit::SetQuantity { part: *id, quantity: part.quantity.saturating_sub(*n) })
        });
        findings.push(finding.choice("Make those only that have a place", Edit::All { edits: fewer.chain([Edit::Nest]).collect() }));
    }
    findings
}

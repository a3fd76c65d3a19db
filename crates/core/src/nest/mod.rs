//! Station 4: parts on sheets.
//!
//! The layout that a search found is itself a decision ([`Layout`] in [`crate::decisions::NestDecisions`]). [`run`] looks
//! whether the kept layout still fits the parts. What finds one knows nothing of jobs and is a crate of its own,
//! [`boustrophe_nest`].

mod parts;
#[cfg(test)]
mod tests;
mod together;
mod tray;

pub use boustrophe_nest::*;

use crate::assign::{PartId, Process, Work};
use crate::decisions::{Decisions, Edit, NestEdit};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::ids::BatchId;
use crate::shop::{Bed, Shop};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// What was decided for a batch of a job, and the machine's and material's custom for the rest.
pub fn terms(decisions: &Decisions, batch: BatchId, shop: &Shop) -> Terms {
    let assign = &decisions.assign;
    let batch = decisions.batch(batch);
    let (nest, machine) = (&batch.nest, shop.machine_or_stand_in(&batch.stock.machine));
    let kerf = || shop.rows_for(assign, &batch.stock).get(Process::Cut, None).map(|r| r.kerf).filter(|k| *k > 0.0);
    let material = shop.material(&batch.stock.material);
    let usual = material.map_or((600.0, 400.0), |m| m.sheet);
    let rate = material.map(|m| m.price * batch.stock.thickness).filter(|p| *p > 0.0);
    let sheets = if nest.sheets.is_empty() { vec![Sheet::rectangle(usual.0, usual.1)] } else { nest.sheets.clone() };
    let sheets = sheets.into_iter().map(|s| Sheet { clamps: nest.clamps.clone(), ..s }).collect();
    Terms {
        spacing: nest.spacing.unwrap_or(machine.spacing),
        margin: nest.margin.unwrap_or(machine.margin),
        sheets,
        turn: nest.turn,
        mirror: nest.mirror,
        grain: nest.grain,
        parts: nest.parts.clone(),
        common: nest.common_edges.then(kerf).flatten(),
        aim: nest.aim,
        rate: rate.unwrap_or(1.0) / 1e6,
        tray: nest.tray.clone(),
    }
}

/// The layout as far as it holds, and whether it has to be made anew.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Nested {
    /// The kept layout without parts that are gone.
    pub layout: Layout,
    /// False when parts, quantities or settings have changed since it was made, or there is none.
    pub current: bool,
}

/// Checks the kept layout against the parts as they are now.
pub fn run(work: &Work, kept: Option<&Layout>, terms: &Terms, bed: &Bed) -> (Nested, Vec<Finding>) {
    let mut findings = Vec::new();
    let wanted: u32 = work.parts.iter().map(|p| p.quantity).sum();
    let Some(kept) = kept else {
        if wanted > 0 {
            let text = format!("{} to be laid on sheets.", counted(wanted as usize, "part waits", "parts wait"));
            findings.push(
                Finding::new(Station::Nest, Severity::Stop, Code::NotNested, wanted as usize, text)
                    .choice("Nest", NestEdit::Nest.on(BatchId::FIRST)),
            );
        }
        return (Nested::default(), findings);
    };
    let mut layout = kept.clone();
    // Clamps are as they stand now.
    let clamps = terms.sheets.first().map_or(&[][..], |s| &s.clamps);
    layout.sheets.iter_mut().for_each(|s| s.sheet.clamps = clamps.to_vec());
    let before: usize = layout.sheets.iter().map(|s| s.placed.len()).sum();
    for sheet in &mut layout.sheets {
        sheet.placed.retain(|p| work.part(p.copy.part).is_some_and(|part| part.quantity > 0));
    }
    let gone = before - layout.sheets.iter().map(|s| s.placed.len()).sum::<usize>();
    let stale = staleness(work, &layout, gone).or_else(|| other_blanks(&layout, terms)).or_else(|| other_sheets(&layout, terms));
    if let Some(text) = &stale {
        findings.push(
            Finding::new(Station::Nest, Severity::Stop, Code::NestStale, 1, text.as_str())
                .choice("Nest again", NestEdit::Nest.on(BatchId::FIRST)),
        );
    } else {
        findings.extend(unplaced(work, &layout, terms));
    }
    let bed_long = bed.width.max(bed.height);
    for (i, s) in layout.sheets.iter().enumerate() {
        if s.sheet.width > bed.width + 1e-6 || s.sheet.height > bed.height + 1e-6 {
            let text = format!(
                "Sheet {} is {:.0} × {:.0} mm, larger than {}'s bed of {:.0} × {:.0} mm. Use a sheet of at most {:.0} mm.",
                i + 1,
                s.sheet.width,
                s.sheet.height,
                bed.name,
                bed.width,
                bed.height,
                bed_long
            );
            let smaller = layout.sheets.iter().map(|s| Sheet::rectangle(s.sheet.width.min(bed.width), s.sheet.height.min(bed.height)));
            let edits = vec![NestEdit::SetSheets { sheets: smaller.collect() }.on(BatchId::FIRST), NestEdit::Nest.on(BatchId::FIRST)];
            findings.push(
                Finding::new(Station::Nest, Severity::Look, Code::SheetOverBed, 1, text)
                    .choice("Nest again on sheets as large as the bed", Edit::All { edits })
                    .acceptable("Leave as it is"),
            );
        }
    }
    let beside = tray::outside(work, &layout);
    // On blanks nothing has to keep off from anything: each has its own. What reaches beside its blank is told as that.
    let distances = if terms.tray.is_some() { Distances::of(0.0, 0.0) } else { terms.distances() };
    let faults = if beside.is_some() { Faults::default() } else { faults(work, &layout, distances) };
    let kept = faults.count == 0;
    findings.extend(beside);
    if !kept {
        findings.push(
            Finding::new(
                Station::Nest,
                Severity::Stop,
                Code::NestOverlap,
                faults.count,
                format!(
                    "{} nearer to another or to the edge than the spacing of {} and margin of {} mm allow.",
                    counted(faults.count, "part lies", "parts lie"),
                    terms.spacing,
                    terms.margin
                ),
            )
            .on_sheet(faults.sheet, faults.at)
            .choice("Nest again", NestEdit::Nest.on(BatchId::FIRST)),
        );
    }
    findings.extend(against(work, &layout, terms));
    if terms.tray.is_none() && stale.is_none() {
        findings.extend(together::found(work, &layout, terms));
    }
    (Nested { layout, current: stale.is_none() && kept }, findings)
}

/// Copies that a hand laid as they may not lie, with a word or before it was said.
fn against(work: &Work, layout: &Layout, terms: &Terms) -> Option<Finding> {
    if terms.tray.is_some() {
        return None;
    }
    let lying = layout.sheets.iter().enumerate().flat_map(|(i, s)| s.placed.iter().map(move |p| (i, p)));
    let found: Vec<(usize, &Placement, Against)> = lying.filter_map(|(i, p)| Some((i, p, terms.against(p)?))).collect();
    let (sheet, first, _) = *found.first()?;
    let part = |p: &Placement| work.part(p.copy.part);
    let mut words: Vec<String> = found.iter().filter_map(|(_, p, a)| Some(format!("{} {}", part(p)?.name, a.words()))).collect();
    words.dedup();
    let more = if words.len() > NAMED { format!(" and {} more", words.len() - NAMED) } else { String::new() };
    let text = format!(
        "{} on sheet {} and after it {}: {}{more}.",
        counted(found.len(), "copy", "copies"),
        sheet + 1,
        if found.len() == 1 { "lies as it may not" } else { "lie as they may not" },
        words[..words.len().min(NAMED)].join(", ")
    );
    let at = found.iter().filter(|f| f.0 == sheet).filter_map(|(_, p, _)| Some(p.affine() * part(p)?.bounds.center()));
    let finding = Finding::new(Station::Nest, Severity::Look, Code::LaidAgainst, found.len(), text);
    Some(finding.on([first.copy.part.0]).on_sheet(sheet, at).acceptable("Keep them as they lie"))
}

/// Parts that are told by name.
const NAMED: usize = 4;

/// A nest that was made for other blanks, or for sheets where blanks are worked on now.
fn other_blanks(layout: &Layout, terms: &Terms) -> Option<String> {
    let other = layout.sheets.iter().any(|s| s.sheet.tray != terms.tray);
    other.then(|| match &terms.tray {
        Some(tray) => format!("The nest was not made for {} in trays of {} × {}.", tray.name, tray.columns, tray.rows),
        None => "The nest was made for blanks, and sheets are cut now.".into(),
    })
}

/// What was chosen of the rack since, or is not any more.
fn other_sheets(layout: &Layout, terms: &Terms) -> Option<String> {
    let then = layout.made_for.as_ref().filter(|_| terms.tray.is_none())?;
    let now: BTreeSet<u32> = terms.sheets.iter().filter_map(|s| s.rack).collect();
    let named = |all: Vec<&u32>| all.into_iter().map(u32::to_string).collect::<Vec<_>>().join(", ");
    let (more, fewer) = (named(now.difference(then).collect()), named(then.difference(&now).collect()));
    match (more.is_empty(), fewer.is_empty()) {
        (true, true) => None,
        (false, _) => Some(format!("The nest was made before {more} of the rack was chosen.")),
        (true, false) => Some(format!("The nest was made for {fewer} of the rack, which is not chosen any more.")),
    }
}

fn staleness(work: &Work, layout: &Layout, gone: usize) -> Option<String> {
    if gone > 0 {
        return Some(format!("{} of the nest is no longer wanted.", counted(gone, "part", "parts")));
    }
    let mut have: BTreeMap<PartId, u32> = layout.unplaced.clone();
    for p in layout.sheets.iter().flat_map(|s| &s.placed) {
        *have.entry(p.copy.part).or_insert(0) += 1;
    }
    let off = work.parts.iter().filter(|p| have.get(&p.id).copied().unwrap_or(0) != p.quantity).count();
    (off > 0).then(|| format!("The nest was made for other quantities of {}.", counted(off, "part", "parts")))
}

fn unplaced(work: &Work, layout: &Layout, terms: &Terms) -> Vec<Finding> {
    let largest = terms.sheets.iter().max_by(|a, b| a.area().total_cmp(&b.area()));
    let mut findings = Vec::new();
    let (mut waiting, mut lifted) = (0, 0);
    for (id, n) in &layout.unplaced {
        let (Some(part), Some(sheet)) = (work.part(*id), largest) else { continue };
        let (w, h) = (part.bounds.width(), part.bounds.height());
        let room = |side: f64| (side - 2.0 * terms.margin).max(0.0);
        let (room_w, room_h) = (room(sheet.width), room(sheet.height));
        let (angles, _) = terms.poses(*id);
        let upright = angles.iter().any(|a| a % 180.0 == 0.0) && w <= room_w && h <= room_h;
        let fits = upright || angles.contains(&90.0) && h <= room_w && w <= room_h || terms.any_angle(*id);
        if fits {
            let by_hand = layout.lifted.get(id).copied().unwrap_or(0).min(*n);
            lifted += by_hand as usize;
            waiting += (*n - by_hand) as usize;
            continue;
        }
        let text = format!(
            "{} is {w:.1} × {h:.1} mm; the largest sheet, {:.0} × {:.0} mm, has {room_w:.1} × {room_h:.1} mm inside its margin. Use a larger sheet, a smaller margin, or leave the part out.",
            part.name, sheet.width, sheet.height
        );
        findings.push(
            Finding::new(Station::Nest, Severity::Stop, Code::PartTooLarge, *n as usize, text)
                .on([id.0])
                .choice("Leave it out", NestEdit::SetQuantity { part: *id, quantity: 0 }.on(BatchId::FIRST)),
        );
    }
    let fewer = || {
        let fewer = layout.unplaced.iter().filter_map(|(id, n)| {
            let part = work.part(*id)?;
            Some(NestEdit::SetQuantity { part: *id, quantity: part.quantity.saturating_sub(*n) }.on(BatchId::FIRST))
        });
        fewer.collect::<Vec<Edit>>()
    };
    if lifted > 0 {
        let text = format!(
            "{} lifted off and {} on no sheet.",
            counted(lifted, "copy is", "copies are"),
            if lifted == 1 { "lies" } else { "lie" }
        );
        findings.push(
            Finding::new(Station::Nest, Severity::Stop, Code::LiftedOff, lifted, text)
                .choice("Nest again", NestEdit::Nest.on(BatchId::FIRST))
                .choice("Make only those on a sheet", Edit::All { edits: fewer() }),
        );
    }
    if waiting > 0 {
        let text =
            format!("{} no place on the sheets there are. Add sheets or lower quantities.", counted(waiting, "part finds", "parts find"));
        let mut finding = Finding::new(Station::Nest, Severity::Stop, Code::Unplaced, waiting, text);
        if let Some(sheet) = largest {
            // The last sheet of the list may be used as often as it takes.
            let sheets = terms.sheets.iter().cloned().chain([Sheet { count: None, ..sheet.clone() }]).collect();
            let edits = vec![NestEdit::SetSheets { sheets }.on(BatchId::FIRST), NestEdit::Nest.on(BatchId::FIRST)];
            finding = finding.choice(format!("Take more sheets of {:.0} × {:.0} mm", sheet.width, sheet.height), Edit::All { edits });
        }
        findings.push(finding.choice(
            "Make those only that have a place",
            Edit::All { edits: fewer().into_iter().chain([NestEdit::Nest.on(BatchId::FIRST)]).collect() },
        ));
    }
    findings
}

//! What the cut chart has to say to a batch's work, and what of the decisions has lost its contours.

use super::{Item, Work};
use crate::decisions::{AssignEdit, Decisions, Edit, Process, Stock};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::ids::{BatchId, ContourId};
use crate::shop::{Rows, Shop};

/// Findings on what a batch's work is done with: rows that the chart lacks, unproved ones, pictures coarser than their rows.
pub fn charted(work: &Work, stock: &Stock, rows: &Rows, shop: &Shop) -> Vec<Finding> {
    let mine: std::collections::BTreeSet<usize> = work.parts.iter().flat_map(super::Part::items).collect();
    let items: Vec<&Item> = mine.into_iter().map(|i| &work.items[i]).collect();
    let mut findings = missing_rows(&items, stock, rows, shop);
    findings.extend(coarse_pictures(&items, rows));
    findings
}

/// Decisions on contours that are not there any more, by a new revision or an operation: they wait for their contours to come
/// back, and are told.
pub fn bereft(work: &Work, decisions: &Decisions) -> Option<Finding> {
    let there: std::collections::BTreeSet<ContourId> = work.items.iter().map(|i| i.contour.id).collect();
    let gone = |ids: &mut dyn Iterator<Item = &ContourId>| ids.filter(|id| !there.contains(id)).count();
    let assign = &decisions.assign;
    let starts =
        || decisions.batches.values().flat_map(|b| b.order.starts.keys().chain(b.order.copy_starts.values().flat_map(|c| c.keys())));
    let told: Vec<String> = [
        (gone(&mut assign.contours.keys()), "process chosen by hand", "processes chosen by hand"),
        (gone(&mut decisions.parts.keys().map(|p| &p.0)), "quantity", "quantities"),
        (gone(&mut starts()), "start", "starts"),
        (gone(&mut assign.pictures.keys()), "tone of a picture", "tones of pictures"),
        (gone_rows(work, &assign.keys), "process of a row of the key", "processes of rows of the key"),
    ]
    .iter()
    .filter(|t| t.0 > 0)
    .map(|t| counted(t.0, t.1, t.2))
    .collect();
    let text = format!(
        "{} belong to contours that are not in the drawings any more. They are kept, and hold again when the contours come back.",
        told.join(", ")
    );
    (!told.is_empty() && !work.items.is_empty()).then(|| Finding::new(Station::Assign, Severity::Note, Code::Bereft, told.len(), text))
}

/// Rows of the drawing key that a process was chosen for and that no line is of any more.
fn gone_rows(work: &Work, chosen: &std::collections::BTreeMap<String, Process>) -> usize {
    let is_there = |key: &String| {
        work.key.iter().any(|row| row.key == *key || row.style.key_without_width().is_some_and(|k| k == *key))
            || work.items.iter().any(|i| i.contour.style.key() == *key)
    };
    chosen.keys().filter(|key| !is_there(key)).count()
}

/// Pictures with fewer pixels than rows: their pixels will be seen.
fn coarse_pictures(items: &[&Item], rows: &Rows) -> Option<Finding> {
    let pitch = rows.get(Process::Picture, None)?.pitch;
    let coarse: Vec<(ContourId, f64)> = items
        .iter()
        .filter(|i| i.process == Process::Picture)
        .filter_map(|i| Some((i, i.contour.picture.as_ref()?, i.contour.picture_place()?)))
        .map(|(i, bitmap, place)| (i.contour.id, bitmap.width as f64 / place.as_coeffs()[0].hypot(place.as_coeffs()[1])))
        .filter(|(_, per_mm)| *per_mm < 0.6 / pitch)
        .collect();
    let (n, least) = (coarse.len(), coarse.iter().map(|c| c.1).fold(f64::INFINITY, f64::min));
    let text = format!(
        "{} {} only {least:.1} pixels to the mm where rows stand {:.0} to the mm: single pixels will be seen. A smaller size or a finer picture helps.",
        counted(n, "picture", "pictures"),
        if n == 1 { "has" } else { "have" },
        1.0 / pitch
    );
    (n > 0).then(|| Finding::new(Station::Assign, Severity::Note, Code::CoarsePicture, n, text).on(coarse.into_iter().map(|c| c.0)))
}

/// Processes without a row in the cut chart: a row for the nearest thickness is proposed. Rows that are proposed are told as
/// unproved.
fn missing_rows(items: &[&Item], batch: &Stock, rows: &Rows, shop: &Shop) -> Vec<Finding> {
    let mut used: Vec<Process> = items.iter().map(|i| i.process).filter(|p| p.burns()).collect();
    used.sort_unstable();
    used.dedup();
    let material = shop.material(&batch.material).map_or(batch.material.as_str(), |m| m.name.as_str());
    let machine = shop.machine(&batch.machine).map_or(batch.machine.as_str(), |m| m.name.as_str());
    let mut findings = Vec::new();
    for process in used {
        let name = process.name().to_lowercase();
        if let Some(row) = rows.get(process, None) {
            if row.unproved {
                let text = format!(
                    "The {name} settings for {material} {} mm on {machine} are unproved: {:.0} mm/min, {:.0} %. Try them on scrap, and keep them once a run has come out well.",
                    batch.thickness, row.feed, row.power
                );
                findings.push(Finding::new(Station::Assign, Severity::Look, Code::Unproved, 1, text).acceptable("Continue with them"));
            }
            continue;
        }
        let text = format!("The cut chart has no {name} settings for {material} {} mm on {machine}.", batch.thickness);
        let mut finding = Finding::new(Station::Assign, Severity::Stop, Code::ChartMissing, 1, text);
        if let Some((row, from)) = shop.proposed(&batch.machine, &batch.material, batch.thickness, process) {
            let label = format!("Try {:.0} mm/min, {:.0} %, from {from} mm", row.feed, row.power);
            finding = finding.choice(label, Edit::Assign(AssignEdit::ProposeRow { row: Box::new(row) }));
        }
        for thickness in shop.thicknesses(&batch.machine, &batch.material) {
            if shop.row(&batch.machine, &batch.material, thickness, process).is_some() {
                let edit = Edit::Assign(AssignEdit::SetBatch {
                    batch: BatchId::FIRST,
                    machine: batch.machine.clone(),
                    material: batch.material.clone(),
                    thickness,
                });
                finding = finding.choice(format!("Use {thickness} mm"), edit);
            }
        }
        let contours: Vec<ContourId> = items.iter().filter(|i| i.process == process).map(|i| i.contour.id).collect();
        let label = format!("Leave {} out", counted(contours.len(), "such line", "such lines"));
        findings.push(finding.leaving_out(label, Edit::Assign(AssignEdit::SetContours { contours, process: Some(Process::Reference) })));
    }
    findings
}

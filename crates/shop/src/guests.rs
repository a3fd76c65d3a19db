//! Parts of several jobs on one sheet: a job takes in what another wants of the same material, and both know of it.
//!
//! What is taken in is a drawing of its own in the host's job, a part a drawing, made from the part as its own job has it. The
//! part's own job keeps how many lie elsewhere and nests the rest. Where the two do not agree any more it is told at both.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use crate::sheets::SheetOf;
use boustrophe_core::assign::{Part, Work};
use boustrophe_core::decisions::{Decisions, Edit, Elsewhere, Guest, IntakeEdit, NestEdit};
use boustrophe_core::finding::{Code, Finding, Severity, Station, counted};
use boustrophe_core::ids::{BatchId, PartId};
use boustrophe_store::Run;
use std::collections::BTreeMap;

/// Where a job and its guests, or its hosts, do not agree any more.
pub fn told(app: &App, job: i32, decisions: &Decisions) -> Result<Vec<Finding>, ShopError> {
    let mut heads: BTreeMap<i32, Option<Decisions>> = BTreeMap::new();
    let mut head = |id: i32| -> Option<Decisions> {
        let read = || app.store.revision(id, app.store.job(id).ok()?.head?).ok().map(|r| r.decisions);
        heads.entry(id).or_insert_with(read).clone()
    };
    let mut findings = Vec::new();
    // Guests whose own job does not say that they lie here.
    for d in &decisions.drawings {
        let Some(guest) = d.guest.as_ref().filter(|_| d.quantity > 0) else { continue };
        let says = head(guest.job)
            .and_then(|g| g.parts.get(&guest.part).map(|p| p.elsewhere.iter().filter(|e| e.job == job).map(|e| e.count).sum::<u32>()));
        if says.unwrap_or(0) != d.quantity {
            let text = format!(
                "{} of {} were taken in from “{}”, which wants {} of them here.",
                d.quantity,
                d.name.trim_end_matches(".dxf"),
                guest.name,
                says.unwrap_or(0)
            );
            let edit = match says {
                Some(n @ 1..) => Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: d.id, quantity: n }),
                _ => Edit::Intake(IntakeEdit::RemoveDrawing { drawing: d.id }),
            };
            let label = if says.unwrap_or(0) > 0 { "Make as many as it wants" } else { "Leave it out" };
            findings.push(Finding::new(Station::Nest, Severity::Stop, Code::GuestUnwanted, 1, text).choice(label, edit));
        }
    }
    // Parts that are said to lie in another job, which does not take them any more.
    for (part, place) in decisions.parts.iter().flat_map(|(part, p)| p.elsewhere.iter().map(move |e| (*part, e))) {
        let of = |g: &Guest| g.job == job && g.part == part;
        let takes = head(place.job).is_some_and(|h| h.drawings.iter().any(|d| d.guest.as_ref().is_some_and(of)));
        if !takes {
            let text = format!("{} of a part were to lie with “{}”, which does not take them any more.", place.count, place.name);
            let edit = NestEdit::LieElsewhere { part, place: Elsewhere { count: 0, ..place.clone() } }.on(BatchId::FIRST);
            findings.push(
                Finding::new(Station::Nest, Severity::Stop, Code::ElsewhereGone, place.count as usize, text).choice("Make them here", edit),
            );
        }
    }
    Ok(findings)
}

/// Where each part of a job lies in other jobs, and how many of it were made there, in words.
pub fn places(app: &App, loaded: &Loaded) -> Result<BTreeMap<PartId, String>, ShopError> {
    let mut out: BTreeMap<PartId, Vec<String>> = BTreeMap::new();
    let made = app.store.made_for(loaded.job.id)?;
    for (part, decided) in &loaded.revision.decisions.parts {
        for e in &decided.elsewhere {
            let done: u32 = made.iter().filter(|m| m.part == *part && m.host.0 == e.job).map(|m| m.count).sum();
            let done = if done > 0 { format!(", {done} made") } else { String::new() };
            out.entry(*part).or_default().push(format!("{} in “{}”{done}", e.count, e.name));
        }
    }
    Ok(out.into_iter().map(|(part, told)| (part, told.join("; "))).collect())
}

/// The job that a part of this one was taken in from, if it was.
pub fn owner<'a>(decisions: &'a Decisions, work: &Work, part: &Part) -> Option<&'a Guest> {
    let item = part.outer.or_else(|| part.items().next())?;
    decisions.drawing(work.items[item].contour.drawing)?.guest.as_ref()
}

/// Writes down what a finished run made for other jobs.
pub fn settle(app: &App, run: &Run, sheet: &SheetOf) -> Result<(), ShopError> {
    let mut made: BTreeMap<(i32, PartId), u32> = BTreeMap::new();
    for guest in sheet.copies().iter().filter_map(|p| sheet.batch().guests.get(&p.copy.part)) {
        *made.entry((guest.job, guest.part)).or_default() += 1;
    }
    let all: Vec<(i32, PartId, u32)> = made.into_iter().map(|((job, part), n)| (job, part, n)).collect();
    if !all.is_empty() {
        tracing::info!(run = run.id, "{} of other jobs were made", counted(all.len(), "part", "parts"));
        app.store.add_made(run.id, run.job_id, &all)?;
    }
    Ok(())
}

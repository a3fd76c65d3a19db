//! Parts of several jobs on one sheet: a job takes in what another wants of the same material, and both know of it.
//!
//! What is taken in is a drawing of its own in the host's job, a part a drawing, made from the part as its own job has it. The
//! part's own job keeps how many lie elsewhere and nests the rest. Where the two do not agree any more it is told at both.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use crate::sheets::SheetOf;
use boustrophe_core::assign::{Part, Work};
use boustrophe_core::decisions::{Decisions, DrawingDecisions, Edit, Elsewhere, Guest, IntakeEdit, NestEdit, PartDecisions};
use boustrophe_core::finding::{Code, Finding, Severity, Station, counted};
use boustrophe_core::ids::{BatchId, PartId};
use boustrophe_store::Run;
use std::collections::BTreeMap;

/// What other jobs say now, each read once, when it is first asked for.
struct Heads<'a> {
    app: &'a App,
    known: BTreeMap<i32, Option<Decisions>>,
}

impl Heads<'_> {
    /// `None` where there is no such job any more, or it cannot be read.
    fn of(&mut self, job: i32) -> Option<&Decisions> {
        let store = &self.app.store;
        let read = || store.revision(job, store.job(job).ok()?.head?).ok().map(|r| r.decisions);
        self.known.entry(job).or_insert_with(read).as_ref()
    }
}

/// Where a job and its guests, or its hosts, do not agree any more.
pub fn told(app: &App, job: i32, decisions: &Decisions) -> Vec<Finding> {
    let mut heads = Heads { app, known: BTreeMap::new() };
    let mut findings = Vec::new();
    // Guests whose own job does not say that they lie here.
    for d in &decisions.drawings {
        let Some(guest) = d.guest.as_ref().filter(|_| d.quantity > 0) else { continue };
        let here = |p: &PartDecisions| p.elsewhere.iter().filter(|e| e.job == job).map(|e| e.count).sum::<u32>();
        let wanted = heads.of(guest.job).and_then(|own| own.parts.get(&guest.part)).map_or(0, here);
        if wanted != d.quantity {
            findings.push(unwanted(d, guest, wanted));
        }
    }
    // Parts that are said to lie in another job, which does not take them any more.
    for (part, place) in decisions.parts.iter().flat_map(|(part, p)| p.elsewhere.iter().map(move |e| (*part, e))) {
        let of = |g: &Guest| g.job == job && g.part == part;
        let takes = heads.of(place.job).is_some_and(|h| h.drawings.iter().any(|d| d.guest.as_ref().is_some_and(of)));
        if !takes {
            findings.push(not_taken(part, place));
        }
    }
    findings
}

/// A guest that its own job wants another number of here, or none.
fn unwanted(d: &DrawingDecisions, guest: &Guest, wanted: u32) -> Finding {
    let name = d.name.trim_end_matches(".dxf");
    let text = format!("{} of {name} were taken in from “{}”, which wants {wanted} of them here.", d.quantity, guest.name);
    let (label, edit) = match wanted {
        0 => ("Leave it out", IntakeEdit::RemoveDrawing { drawing: d.id }),
        _ => ("Make as many as it wants", IntakeEdit::SetDrawingQuantity { drawing: d.id, quantity: wanted }),
    };
    Finding::new(Station::Nest, Severity::Stop, Code::GuestUnwanted, 1, text).choice(label, Edit::Intake(edit))
}

/// Copies of a part that were to lie in another job, which has none of them.
fn not_taken(part: PartId, place: &Elsewhere) -> Finding {
    let text = format!("{} of a part were to lie with “{}”, which does not take them any more.", place.count, place.name);
    let edit = NestEdit::LieElsewhere { part, place: Elsewhere { count: 0, ..place.clone() } }.on(BatchId::FIRST);
    Finding::new(Station::Nest, Severity::Stop, Code::ElsewhereGone, place.count as usize, text).choice("Make them here", edit)
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

//! Parts of several jobs on one sheet: a job takes in what another wants of the same material, and both know of it.
//!
//! What is taken in is a drawing of its own in the host's job, a part a drawing, made from the part as its own job has it. The
//! part's own job keeps how many lie elsewhere and nests the rest. Where the two do not agree any more it is told at both.

use crate::error::AppError;
use crate::incoming;
use crate::machines::again::SheetOf;
use crate::shop::{App, Loaded};
use boustrophe_core::assign::{Part, Process, Work};
use boustrophe_core::decisions::{AssignEdit, Decisions, Edit, Elsewhere, Guest, IntakeEdit, NestEdit, Stock};
use boustrophe_core::finding::{Finding, Severity, Station, counted};
use boustrophe_core::geometry::Affine;
use boustrophe_core::ids::{BatchId, PartId};
use boustrophe_formats::dxf::{self, WriteLayer};
use boustrophe_store::Run;
use std::collections::BTreeMap;

/// Parts taken in at once.
const MOST_PARTS: usize = 50;

/// A job whose parts could be taken in.
pub struct Offer {
    /// Its number.
    pub job: i32,
    /// Its name.
    pub name: String,
    /// When it is due.
    pub due: String,
}

/// Jobs with a batch on the same machine and of the same stock, none that is put away.
pub fn offered(app: &App, loaded: &Loaded) -> Result<Vec<Offer>, AppError> {
    let stock = &loaded.here().stock;
    let mut out = Vec::new();
    for job in app.store.jobs()?.into_iter().filter(|j| j.id != loaded.job.id && !j.archived) {
        let Some(head) = job.head else { continue };
        // One that cannot be read is nobody's guest.
        let Ok(revision) = app.store.revision(job.id, head) else { continue };
        if of_stock(&revision.decisions, stock).is_some() && !revision.decisions.drawings.is_empty() {
            out.push(Offer { job: job.id, name: job.name, due: job.due.unwrap_or_default() });
        }
    }
    Ok(out)
}

fn of_stock(decisions: &Decisions, stock: &Stock) -> Option<BatchId> {
    decisions.batches.iter().find(|(_, b)| b.stock == *stock).map(|(id, _)| *id)
}

/// The layer of a process in a drawing of a guest.
fn layer(process: Process) -> Option<(&'static str, u8)> {
    match process {
        Process::Cut => Some(("cut", 1)),
        Process::Score => Some(("score", 5)),
        Process::Engrave => Some(("engrave", 3)),
        Process::Mark => Some(("mark", 4)),
        Process::Picture | Process::Reference => None,
    }
}

/// A part as a drawing of its own, its lower left corner at 0, 0; `None` where it cannot be one.
fn drawn(work: &Work, part: &Part) -> Option<Vec<u8>> {
    let home = Affine::translate(-part.bounds.min.to_vec2());
    let mut layers: BTreeMap<&str, WriteLayer> = BTreeMap::new();
    for item in part.items().map(|i| &work.items[i]) {
        let (name, colour) = layer(item.process).filter(|_| item.setting.is_none())?;
        let layer = layers.entry(name).or_insert_with(|| WriteLayer { name, colour, paths: Vec::new() });
        layer.paths.push(item.contour.path.transformed(home));
    }
    Some(dxf::write(&layers.into_values().collect::<Vec<_>>()).into_bytes())
}

/// Takes the parts of another job into a batch of this one. Gives the sentence of what could not be taken, if anything.
pub fn take_in(app: &App, job: i32, batch: BatchId, from: i32, by: &str) -> Result<(), AppError> {
    let (host, guest) = (app.load(job)?.about(batch), app.load(from)?);
    let sentence = |text: String| AppError::Sentence(text);
    let theirs = of_stock(&guest.revision.decisions, &host.here().stock)
        .ok_or_else(|| sentence(format!("“{}” has nothing to make of this material on this machine.", guest.job.name)))?;
    let work = &guest.route.batch(theirs).work;
    let known = |p: &Part| {
        let of = |g: &Guest| g.job == from && g.part == p.id;
        host.revision.decisions.drawings.iter().any(|d| d.guest.as_ref().is_some_and(of))
    };
    let wanted: Vec<&Part> = work.parts.iter().filter(|p| p.quantity > 0 && !known(p)).collect();
    let all: Vec<(&Part, Vec<u8>)> = wanted.iter().filter_map(|p| Some((*p, drawn(work, p)?))).collect();
    if all.is_empty() {
        let why =
            if wanted.is_empty() { "every part of it has its place already" } else { "its parts have pictures or settings of their own" };
        return Err(sentence(format!("nothing of “{}” can be taken in: {why}.", guest.job.name)));
    }
    if all.len() > MOST_PARTS {
        return Err(sentence(format!(
            "“{}” has {} parts; up to {MOST_PARTS} can be taken in at once: split the job.",
            guest.job.name,
            all.len()
        )));
    }
    let before = host.revision.decisions.drawings.iter().map(|d| d.id).max().unwrap_or(0);
    let files: Vec<(String, Vec<u8>)> = all.iter().map(|(p, bytes)| (format!("{}.dxf", p.name), bytes.clone())).collect();
    incoming::add_own(app, job, &files, by)?;
    let added = app.load(job)?;
    let drawings: Vec<u32> = added.revision.decisions.drawings.iter().map(|d| d.id).filter(|id| *id > before).collect();
    let mut edits = Vec::new();
    for (drawing, (part, _)) in drawings.iter().zip(&all) {
        let guest = Guest { job: from, name: guest.job.name.clone(), part: part.id };
        edits.push(Edit::Intake(IntakeEdit::SetGuest { drawing: *drawing, guest: Some(guest) }));
        edits.push(Edit::Intake(IntakeEdit::SetDrawingQuantity { drawing: *drawing, quantity: part.quantity }));
        edits.push(Edit::Intake(IntakeEdit::SetDrawingBatch { drawing: *drawing, to: batch }));
    }
    // What each line is was settled in its own job: it is that here too, whatever this one's key says.
    for process in Process::ALL {
        let Some((name, _)) = layer(process) else { continue };
        let items = added.route.work.items.iter().map(|i| &i.contour);
        let contours: Vec<_> = items.filter(|c| drawings.contains(&c.drawing) && c.style.layer == name).map(|c| c.id).collect();
        if !contours.is_empty() {
            edits.push(Edit::Assign(AssignEdit::SetContours { contours, process: Some(process) }));
        }
    }
    incoming::on_top(app, job, &Edit::All { edits }, by)?;
    let there = all.iter().map(|(p, _)| {
        let place = Elsewhere { job, name: host.job.name.clone(), count: p.quantity };
        NestEdit::LieElsewhere { part: p.id, place }.on(theirs)
    });
    incoming::on_top(app, from, &Edit::All { edits: there.collect() }, by)
}

/// Where a job and its guests, or its hosts, do not agree any more.
pub fn told(app: &App, job: i32, decisions: &Decisions) -> Result<Vec<Finding>, AppError> {
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
            findings.push(Finding::new(Station::Nest, Severity::Stop, "guest-unwanted", 1, text).choice(label, edit));
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
                Finding::new(Station::Nest, Severity::Stop, "elsewhere-gone", place.count as usize, text).choice("Make them here", edit),
            );
        }
    }
    Ok(findings)
}

/// Where each part of a job lies in other jobs, and how many of it were made there, in words.
pub fn places(app: &App, loaded: &Loaded) -> Result<BTreeMap<PartId, String>, AppError> {
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
pub fn settle(app: &App, run: &Run, sheet: &SheetOf) -> Result<(), AppError> {
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

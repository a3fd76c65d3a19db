//! Parts of other jobs taken in, to lie on this one's sheets.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use crate::incoming;
use boustrophe_core::assign::{Part, Process, Work};
use boustrophe_core::decisions::{AssignEdit, Decisions, Edit, Elsewhere, Guest, IntakeEdit, NestEdit, Stock};
use boustrophe_core::geometry::Affine;
use boustrophe_core::ids::BatchId;
use boustrophe_formats::dxf::{self, WriteLayer};
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
pub fn offered(app: &App, loaded: &Loaded) -> Result<Vec<Offer>, ShopError> {
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

/// A part as a drawing of its own, its lower left corner at 0, 0; `None` where it cannot be one.
fn drawn(work: &Work, part: &Part) -> Option<Vec<u8>> {
    let home = Affine::translate(-part.bounds.min.to_vec2());
    let mut layers: BTreeMap<&str, WriteLayer> = BTreeMap::new();
    for item in part.items().map(|i| &work.items[i]) {
        let looks = item.process.looks().filter(|_| item.setting.is_none())?;
        let name = item.process.slug();
        let layer = layers.entry(name).or_insert_with(|| WriteLayer { name, colour: looks.plain, paths: Vec::new() });
        layer.paths.push(item.contour.path.transformed(home));
    }
    Some(dxf::write(&layers.into_values().collect::<Vec<_>>()).into_bytes())
}

/// Takes the parts of another job into a batch of this one. Gives the sentence of what could not be taken, if anything.
pub fn take_in(app: &App, job: i32, batch: BatchId, from: i32, by: &str) -> Result<(), ShopError> {
    let (host, guest) = (app.load(job)?.about(batch), app.load(from)?);
    let sentence = |text: String| ShopError::Sentence(text);
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
    for process in Process::ALL.into_iter().filter(|p| p.looks().is_some()) {
        let items = added.route.work.items.iter().map(|i| &i.contour);
        let contours: Vec<_> = items.filter(|c| drawings.contains(&c.drawing) && c.style.layer == process.slug()).map(|c| c.id).collect();
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

//! Nests: a search begun for a job, and its layout kept.

use crate::app::App;
use crate::error::ShopError;
use crate::searches::{Phase, Search, Worth, run};
use boustrophe_core::decisions::{Edit, NestEdit};
use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{self, Layout, Merits, Problem, is_better};
use boustrophe_core::route::placed_area;
use boustrophe_store::NewRevision;
use std::sync::atomic::Ordering;
use std::sync::{Arc, PoisonError};
use std::time::Duration;

/// How long a search goes on unless it is stopped or another time is asked for.
const USUAL: Duration = Duration::from_secs(60);
/// Times that may be asked for.
const TIMES: std::ops::RangeInclusive<u64> = 1..=36_000;

/// What is asked of a search.
#[derive(Clone, Debug, Default)]
pub struct Wish {
    /// How long it may take, s; `None` for the usual time.
    pub seconds: Option<u64>,
    /// What lies stays where it lies; only what does not yet is laid.
    pub only_new: bool,
    /// Who wants it.
    pub by: String,
}

impl Wish {
    /// As usual, for somebody.
    pub fn of(by: &str) -> Self {
        Self { by: by.into(), ..Self::default() }
    }
}

/// Starts a search for a job, of so many seconds where that is asked for; nothing happens when one is under way, unless that
/// is just being kept.
pub fn start(app: &Arc<App>, job: i32, batch: BatchId, wish: Wish) -> Result<(), ShopError> {
    let Wish { seconds, only_new, by } = wish;
    if let Some(s) = seconds.filter(|s| !TIMES.contains(s)) {
        return Err(ShopError::Sentence(format!("a search of {s} s will not do; type {} to {} s", TIMES.start(), TIMES.end())));
    }
    let limit = seconds.map_or(USUAL, Duration::from_secs);
    let search = Arc::new(Search::new(batch, limit));
    if !app.searches.takes(job, &search) {
        return Ok(());
    }
    let leave = Leave(Arc::clone(app), job);
    let loaded = app.load(job)?.about(batch);
    app.store.set_search(job, Some((loaded.revision.id, loaded.batch)))?;
    // Threads of its own, behind the pages: nests of other jobs and pages go on.
    let threads = crate::app::behind(0)?;
    std::thread::spawn(move || {
        let app = &leave.0;
        // One that is stopped while it waits searches for nothing: what is kept stays.
        if !app.searches.turns.take(|| !search.stop.load(Ordering::Relaxed)) {
            return;
        }
        let _turn = Turn(Arc::clone(app));
        let _ = search.waited.set(search.began.elapsed());
        let (here, terms) = (loaded.here(), nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop));
        // From what is kept, round what is held: nobody's time is spent on getting there again.
        let mut held = loaded.decided().nest.held.clone();
        if only_new {
            held.extend(here.nested.layout.copies().map(|p| p.copy));
        }
        let problem = Problem::from(&here.work, &terms, &loaded.shop.tolerance, &here.nested.layout, &held);
        let worth_of = |layout: &Layout| {
            let sheets: f64 = layout.sheets.iter().map(|s| s.sheet.area()).sum();
            let rest = Merits::of(layout, &here.work, &terms).rest_area;
            let price = layout.sheets.iter().map(|s| terms.price(&s.sheet)).sum();
            Worth { yield_share: placed_area(&here.work, layout) / sheets.max(1.0), rest, rest_price: rest * terms.rate, price }
        };
        // Another search of the same parts goes another way.
        let seed = u64::from(loaded.revision.id.unsigned_abs());
        let note = |best: &Layout| {
            if let Err(error) = app.store.set_search_best(job, best) {
                tracing::warn!(job, %error, "the best layout so far could not be saved");
            }
        };
        let layout = threads.install(|| run(&problem, &search, seed, worth_of, note));
        search.progress().phase = Phase::Keeping;
        let begun = here.nested.current.then_some(&here.nested.layout);
        if let Err(error) = keep_or_offer(app, (job, loaded.batch), layout, begun, &by) {
            tracing::error!(job, %error, "a nest could not be kept");
        }
        search.progress().phase = Phase::Kept;
    });
    Ok(())
}

/// Gives a turn back, however the search ended.
struct Turn(Arc<App>);

impl Drop for Turn {
    fn drop(&mut self) {
        self.0.searches.turns.give_back();
    }
}

/// Takes a job's search off the list at last, however it ended.
struct Leave(Arc<App>, i32);

impl Drop for Leave {
    fn drop(&mut self) {
        self.0.searches.running().remove(&self.1);
    }
}

/// Keeps what a search has found; where the layout that it began with was changed by hand meanwhile, that one stays, and what was found
/// is set aside, to be compared with it.
fn keep_or_offer(app: &App, (job, batch): (i32, BatchId), found: Layout, begun: Option<&Layout>, by: &str) -> Result<(), ShopError> {
    let loaded = app.load(job)?.about(batch);
    let (nested, nest) = (&loaded.here().nested, &loaded.decided().nest);
    let by_hand = begun.is_some_and(|begun| nested.current && nested.layout != *begun);
    let terms = nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop);
    if !by_hand || nest.aside.is_some() || !is_better(&found, &nested.layout, &loaded.here().work, &terms) {
        return keep(app, job, batch, found, by);
    }
    let offered = [NestEdit::SetAside, NestEdit::KeepLayout { layout: found }, NestEdit::SwapAside];
    store(app, job, &Edit::All { edits: offered.map(|e| e.on(batch)).into() }, "A better nest found, set aside", by)
}

/// Keeps the layout as a decision on whatever revision is in force by then.
pub fn keep(app: &App, job: i32, batch: BatchId, layout: Layout, by: &str) -> Result<(), ShopError> {
    // What is kept stays unless this is better: a new nest never makes a job worse.
    let loaded = app.load(job)?.about(batch);
    let here = loaded.here();
    let vain = here.nested.current
        && !is_better(&layout, &here.nested.layout, &here.work, &nest::terms(&loaded.revision.decisions, loaded.batch, &loaded.shop));
    {
        let mut in_vain = app.searches.in_vain.lock().unwrap_or_else(PoisonError::into_inner);
        if vain {
            in_vain.insert(job);
        } else {
            in_vain.remove(&job);
        }
    }
    if vain {
        return Ok(app.store.set_search(job, None)?);
    }
    let edit = NestEdit::KeepLayout { layout }.on(loaded.batch);
    store(app, job, &edit, &edit.label(), by)
}

/// An edit as a revision upon whatever is in force by then; the search is over with it.
fn store(app: &App, job: i32, edit: &Edit, label: &str, by: &str) -> Result<(), ShopError> {
    for _ in 0..5 {
        let head = app.store.job(job)?.head.unwrap_or(0);
        let decisions = edit.apply(&app.store.revision(job, head)?.decisions)?;
        let new = NewRevision { label, person: by, decisions: &decisions };
        match app.store.add_revision(job, head, new) {
            Err(boustrophe_store::StoreError::Moved { .. }) => {}
            Err(other) => return Err(other.into()),
            Ok(_) => break,
        }
    }
    app.store.set_search(job, None)?;
    app.keep_figures(&app.load(job)?)
}

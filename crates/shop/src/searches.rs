//! Nests being searched: whose turn it is, how each stands, how long it goes on.

use boustrophe_core::ids::BatchId;
use boustrophe_core::nest::{Control, Layout, Problem, search};
use std::collections::hash_map::Entry;
use std::collections::{HashMap, HashSet};
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, Instant};

/// The first true layout is waited for, on a machine however busy, but no longer than this.
const FIRST: Duration = Duration::from_secs(600);
/// How long the keeping of a layout is waited for by the next search, and how long between two looks.
const KEEPING: Duration = Duration::from_secs(5);
const WAIT: Duration = Duration::from_millis(10);

/// How a search stands.
#[derive(Clone, Debug, Default)]
pub struct Progress {
    /// The best layout so far.
    pub layout: Option<Arc<Layout>>,
    /// Tries so far.
    pub tries: usize,
    /// What the best layout comes to.
    pub worth: Worth,
    /// Of which batch.
    pub batch: BatchId,
    /// How far it is.
    pub phase: Phase,
    /// Time left, s.
    pub left: u64,
    /// It waits for its turn.
    pub waits: bool,
    /// It stands still until it is told to go on.
    pub paused: bool,
    /// Time since it began, s.
    pub run: f64,
    /// How it came to that, thinned to what can be drawn.
    pub curve: Vec<Step>,
}

/// What a layout comes to.
#[derive(Clone, Copy, Debug, Default, PartialEq, serde::Serialize)]
pub struct Worth {
    /// Share of the sheets' area that is parts.
    #[serde(rename = "yield")]
    pub yield_share: f64,
    /// Free in one piece on the last sheet, mm².
    pub rest: f64,
    /// What that is worth, and what all sheets cost.
    pub rest_price: f64,
    /// See there.
    pub price: f64,
}

/// A better layout: when it was found, and what it comes to.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize)]
pub struct Step {
    /// Seconds from the beginning.
    pub after: f64,
    /// Sheets.
    pub sheets: usize,
    /// Yield.
    pub yield_share: f64,
}

/// Steps of a curve that are shown.
const STEPS: usize = 60;

/// How far a search is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Phase {
    /// It waits for its turn, or goes on.
    #[default]
    Searching,
    /// It has ended, and its layout is being kept.
    Keeping,
    /// Its layout is kept.
    Kept,
}

/// Searches that go on at once: others wait for their turn.
const AT_ONCE: usize = 2;

/// Turns of searches: so many are free.
pub(crate) struct Turns {
    free: Mutex<usize>,
    freed: Condvar,
}

impl Default for Turns {
    fn default() -> Self {
        Self { free: Mutex::new(AT_ONCE), freed: Condvar::new() }
    }
}

impl Turns {
    /// Waits for a turn as long as it is wanted; false where it is not any more.
    pub(crate) fn take(&self, wanted: impl Fn() -> bool) -> bool {
        let mut free = self.free.lock().unwrap_or_else(PoisonError::into_inner);
        while *free == 0 {
            if !wanted() {
                return false;
            }
            free = self.freed.wait_timeout(free, WAIT * 20).unwrap_or_else(PoisonError::into_inner).0;
        }
        *free -= 1;
        true
    }
    pub(crate) fn give_back(&self) {
        *self.free.lock().unwrap_or_else(PoisonError::into_inner) += 1;
        self.freed.notify_one();
    }
}

pub(crate) struct Search {
    pub(crate) stop: AtomicBool,
    pub(crate) began: Instant,
    /// Milliseconds that it waited for its turn, once it has one.
    pub(crate) waited: OnceLock<Duration>,
    /// Milliseconds it may take in all.
    pub(crate) limit: AtomicU64,
    /// How long it stood still, and since when it does.
    stood: Mutex<(Duration, Option<Instant>)>,
    /// Tries so far: with two the first true layout is there.
    pub(crate) tries: AtomicUsize,
    /// What has come of it.
    pub(crate) curve: Mutex<Vec<Step>>,
    pub(crate) progress: Mutex<Progress>,
    /// Of which batch.
    pub(crate) batch: BatchId,
}

/// The searches that are under way, one a job.
#[derive(Default)]
pub struct Searches {
    running: Mutex<HashMap<i32, Arc<Search>>>,
    /// Jobs whose last search found nothing better than the layout that is kept.
    pub(crate) in_vain: Mutex<HashSet<i32>>,
    pub(crate) turns: Turns,
}

impl Search {
    /// One that waits for its turn, and then goes on for so long.
    pub(crate) fn new(batch: BatchId, limit: Duration) -> Self {
        Self {
            stop: AtomicBool::new(false),
            began: Instant::now(),
            waited: OnceLock::new(),
            limit: AtomicU64::new(u64::try_from(limit.as_millis()).unwrap_or(u64::MAX)),
            stood: Mutex::default(),
            tries: AtomicUsize::new(0),
            curve: Mutex::default(),
            progress: Mutex::default(),
            batch,
        }
    }
    /// How long it has searched.
    pub(crate) fn gone(&self) -> Duration {
        let (stood, since) = *self.stood.lock().unwrap_or_else(PoisonError::into_inner);
        let still = stood + since.map_or(Duration::ZERO, |s| s.elapsed());
        self.waited.get().map_or(Duration::ZERO, |w| self.began.elapsed().saturating_sub(*w + still))
    }
    fn is_paused(&self) -> bool {
        self.stood.lock().unwrap_or_else(PoisonError::into_inner).1.is_some()
    }
    /// Stands still, or goes on; its time does not run meanwhile.
    fn pause(&self, on: bool) {
        let mut stood = self.stood.lock().unwrap_or_else(PoisonError::into_inner);
        match (on, stood.1) {
            (true, None) => stood.1 = Some(Instant::now()),
            (false, Some(since)) => *stood = (stood.0 + since.elapsed(), None),
            _ => {}
        }
    }
    fn goes_on(&self) -> bool {
        self.progress().phase == Phase::Searching && !self.stop.load(Ordering::Relaxed)
    }
    pub(crate) fn progress(&self) -> MutexGuard<'_, Progress> {
        self.progress.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Searches {
    pub(crate) fn running(&self) -> MutexGuard<'_, HashMap<i32, Arc<Search>>> {
        self.running.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// How the job's search stands; `None` when there is none.
    pub fn progress(&self, job: i32) -> Option<Progress> {
        let search = self.running().get(&job).cloned()?;
        let mut progress = Progress { batch: search.batch, ..search.progress().clone() };
        progress.waits = search.waited.get().is_none();
        progress.paused = search.is_paused();
        progress.run = search.gone().as_secs_f64();
        let left = Duration::from_millis(search.limit.load(Ordering::Relaxed)).saturating_sub(search.gone());
        (progress.tries, progress.left) = (search.tries.load(Ordering::Relaxed).max(progress.tries), left.as_secs());
        let curve = search.curve.lock().unwrap_or_else(PoisonError::into_inner);
        let thin = curve.len().div_ceil(STEPS).max(1);
        progress.curve = curve.iter().rev().step_by(thin).rev().copied().collect();
        Some(progress)
    }

    /// Gives a job's search more time.
    pub fn prolong(&self, job: i32, by: Duration) {
        if let Some(search) = self.running().get(&job) {
            search.limit.fetch_add(u64::try_from(by.as_millis()).unwrap_or(0), Ordering::Relaxed);
        }
    }

    /// The job's search stands still, or goes on.
    pub fn pause(&self, job: i32, on: bool) {
        if let Some(search) = self.running().get(&job) {
            search.pause(on);
        }
    }

    /// True where the job's last search found nothing better than what is kept.
    pub fn was_in_vain(&self, job: i32) -> bool {
        self.in_vain.lock().unwrap_or_else(PoisonError::into_inner).contains(&job)
    }

    /// Takes a search in, unless the job has one already; one whose layout is being kept is waited for.
    pub(crate) fn takes(&self, job: i32, search: &Arc<Search>) -> bool {
        for _ in 0..KEEPING.as_millis() / WAIT.as_millis() {
            match self.running().entry(job) {
                Entry::Vacant(free) => {
                    free.insert(Arc::clone(search));
                    return true;
                }
                // One that was told to end is waited for as one that is being kept.
                Entry::Occupied(other) if other.get().goes_on() => return false,
                Entry::Occupied(_) => {}
            }
            std::thread::sleep(WAIT);
        }
        false
    }

    /// Asks all searches to end with what they have, and waits until that is kept, but no longer than `patience`.
    pub fn shut(&self, patience: Duration) {
        self.running().values().for_each(|s| s.stop.store(true, Ordering::Relaxed));
        let end = Instant::now() + patience;
        while Instant::now() < end && !self.running().is_empty() {
            std::thread::sleep(WAIT);
        }
    }

    /// Asks the job's search to end with what it has.
    pub fn stop(&self, job: i32) {
        if let Some(search) = self.running().get(&job) {
            search.stop.store(true, Ordering::Relaxed);
        }
    }
}

/// The best so far is written down when it is new, but no more often than this.
const NOTE: Duration = Duration::from_secs(2);

pub(crate) fn run(
    problem: &Problem,
    search_state: &Search,
    seed: u64,
    worth_of: impl Fn(&Layout) -> Worth + Sync,
    note: impl Fn(&Layout) + Sync,
) -> Layout {
    // What was written down last: when, and after how many better ones.
    let noted = Mutex::new((Instant::now(), 0_usize));
    let write_down = || {
        let Ok(mut noted) = noted.try_lock() else { return };
        let found = search_state.curve.lock().unwrap_or_else(PoisonError::into_inner).len();
        if found > noted.1 && (noted.1 == 0 || noted.0.elapsed() > NOTE) {
            let best = search_state.progress().layout.clone();
            best.iter().for_each(|b| note(b));
            *noted = (Instant::now(), found);
        }
    };
    let go_on = || {
        let run = search_state.gone();
        let limit = Duration::from_millis(search_state.limit.load(Ordering::Relaxed));
        let first = search_state.tries.load(Ordering::Relaxed) < 2 && run < FIRST;
        write_down();
        while search_state.is_paused() && !search_state.stop.load(Ordering::Relaxed) {
            std::thread::sleep(WAIT * 5);
        }
        !search_state.stop.load(Ordering::Relaxed) && (first || run < limit)
    };
    let tried = |tries: usize| search_state.tries.store(tries, Ordering::Relaxed);
    let better = |layout: &Layout, tries: usize| {
        let worth = worth_of(layout);
        let step = Step { after: search_state.gone().as_secs_f64(), sheets: layout.sheets.len(), yield_share: worth.yield_share };
        search_state.curve.lock().unwrap_or_else(PoisonError::into_inner).push(step);
        *search_state.progress() = Progress {
            layout: Some(Arc::new(layout.clone())),
            tries,
            worth,
            batch: search_state.batch,
            phase: Phase::Searching,
            ..Progress::default()
        };
    };
    search(problem, &Control { go_on: &go_on, better: &better, tried: &tried, seed, tries: usize::MAX })
}

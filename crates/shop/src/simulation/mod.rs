//! The shop in simulated time: its machines, its lines to them, its disk and the people at it, all in one thread and driven by one seed,
//! so that a history that went wrong is played again exactly.
//!
//! Time is Tokio's paused clock. The controllers are the simulated ones, reached over [`wires`] that are cut, fall silent and lose
//! bytes; the shop's memory is the real one in a folder whose last write a kill may tear ([`life`]); what is burned is judged by the
//! controllers' own record, read by an interpreter of this folder's own ([`record`]).

mod deeds;
mod judge;
mod life;
mod record;
mod template;
mod tests;
mod weather;
mod wires;

use boustrophe_core::shop::Shop;
use boustrophe_machine::Simulated;
use life::Life;
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use record::Record;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use time::OffsetDateTime;
use time::macros::datetime;
use tokio::time::Instant;
use wires::Wires;

/// The machines, in the order in which they are spoken of.
const MACHINES: [&str; 2] = ["lark", "anvil"];
/// When every history begins.
const OPENED: OffsetDateTime = datetime!(2026-03-02 07:00 UTC);
/// Length of a step of the controllers.
const TICK: Duration = Duration::from_millis(20);

/// A lock that nobody else has: all is on one thread.
fn locked<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A controller with its wires and its record.
struct Station {
    controller: Simulated,
    wires: Arc<Wires>,
    record: Mutex<Record>,
}

/// How a run was gone on with.
#[derive(Clone, Copy, Debug)]
struct Went {
    from: i32,
    how: crate::runs::again::Onward,
    /// Pieces of the run before that were finished by its record; all of it is in doubt where the machine was lost.
    finished: usize,
    lost: bool,
}

/// What people were told that was done, and what they asked for.
#[derive(Default)]
struct Told {
    /// Runs that somebody had started.
    started: BTreeSet<i32>,
    /// Runs that were sent, and answered.
    sent: BTreeSet<i32>,
    /// Runs that were made to go on from others.
    went: BTreeMap<i32, Went>,
    /// Runs that were cut again in part.
    again: BTreeSet<i32>,
    /// Sheets put on the rack and taken from it by hand, by number.
    by_hand: BTreeMap<i32, i64>,
    /// The same where the shop was killed in it: sheet and how many.
    in_doubt: Vec<(i32, i64)>,
    /// Jobs that were deleted, with their runs: what each burned is settled before.
    deleted: BTreeSet<i32>,
}

/// Everything of one history.
struct World {
    seed: u64,
    begun: Instant,
    trace: Mutex<Vec<String>>,
    stations: BTreeMap<&'static str, Arc<Station>>,
    life: Mutex<Option<Life>>,
    folders: tempfile::TempDir,
    lives: Mutex<u32>,
    told: Mutex<Told>,
    /// Sheets that were used up, by their number on the rack and the run that began them; true where something was burned for certain.
    used: Mutex<BTreeMap<i32, BTreeMap<i32, bool>>>,
    /// Chance and weather of the shop's memory.
    disk: Mutex<life::Disk>,
}

impl World {
    /// A shop as the template has it, with its machines at rest.
    fn new(seed: u64) -> Arc<Self> {
        let shop = Shop::builtin();
        let station = |n: usize, id: &'static str| {
            let controller = Simulated::new(shop.machine(id).expect("a machine").clone(), 1.0, template::TOKEN);
            let wires = Wires::new(controller.clone(), seed ^ (n as u64 + 1) << 40);
            (id, Arc::new(Station { controller, wires, record: Mutex::default() }))
        };
        let stations: BTreeMap<_, _> = MACHINES.iter().enumerate().map(|(n, id)| station(n, id)).collect();
        // In memory where there is some: a disk's own time is no part of this.
        let memory = std::path::Path::new("/dev/shm");
        let folders = if memory.is_dir() { tempfile::tempdir_in(memory) } else { tempfile::tempdir() };
        Arc::new(Self {
            seed,
            begun: Instant::now(),
            trace: Mutex::default(),
            stations,
            life: Mutex::default(),
            folders: folders.expect("a folder"),
            lives: Mutex::new(0),
            told: Mutex::default(),
            used: Mutex::default(),
            disk: Mutex::new(life::Disk::new(StdRng::seed_from_u64(seed ^ 0xd15c))),
        })
    }

    /// Writes down what happened, with its time.
    fn note(&self, what: &str) {
        locked(&self.trace).push(format!("{:9.3} {what}", self.begun.elapsed().as_secs_f64()));
    }

    /// All that happened.
    fn history(&self) -> Vec<String> {
        locked(&self.trace).clone()
    }

    /// The controllers at work, and what they burn looked at with every step.
    async fn machines_run(self: Arc<Self>) {
        loop {
            tokio::time::sleep(TICK).await;
            self.sets_the_clock();
            for (id, station) in &self.stations {
                station.controller.pass(TICK.as_secs_f64());
                self.look(id, station);
            }
        }
    }

    /// The shop's clock goes with the history's time.
    fn sets_the_clock(&self) {
        boustrophe_store::stop_clock(Some(OPENED + self.begun.elapsed()));
    }

    /// Looks at a controller, past all wires.
    fn look(&self, id: &str, station: &Station) {
        let status = station.controller.stands();
        let news = locked(&station.record).saw(&status);
        if let Some(news) = news {
            self.note(&format!("{id} {news}"));
        }
        if status.beam {
            let run = status.held.as_ref().map_or(-1, |h| h.run);
            assert!(run == 0 || locked(&self.told).started.contains(&run), "run {run} burns on {id}, and nobody started it");
        }
    }

    /// A number source of its own for somebody in this history.
    fn chance(&self, of: u64) -> StdRng {
        StdRng::seed_from_u64(self.seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ of)
    }
}

/// One of a list, or none of an empty one.
fn one_of<'a, T>(chance: &mut StdRng, all: &'a [T]) -> Option<&'a T> {
    if all.is_empty() { None } else { all.get(chance.random_range(0..all.len())) }
}

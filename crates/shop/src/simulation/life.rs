//! A life of the shop: from when it is opened until it is killed, with a disk that may be full and slow, and a last write that may be torn.

use super::template::TEMPLATE;
use super::{World, locked};
use crate::app::App;
use crate::aside::{Aside, Turns};
use crate::runs;
use futures_util::future::BoxFuture;
use rand::Rng;
use rand::rngs::StdRng;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, Weak};
use std::time::Duration;
use tokio::runtime::Handle;
use tokio::task::AbortHandle;
use tokio::time::{Instant, sleep};

/// Of so many writes of a desk one is the shop's last, and of so many of people's.
const LAST_OF: u32 = 900;
/// A log of the memory's that is longer may be written back to it with any write, bytes: then nothing is torn.
const WRITTEN_BACK: u64 = 3_900_000;
/// What the shop's memory and its log are called.
const MEMORY: &str = "shop.sqlite";
const LOG: &str = "shop.sqlite-wal";

/// Chance and weather of the shop's memory.
pub(super) struct Disk {
    chance: StdRng,
    /// It takes nothing until then.
    pub(super) full: Option<Instant>,
    /// It takes its time until then.
    pub(super) slow: Option<Instant>,
    /// Nothing kills the shop any more.
    pub(super) calm: bool,
}

impl Disk {
    pub(super) fn new(chance: StdRng) -> Self {
        Self { chance, full: None, slow: None, calm: false }
    }

    /// True where the write that comes is the shop's last.
    fn kills(&mut self) -> bool {
        !self.calm && self.chance.random_ratio(1, LAST_OF)
    }
}

/// An open shop.
pub(super) struct Life {
    pub(super) app: Arc<App>,
    watching: Vec<AbortHandle>,
    waits: Arc<Mutex<Vec<AbortHandle>>>,
    folder: PathBuf,
}

/// When the shop's writes have their turns.
struct Beside {
    world: Weak<World>,
    waits: Arc<Mutex<Vec<AbortHandle>>>,
}

impl Turns for Beside {
    fn before(&self) -> BoxFuture<'static, ()> {
        let world = self.world.clone();
        Box::pin(async move {
            let Some(world) = world.upgrade() else { return };
            let wait = {
                let mut disk = locked(&world.disk);
                let slow = disk.slow.is_some_and(|until| Instant::now() < until);
                disk.chance.random_range(100..if slow { 3_000_000 } else { 15_000 })
            };
            drop(world);
            sleep(Duration::from_micros(wait)).await;
        })
    }

    fn work(&self, work: Box<dyn FnOnce() + Send>) -> BoxFuture<'static, ()> {
        let world = self.world.clone();
        Box::pin(async move {
            let Some(world) = world.upgrade() else { return work() };
            if world.write(work).is_none() {
                drop(world);
                // Nobody hears of it any more.
                std::future::pending::<()>().await;
            }
        })
    }

    fn begun(&self, waits: AbortHandle) {
        let mut all = locked(&self.waits);
        all.retain(|w| !w.is_finished());
        all.push(waits);
    }
}

fn length(folder: &Path) -> u64 {
    std::fs::metadata(folder.join(LOG)).map_or(0, |m| m.len())
}

/// What tells one round of the log from the next: its header's salts.
fn round(folder: &Path) -> Vec<u8> {
    use std::io::Read;
    let mut head = Vec::new();
    let _ = std::fs::File::open(folder.join(LOG)).map(|f| f.take(32).read_to_end(&mut head));
    head
}

impl World {
    /// The shop, while it is open.
    pub(super) fn app(&self) -> Option<Arc<App>> {
        locked(&self.life).as_ref().map(|l| Arc::clone(&l.app))
    }

    /// Opens the shop over what the last life left.
    pub(super) fn open(self: &Arc<Self>) {
        let folder = self.folder();
        if *locked(&self.lives) == 0 {
            TEMPLATE.put(&folder);
        }
        let wires: Vec<_> = self.stations.iter().map(|(id, s)| (*id, Arc::clone(&s.wires))).collect();
        let mut app = TEMPLATE.open(&folder, &wires);
        let waits = Arc::default();
        app.aside = Aside::Turns(Arc::new(Beside { world: Arc::downgrade(self), waits: Arc::clone(&waits) }));
        let app = Arc::new(app);
        let watching = runs::open(&app, &Handle::current()).iter().map(tokio::task::JoinHandle::abort_handle).collect();
        crate::rack::settle_soon(&app);
        self.note("the shop is open");
        *locked(&self.life) = Some(Life { app, watching, waits, folder });
    }

    fn folder(&self) -> PathBuf {
        self.folders.path().join(locked(&self.lives).to_string())
    }

    /// Does something that writes, in one step; none where the shop is shut, or where that was its last and nobody hears what came of it.
    pub(super) fn write<T>(self: &Arc<Self>, what: impl FnOnce() -> T) -> Option<T> {
        let folder = locked(&self.life).as_ref().map(|l| l.folder.clone())?;
        let kills = locked(&self.disk).kills();
        let before = (length(&folder), round(&folder));
        let out = what();
        if !kills {
            return Some(out);
        }
        drop(out);
        let after = length(&folder);
        let torn = before.1 == round(&folder) && after > before.0 && after < WRITTEN_BACK;
        self.kill(torn.then_some((before.0, after)));
        None
    }

    /// Ends the shop as a power cut does. Of its last write, which made the log so much longer, only some may have come to the disk.
    pub(super) fn kill(self: &Arc<Self>, torn: Option<(u64, u64)>) {
        let Some(life) = locked(&self.life).take() else { return };
        life.watching.iter().for_each(AbortHandle::abort);
        locked(&life.waits).iter().for_each(AbortHandle::abort);
        *locked(&self.lives) += 1;
        let to = self.folder();
        std::fs::create_dir_all(&to).expect("a folder");
        let copied = |name: &str| std::fs::copy(life.folder.join(name), to.join(name));
        copied(MEMORY).expect("copied");
        if copied(LOG).is_ok()
            && let Some((before, after)) = torn
        {
            let kept = locked(&self.disk).chance.random_range(before..=after);
            let log = std::fs::File::options().write(true).open(to.join(LOG)).expect("the log");
            log.set_len(kept).expect("cut");
            self.note(&format!("the shop is killed in a write: {} of {} bytes came to the disk", kept - before, after - before));
        } else {
            self.note("the shop is killed");
        }
    }

    /// The weather of its disk, as it is now.
    pub(super) fn weather(&self) {
        if let Some(app) = self.app() {
            let full = locked(&self.disk).full.is_some_and(|until| Instant::now() < until);
            app.store.only_read(full);
        }
    }
}

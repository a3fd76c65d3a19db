//! The running shop: its memory, its machines, and what is being worked out.

use crate::aside::Aside;
use crate::desks::Machines;
use crate::error::ShopError;
use crate::reading::Readers;
use crate::searches::Searches;
use boustrophe_core::assign::Work;
use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::{BatchDecisions, Decisions, Stock};
use boustrophe_core::drawing::Drawing;
use boustrophe_core::ids::BatchId;
use boustrophe_core::released::ReleasedBatch;
use boustrophe_core::route::{BatchRoute, Route};
use boustrophe_core::shop::{Machine, Material, Rows, Shop};
use boustrophe_machine::Link;
use boustrophe_store::{Job, Revision, Store};
use quick_cache::Weighter;
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::io::Write;
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, RwLock};

/// Room for drawings as they were read, bytes as estimated.
const DRAWINGS: u64 = 192 << 20;
/// Drawings that their cache is laid out for. So few, it is in one piece, and keeps what is large.
const READ: usize = 32;
/// Batches of releases that are kept unpacked.
const RELEASED: usize = 6;
/// Niceness of work that nobody looks at while it goes on: pages go first.
const NICE: i32 = 10;

/// Everything that handlers share.
pub struct App {
    /// Jobs, files, revisions, runs.
    pub store: Store,
    /// Machines, materials, charts, rules, as they are now.
    shop: RwLock<Arc<Shop>>,
    /// Held while the shop's book is changed, so that no change is made on what has just been changed.
    book: Mutex<()>,
    /// Held while files are added to a job: uploads wait for each other.
    adding: Mutex<HashMap<i32, Arc<Mutex<()>>>>,
    /// Desks of the machines.
    pub desks: Machines,
    /// Nests being searched.
    pub searches: Searches,
    /// Readers of strangers' files.
    pub readers: Readers,
    /// Threads for what takes long, behind the pages.
    pub deep: rayon::ThreadPool,
    /// Folder for files on their way in.
    pub incoming: PathBuf,
    /// Folder for pictures of the machines' beds.
    pub beds: PathBuf,
    /// The machine room is open: faults of the simulated machines can be brought about from a page.
    pub room: bool,
    cache: Cache,
    drawings: quick_cache::sync::Cache<String, Arc<Drawing>, ByStrokes>,
    /// Batches of releases, as they were unpacked: by release and batch.
    pub(crate) released: quick_cache::sync::Cache<(i32, i32), Arc<ReleasedBatch>>,
    /// Revision and state of the shop for which a job's card on the floor was made.
    pub carded: Mutex<HashMap<i32, (i32, u64)>>,
    /// Counts the states of the shop's book since it was opened.
    state: AtomicU64,
    /// Cards for the floor: being made anew, and to be made once more after that.
    pub carding: (AtomicBool, AtomicBool),
    runtime: tokio::runtime::Handle,
    /// Where work is done that may wait for the memory.
    pub aside: Aside,
}

#[derive(Clone)]
struct ByStrokes;

impl Weighter<String, Arc<Drawing>> for ByStrokes {
    fn weight(&self, _: &String, d: &Arc<Drawing>) -> u64 {
        400 + 160 * d.entities.len() as u64 + d.bitmap.as_ref().map_or(0, |b| b.grey.len() as u64)
    }
}

/// A job with the revision in force and all that was computed for it.
pub struct Loaded {
    /// The job.
    pub job: Job,
    /// The revision in force.
    pub revision: Revision,
    /// What was computed.
    pub route: Route,
    /// The shop that it was computed for.
    pub shop: Arc<Shop>,
    /// The batch that is asked about; the first where there is no such batch.
    pub batch: BatchId,
}

impl Loaded {
    /// The same, asked about another batch.
    pub fn about(self, batch: BatchId) -> Self {
        let batch = if self.route.batches.contains_key(&batch) { batch } else { BatchId::FIRST };
        Self { batch, ..self }
    }
    /// What was computed for the batch.
    pub fn here(&self) -> &BatchRoute {
        self.route.batch(self.batch)
    }
    /// What was decided on the batch.
    pub fn decided(&self) -> &BatchDecisions {
        self.revision.decisions.batch(self.batch)
    }
    /// What the batch's processes are done with.
    pub fn rows(&self) -> Rows {
        self.shop.rows_for(&self.revision.decisions.assign, &self.decided().stock)
    }
    /// The batch's machine; a stand-in where it is gone.
    pub fn machine(&self) -> Cow<'_, Machine> {
        self.shop.machine_or_stand_in(&self.decided().stock.machine)
    }
    /// The batch's material; none where it is gone.
    pub fn material(&self) -> Option<&Material> {
        self.shop.material(&self.decided().stock.material)
    }
}

/// A batch in words: “Lark, Birch plywood 3 mm”.
pub fn stock_words(stock: &Stock, shop: &Shop) -> String {
    let material = shop.material(&stock.material).map_or(stock.material.as_str(), |m| m.name.as_str());
    let machine = shop.machine(&stock.machine).map_or(stock.machine.as_str(), |m| m.name.as_str());
    format!("{machine}, {material} {} mm", stock.thickness)
}

/// Threads that leave the processor to others where these want it.
pub fn behind(threads: usize) -> Result<rayon::ThreadPool, ShopError> {
    let nice = |_| {
        let _ = rustix::process::setpriority_process(None, NICE);
    };
    rayon::ThreadPoolBuilder::new().num_threads(threads).start_handler(nice).build().map_err(|e| ShopError::Sentence(e.to_string()))
}

impl App {
    /// A shop over its memory, within a runtime; files on their way in are put down in `incoming`.
    pub fn new(store: Store, shop: Shop, links: BTreeMap<String, Link>, readers: Readers, incoming: PathBuf) -> Result<Self, ShopError> {
        Ok(Self {
            store,
            shop: RwLock::new(Arc::new(shop)),
            book: Mutex::default(),
            adding: Mutex::default(),
            desks: Machines::new(links),
            searches: Searches::default(),
            readers,
            deep: behind(0)?,
            beds: incoming.with_file_name("beds"),
            incoming,
            room: false,
            cache: Cache::default(),
            drawings: quick_cache::sync::Cache::with_weighter(READ, DRAWINGS, ByStrokes),
            released: quick_cache::sync::Cache::new(RELEASED),
            carded: Mutex::default(),
            state: AtomicU64::new(0),
            carding: Default::default(),
            runtime: tokio::runtime::Handle::current(),
            aside: Aside::default(),
        })
    }

    /// The shop as it is now.
    pub fn shop(&self) -> Arc<Shop> {
        Arc::clone(&self.shop.read().unwrap_or_else(PoisonError::into_inner))
    }

    /// Keeps others from changing the shop's book meanwhile.
    pub fn book(&self) -> MutexGuard<'_, ()> {
        self.book.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What keeps others from adding files to a job meanwhile.
    pub fn adding(&self, job: i32) -> Arc<Mutex<()>> {
        Arc::clone(self.adding.lock().unwrap_or_else(PoisonError::into_inner).entry(job).or_default())
    }

    /// Takes over the shop as stored, after a change.
    pub fn reopen(&self) -> Result<(), ShopError> {
        let stored = crate::settings::load(&self.store)?;
        *self.shop.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(stored);
        self.state.fetch_add(1, Ordering::AcqRel);
        Ok(())
    }

    /// Tells one state of the shop's book from another, as long as it is open.
    pub fn state(&self) -> u64 {
        self.state.load(Ordering::Acquire)
    }

    /// The parts of a batch of some decisions, with nothing worked out beyond Assign.
    pub fn work(&self, decisions: &Decisions, batch: BatchId) -> Result<Arc<Work>, ShopError> {
        let drawings = self.drawings(decisions)?;
        Ok(boustrophe_core::route::work_of(&drawings, decisions, &self.shop(), &self.cache, batch))
    }

    pub(crate) fn drawings(&self, decisions: &Decisions) -> Result<Vec<Arc<Drawing>>, ShopError> {
        decisions.drawings.iter().map(|d| self.drawing(&d.file, &d.name)).collect()
    }

    /// The route for some decisions.
    pub fn route(&self, decisions: &Decisions, shop: &Shop) -> Result<Route, ShopError> {
        Ok(boustrophe_core::route::run(&self.drawings(decisions)?, decisions, shop, &self.cache, &mut |_| {}))
    }

    /// A stored drawing as read. Work for a thread that may block.
    pub fn drawing(&self, hash: &str, name: &str) -> Result<Arc<Drawing>, ShopError> {
        let key = format!("{hash} {name}");
        if let Some(found) = self.drawings.get(&key) {
            return Ok(found);
        }
        let mut file = self.file_coming_in()?;
        let put_down = |e: std::io::Error| ShopError::Sentence(format!("{name} cannot be stored for reading ({e}); is the disk full?"));
        file.write_all(&self.store.file(hash)?).map_err(put_down)?;
        let read = self.runtime.block_on(self.readers.read(name, file.path()))?;
        Ok(self.know(hash, name, read))
    }

    /// Keeps a drawing that was read.
    pub fn know(&self, hash: &str, name: &str, read: Drawing) -> Arc<Drawing> {
        let read = Arc::new(read);
        self.drawings.insert(format!("{hash} {name}"), Arc::clone(&read));
        read
    }

    /// An empty file for something on its way in; it goes when it is dropped.
    pub fn file_coming_in(&self) -> Result<tempfile::NamedTempFile, ShopError> {
        let failed = |e| ShopError::Sentence(format!("files cannot be taken in ({e}); is the disk full?"));
        tempfile::NamedTempFile::new_in(&self.incoming).map_err(failed)
    }

    /// Has a job's card on the floor made anew.
    pub fn forget_card(&self, job: i32) {
        self.carded.lock().unwrap_or_else(PoisonError::into_inner).remove(&job);
    }
}

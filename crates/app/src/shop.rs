//! The running shop: its memory, its machines, and what is being worked out.

use crate::searches::Searches;
use crate::writer;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::drawing::Drawing;
use boustrophe_core::route::{Cache, Route};
use boustrophe_core::shop::Shop;
use boustrophe_store::{Job, Revision, Store};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError, RwLock};

use crate::error::AppError;

/// Drawings kept in memory once read.
const DRAWINGS: usize = 64;

/// Everything that handlers share.
pub struct App {
    /// Jobs, files, revisions, runs.
    pub store: Store,
    /// Machines, materials, charts, rules, as they are now.
    shop: RwLock<Arc<Shop>>,
    /// Addresses of the machines' controllers.
    pub machines: HashMap<String, String>,
    /// Nests being searched.
    pub searches: Searches,
    cache: Cache,
    drawings: Mutex<HashMap<String, Arc<Drawing>>>,
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
}

impl App {
    /// A shop over its memory.
    pub fn new(store: Store, shop: Shop, machines: HashMap<String, String>) -> Self {
        Self {
            store,
            shop: RwLock::new(Arc::new(shop)),
            machines,
            searches: Searches::default(),
            cache: Cache::default(),
            drawings: Mutex::new(HashMap::new()),
        }
    }

    /// The shop as it is now.
    pub fn shop(&self) -> Arc<Shop> {
        Arc::clone(&self.shop.read().unwrap_or_else(PoisonError::into_inner))
    }

    /// Takes over the shop as stored, after a change.
    pub fn reopen(&self) -> Result<(), AppError> {
        let stored = crate::settings::load(&self.store)?;
        *self.shop.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(stored);
        Ok(())
    }

    /// A job as it stands. Work for a thread that may block.
    pub fn load(&self, job: i32) -> Result<Loaded, AppError> {
        let job = self.store.job(job)?;
        let head = job.head.ok_or_else(|| AppError::Sentence(format!("{} has no revision; begin it again.", job.name)))?;
        let revision = self.store.revision(job.id, head)?;
        let shop = self.shop();
        let route = self.route(&revision.decisions, &shop)?;
        if revision.ledger.as_ref() != Some(&route.ledger) {
            self.store.set_ledger(revision.id, &route.ledger)?;
        }
        Ok(Loaded { job, revision, route, shop })
    }

    /// The route for some decisions.
    pub fn route(&self, decisions: &Decisions, shop: &Shop) -> Result<Route, AppError> {
        let drawings = decisions.drawings.iter().map(|d| self.drawing(&d.file, &d.name)).collect::<Result<Vec<_>, _>>()?;
        Ok(writer::route(&drawings, decisions, shop, &self.cache, &mut |_| {}))
    }

    /// A stored drawing as read.
    pub fn drawing(&self, hash: &str, name: &str) -> Result<Arc<Drawing>, AppError> {
        let kept = || self.drawings.lock().unwrap_or_else(PoisonError::into_inner);
        let key = format!("{hash} {name}");
        if let Some(found) = kept().get(&key) {
            return Ok(Arc::clone(found));
        }
        let read = Arc::new(boustrophe_formats::read(name, &self.store.file(hash)?)?);
        let mut drawings = kept();
        if drawings.len() >= DRAWINGS {
            drawings.clear();
        }
        drawings.insert(key, Arc::clone(&read));
        Ok(read)
    }
}

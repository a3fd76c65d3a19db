//! What a job's programs follow from, in one file: `prove` works the job out of it anew.

use crate::app::{App, Loaded};
use crate::error::ShopError;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use boustrophe_core::cache::Cache;
use boustrophe_core::decisions::Decisions;
use boustrophe_core::drawing::Drawing;
use boustrophe_core::route::{self, Route};
use boustrophe_core::shop::Shop;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Name of the file, among those of a release and in the folder of `prep`.
pub const JOB: &str = "job.json";

/// A job with all that its programs follow from.
#[derive(Serialize, Deserialize)]
pub struct Kept {
    version: u32,
    /// The shop's book that it was made with.
    pub shop: Shop,
    decisions: Decisions,
    /// The drawings as they were read.
    drawings: Vec<String>,
}

impl Kept {
    /// What a job's programs follow from.
    pub fn of(drawings: &[Arc<Drawing>], decisions: &Decisions, shop: &Shop) -> Result<Self, ShopError> {
        let packed = |d: &Arc<Drawing>| Ok(STANDARD.encode(postcard::to_stdvec(&**d)?));
        let drawings = drawings.iter().map(packed).collect::<Result<_, postcard::Error>>();
        let drawings = drawings.map_err(|e| ShopError::Sentence(format!("the drawings cannot be saved: {e}.")))?;
        Ok(Self { version: 1, shop: shop.clone(), decisions: decisions.clone(), drawings })
    }

    /// The same of a job as it stands.
    pub fn of_job(app: &App, loaded: &Loaded) -> Result<Self, ShopError> {
        let decisions = &loaded.revision.decisions;
        Self::of(&app.drawings(decisions)?, decisions, &loaded.shop)
    }

    /// As a file.
    pub fn written(&self) -> Result<Vec<u8>, ShopError> {
        serde_json::to_vec(self).map_err(|e| ShopError::Sentence(format!("the job cannot be saved: {e}.")))
    }

    /// What a file says; what is wrong with it, where it is none of ours.
    pub fn read(text: &[u8]) -> Result<Self, String> {
        let kept: Self = serde_json::from_slice(text).map_err(|e| format!("it is no job: {e}"))?;
        if kept.version == 1 { Ok(kept) } else { Err(format!("it was written by another version ({})", kept.version)) }
    }

    /// The job worked out anew; none where its drawings cannot be read.
    pub fn route(&self) -> Option<Route> {
        let unpacked = |text: &String| -> Option<Arc<Drawing>> { Some(Arc::new(postcard::from_bytes(&STANDARD.decode(text).ok()?).ok()?)) };
        let drawings: Vec<Arc<Drawing>> = self.drawings.iter().map(unpacked).collect::<Option<_>>()?;
        Some(route::run(&drawings, &self.decisions, &self.shop, &Cache::default(), &mut |_| {}))
    }
}

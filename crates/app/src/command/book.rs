//! The shop that a command works for: the one in a folder, or the built-in one.

use crate::failure::Failure;
use boustrophe_core::decisions::Stock;
use boustrophe_core::nest::Sheet;
use boustrophe_core::shop::Shop;
use boustrophe_shop::{rack, settings};
use boustrophe_store::{Stocked, Store};
use std::path::Path;

/// No job: whatever no job has in hand is free.
const NOBODY: i32 = 0;

/// Book and rack of a shop. Nothing is changed there.
pub struct Book {
    /// Machines, materials, chart, rules.
    pub shop: Shop,
    rack: Vec<Stocked>,
}

impl Book {
    /// Those of the shop in a folder; without one the built-in ones, with an empty rack.
    pub fn of(data: Option<&Path>) -> Result<Self, Failure> {
        let Some(folder) = data else { return Ok(Self { shop: Shop::builtin(), rack: Vec::new() }) };
        let told =
            |e: &dyn std::fmt::Display| Failure::Other(format!("--data {}: {}.", folder.display(), e.to_string().trim_end_matches('.')));
        let store = Store::look_at(folder).map_err(|e| told(&e))?;
        let shop = settings::load(&store).map_err(|e| told(&e))?;
        let shop = if shop.machines.is_empty() { Shop { ..Shop::builtin() } } else { shop };
        Ok(Self { shop, rack: store.stock(None).map_err(|e| told(&e))? })
    }

    /// Full sheets of the rack of a stock that nobody has in hand.
    pub fn sheets(&self, stock: &Stock) -> Vec<Sheet> {
        let of = |s: &&Stocked| {
            let same = s.stock.material == stock.material && (s.stock.thickness - stock.thickness).abs() < 1e-6;
            same && !s.stock.offcut && s.stock.sheet.tray.is_none() && s.free_for(NOBODY) > 0
        };
        self.rack.iter().filter(of).map(|s| rack::as_sheet(s, NOBODY, None)).collect()
    }
}

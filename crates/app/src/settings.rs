//! The shop as it is stored: things by kind, each as JSON, and back.

use crate::error::AppError;
use boustrophe_core::shop::{ChartRow, Machine, Material, Rule, Shop};
use boustrophe_store::{Setting, Store, StoreError};
use serde::Serialize;
use serde::de::DeserializeOwned;

/// Kinds of thing that are stored.
pub const KINDS: [&str; 4] = ["machine", "material", "chart", "rule"];

/// The stored shop; what is not stored is as built in.
pub fn load(store: &Store) -> Result<Shop, AppError> {
    let all = store.settings()?;
    fn of<T: DeserializeOwned>(all: &[Setting], kind: &str) -> Result<Vec<T>, AppError> {
        let mine = all.iter().filter(|s| s.kind == kind);
        mine.map(|s| serde_json::from_str(&s.body).map_err(|e| AppError::Store(StoreError::Json(e)))).collect()
    }
    Ok(Shop {
        machines: of::<Machine>(&all, "machine")?,
        materials: of::<Material>(&all, "material")?,
        chart: of::<ChartRow>(&all, "chart")?,
        rules: of::<Rule>(&all, "rule")?,
        ..Shop::builtin()
    })
}

/// The stored shop, or `first` stored now where none is.
pub fn open(store: &Store, first: &Shop) -> Result<Shop, AppError> {
    if store.settings()?.is_empty() {
        store.set_settings(&KINDS, &stored(first)?, "built in", "as delivered")?;
    }
    load(store)
}

/// All things of a shop, as they are stored.
pub fn stored(shop: &Shop) -> Result<Vec<Setting>, AppError> {
    let mut all = Vec::new();
    kind(&mut all, "machine", shop.machines.iter().map(|m| (m.id.clone(), m)))?;
    kind(&mut all, "material", shop.materials.iter().map(|m| (m.id.clone(), m)))?;
    kind(&mut all, "chart", shop.chart.iter().map(|r| (r.key(), r)))?;
    kind(&mut all, "rule", shop.rules.iter().map(|r| (r.key(), r)))?;
    Ok(all)
}

fn kind<'a, T: Serialize + 'a>(all: &mut Vec<Setting>, kind: &str, things: impl Iterator<Item = (String, &'a T)>) -> Result<(), AppError> {
    for (position, (key, thing)) in things.enumerate() {
        let body = serde_json::to_string(thing).map_err(|e| AppError::Store(StoreError::Json(e)))?;
        all.push(Setting { kind: kind.into(), key, position: i32::try_from(position).unwrap_or(i32::MAX), body });
    }
    Ok(())
}

/// Stores one kind of thing anew as it is in `shop`; gives how many changed.
pub fn save(store: &Store, shop: &Shop, kind: &'static str, person: &str, reason: &str) -> Result<usize, AppError> {
    let wanted: Vec<Setting> = stored(shop)?.into_iter().filter(|s| s.kind == kind).collect();
    Ok(store.set_settings(&[kind], &wanted, person, reason)?)
}

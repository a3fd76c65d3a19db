//! The shop as it is stored: things by kind, each as JSON, and back.

use crate::error::ShopError;
use boustrophe_core::shop::{ChartRow, House, Machine, Material, Rule, Shop};
use boustrophe_store::{Kind, Setting, Store, StoreError};
use serde::Serialize;
use serde::de::DeserializeOwned;
use strum::VariantArray;

/// Key of the one thing that goes for the whole shop.
pub const HOUSE: &str = "shop";

/// The stored shop; what is not stored is as built in.
pub fn load(store: &Store) -> Result<Shop, ShopError> {
    for (name, bytes) in store.face_files()? {
        // What cannot be learnt is missing where it is written with, and told there.
        if let Err(error) = boustrophe_core::lettering::learn(&name, &bytes) {
            tracing::error!(name, error, "a face of the shop's book cannot be read");
        }
    }
    of(&store.settings()?)
}

/// The shop of what is stored. A thing that cannot be read is left out and said in the log: what needs it becomes a finding
/// of the jobs that do, and nothing else stands still.
pub fn of(all: &[Setting]) -> Result<Shop, ShopError> {
    fn things<T: DeserializeOwned>(all: &[Setting], kind: Kind) -> Vec<T> {
        let read = |s: &Setting| {
            serde_json::from_str(&s.body)
                .inspect_err(
                    |error| tracing::error!(%kind, key = s.key, %error, "a thing of the shop's book is not understood and left out"),
                )
                .ok()
        };
        all.iter().filter(|s| s.kind == kind).filter_map(read).collect()
    }
    let shop = Shop {
        machines: things::<Machine>(all, Kind::Machine).into_iter().map(Machine::modern).collect(),
        materials: things::<Material>(all, Kind::Material),
        chart: things::<ChartRow>(all, Kind::Chart),
        rules: things::<Rule>(all, Kind::Rule),
        house: things::<House>(all, Kind::House).pop().unwrap_or_default(),
        ..Shop::builtin()
    };
    if shop.machines.is_empty() {
        return Err(ShopError::Sentence("no machine of the shop's book can be read; nothing can be opened without one.".into()));
    }
    Ok(shop)
}

/// The stored shop, or `first` stored now where none is.
pub fn open(store: &Store, first: &Shop) -> Result<Shop, ShopError> {
    if store.settings()?.is_empty() {
        store.set_settings(Kind::VARIANTS, &stored(first)?, "built in", "as delivered")?;
    }
    load(store)
}

/// All things of a shop, as they are stored.
pub fn stored(shop: &Shop) -> Result<Vec<Setting>, ShopError> {
    let mut all = Vec::new();
    kind(&mut all, Kind::Machine, shop.machines.iter().map(|m| (m.id.clone(), m)))?;
    kind(&mut all, Kind::Material, shop.materials.iter().map(|m| (m.id.clone(), m)))?;
    kind(&mut all, Kind::Chart, shop.chart.iter().map(|r| (r.key(), r)))?;
    kind(&mut all, Kind::Rule, shop.rules.iter().map(|r| (r.key(), r)))?;
    kind(&mut all, Kind::House, std::iter::once((HOUSE.to_owned(), &shop.house)))?;
    Ok(all)
}

fn kind<'a, T: Serialize + DeserializeOwned + 'a>(
    all: &mut Vec<Setting>,
    kind: Kind,
    things: impl Iterator<Item = (String, &'a T)>,
) -> Result<(), ShopError> {
    for (position, (key, thing)) in things.enumerate() {
        let body = serde_json::to_string(thing).map_err(|e| ShopError::Store(StoreError::Json(e)))?;
        // A figure that is no number is written as null and could never be read again.
        if body.contains(":null") && serde_json::from_str::<T>(&body).is_err() {
            return Err(ShopError::Store(StoreError::Unkeepable(key)));
        }
        all.push(Setting { kind, key, position: i32::try_from(position).unwrap_or(i32::MAX), body, revision: 0 });
    }
    Ok(())
}

/// Stores one kind of thing anew as it is in `shop`; gives how many changed.
pub fn save(store: &Store, shop: &Shop, kind: Kind, person: &str, reason: &str) -> Result<usize, ShopError> {
    let mut wanted: Vec<Setting> = stored(shop)?.into_iter().filter(|s| s.kind == kind).collect();
    // What could not be read was left out of the shop; it is not thrown away.
    wanted.extend(store.settings()?.into_iter().filter(|s| s.kind == kind && !readable(s)));
    Ok(store.set_settings(&[kind], &wanted, person, reason)?)
}

fn readable(s: &Setting) -> bool {
    match s.kind {
        Kind::Machine => serde_json::from_str::<Machine>(&s.body).is_ok(),
        Kind::Material => serde_json::from_str::<Material>(&s.body).is_ok(),
        Kind::Chart => serde_json::from_str::<ChartRow>(&s.body).is_ok(),
        Kind::Rule => serde_json::from_str::<Rule>(&s.body).is_ok(),
        Kind::House => serde_json::from_str::<House>(&s.body).is_ok(),
    }
}

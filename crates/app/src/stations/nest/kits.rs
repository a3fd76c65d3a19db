//! Kits as a hand makes them: parts that are said to belong together.

use boustrophe_core::decisions::{Edit, NestEdit};
use boustrophe_core::ids::{BatchId, PartId};
use boustrophe_core::nest::{Kit, PartNest, Terms};
use std::collections::{BTreeMap, BTreeSet};

/// All kits that parts are said to belong to, by number.
pub fn all(terms: &Terms) -> Vec<Kit> {
    let all: BTreeMap<u32, Kit> = terms.parts.values().filter_map(|p| p.kit).map(|k| (k.number, k)).collect();
    all.into_values().collect()
}

/// The first kit that nothing belongs to yet.
pub fn free(terms: &Terms) -> Kit {
    let taken: BTreeSet<u32> = all(terms).iter().map(|k| k.number).collect();
    Kit { number: (0..).find(|n| !taken.contains(n)).unwrap_or(0), near: false }
}

/// All parts of a kit lie as it says.
pub fn lie(terms: &Terms, kit: Kit, batch: BatchId) -> Edit {
    let of = terms.parts.iter().filter(|(_, said)| said.kit.is_some_and(|k| k.number == kit.number));
    said(of.map(|(part, said)| (*part, PartNest { kit: Some(kit), ..*said })), batch)
}

/// Parts become a kit of their own; those that are one already, and nothing else, are none any more.
pub fn together(terms: &Terms, parts: &BTreeSet<PartId>, batch: BatchId) -> Edit {
    let of = |part: &PartId| terms.parts.get(part).copied().unwrap_or_default();
    let before: BTreeSet<Option<u32>> = parts.iter().map(|p| of(p).kit.map(|k| k.number)).collect();
    let one_already = before.len() == 1 && !before.contains(&None);
    let kit = (!one_already).then(|| free(terms));
    said(parts.iter().map(|part| (*part, PartNest { kit, ..of(part) })), batch)
}

fn said(parts: impl Iterator<Item = (PartId, PartNest)>, batch: BatchId) -> Edit {
    Edit::All { edits: parts.map(|(part, nest)| NestEdit::SetPart { part, nest }.on(batch)).collect() }
}

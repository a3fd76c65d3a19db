//! Decisions as they are stored, of this version and of earlier ones.
//!
//! Jobs from before batches have one, whose parts lie flat among the rest, and name parts where copies are named now.

use super::Card;
use super::{Acceptance, AssignDecisions, BatchDecisions, Decisions, DrawingDecisions, PartDecisions};
use crate::ids::{BatchId, PartId};
use serde::Deserialize;
use serde_json::{Map, Value, json};
use std::collections::BTreeMap;

/// What was written, of whichever version.
#[derive(Deserialize)]
#[serde(transparent)]
pub(super) struct Stored(Value);

#[derive(Default, Deserialize)]
#[serde(default)]
struct Present {
    drawings: Vec<DrawingDecisions>,
    assign: AssignDecisions,
    parts: BTreeMap<PartId, PartDecisions>,
    batches: BTreeMap<BatchId, BatchDecisions>,
    accepted: Vec<Acceptance>,
    card: Option<Card>,
}

impl TryFrom<Stored> for Decisions {
    type Error = serde_json::Error;
    fn try_from(stored: Stored) -> Result<Self, Self::Error> {
        let p: Present = serde_json::from_value(modern(stored.0))?;
        let mut batches = p.batches;
        batches.entry(BatchId::FIRST).or_default();
        Ok(Self { drawings: p.drawings, assign: p.assign, parts: p.parts, batches, accepted: p.accepted, card: p.card })
    }
}

/// What lay flat among a job's decisions and belongs to Assign.
const OF_ASSIGN: [&str; 8] = ["keys", "contours", "settings", "key_settings", "contour_settings", "numbers", "rows", "pictures"];

/// Stored decisions of an earlier version in the form of this one; those of this one as they are. What nobody knows stays.
pub fn modern(mut written: Value) -> Value {
    let Some(all) = written.as_object_mut() else { return written };
    let flat = all.keys().any(|k| OF_ASSIGN.contains(&k.as_str()) || ["batch", "nest", "starts", "hold", "initials"].contains(&k.as_str()));
    if flat {
        let assign: Map<String, Value> = OF_ASSIGN.iter().filter_map(|k| Some(((*k).to_owned(), all.remove(*k)?))).collect();
        all.insert("assign".into(), Value::Object(assign));
        let mut batch = Map::new();
        for (old, new) in [("batch", "stock"), ("nest", "nest"), ("hold", "hold")] {
            if let Some(v) = all.remove(old) {
                batch.insert(new.into(), v);
            }
        }
        if let Some(starts) = all.remove("starts") {
            batch.insert("order".into(), json!({ "starts": starts }));
        }
        if let Some(initials) = all.remove("initials") {
            batch.insert("release".into(), json!({ "initials": initials }));
        }
        all.insert("batches".into(), json!({ "1": batch }));
    }
    if let Some(parts) = all.get_mut("parts").and_then(Value::as_object_mut) {
        for part in parts.values_mut().filter_map(Value::as_object_mut) {
            // One number held for the only batch there was.
            match part.get("quantity") {
                Some(Value::Number(n)) => {
                    let n = n.clone();
                    part.insert("quantity".into(), json!({ "1": n }));
                }
                Some(Value::Null) => {
                    part.remove("quantity");
                }
                _ => {}
            }
        }
    }
    let batches = all.get_mut("batches").and_then(Value::as_object_mut).into_iter().flat_map(|b| b.values_mut());
    batches.filter_map(|b| b.pointer_mut("/nest/layout/sheets")?.as_array_mut()).for_each(|sheets| named_copies(sheets));
    written
}

/// Copies that were named after their part alone get a number within it.
fn named_copies(sheets: &mut [Value]) {
    let mut count: BTreeMap<String, u32> = BTreeMap::new();
    for placed in sheets.iter_mut().filter_map(|s| s.get_mut("placed")?.as_array_mut()).flatten().filter_map(Value::as_object_mut) {
        if let Some(Value::String(part)) = placed.remove("part") {
            let n = count.entry(part.clone()).or_default();
            *n += 1;
            placed.insert("copy".into(), Value::String(format!("{part}-{n}")));
        }
    }
}

//! What Assign gets to see: no more than it needs, so that nothing else makes it work again.

use crate::decisions::clean::Operation;
use crate::decisions::{AssignDecisions, Decisions, Numbers, PartDecisions, Process, Stock};
use crate::ids::{BatchId, ContourId, PartId};
use crate::shop::{Rule, Shop};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// What was decided at Assign that bears on what lines are: of the job's own settings which there are, and no figure of them.
#[derive(Clone, Debug, Serialize)]
pub struct Decided<'a> {
    /// By key of the style.
    pub keys: &'a BTreeMap<String, Process>,
    /// On single contours.
    pub contours: &'a BTreeMap<ContourId, Process>,
    /// Settings by key of the style.
    pub key_settings: &'a BTreeMap<String, u32>,
    /// Settings of single contours.
    pub contour_settings: &'a BTreeMap<ContourId, u32>,
    /// The settings that there are, each with its process, in the order in which they are done.
    pub settings: Vec<(u32, Process)>,
    /// Numbers that parts get.
    pub numbers: &'a Option<Numbers>,
}

impl<'a> Decided<'a> {
    /// That of some decisions.
    pub fn of(decisions: &'a AssignDecisions) -> Self {
        let AssignDecisions { keys, contours, key_settings, contour_settings, numbers, .. } = decisions;
        Self { keys, contours, key_settings, contour_settings, settings: decisions.turns(), numbers }
    }
}

/// Decisions and customs of the shop that bear on what lines are.
#[derive(Clone, Debug, Serialize)]
pub struct Given<'a> {
    /// What was decided at Assign.
    pub decisions: Decided<'a>,
    /// What is wanted of each drawing's parts.
    pub wanted: &'a Wanted,
    /// The shop's customs.
    pub customs: &'a Customs<'a>,
}

/// How many are wanted, and in which batch.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Wanted {
    /// Of a drawing's parts, by the drawing's number: batch, quantity, and whether only regions of it are taken.
    pub drawings: BTreeMap<u32, (BatchId, u32, bool)>,
    /// Of single parts.
    pub parts: BTreeMap<PartId, PartDecisions>,
}

impl Wanted {
    /// What a job wants.
    pub fn of(decisions: &Decisions) -> Self {
        let drawings = decisions.drawings.iter().map(|d| (d.id, (d.batch, d.quantity, !d.regions.is_empty()))).collect();
        Self { drawings, parts: decisions.parts.clone() }
    }
    /// The batch that a drawing's parts are made in.
    pub fn batch(&self, drawing: u32) -> BatchId {
        self.drawings.get(&drawing).map_or(BatchId::FIRST, |d| d.0)
    }
    /// Copies of a part by batch: in the one that it is made in as many as of its drawing's others, unless said of it.
    pub fn copies(&self, drawing: u32, part: PartId) -> BTreeMap<BatchId, u32> {
        let (batch, quantity, _) = self.drawings.get(&drawing).copied().unwrap_or((BatchId::FIRST, 1, false));
        let decided = self.parts.get(&part);
        let home = decided.and_then(|p| p.batch).unwrap_or(batch);
        let mut out = decided.map(|p| p.quantity.clone()).unwrap_or_default();
        out.retain(|b, n| *b == home || *n > 0);
        let here = out.entry(home).or_insert(quantity);
        // What lies on other jobs' sheets is made there.
        let elsewhere: u32 = decided.map_or(0, |p| p.elsewhere.iter().map(|e| e.count).sum());
        *here = here.saturating_sub(elsewhere);
        out
    }
}

/// What the shop's book says that bears on what lines are.
#[derive(Clone, Debug, Serialize)]
pub struct Customs<'a> {
    /// Standing rules, first match wins.
    pub rules: &'a [Rule],
    /// Steps of colour that count as nearly a rule's.
    pub near_colour: u32,
    /// By batch.
    pub stocks: BTreeMap<BatchId, StockCustoms>,
    /// What each batch is made on and of.
    pub made_of: BTreeMap<BatchId, Stock>,
    /// Materials of the book: id and name.
    pub materials: Vec<(String, String)>,
    /// Parts of which it is said how their grain lies.
    pub grained: BTreeSet<PartId>,
    /// Contours of which a mirrored copy was made.
    pub mirrored: BTreeSet<ContourId>,
}

/// What a batch's machine and material bring along.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct StockCustoms {
    /// The chart has settings for a tool that marks.
    pub marks: bool,
    /// Width of the beam, mm.
    pub spot: f64,
    /// Thickness, mm.
    pub thickness: f64,
}

impl Default for StockCustoms {
    fn default() -> Self {
        Self { marks: false, spot: 0.1, thickness: 0.0 }
    }
}

impl<'a> Customs<'a> {
    /// Those of a shop for a job's batches.
    pub fn of(decisions: &Decisions, shop: &'a Shop) -> Self {
        let stock = |s: &crate::decisions::Stock| StockCustoms {
            marks: shop.row(&s.machine, &s.material, s.thickness, Process::Mark).is_some(),
            spot: shop.machine(&s.machine).map_or(0.1, |m| m.spot),
            thickness: s.thickness,
        };
        let stocks = decisions.batches.iter().map(|(id, b)| (*id, stock(&b.stock))).collect();
        let grained =
            decisions.batches.values().flat_map(|b| &b.nest.parts).filter(|(_, n)| n.grain.is_some()).map(|(id, _)| *id).collect();
        let mirrors = decisions.drawings.iter().flat_map(|d| &d.operations);
        let mirrored = mirrors.filter_map(|o| if let Operation::Mirror { contours, keep: true, .. } = o { Some(contours) } else { None });
        Self {
            rules: &shop.rules,
            near_colour: shop.near_colour,
            stocks,
            made_of: decisions.batches.iter().map(|(id, b)| (*id, b.stock.clone())).collect(),
            materials: shop.materials.iter().map(|m| (m.id.clone(), m.name.clone())).collect(),
            grained,
            mirrored: mirrored.flatten().copied().collect(),
        }
    }
    /// Those of a batch.
    pub fn stock(&self, batch: BatchId) -> StockCustoms {
        self.stocks.get(&batch).copied().unwrap_or_default()
    }
}

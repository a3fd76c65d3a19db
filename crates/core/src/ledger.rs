//! The figures that every change is judged by.

use crate::decisions::Stock;
use crate::nest::{Layout, Sheet};
use crate::proof::SheetProof;
use crate::shop::Shop;
use serde::{Deserialize, Serialize};

/// One revision's figures.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Ledger {
    /// Sheets used.
    pub sheets: usize,
    /// Area of the parts over the area of the sheets, 0 to 1.
    pub yield_share: f64,
    /// Burned length of cuts, mm.
    pub cut: f64,
    /// Length of scores and marks, mm.
    pub score: f64,
    /// Moves without beam, mm.
    pub travel: f64,
    /// Pierces.
    pub pierces: usize,
    /// Swept area, mm².
    pub engraved: f64,
    /// Time on the machine, s.
    pub seconds: f64,
    /// Machine time and material.
    pub cost: f64,
}

impl Ledger {
    /// The figures of a layout with its proofs.
    pub fn of(layout: &Layout, part_area: f64, proofs: &[SheetProof], stock: &Stock, shop: &Shop) -> Self {
        let sheet_area: f64 = layout.sheets.iter().map(|s| s.sheet.area()).sum();
        let sum = |of: fn(&SheetProof) -> f64| proofs.iter().map(of).fold(0.0, |a, b| a + b);
        let seconds = sum(|p| p.seconds) * shop.time_factor(stock);
        let hourly = shop.machine(&stock.machine).map_or(0.0, |m| m.hourly);
        let price = shop.material(&stock.material).map_or(0.0, |m| m.price);
        // A sheet with a price of its own costs that; others as much as their material by area.
        let material = |s: &Sheet| s.price.unwrap_or_else(|| s.area() / 1e6 * price * stock.thickness);
        let sheets: f64 = layout.sheets.iter().map(|s| material(&s.sheet)).sum();
        Self {
            sheets: layout.sheets.len(),
            yield_share: if sheet_area > 0.0 { part_area / sheet_area } else { 0.0 },
            cut: sum(|p| p.cut),
            score: sum(|p| p.score),
            travel: sum(|p| p.travel),
            pierces: proofs.iter().map(|p| p.pierces).sum(),
            engraved: sum(|p| p.engrave_area),
            seconds,
            cost: seconds / 3600.0 * hourly + sheets,
        }
    }

    /// The figures of several batches together, each with the area of its parts (mm²) and its layout.
    pub fn sum<'a>(all: impl IntoIterator<Item = (&'a Self, f64, &'a Layout)>) -> Self {
        let (mut out, mut parts, mut sheets) = (Self::default(), 0.0, 0.0);
        for (one, part_area, layout) in all {
            parts += part_area;
            sheets += layout.sheets.iter().map(|s| s.sheet.area()).sum::<f64>();
            out.sheets += one.sheets;
            out.pierces += one.pierces;
            out.cut += one.cut;
            out.score += one.score;
            out.travel += one.travel;
            out.engraved += one.engraved;
            out.seconds += one.seconds;
            out.cost += one.cost;
        }
        Self { yield_share: if sheets > 0.0 { parts / sheets } else { 0.0 }, ..out }
    }
}

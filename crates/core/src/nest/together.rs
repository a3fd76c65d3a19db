//! Kits that do not lie together.

use super::kits::{Kits, Torn, torn};
use super::{Layout, Terms};
use crate::assign::{PartId, Work};
use crate::finding::{Code, Finding, Severity, Station};
use crate::geometry::Point;

/// Kits that are torn over sheets, or whose parts do not lie side by side, each with its places on the first sheet that has some of it.
pub(super) fn found(work: &Work, layout: &Layout, terms: &Terms) -> Vec<Finding> {
    torn(work, layout, terms).iter().flat_map(|(kits, t)| told(work, layout, kits, *t)).collect()
}

fn told(work: &Work, layout: &Layout, kits: &Kits, torn: Torn) -> Vec<Finding> {
    let name = kits.kit.name();
    let parts: Vec<PartId> = kits.each.iter().map(|e| e.0).collect();
    let sheets: Vec<usize> = (0..layout.sheets.len()).filter(|s| uneven(layout, *s, kits)).collect();
    let named: Vec<String> = sheets.iter().map(|s| (s + 1).to_string()).collect();
    let on = if named.is_empty() { String::new() } else { format!(" (sheets {})", named.join(", ")) };
    let apart = format!("Kit {name}: the parts of {} of {} do not lie side by side on their sheet.", torn.apart, kits.count);
    let finding = |count: u32, sheet: usize, code: Code, text: String| {
        let lying = layout.sheets.get(sheet).into_iter().flat_map(|s| &s.placed).filter(|p| parts.contains(&p.copy.part));
        let at: Vec<Point> = lying.filter_map(|p| Some(p.affine() * work.part(p.copy.part)?.bounds.center())).collect();
        Finding::new(Station::Nest, Severity::Look, code, count as usize, text)
            .on(parts.iter().map(|p| p.0))
            .on_sheet(sheet, at)
            .acceptable("Leave them as they lie")
    };
    let first = layout.sheets.iter().position(|s| s.placed.iter().any(|p| parts.contains(&p.copy.part))).unwrap_or(0);
    let torn_text = format!(
        "Kit {name}: {} of {} {} not on one sheet{on}. Nest again with more time or on larger sheets, or move its parts by hand.",
        torn.sheets,
        kits.count,
        if torn.sheets == 1 { "is" } else { "are" }
    );
    let torn_over = (torn.sheets > 0).then(|| finding(torn.sheets, sheets.first().copied().unwrap_or(first), Code::KitTorn, torn_text));
    torn_over.into_iter().chain((torn.apart > 0).then(|| finding(torn.apart, first, Code::KitApart, apart))).collect()
}

/// True for a sheet with parts of a kit that make no whole ones.
fn uneven(layout: &Layout, sheet: usize, kits: &Kits) -> bool {
    let mine = layout.sheets[sheet].placed.iter().map(|p| p.copy.part).filter(|p| kits.each.iter().any(|e| e.0 == *p));
    mine.clone().count() as u32 != kits.whole(mine) * kits.each.iter().map(|e| e.1).sum::<u32>()
}

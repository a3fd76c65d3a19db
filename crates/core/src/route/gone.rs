//! A machine or material that the shop has no longer.

use crate::decisions::{AssignEdit, Edit, Stock};
use crate::finding::{Code, Finding, Severity, Station};
use crate::ids::BatchId;
use crate::shop::Shop;

/// Remedies offered where a machine or material is gone.
const MOST_OFFERED: usize = 6;

/// A machine or material that the shop has no longer: nothing can be released for it; what there is instead is offered.
pub(super) fn told(b: &Stock, shop: &Shop) -> Vec<Finding> {
    let mut found = Vec::new();
    let offered = |mut finding: Finding, rows: &mut dyn Iterator<Item = &crate::shop::ChartRow>| {
        let mut seen: Vec<(&str, &str, f64)> = Vec::new();
        for r in rows {
            let known = (r.machine.as_str(), r.material.as_str(), r.thickness);
            if seen.contains(&known) || seen.len() >= MOST_OFFERED {
                continue;
            }
            seen.push(known);
            if let (Some(machine), Some(material)) = (shop.machine(&r.machine), shop.material(&r.material)) {
                let edit = Edit::Assign(AssignEdit::SetBatch {
                    batch: BatchId::FIRST,
                    machine: machine.id.clone(),
                    material: material.id.clone(),
                    thickness: r.thickness,
                });
                finding = finding.choice(format!("{}, {} {} mm", machine.name, material.name, r.thickness), edit);
            }
        }
        finding
    };
    // What is nearest comes first: the same material, then the same machine.
    if shop.machine(&b.machine).is_none() {
        let text = format!("The machine “{}” is no longer in the shop's book. Choose another, or add it again.", b.machine);
        let finding = Finding::new(Station::Assign, Severity::Stop, Code::MachineGone, 1, text);
        let (same, other): (Vec<_>, Vec<_>) = shop.chart.iter().partition(|r| r.material == b.material);
        found.push(offered(finding, &mut same.into_iter().chain(other)));
    }
    if shop.material(&b.material).is_none() {
        let text = format!("The material “{}” is no longer in the shop's book. Choose another, or add it again.", b.material);
        let finding = Finding::new(Station::Assign, Severity::Stop, Code::MaterialGone, 1, text);
        let (same, other): (Vec<_>, Vec<_>) = shop.chart.iter().partition(|r| r.machine == b.machine);
        found.push(offered(finding, &mut same.into_iter().chain(other)));
    }
    found
}

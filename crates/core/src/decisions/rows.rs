//! What every process of a batch is done with: the cut chart's rows, and the job's own where they differ.

use super::{AssignDecisions, Process};
use crate::shop::{ChartRow, Rows, Shop, Stock};

impl Shop {
    /// What the processes of a batch are done with: chart, rows proposed for the job, the job's own settings.
    pub fn rows_for(&self, assign: &AssignDecisions, stock: &Stock) -> Rows {
        let mut rows = Vec::new();
        for process in Process::ALL {
            let proposed = || assign.rows.iter().find(|r| r.is(&stock.machine, &stock.material, stock.thickness, process));
            let Some(row) = self.row(&stock.machine, &stock.material, stock.thickness, process).or_else(proposed) else { continue };
            rows.push((process, None, row.clone()));
            rows.extend(assign.settings.iter().filter(|s| s.process == process).map(|s| {
                let own = ChartRow {
                    feed: s.feed.unwrap_or(row.feed),
                    power: s.power.unwrap_or(row.power),
                    passes: s.passes.unwrap_or(row.passes),
                    pitch: s.pitch.unwrap_or(row.pitch),
                    kerf: s.kerf.unwrap_or(row.kerf),
                    tool: s.tool.or(row.tool),
                    ..row.clone()
                };
                (process, Some(s.id), own)
            }));
        }
        Rows::new(rows)
    }
}

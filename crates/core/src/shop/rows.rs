//! What every process of a batch is done with: the cut chart's rows, and the job's own where they differ.

use super::{ChartRow, Shop};
use crate::decisions::{AssignDecisions, Process, Stock};
use serde::{Deserialize, Serialize};

/// The rows in force for one batch of a job.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Rows {
    rows: Vec<(Process, Option<u32>, ChartRow)>,
}

impl Rows {
    /// The row for a process with the job's setting of this number; the chart's where there is no such setting.
    pub fn get(&self, process: Process, setting: Option<u32>) -> Option<&ChartRow> {
        let of = |s: Option<u32>| self.rows.iter().find(|r| r.0 == process && r.1 == s).map(|r| &r.2);
        of(setting).or_else(|| of(None))
    }
    /// The row for a process and setting themselves.
    pub fn exactly(&self, process: Process, setting: Option<u32>) -> Option<&ChartRow> {
        self.all().find(|r| (r.0, r.1) == (process, setting)).map(|r| r.2)
    }
    /// All rows, each with its process and the job's setting that it is of.
    pub fn all(&self) -> impl Iterator<Item = (Process, Option<u32>, &ChartRow)> {
        self.rows.iter().map(|(process, setting, row)| (*process, *setting, row))
    }
}

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
        Rows { rows }
    }
}

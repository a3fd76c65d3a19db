//! What every process of a batch is done with: the cut chart's rows, and the job's own where they differ.

use super::ChartRow;
use crate::process::Process;
use serde::{Deserialize, Serialize};

/// The rows in force for one batch of a job.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Rows {
    rows: Vec<(Process, Option<u32>, ChartRow)>,
}

impl Rows {
    /// The rows of these processes, each of the chart (`None`) or of a setting of the job's own.
    pub fn new(rows: Vec<(Process, Option<u32>, ChartRow)>) -> Self {
        Self { rows }
    }
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

//! The cut chart: with what a machine cuts a material.

use super::{Machine, Shop};
use crate::process::Process;
use serde::{Deserialize, Serialize};

/// One row of the cut chart.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ChartRow {
    /// Machine id.
    pub machine: String,
    /// Material id.
    pub material: String,
    /// Thickness, mm.
    pub thickness: f64,
    /// Process.
    pub process: Process,
    /// Feed, mm/min.
    pub feed: f64,
    /// Power, share of full in percent.
    pub power: f64,
    /// Power at which a picture's lightest tone just shows, share of full in percent.
    #[serde(default)]
    pub least_power: f64,
    /// Times round.
    pub passes: u32,
    /// Width of the cut, mm.
    pub kerf: f64,
    /// Distance between engraved rows, mm.
    pub pitch: f64,
    /// Wait with the beam on before moving, s.
    pub pierce: f64,
    /// Assist air on.
    pub air: bool,
    /// Number in the machine's tool table, for marks.
    #[serde(default)]
    pub tool: Option<u32>,
    /// True until somebody has confirmed a run with it.
    #[serde(default)]
    pub unproved: bool,
    /// How many times as long work with it takes as is reckoned from speeds and acceleration, as runs have shown. Of a cut's row
    /// for all work on the material.
    #[serde(default = "as_reckoned")]
    pub time_factor: f64,
}

fn as_reckoned() -> f64 {
    1.0
}

/// Rows of thicknesses nearer than this are one, mm.
pub const SAME_THICKNESS: f64 = 0.05;

/// Thinnest and thickest material, mm.
const THICKNESS: (f64, f64) = (0.05, 200.0);

/// A thickness (mm) that material may have; else why not.
pub fn thickness(mm: f64) -> Result<f64, String> {
    let (least, most) = THICKNESS;
    if (least..=most).contains(&mm) { Ok(mm) } else { Err(format!("a thickness of {mm} mm will not do; use {least} to {most}")) }
}

impl ChartRow {
    /// Name under which it is stored: machine, material, thickness, process.
    pub fn key(&self) -> String {
        format!("{}/{}/{}/{}", self.machine, self.material, self.thickness, self.process.slug())
    }

    /// True for the row of this machine, material, thickness and process.
    pub fn is(&self, machine: &str, material: &str, thickness: f64, process: Process) -> bool {
        self.machine == machine
            && self.material == material
            && (self.thickness - thickness).abs() < SAME_THICKNESS
            && self.process == process
    }

    /// What is wrong with it on this machine; nothing where it will do.
    pub fn troubles(&self, machine: &Machine) -> Vec<String> {
        let mut out = Vec::new();
        let mut within = |what: &str, unit: &str, v: f64, least: f64, most: f64| {
            if !(v.is_finite() && (least..=most).contains(&v)) {
                out.push(format!("{what} {v}{unit} will not do on {}; use {least} to {most}{unit}", machine.name));
            }
        };
        within("a thickness of", " mm", self.thickness, THICKNESS.0, THICKNESS.1);
        within("a feed of", " mm/min", self.feed, 1.0, machine.feed_limit);
        within("a power of", " %", self.power, 0.1, 100.0);
        within("a least power of", " %", self.least_power, 0.0, self.power.clamp(0.0, 100.0));
        within("passes:", "", f64::from(self.passes), 1.0, 50.0);
        within("a kerf of", " mm", self.kerf, 0.0, 10.0);
        within("a factor of time of", "", self.time_factor, 0.2, 5.0);
        within("a pierce delay of", " s", self.pierce, 0.0, 60.0);
        if self.process.is_swept() {
            within("a row pitch of", " mm", self.pitch, 0.02, 5.0);
        }
        if !self.process.burns() {
            out.push("Reference is never sent and needs no row".into());
        }
        if let Some(t) = self.tool.filter(|t| !machine.tools.iter().any(|tool| tool.number == *t)) {
            out.push(format!(
                "{} has no tool {t}; its tool table has {}",
                machine.name,
                super::listed(machine.tools.iter().map(|t| t.number))
            ));
        }
        out
    }
}

impl Shop {
    /// A row for a thickness that the chart does not have, from the nearest that it has: feed falls as the thickness to
    /// cut grows (feed × thickness stays, the energy a length of cut needs), kerf and pierce grow with it. Marks, scores
    /// and engravings only touch the face and stay. It is unproved until a run has confirmed it.
    pub fn proposed(&self, machine: &str, material: &str, thickness: f64, process: Process) -> Option<(ChartRow, f64)> {
        let rows = self.chart.iter().filter(|r| r.machine == machine && r.material == material && r.process == process);
        let near = rows.min_by(|a, b| (a.thickness - thickness).abs().total_cmp(&(b.thickness - thickness).abs()))?;
        let factor = if process == Process::Cut { near.thickness / thickness } else { 1.0 };
        let limit = self.machine(machine).map_or(f64::INFINITY, |m| m.feed_limit);
        let row = ChartRow {
            thickness,
            feed: (near.feed * factor / 10.0).round().max(1.0) * 10.0,
            kerf: if process == Process::Cut { (near.kerf * factor.recip().powf(0.3) * 100.0).round() / 100.0 } else { near.kerf },
            pierce: (near.pierce / factor * 100.0).round() / 100.0,
            unproved: true,
            ..near.clone()
        };
        Some((ChartRow { feed: row.feed.min(limit), ..row }, near.thickness))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_checked_against_their_machine() {
        let shop = Shop::builtin();
        let lark = &shop.machines[0];
        assert!(shop.chart.iter().all(|r| r.troubles(shop.machine(&r.machine).expect("a machine")).is_empty()));
        let bad = ChartRow { feed: -5.0, power: 120.0, passes: 0, tool: Some(9), ..shop.chart[0].clone() };
        let told = bad.troubles(lark).join("; ");
        assert!(
            told.contains("a feed of -5 mm/min")
                && told.contains("a power of 120 %")
                && told.contains("passes: 0")
                && told.contains("no tool 9"),
            "{told}"
        );
    }

    #[test]
    fn a_missing_thickness_is_proposed_from_its_neighbour() {
        let shop = Shop::builtin();
        let (row, from) = shop.proposed("lark", "birch-ply", 4.0, Process::Cut).expect("there is a neighbour");
        let near = shop.row("lark", "birch-ply", 3.0, Process::Cut).expect("a row");
        assert!(from == 3.0 && row.unproved && row.thickness == 4.0);
        assert!((row.feed - near.feed * 0.75).abs() <= 5.0 && row.kerf > near.kerf);
        let (score, _) = shop.proposed("lark", "birch-ply", 4.0, Process::Score).expect("there is a neighbour");
        assert_eq!(score.feed, 4800.0);
        assert!(shop.proposed("lark", "mild-steel", 4.0, Process::Cut).is_none());
    }
}

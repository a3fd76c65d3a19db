//! The shop's machines, materials, cut chart and standing rules.

use crate::assign::Process;
use crate::geometry::Tolerance;
use serde::{Deserialize, Serialize};

/// What a machine cuts with.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum MachineKind {
    /// A beam; starts on the line, may engrave, nicks hold the parts.
    Laser,
    /// A torch; pierces in the scrap, leads in.
    Plasma,
}

/// A machine and how it moves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Machine {
    /// Short id for commands and charts.
    pub id: String,
    /// Name as the shop says it.
    pub name: String,
    /// What it cuts with.
    pub kind: MachineKind,
    /// Bed width, mm.
    pub bed_width: f64,
    /// Bed depth, mm.
    pub bed_height: f64,
    /// Highest feed with the beam on, mm/min.
    pub feed_limit: f64,
    /// Speed of moves without cutting, mm/min.
    pub rapid: f64,
    /// Acceleration, mm/s².
    pub acceleration: f64,
    /// Junction deviation d of the time model, mm.
    pub junction: f64,
    /// Greatest power word S; 1000 is full power.
    pub power_limit: f64,
    /// Raising, lowering or settling after a pierce, s.
    pub lift: f64,
    /// Change of process or tool, s.
    pub change: f64,
    /// Turn-round between engraved rows beyond the motion itself, s.
    pub row_turn: f64,
    /// Distance between the slats under the sheet, mm.
    pub slat_pitch: f64,
    /// Cost of an hour.
    pub hourly: f64,
    /// Least distance between parts unless decided, mm.
    pub spacing: f64,
    /// Least distance from the sheet's edge unless decided, mm.
    pub margin: f64,
    /// True when the swirl makes the right side of the cut the good one, so outers run clockwise.
    pub clockwise: bool,
}

/// A material and how it looks on the stage.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Material {
    /// Short id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Colour of its face, `#rrggbb`.
    pub tone: String,
    /// True when its grain runs along the sheet's width and is drawn.
    pub grain: bool,
    /// Price of a square metre per mm of thickness.
    pub price: f64,
    /// The usual sheet on each machine kind: width, height in mm.
    pub sheet: (f64, f64),
}

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
}

/// What a standing rule looks at.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Match {
    /// Line colour exactly.
    Stroke([u8; 3]),
    /// Filled and without a line, in any colour.
    Filled,
    /// Layer or group name, letter case ignored.
    Layer(String),
}

/// A standing rule: the first that matches says what a style becomes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rule {
    /// What it looks at.
    pub when: Match,
    /// What the style becomes.
    pub process: Process,
}

/// Everything the computation needs to know of the shop.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Shop {
    /// Machines.
    pub machines: Vec<Machine>,
    /// Materials.
    pub materials: Vec<Material>,
    /// The cut chart.
    pub chart: Vec<ChartRow>,
    /// Standing rules, in order.
    pub rules: Vec<Rule>,
    /// How closely geometry is followed.
    pub tolerance: Tolerance,
    /// Usual sheet corner-to-corner colour distance at which a near miss is proposed.
    pub near_colour: u32,
    /// Default nick width, mm.
    pub nick_width: f64,
    /// Default outline per nick, mm.
    pub nick_pitch: f64,
}

impl Shop {
    /// The built-in shop: two machines, four materials, a chart, no colour rules.
    pub fn builtin() -> Self {
        Self {
            machines: vec![lark(), anvil()],
            materials: materials(),
            chart: chart(),
            rules: Vec::new(),
            tolerance: Tolerance::default(),
            near_colour: 24,
            nick_width: 0.4,
            nick_pitch: 120.0,
        }
    }

    /// The machine with this id.
    pub fn machine(&self, id: &str) -> Option<&Machine> {
        self.machines.iter().find(|m| m.id == id)
    }
    /// The material with this id.
    pub fn material(&self, id: &str) -> Option<&Material> {
        self.materials.iter().find(|m| m.id == id)
    }
    /// The chart row for a process, exact in thickness to 0.05 mm.
    pub fn row(&self, machine: &str, material: &str, thickness: f64, process: Process) -> Option<&ChartRow> {
        self.chart
            .iter()
            .find(|r| r.machine == machine && r.material == material && (r.thickness - thickness).abs() < 0.05 && r.process == process)
    }
    /// Thicknesses that the chart has for cutting a material on a machine, ascending.
    pub fn thicknesses(&self, machine: &str, material: &str) -> Vec<f64> {
        let mut found: Vec<f64> = self
            .chart
            .iter()
            .filter(|r| r.machine == machine && r.material == material && r.process == Process::Cut)
            .map(|r| r.thickness)
            .collect();
        found.sort_by(f64::total_cmp);
        found
    }
}

fn lark() -> Machine {
    Machine {
        id: "lark".into(),
        name: "Lark".into(),
        kind: MachineKind::Laser,
        bed_width: 900.0,
        bed_height: 600.0,
        feed_limit: 30_000.0,
        rapid: 30_000.0,
        acceleration: 3000.0,
        junction: 0.02,
        power_limit: 1000.0,
        lift: 0.0,
        change: 0.5,
        row_turn: 0.01,
        slat_pitch: 20.0,
        hourly: 48.0,
        spacing: 2.0,
        margin: 6.0,
        clockwise: false,
    }
}

fn anvil() -> Machine {
    Machine {
        id: "anvil".into(),
        name: "Anvil".into(),
        kind: MachineKind::Plasma,
        bed_width: 1500.0,
        bed_height: 1250.0,
        feed_limit: 8000.0,
        rapid: 15_000.0,
        acceleration: 1200.0,
        junction: 0.05,
        power_limit: 1000.0,
        lift: 0.8,
        change: 2.0,
        row_turn: 0.0,
        slat_pitch: 60.0,
        hourly: 66.0,
        spacing: 14.0,
        margin: 10.0,
        clockwise: true,
    }
}

fn materials() -> Vec<Material> {
    let material = |id: &str, name: &str, tone: &str, grain, price, sheet| Material {
        id: id.into(),
        name: name.into(),
        tone: tone.into(),
        grain,
        price,
        sheet,
    };
    vec![
        material("birch-ply", "Birch plywood", "#dcc397", true, 7.0, (600.0, 400.0)),
        material("acrylic", "Clear acrylic", "#d3e0e2", false, 14.0, (600.0, 400.0)),
        material("card", "Card", "#cdbb9f", false, 2.0, (600.0, 400.0)),
        material("mild-steel", "Mild steel", "#a9afb3", false, 11.0, (1250.0, 1000.0)),
    ]
}

fn chart() -> Vec<ChartRow> {
    use Process::{Cut, Engrave, Mark, Score};
    let row = |machine: &str, material: &str, thickness, process, feed, power, kerf| ChartRow {
        machine: machine.into(),
        material: material.into(),
        thickness,
        process,
        feed,
        power,
        passes: 1,
        kerf,
        pitch: if process == Engrave { 0.1 } else { 0.0 },
        pierce: if machine == "anvil" && process == Cut { 0.2 + 0.1 * thickness } else { 0.0 },
        air: process == Cut,
    };
    let mut rows = Vec::new();
    for (material, thickness, feed, power, kerf) in [
        ("birch-ply", 3.0, 1200.0, 65.0, 0.18),
        ("birch-ply", 6.0, 480.0, 85.0, 0.24),
        ("acrylic", 3.0, 900.0, 60.0, 0.20),
        ("acrylic", 5.0, 480.0, 75.0, 0.25),
        ("card", 1.5, 3000.0, 30.0, 0.12),
    ] {
        rows.push(row("lark", material, thickness, Cut, feed, power, kerf));
        rows.push(row("lark", material, thickness, Score, 4800.0, 14.0, 0.1));
        rows.push(row("lark", material, thickness, Engrave, 18_000.0, 24.0, 0.1));
    }
    for (thickness, feed, power, kerf) in [(3.0, 3200.0, 45.0, 1.3), (6.0, 1900.0, 65.0, 1.6), (10.0, 1100.0, 85.0, 2.0)] {
        rows.push(row("anvil", "mild-steel", thickness, Cut, feed, power, kerf));
        rows.push(row("anvil", "mild-steel", thickness, Mark, 3000.0, 10.0, 0.5));
        rows.push(row("anvil", "mild-steel", thickness, Score, 3600.0, 12.0, 0.8));
    }
    rows
}

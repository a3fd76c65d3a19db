//! The shop's machines, materials, cut chart and standing rules.

mod builtin;
mod chart;
mod house;
mod material;
mod pace;
mod rows;
pub mod rules;
mod stock;

pub use chart::{ChartRow, SAME_THICKNESS, thickness};
pub use house::{Currency, House};
pub use material::{Material, NickRule};
pub use pace::{Pace, paces};
pub use rows::Rows;
pub use rules::{Match, Rule};
pub use stock::Stock;

use crate::dialect::Dialect;
use crate::geometry::Tolerance;
use crate::process::Process;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

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
    /// From the bed's edge to the first slat, mm.
    #[serde(default)]
    pub slat_offset: f64,
    /// Cost of an hour.
    pub hourly: f64,
    /// Least distance between parts unless decided, mm.
    pub spacing: f64,
    /// Least distance from the sheet's edge unless decided, mm.
    pub margin: f64,
    /// True when the swirl makes the right side of the cut the good one, so outers run clockwise.
    pub clockwise: bool,
    /// Its controller understands arcs; else they are sent as short lines.
    #[serde(default = "yes")]
    pub arcs: bool,
    /// It may cross long gaps within an engraved row at travel speed.
    #[serde(default = "yes")]
    pub fast_gaps: bool,
    /// Holes narrower than so many times the thickness are cut slower; 0 for none.
    #[serde(default)]
    pub slow_holes: f64,
    /// The share of the feed at which they are cut.
    #[serde(default = "slow_share")]
    pub slow_share: f64,
    /// A laser leads into stock that is so thick, mm; 0 where only told to. A torch always does.
    #[serde(default)]
    pub leads_from: f64,
    /// Words that switch the assist air on and off, as earlier versions kept them beside the dialect; see [`Machine::modern`].
    #[serde(default, rename = "air", skip_serializing)]
    pub earlier_air: Option<(String, String)>,
    /// Width of the beam or torch on the material, mm: what is thinner cannot be engraved.
    #[serde(default = "spot")]
    pub spot: f64,
    /// Tools beside the beam or torch.
    #[serde(default)]
    pub tools: Vec<Tool>,
    /// So much of what was burned is burned once more where a run that broke off goes on, mm; none for the custom of its kind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub overlap: Option<f64>,
    /// Longest silence of the shop through which it runs on, s; then it stops by itself. 0: it runs on whatever happens.
    #[serde(default)]
    pub silence: f64,
    /// It has a camera over its bed.
    #[serde(default)]
    pub camera: bool,
    /// How its controller is spoken to.
    #[serde(default)]
    pub dialect: Dialect,
    /// How files for it are named: `{number}`, `{job}`, `{sheet}`, `{material}`, `{thickness}`, `{machine}`, `{initials}` stand for
    /// those of the sheet.
    #[serde(default = "file_names")]
    pub file_names: String,
}

/// A machine's bed: all that a drawing's size is judged by.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Bed {
    /// Whose it is, as the shop says it.
    pub name: String,
    /// Its width, mm.
    pub width: f64,
    /// Its depth, mm.
    pub height: f64,
}

/// As files are named where nobody says otherwise.
pub fn file_names() -> String {
    "{number}-{job}-s{sheet}-{material}-{thickness}mm-{initials}".into()
}

fn yes() -> bool {
    true
}

fn slow_share() -> f64 {
    0.6
}

fn spot() -> f64 {
    0.1
}

/// A tool other than beam or torch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tool {
    /// Number by which programs call it.
    pub number: u32,
    /// What it is: scriber, forming wheel.
    pub kind: String,
    /// Width of its mark, mm.
    pub width: f64,
}

impl Machine {
    /// The same with what earlier versions kept beside the dialect in the dialect: its words go before the others.
    pub fn modern(mut self) -> Self {
        if let Some((on, off)) = self.earlier_air.take() {
            for (text, words) in [(on, &mut self.dialect.words.air_on), (off, &mut self.dialect.words.air_off)] {
                if let Ok(word) = text.parse() {
                    words.retain(|w| *w != word);
                    words.insert(0, word);
                }
            }
        }
        self
    }

    /// Its bed.
    pub fn bed(&self) -> Bed {
        Bed { name: self.name.clone(), width: self.bed_width, height: self.bed_height }
    }
    /// So much of what was burned is burned once more where a run that broke off goes on, mm: 2 with a torch, 0.3 with a laser where
    /// nobody says otherwise.
    pub fn overlap(&self) -> f64 {
        self.overlap.unwrap_or(match self.kind {
            MachineKind::Laser => 0.3,
            MachineKind::Plasma => 2.0,
        })
    }
    /// What is wrong with it; nothing where it will do.
    pub fn troubles(&self) -> Vec<String> {
        let mut out = Vec::new();
        let mut within = |what: &str, v: f64, least: f64, most: f64, unit: &str| {
            if !(v.is_finite() && (least..=most).contains(&v)) {
                out.push(format!("{what} of {v}{unit} will not do; use {least} to {most}{unit}"));
            }
        };
        within("a bed width", self.bed_width, 50.0, 20_000.0, " mm");
        within("a bed depth", self.bed_height, 50.0, 20_000.0, " mm");
        within("a highest feed", self.feed_limit, 10.0, 200_000.0, " mm/min");
        within("a travel speed", self.rapid, 10.0, 300_000.0, " mm/min");
        within("an acceleration", self.acceleration, 10.0, 100_000.0, " mm/s²");
        within("a corner deviation", self.junction, 0.001, 2.0, " mm");
        within("a power scale", self.power_limit, 1.0, 100_000.0, "");
        within("a lift time", self.lift, 0.0, 60.0, " s");
        within("a change time", self.change, 0.0, 600.0, " s");
        within("a row turn time", self.row_turn, 0.0, 5.0, " s");
        within("a slat pitch", self.slat_pitch, 1.0, 500.0, " mm");
        within("a slat offset", self.slat_offset, 0.0, 500.0, " mm");
        within("a factor for slow holes", self.slow_holes, 0.0, 50.0, " times the thickness");
        within("a share of the feed for slow holes", self.slow_share, 0.05, 1.0, "");
        within("a thickness from which there are leads", self.leads_from, 0.0, 200.0, " mm");
        within("an overlap where it goes on", self.overlap(), 0.0, 50.0, " mm");
        within("a longest silence", self.silence, 0.0, 600.0, " s");
        within("a cost per hour", self.hourly, 0.0, 100_000.0, "");
        within("a spacing", self.spacing, 0.0, 500.0, " mm");
        within("a margin", self.margin, 0.0, 500.0, " mm");
        within("a spot", self.spot, 0.01, 10.0, " mm");
        if !self.file_names.contains("{sheet}") || self.file_names.len() > 120 {
            out.push(
                "a pattern for file names has {sheet} in it, and 120 letters at most: else one sheet's file would take another's place"
                    .into(),
            );
        }
        for (i, t) in self.tools.iter().enumerate() {
            if t.number == 0 || t.number > 99 || self.tools[..i].iter().any(|o| o.number == t.number) {
                out.push(format!("tool {} will not do: numbers run from 1 to 99, each once", t.number));
            }
            if !(t.width.is_finite() && (0.01..=20.0).contains(&t.width)) {
                out.push(format!("tool {}: a mark {} mm wide will not do; use 0.01 to 20 mm", t.number, t.width));
            }
        }
        out
    }
}

/// `1, 2 and 5`, or `none`.
fn listed(numbers: impl Iterator<Item = u32>) -> String {
    let all: Vec<String> = numbers.map(|n| n.to_string()).collect();
    match all.as_slice() {
        [] => "none".into(),
        [one] => one.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

/// How nicks are set where nobody says otherwise.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Nicks {
    /// Material left, mm.
    pub width: f64,
    /// Outline for each, mm.
    pub pitch: f64,
    /// Fewest and most of a contour.
    pub count: (u32, u32),
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
    /// Fewest and most nicks of a contour. Default 2 and 8.
    #[serde(default = "nick_count")]
    pub nick_count: (u32, u32),
    /// A web or neck thinner than this many kerfs is told.
    pub web_kerfs: f64,
    /// A web or neck thinner than this share of the sheet's thickness is told.
    pub web_share: f64,
    /// What goes for all of it.
    #[serde(default)]
    pub house: House,
}

fn nick_count() -> (u32, u32) {
    (2, 8)
}

impl Shop {
    /// How nicks are set in a material.
    pub fn nicks(&self, material: &str) -> Nicks {
        let own = self.material(material).map(|m| m.nicks).unwrap_or_default();
        Nicks {
            width: own.width.unwrap_or(self.nick_width),
            pitch: own.pitch.unwrap_or(self.nick_pitch),
            count: own.count.unwrap_or(self.nick_count),
        }
    }

    /// The built-in shop: two machines, four materials, a chart, no colour rules.
    pub fn builtin() -> Self {
        Self {
            machines: vec![builtin::lark(), builtin::anvil()],
            materials: builtin::materials(),
            chart: builtin::chart(),
            rules: Vec::new(),
            tolerance: Tolerance::default(),
            near_colour: 24,
            nick_width: 0.4,
            nick_count: nick_count(),
            nick_pitch: 120.0,
            web_kerfs: 3.0,
            web_share: 1.0 / 3.0,
            house: House::default(),
        }
    }

    /// The machine with this id.
    pub fn machine(&self, id: &str) -> Option<&Machine> {
        self.machines.iter().find(|m| m.id == id)
    }
    /// The machine of a batch. Where the shop has it no longer a stand-in of no use is given, so that what was decided can
    /// still be seen: the route then holds everything up with a finding.
    pub fn machine_or_stand_in(&self, id: &str) -> Cow<'_, Machine> {
        self.machine(id).map_or_else(|| Cow::Owned(Machine { id: id.into(), name: id.into(), ..builtin::lark() }), Cow::Borrowed)
    }
    /// The material with this id.
    pub fn material(&self, id: &str) -> Option<&Material> {
        self.materials.iter().find(|m| m.id == id)
    }
    /// The chart row for a process, exact in thickness to 0.05 mm.
    pub fn row(&self, machine: &str, material: &str, thickness: f64, process: Process) -> Option<&ChartRow> {
        self.chart.iter().find(|r| r.is(machine, material, thickness, process))
    }
    /// How many times as long work on a stock takes as is reckoned from speeds and acceleration; 1 where nothing is known.
    pub fn time_factor(&self, stock: &Stock) -> f64 {
        self.row(&stock.machine, &stock.material, stock.thickness, Process::Cut).map_or(1.0, |r| r.time_factor)
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

impl Dialect {
    /// What a machine of the shop understands.
    pub fn of(machine: &Machine) -> Self {
        let mut dialect = machine.dialect.clone();
        dialect.arcs &= machine.arcs;
        dialect
    }
}

//! The shop as it is delivered: two machines, five materials, a chart.

use super::{ChartRow, Machine, MachineKind, Material, Tool};
use crate::dialect::Dialect;
use crate::process::Process;

pub(super) fn lark() -> Machine {
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
        slat_offset: 0.0,
        hourly: 48.0,
        spacing: 2.0,
        margin: 6.0,
        clockwise: false,
        slow_holes: 0.0,
        leads_from: 8.0,
        slow_share: 0.6,
        arcs: true,
        fast_gaps: true,
        earlier_air: None,
        spot: 0.1,
        tools: Vec::new(),
        overlap: None,
        silence: 0.0,
        camera: true,
        dialect: Dialect::shipped("laser").unwrap_or_default(),
        file_names: super::file_names(),
    }
}

pub(super) fn anvil() -> Machine {
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
        slat_offset: 0.0,
        hourly: 66.0,
        spacing: 14.0,
        margin: 10.0,
        clockwise: true,
        slow_holes: 1.5,
        leads_from: 0.0,
        slow_share: 0.6,
        arcs: true,
        fast_gaps: true,
        earlier_air: None,
        spot: 1.0,
        tools: vec![Tool { number: 1, kind: "scriber".into(), width: 0.5 }, Tool { number: 2, kind: "forming wheel".into(), width: 3.0 }],
        overlap: None,
        silence: 0.0,
        camera: true,
        dialect: Dialect::shipped("plasma").unwrap_or_default(),
        file_names: super::file_names(),
    }
}

pub(super) fn materials() -> Vec<Material> {
    let material = |id: &str, name: &str, tone: &str, engraved: &str, grain, price, sheet, density| Material {
        id: id.into(),
        name: name.into(),
        tone: tone.into(),
        grain,
        price,
        sheet,
        engraved: engraved.into(),
        density,
        nicks: super::NickRule::default(),
        clearance: None,
    };
    vec![
        material("birch-ply", "Birch plywood", "#dcc397", "#5b3a1e", true, 7.0, (600.0, 400.0), 680.0),
        material("acrylic", "Clear acrylic", "#d3e0e2", "#f7fafa", false, 14.0, (600.0, 400.0), 1190.0),
        material("card", "Card", "#cdbb9f", "#6b4f2f", false, 2.0, (600.0, 400.0), 700.0),
        material("mild-steel", "Mild steel", "#a9afb3", "#6d7377", false, 11.0, (1250.0, 1000.0), 7850.0),
        material("slate-tile", "Slate-coated tile", "#43494d", "#e4e0d6", false, 25.0, (150.0, 150.0), 2300.0),
    ]
}

pub(super) fn chart() -> Vec<ChartRow> {
    use Process::{Cut, Engrave, Mark, Picture, Score};
    let row = |machine: &str, material: &str, thickness, process, feed, power, kerf| ChartRow {
        machine: machine.into(),
        material: material.into(),
        thickness,
        process,
        feed,
        power,
        passes: 1,
        kerf,
        pitch: if matches!(process, Engrave | Picture) { 0.1 } else { 0.0 },
        least_power: if process == Picture { 6.0 } else { 0.0 },
        tool: if process == Mark { Some(1) } else { None },
        unproved: false,
        time_factor: 1.0,
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
        rows.push(row("lark", material, thickness, Picture, 15_000.0, 30.0, 0.1));
    }
    // On the coated tile only its coat is taken off.
    rows.push(row("lark", "slate-tile", 8.0, Engrave, 12_000.0, 20.0, 0.1));
    rows.push(row("lark", "slate-tile", 8.0, Picture, 12_000.0, 22.0, 0.1));
    rows.push(row("lark", "slate-tile", 8.0, Score, 3600.0, 18.0, 0.1));
    for (thickness, feed, power, kerf) in [(3.0, 3200.0, 45.0, 1.3), (6.0, 1900.0, 65.0, 1.6), (10.0, 1100.0, 85.0, 2.0)] {
        rows.push(row("anvil", "mild-steel", thickness, Cut, feed, power, kerf));
        rows.push(row("anvil", "mild-steel", thickness, Mark, 3000.0, 10.0, 0.5));
        rows.push(row("anvil", "mild-steel", thickness, Score, 3600.0, 12.0, 0.8));
    }
    rows
}

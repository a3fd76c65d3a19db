//! What is printed for a sheet: the setup sheet, from the route's own figures.

use boustrophe_core::assign::Process;
use boustrophe_core::decisions::{Pose, Zero};
use boustrophe_core::hold::Op;
use boustrophe_core::ids::PartId;
use boustrophe_core::route::BatchRoute;
use boustrophe_core::shop::Shop;
use boustrophe_core::time::duration;
use boustrophe_formats::print::{self, Setting, Setup};
use std::collections::BTreeMap;

/// What is gone through before a start, by key, in this order; the first says what lies on the bed.
pub const LIST: [(&str, &str); 4] = [
    ("material", "The sheet lies on the bed"),
    ("focus", "Focus or torch height set"),
    ("air", "Air and extraction on"),
    ("origin", "Zero is set, outline walked"),
];

/// Checksum of the program of a batch's sheet `i`, from 0.
pub fn sum(batch: &BatchRoute, shop: &Shop, i: usize) -> String {
    let mut text = Vec::new();
    // Writing into memory cannot fail.
    let _ = batch.write_program(i, shop, &mut text);
    boustrophe_machine::checksum(&String::from_utf8_lossy(&text))
}

/// The setup sheet of sheet `i`, from 0, of a batch; `name` of the job, the program's file name, and its checksum.
pub fn setup(batch: &BatchRoute, shop: &Shop, i: usize, (job, file, sum): (&str, &str, &str)) -> Option<Vec<u8>> {
    let pose = batch.pose(i);
    let (path, layout, proof) = (batch.toolpath.sheets.get(i)?, batch.nested.layout.sheets.get(i)?, batch.proofs.get(i)?);
    let mut parts: BTreeMap<PartId, usize> = BTreeMap::new();
    layout.placed.iter().for_each(|p| *parts.entry(p.copy.part).or_insert(0) += 1);
    let named = |(id, n): (PartId, usize)| Some((batch.work.part(id)?.name.clone(), n));
    let material = shop.material(&batch.stock.material).map_or(batch.stock.material.clone(), |m| m.name.clone());
    let machine = shop.machine(&batch.stock.machine).map_or(batch.stock.machine.clone(), |m| m.name.clone());
    Some(print::setup(&Setup {
        title: format!("{job}, sheet {} of {}", batch.before + i + 1, batch.of),
        machine,
        material: format!("{material} {} mm", batch.stock.thickness),
        program: (file.to_owned(), sum.to_owned()),
        time: duration(proof.seconds * shop.time_factor(&batch.stock)),
        times: 1,
        settings: settings(&path.ops, &proof.by_process),
        parts: parts.into_iter().filter_map(named).collect(),
        checklist: LIST.iter().map(|l| l.1.to_owned()).collect(),
        starts: path.ops.iter().filter(|o| o.process.frees()).filter_map(Op::start).collect(),
        zero: (pose.zero, zero_words(pose, (layout.sheet.width, layout.sheet.height))),
        work: &batch.work,
        layout,
    }))
}

/// Where the zero is, and where the sheet lies where that is not the bed's corner.
pub fn zero_words(pose: Pose, size: (f64, f64)) -> String {
    let named = Zero::NAMED.iter().find(|n| n.0.on(size).distance(pose.zero) < 1e-6).map_or(Zero::At(pose.zero), |n| n.0);
    let laid = if !pose.is_moved() {
        String::new()
    } else {
        let turn = if pose.is_turned() { format!(", turned by {:.2}°", pose.turn.to_degrees()) } else { String::new() };
        format!("; its lower left corner lies at {:.1}, {:.1} mm on the bed{turn}", pose.at.x, pose.at.y)
    };
    format!("{} of the sheet{laid}", named.words())
}

/// What each process is done with, and how much of it there is.
fn settings(ops: &[Op], times: &BTreeMap<Option<Process>, f64>) -> Vec<Setting> {
    let mut out: Vec<(Process, Setting, f64)> = Vec::new();
    for op in ops {
        let much = if op.is_swept() { op.area() } else { op.length() };
        let known = out.iter_mut().find(|(p, s, _)| *p == op.process && (s.feed, s.power, s.passes) == (op.feed, op.power, op.passes));
        match known {
            Some(known) => known.2 += much,
            None => {
                let setting = Setting {
                    name: op.process.name().into(),
                    feed: op.feed,
                    power: op.power,
                    passes: op.passes,
                    amount: String::new(),
                    time: String::new(),
                };
                out.push((op.process, setting, much));
            }
        }
    }
    let several = |p: Process| ops.iter().filter(|o| o.process == p).any(|o| ops.iter().any(|q| q.process == p && q.feed != o.feed));
    out.into_iter()
        .map(|(process, setting, much)| {
            let swept = process.is_swept();
            let amount = if swept { format!("{:.1} cm²", much / 100.0) } else { format!("{:.2} m", much / 1000.0) };
            // The time is known by process, not by setting.
            let time = if several(process) { String::new() } else { times.get(&Some(process)).map_or_else(String::new, |t| duration(*t)) };
            Setting { amount, time, ..setting }
        })
        .collect()
}

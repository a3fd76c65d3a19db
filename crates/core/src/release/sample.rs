//! A small program that shows a dialect: a line, an arc, a cut with its pierce, and on a laser two engraved rows.

use super::{ProgramOrder, write};
use crate::decisions::{Process, Stock};
use crate::geometry::{Path, Point, Segment, Vec2};
use crate::hold::{AreaSweep, Doing, Op, Row, SheetPath, Track};
use crate::shop::{Machine, MachineKind};

/// The sample program of a machine.
pub fn sample(machine: &Machine) -> String {
    let mut ops = Vec::new();
    if machine.kind == MachineKind::Laser {
        let row = |at: f64, backward: bool| Row {
            way: Vec2::new(1.0, 0.0),
            at,
            spans: vec![(20.0, 26.0), (28.0, 34.0)],
            reach: (20.0, 34.0),
            backward,
            fast: vec![false],
        };
        let rows = vec![row(10.0, false), row(10.1, true)];
        let sweep = AreaSweep { rows, pitch: 0.1, run_up: 5.0, area: 2.4, ..AreaSweep::default() };
        ops.push(Op { process: Process::Engrave, feed: 12_000.0, power: 24.0, passes: 1, doing: Doing::Sweep(sweep), ..Op::default() });
    }
    let score = Path::new(vec![Segment::line(Point::new(20.0, 14.0), Point::new(34.0, 14.0))], false);
    let mut outline = Path::rectangle(10.0, 5.0, 40.0, 15.0).segments;
    // One corner round.
    outline[2].end = Point::new(14.0, 20.0);
    outline[3].start = Point::new(10.0, 16.0);
    outline.insert(3, Segment { start: Point::new(14.0, 20.0), end: Point::new(10.0, 16.0), bulge: (std::f64::consts::PI / 8.0).tan() });
    let line = |process, feed, power, pierce, runs| Op {
        process,
        feed,
        power,
        passes: 1,
        pierce,
        kerf: 0.2,
        air: process == Process::Cut,
        doing: Doing::Line(Track { runs, ..Track::default() }),
        ..Op::default()
    };
    ops.push(line(Process::Score, 4800.0, 14.0, 0.0, vec![score.segments]));
    ops.push(line(Process::Cut, 1200.0, 65.0, 0.5, vec![outline]));
    let path = SheetPath { width: 60.0, height: 30.0, ops, ..SheetPath::default() };
    let stock = Stock { machine: machine.id.clone(), material: "sample".into(), thickness: 3.0 };
    let mut text = Vec::new();
    // Writing into memory cannot fail.
    let _ = write(&ProgramOrder { path: &path, machine, sheet: (1, 1), stock: &stock, pose: crate::decisions::Pose::default() }, &mut text);
    String::from_utf8_lossy(&text).into_owned()
}

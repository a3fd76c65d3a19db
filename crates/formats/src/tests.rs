use crate::gcode;
use boustrophe_core::assign::Process;
use boustrophe_core::decisions::Batch;
use boustrophe_core::geometry::{Path, Point, Segment};
use boustrophe_core::hold::{Op, Row, SheetPath};
use boustrophe_core::route::ProgramOrder;
use boustrophe_core::shop::Shop;

fn op(process: Process, path: &Path) -> Op {
    Op {
        contour: boustrophe_core::clean::ContourId(1),
        placement: 0,
        item: 0,
        process,
        lead_in: Vec::new(),
        runs: vec![path.segments.clone()],
        lead_out: Vec::new(),
        rows: Vec::new(),
        nicks: Vec::new(),
        feed: 1200.0,
        power: 65.0,
        passes: 1,
        pierce: 0.0,
        kerf: 0.2,
        air: true,
        run_up: 0.0,
        area: 0.0,
    }
}

fn program(machine: usize, ops: Vec<Op>) -> String {
    let shop = Shop::builtin();
    let path = SheetPath { width: 300.0, height: 200.0, ops };
    gcode::write(&ProgramOrder { path: &path, machine: &shop.machines[machine], sheet: (1, 2), batch: &Batch::default() })
}

#[test]
fn the_laser_program_reads_so() {
    let rows = vec![
        Row { y: 10.05, spans: vec![(20.0, 30.0), (40.0, 50.0)], backward: false },
        Row { y: 10.15, spans: vec![(20.0, 50.0)], backward: true },
    ];
    let sweep =
        Op { rows, runs: Vec::new(), feed: 18000.0, power: 24.0, air: false, run_up: 15.0, ..op(Process::Engrave, &Path::default()) };
    let circle = op(Process::Cut, &Path::circle(Point::new(50.0, 50.0), 10.0));
    let twice = Op { passes: 2, ..op(Process::Cut, &Path::new(vec![Segment::line(Point::new(0.0, 5.0), Point::new(8.0, 5.0))], false)) };
    let expected = "\
(Boustrophe Lark sheet 1 of 2)
(birch-ply 3 mm 300 x 200 mm)
G21 G90 G17 G94
M5 S0
(1 Engrave)
G0 X5 Y10.05
M3 S0
G1 X20 Y10.05 F18000
S240
G1 X30 Y10.05
S0
G1 X40 Y10.05
S240
G1 X50 Y10.05
S0
G1 X65 Y10.05
G0 X65 Y10.15
G1 X50 Y10.15
S240
G1 X20 Y10.15
S0
G1 X5 Y10.15
M5
G4 P0.5
(2 Cut)
M8
G0 X60 Y50
M3 S650
G3 X40 Y50 I-10 J0 F1200
G3 X60 Y50 I10 J0
M5
(3 Cut)
G0 X0 Y5
M3 S650
G1 X8 Y5
M5
G0 X0 Y5
M3 S650
G1 X8 Y5
M5
M9
G0 X0 Y0
M2
";
    assert_eq!(program(0, vec![sweep, circle, twice]), expected);
}

#[test]
fn the_plasma_program_pierces_waits_and_leads() {
    let lead = Segment { start: Point::new(68.0, 44.0), end: Point::new(60.0, 50.0), bulge: 0.2 };
    let circle = Op { lead_in: vec![lead], pierce: 0.8, feed: 1900.0, ..op(Process::Cut, &Path::circle(Point::new(50.0, 50.0), 10.0)) };
    let text = program(1, vec![circle]);
    let lines: Vec<&str> = text.lines().skip(5).collect();
    assert_eq!(lines[..4], ["M8", "G0 X68 Y44", "M3 S650", "G4 P1.6"], "{text}");
    assert!(lines[4].starts_with("G3 X60 Y50 I") && lines[4].ends_with("F1900"), "{text}");
    assert_eq!(lines[5..], ["G3 X40 Y50 I-10 J0", "G3 X60 Y50 I10 J0", "M5", "G4 P0.8", "M9", "G0 X0 Y0", "M2"], "{text}");
}

#[test]
fn files_are_known_by_their_content() {
    let dxf = b"0\nSECTION\n2\nENTITIES\n0\nENDSEC\n0\nEOF\n";
    assert!(crate::read("drawing.txt", dxf).is_ok());
    assert!(crate::read("drawing", br#"<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg"/>"#).is_ok());
    for (bytes, what) in [(&b"\x00\x01"[..], "binary"), (b"hello", "text")] {
        assert!(crate::read("x", bytes).expect_err("refused").to_string().contains(what));
    }
}

//! Programs: ISO 6983 words for the laser and for the plasma table.
//!
//! Both dialects use mm, absolute positions, mm/min, and arcs in the plane with relative centres. The laser lights its
//! beam with M3 and a power word S and turns it down to S0 between engraved stretches; the plasma torch is lit with M3
//! at the pierce, waits (G4), and is put out with M5 after every contour. M8 and M9 switch the assist air.

use boustrophe_core::assign::Process;
use boustrophe_core::geometry::{Point, Segment};
use boustrophe_core::hold::{Op, SheetPath};
use boustrophe_core::route::ProgramOrder;
use boustrophe_core::shop::{Machine, MachineKind};
use std::fmt::Write;

/// Arcs flatter than this over their whole chord are written as lines: the difference is below the last digit, mm.
const FLAT: f64 = 0.0001;

/// The program of one sheet.
pub fn write(order: &ProgramOrder) -> String {
    let mut w = Writer {
        out: String::new(),
        machine: order.machine,
        at: Point::new(f64::NAN, f64::NAN),
        feed: f64::NAN,
        power: f64::NAN,
        lit: false,
        air: false,
    };
    w.head(order);
    let mut process: Option<Process> = None;
    for (n, op) in order.path.ops.iter().enumerate() {
        if process.is_some_and(|p| p != op.process) && order.machine.change > 0.0 {
            w.off();
            w.line(&format!("G4 P{}", number(order.machine.change)));
        }
        process = Some(op.process);
        w.comment(&format!("{} {}", n + 1, op.process.name()));
        w.op(op, order.path);
    }
    w.off();
    w.air(false);
    w.line("G0 X0 Y0");
    w.line("M2");
    w.out
}

struct Writer<'a> {
    out: String,
    machine: &'a Machine,
    at: Point,
    feed: f64,
    power: f64,
    lit: bool,
    air: bool,
}

impl Writer<'_> {
    fn head(&mut self, order: &ProgramOrder) {
        let (n, of) = order.sheet;
        self.comment(&format!("Boustrophe {} sheet {n} of {of}", order.machine.name));
        self.comment(&format!(
            "{} {} mm {} x {} mm",
            order.batch.material,
            number(order.batch.thickness),
            number(order.path.width),
            number(order.path.height)
        ));
        self.line("G21 G90 G17 G94");
        self.line("M5 S0");
    }

    fn op(&mut self, op: &Op, sheet: &SheetPath) {
        let feed = op.feed;
        let power = op.power / 100.0 * self.machine.power_limit;
        self.air(op.air);
        for _ in 0..op.passes {
            self.sweep(op, feed, power, sheet);
            let runs = op.runs.len();
            for (i, run) in op.runs.iter().enumerate() {
                let lead_in = if i == 0 { op.lead_in.as_slice() } else { &[] };
                let lead_out = if i + 1 == runs { op.lead_out.as_slice() } else { &[] };
                let Some(first) = lead_in.first().or(run.first()) else { continue };
                self.off();
                self.rapid(first.start);
                self.light(power, op.pierce);
                lead_in.iter().chain(run).chain(lead_out).for_each(|s| self.segment(s, feed));
                self.off();
            }
        }
    }

    /// Rows there and back, with room to come up to speed before each.
    fn sweep(&mut self, op: &Op, feed: f64, power: f64, sheet: &SheetPath) {
        if op.rows.is_empty() {
            return;
        }
        let limit = self.machine.bed_width.max(sheet.width);
        for row in &op.rows {
            let way = if row.backward { -1.0 } else { 1.0 };
            let before = (row.start().x - way * op.run_up).clamp(0.0, limit);
            let after = (row.end().x + way * op.run_up).clamp(0.0, limit);
            self.power_word(0.0);
            self.rapid(Point::new(before, row.y));
            self.beam_ready();
            let spans: Vec<(f64, f64)> =
                if row.backward { row.spans.iter().rev().map(|s| (s.1, s.0)).collect() } else { row.spans.clone() };
            for (from, to) in spans {
                self.power_word(0.0);
                self.feed_to(Point::new(from, row.y), feed);
                self.power_word(power);
                self.feed_to(Point::new(to, row.y), feed);
            }
            self.power_word(0.0);
            self.feed_to(Point::new(after, row.y), feed);
        }
        self.off();
    }

    fn line(&mut self, text: &str) {
        self.out.push_str(text);
        self.out.push('\n');
    }
    fn comment(&mut self, text: &str) {
        let clean: String =
            text.chars().map(|c| if c.is_ascii_graphic() && c != '(' && c != ')' || c == ' ' { c } else { '_' }).take(120).collect();
        let _ = writeln!(self.out, "({clean})");
    }
    fn air(&mut self, on: bool) {
        if on != self.air {
            self.line(if on { "M8" } else { "M9" });
            self.air = on;
        }
    }
    fn light(&mut self, power: f64, pierce: f64) {
        self.power = power;
        self.line(&format!("M3 S{}", number(power)));
        self.lit = true;
        let wait = pierce + self.machine.lift;
        if wait > 0.0 {
            self.line(&format!("G4 P{}", number(wait)));
        }
    }
    fn beam_ready(&mut self) {
        if !self.lit {
            self.line("M3 S0");
            (self.lit, self.power) = (true, 0.0);
        }
    }
    fn power_word(&mut self, power: f64) {
        if self.lit && self.power != power {
            let _ = writeln!(self.out, "S{}", number(power));
            self.power = power;
        }
    }
    fn off(&mut self) {
        if self.lit {
            self.line("M5");
            self.lit = false;
            if self.machine.kind == MachineKind::Plasma && self.machine.lift > 0.0 {
                self.line(&format!("G4 P{}", number(self.machine.lift)));
            }
        }
    }
    fn rapid(&mut self, to: Point) {
        let to = rounded(to);
        if to != self.at {
            let _ = writeln!(self.out, "G0 X{} Y{}", number(to.x), number(to.y));
            self.at = to;
        }
    }
    fn feed_word(&mut self, feed: f64) -> String {
        if feed == self.feed {
            return String::new();
        }
        self.feed = feed;
        format!(" F{}", number(feed))
    }
    fn feed_to(&mut self, to: Point, feed: f64) {
        let to = rounded(to);
        if to != self.at {
            let f = self.feed_word(feed);
            let _ = writeln!(self.out, "G1 X{} Y{}{f}", number(to.x), number(to.y));
            self.at = to;
        }
    }
    fn segment(&mut self, s: &Segment, feed: f64) {
        let rise = s.bulge.abs() * s.chord() / 2.0;
        let to = rounded(s.end);
        if s.is_line() || rise < FLAT || to == self.at {
            return self.feed_to(to, feed);
        }
        // The centre as seen from where the machine stands, so that rounding does not add up.
        let c = Segment { start: self.at, end: to, bulge: s.bulge }.center() - self.at;
        let f = self.feed_word(feed);
        let _ = writeln!(
            self.out,
            "{} X{} Y{} I{} J{}{f}",
            if s.bulge < 0.0 { "G2" } else { "G3" },
            number(to.x),
            number(to.y),
            number(c.x),
            number(c.y)
        );
        self.at = to;
    }
}

/// Four decimals: a tenth of a micrometre.
fn rounded(p: Point) -> Point {
    let r = |v: f64| (v * 1e4).round() / 1e4;
    Point::new(r(p.x), r(p.y))
}

fn number(v: f64) -> String {
    let text = format!("{v:.4}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".into() } else { text.into() }
}

//! Programs: ISO 6983 words for the laser and for the plasma table.
//!
//! Absolute positions, units a minute, and arcs in the plane with relative centres; what else a controller is told, and how, is
//! its [`Dialect`]'s. The laser's beam is lit with a power word and turned down to no power between engraved
//! stretches; the plasma torch is lit at the pierce, waits, and is put out after every contour.

use super::number::{number, push_number_to, rounded};
use super::{Dialect, Lines, Meaning, ProgramOrder};
use crate::decisions::{Pose, Process};
use crate::dialect::{PowerIn, Remarks};
use crate::geometry::{Affine, Point, Segment};
use crate::hold::{Approach, Op};
use crate::shop::{Machine, MachineKind};
use std::fmt::Write;
use std::io;

/// Arcs flatter than this over their whole chord are written as lines: the difference is below the last digit, mm.
const FLAT: f64 = 0.0001;

/// A line in the place of an arc turns by no more than this, radians.
const BEND: f64 = 0.35;

/// Text is handed on whenever so much has gathered, bytes.
pub(super) const HANDED_ON: usize = 1 << 16;

/// Writes the program of one sheet, piece by piece: it is never in memory whole. Fails only where `to` fails.
pub fn write(order: &ProgramOrder, to: &mut dyn io::Write) -> io::Result<()> {
    write_lines(order, to).map(|_| ())
}

/// The same; tells where in it each piece of work stands.
pub fn write_lines(order: &ProgramOrder, to: &mut dyn io::Write) -> io::Result<Lines> {
    let mut lines = Lines::default();
    let mut w = Writer {
        out: String::with_capacity(HANDED_ON * 2),
        to,
        tool: None,
        machine: order.machine,
        pose: order.pose,
        to_program: (!order.pose.is_plain()).then(|| order.pose.to_program()),
        dialect: Dialect::of(order.machine),
        at: Point::new(f64::NAN, f64::NAN),
        feed: f64::NAN,
        power: f64::NAN,
        lit: false,
        air: false,
        held: false,
        number: 0,
        written: 0,
        counted: 0,
    };
    w.begin(order);
    let mut process: Option<Process> = None;
    let ops = &order.path.ops;
    for (n, op) in ops.iter().enumerate() {
        let goes_on = ops.get(n + 1).is_some_and(|next| !next.line().bridge.is_empty());
        let tool = op.tool.filter(|_| op.process == Process::Mark);
        if process.is_some_and(|p| p != op.process) && order.machine.change > 0.0 || tool != w.tool {
            w.off();
            if tool != w.tool {
                // 0 is the beam or torch itself: what held the tool gives way to it again.
                w.say(Meaning::TakeTool, &format!("T{} ", tool.unwrap_or(0)), "");
            }
            w.tool = tool;
            w.wait(order.machine.change);
        }
        process = Some(op.process);
        lines.begins.push(w.next_line());
        w.comment(&format!("{} {}", n + 1, op.process.name()));
        w.op(op, goes_on)?;
        w.hand_on(HANDED_ON)?;
    }
    w.off();
    w.air(false);
    lines.home = w.next_line();
    w.approach(order.path.home.as_ref().unwrap_or(&Approach::default()));
    w.line("G0 X0 Y0");
    for line in std::mem::take(&mut w.dialect.footer) {
        w.line(&line);
    }
    w.say(Meaning::End, "", "");
    w.hand_on(0)?;
    Ok(lines)
}

pub(super) struct Writer<'a> {
    pub(super) out: String,
    to: &'a mut dyn io::Write,
    /// Tool in the holder, where one is.
    tool: Option<u32>,
    pub(super) machine: &'a Machine,
    pub(super) pose: Pose,
    /// The sheet's points in the program, where they are not the same.
    to_program: Option<Affine>,
    pub(super) dialect: Dialect,
    pub(super) at: Point,
    feed: f64,
    pub(super) power: f64,
    pub(super) lit: bool,
    air: bool,
    /// The torch's height is held.
    held: bool,
    /// Number of the last line.
    number: u32,
    /// Lines written, as far as they were counted, and bytes of what has gathered that were.
    written: usize,
    counted: usize,
}

impl Writer<'_> {
    fn begin(&mut self, order: &ProgramOrder) {
        for line in std::mem::take(&mut self.dialect.header) {
            self.line(&line);
        }
        let (n, of) = order.sheet;
        self.comment(&format!("Boustrophe {} sheet {n} of {of}", order.machine.name));
        self.comment(&format!(
            "{} {} mm {} x {} mm",
            order.stock.material,
            number(order.stock.thickness),
            number(order.path.width),
            number(order.path.height)
        ));
        if order.pose != Pose::default() {
            let p = order.pose;
            let turn = if p.is_turned() { format!(" turned by {} degrees", number(p.turn.to_degrees())) } else { String::new() };
            let on = format!("{} {}", number(p.at.x), number(p.at.y));
            self.comment(&format!("Zero is at {} {} of the sheet, which lies at {on}{turn}", number(p.zero.x), number(p.zero.y)));
        }
        let opening = self.dialect.opening();
        self.line(opening);
        let dark = self.power_of(0.0);
        self.say(Meaning::Douse, "", &dark);
    }

    /// Hands on what has gathered, if it is more than `most` bytes.
    pub(super) fn hand_on(&mut self, most: usize) -> io::Result<()> {
        if self.out.len() > most {
            self.next_line();
            self.to.write_all(self.out.as_bytes())?;
            self.out.clear();
            self.counted = 0;
        }
        Ok(())
    }

    /// The line, from 1, that is written next.
    fn next_line(&mut self) -> usize {
        self.written += self.out.as_bytes()[self.counted..].iter().filter(|b| **b == b'\n').count();
        self.counted = self.out.len();
        self.written + 1
    }

    /// One piece of work; the beam stays lit behind it where the next one `goes_on` from here.
    fn op(&mut self, op: &Op, goes_on: bool) -> io::Result<()> {
        let feed = op.feed;
        let power = op.power / 100.0 * self.machine.power_limit;
        self.air(op.air);
        self.approach(&op.line().approach);
        for pass in 0..op.passes {
            self.sweep(op, feed, power)?;
            self.picture(op, feed, pass)?;
            let runs = op.line().runs.len();
            for (i, run) in op.line().runs.iter().enumerate() {
                let lead_in = op.lead_before(i);
                let last = i + 1 == runs;
                let Some(first) = lead_in.first().or(run.first()) else { continue };
                if i == 0 && !op.line().bridge.is_empty() {
                    op.line().bridge.iter().for_each(|s| self.segment(s, feed));
                } else {
                    self.off();
                    self.rapid(first.start);
                    self.light(power, op.pierce);
                }
                lead_in.iter().for_each(|s| self.segment(s, feed));
                for (k, s) in run.iter().enumerate() {
                    self.segment(s, feed);
                    self.wait(op.dwell_after(i, k));
                }
                if last {
                    op.line().again.iter().chain(&op.line().lead_out).for_each(|s| self.segment(s, feed));
                }
                if !(last && goes_on) {
                    self.off();
                }
            }
        }
        Ok(())
    }

    /// The way to where it burns, where that is not straight, or goes over what is cut free.
    fn approach(&mut self, approach: &Approach) {
        if approach.lifted {
            self.off();
            self.comment("lifted over what is cut free");
            self.wait(2.0 * self.machine.lift);
        }
        if !approach.by.is_empty() {
            self.off();
            approach.by.iter().for_each(|p| self.rapid(*p));
        }
    }

    pub(super) fn wait(&mut self, seconds: f64) {
        if seconds > 0.0 {
            let how_long = format!(" {}{}", self.dialect.seconds, number(seconds * self.dialect.wait_in.per_second()));
            self.say(Meaning::Wait, "", &how_long);
        }
    }

    /// A line with the word that the controller has for this, if it has one.
    fn say(&mut self, meaning: Meaning, before: &str, behind: &str) {
        if let Some(word) = self.dialect.word(meaning) {
            self.begin_line();
            let _ = writeln!(self.out, "{before}{word}{behind}");
        }
    }

    /// The power word behind another.
    fn power_of(&self, power: f64) -> String {
        format!(" {}{}", self.dialect.power, number(power))
    }

    /// The number of a line, where lines have one.
    pub(super) fn begin_line(&mut self) {
        if self.dialect.numbers > 0 {
            self.number = (self.number + self.dialect.numbers) % 1_000_000;
            let _ = write!(self.out, "N{} ", self.number);
        }
    }

    /// A length in the program's unit.
    pub(super) fn length(&mut self, mm: f64) {
        push_number_to(&mut self.out, mm / self.dialect.unit.mm(), self.dialect.decimals);
    }

    fn line(&mut self, text: &str) {
        self.begin_line();
        self.out.push_str(text);
        self.out.push('\n');
    }
    fn comment(&mut self, text: &str) {
        let clean: String =
            text.chars().map(|c| if c.is_ascii_graphic() && c != '(' && c != ')' || c == ' ' { c } else { '_' }).take(120).collect();
        let _ = match self.dialect.remarks {
            Remarks::Brackets => writeln!(self.out, "({clean})"),
            Remarks::Semicolon => writeln!(self.out, "; {clean}"),
            Remarks::None => Ok(()),
        };
    }
    fn air(&mut self, on: bool) {
        if on != self.air {
            self.say(if on { Meaning::Air } else { Meaning::Calm }, "", "");
            self.air = on;
        }
    }
    fn light(&mut self, power: f64, pierce: f64) {
        self.power = power;
        let power = self.power_of(power);
        self.say(Meaning::Light, "", &power);
        self.lit = true;
        self.wait(pierce + self.machine.lift);
        self.hold_height();
    }
    /// The torch's own voltage tells its height: a tool in its holder has none.
    fn hold_height(&mut self) {
        if self.tool.is_none() && !std::mem::replace(&mut self.held, true) {
            self.say(Meaning::Height, "", "");
        }
    }
    pub(super) fn beam_ready(&mut self) {
        if !self.lit {
            let dark = self.power_of(0.0);
            self.say(Meaning::Light, "", &dark);
            (self.lit, self.power) = (true, 0.0);
            self.hold_height();
        }
    }
    pub(super) fn power_word(&mut self, power: f64) {
        if self.lit && self.power != power {
            self.power = power;
            // Else it is said in the move that it is for.
            if self.dialect.power_in == PowerIn::Line {
                self.begin_line();
                let _ = writeln!(self.out, "{}{}", self.dialect.power, number(power));
            }
        }
    }
    pub(super) fn off(&mut self) {
        if self.lit {
            if std::mem::take(&mut self.held) {
                self.say(Meaning::Level, "", "");
            }
            self.say(Meaning::Douse, "", "");
            self.lit = false;
            if self.machine.kind == MachineKind::Plasma {
                self.wait(self.machine.lift);
            }
        }
    }
    pub(super) fn rapid(&mut self, to: Point) {
        let to = rounded(to);
        if to != self.at {
            self.go("G0", to);
            self.end_move("");
            self.at = to;
        }
    }
    /// The begin of a move's line.
    fn go(&mut self, word: &str, to: Point) {
        let to = self.said(to);
        self.begin_line();
        self.out.push_str(word);
        self.out.push_str(" X");
        self.length(to.x);
        self.out.push_str(" Y");
        self.length(to.y);
    }
    /// A point of the sheet as the program says it.
    pub(super) fn said(&self, p: Point) -> Point {
        self.to_program.map_or(p, |a| a * p)
    }
    /// The end of a line with a move: the power where it is said in every move, and the feed where it changes.
    fn end_move(&mut self, feed: &str) {
        if self.dialect.power_in == PowerIn::Move && self.lit {
            let power = self.power_of(self.power);
            self.out.push_str(&power);
        }
        self.out.push_str(feed);
        self.out.push('\n');
    }
    fn feed_word(&mut self, feed: f64) -> String {
        if feed == self.feed {
            return String::new();
        }
        self.feed = feed;
        format!(" F{}", number(feed / self.dialect.unit.mm()))
    }
    pub(super) fn feed_to(&mut self, to: Point, feed: f64) {
        let to = rounded(to);
        if to != self.at {
            let f = self.feed_word(feed);
            self.go("G1", to);
            self.end_move(&f);
            self.at = to;
        }
    }
    fn segment(&mut self, s: &Segment, feed: f64) {
        let rise = s.bulge.abs() * s.chord() / 2.0;
        let to = rounded(s.end);
        if s.is_line() || rise < FLAT || to == self.at {
            return self.feed_to(to, feed);
        }
        if !self.dialect.arcs {
            // Round a small corner a chord goes its way too, not only near it.
            let steps = s.steps(self.dialect.chord).max((s.sweep().abs() / BEND).ceil() as usize);
            (1..=steps).for_each(|i| self.feed_to(s.at(i as f64 / steps as f64), feed));
            return;
        }
        // The centre as seen from where the machine stands, so that rounding does not add up.
        let c = Segment { start: self.at, end: to, bulge: s.bulge }.center() - self.at;
        let c = if self.pose.is_turned() { (Affine::rotate(self.pose.turn) * c.to_point()).to_vec2() } else { c };
        let f = self.feed_word(feed);
        self.go(if s.bulge < 0.0 { "G2" } else { "G3" }, to);
        self.out.push_str(" I");
        self.length(c.x);
        self.out.push_str(" J");
        self.length(c.y);
        self.end_move(&f);
        self.at = to;
    }
}

//! Programs: ISO 6983 words for the laser and for the plasma table.
//!
//! Absolute positions, units a minute, and arcs in the plane with relative centres; what else a controller is told, and how, is
//! its [`Dialect`]'s. The laser's beam is lit with a power word and turned down to no power between engraved
//! stretches; the plasma torch is lit at the pierce, waits, and is put out after every contour.

use super::dialect::{PowerIn, Remarks};
use super::{Dialect, Meaning, ProgramOrder};
use crate::decisions::Process;
use crate::geometry::{Point, Segment, Vec2};
use crate::hold::{Op, Row};
use crate::shop::{Machine, MachineKind};
use std::fmt::Write;
use std::io;

/// Arcs flatter than this over their whole chord are written as lines: the difference is below the last digit, mm.
const FLAT: f64 = 0.0001;

/// A line in the place of an arc turns by no more than this, radians.
const BEND: f64 = 0.35;

/// Text is handed on whenever so much has gathered, bytes.
const HANDED_ON: usize = 1 << 16;

/// Writes the program of one sheet, piece by piece: it is never in memory whole. Fails only where `to` fails.
pub fn write(order: &ProgramOrder, to: &mut dyn io::Write) -> io::Result<()> {
    let mut w = Writer {
        out: String::with_capacity(HANDED_ON * 2),
        to,
        tool: None,
        machine: order.machine,
        dialect: Dialect::of(order.machine),
        at: Point::new(f64::NAN, f64::NAN),
        feed: f64::NAN,
        power: f64::NAN,
        lit: false,
        air: false,
        held: false,
        number: 0,
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
        w.comment(&format!("{} {}", n + 1, op.process.name()));
        w.op(op, goes_on)?;
        w.hand_on(HANDED_ON)?;
    }
    w.off();
    w.air(false);
    w.line("G0 X0 Y0");
    for line in std::mem::take(&mut w.dialect.footer) {
        w.line(&line);
    }
    w.say(Meaning::End, "", "");
    w.hand_on(0)
}

struct Writer<'a> {
    out: String,
    to: &'a mut dyn io::Write,
    /// Tool in the holder, where one is.
    tool: Option<u32>,
    machine: &'a Machine,
    dialect: Dialect,
    at: Point,
    feed: f64,
    power: f64,
    lit: bool,
    air: bool,
    /// The torch's height is held.
    held: bool,
    /// Number of the last line.
    number: u32,
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
        let opening = self.dialect.opening();
        self.line(opening);
        let dark = self.power_of(0.0);
        self.say(Meaning::Douse, "", &dark);
    }

    /// Hands on what has gathered, if it is more than `most` bytes.
    fn hand_on(&mut self, most: usize) -> io::Result<()> {
        if self.out.len() > most {
            self.to.write_all(self.out.as_bytes())?;
            self.out.clear();
        }
        Ok(())
    }

    /// One piece of work; the beam stays lit behind it where the next one `goes_on` from here.
    fn op(&mut self, op: &Op, goes_on: bool) -> io::Result<()> {
        let feed = op.feed;
        let power = op.power / 100.0 * self.machine.power_limit;
        self.air(op.air);
        self.approach(op);
        for _ in 0..op.passes {
            self.sweep(op, feed, power)?;
            self.picture(op, feed)?;
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
    fn approach(&mut self, op: &Op) {
        let approach = &op.line().approach;
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

    /// Rows there and back, with room to come up to speed before each.
    fn sweep(&mut self, op: &Op, feed: f64, power: f64) -> io::Result<()> {
        for row in op.rows() {
            let (_, after) = self.run_up(op, row);
            let n = row.spans.len();
            for k in 0..n {
                // Against its direction the last stretch comes first, and the gap before a stretch is the one behind it.
                let (i, before) = if row.backward { (n - 1 - k, n.checked_sub(k + 1).filter(|_| k > 0)) } else { (k, k.checked_sub(1)) };
                let (a, b) = row.spans[i];
                let (from, to) = if row.backward { (b, a) } else { (a, b) };
                if before.is_some_and(|gap| row.fast.get(gap) == Some(&true)) {
                    self.power_word(0.0);
                    self.rapid(row.point(from));
                }
                self.stretch(row.point(from), row.point(to), feed, power);
            }
            self.run_out(after, feed);
            self.hand_on(HANDED_ON)?;
        }
        if !op.rows().is_empty() {
            self.off();
        }
        Ok(())
    }

    /// Rows of a picture: the power word changes wherever its tone does, in the line of the move that it is for.
    fn picture(&mut self, op: &Op, feed: f64) -> io::Result<()> {
        let Some(picture) = op.picture() else { return Ok(()) };
        let raster = &picture.raster;
        let limit = self.machine.power_limit;
        let letter = self.dialect.power;
        let words: Vec<String> = (0..=255).map(|b| format!("{letter}{}", number(op.power_of(b) / 100.0 * limit))).collect();
        let mut runs: Vec<(usize, usize, u8)> = Vec::new();
        for (k, row) in op.numbered_picture_rows() {
            let (_, after) = self.run_up(op, &row);
            self.power_word(0.0);
            self.feed_to(row.start(), feed);
            let mut after_rapid = false;
            runs.clear();
            runs.extend(raster.runs(k));
            if row.backward {
                runs.reverse();
            }
            for (n, (from, to, burn)) in runs.iter().enumerate() {
                let column = if row.backward { *from } else { *to };
                let x = (raster.column + column as i64) as f64 * picture.pitch;
                let fast = *burn == 0 && (to - from) as f64 * picture.pitch >= picture.fast_gap;
                self.begin_line();
                // Behind a rapid, and at first, it is said again that the beam's moves are meant.
                let again = n == 0 || after_rapid;
                self.out.push_str(if fast {
                    "G0X"
                } else if again {
                    "G1X"
                } else {
                    "X"
                });
                after_rapid = fast;
                self.length(x);
                self.out.push_str(&words[usize::from(*burn)]);
                self.out.push('\n');
                self.at = rounded(Point::new(x, row.at));
            }
            self.power = f64::NAN;
            self.run_out(after, feed);
            self.hand_on(HANDED_ON)?;
        }
        self.off();
        Ok(())
    }

    /// Goes to where a row's run-up begins, beam ready but dark. Gives where it begins and where the run-out will end: on
    /// the bed both.
    fn run_up(&mut self, op: &Op, row: &Row) -> (Point, Point) {
        let way = if row.backward { -row.way } else { row.way };
        let before = self.on_the_bed(row.enter(), -way, op.run_up());
        let after = self.on_the_bed(row.leave(), way, op.run_up());
        self.power_word(0.0);
        self.rapid(before);
        self.beam_ready();
        (before, after)
    }

    fn run_out(&mut self, after: Point, feed: f64) {
        self.power_word(0.0);
        self.feed_to(after, feed);
        self.wait(self.machine.row_turn);
    }

    /// One burned stretch of a row, the head already in it.
    fn stretch(&mut self, from: Point, to: Point, feed: f64, power: f64) {
        self.power_word(0.0);
        self.feed_to(from, feed);
        self.power_word(power);
        self.feed_to(to, feed);
    }

    /// `distance` mm from `p` in the direction `way`, or as far as the bed goes.
    fn on_the_bed(&self, p: Point, way: Vec2, distance: f64) -> Point {
        let room = |at: f64, way: f64, most: f64| match way {
            w if w > 1e-9 => (most - at) / w,
            w if w < -1e-9 => -at / w,
            _ => f64::INFINITY,
        };
        let m = self.machine;
        let free = room(p.x, way.x, m.bed_width).min(room(p.y, way.y, m.bed_height)).max(0.0);
        p + way * distance.min(free)
    }

    fn wait(&mut self, seconds: f64) {
        if seconds > 0.0 {
            let how_long = format!(" {}{}", self.dialect.seconds, number(seconds));
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
    fn begin_line(&mut self) {
        if self.dialect.numbers > 0 {
            self.number = (self.number + self.dialect.numbers) % 1_000_000;
            let _ = write!(self.out, "N{} ", self.number);
        }
    }

    /// A length in the program's unit.
    fn length(&mut self, mm: f64) {
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
        if !self.held {
            self.say(Meaning::Height, "", "");
            self.held = true;
        }
    }
    fn beam_ready(&mut self) {
        if !self.lit {
            let dark = self.power_of(0.0);
            self.say(Meaning::Light, "", &dark);
            (self.lit, self.power) = (true, 0.0);
        }
    }
    fn power_word(&mut self, power: f64) {
        if self.lit && self.power != power {
            self.power = power;
            // Else it is said in the move that it is for.
            if self.dialect.power_in == PowerIn::Line {
                self.begin_line();
                let _ = writeln!(self.out, "{}{}", self.dialect.power, number(power));
            }
        }
    }
    fn off(&mut self) {
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
    fn rapid(&mut self, to: Point) {
        let to = rounded(to);
        if to != self.at {
            self.go("G0", to);
            self.end_move("");
            self.at = to;
        }
    }
    /// The begin of a move's line.
    fn go(&mut self, word: &str, to: Point) {
        self.begin_line();
        self.out.push_str(word);
        self.out.push_str(" X");
        self.length(to.x);
        self.out.push_str(" Y");
        self.length(to.y);
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
    fn feed_to(&mut self, to: Point, feed: f64) {
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

/// Four decimals: a tenth of a micrometre.
fn rounded(p: Point) -> Point {
    let r = |v: f64| (v * 1e4).round() / 1e4;
    Point::new(r(p.x), r(p.y))
}

fn number(v: f64) -> String {
    let mut out = String::new();
    push_number(&mut out, v);
    out
}

/// Four decimals at most, without needless noughts.
fn push_number(out: &mut String, v: f64) {
    push_number_to(out, v, 4);
}

/// So many decimals at most, without needless noughts.
fn push_number_to(out: &mut String, v: f64, decimals: u8) {
    let one = 10_u64.pow(u32::from(decimals));
    let parts = (v * one as f64).round() as i64;
    if parts < 0 {
        out.push('-');
    }
    let all = parts.unsigned_abs();
    let _ = write!(out, "{}", all / one);
    let mut rest = all % one;
    if rest > 0 {
        out.push('.');
        let mut place = one / 10;
        while rest > 0 {
            out.push(char::from(b'0' + (rest / place) as u8));
            rest %= place;
            place /= 10;
        }
    }
}

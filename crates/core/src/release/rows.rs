//! Rows of a program: areas and pictures, there and back.

use super::number::{number, rounded};
use super::program::{HANDED_ON, Writer};
use crate::geometry::{Point, Vec2};
use crate::hold::{Op, Row};
use std::io;

impl Writer<'_> {
    /// Rows there and back, with room to come up to speed before each.
    pub(super) fn sweep(&mut self, op: &Op, feed: f64, power: f64) -> io::Result<()> {
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
    pub(super) fn picture(&mut self, op: &Op, feed: f64, pass: u32) -> io::Result<()> {
        let Some(picture) = op.picture() else { return Ok(()) };
        let raster = &picture.raster;
        let limit = self.machine.power_limit;
        let letter = self.dialect.power;
        let words: Vec<String> = (0..=255).map(|b| format!("{letter}{}", number(op.power_of(b) / 100.0 * limit))).collect();
        let mut runs: Vec<(usize, usize, u8)> = Vec::new();
        let done = if pass == 0 { picture.done } else { 0 };
        for (k, row) in op.numbered_picture_rows().skip(done) {
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
                let fast = *burn == 0 && picture.fast_gap > 0.0 && (to - from) as f64 * picture.pitch >= picture.fast_gap;
                let to = self.said(Point::new(x, row.at));
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
                self.length(to.x);
                if self.pose.is_turned() {
                    self.out.push('Y');
                    self.length(to.y);
                }
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
        p + way * distance.min(self.pose.room(p, way, (self.machine.bed_width, self.machine.bed_height)))
    }
}

//! Program text on its way through the interpreter, as it is written.
//!
//! A picture's program has tens of millions of moves. They are not kept: each row is laid over the row that was meant as
//! soon as it has gone by, and stays as one move. A row's moves lie on one line at one feed, so that the time model gives
//! the same for the row as for its pieces.

use super::read::{Read, on_the_sheet};
use super::{Action, ProgramFault};
use crate::decisions::Pose;
use crate::dialect::Dialect;
use crate::dialect::Interpreter;
use crate::geometry::{Affine, Point, Segment};
use crate::hold::SheetPath;
use crate::shop::Machine;
use rustc_hash::FxHashMap;
use std::io;

/// Longest line of a program that is waited for, bytes.
const LONGEST_LINE: usize = 4096;
/// Rows lie at heights that are told apart to a tenth of a micrometre.
const HEIGHTS: f64 = 1e4;
/// Power words may differ by rounding, in words.
const POWER: f64 = 0.01;
/// Digits of a program on a turned sheet leave a row's ends so far apart in height, mm.
const ASKEW: f64 = 0.002;
/// A row is wrong where more than this is burned otherwise than meant, mm.
const WRONG: f64 = 0.02;

/// Reads a program piece by piece: an [`io::Write`] that takes its text.
pub struct Reader<'a> {
    intended: &'a SheetPath,
    /// The program's points on the sheet, where they are not the same.
    to_sheet: Option<Affine>,
    /// Heights of pictures' rows in order, where the program's digits have them askew.
    straight: Vec<f64>,
    limit: f64,
    interpreter: Interpreter,
    line: Vec<u8>,
    fresh: Vec<Action>,
    row: Row,
    /// The height that was asked for last, and whether a picture has a row there.
    asked: (f64, bool),
    /// Rows of pictures by height: op and number of the row.
    heights: FxHashMap<i64, Vec<(usize, usize)>>,
    /// What the program does, rows of pictures as one move each.
    pub(super) actions: Vec<Action>,
    /// Op of each folded row, by its number among the actions.
    pub(super) folded: FxHashMap<usize, usize>,
    /// How often each row of each picture was burned.
    burned: FxHashMap<(usize, usize), u32>,
    /// Middles of rows that burn something else than was meant.
    pub(super) wrong: Vec<Point>,
    /// Ends of rows with less room to come up to speed or to brake than was meant.
    short: Vec<Short>,
    pose: Pose,
    bed: (f64, f64),
    fault: Option<ProgramFault>,
}

/// An end of a row where the head has too little room to come up to speed, or to brake.
#[derive(Clone, Copy, Debug)]
pub(super) struct Short {
    pub(super) at: Point,
    pub(super) line: usize,
    /// Room that there is, and that was meant, mm.
    pub(super) have: f64,
    pub(super) need: f64,
}

/// Room before and behind rows may be so much less than was meant, mm.
pub(super) const ROOM: f64 = 0.05;

/// The row of a picture that moves differ from least.
struct Matched {
    /// Length over which they do, mm.
    wrong: f64,
    op: usize,
    row: usize,
    /// The middle of what they burn.
    middle: Point,
}

/// Moves on one line in one direction at one feed, with rapids over gaps, not yet known to be a row.
#[derive(Default)]
struct Row {
    moves: Vec<Action>,
}

impl<'a> Reader<'a> {
    /// A reader for the program of a sheet that lies so on a machine. What it reads is told on the sheet.
    pub fn new(intended: &'a SheetPath, machine: &Machine, pose: Pose) -> Self {
        let mut heights: FxHashMap<i64, Vec<(usize, usize)>> = FxHashMap::default();
        for (i, op) in intended.ops.iter().enumerate().filter(|(_, o)| o.picture().is_some()) {
            for (k, row) in op.numbered_picture_rows() {
                heights.entry(height(row.at)).or_default().push((i, k));
            }
        }
        let mut straight: Vec<f64> = if pose.is_turned() { heights.keys().map(|k| *k as f64 / HEIGHTS).collect() } else { Vec::new() };
        straight.sort_by(f64::total_cmp);
        Self {
            intended,
            to_sheet: (!pose.is_plain()).then(|| pose.to_sheet()),
            straight,
            limit: machine.power_limit,
            interpreter: Interpreter::new(Dialect::of(machine)),
            line: Vec::new(),
            fresh: Vec::new(),
            row: Row::default(),
            asked: (f64::NAN, false),
            heights,
            actions: Vec::new(),
            folded: FxHashMap::default(),
            burned: FxHashMap::default(),
            wrong: Vec::new(),
            short: Vec::new(),
            pose,
            bed: (machine.bed_width, machine.bed_height),
            fault: None,
        }
    }

    fn take(&mut self, bytes: &[u8]) {
        for piece in bytes.split_inclusive(|b| *b == b'\n') {
            if self.fault.is_some() {
                return;
            }
            if self.line.len() < LONGEST_LINE {
                self.line.extend_from_slice(piece);
            }
            if piece.ends_with(b"\n") {
                self.end_line();
            }
        }
    }

    fn end_line(&mut self) {
        let mut line = std::mem::take(&mut self.line);
        let text = String::from_utf8_lossy(&line);
        if let Err(fault) = self.interpreter.line(text.trim_end(), &mut self.fresh) {
            self.fault = Some(fault);
        }
        drop(text);
        line.clear();
        self.line = line;
        let mut fresh = std::mem::take(&mut self.fresh);
        fresh.drain(..).for_each(|action| self.add(action));
        self.fresh = fresh;
    }

    /// A move as it lies on the sheet.
    fn laid(&self, action: Action) -> Action {
        let Some(to_sheet) = self.to_sheet else { return action };
        match action {
            Action::Move { path, feed, power, tool, air, line } => {
                let mut path = path.transformed(to_sheet);
                (path.start, path.end) = (self.straightened(path.start), self.straightened(path.end));
                Action::Move { path, feed, power, tool, air, line }
            }
            wait @ Action::Wait { .. } => wait,
        }
    }

    /// A point on the row that it lies on, up to the program's digits.
    fn straightened(&self, p: Point) -> Point {
        let i = self.straight.partition_point(|y| *y < p.y);
        let near = [i.checked_sub(1), Some(i)].into_iter().flatten().filter_map(|k| self.straight.get(k));
        let nearest = near.min_by(|a, b| (**a - p.y).abs().total_cmp(&(**b - p.y).abs()));
        nearest.filter(|y| (**y - p.y).abs() < ASKEW).map_or(p, |y| Point::new(p.x, *y))
    }

    fn add(&mut self, action: Action) {
        let action = self.laid(action);
        if self.heights.is_empty() {
            self.actions.push(action);
            return;
        }
        if !self.row.goes_on(&action) {
            self.end_row();
        }
        match &action {
            Action::Move { path, feed, power, .. }
                if path.is_line()
                    && path.start.y == path.end.y
                    && self.is_row(path.start.y)
                    // A rapid without beam crosses a gap within a row; none begins one.
                    && (feed.is_some() || *power <= 0.0 && !self.row.moves.is_empty()) =>
            {
                self.row.moves.push(action);
            }
            _ => self.actions.push(action),
        }
    }

    /// True where a picture has a row at this height. What was asked last is mostly asked again.
    fn is_row(&mut self, y: f64) -> bool {
        if self.asked.0 != y {
            self.asked = (y, self.heights.contains_key(&height(y)));
        }
        self.asked.1
    }

    /// What was gathered on one line is a picture's row, or it is not.
    fn end_row(&mut self) {
        let moves = std::mem::take(&mut self.row.moves);
        let rapid = |m: &Action| matches!(m, Action::Move { feed: None, .. });
        if !moves.iter().any(rapid) || self.matches(&moves).is_some_and(|m| m.wrong <= WRONG) {
            return self.fold(moves);
        }
        // Not one row with gaps in it: rows of several pictures side by side, or none.
        let mut piece = Vec::new();
        for m in moves {
            if rapid(&m) {
                self.fold(std::mem::take(&mut piece));
                self.actions.push(m);
            } else {
                piece.push(m);
            }
        }
        self.fold(piece);
    }

    /// Of the pictures with a row at the height of these moves, the one that they differ from least.
    fn matches(&self, moves: &[Action]) -> Option<Matched> {
        let burned: Vec<(f64, f64, f64)> = moves
            .iter()
            .filter_map(|m| match m {
                Action::Move { path, power, .. } if *power > 0.0 => {
                    Some((path.start.x.min(path.end.x), path.start.x.max(path.end.x), *power))
                }
                _ => None,
            })
            .collect();
        let Some(Action::Move { path: first, .. }) = moves.first() else { return None };
        let (from, to) = burned.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), s| (a.min(s.0), b.max(s.1)));
        let middle = Point::new(f64::midpoint(from, to), first.start.y);
        let candidates = self.heights.get(&height(first.start.y)).map_or(&[][..], Vec::as_slice);
        let differing =
            candidates.iter().map(|(op, row)| Matched { wrong: self.difference(*op, *row, &burned), op: *op, row: *row, middle });
        differing.filter(|_| !burned.is_empty()).min_by(|a, b| a.wrong.total_cmp(&b.wrong))
    }

    /// Lays moves over the row that they are, and keeps one move for every stretch at one feed.
    fn fold(&mut self, moves: Vec<Action>) {
        let powers = || moves.iter().map(|m| if let Action::Move { power, .. } = m { *power } else { 0.0 });
        let most = powers().fold(0.0, f64::max);
        if most == 0.0 {
            self.actions.extend(moves);
            return;
        }
        let changes = powers().any(|p| p != most);
        let Some(found) = self.matches(&moves).filter(|m| m.wrong <= WRONG || changes) else {
            self.actions.extend(moves);
            return;
        };
        if found.wrong > WRONG {
            self.wrong.push(found.middle);
        }
        *self.burned.entry((found.op, found.row)).or_insert(0) += 1;
        self.look_at_room(&moves, found.op);
        let feed = |m: &Action| if let Action::Move { feed, .. } = m { *feed } else { None };
        for stretch in moves.chunk_by(|a, b| feed(a) == feed(b)) {
            let (Some(Action::Move { path: first, feed, tool, air, line, .. }), Some(Action::Move { path: last, .. })) =
                (stretch.first(), stretch.last())
            else {
                continue;
            };
            let power = stretch.iter().map(|m| if let Action::Move { power, .. } = m { *power } else { 0.0 }).fold(0.0, f64::max);
            if power > 0.0 {
                self.folded.insert(self.actions.len(), found.op);
            }
            let path = Segment::line(first.start, last.end);
            self.actions.push(Action::Move { path, feed: *feed, power, tool: *tool, air: *air, line: *line });
        }
    }

    /// Looks whether the head has the room before and behind what burns that it was planned to have.
    fn look_at_room(&mut self, moves: &[Action], op: usize) {
        let burns = |m: &&Action| matches!(m, Action::Move { power, .. } if *power > 0.0);
        let dark = |all: &mut dyn Iterator<Item = &Action>| {
            let length = |m: &Action| if let Action::Move { path, .. } = m { path.length() } else { 0.0 };
            all.take_while(|m| !burns(m)).map(length).sum::<f64>()
        };
        let (before, behind) = (dark(&mut moves.iter()), dark(&mut moves.iter().rev()));
        let (Some(Action::Move { path: first, line, .. }), Some(Action::Move { path: last, .. })) =
            (moves.iter().find(burns), moves.iter().rev().find(burns))
        else {
            return;
        };
        let way = first.direction(0.5);
        for (have, at, on) in [(before, first.start, -way), (behind, last.end, way)] {
            let need = self.intended.ops[op].run_up().min(self.pose.room(at, on, self.bed));
            if have < need - ROOM {
                self.short.push(Short { at, line: *line, have, need });
            }
        }
    }

    /// Length over which the burned stretches (from, to, power word) differ from row `k` of a picture, mm.
    fn difference(&self, op: usize, k: usize, burned: &[(f64, f64, f64)]) -> f64 {
        let o = &self.intended.ops[op];
        let Some(picture) = o.picture() else { return f64::INFINITY };
        let raster = &picture.raster;
        let x = |c: usize| (raster.column + c as i64) as f64 * picture.pitch;
        let mut meant: Vec<(f64, f64, f64)> =
            raster.runs(k).filter(|r| r.2 > 0).map(|(a, b, burn)| (x(a), x(b), o.power_of(burn) / 100.0 * self.limit)).collect();
        let mut done = burned.to_vec();
        meant.sort_by(|a, b| a.0.total_cmp(&b.0));
        done.sort_by(|a, b| a.0.total_cmp(&b.0));
        // Both in step from left to right: between two neighbouring ends each burns one power, or none.
        let (mut i, mut j, mut at, mut wrong) = (0, 0, f64::NEG_INFINITY, 0.0);
        while i < meant.len() || j < done.len() {
            let here = |s: Option<&(f64, f64, f64)>| s.filter(|s| s.0 <= at && at < s.1).map_or(0.0, |s| s.2);
            let (a, b) = (here(meant.get(i)), here(done.get(j)));
            let next = |s: Option<&(f64, f64, f64)>| s.map_or(f64::INFINITY, |s| if s.0 > at { s.0 } else { s.1 });
            let to = next(meant.get(i)).min(next(done.get(j)));
            if (a - b).abs() > POWER && at.is_finite() {
                wrong += to - at;
            }
            at = to;
            i += usize::from(meant.get(i).is_some_and(|s| s.1 <= at));
            j += usize::from(done.get(j).is_some_and(|s| s.1 <= at));
        }
        wrong
    }

    /// Ends the program: what it does, or its fault.
    pub(super) fn finish(mut self) -> Result<Read, ProgramFault> {
        if !self.line.is_empty() {
            self.end_line();
        }
        self.end_row();
        if let Some(fault) = self.fault {
            return Err(fault);
        }
        self.interpreter.finished()?;
        let (mut missing, mut twice) = (Vec::new(), Vec::new());
        for (i, op) in self.intended.ops.iter().enumerate().filter(|(_, o)| o.picture().is_some()) {
            for (n, (k, row)) in op.numbered_picture_rows().enumerate() {
                let meant = op.passes - u32::from(n < op.done());
                let times = self.burned.get(&(i, k)).copied().unwrap_or(0);
                let middle = row.point(f64::midpoint(row.spans[0].0, row.spans[0].1));
                match times.cmp(&meant) {
                    std::cmp::Ordering::Less => missing.push(middle),
                    std::cmp::Ordering::Greater => twice.push(middle),
                    std::cmp::Ordering::Equal => {}
                }
            }
        }
        Ok(Read {
            left_on: self.interpreter.left_on(),
            wrong_height: self.interpreter.wrong_height().iter().map(|p| self.to_sheet.map_or(*p, |a| a * *p)).collect(),
            odd: on_the_sheet(self.interpreter.oddities(), self.to_sheet),
            relies_on_before: self.interpreter.relies_on_before(),
            actions: self.actions,
            folded: self.folded,
            wrong: self.wrong,
            short: self.short,
            missing,
            twice,
        })
    }
}

fn height(y: f64) -> i64 {
    (y * HEIGHTS).round() as i64
}

impl Row {
    fn goes_on(&self, action: &Action) -> bool {
        let (Some(Action::Move { path: last, .. }), Action::Move { path, feed: now, power, .. }) = (self.moves.last(), action) else {
            return false;
        };
        let feed = self.moves.iter().find_map(|m| if let Action::Move { feed, .. } = m { *feed } else { None });
        let same_way = (last.end.x - last.start.x) * (path.end.x - path.start.x) > 0.0;
        let (pace, rapid) = (now.is_some() && *now == feed, now.is_none() && *power <= 0.0);
        (pace || rapid) && path.is_line() && path.start == last.end && path.start.y == path.end.y && same_way
    }
}

impl io::Write for Reader<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.take(bytes);
        Ok(bytes.len())
    }
    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

//! Station 7: the program is read back and compared with what was meant.
//!
//! The interpreter ([`Interpreter`]) knows nothing of the writer: it reads program text as a controller would. What it
//! burns is laid over the intended strokes, and over the parts themselves.

mod compare;
mod contained;
mod differences;
mod edges;
mod faults;
mod gouge;
mod lift;
mod read;
mod reader;
mod remains;
mod settings;
mod standing;
mod still;
#[cfg(test)]
mod tests;

pub use crate::dialect::{Action, Interpreter, Oddities, ProgramFault, interpret};
pub use differences::{Difference, differences};
pub(crate) use lift::offered;
pub use reader::Reader;
pub use still::{Stopped, still};

use crate::assign::{Process, Work};
use crate::cuts::SheetCuts;
use crate::decisions::Pose;
use crate::finding::Finding;
use crate::geometry::Segment;
use crate::hold::SheetPath;
use crate::nest::SheetLayout;
use crate::shop::Machine;
use crate::time::{Act, Dynamics, Timing, plan};
use faults::Fault;
use std::collections::BTreeMap;

/// A move of the program with what it turned out to be.
#[derive(Clone, Debug)]
pub struct Traced {
    /// The way.
    pub path: Segment,
    /// Process that it burns for; `None` while the beam is off.
    pub process: Option<Process>,
    /// True on a lead.
    pub lead: bool,
    /// A rapid: beam off, at the machine's own speed.
    pub rapid: bool,
    /// Index of the op it belongs to, when burning.
    pub op: Option<usize>,
    /// Seconds from the start at which it begins and ends, waits before it included in the begin.
    pub begin: f64,
    /// See `begin`.
    pub end: f64,
    /// Line of the program, from 1.
    pub line: usize,
}

/// The verdict on one sheet's program.
#[derive(Clone, Debug, Default)]
pub struct SheetProof {
    /// Every move in order.
    pub moves: Vec<Traced>,
    /// Time on the machine, s.
    pub seconds: f64,
    /// Time by process; `None` for travel and waits.
    pub by_process: BTreeMap<Option<Process>, f64>,
    /// Burned length of cuts, leads apart, mm.
    pub cut: f64,
    /// Burned length of scores and marks, mm.
    pub score: f64,
    /// Beam-off moves, from the program's zero and back to it too, mm.
    pub travel: f64,
    /// Times the beam is lit to cut.
    pub pierces: usize,
    /// Swept area, mm².
    pub engrave_area: f64,
}

/// What a program is compared with: all that was meant for one sheet.
#[derive(Clone, Copy)]
pub struct Meant<'a> {
    /// Number of the sheet in its batch, from 0.
    pub sheet: usize,
    /// What the head was to do.
    pub path: &'a SheetPath,
    /// What was to be cut.
    pub cuts: &'a SheetCuts,
    /// Where the copies lie.
    pub layout: &'a SheetLayout,
    /// The lines and parts.
    pub work: &'a Work,
    /// On which machine.
    pub machine: &'a Machine,
    /// Where the sheet lies, and where its zero is.
    pub pose: Pose,
}

/// Reads the program back, compares it, and tells how long it takes.
pub fn run(program: &str, meant: &Meant) -> (SheetProof, Vec<Finding>) {
    run_read(taken_in(program, meant), meant)
}

/// The same for a program that was written into a reader.
pub fn run_read(reader: Reader, meant: &Meant) -> (SheetProof, Vec<Finding>) {
    match compared(reader, meant) {
        Ok((proof, faults)) => (proof, faults.into_iter().map(|f| f.finding(meant.sheet)).collect()),
        Err(fault) => (SheetProof::default(), vec![compare::unreadable(meant.sheet, &fault)]),
    }
}

/// A reader that has a whole program.
fn taken_in<'a>(program: &str, meant: &Meant<'a>) -> Reader<'a> {
    let mut reader = Reader::new(meant.path, meant.machine, meant.pose);
    // Reading into memory cannot fail.
    let _ = std::io::Write::write_all(&mut reader, program.as_bytes());
    reader
}

/// What a program does and how that differs. Fails where it cannot be read.
fn compared(reader: Reader, meant: &Meant) -> Result<(SheetProof, Vec<Fault>), ProgramFault> {
    let read = reader.finish()?;
    let mut proof = timed(&read.actions, meant.machine);
    let faults = compare::run(&mut proof, &read, meant);
    proof.sum(meant.path);
    Ok((proof, faults))
}

/// The planner's acts for a program; feeds in mm/min become mm/s, beam-off rapids go at the machine's own speed.
pub fn acts(actions: &[Action], machine: &Machine) -> Vec<Act> {
    actions
        .iter()
        .map(|a| match a {
            Action::Move { path, feed, .. } => Act::Move { path: *path, speed: feed.unwrap_or(machine.rapid) / 60.0 },
            Action::Wait { seconds, .. } => Act::Wait(*seconds),
        })
        .collect()
}

/// Acceleration and corners of a machine.
pub fn dynamics(machine: &Machine) -> Dynamics {
    Dynamics { acceleration: machine.acceleration, junction: machine.junction }
}

fn timed(actions: &[Action], machine: &Machine) -> SheetProof {
    let timings: Vec<Timing> = plan(&acts(actions, machine), dynamics(machine));
    let mut proof = SheetProof::default();
    let (mut clock, mut begin) = (0.0, 0.0);
    for (action, timing) in actions.iter().zip(&timings) {
        clock += timing.seconds;
        if let Action::Move { path, line, feed, .. } = action {
            let rapid = feed.is_none();
            proof.moves.push(Traced { path: *path, process: None, lead: false, rapid, op: None, begin, end: clock, line: *line });
            begin = clock;
        }
    }
    proof.seconds = clock;
    proof
}

impl SheetProof {
    /// Seconds burned for each of so many pieces of work, by their number in the sheet's path.
    pub fn by_piece(&self, pieces: usize) -> Vec<f64> {
        let mut seconds = vec![0.0; pieces];
        for m in &self.moves {
            if let Some(of) = m.op.and_then(|o| seconds.get_mut(o)) {
                *of += m.end - m.begin;
            }
        }
        seconds
    }
    /// The pieces of work that the program burns some of, by their number in the sheet's path, in the order in which it begins them.
    pub fn pieces(&self) -> Vec<usize> {
        let mut seen = std::collections::BTreeSet::new();
        self.moves.iter().filter_map(|m| m.op).filter(|o| seen.insert(*o)).collect()
    }

    /// For each beam-off move the sweep that it belongs to: run-ups, gaps and turns between rows are engraving, not travel.
    fn within_rows(&self, intended: &SheetPath) -> Vec<Option<Process>> {
        let swept = |op: Option<usize>| op.and_then(|o| intended.ops.get(o)).filter(|o| o.is_swept()).map(|o| o.process);
        let n = self.moves.len();
        let mut after: Vec<Option<usize>> = vec![None; n];
        let mut next = None;
        for i in (0..n).rev() {
            if self.moves[i].process.is_some() {
                next = self.moves[i].op;
            }
            after[i] = next;
        }
        let mut before = None;
        (0..n)
            .map(|i| {
                let m = &self.moves[i];
                if m.process.is_some() {
                    before = m.op;
                    return None;
                }
                match (swept(before), swept(after[i])) {
                    (Some(p), Some(_)) if before == after[i] => Some(p),
                    // Before its first row the head comes up to speed at feed, and brakes so behind its last.
                    (p, q) if !m.rapid => q.or(p),
                    _ => None,
                }
            })
            .collect()
    }

    fn sum(&mut self, intended: &SheetPath) {
        let burns = self.moves.iter().any(|m| m.process.is_some());
        let mut burning: Option<usize> = None;
        let mut engraved: Vec<bool> = vec![false; intended.ops.len()];
        let within = self.within_rows(intended);
        for (i, m) in self.moves.iter().enumerate() {
            let length = m.path.length();
            *self.by_process.entry(m.process.or(within[i])).or_insert(0.0) += m.end - m.begin;
            if m.process.is_none() && within[i].is_some() {
                burning = None;
                continue;
            }
            match m.process {
                Some(p) if p.frees() => {
                    if !m.lead {
                        self.cut += length;
                    }
                    if burning.is_none() || i > 0 && self.moves[i - 1].process.is_none() {
                        self.pierces += 1;
                    }
                }
                Some(p) if p.is_swept() => {
                    if let Some(seen) = m.op.and_then(|o| engraved.get_mut(o)) {
                        *seen = true;
                    }
                }
                Some(p) if p.burns() => self.score += length,
                _ if burns => self.travel += length,
                _ => {}
            }
            burning = m.process.and(m.op);
        }
        self.engrave_area = intended.ops.iter().zip(engraved).filter(|(_, seen)| *seen).map(|(o, _)| o.area()).fold(0.0, |a, b| a + b);
    }
}

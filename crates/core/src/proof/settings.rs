//! With what the program burns, against the chart and the job: feed, power, tool, air, waits. A cut at a hundredth of its
//! power is as wrong as one in the wrong place.

use super::faults::{Faults, Told, figure};
use super::read::Read;
use super::reader::{ROOM, Short};
use super::{Action, Meant, SheetProof, Traced};
use crate::assign::Process;
use crate::finding::Code;
use crate::geometry::Point;
use crate::hold::{Op, SheetPath};
use crate::shop::{Machine, MachineKind};

/// Feeds and powers may differ by this share: what the words' digits round.
const SHARE: f64 = 0.002;
/// Power words may differ by this much where they are small.
const LEAST_POWER: f64 = 0.01;
/// Waits may differ by this much each, s.
const WAIT: f64 = 0.001;

/// Two places of a program that are no further apart are one, mm.
const SAME: f64 = 0.001;

/// What is done with other settings than were meant.
#[derive(Default)]
struct Wrong {
    feed: Vec<Told>,
    power: Vec<Told>,
    tool: Vec<Told>,
    air: Vec<Told>,
    pierce: Vec<Told>,
    stay: Vec<Told>,
}

/// How long the head has stood since it last moved: lit, and dark; and on which line it began to stand lit.
#[derive(Default)]
struct Stood {
    lit: f64,
    dark: f64,
    line: usize,
}

/// Compares the settings of every burned move with those of the work that it belongs to, and accounts for all the time that the beam
/// is on.
pub(super) fn check(read: &Read, proof: &SheetProof, meant: &Meant, faults: &mut Faults) {
    let (intended, machine) = (meant.path, meant.machine);
    let mut wrong = Wrong::default();
    let mut moves = proof.moves.iter();
    let mut stood = Stood::default();
    let mut dark = 0.0;
    // The piece of work that is burning.
    let mut burning: Option<&Op> = None;
    let mut last = Point::ZERO;
    for (i, action) in read.actions.iter().enumerate() {
        match action {
            Action::Wait { seconds, power, line } => {
                if *power > 0.0 {
                    if stood.dark > 0.0 && burning.is_some() {
                        // It was dark where it stands: the next cut begins where the last one ended.
                        wrong.ended(burning.take(), &std::mem::take(&mut stood), last, machine);
                    }
                    stood.lit += seconds;
                    stood.line = *line;
                } else {
                    stood.dark += seconds;
                    dark += seconds;
                }
            }
            Action::Move { path, feed, power, tool, air, line } => {
                let Some(traced) = moves.next() else { break };
                let told = |figures: String| Told::new(path.start, *line, figures);
                let mut before = std::mem::take(&mut stood);
                last = path.end;
                if *power > 0.0 && before.dark > 0.0 && burning.is_some() {
                    wrong.ended(burning.take(), &std::mem::take(&mut before), path.start, machine);
                }
                if *power <= 0.0 {
                    wrong.ended(burning, &before, path.start, machine);
                    burning = None;
                    continue;
                }
                let Some(op) = traced.op.and_then(|o| intended.ops.get(o)) else { continue };
                let meant = op.power / 100.0 * machine.power_limit;
                if feed.is_none_or(|f| (f - op.feed).abs() > op.feed * SHARE) {
                    let said = feed.map_or_else(|| "travel speed".into(), |f| format!("feed {}", figure(f)));
                    wrong.feed.push(told(format!("{said}, {} mm/min were meant", figure(op.feed))));
                }
                // The powers of a picture's row were compared pixel by pixel.
                if !read.folded.contains_key(&i) && (power - meant).abs() > (meant * SHARE).max(LEAST_POWER) {
                    wrong.power.push(told(format!("power {}, {} was meant", figure(*power), figure(meant))));
                }
                if *tool != tool_of(op) {
                    wrong.tool.push(told(format!("tool {tool}, {} was meant", tool_of(op))));
                }
                if *air != op.air {
                    wrong.air.push(told(format!("air {}", if *air { "on, off was meant" } else { "off, on was meant" })));
                }
                match burning {
                    // Within a cut the head stands in corners, if anywhere; within a row nowhere.
                    Some(_) => wrong.stands(before.lit, stay(op, path.start), (path.start, *line)),
                    None if op.is_swept() => wrong.stands(before.lit, 0.0, (path.start, *line)),
                    None if (before.lit - (op.pierce + machine.lift)).abs() > WAIT => {
                        let (is, asked) = (figure(before.lit), figure(op.pierce + machine.lift));
                        wrong.pierce.push(told(format!("{is} s before it moves, {asked} s were meant")));
                    }
                    None => {}
                }
                burning = Some(op);
            }
        }
    }
    wrong.ended(burning, &stood, last, machine);
    for (line, at) in &read.odd.flashes {
        wrong.stay.push(Told::new(*at, *line, "lit and put out again where it stands".into()));
    }
    for (line, at) in &read.odd.lit_halts {
        wrong.stay.push(Told::new(*at, *line, "it halts with the beam on".into()));
    }
    faults.told(Code::WrongFeed, wrong.feed, "moves burn at another feed than chart and job say");
    faults.told(Code::WrongPower, wrong.power, "moves burn with another power than chart and job say");
    faults.told(Code::WrongTool, wrong.tool, "moves burn with another tool in the holder than was meant");
    faults.told(Code::WrongAir, wrong.air, "moves burn with the assist air switched otherwise than chart and job say");
    let waits = wrong.pierce.is_empty();
    faults.told(Code::WrongWait, wrong.pierce, "waits are longer or shorter than chart and machine ask");
    faults.told(Code::WrongStay, wrong.stay, "places are burned longer or shorter than was meant: the head stands there");
    let asked = standing(intended, machine);
    if waits && (dark - asked).abs() > WAIT * (intended.ops.len() + 1) as f64 {
        let figures = format!("{} s in all with the beam off, {} s were meant", figure(dark), figure(asked));
        faults.told(
            Code::WrongWait,
            vec![Told::new(last, 0, figures)],
            "place is where it ends: on its way it waits longer or shorter than was meant",
        );
    }
    faults.add(
        Code::WrongHeight,
        &read.wrong_height,
        "moves cut without the torch's height being held, or hold it while they travel or pierce",
    );
    let words =
        read.odd.words.iter().map(|(line, said, written)| Told::new(Point::ZERO, *line, format!("{said} in the place of {written}")));
    faults.told(Code::WrongWord, words.collect(), "words are others than the machine is spoken to with");
    let (beam, air) = read.left_on;
    if beam || air {
        faults.add(Code::LeftOn, &[last], &format!("is where it ends with the {} on; places", if beam { "beam" } else { "assist air" }));
    }
    if let Some(line) = read.relies_on_before {
        let figures = "units, absolute positions or the beam off were not said before".to_owned();
        faults.told(Code::UnsafeStart, vec![Told::new(Point::ZERO, line, figures)], "move relies on what the machine was left in");
    }
    faults.told(Code::NoRunUp, run_ups(read, proof, meant), "ends of rows burn while the head still comes up to speed, or brakes already");
}

impl Wrong {
    /// It stood lit for so long where another time was meant, s.
    fn stands(&mut self, lit: f64, meant: f64, (at, line): (Point, usize)) {
        if (lit - meant).abs() > WAIT {
            self.stay.push(Told::new(at, line, format!("{} s with the beam on, {} s were meant", figure(lit), figure(meant))));
        }
    }

    /// The beam has gone dark: what it stood lit at the end, or without burning anything; and how long a torch has to come up.
    fn ended(&mut self, burning: Option<&Op>, stood: &Stood, at: Point, machine: &Machine) {
        self.stands(stood.lit, burning.map_or(0.0, |op| stay(op, at)), (at, stood.line));
        let torch = machine.kind == MachineKind::Plasma && burning.is_some_and(|op| tool_of(op) == 0);
        if torch && stood.dark < machine.lift - WAIT {
            let figures = format!("{} s before it travels, {} s were meant", figure(stood.dark), figure(machine.lift));
            self.pierce.push(Told::new(at, stood.line, figures));
        }
    }
}

/// Ends of rows before or behind which the head has not the room to come up to speed or to brake, that it was planned to have.
fn run_ups(read: &Read, proof: &SheetProof, meant: &Meant) -> Vec<Told> {
    let moves = &proof.moves;
    let short = |s: &Short| Told::new(s.at, s.line, format!("{} mm of room, {} mm were meant", figure(s.have), figure(s.need)));
    // Pictures' rows were looked at as they were read.
    let mut out: Vec<Told> = read.short.iter().map(short).collect();
    // Waits stand between moves: where there is one the head does not go through.
    let mut stops = vec![false; moves.len() + 1];
    let mut folded = vec![false; moves.len()];
    let mut n = 0;
    for (i, action) in read.actions.iter().enumerate() {
        match action {
            Action::Move { .. } => {
                if let Some(f) = folded.get_mut(n) {
                    *f = read.folded.contains_key(&i);
                }
                n += 1;
            }
            Action::Wait { seconds, .. } if *seconds > 0.0 && n < stops.len() => stops[n] = true,
            Action::Wait { .. } => {}
        }
    }
    let bed = (meant.machine.bed_width, meant.machine.bed_height);
    let swept = |m: &Traced| m.op.and_then(|o| meant.path.ops.get(o)).filter(|o| o.is_swept() && m.process.is_some());
    for (i, m) in moves.iter().enumerate() {
        let Some(op) = swept(m).filter(|_| !folded[i]) else { continue };
        let way = m.path.direction(0.5);
        let through = |a: &Traced, b: &Traced| {
            a.path.end.distance(b.path.start) < SAME && a.path.is_line() && a.path.direction(0.5).dot(way) > 0.9999
        };
        // How far it has gone straight on before it burns, and goes behind it.
        let mut room = (0.0, 0.0);
        let mut k = i;
        while k > 0 && !stops[k] && through(&moves[k - 1], &moves[k]) && room.0 < op.run_up() {
            k -= 1;
            room.0 += moves[k].path.length();
        }
        let mut k = i;
        while k + 1 < moves.len()
            && !stops[k + 1]
            && through(&moves[k], &moves[k + 1])
            && moves[k + 1].path.direction(0.5).dot(way) > 0.9999
            && room.1 < op.run_up()
        {
            k += 1;
            room.1 += moves[k].path.length();
        }
        for (have, at, on) in [(room.0, m.path.start, -way), (room.1, m.path.end, way)] {
            let need = op.run_up().min(meant.pose.room(at, on, bed));
            if have < need - ROOM {
                out.push(short(&Short { at, line: m.line, have, need }));
            }
        }
    }
    out
}

/// How long the head is to stand where it is, lit, s.
fn stay(op: &Op, at: Point) -> f64 {
    let line = op.line();
    let ends = line.dwells.iter().filter_map(|(run, piece)| line.runs.get(*run)?.get(*piece));
    ends.filter(|s| s.end.distance(at) < SAME).map(|_| line.dwell).next().unwrap_or(0.0)
}

fn tool_of(op: &Op) -> u32 {
    if op.process == Process::Mark { op.tool.unwrap_or(0) } else { 0 }
}

/// Seconds that the head stands with the beam off: at changes of process and tool, after every pierced line of a torch, and
/// where rows turn round.
fn standing(intended: &SheetPath, machine: &Machine) -> f64 {
    let mut seconds = 0.0;
    let mut before: Option<(Process, u32)> = None;
    for op in &intended.ops {
        let now = (op.process, tool_of(op));
        let changes = before.map_or(now.1 != 0, |b| b.0 != now.0 || b.1 != now.1);
        seconds += if changes { machine.change } else { 0.0 };
        // Up and down again over what is cut free.
        seconds += if op.line().approach.lifted { 2.0 * machine.lift } else { 0.0 };
        before = Some(now);
        let lights = if machine.kind == MachineKind::Plasma { op.pierces() + usize::from(op.is_swept()) } else { 0 };
        seconds += op.sweeps() as f64 * machine.row_turn + f64::from(op.passes) * lights as f64 * machine.lift;
    }
    seconds += if intended.home.as_ref().is_some_and(|h| h.lifted) { 2.0 * machine.lift } else { 0.0 };
    seconds
}

//! With what the program burns, against the chart and the job: feed, power, tool, air, waits. A cut at a hundredth of its
//! power is as wrong as one in the wrong place.

use super::compare::Faults;
use super::reader::Read;
use super::{Action, SheetProof};
use crate::assign::Process;
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

/// Points of what is done with other settings than were meant.
#[derive(Default)]
struct Wrong {
    feed: Vec<Point>,
    power: Vec<Point>,
    tool: Vec<Point>,
    air: Vec<Point>,
    pierce: Vec<Point>,
    stay: Vec<Point>,
}

/// Compares the settings of every burned move with those of the work that it belongs to.
pub(super) fn check(read: &Read, proof: &SheetProof, intended: &SheetPath, machine: &Machine, faults: &mut Faults) {
    let mut wrong = Wrong::default();
    let mut moves = proof.moves.iter();
    // Standing lit since the beam was last dark, and standing dark in all.
    let (mut lit, mut dark) = (0.0, 0.0);
    let mut burning = false;
    let mut last = Point::ZERO;
    for (i, action) in read.actions.iter().enumerate() {
        match action {
            Action::Wait { seconds, power, .. } => *(if *power > 0.0 { &mut lit } else { &mut dark }) += seconds,
            Action::Move { path, feed, power, tool, air, .. } => {
                let Some(traced) = moves.next() else { break };
                last = path.end;
                if *power <= 0.0 {
                    (lit, burning) = (0.0, false);
                    continue;
                }
                let Some(op) = traced.op.and_then(|o| intended.ops.get(o)) else { continue };
                let meant = op.power / 100.0 * machine.power_limit;
                if feed.is_none_or(|f| (f - op.feed).abs() > op.feed * SHARE) {
                    wrong.feed.push(path.start);
                }
                // The powers of a picture's row were compared pixel by pixel.
                if !read.folded.contains_key(&i) && (power - meant).abs() > (meant * SHARE).max(LEAST_POWER) {
                    wrong.power.push(path.start);
                }
                if *tool != tool_of(op) {
                    wrong.tool.push(path.start);
                }
                if *air != op.air {
                    wrong.air.push(path.start);
                }
                // Within a cut the head stands in corners, if anywhere.
                if burning && !op.is_swept() && (lit - stay(op, path.start)).abs() > WAIT {
                    wrong.stay.push(path.start);
                }
                if !burning && !op.is_swept() && (lit - (op.pierce + machine.lift)).abs() > WAIT {
                    wrong.pierce.push(path.start);
                }
                (lit, burning) = (0.0, true);
            }
        }
    }
    faults.add("wrong-feed", &wrong.feed, "moves burn at another feed than chart and job say");
    faults.add("wrong-power", &wrong.power, "moves burn with another power than chart and job say");
    faults.add("wrong-tool", &wrong.tool, "moves burn with another tool in the holder than was meant");
    faults.add("wrong-air", &wrong.air, "moves burn with the assist air switched otherwise than chart and job say");
    faults.add("wrong-wait", &wrong.pierce, "pierces wait longer or shorter than chart and machine ask");
    faults.add("wrong-stay", &wrong.stay, "places are burned longer or shorter than was meant: the head stands there");
    let meant = standing(intended, machine);
    if wrong.pierce.is_empty() && (dark - meant).abs() > WAIT * (intended.ops.len() + 1) as f64 {
        faults.add(
            "wrong-wait",
            &[last],
            &format!("is where it ends: it stands {dark:.2} s with the beam off, and {meant:.2} s were meant; places"),
        );
    }
    faults.add("wrong-height", &read.wrong_height, "moves cut without the torch's height being held, or travel with it held");
    let (beam, air) = read.left_on;
    if beam || air {
        faults.add("left-on", &[last], &format!("is where it ends with the {} on; places", if beam { "beam" } else { "assist air" }));
    }
    if let Some(line) = read.relies_on_before {
        faults.add(
            "unsafe-start",
            &[Point::ZERO],
            &format!("moves (line {line}) come before the program has said its units, absolute positions and the beam off"),
        );
    }
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
        let rows = op.rows().len() + op.picture_rows().count();
        let lights = if machine.kind == MachineKind::Plasma { op.pierces() + usize::from(rows > 0) } else { 0 };
        seconds += f64::from(op.passes) * (rows as f64 * machine.row_turn + lights as f64 * machine.lift);
    }
    seconds
}

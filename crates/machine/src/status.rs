//! What a controller says of itself.

use crate::checksum;
use std::fmt::{self, Write};
use std::str::FromStr;

/// What a controller is doing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, strum::Display, strum::EnumString)]
#[strum(serialize_all = "lowercase")]
pub enum State {
    /// No program.
    #[default]
    Idle,
    /// A program is coming in.
    Loading,
    /// A program waits for its start.
    Ready,
    /// It goes round what its program burns, with the beam off.
    Walking,
    /// It runs.
    Running,
    /// It was paused.
    Paused,
    /// It was stopped before its end.
    Stopped,
    /// It ran to its end.
    Done,
    /// Something went wrong.
    Fault,
}

/// Why a controller stopped by itself, or starts nothing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, strum::Display, strum::EnumString, strum::EnumIter)]
#[strum(serialize_all = "lowercase")]
pub enum Alarm {
    /// The head came to the end of its way.
    Limit,
    /// Nobody asked for longer than it was told to put up with.
    Link,
    /// The door was opened.
    Door,
    /// Something burns that should not.
    Flame,
}

/// The program that a controller holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Held {
    /// File name, without blanks.
    pub name: String,
    /// [`crate::checksum`] of its text.
    pub sum: String,
    /// The run it was loaded for; 0 for a program from the machine's own panel.
    pub run: i32,
}

/// A controller's answer to `status`.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Status {
    /// What it is doing.
    pub state: State,
    /// Head position, mm.
    pub x: f64,
    /// Head position, mm.
    pub y: f64,
    /// True while the beam or torch is lit.
    pub beam: bool,
    /// Line being run, from 1.
    pub line: usize,
    /// Lines of the program.
    pub of: usize,
    /// Machine seconds run.
    pub seconds: f64,
    /// Machine seconds the program takes.
    pub total: f64,
    /// What it holds; nothing while it is idle.
    pub held: Option<Held>,
    /// What stands in its way until it is cleared.
    pub alarm: Option<Alarm>,
    /// It does not know where its head is: the power was off, or it ran into its limit. It starts nothing until zero is found.
    pub unknown: bool,
}

impl fmt::Display for Status {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { state, x, y, beam, line, of, seconds, total, held, alarm, unknown } = self;
        let mut out = String::new();
        write!(out, "{state} x={x:.3} y={y:.3} beam={} line={line} of={of} seconds={seconds:.3} total={total:.3}", i32::from(*beam))?;
        if *unknown {
            out.push_str(" unknown=1");
        }
        alarm.map_or(Ok(()), |a| write!(out, " alarm={a}"))?;
        held.as_ref().map_or(Ok(()), |h| write!(out, " name={} sum={} run={}", h.name, h.sum, h.run))?;
        write!(f, "{out} check={}", check(&out))
    }
}

/// What an answer that lost something on its way does not have: eight digits of [`checksum`] over what stands before them.
fn check(text: &str) -> String {
    checksum(text)[..8].to_owned()
}

/// Why an answer is no status.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NoStatus {
    /// A state that is not in the protocol.
    #[error("“{0}” is no state of a machine")]
    State(String),
    /// An alarm that is not in the protocol.
    #[error("“{0}” is no alarm of a machine")]
    Alarm(String),
    /// Something of it was lost on the way.
    #[error("“{0}” did not arrive as it was sent")]
    Torn(String),
    /// A figure that is none, or not finite.
    #[error("“{0}” is no figure")]
    Figure(String),
}

impl FromStr for Status {
    type Err = NoStatus;
    fn from_str(s: &str) -> Result<Self, NoStatus> {
        // A controller of another make may say none.
        if let Some((said, sum)) = s.rsplit_once(" check=")
            && check(said) != sum
        {
            return Err(NoStatus::Torn(s.chars().take(40).collect()));
        }
        let mut words = s.split_whitespace();
        let state = words.next().unwrap_or_default();
        let state = state.parse().map_err(|_| NoStatus::State(state.chars().take(40).collect()))?;
        let mut status = Self { state, ..Self::default() };
        for word in words {
            let Some((key, value)) = word.split_once('=') else { continue };
            let wrong = || NoStatus::Figure(word.chars().take(40).collect());
            let figure = || value.parse::<f64>().ok().filter(|v| v.is_finite()).ok_or_else(wrong);
            let whole = || value.parse::<usize>().map_err(|_| wrong());
            match key {
                "x" => status.x = figure()?,
                "y" => status.y = figure()?,
                "beam" => status.beam = figure()? > 0.0,
                "line" => status.line = whole()?,
                "of" => status.of = whole()?,
                "seconds" => status.seconds = figure()?.max(0.0),
                "total" => status.total = figure()?.max(0.0),
                "unknown" => status.unknown = figure()? > 0.0,
                "alarm" => status.alarm = Some(value.parse().map_err(|_| NoStatus::Alarm(value.chars().take(40).collect()))?),
                "name" => value.clone_into(&mut status.held.get_or_insert_default().name),
                "sum" => value.clone_into(&mut status.held.get_or_insert_default().sum),
                "run" => status.held.get_or_insert_default().run = value.parse().map_err(|_| wrong())?,
                _ => {}
            }
        }
        Ok(status)
    }
}

//! Machines over TCP: the line protocol, the driver that speaks it, and a simulated controller to speak it to.
//!
//! # Protocol
//!
//! Text lines ended by `\n`; every line sent is answered by one line, `ok ...` or `no REASON`.
//!
//! | sent | answered | meaning |
//! |---|---|---|
//! | `hello` | `ok ID NAME` | who are you |
//! | `load NAME LINES` | `ok` | a program of so many lines follows |
//! | `N TEXT` | `ok N` | line N of the program, from 1, in order |
//! | `end` | `ok SECONDS` | the program is whole; this long it will take |
//! | `start` `pause` `resume` `stop` | `ok` | do so |
//! | `status` | `ok STATE key=value ...` | state, x, y, beam, line, of, seconds, total |
//!
//! States: `idle`, `loading`, `ready`, `running`, `paused`, `stopped`, `done`, `fault`.

mod driver;
mod simulated;
#[cfg(test)]
mod tests;

pub use driver::{Driver, DriverError};
pub use simulated::{Simulated, serve};

use std::fmt;
use std::str::FromStr;

/// What a controller is doing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum State {
    /// No program.
    #[default]
    Idle,
    /// A program is coming in.
    Loading,
    /// A program waits for its start.
    Ready,
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

const NAMES: [(State, &str); 8] = [
    (State::Idle, "idle"),
    (State::Loading, "loading"),
    (State::Ready, "ready"),
    (State::Running, "running"),
    (State::Paused, "paused"),
    (State::Stopped, "stopped"),
    (State::Done, "done"),
    (State::Fault, "fault"),
];

impl fmt::Display for State {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(NAMES.iter().find(|n| n.0 == *self).map_or("fault", |n| n.1))
    }
}

impl FromStr for State {
    type Err = ();
    fn from_str(s: &str) -> Result<Self, ()> {
        NAMES.iter().find(|n| n.1 == s).map(|n| n.0).ok_or(())
    }
}

/// A controller's answer to `status`.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
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
}

impl fmt::Display for Status {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { state, x, y, beam, line, of, seconds, total } = self;
        write!(f, "{state} x={x:.3} y={y:.3} beam={} line={line} of={of} seconds={seconds:.3} total={total:.3}", i32::from(*beam))
    }
}

impl FromStr for Status {
    type Err = ();
    fn from_str(s: &str) -> Result<Self, ()> {
        let mut words = s.split_whitespace();
        let mut status = Self { state: words.next().ok_or(())?.parse()?, ..Self::default() };
        for (key, value) in words.filter_map(|w| w.split_once('=')) {
            let number: f64 = value.parse().map_err(|_| ())?;
            match key {
                "x" => status.x = number,
                "y" => status.y = number,
                "beam" => status.beam = number > 0.0,
                "line" => status.line = number as usize,
                "of" => status.of = number as usize,
                "seconds" => status.seconds = number,
                "total" => status.total = number,
                _ => {}
            }
        }
        Ok(status)
    }
}

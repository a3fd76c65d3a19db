//! Machines over TCP: the line protocol, the driver that speaks it, and a simulated controller to speak it to.
//!
//! # Protocol
//!
//! Text lines of at most [`LONGEST_LINE`] bytes, ended by `\n`; every line sent is answered by one line, `ok ...` or
//! `no REASON`. A controller drives a machine that burns: it obeys nobody who has not greeted it with its token, and it
//! starts nothing but the program that it is asked for by run and checksum.
//!
//! | sent | answered | meaning |
//! |---|---|---|
//! | `hello TOKEN` | `ok ID NAME` | who are you; the first line of a connection, which ends where the token is wrong |
//! | `hold SHOP` | `ok` | the shop that speaks on this line; another shop is refused all words but `stop`, `status` and `picture` as long as this one is heard or has something here. A line that says no shop is the machine's own panel |
//! | `load NAME LINES SUM RUN X Y` | `ok ROOM` | a program of so many lines, with this checksum, for this run, whose zero lies at X, Y mm on the bed, follows; no more than ROOM lines may be on their way unanswered |
//! | `N TEXT` | `ok N` | line N of the program, from 1, in order |
//! | `end` | `ok SECONDS` | the program is whole; this long it will take |
//! | `start RUN SUM X Y` | `ok` | start that run's program, whose zero lies there; refused where another is held, or its zero was heard to lie elsewhere. X and Y may be left out at the machine's own panel |
//! | `walk` | `ok` | go round what the program burns, beam off; then it waits for its start as before |
//! | `pause` `resume` `stop` | `ok` | do so; a walk that is stopped waits for its start as before |
//! | `watch SECONDS` | `ok SECONDS` | where it runs and hears nothing for so long it stops, with the alarm `link`; 0: it goes on by itself |
//! | `clear` | `ok` | what the alarm was about is put right; refused while it is not |
//! | `zero` | `ok` | find zero: without it nothing starts after the power was off |
//! | `picture` | `ok WIDTH HEIGHT`, then so many pixels of three bytes | what the camera over the bed sees; refused without one |
//! | `status` | `ok STATE key=value ...` | state, x, y, beam, line, of, seconds, total, name, sum, run of what is held, alarm, unknown; last `check`, eight digits of the checksum of what stands before it: what lost something on its way is not believed |
//! | `room ...` | `ok` | the simulated one only, see [`Fault`]: what may befall a machine |
//!
//! States: `idle`, `loading`, `ready`, `walking`, `running`, `paused`, `stopped`, `done`, `fault`.

pub mod camera;
mod control;
mod driver;
mod fault;
mod motion;
mod simulated;
mod status;
#[cfg(test)]
mod tests;
mod wire;

pub use driver::{Driver, DriverError, Link};
pub use fault::Fault;
pub use simulated::{Simulated, serve};
pub use status::{Alarm, Held, State, Status};
pub use wire::{Dial, Laying, Wire};

use sha2::{Digest, Sha256};

/// Longest line of the protocol either side takes, bytes.
pub const LONGEST_LINE: u64 = 4096;

/// Checksum of a program: SHA-256 over its lines, each ended by one line feed, in hexadecimal digits. How the lines are
/// ended in the text does not matter.
pub fn checksum(program: &str) -> String {
    let mut sum = Sum::default();
    program.lines().for_each(|line| sum.line(line));
    sum.finish()
}

/// A checksum as lines come in.
#[derive(Clone, Default)]
struct Sum(Sha256);

impl Sum {
    fn line(&mut self, line: &str) {
        self.0.update(line.trim_end_matches('\r').as_bytes());
        self.0.update(b"\n");
    }
    fn finish(self) -> String {
        self.0.finalize().iter().map(|b| format!("{b:02x}")).collect()
    }
}

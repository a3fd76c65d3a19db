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
//! | `load NAME LINES SUM RUN` | `ok` | a program of so many lines, with this checksum, for this run, follows |
//! | `N TEXT` | `ok N` | line N of the program, from 1, in order |
//! | `end` | `ok SECONDS` | the program is whole; this long it will take |
//! | `start RUN SUM` | `ok` | start that run's program; refused where another is held |
//! | `pause` `resume` `stop` | `ok` | do so |
//! | `status` | `ok STATE key=value ...` | state, x, y, beam, line, of, seconds, total, and name, sum, run of what is held |
//!
//! States: `idle`, `loading`, `ready`, `running`, `paused`, `stopped`, `done`, `fault`.

mod driver;
mod simulated;
mod status;
#[cfg(test)]
mod tests;

pub use driver::{Driver, DriverError, Link};
pub use simulated::{Simulated, serve};
pub use status::{Held, State, Status};

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

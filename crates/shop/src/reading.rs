//! Strangers' files are read in a child process of this binary: its memory, time and output are bounded from outside, and it
//! ends when whoever asked for it has left.

use crate::error::ShopError;
use boustrophe_core::drawing::Drawing;
use boustrophe_formats::{MOST_BYTES, ReadError};
use rlimit::Resource;
use std::path::{Path, PathBuf};
use std::process::{ExitStatus, Stdio};
use std::time::Duration;
use tokio::io::AsyncReadExt;
use tokio::process::Command;
use tokio::sync::Semaphore;

/// The hidden command that is told a time ([`Limits::of`]) and a name, reads standard input under that name and writes the drawing to standard output.
pub const COMMAND: &str = "read-drawing";
/// Children at once.
const AT_ONCE: usize = 2;
/// How much longer than its processor time a child may take on the clock, on a busy machine.
const PATIENCE: u64 = 4;
/// What a child may take on the clock at the least, s: however little work it is given, the machine may be busy with something else.
const LEAST_PATIENCE: u64 = 60;

/// What reading one file may take.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Address space, bytes.
    pub memory: u64,
    /// Processor time for the smallest file, s.
    pub seconds: u64,
    /// Processor time on top for the largest file that is taken, s; in between in proportion.
    pub seconds_more: u64,
    /// What comes back, bytes.
    pub output: u64,
}

impl Default for Limits {
    /// A GB of memory, 12 to 30 s, 256 MB of output.
    fn default() -> Self {
        Self { memory: 1 << 30, seconds: 12, seconds_more: 18, output: 256 << 20 }
    }
}

impl Limits {
    /// The same with so many seconds for the smallest file.
    pub fn of(seconds: u64) -> Self {
        Self { seconds, seconds_more: seconds * 3 / 2, ..Self::default() }
    }

    fn seconds_for(&self, bytes: u64) -> u64 {
        self.seconds + self.seconds_more * bytes.min(MOST_BYTES as u64) / MOST_BYTES as u64
    }

    /// Bounds this very process: the command line reads in its own. Where a system knows no such bounds none are set.
    pub fn set_here(&self, bytes: u64) {
        let seconds = self.seconds_for(bytes);
        let _ = rlimit::setrlimit(Resource::AS, self.memory, self.memory);
        let _ = rlimit::setrlimit(Resource::CPU, seconds, seconds + 1);
        let _ = rlimit::setrlimit(Resource::CORE, 0, 0);
    }
}

/// Reads files in children, a few at a time.
pub struct Readers {
    program: Option<PathBuf>,
    limits: Limits,
    turns: Semaphore,
}

impl Readers {
    /// Children of this binary.
    pub fn of_this_program(limits: Limits) -> Self {
        let program = std::env::current_exe().ok();
        Self { program, limits, turns: Semaphore::new(AT_ONCE) }
    }

    /// In this very process: for tests, whose binary is another.
    #[cfg(test)]
    pub fn here() -> Self {
        Self { program: None, limits: Limits::default(), turns: Semaphore::new(AT_ONCE) }
    }

    /// Reads a file under the name it came with. Dropped before it is done, it ends the child.
    pub async fn read(&self, name: &str, file: &Path) -> Result<Drawing, ShopError> {
        let broken = |e: std::io::Error| ShopError::Sentence(format!("{name} cannot be read just now ({e}); try again."));
        let _turn = self.turns.acquire().await;
        let input = std::fs::File::open(file).map_err(broken)?;
        let size = input.metadata().map_err(broken)?.len();
        let Some(program) = &self.program else {
            let bytes = std::fs::read(file).map_err(broken)?;
            return Ok(boustrophe_formats::read(name, &bytes)?);
        };
        let seconds = self.limits.seconds_for(size);
        let mut child = Command::new(program)
            .arg(COMMAND)
            .arg(self.limits.seconds.to_string())
            .arg(name)
            .stdin(input)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .kill_on_drop(true)
            .spawn()
            .map_err(broken)?;
        let (Some(out), Some(err)) = (child.stdout.take(), child.stderr.take()) else {
            return Err(ShopError::Sentence(format!("{name} cannot be read just now; try again.")));
        };
        let talk = async {
            let (mut bytes, mut said) = (Vec::new(), Vec::new());
            let (mut out, mut err) = (out.take(self.limits.output + 1), err.take(64 << 10));
            tokio::try_join!(out.read_to_end(&mut bytes), err.read_to_end(&mut said))?;
            let ended =
                if bytes.len() as u64 > self.limits.output { child.start_kill().map(|()| None) } else { child.wait().await.map(Some) };
            ended.map(|e| (bytes, said, e))
        };
        let limit = |what: String| ShopError::Limit { file: name.to_owned(), what };
        let time = || limit(format!("{seconds} seconds of work"));
        let Ok(told) = tokio::time::timeout(Duration::from_secs((seconds * PATIENCE).max(LEAST_PATIENCE)), talk).await else {
            return Err(time());
        };
        let (bytes, said, ended) = told.map_err(broken)?;
        let Some(ended) = ended else { return Err(limit(format!("{} MB once read", self.limits.output >> 20))) };
        match bytes.split_first() {
            Some((0, rest)) if ended.success() => postcard::from_bytes(rest)
                .map_err(|e| ShopError::Sentence(format!("{name} was read, but did not come back whole ({e}); add it again."))),
            Some((1, rest)) if ended.success() => {
                Err(postcard::from_bytes::<ReadError>(rest).map_or_else(|_| gave_up(name), ShopError::Read))
            }
            _ => Err(match end_of(ended, &said) {
                End::Memory => limit(format!("{} MB of memory", self.limits.memory >> 20)),
                End::Time => time(),
                End::Other => {
                    tracing::error!(file = name, said = %String::from_utf8_lossy(&said), %ended, "a reader gave up");
                    gave_up(name)
                }
            }),
        }
    }
}

fn gave_up(name: &str) -> ShopError {
    ShopError::Sentence(format!("{name} could not be read: the reader gave up on it. Export it again in another version or format."))
}

enum End {
    Memory,
    Time,
    Other,
}

fn end_of(ended: ExitStatus, said: &[u8]) -> End {
    #[cfg(unix)]
    let signal = std::os::unix::process::ExitStatusExt::signal(&ended);
    #[cfg(not(unix))]
    let signal = None::<i32>;
    let said = String::from_utf8_lossy(said);
    // Out of processor time: asked to end, or ended a second later.
    match signal {
        _ if said.contains("memory allocation") || said.contains("capacity overflow") || said.contains("overflowed its stack") => {
            End::Memory
        }
        Some(24 | 9) => End::Time,
        Some(6 | 11) => End::Memory,
        _ => End::Other,
    }
}

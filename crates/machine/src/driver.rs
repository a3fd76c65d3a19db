//! The side that sends.

use crate::wire::{Dial, Tcp, Wire};
use crate::{LONGEST_LINE, Status, checksum};
use boustrophe_core::bed::{LONGEST, Photo};
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader, ReadHalf, WriteHalf, split};
use tokio::time::timeout;

/// Longest wait for an answer while a program is taken in.
const PATIENCE: Duration = Duration::from_secs(10);
/// Longest wait for a connection and for the answer to an order.
const PROMPT: Duration = Duration::from_secs(2);
/// Program lines sent ahead of their acknowledgements where the machine has room for them, and where it does not say.
const AHEAD: usize = 256;
const CAREFUL: usize = 16;

/// Why the machine did not do as asked.
#[derive(Debug, thiserror::Error)]
pub enum DriverError {
    /// Nobody there, or the line was cut.
    #[error("the machine at {address} does not answer ({error}); check that it is switched on and connected")]
    Connection {
        /// Its address.
        address: String,
        /// What the system says.
        error: std::io::Error,
    },
    /// No answer in time.
    #[error("the machine at {0} does not answer; look at it before going on")]
    Silent(String),
    /// What came back is not the protocol's.
    #[error("the machine at {address} answers what is not understood ({answer}); look at it before going on")]
    Garbled {
        /// Its address.
        address: String,
        /// What it said, shortened.
        answer: String,
    },
    /// It said no.
    #[error("the machine refused “{sent}”: {reason}")]
    Refused {
        /// What was sent.
        sent: String,
        /// Its reason.
        reason: String,
    },
}

/// Where a controller is, and what it lets in whom.
#[derive(Clone)]
pub struct Link {
    /// `host:port`.
    pub address: String,
    /// What it is greeted with.
    pub token: String,
    /// What lines to it are laid over.
    over: Arc<dyn Dial>,
}

impl Link {
    /// A controller on the network.
    pub fn new(address: impl Into<String>, token: impl Into<String>) -> Self {
        Self { address: address.into(), token: token.into(), over: Arc::new(Tcp) }
    }

    /// The same, reached in another way.
    pub fn over(self, over: Arc<dyn Dial>) -> Self {
        Self { over, ..self }
    }
}

impl PartialEq for Link {
    fn eq(&self, other: &Self) -> bool {
        self.address == other.address && self.token == other.token
    }
}

impl Eq for Link {}

impl std::fmt::Debug for Link {
    /// Without the token: it must not come into logs.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Link").field("address", &self.address).finish_non_exhaustive()
    }
}

/// A connection to one controller.
pub struct Driver {
    address: String,
    reader: BufReader<ReadHalf<Box<dyn Wire>>>,
    writer: WriteHalf<Box<dyn Wire>>,
}

impl Driver {
    /// Connects and greets; nothing else is asked of a controller before.
    pub async fn connect(link: &Link) -> Result<Self, DriverError> {
        let address = &link.address;
        let failed = |error| DriverError::Connection { address: address.clone(), error };
        let wire = timeout(PROMPT, link.over.dial(address)).await.map_err(|_| DriverError::Silent(address.clone()))?.map_err(failed)?;
        let (reader, writer) = split(wire);
        let mut driver = Self { address: address.clone(), reader: BufReader::new(reader), writer };
        driver.write(&format!("hello {}\n", link.token)).await?;
        driver.answer("hello", PROMPT).await?;
        Ok(driver)
    }

    /// Sends one line and gives what follows `ok`.
    pub async fn ask(&mut self, line: &str) -> Result<String, DriverError> {
        self.write(&format!("{line}\n")).await?;
        self.answer(line, PROMPT).await
    }

    async fn write(&mut self, text: &str) -> Result<(), DriverError> {
        self.writer.write_all(text.as_bytes()).await.map_err(|error| DriverError::Connection { address: self.address.clone(), error })
    }

    async fn answer(&mut self, sent: &str, patience: Duration) -> Result<String, DriverError> {
        let mut line = Vec::new();
        let mut bounded = (&mut self.reader).take(LONGEST_LINE);
        let read = timeout(patience, bounded.read_until(b'\n', &mut line)).await.map_err(|_| DriverError::Silent(self.address.clone()))?;
        let read = read.map_err(|error| DriverError::Connection { address: self.address.clone(), error })?;
        if read == 0 {
            return Err(DriverError::Connection { address: self.address.clone(), error: std::io::ErrorKind::ConnectionAborted.into() });
        }
        let text = String::from_utf8_lossy(&line);
        let garbled = |text: &str| DriverError::Garbled { address: self.address.clone(), answer: text.chars().take(60).collect() };
        if !text.ends_with('\n') {
            return Err(garbled(&text));
        }
        let text = text.trim_end();
        match (text.strip_prefix("ok"), text.strip_prefix("no ")) {
            (Some(rest), _) if rest.is_empty() || rest.starts_with(' ') => Ok(rest.trim_start().to_owned()),
            (_, Some(reason)) => Err(DriverError::Refused { sent: sent.chars().take(60).collect(), reason: reason.to_owned() }),
            _ => Err(garbled(text)),
        }
    }

    /// Sends a program for a run line by line, each acknowledged, and gives the seconds it will take. `zero` is where its zero lies
    /// on the bed, mm. `heard` is told whenever the machine has acknowledged some more.
    pub async fn load(&mut self, name: &str, program: &str, run: i32, zero: (f64, f64), heard: impl Fn()) -> Result<f64, DriverError> {
        let lines: Vec<&str> = program.lines().collect();
        let name: String = name.chars().map(|c| if c.is_whitespace() { '_' } else { c }).collect();
        let room = self.ask(&format!("load {name} {} {} {run} {:.3} {:.3}", lines.len(), checksum(program), zero.0, zero.1)).await?;
        let ahead = room.parse().unwrap_or(CAREFUL).clamp(1, AHEAD);
        for (block, chunk) in lines.chunks(ahead).enumerate() {
            let first = block * ahead + 1;
            let text: String = chunk.iter().enumerate().map(|(i, l)| format!("{} {l}\n", first + i)).collect();
            self.write(&text).await?;
            for line in chunk {
                self.answer(line, PATIENCE).await?;
            }
            heard();
        }
        self.write("end\n").await?;
        let seconds = self.answer("end", PATIENCE).await?;
        seconds.parse().ok().filter(|s: &f64| s.is_finite()).ok_or(DriverError::Garbled { address: self.address.clone(), answer: seconds })
    }

    /// What the camera over its bed sees; fails where it has none.
    pub async fn picture(&mut self) -> Result<Photo, DriverError> {
        self.write("picture\n").await?;
        let size = self.answer("picture", PATIENCE).await?;
        let garbled = || DriverError::Garbled { address: self.address.clone(), answer: size.chars().take(60).collect() };
        let sides: Vec<usize> = size.split(' ').filter_map(|s| s.parse().ok()).collect();
        let [width, height] = sides[..] else { return Err(garbled()) };
        if !(1..=LONGEST).contains(&width) || !(1..=LONGEST).contains(&height) {
            return Err(garbled());
        }
        let mut rgb = vec![0; 3 * width * height];
        let read = timeout(PATIENCE, self.reader.read_exact(&mut rgb)).await.map_err(|_| DriverError::Silent(self.address.clone()))?;
        read.map_err(|error| DriverError::Connection { address: self.address.clone(), error })?;
        Ok(Photo { width, height, rgb })
    }

    /// Asks how it stands.
    pub async fn status(&mut self) -> Result<Status, DriverError> {
        let text = self.ask("status").await?;
        text.parse().map_err(|why: crate::status::NoStatus| DriverError::Garbled { address: self.address.clone(), answer: why.to_string() })
    }
}

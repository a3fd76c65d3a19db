//! The side that sends.

use crate::Status;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
use tokio::net::tcp::{OwnedReadHalf, OwnedWriteHalf};
use tokio::time::timeout;

/// Longest wait for an answer.
const PATIENCE: Duration = Duration::from_secs(10);
/// Program lines sent ahead of their acknowledgements.
const AHEAD: usize = 256;

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
    #[error("the machine at {0} has not answered for ten seconds; check it before going on")]
    Silent(String),
    /// It said no.
    #[error("the machine refused “{sent}”: {reason}")]
    Refused {
        /// What was sent.
        sent: String,
        /// Its reason.
        reason: String,
    },
}

/// A connection to one controller.
pub struct Driver {
    address: String,
    reader: BufReader<OwnedReadHalf>,
    writer: OwnedWriteHalf,
}

impl Driver {
    /// Connects.
    pub async fn connect(address: &str) -> Result<Self, DriverError> {
        let failed = |error| DriverError::Connection { address: address.into(), error };
        let stream =
            timeout(PATIENCE, TcpStream::connect(address)).await.map_err(|_| DriverError::Silent(address.into()))?.map_err(failed)?;
        stream.set_nodelay(true).map_err(failed)?;
        let (reader, writer) = stream.into_split();
        Ok(Self { address: address.into(), reader: BufReader::new(reader), writer })
    }

    /// Sends one line and gives what follows `ok`.
    pub async fn ask(&mut self, line: &str) -> Result<String, DriverError> {
        self.write(&format!("{line}\n")).await?;
        self.answer(line).await
    }

    async fn write(&mut self, text: &str) -> Result<(), DriverError> {
        self.writer.write_all(text.as_bytes()).await.map_err(|error| DriverError::Connection { address: self.address.clone(), error })
    }

    async fn answer(&mut self, sent: &str) -> Result<String, DriverError> {
        let mut line = String::new();
        let read = timeout(PATIENCE, self.reader.read_line(&mut line)).await.map_err(|_| DriverError::Silent(self.address.clone()))?;
        let read = read.map_err(|error| DriverError::Connection { address: self.address.clone(), error })?;
        if read == 0 {
            return Err(DriverError::Connection { address: self.address.clone(), error: std::io::ErrorKind::ConnectionAborted.into() });
        }
        let line = line.trim_end();
        match line.strip_prefix("ok") {
            Some(rest) => Ok(rest.trim_start().to_owned()),
            None => Err(DriverError::Refused {
                sent: sent.chars().take(60).collect(),
                reason: line.strip_prefix("no ").unwrap_or(line).to_owned(),
            }),
        }
    }

    /// Sends a program line by line, each acknowledged, and gives the seconds it will take.
    pub async fn load(&mut self, name: &str, program: &str) -> Result<f64, DriverError> {
        let lines: Vec<&str> = program.lines().collect();
        let name: String = name.chars().map(|c| if c.is_whitespace() { '_' } else { c }).collect();
        self.ask(&format!("load {name} {}", lines.len())).await?;
        for (block, chunk) in lines.chunks(AHEAD).enumerate() {
            let first = block * AHEAD + 1;
            let text: String = chunk.iter().enumerate().map(|(i, l)| format!("{} {l}\n", first + i)).collect();
            self.write(&text).await?;
            for line in chunk {
                self.answer(line).await?;
            }
        }
        let seconds = self.ask("end").await?;
        Ok(seconds.parse().unwrap_or(0.0))
    }

    /// Asks how it stands.
    pub async fn status(&mut self) -> Result<Status, DriverError> {
        let text = self.ask("status").await?;
        text.parse()
            .map_err(|()| DriverError::Refused { sent: "status".into(), reason: format!("its answer “{text}” is not understood") })
    }
}

//! A controller that exists only here: it reads programs, moves with limited acceleration in scaled real time, and can be
//! paused, resumed and stopped.

use crate::control::{Control, Speaker};
use crate::wire::Wire;
use crate::{LONGEST_LINE, Status, camera};
use boustrophe_core::shop::Machine;
use std::io;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncRead, AsyncReadExt, AsyncWriteExt, BufReader, split};
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tokio::time::{Instant, timeout};

/// Length of a step of the simulation.
const TICK: Duration = Duration::from_millis(10);
/// How long a new connection may take to say hello.
const GREETING: Duration = Duration::from_secs(5);
/// Connections at once; more are turned away.
const MOST_CONNECTIONS: usize = 32;
/// How often a connection is looked at for being cut off.
const CUT: Duration = Duration::from_millis(50);

/// A simulated machine, shared by its connections.
#[derive(Clone)]
pub struct Simulated {
    machine: Arc<Machine>,
    /// Whoever does not greet it with this is not obeyed.
    token: Arc<str>,
    control: Arc<Mutex<Control>>,
}

impl Simulated {
    /// A machine that runs `speed` times faster than real time and obeys whoever knows `token`.
    pub fn new(machine: Machine, speed: f64, token: &str) -> Self {
        Self { machine: Arc::new(machine), token: token.into(), control: Arc::new(Mutex::new(Control::new(speed))) }
    }

    /// The same just switched on: it does not know where its head is until it has found zero.
    pub fn cold(self) -> Self {
        self.control().lose_place();
        self
    }

    /// Answers the first line of a connection: `None` for whoever is not let in.
    fn greeted(&self, line: &str) -> Option<String> {
        (line.strip_prefix("hello ")? == &*self.token).then(|| format!("ok {} {}", self.machine.id, self.machine.name))
    }

    fn control(&self) -> std::sync::MutexGuard<'_, Control> {
        self.control.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Answers one line from the machine's own panel.
    pub fn answer(&self, line: &str) -> String {
        self.answer_to(line, &mut None)
    }

    /// Answers one line from whoever speaks.
    fn answer_to(&self, line: &str, speaker: &mut Speaker) -> String {
        let mut control = self.control();
        match control.obey(line, speaker, &self.machine) {
            Ok(text) if text.is_empty() => "ok".into(),
            Ok(text) => format!("ok {text}"),
            Err(reason) => format!("no {reason}"),
        }
    }

    /// How it stands, seen without a word to it: it is none the less in silence.
    pub fn stands(&self) -> Status {
        self.control().status()
    }

    /// Lets `seconds` of machine time pass.
    pub fn pass(&self, seconds: f64) {
        self.control().pass(seconds);
    }
}

/// Serves connections until the listener fails; time passes while it does.
pub async fn serve(simulated: Simulated, listener: TcpListener) -> io::Result<()> {
    let ticking = tokio::spawn(simulated.clone().runs());
    let room = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let served = async {
        loop {
            let (stream, _) = listener.accept().await?;
            let (Ok(place), simulated) = (Arc::clone(&room).try_acquire_owned(), simulated.clone()) else { continue };
            tokio::spawn(async move {
                if stream.set_nodelay(true).is_ok() {
                    simulated.attend(stream).await;
                }
                drop(place);
            });
        }
    };
    let end: io::Result<()> = served.await;
    ticking.abort();
    end
}

impl Simulated {
    /// Lets its time pass as time passes, for ever.
    pub async fn runs(self) {
        let mut last = Instant::now();
        loop {
            tokio::time::sleep(TICK).await;
            let now = Instant::now();
            let mut control = self.control();
            let speed = control.speed();
            control.pass((now - last).as_secs_f64() * speed);
            drop(control);
            last = now;
        }
    }

    /// Answers on one wire until it ends or is cut.
    pub async fn attend(&self, wire: impl Wire) {
        let cut = async {
            while !self.control().is_deaf() {
                tokio::time::sleep(CUT).await;
            }
        };
        // The cut first: while the line is cut nobody is greeted.
        tokio::select! { biased; () = cut => {}, _ = converse(self, wire) => {} }
    }
}

async fn converse(simulated: &Simulated, wire: impl Wire) -> io::Result<()> {
    let (reader, mut writer) = split(wire);
    let mut reader = BufReader::new(reader);
    let Ok(first) = timeout(GREETING, line_of(&mut reader)).await else { return Ok(()) };
    let Some(welcome) = simulated.greeted(first?.trim_end()) else {
        return writer.write_all(b"no this machine obeys only who greets it with its token\n").await;
    };
    writer.write_all(format!("{welcome}\n").as_bytes()).await?;
    let mut speaker: Speaker = None;
    loop {
        let line = line_of(&mut reader).await?;
        if line.is_empty() {
            return Ok(());
        }
        let whole = line.ends_with('\n');
        if line.trim_end() == "picture" {
            let machine = Arc::clone(&simulated.machine);
            let (w, h, rgb) = tokio::task::spawn_blocking(move || camera::picture(&machine)).await.map_err(io::Error::other)?;
            writer.write_all(format!("ok {w} {h}\n").as_bytes()).await?;
            writer.write_all(&rgb).await?;
            continue;
        }
        let answer = simulated.answer_to(line.trim_end(), &mut speaker);
        writer.write_all(format!("{answer}\n").as_bytes()).await?;
        if !whole {
            // An endless line: nothing sensible follows.
            return Ok(());
        }
    }
}

/// The next line, or as much of it as is taken; empty at the end.
async fn line_of(reader: &mut BufReader<impl AsyncRead + Unpin>) -> io::Result<String> {
    let mut line = Vec::new();
    reader.take(LONGEST_LINE).read_until(b'\n', &mut line).await?;
    Ok(String::from_utf8_lossy(&line).into_owned())
}

//! A controller that exists only here: it reads programs, moves with limited acceleration in scaled real time, and can be
//! paused, resumed and stopped.

use crate::{Held, LONGEST_LINE, State, Status, Sum};
use boustrophe_core::geometry::Point;
use boustrophe_core::proof::{Action, Interpreter, acts, dynamics};
use boustrophe_core::release::Dialect;
use boustrophe_core::shop::Machine;
use boustrophe_core::time::{Timing, plan};
use std::io;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::tcp::OwnedReadHalf;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Semaphore;
use tokio::time::{Instant, timeout};

/// Length of a step of the simulation.
const TICK: Duration = Duration::from_millis(10);
/// How long a new connection may take to say hello.
const GREETING: Duration = Duration::from_secs(5);
/// Connections at once; more are turned away.
const MOST_CONNECTIONS: usize = 32;
/// Lines of one program at most.
const MOST_LINES: usize = 20_000_000;

/// A simulated machine, shared by its connections.
#[derive(Clone)]
pub struct Simulated {
    machine: Arc<Machine>,
    /// Machine seconds that pass in a second.
    speed: f64,
    /// Whoever does not greet it with this is not obeyed.
    token: Arc<str>,
    control: Arc<Mutex<Control>>,
}

#[derive(Default)]
struct Control {
    state: State,
    held: Option<Held>,
    sum: Sum,
    reader: Interpreter,
    actions: Vec<Action>,
    timings: Vec<Timing>,
    /// Machine time at which each action ends.
    ends: Vec<f64>,
    lines: usize,
    expected: usize,
    clock: f64,
    /// Of the machine, mm/s²; known once a program is whole.
    acceleration: f64,
}

impl Simulated {
    /// A machine that runs `speed` times faster than real time and obeys whoever knows `token`.
    pub fn new(machine: Machine, speed: f64, token: &str) -> Self {
        Self { machine: Arc::new(machine), speed, token: token.into(), control: Arc::default() }
    }

    /// Answers the first line of a connection: `None` for whoever is not let in.
    fn greeted(&self, line: &str) -> Option<String> {
        (line.strip_prefix("hello ")? == &*self.token).then(|| format!("ok {} {}", self.machine.id, self.machine.name))
    }

    fn control(&self) -> std::sync::MutexGuard<'_, Control> {
        self.control.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Answers one line.
    pub fn answer(&self, line: &str) -> String {
        let mut control = self.control();
        match control.obey(line, &self.machine) {
            Ok(text) if text.is_empty() => "ok".into(),
            Ok(text) => format!("ok {text}"),
            Err(reason) => format!("no {reason}"),
        }
    }

    /// Lets `seconds` of machine time pass.
    pub fn pass(&self, seconds: f64) {
        let mut control = self.control();
        if control.state == State::Running {
            control.clock += seconds;
            if control.clock >= control.total() {
                control.clock = control.total();
                control.state = State::Done;
            }
        }
    }
}

impl Control {
    fn total(&self) -> f64 {
        self.ends.last().copied().unwrap_or(0.0)
    }

    fn obey(&mut self, line: &str, machine: &Machine) -> Result<String, String> {
        let (word, rest) = line.split_once(' ').unwrap_or((line, ""));
        match word {
            "load" => self.load(rest, machine),
            "end" => self.end(machine),
            "start" => self.start(rest),
            "pause" => self.change(&[State::Running], State::Paused),
            "resume" => self.change(&[State::Paused], State::Running),
            "stop" => self.change(&[State::Running, State::Paused, State::Ready, State::Loading], State::Stopped),
            "status" => Ok(self.status().to_string()),
            _ => match word.parse::<usize>() {
                Ok(n) => self.line(n, rest),
                Err(_) => Err(format!("“{}” is not understood", word.chars().take(40).collect::<String>())),
            },
        }
    }

    fn change(&mut self, from: &[State], to: State) -> Result<String, String> {
        if from.contains(&self.state) {
            self.state = to;
            Ok(String::new())
        } else {
            Err(format!("the machine is {}", self.state))
        }
    }

    /// Starts what is held if it is what was asked for.
    fn start(&mut self, rest: &str) -> Result<String, String> {
        let held = self.held.as_ref().filter(|_| self.state != State::Loading).ok_or("no whole program is held")?;
        if rest != format!("{} {}", held.run, held.sum) {
            return Err(format!("another program is held: {} of run {}", held.name, held.run));
        }
        self.change(&[State::Ready], State::Running)
    }

    fn load(&mut self, rest: &str, machine: &Machine) -> Result<String, String> {
        if matches!(self.state, State::Running | State::Paused) {
            return Err(format!("a program is {}", self.state));
        }
        let words: Vec<&str> = rest.split(' ').collect();
        let [name, lines, sum, run] = words[..] else {
            return Err("load needs a name, a number of lines, a checksum and a run".into());
        };
        let expected = lines.parse().ok().filter(|n| (1..=MOST_LINES).contains(n)).ok_or("the number of lines is none")?;
        let run = run.parse().map_err(|_| "the run is no number")?;
        let held = Held { name: name.into(), sum: sum.into(), run };
        let reader = Interpreter::new(Dialect::of(machine));
        *self = Self { state: State::Loading, expected, held: Some(held), reader, ..Self::default() };
        Ok(String::new())
    }

    fn line(&mut self, n: usize, text: &str) -> Result<String, String> {
        if self.state != State::Loading || n != self.lines + 1 || n > self.expected {
            return Err(format!("line {n} was not expected"));
        }
        self.lines = n;
        self.sum.line(text);
        if let Err(fault) = self.reader.line(text, &mut self.actions) {
            self.state = State::Fault;
            return Err(fault.to_string());
        }
        Ok(n.to_string())
    }

    fn end(&mut self, machine: &Machine) -> Result<String, String> {
        if self.state != State::Loading || self.lines != self.expected || !self.reader.ended() {
            self.state = State::Fault;
            return Err(format!("the program is not whole: {} of {} lines", self.lines, self.expected));
        }
        if self.held.as_ref().is_none_or(|h| h.sum != self.sum.clone().finish()) {
            self.state = State::Fault;
            return Err("the program did not arrive as it was sent: its checksum differs".into());
        }
        let off_bed = |p: Point| p.x < -0.001 || p.y < -0.001 || p.x > machine.bed_width + 0.001 || p.y > machine.bed_height + 0.001;
        if self.actions.iter().any(|a| matches!(a, Action::Move { path, .. } if off_bed(path.end))) {
            self.state = State::Fault;
            return Err("the program leaves the bed".into());
        }
        self.timings = plan(&acts(&self.actions, machine), dynamics(machine));
        self.acceleration = machine.acceleration;
        let mut clock = 0.0;
        self.ends = self
            .timings
            .iter()
            .map(|t| {
                clock += t.seconds;
                clock
            })
            .collect();
        self.state = State::Ready;
        Ok(format!("{clock:.3}"))
    }

    fn status(&self) -> Status {
        let mut status = Status {
            state: self.state,
            of: self.expected,
            seconds: self.clock,
            total: self.total(),
            held: self.held.clone(),
            ..Status::default()
        };
        let i = self.ends.partition_point(|e| *e <= self.clock);
        let done = self.actions[..i.min(self.actions.len())]
            .iter()
            .rev()
            .find_map(|a| if let Action::Move { path, .. } = a { Some(path.end) } else { None });
        let mut at = done.unwrap_or(Point::ZERO);
        if let (Some(action), Some(timing)) = (self.actions.get(i), self.timings.get(i)) {
            let begun = self.ends[i] - timing.seconds;
            match action {
                Action::Move { path, power, line, .. } => {
                    let share =
                        if timing.length > 0.0 { timing.covered(self.clock - begun, self.acceleration) / timing.length } else { 1.0 };
                    at = path.at(share);
                    (status.beam, status.line) = (*power > 0.0, *line);
                }
                Action::Wait { power, line, .. } => (status.beam, status.line) = (*power > 0.0, *line),
            }
        } else {
            status.line = self.expected;
        }
        status.beam &= self.state == State::Running;
        (status.x, status.y) = (at.x, at.y);
        status
    }
}

/// Serves connections until the listener fails; time passes while it does.
pub async fn serve(simulated: Simulated, listener: TcpListener) -> io::Result<()> {
    let clock = simulated.clone();
    let ticking = tokio::spawn(async move {
        let mut last = Instant::now();
        loop {
            tokio::time::sleep(TICK).await;
            let now = Instant::now();
            clock.pass((now - last).as_secs_f64() * clock.speed);
            last = now;
        }
    });
    let room = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let served = async {
        loop {
            let (stream, _) = listener.accept().await?;
            let (Ok(place), simulated) = (Arc::clone(&room).try_acquire_owned(), simulated.clone()) else { continue };
            tokio::spawn(async move {
                let end = converse(&simulated, stream).await;
                drop(place);
                end
            });
        }
    };
    let end: io::Result<()> = served.await;
    ticking.abort();
    end
}

async fn converse(simulated: &Simulated, stream: TcpStream) -> io::Result<()> {
    stream.set_nodelay(true)?;
    let (reader, mut writer) = stream.into_split();
    let mut reader = BufReader::new(reader);
    let Ok(first) = timeout(GREETING, line_of(&mut reader)).await else { return Ok(()) };
    let Some(welcome) = simulated.greeted(first?.trim_end()) else {
        return writer.write_all(b"no this machine obeys only who greets it with its token\n").await;
    };
    writer.write_all(format!("{welcome}\n").as_bytes()).await?;
    loop {
        let line = line_of(&mut reader).await?;
        if line.is_empty() {
            return Ok(());
        }
        let whole = line.ends_with('\n');
        let answer = simulated.answer(line.trim_end());
        writer.write_all(format!("{answer}\n").as_bytes()).await?;
        if !whole {
            // An endless line: nothing sensible follows.
            return Ok(());
        }
    }
}

/// The next line, or as much of it as is taken; empty at the end.
async fn line_of(reader: &mut BufReader<OwnedReadHalf>) -> io::Result<String> {
    let mut line = Vec::new();
    reader.take(LONGEST_LINE).read_until(b'\n', &mut line).await?;
    Ok(String::from_utf8_lossy(&line).into_owned())
}

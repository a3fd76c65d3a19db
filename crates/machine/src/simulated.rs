//! A controller that exists only here: it reads programs, moves with limited acceleration in scaled real time, and can be
//! paused, resumed and stopped.

use crate::{State, Status};
use boustrophe_core::geometry::Point;
use boustrophe_core::proof::{Action, Interpreter, acts, dynamics};
use boustrophe_core::shop::Machine;
use boustrophe_core::time::{Timing, plan};
use std::io;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio::time::Instant;

/// Length of a step of the simulation.
const TICK: Duration = Duration::from_millis(10);
/// Longest line it takes; more is no program.
const LONGEST: u64 = 4096;
/// Lines of one program at most.
const MOST_LINES: usize = 20_000_000;

/// A simulated machine, shared by its connections.
#[derive(Clone)]
pub struct Simulated {
    machine: Arc<Machine>,
    /// Machine seconds that pass in a second.
    speed: f64,
    control: Arc<Mutex<Control>>,
}

#[derive(Default)]
struct Control {
    state: State,
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
    /// A machine that runs `speed` times faster than real time.
    pub fn new(machine: Machine, speed: f64) -> Self {
        Self { machine: Arc::new(machine), speed, control: Arc::default() }
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
            "hello" => Ok(format!("{} {}", machine.id, machine.name)),
            "load" => self.load(rest),
            "end" => self.end(machine),
            "start" => self.change(&[State::Ready], State::Running),
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

    fn load(&mut self, rest: &str) -> Result<String, String> {
        if matches!(self.state, State::Running | State::Paused) {
            return Err(format!("a program is {}", self.state));
        }
        let expected = rest
            .rsplit(' ')
            .next()
            .and_then(|n| n.parse().ok())
            .filter(|n| (1..=MOST_LINES).contains(n))
            .ok_or("load needs a name and a number of lines")?;
        *self = Self { state: State::Loading, expected, ..Self::default() };
        Ok(String::new())
    }

    fn line(&mut self, n: usize, text: &str) -> Result<String, String> {
        if self.state != State::Loading || n != self.lines + 1 || n > self.expected {
            return Err(format!("line {n} was not expected"));
        }
        self.lines = n;
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
        let mut status = Status { state: self.state, of: self.expected, seconds: self.clock, total: self.total(), ..Status::default() };
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
    let served = async {
        loop {
            let (stream, _) = listener.accept().await?;
            let simulated = simulated.clone();
            tokio::spawn(async move { converse(&simulated, stream).await });
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
    loop {
        let mut line = String::new();
        let read = (&mut reader).take(LONGEST).read_line(&mut line).await?;
        if read == 0 {
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

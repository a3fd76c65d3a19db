//! The inside of the simulated controller: what it holds, what it is doing, and what may befall it.

use crate::motion::{LOOK_AHEAD, Motion, round};
use crate::{Alarm, Fault, Held, State, Status, Sum};
use boustrophe_core::geometry::Point;
use boustrophe_core::proof::{Action, Interpreter};
use boustrophe_core::release::Dialect;
use boustrophe_core::shop::Machine;
use tokio::time::Instant;

/// Lines of one program at most.
const MOST_LINES: usize = 20_000_000;
/// Lines that may be on their way to it unanswered.
const ROOM: usize = 4 * LOOK_AHEAD;

/// What a controller knows.
pub(super) struct Control {
    state: State,
    held: Option<Held>,
    sum: Sum,
    reader: Interpreter,
    actions: Vec<Action>,
    motion: Motion,
    walk: Motion,
    /// Lines taken in, and lines announced.
    lines: usize,
    expected: usize,
    /// How far the program is, seconds of its own reckoning; and how long that took.
    clock: f64,
    taken: f64,
    walked: f64,
    /// Where the program's zero lies on the bed, mm.
    zero: Point,
    rest: Lasting,
    /// The shop that has it, and when it was last heard.
    holder: Option<(String, Instant)>,
}

/// Who speaks on a line: a shop by its name, or somebody at the machine's own panel.
pub(super) type Speaker = Option<String>;

/// A shop that is not heard for so long, and has nothing at the machine, lets go of it.
const LETS_GO: std::time::Duration = std::time::Duration::from_secs(10);

/// What stays when another program comes.
#[derive(Clone, Copy)]
struct Lasting {
    alarm: Option<Alarm>,
    /// It does not know where its head is.
    unknown: bool,
    door: bool,
    /// Longest silence that it puts up with while it runs, s; 0 for any.
    watch: f64,
    heard: Instant,
    speed: f64,
    drag: f64,
    /// Nobody reaches it until then.
    deaf: Option<Instant>,
}

impl Control {
    /// Switched on, at its zero.
    pub(super) fn new(speed: f64) -> Self {
        Self::with(Lasting { alarm: None, unknown: false, door: false, watch: 0.0, heard: Instant::now(), speed, drag: 1.0, deaf: None })
    }

    fn with(rest: Lasting) -> Self {
        Self {
            state: State::Idle,
            held: None,
            sum: Sum::default(),
            reader: Interpreter::default(),
            actions: Vec::new(),
            motion: Motion::default(),
            walk: Motion::default(),
            lines: 0,
            expected: 0,
            clock: 0.0,
            taken: 0.0,
            walked: 0.0,
            zero: Point::ZERO,
            rest,
            holder: None,
        }
    }

    /// The same with nothing in it.
    fn empty(&mut self) {
        let holder = self.holder.take();
        *self = Self { holder, ..Self::with(self.rest) };
    }

    /// True while nobody reaches it.
    pub(super) fn is_deaf(&self) -> bool {
        self.rest.deaf.is_some_and(|until| Instant::now() < until)
    }

    /// Does not know where its head is, as after the power was off.
    pub(super) fn lose_place(&mut self) {
        self.rest.unknown = true;
    }

    /// Lets so many seconds of its own time pass.
    pub(super) fn pass(&mut self, seconds: f64) {
        match self.state {
            State::Running => {
                let gone = (self.motion.seconds() - self.clock).min(seconds / self.rest.drag);
                self.clock += gone;
                self.taken += gone * self.rest.drag;
                if self.clock >= self.motion.seconds() {
                    self.state = State::Done;
                }
            }
            State::Walking => {
                self.walked += seconds;
                if self.walked >= self.walk.seconds() {
                    (self.walked, self.state) = (0.0, State::Ready);
                }
            }
            _ => {}
        }
        let silent = self.rest.heard.elapsed().as_secs_f64();
        if self.state == State::Running && self.rest.watch > 0.0 && silent > self.rest.watch {
            self.alarm(Alarm::Link);
        }
    }

    /// Seconds of its own that pass in a second.
    pub(super) fn speed(&self) -> f64 {
        self.rest.speed
    }

    /// Stops by itself.
    fn alarm(&mut self, alarm: Alarm) {
        self.rest.alarm = Some(alarm);
        if matches!(self.state, State::Running | State::Paused | State::Walking | State::Loading) {
            self.state = State::Fault;
        }
    }

    /// One shop at a time is obeyed; stopping and asking is for everybody.
    fn is_for(&mut self, speaker: &Speaker, word: &str) -> Result<(), String> {
        let Some(shop) = speaker else { return Ok(()) };
        let busy = matches!(self.state, State::Loading | State::Ready | State::Walking | State::Running | State::Paused);
        let held = self.holder.as_ref().filter(|h| h.0 != *shop && (busy || h.1.elapsed() < LETS_GO));
        if let Some((other, _)) = held
            && !matches!(word, "stop" | "status" | "picture")
        {
            return Err(format!("another shop has this machine ({other}); shut that one, or disconnect it there"));
        }
        if held.is_none() {
            self.holder = Some((shop.clone(), Instant::now()));
        }
        Ok(())
    }

    pub(super) fn obey(&mut self, line: &str, speaker: &mut Speaker, machine: &Machine) -> Result<String, String> {
        self.rest.heard = Instant::now();
        let (word, rest) = line.split_once(' ').unwrap_or((line, ""));
        if word == "hold" {
            if rest.is_empty() || rest.len() > 64 || !rest.bytes().all(|b| b.is_ascii_graphic()) {
                return Err("a shop says its name in up to 64 letters".into());
            }
            *speaker = Some(rest.to_owned());
        }
        self.is_for(speaker, word)?;
        match word {
            "hold" => Ok(String::new()),
            "load" => self.load(rest, machine),
            "end" => self.end(machine),
            "start" => self.start(rest),
            "walk" => {
                self.is_free()?;
                self.walked = 0.0;
                self.change(&[State::Ready], State::Walking)
            }
            "pause" => self.change(&[State::Running], State::Paused),
            "resume" => {
                self.is_free()?;
                self.change(&[State::Paused], State::Running)
            }
            "stop" if self.state == State::Walking => self.change(&[State::Walking], State::Ready),
            "stop" => self.change(&[State::Running, State::Paused, State::Ready, State::Loading], State::Stopped),
            "watch" => {
                self.rest.watch = rest.parse().ok().filter(|s| (0.0..=600.0).contains(s)).ok_or("0 to 600 seconds can be watched for")?;
                Ok(rest.to_owned())
            }
            "clear" => self.clear(),
            "zero" => self.zero(),
            "room" => self.befall(rest.parse()?),
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

    /// Fails where nothing may move.
    fn is_free(&self) -> Result<(), String> {
        match (self.rest.alarm, self.rest.door, self.rest.unknown) {
            (Some(alarm), ..) => Err(format!("the alarm {alarm} stands; put right what it is about and clear it")),
            (_, true, _) => Err("the door is open; shut it".into()),
            (_, _, true) => Err("it does not know where its head is; have it find zero".into()),
            _ => Ok(()),
        }
    }

    fn clear(&mut self) -> Result<String, String> {
        if self.rest.door {
            return Err("the door is open still; shut it".into());
        }
        self.rest.alarm = None;
        Ok(String::new())
    }

    fn zero(&mut self) -> Result<String, String> {
        if self.rest.alarm.is_some() || self.rest.door {
            self.is_free()?;
        }
        if matches!(self.state, State::Running | State::Paused | State::Walking) {
            return Err(format!("the machine is {}", self.state));
        }
        self.rest.unknown = false;
        Ok(String::new())
    }

    fn befall(&mut self, fault: Fault) -> Result<String, String> {
        let moves = matches!(self.state, State::Running | State::Paused | State::Walking);
        match fault {
            // The machine holds still as long as the door is open, and goes on when it is told to.
            Fault::Door(open) => {
                self.rest.door = open;
                match (open, self.state) {
                    (true, State::Running) => self.state = State::Paused,
                    (true, State::Walking) => (self.state, self.walked) = (State::Ready, 0.0),
                    _ => {}
                }
                if open && moves {
                    self.rest.alarm = Some(Alarm::Door);
                } else if !open && self.rest.alarm == Some(Alarm::Door) {
                    self.rest.alarm = None;
                }
            }
            Fault::Flame => self.alarm(Alarm::Flame),
            Fault::Limit => {
                self.alarm(Alarm::Limit);
                self.rest.unknown = true;
            }
            Fault::Power => {
                self.empty();
                (self.rest.unknown, self.rest.alarm) = (true, None);
            }
            Fault::Line(seconds) => self.rest.deaf = Some(Instant::now() + std::time::Duration::from_secs_f64(seconds)),
            Fault::Speed(factor) => self.rest.speed = factor,
            Fault::Drag(factor) => self.rest.drag = factor,
        }
        Ok(String::new())
    }

    /// Starts what is held if it is what was asked for.
    fn start(&mut self, rest: &str) -> Result<String, String> {
        let held = self.held.as_ref().filter(|_| self.state != State::Loading).ok_or("no whole program is held")?;
        let which = format!("{} {}", held.run, held.sum);
        let lying = format!("{which} {:.3} {:.3}", self.zero.x, self.zero.y);
        if rest.starts_with(&which) && rest != which && rest != lying {
            return Err(format!("its zero was heard to lie at {:.3}, {:.3} mm", self.zero.x, self.zero.y));
        }
        if rest != which && rest != lying {
            return Err(format!("another program is held: {} of run {}", held.name, held.run));
        }
        self.is_free()?;
        self.change(&[State::Ready], State::Running)
    }

    fn load(&mut self, rest: &str, machine: &Machine) -> Result<String, String> {
        if matches!(self.state, State::Running | State::Paused | State::Walking) {
            return Err(format!("a program is {}", self.state));
        }
        if let Some(alarm) = self.rest.alarm {
            return Err(format!("the alarm {alarm} stands; put right what it is about and clear it"));
        }
        let words: Vec<&str> = rest.split(' ').collect();
        let ([name, lines, sum, run], zero) = match words[..] {
            [name, lines, sum, run] => ([name, lines, sum, run], Point::ZERO),
            [name, lines, sum, run, x, y] => {
                let figure = |v: &str| v.parse::<f64>().ok().filter(|v| v.abs() < 1e6).ok_or("the zero's place is none");
                ([name, lines, sum, run], Point::new(figure(x)?, figure(y)?))
            }
            _ => return Err("load needs a name, a number of lines, a checksum, a run, and may have where its zero lies".into()),
        };
        let expected = lines.parse().ok().filter(|n| (1..=MOST_LINES).contains(n)).ok_or("the number of lines is none")?;
        let run = run.parse().map_err(|_| "the run is no number")?;
        let held = Held { name: name.into(), sum: sum.into(), run };
        self.empty();
        self.state = State::Loading;
        self.zero = zero;
        (self.expected, self.held, self.reader) = (expected, Some(held), Interpreter::new(Dialect::of(machine)));
        Ok(ROOM.to_string())
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
        let zero = self.zero.to_vec2();
        let off_bed = |p: Point| p.x < -0.001 || p.y < -0.001 || p.x > machine.bed_width + 0.001 || p.y > machine.bed_height + 0.001;
        if self.actions.iter().any(|a| matches!(a, Action::Move { path, .. } if off_bed(path.end + zero))) {
            self.state = State::Fault;
            return Err("the program leaves the bed".into());
        }
        (self.motion, self.walk) = (Motion::of(&self.actions, machine), round(&self.actions, machine));
        self.state = State::Ready;
        Ok(format!("{:.3}", self.motion.seconds()))
    }

    pub(super) fn status(&self) -> Status {
        let (motion, clock) = if self.state == State::Walking { (&self.walk, self.walked) } else { (&self.motion, self.clock) };
        let (act, at) = motion.at(clock);
        let (mut beam, mut line) = (false, if self.state == State::Walking { 0 } else { self.expected });
        if let Some(Action::Move { power, line: l, .. } | Action::Wait { power, line: l, .. }) =
            act.filter(|_| self.state != State::Walking).and_then(|i| self.actions.get(i))
        {
            (beam, line) = (*power > 0.0 && self.state == State::Running, *l);
        }
        Status {
            state: self.state,
            x: at.x,
            y: at.y,
            beam,
            line,
            of: self.expected,
            seconds: self.taken,
            total: self.motion.seconds(),
            held: self.held.clone(),
            alarm: self.rest.alarm,
            unknown: self.rest.unknown,
        }
    }
}

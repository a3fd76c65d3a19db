//! A reader of ISO 6983 programs, as a controller understands them: G0 G1 G2 G3 G17 G20 G21 G90 G91 G94, M0, F, I J, and
//! the words of its [`Dialect`]. Small letters are read as capitals, and words that change nothing here (G40, G49, G54, G61, G64, G80)
//! are read over. Anything else is a fault with its line: so is what two controllers would read in two ways.

use super::action::{Action, Oddities, ProgramFault};
use super::line::{Words, each_once};
use super::{Dialect, Meaning, Word};
use crate::geometry::{Point, Segment, Vec2};
use std::f64::consts::TAU;

/// Lines read at most.
const MOST_LINES: usize = 20_000_000;
/// The arc's start and end may differ in radius by this much, mm: rounding of its words.
const ROUND: f64 = 0.005;

/// Places with a wrong height that are kept.
const MOST_TOLD: usize = 200;

#[derive(Clone, Copy, Debug, PartialEq)]
enum Motion {
    Rapid,
    Line,
    Arc { clockwise: bool },
}

/// The state of a controller between lines.
#[derive(Clone, Debug)]
pub struct Interpreter {
    dialect: Dialect,
    at: Point,
    motion: Motion,
    feed: f64,
    power: f64,
    beam: bool,
    absolute: bool,
    /// Centres of arcs are positions, not seen from where the arc begins.
    absolute_centres: bool,
    unit: f64,
    line: usize,
    begun: bool,
    ended: bool,
    /// Tool called, and tool in the holder.
    called: u32,
    tool: u32,
    air: bool,
    /// What the program has said of the machine's state: units, positions, beam off.
    stated: [bool; 3],
    /// Line of the first move before all of that was said.
    unsafe_from: Option<usize>,
    /// The torch's height is held; `None` where the controller has no word for it.
    held: Option<bool>,
    /// Where it should be and is not, or is and should not be.
    wrong_height: Vec<Point>,
    /// What was lit has moved since.
    moved_lit: bool,
    /// It is lit, and has neither moved nor waited since.
    flashing: bool,
    odd: Oddities,
}

impl Default for Interpreter {
    /// It knows the usual words, those for a torch's height among them.
    fn default() -> Self {
        Self::new(Dialect::shipped("plasma").unwrap_or_default())
    }
}

impl Interpreter {
    /// A controller that has just been switched on and knows these words.
    pub fn new(dialect: Dialect) -> Self {
        let held = dialect.word(Meaning::Height).map(|_| false);
        Self {
            dialect,
            at: Point::ZERO,
            motion: Motion::Rapid,
            feed: 0.0,
            power: 0.0,
            beam: false,
            absolute: true,
            absolute_centres: false,
            unit: 1.0,
            line: 0,
            begun: false,
            ended: false,
            called: 0,
            tool: 0,
            air: false,
            stated: [false; 3],
            unsafe_from: None,
            held,
            wrong_height: Vec::new(),
            moved_lit: false,
            flashing: false,
            odd: Oddities::default(),
        }
    }
}

/// Reads a whole program in the usual words.
pub fn interpret(program: &str) -> Result<Vec<Action>, ProgramFault> {
    let mut interpreter = Interpreter::default();
    let mut actions = Vec::new();
    for line in program.lines().take(MOST_LINES) {
        interpreter.line(line, &mut actions)?;
    }
    interpreter.finished()?;
    Ok(actions)
}

impl Interpreter {
    /// Where the head is.
    pub fn position(&self) -> Point {
        self.at
    }
    /// True after M2 or M30.
    pub fn ended(&self) -> bool {
        self.ended
    }

    /// What is still on at the end of the program: beam, air.
    pub fn left_on(&self) -> (bool, bool) {
        (self.beam, self.air)
    }
    /// Where the torch burned without its height being held, or travelled with it held: the first so many, none without a word for it.
    pub fn wrong_height(&self) -> &[Point] {
        &self.wrong_height
    }
    /// What it does that no move and no wait shows.
    pub fn oddities(&self) -> &Oddities {
        &self.odd
    }
    /// Line of the first move that relies on the state in which another program left the machine: units, absolute positions
    /// or the beam off were not said before it.
    pub fn relies_on_before(&self) -> Option<usize> {
        self.unsafe_from
    }

    /// Fails where the program has no end.
    pub fn finished(&self) -> Result<(), ProgramFault> {
        if self.ended { Ok(()) } else { Err(self.fault("the program has no end (M2 or M30); it may be cut off")) }
    }

    /// Takes one line; what it does is added to `actions`.
    pub fn line(&mut self, text: &str, actions: &mut Vec<Action>) -> Result<(), ProgramFault> {
        self.line += 1;
        // What some editors put before everything else.
        let text = if self.line == 1 { text.trim_start_matches('\u{feff}') } else { text };
        if text.trim() == "%" {
            return if !self.begun || self.ended {
                Ok(())
            } else {
                Err(self.fault("“%” in the middle of a program ends it for some controllers"))
            };
        }
        let words = Words::read(text).map_err(|what| self.fault(&what))?;
        let words = words.as_slice();
        if words.is_empty() {
            return Ok(());
        }
        if self.ended {
            return Err(self.fault("there is something after the end of the program"));
        }
        let first = !std::mem::replace(&mut self.begun, true);
        each_once(words, &self.dialect).map_err(|what| self.fault(&what))?;
        let get = |letter: char| words.iter().find(|w| w.0 == letter).map(|w| w.1);
        let (mut wait, mut halts) = (false, false);
        // A tool is called before it is changed to, wherever the words stand in the line.
        if let Some(t) = get('T').filter(|t| *t >= 0.0) {
            self.called = t as u32;
        }
        let was_lit = self.beam && self.power > 0.0;
        let mut moving = ['X', 'Y'].iter().any(|l| get(*l).is_some());
        for (letter, value) in words {
            let code = (value * 10.0).round() as i64;
            match (letter, code) {
                ('X' | 'Y' | 'I' | 'J' | 'R' | 'N', _) => {}
                ('G', 0) => self.motion = Motion::Rapid,
                ('G', 10) => self.motion = Motion::Line,
                ('G', 20) => self.motion = Motion::Arc { clockwise: true },
                ('G', 30) => self.motion = Motion::Arc { clockwise: false },
                ('G', 200) => (self.unit, self.stated[0]) = (25.4, true),
                ('G', 210) => (self.unit, self.stated[0]) = (1.0, true),
                ('G', 900) => (self.absolute, self.stated[1]) = (true, true),
                ('G', 910) => (self.absolute, self.stated[1]) = (false, true),
                ('G', 901) => self.absolute_centres = true,
                ('G', 911) => self.absolute_centres = false,
                ('F', _) if *value > 0.0 => self.feed = value * self.unit,
                (power, _) if *power == self.dialect.power && *value >= 0.0 => self.power = *value,
                ('T', _) if *value >= 0.0 => {}
                // The plane, no compensation, no tool length, the usual zero, the path as it is, no cycle, units a minute.
                ('G', 170 | 400 | 490 | 540 | 610 | 640 | 800 | 940) => {}
                ('M', 0) => halts = true,
                (seconds, _) if *seconds == self.dialect.seconds => {}
                // The head's own height is no place on the sheet; it goes there by itself or not at all.
                ('Z', _) if !moving => {}
                ('O', _) if first && words.len() == 1 => {}
                _ => match self.dialect.means_in(*letter, *value, &get) {
                    Some((word, meaning)) => {
                        self.told(word, meaning);
                        wait |= meaning == Meaning::Wait;
                    }
                    None if self.dialect.is_second(*letter) => {}
                    None => return Err(self.fault(&format!("{letter}{value} is not understood"))),
                },
            }
        }
        if matches!(self.motion, Motion::Arc { .. }) && (get('I').is_some() || get('J').is_some()) {
            moving = true;
        }
        if moving && (wait || halts || self.ended) {
            return Err(self.fault("a move stands in one line with a wait, a halt or the end: controllers do them in different orders"));
        }
        let power = if self.beam { self.power } else { 0.0 };
        self.watch_light(was_lit, power > 0.0);
        // Between two pixels of a row the power is nothing, but the head would go on from a stop within the row.
        if halts && self.beam && self.odd.lit_halts.len() < MOST_TOLD {
            self.odd.lit_halts.push((self.line, self.at));
        }
        if wait {
            let letter = self.dialect.seconds;
            let seconds = get(letter).map(|p| p / self.dialect.wait_in.per_second()).filter(|p| (0.0..=3600.0).contains(p));
            let word = self.dialect.word(Meaning::Wait).map_or_else(String::new, |w| w.to_string());
            let seconds = seconds.ok_or_else(|| self.fault(&format!("{word} needs {letter} with 0 to 3600 seconds")))?;
            self.flashing = false;
            // Before it has moved it waits for the pierce: the voltage then says nothing of the height.
            if power > 0.0
                && seconds > 0.0
                && !self.moved_lit
                && self.tool == 0
                && self.held == Some(true)
                && self.wrong_height.len() < MOST_TOLD
            {
                self.wrong_height.push(self.at);
            }
            actions.push(Action::Wait { seconds, power, line: self.line });
            return Ok(());
        }
        if moving {
            self.watch_height();
            (self.flashing, self.moved_lit) = (false, true);
            let target = self.target(get('X'), get('Y'));
            let center = self.centre(target, (get('I'), get('J'), get('R')))?;
            self.go(target, center, power, actions)?;
        }
        Ok(())
    }

    /// What a word beyond the standard's motion has the controller do.
    fn told(&mut self, word: Word, meaning: Meaning) {
        match meaning {
            Meaning::Light => self.beam = true,
            Meaning::Douse => (self.beam, self.stated[2]) = (false, true),
            Meaning::TakeTool => self.tool = self.called,
            Meaning::Air => self.air = true,
            Meaning::Calm => self.air = false,
            // How high the torch goes is the machine's affair; that it is held while it cuts is the program's.
            Meaning::Height => self.held = self.held.map(|_| true),
            Meaning::Level => self.held = self.held.map(|_| false),
            Meaning::Wait => {}
            Meaning::End => self.ended = true,
        }
        // M4 in the place of M3 is another power at every corner, M7 in that of M8 another air.
        if let Some(written) = self.dialect.word(meaning).filter(|w| *w != word && matches!(meaning, Meaning::Light | Meaning::Air))
            && self.odd.words.len() < MOST_TOLD
        {
            self.odd.words.push((self.line, word, written));
        }
    }

    /// What is lit and put out again without having moved or waited has burned all the same.
    fn watch_light(&mut self, was: bool, lit: bool) {
        if lit && !was {
            (self.flashing, self.moved_lit) = (true, false);
        }
        if !lit && std::mem::take(&mut self.flashing) && self.odd.flashes.len() < MOST_TOLD {
            self.odd.flashes.push((self.line, self.at));
        }
    }

    /// Held while the torch burns, and only then; a tool in the holder is no torch.
    fn watch_height(&mut self) {
        let wrong = self.held.is_some_and(|held| held != (self.beam && self.tool == 0)) && (self.tool == 0 || self.held == Some(true));
        if wrong && self.wrong_height.len() < MOST_TOLD {
            self.wrong_height.push(self.at);
        }
    }

    /// The centre of an arc, seen from where it begins: said by I and J, or by the radius R, which is less than nothing for the
    /// longer way round.
    fn centre(&self, to: Point, (i, j, r): (Option<f64>, Option<f64>, Option<f64>)) -> Result<Vec2, ProgramFault> {
        let Motion::Arc { clockwise } = self.motion else { return Ok(Vec2::ZERO) };
        let Some(r) = r.filter(|_| i.is_none() && j.is_none()).map(|r| r * self.unit) else {
            let said = |v: Option<f64>, now: f64| v.map_or(0.0, |v| v * self.unit - if self.absolute_centres { now } else { 0.0 });
            return Ok(Vec2::new(said(i, self.at.x), said(j, self.at.y)));
        };
        let chord = to - self.at;
        let half = chord.hypot() / 2.0;
        if half < 1e-9 {
            return Err(self.fault("an arc by its radius ends where it begins: its centre cannot be told"));
        }
        let rest = r * r - half * half;
        if rest < -(ROUND * r.abs().max(1.0)) {
            return Err(self.fault(&format!(
                "the arc's radius of {:.4} mm does not reach from its start to its end, {:.4} mm apart",
                r.abs(),
                2.0 * half
            )));
        }
        // To the left of the way for the short arc anticlockwise, and the long one clockwise.
        let left = Vec2::new(-chord.y, chord.x) / (2.0 * half);
        let sense = if (r > 0.0) == clockwise { -1.0 } else { 1.0 };
        Ok(chord / 2.0 + left * (sense * rest.max(0.0).sqrt()))
    }

    fn target(&self, x: Option<f64>, y: Option<f64>) -> Point {
        let along = |v: Option<f64>, now: f64| v.map_or(now, |v| v * self.unit + if self.absolute { 0.0 } else { now });
        Point::new(along(x, self.at.x), along(y, self.at.y))
    }

    fn go(&mut self, to: Point, center: Vec2, power: f64, actions: &mut Vec<Action>) -> Result<(), ProgramFault> {
        let line = self.line;
        if self.stated != [true; 3] {
            self.unsafe_from.get_or_insert(line);
        }
        let (tool, air) = (self.tool, self.air);
        let from = std::mem::replace(&mut self.at, to);
        let feed = if self.motion == Motion::Rapid { None } else { Some(self.feed) };
        if feed == Some(0.0) {
            return Err(self.fault("a feed move comes before any feed F"));
        }
        let mut push = |path: Segment| actions.push(Action::Move { path, feed, power, tool, air, line });
        let Motion::Arc { clockwise } = self.motion else {
            if from.distance(to) > 0.0 {
                push(Segment::line(from, to));
            }
            return Ok(());
        };
        let c = from + center;
        let (r, r_end) = (center.hypot(), to.distance(c));
        if r < 1e-9 || (r - r_end).abs() > ROUND + r * 1e-4 {
            return Err(self.fault(&format!("the arc's centre is {r:.4} mm from its start but {r_end:.4} mm from its end")));
        }
        let (a, b) = ((from - c).atan2(), (to - c).atan2());
        let mut sweep = if clockwise { -((a - b).rem_euclid(TAU)) } else { (b - a).rem_euclid(TAU) };
        if from.distance(to) < 1e-9 || sweep.abs() < 1e-12 {
            sweep = if clockwise { -TAU } else { TAU };
        }
        if sweep.abs() > 1.9 * std::f64::consts::PI {
            let half = Segment::arc(c, r, a, sweep / 2.0);
            push(Segment { start: from, end: half.end, bulge: half.bulge });
            push(Segment { start: half.end, end: to, bulge: half.bulge });
        } else {
            push(Segment { start: from, end: to, bulge: (sweep / 4.0).tan() });
        }
        Ok(())
    }

    fn fault(&self, what: &str) -> ProgramFault {
        ProgramFault { line: self.line, what: what.into() }
    }
}

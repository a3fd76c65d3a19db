//! What a controller burned, read by an interpreter of its own: it knows the few words that the built-in dialects write, and shares
//! nothing with the shop's.

use boustrophe_machine::{State, Status};

/// A place, mm.
pub(super) type Place = (f64, f64);

/// A move with the beam lit.
#[derive(Clone, Copy, Debug)]
pub(super) struct Lit {
    /// Line of the program, from 1.
    pub(super) line: usize,
    from: Place,
    to: Place,
    /// Centre of an arc, and the angle it goes through, anticlockwise positive.
    arc: Option<(Place, f64)>,
}

fn far(a: Place, b: Place) -> f64 {
    (a.0 - b.0).hypot(a.1 - b.1)
}

impl Lit {
    pub(super) fn length(&self) -> f64 {
        self.arc.map_or_else(|| far(self.from, self.to), |(c, turn)| far(self.from, c) * turn.abs())
    }

    pub(super) fn at(&self, share: f64) -> Place {
        match self.arc {
            None => (self.from.0 + (self.to.0 - self.from.0) * share, self.from.1 + (self.to.1 - self.from.1) * share),
            Some((c, turn)) => {
                let (sin, cos) = (turn * share).sin_cos();
                let (x, y) = (self.from.0 - c.0, self.from.1 - c.1);
                (c.0 + x * cos - y * sin, c.1 + x * sin + y * cos)
            }
        }
    }

    /// The share of its way that is nearest to a place, and how far off that is.
    pub(super) fn nearest(&self, p: Place) -> (f64, f64) {
        let along = match self.arc {
            None => {
                let (x, y) = (self.to.0 - self.from.0, self.to.1 - self.from.1);
                ((p.0 - self.from.0) * x + (p.1 - self.from.1) * y) / (x * x + y * y).max(1e-12)
            }
            Some((c, turn)) => {
                let angle = |p: Place| (p.1 - c.1).atan2(p.0 - c.0);
                ((angle(p) - angle(self.from)) * turn.signum()).rem_euclid(std::f64::consts::TAU) / turn.abs()
            }
        };
        let ends = [0.0, 1.0].map(|t| (t, far(self.at(t), p)));
        let within = (0.0..=1.0).contains(&along).then(|| (along, far(self.at(along), p)));
        ends.into_iter().chain(within).min_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or((0.0, f64::MAX))
    }

    /// Its first part.
    fn upto(&self, share: f64) -> Self {
        Self { to: self.at(share), arc: self.arc.map(|(c, turn)| (c, turn * share)), ..*self }
    }
}

/// All moves of a program with the beam lit.
pub(super) fn lit(program: &str) -> Vec<Lit> {
    let (mut at, mut power, mut on, mut motion, mut out) = ((0.0, 0.0), 0.0, false, 0, Vec::new());
    for (i, line) in program.lines().enumerate() {
        let plain = line.split('(').next().unwrap_or("");
        let (mut to, mut centre, mut moves) = (at, None, false);
        for word in plain.split_whitespace() {
            let (letter, figure) = word.split_at(1);
            let figure: f64 = figure.parse().expect("a figure");
            match letter {
                "X" => (to.0, moves) = (figure, true),
                "Y" => (to.1, moves) = (figure, true),
                "I" => centre.get_or_insert(at).0 = at.0 + figure,
                "J" => centre.get_or_insert(at).1 = at.1 + figure,
                "S" => power = figure,
                "M" if figure == 3.0 || figure == 4.0 => on = true,
                "M" if figure == 5.0 || figure == 2.0 => on = false,
                "G" if figure <= 3.0 => motion = figure as u8,
                _ => {}
            }
        }
        if !moves {
            continue;
        }
        let arc = centre.filter(|_| motion >= 2).map(|c| {
            let angle = |p: Place| (p.1 - c.1).atan2(p.0 - c.0);
            let turn = angle(to) - angle(at);
            let whole = std::f64::consts::TAU;
            let (left, right) = (turn.rem_euclid(whole), -(-turn).rem_euclid(whole));
            (
                c,
                if motion == 3 {
                    if left < 1e-9 { whole } else { left }
                } else if right > -1e-9 {
                    -whole
                } else {
                    right
                },
            )
        });
        if on && power > 0.0 && motion > 0 {
            out.push(Lit { line: i + 1, from: at, to, arc });
        }
        at = to;
    }
    out
}

/// What one held program did.
#[derive(Clone, Debug)]
pub(super) struct Held {
    pub(super) run: i32,
    pub(super) sum: String,
    /// How far it came, as the controller last said while it held it; none while it was not started.
    pub(super) reached: Option<Status>,
    pub(super) done: bool,
}

impl Held {
    /// What it burned.
    pub(super) fn burned(&self, program: &str) -> Vec<Lit> {
        let Some(status) = &self.reached else { return Vec::new() };
        let all = lit(program);
        if self.done {
            return all;
        }
        let share = |m: &Lit| match m.line.cmp(&status.line) {
            std::cmp::Ordering::Less => 1.0,
            std::cmp::Ordering::Equal => m.nearest((status.x, status.y)).0,
            std::cmp::Ordering::Greater => 0.0,
        };
        all.iter().map(|m| m.upto(share(m))).filter(|m| m.length() > 1e-6).collect()
    }
}

/// What a controller held, in the order in which it was given it.
#[derive(Default)]
pub(super) struct Record {
    pub(super) held: Vec<Held>,
    last: Option<State>,
}

impl Record {
    /// Takes in what is seen; gives what is news of it.
    pub(super) fn saw(&mut self, status: &Status) -> Option<String> {
        if let Some(h) = &status.held {
            let same = self.held.last().is_some_and(|l| l.run == h.run && l.sum == h.sum && !(l.done && status.state == State::Loading));
            let anew = same && status.state == State::Loading && self.held.last().is_some_and(|l| l.reached.is_some());
            if !same || anew {
                self.held.push(Held { run: h.run, sum: h.sum.clone(), reached: None, done: false });
            }
            let burns = matches!(status.state, State::Running | State::Paused | State::Stopped | State::Fault | State::Done);
            if let Some(held) = self.held.last_mut()
                && burns
                && (held.reached.is_some() || matches!(status.state, State::Running | State::Paused | State::Done))
            {
                held.done |= status.state == State::Done;
                held.reached = Some(status.clone());
            }
        }
        if self.last == Some(status.state) {
            return None;
        }
        self.last = Some(status.state);
        let held = status.held.as_ref().map_or_else(String::new, |h| format!(" run {}", h.run));
        Some(format!("is {}{held} at line {}", status.state, status.line))
    }
}

//! A controller of the tests' own: it reads a program's words as ISO 6983 has them, and shares nothing with what writes programs,
//! reads them back or proves them.

use boustrophe_core::geometry::{Point, Vec2};
use std::f64::consts::TAU;

/// A straight move, or one round a centre.
#[derive(Clone, Copy, Debug)]
pub struct Move {
    pub from: Point,
    pub to: Point,
    round: Option<Round>,
    /// The beam or the torch is lit.
    pub lit: bool,
}

#[derive(Clone, Copy, Debug)]
struct Round {
    centre: Point,
    radius: f64,
    /// Angle of the begin, and how far it goes from there, radians, counterclockwise.
    begin: f64,
    sweep: f64,
}

impl Move {
    /// A straight one, unlit.
    pub fn straight(from: Point, to: Point) -> Self {
        Self { from, to, round: None, lit: false }
    }

    pub fn length(&self) -> f64 {
        self.round.map_or(self.from.distance(self.to), |r| r.radius * r.sweep.abs())
    }

    /// The place after this share of the move.
    pub fn at(&self, share: f64) -> Point {
        match self.round {
            None => self.from.lerp(self.to, share),
            Some(r) => {
                let angle = r.begin + r.sweep * share;
                r.centre + Vec2::new(angle.cos(), angle.sin()) * r.radius
            }
        }
    }

    /// Places along it, no further apart than this, without its end.
    pub fn spread(self, step: f64) -> impl Iterator<Item = Point> {
        let n = (self.length() / step).ceil().max(1.0) as usize;
        (0..n).map(move |i| self.at(i as f64 / n as f64))
    }

    /// How far a place is from it, mm.
    pub fn off(&self, p: Point) -> f64 {
        let ends = self.from.distance(p).min(self.to.distance(p));
        let Some(r) = self.round else {
            let way = self.to - self.from;
            let t = (p - self.from).dot(way) / way.dot(way).max(1e-12);
            return if (0.0..=1.0).contains(&t) { (self.from + way * t).distance(p) } else { ends };
        };
        let ray = p - r.centre;
        let behind = ((ray.y.atan2(ray.x) - r.begin) * r.sweep.signum()).rem_euclid(TAU);
        if behind <= r.sweep.abs() { (ray.hypot() - r.radius).abs().min(ends) } else { ends }
    }

    /// False where it is certainly further from a place than that: a cheap look before [`Move::off`].
    pub fn near(&self, p: Point, by: f64) -> bool {
        let (a, b) = (self.from, self.to);
        let by = by + self.round.map_or(0.0, |r| 2.0 * r.radius);
        p.x > a.x.min(b.x) - by && p.x < a.x.max(b.x) + by && p.y > a.y.min(b.y) - by && p.y < a.y.max(b.y) + by
    }
}

/// The words of a line: a letter and its figure each; what stands in brackets is for people.
fn words(line: &str) -> Vec<(char, f64)> {
    let mut plain = String::new();
    let mut depth = 0;
    for c in line.chars() {
        match c {
            '(' => depth += 1,
            ')' => depth -= 1,
            ';' if depth == 0 => break,
            _ if depth == 0 && !c.is_whitespace() => plain.push(c),
            _ => {}
        }
    }
    let mut out: Vec<(char, String)> = Vec::new();
    for c in plain.chars() {
        if c.is_ascii_alphabetic() {
            out.push((c.to_ascii_uppercase(), String::new()));
        } else {
            out.last_mut().unwrap_or_else(|| panic!("a figure without a letter: {line}")).1.push(c);
        }
    }
    out.into_iter().map(|(l, f)| (l, f.parse().unwrap_or_else(|_| panic!("{l}{f} in “{line}”")))).collect()
}

/// All moves of a program, in mm from the sheet's corner: G20/G21, G90/G91, G0 to G3 with relative centres, M3/M4/M5 and S.
pub fn moves(program: &str) -> Vec<Move> {
    let (mut at, mut unit, mut motion, mut relative) = (Point::ZERO, 1.0, 0, false);
    let (mut on, mut power) = (false, 0.0);
    let mut out = Vec::new();
    for line in program.lines() {
        let words = words(line);
        let mut waits = false;
        for (letter, figure) in &words {
            match (letter, (figure * 10.0).round() as i64) {
                ('G', 0) => motion = 0,
                ('G', 10) => motion = 1,
                ('G', 20) => motion = 2,
                ('G', 30) => motion = 3,
                ('G', 40) => waits = true,
                ('G', 200) => unit = 25.4,
                ('G', 210) => unit = 1.0,
                ('G', 900) => relative = false,
                ('G', 910) => relative = true,
                ('M', 30 | 40) => on = true,
                ('M', 50 | 20 | 300) => on = false,
                ('S', _) => power = *figure,
                _ => {}
            }
        }
        let word = |l: char| words.iter().find(|w| w.0 == l).map(|w| w.1 * unit);
        if waits || (word('X').is_none() && word('Y').is_none()) {
            continue;
        }
        let to = if relative {
            at + Vec2::new(word('X').unwrap_or(0.0), word('Y').unwrap_or(0.0))
        } else {
            Point::new(word('X').unwrap_or(at.x), word('Y').unwrap_or(at.y))
        };
        let round = (motion > 1).then(|| {
            let centre = at + Vec2::new(word('I').unwrap_or(0.0), word('J').unwrap_or(0.0));
            let (a, b) = (at - centre, to - centre);
            let turn = if motion == 3 { 1.0 } else { -1.0 };
            let swept = ((b.y.atan2(b.x) - a.y.atan2(a.x)) * turn).rem_euclid(TAU);
            // Back where it began it goes all the way round.
            let swept = if at.distance(to) < 1e-6 { TAU } else { swept };
            Round { centre, radius: a.hypot(), begin: a.y.atan2(a.x), sweep: swept * turn }
        });
        out.push(Move { from: at, to, round, lit: motion > 0 && on && power > 0.0 });
        at = to;
    }
    out
}

//! Words of a program, and what a controller has them for.

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::fmt;
use std::str::FromStr;

/// A word of a program: `M3`, `G4`, or with one that belongs to it in the same line: `M62 P1`. Numbers are told apart to a tenth
/// (`G91.1`).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Word {
    pub(super) letter: char,
    pub(super) tenths: i64,
    /// The word that has to stand beside it.
    pub(super) with: Option<(char, i64)>,
}

impl Word {
    /// The word of a letter and a number.
    pub fn new(letter: char, number: f64) -> Self {
        Self { letter, tenths: (number * 10.0).round() as i64, with: None }
    }
    /// The same with another beside it.
    pub fn beside(self, letter: char, number: f64) -> Self {
        Self { with: Some((letter, (number * 10.0).round() as i64)), ..self }
    }
    /// The letter that belongs to it.
    pub fn second(&self) -> Option<char> {
        self.with.map(|w| w.0)
    }
    /// True for a line in which its letter has this number, and the other letters what `get` says.
    pub(super) fn stands(&self, letter: char, number: f64, get: &dyn Fn(char) -> Option<f64>) -> bool {
        let tenths = |v: f64| (v * 10.0).round() as i64;
        let beside = self.with.is_none_or(|(l, t)| get(l).is_some_and(|v| tenths(v) == t));
        self.letter == letter && self.tenths == tenths(number) && beside
    }
    const fn m(number: i64) -> Self {
        Self { letter: 'M', tenths: number * 10, with: None }
    }
    const fn g(number: i64) -> Self {
        Self { letter: 'G', tenths: number * 10, with: None }
    }
}

impl fmt::Display for Word {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut part = |letter: char, tenths: i64| match (tenths / 10, tenths % 10) {
            (whole, 0) => write!(f, "{letter}{whole}"),
            (whole, tenth) => write!(f, "{letter}{whole}.{tenth}"),
        };
        part(self.letter, self.tenths)?;
        let Some((letter, tenths)) = self.with else { return Ok(()) };
        write!(f, " ")?;
        match (tenths / 10, tenths % 10) {
            (whole, 0) => write!(f, "{letter}{whole}"),
            (whole, tenth) => write!(f, "{letter}{whole}.{tenth}"),
        }
    }
}

impl FromStr for Word {
    type Err = String;
    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || format!("“{text}” is no word of a program; a word is a capital letter and a number, as M8");
        let part = |text: &str| {
            let letter = text.chars().next().filter(char::is_ascii_uppercase)?;
            let number: f64 = text[1..].parse().ok()?;
            (0.0..1000.0).contains(&number).then_some((letter, number))
        };
        let mut parts = text.split_whitespace().map(part);
        match (parts.next().flatten(), parts.next(), parts.next()) {
            (Some((letter, number)), None, _) if !text.contains(' ') => Ok(Self::new(letter, number)),
            (Some((letter, number)), Some(Some((l, n))), None) => Ok(Self::new(letter, number).beside(l, n)),
            _ => Err(wrong()),
        }
    }
}

impl Serialize for Word {
    fn serialize<S: Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Word {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        String::deserialize(d)?.parse().map_err(serde::de::Error::custom)
    }
}

/// What a word is there for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Meaning {
    /// The beam or torch is lit.
    Light,
    /// The beam or torch is put out.
    Douse,
    /// The assist air is switched on.
    Air,
    /// The assist air is switched off.
    Calm,
    /// The torch's height is held from here on.
    Height,
    /// The torch's height is left as it is.
    Level,
    /// The tool that was called is taken.
    TakeTool,
    /// The head waits.
    Wait,
    /// The program ends.
    End,
}

impl Meaning {
    /// Words of one group exclude each other in a line.
    pub(super) fn group(self) -> u32 {
        match self {
            Self::Light | Self::Douse => 0,
            Self::Air | Self::Calm => 1,
            Self::Height | Self::Level => 2,
            Self::TakeTool => 3,
            Self::Wait => 4,
            Self::End => 5,
        }
    }
}

/// A controller's words. Of several with one meaning the first is written; all are understood. Default: the usual ones.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, rename_all = "kebab-case", deny_unknown_fields)]
pub struct Words {
    /// The beam or torch is lit. Default M3, M4.
    pub light: Vec<Word>,
    /// It is put out. Default M5.
    pub douse: Vec<Word>,
    /// The assist air is switched on. Default M8, M7.
    pub air_on: Vec<Word>,
    /// It is switched off. Default M9.
    pub air_off: Vec<Word>,
    /// The torch's height is held, said behind every pierce. Default none.
    pub height_on: Vec<Word>,
    /// It is left as it is, said before the torch is put out. Default none.
    pub height_off: Vec<Word>,
    /// The tool that was called by T is taken. Default M6.
    pub take_tool: Vec<Word>,
    /// The head waits. Default G4.
    pub wait: Vec<Word>,
    /// The program ends. Default M2, M30.
    pub end: Vec<Word>,
}

impl Default for Words {
    fn default() -> Self {
        Self {
            light: vec![Word::m(3), Word::m(4)],
            douse: vec![Word::m(5)],
            air_on: vec![Word::m(8), Word::m(7)],
            air_off: vec![Word::m(9)],
            height_on: Vec::new(),
            height_off: Vec::new(),
            take_tool: vec![Word::m(6)],
            wait: vec![Word::g(4)],
            end: vec![Word::m(2), Word::m(30)],
        }
    }
}

impl Words {
    pub(super) fn of(&self, meaning: Meaning) -> &[Word] {
        match meaning {
            Meaning::Light => &self.light,
            Meaning::Douse => &self.douse,
            Meaning::Air => &self.air_on,
            Meaning::Calm => &self.air_off,
            Meaning::Height => &self.height_on,
            Meaning::Level => &self.height_off,
            Meaning::TakeTool => &self.take_tool,
            Meaning::Wait => &self.wait,
            Meaning::End => &self.end,
        }
    }
}

/// What words mean to every controller that has them: none of them can stand for anything else.
pub(super) const EVERYWHERE: [(Word, Meaning); 10] = [
    (Word::m(3), Meaning::Light),
    (Word::m(4), Meaning::Light),
    (Word::m(5), Meaning::Douse),
    (Word::m(7), Meaning::Air),
    (Word::m(8), Meaning::Air),
    (Word::m(9), Meaning::Calm),
    (Word::m(6), Meaning::TakeTool),
    (Word::g(4), Meaning::Wait),
    (Word::m(2), Meaning::End),
    (Word::m(30), Meaning::End),
];

pub(super) const MEANINGS: [Meaning; 9] = [
    Meaning::Light,
    Meaning::Douse,
    Meaning::Air,
    Meaning::Calm,
    Meaning::Height,
    Meaning::Level,
    Meaning::TakeTool,
    Meaning::Wait,
    Meaning::End,
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_read_as_they_are_written() {
        for text in ["M3", "G91.1", "G4", "M30", "M62 P1", "M68 Q0.5"] {
            assert_eq!(text.parse::<Word>().map(|w| w.to_string()), Ok(text.into()));
        }
        for text in ["M62 P", "M62 P1 Q2", "M62 p1", "", "m3", "M", "M-1", "Mx", "8", "M1e9", "Ü3"] {
            assert!(text.parse::<Word>().is_err(), "{text}");
        }
    }
}

//! Dialects: which words a controller has for what the standard leaves to it.
//!
//! Motion (G0 to G3), units, positions and coordinates are ISO 6983's own and the same everywhere. Who writes a program and
//! who reads it back get the same value, and nothing else in common.

use crate::shop::Machine;
use std::fmt;
use std::str::FromStr;

/// A word of a program: `M3`, `G4`. Numbers are told apart to a tenth (`G91.1`).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Word {
    letter: char,
    tenths: i64,
}

impl Word {
    /// The word of a letter and a number.
    pub fn new(letter: char, number: f64) -> Self {
        Self { letter, tenths: (number * 10.0).round() as i64 }
    }
}

impl fmt::Display for Word {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (whole, tenth) = (self.tenths / 10, self.tenths % 10);
        if tenth == 0 { write!(f, "{}{whole}", self.letter) } else { write!(f, "{}{whole}.{tenth}", self.letter) }
    }
}

impl FromStr for Word {
    type Err = String;
    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || format!("“{text}” is no word of a program; a word is a capital letter and a number, as M8");
        let letter = text.chars().next().filter(char::is_ascii_uppercase).ok_or_else(wrong)?;
        let number: f64 = text[1..].parse().map_err(|_| wrong())?;
        if (0.0..1000.0).contains(&number) { Ok(Self::new(letter, number)) } else { Err(wrong()) }
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
    /// The tool that was called is taken.
    TakeTool,
    /// The head waits.
    Wait,
    /// The program ends.
    End,
}

/// A controller's words. Of several with one meaning the first is written; all are understood.
///
/// ```
/// use boustrophe_core::release::{Dialect, Meaning, Word};
/// let words = Dialect::default();
/// assert_eq!(words.means(Word::new('M', 4.0)), Some(Meaning::Light));
/// assert_eq!(words.word(Meaning::Light), Some(Word::new('M', 3.0)));
/// ```
#[derive(Clone, Debug, PartialEq)]
pub struct Dialect {
    /// Words and what they are there for.
    pub words: Vec<(Word, Meaning)>,
    /// Line that says units (mm), positions (absolute), plane and feed (mm/min) before the first move. Default `G21 G90 G17 G94`.
    pub opening: String,
    /// Letter of the power, in the machine's own units. Default `S`.
    pub power: char,
    /// Letter of the seconds to wait. Default `P`.
    pub seconds: char,
    /// It understands G2 and G3; else arcs are sent as lines. Default true.
    pub arcs: bool,
    /// Greatest distance of such a line from its arc, mm. Default 0.005.
    pub chord: f64,
}

impl Default for Dialect {
    fn default() -> Self {
        use Meaning::{Air, Calm, Douse, End, Light, TakeTool, Wait};
        let m = |number: i64, meaning| (Word { letter: 'M', tenths: number * 10 }, meaning);
        Self {
            words: vec![
                m(3, Light),
                m(4, Light),
                m(5, Douse),
                m(8, Air),
                m(7, Air),
                m(9, Calm),
                m(6, TakeTool),
                (Word { letter: 'G', tenths: 40 }, Wait),
                m(2, End),
                m(30, End),
            ],
            opening: "G21 G90 G17 G94".into(),
            power: 'S',
            seconds: 'P',
            arcs: true,
            chord: 0.005,
        }
    }
}

impl Dialect {
    /// What a machine of the shop understands.
    pub fn of(machine: &Machine) -> Self {
        let mut dialect = Self { arcs: machine.arcs, ..Self::default() };
        // The machine's own words go before the usual ones. What the shop's book has was looked at when it was put there.
        for (text, meaning) in [(&machine.air.0, Meaning::Air), (&machine.air.1, Meaning::Calm)] {
            if let Ok(word) = text.parse() {
                dialect.words.insert(0, (word, meaning));
            }
        }
        dialect
    }

    /// The word that is written for a meaning; none where the controller has none.
    pub fn word(&self, meaning: Meaning) -> Option<Word> {
        self.words.iter().find(|w| w.1 == meaning).map(|w| w.0)
    }

    /// What a word means to the controller, beyond what the standard says.
    pub fn means(&self, word: Word) -> Option<Meaning> {
        self.words.iter().find(|w| w.0 == word).map(|w| w.1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shop::Shop;

    #[test]
    fn words_read_as_they_are_written() {
        for text in ["M3", "G91.1", "G4", "M30"] {
            assert_eq!(text.parse::<Word>().map(|w| w.to_string()), Ok(text.into()));
        }
        for text in ["", "m3", "M", "M-1", "Mx", "8", "M1e9", "Ü3"] {
            assert!(text.parse::<Word>().is_err(), "{text}");
        }
    }

    #[test]
    fn a_machine_s_own_words_are_written_and_the_usual_ones_still_understood() {
        let mut machine = Shop::builtin().machines[0].clone();
        machine.air = ("M7".into(), "M9".into());
        let dialect = Dialect::of(&machine);
        assert_eq!(dialect.word(Meaning::Air), "M7".parse().ok());
        assert_eq!(dialect.means(Word::new('M', 8.0)), Some(Meaning::Air));
        assert_eq!(dialect.means(Word::new('M', 77.0)), None);
    }
}

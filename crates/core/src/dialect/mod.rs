//! Dialects: how a controller is spoken to, beyond what the standard says.
//!
//! Motion (G0 to G3), positions and coordinates are ISO 6983's own and the same everywhere. Who writes a program and who reads it
//! back get the same value, and nothing else in common: the [`Interpreter`] knows nothing of the writer, it reads a program's text as
//! a controller would. A dialect is a TOML file (docs/dialects.md); three come with the
//! application, every machine of the shop has its own.

mod action;
mod interpret;
mod line;
mod words;

pub use action::{Action, Oddities, ProgramFault};
pub use interpret::{Interpreter, interpret};
pub use line::without_comments;
pub use words::{Meaning, Word, Words};

use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;
use words::{EVERYWHERE, MEANINGS};

/// Where a power is said.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PowerIn {
    /// In a line of its own, where it changes.
    #[default]
    Line,
    /// In every move that is not a rapid.
    Move,
}

/// Unit of a program's lengths.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ProgramUnit {
    /// Millimetres, G21.
    #[default]
    Mm,
    /// Inches, G20.
    Inch,
}

impl ProgramUnit {
    /// Millimetres in one.
    pub fn mm(self) -> f64 {
        match self {
            Self::Mm => 1.0,
            Self::Inch => 25.4,
        }
    }
}

/// Unit of a time to wait.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum WaitUnit {
    /// Seconds.
    #[default]
    S,
    /// Thousandths of a second.
    Ms,
}

impl WaitUnit {
    /// So many of it are a second.
    pub fn per_second(self) -> f64 {
        match self {
            Self::S => 1.0,
            Self::Ms => 1000.0,
        }
    }
}

/// How remarks are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Remarks {
    /// `(remark)`.
    #[default]
    Brackets,
    /// `; remark`.
    Semicolon,
    /// None are.
    None,
}

/// How a controller is spoken to.
///
/// ```
/// use boustrophe_core::release::{Dialect, Meaning, Word};
/// let dialect: Dialect = "name = \"ours\"\n[words]\nlight = [\"M4\"]".parse()?;
/// assert_eq!(dialect.means(Word::new('M', 4.0)), Some(Meaning::Light));
/// assert_eq!(dialect.word(Meaning::Douse), Some(Word::new('M', 5.0)));
/// # Ok::<(), String>(())
/// ```
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, rename_all = "kebab-case", deny_unknown_fields)]
pub struct Dialect {
    /// What the shop calls it.
    pub name: String,
    /// Letter of the power, in the machine's own units. Default `S`.
    pub power: char,
    /// Where the power is said. Default in a line of its own.
    pub power_in: PowerIn,
    /// Letter of the time to wait. Default `P`.
    pub seconds: char,
    /// Unit of that time. Default s.
    pub wait_in: WaitUnit,
    /// It understands G2 and G3; else arcs are sent as lines. Default true.
    pub arcs: bool,
    /// Greatest distance of such a line from its arc, mm. Default 0.005.
    pub chord: f64,
    /// Unit of lengths. Default mm.
    pub unit: ProgramUnit,
    /// Digits behind the point, 3 to 6. Default 4.
    pub decimals: u8,
    /// Lines are numbered in these steps; 0 for not at all. Default 0.
    pub numbers: u32,
    /// How remarks are written. Default in brackets.
    pub remarks: Remarks,
    /// Lines before everything else, as they are. The writer itself says units, absolute positions, plane and feed after them.
    pub header: Vec<String>,
    /// Lines before the end word, as they are.
    pub footer: Vec<String>,
    /// Words and what they are there for.
    pub words: Words,
}

impl Default for Dialect {
    fn default() -> Self {
        Self {
            name: "usual".into(),
            power: 'S',
            power_in: PowerIn::Line,
            seconds: 'P',
            wait_in: WaitUnit::S,
            arcs: true,
            chord: 0.005,
            unit: ProgramUnit::Mm,
            decimals: 4,
            numbers: 0,
            remarks: Remarks::Brackets,
            header: Vec::new(),
            footer: Vec::new(),
            words: Words::default(),
        }
    }
}

/// Lines of a header or footer, at most, and letters of each.
const MOST_LINES: usize = 40;
const LONGEST_LINE: usize = 120;

impl FromStr for Dialect {
    type Err = String;
    /// Reads a dialect's file. What is wrong is said with its line.
    fn from_str(text: &str) -> Result<Self, String> {
        let dialect: Self = toml::from_str(text).map_err(|e| {
            let line = e.span().map_or(1, |s| text.get(..s.start).map_or(1, |t| t.matches('\n').count() + 1));
            format!("line {line}: {}", e.message())
        })?;
        dialect.checked()
    }
}

impl fmt::Display for Dialect {
    /// As a file.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&toml::to_string(self).map_err(|_| fmt::Error)?)
    }
}

impl Dialect {
    /// The dialects that come with the application, by name.
    pub const SHIPPED: [(&'static str, &'static str); 3] = [
        ("laser", include_str!("../../dialects/laser.toml")),
        ("plasma", include_str!("../../dialects/plasma.toml")),
        ("chords", include_str!("../../dialects/chords.toml")),
    ];

    /// One of those that come with the application.
    pub fn shipped(name: &str) -> Option<Self> {
        Self::SHIPPED.iter().find(|s| s.0 == name).and_then(|s| s.1.parse().ok())
    }

    /// The word that is written for a meaning; none where the controller has none.
    pub fn word(&self, meaning: Meaning) -> Option<Word> {
        self.words.of(meaning).first().copied()
    }

    /// What a word means to the controller, beyond what the standard says.
    pub fn means(&self, word: Word) -> Option<Meaning> {
        MEANINGS.into_iter().find(|m| self.words.of(*m).contains(&word))
    }

    /// What a letter with its number means in a line whose other letters have the numbers that `get` tells; and the word that it is.
    pub fn means_in(&self, letter: char, number: f64, get: &dyn Fn(char) -> Option<f64>) -> Option<(Word, Meaning)> {
        let found = |m: &Meaning| self.words.of(*m).iter().find(|w| w.stands(letter, number, get)).map(|w| (*w, *m));
        MEANINGS.iter().find_map(found)
    }

    /// True for a letter that belongs to one of its words.
    pub fn is_second(&self, letter: char) -> bool {
        MEANINGS.iter().any(|m| self.words.of(*m).iter().any(|w| w.second() == Some(letter)))
    }

    /// The line that says units, absolute positions, plane and feed in units a minute.
    pub fn opening(&self) -> &'static str {
        match self.unit {
            ProgramUnit::Mm => "G21 G90 G17 G40 G91.1 G94",
            ProgramUnit::Inch => "G20 G90 G17 G40 G91.1 G94",
        }
    }

    /// Itself, where it can be written and read back.
    fn checked(self) -> Result<Self, String> {
        if self.name.trim().is_empty() || self.name.len() > 60 {
            return Err("name: a dialect has a name of 1 to 60 letters".into());
        }
        let taken = ['G', 'M', 'X', 'Y', 'I', 'J', 'R', 'F', 'N', 'T'];
        for (what, letter) in [("power", self.power), ("seconds", self.seconds)] {
            if !letter.is_ascii_uppercase() || taken.contains(&letter) {
                return Err(format!("{what}: “{letter}” will not do; it is a capital letter that no other word has"));
            }
        }
        if self.power == self.seconds {
            return Err(format!("power, seconds: both are {}; the controller could not tell them apart", self.power));
        }
        if !(3..=6).contains(&self.decimals) {
            return Err(format!("decimals: {} will not do; use 3 to 6", self.decimals));
        }
        if self.unit == ProgramUnit::Inch && self.decimals < 5 {
            return Err(format!("decimals: {} of an inch are too coarse; use 5 or 6", self.decimals));
        }
        if !(self.chord.is_finite() && (0.0005..=0.5).contains(&self.chord)) {
            return Err(format!("chord: {} mm will not do; use 0.0005 to 0.5", self.chord));
        }
        if self.numbers > 1000 {
            return Err(format!("numbers: steps of {} will not do; use 0 to 1000", self.numbers));
        }
        for meaning in MEANINGS {
            let other = |w: &&Word| EVERYWHERE.iter().any(|(known, m)| known == *w && *m != meaning);
            if let Some(word) = self.words.of(meaning).iter().find(other) {
                return Err(format!(
                    "words: {word} means something else to every controller that has it; what it stands for here would not be done"
                ));
            }
        }
        for (i, meaning) in MEANINGS.into_iter().enumerate() {
            let twice = MEANINGS[..i].iter().flat_map(|m| self.words.of(*m)).find(|w| self.words.of(meaning).contains(w));
            if let Some(word) = twice {
                return Err(format!("words: {word} stands for two things"));
            }
        }
        let standard = |w: &Word| w.letter == 'G' && matches!(w.tenths, 0 | 10 | 20 | 30 | 170 | 200 | 210 | 900 | 901 | 910 | 911 | 940);
        if let Some(word) = MEANINGS.into_iter().flat_map(|m| self.words.of(m)).find(|w| standard(w)) {
            return Err(format!("words: {word} is the standard's own"));
        }
        for (what, meaning) in [("light", Meaning::Light), ("douse", Meaning::Douse), ("wait", Meaning::Wait), ("end", Meaning::End)] {
            if self.words.of(meaning).is_empty() {
                return Err(format!("words: there is none for {what}; without it nothing can be cut safely"));
            }
        }
        for line in self.header.iter().chain(&self.footer) {
            if line.len() > LONGEST_LINE || !line.chars().all(|c| c.is_ascii_graphic() || c == ' ') {
                return Err(format!(
                    "header, footer: “{}” will not do; a line is plain letters, {LONGEST_LINE} at most",
                    line.escape_default()
                ));
            }
        }
        if self.header.len() + self.footer.len() > MOST_LINES {
            return Err(format!("header, footer: {MOST_LINES} lines at most"));
        }
        self.harmless()?;
        Ok(self)
    }

    /// Header and footer have to be understood when they are read back, and to do nothing: what they did would be no part of the
    /// work. Behind the header an arc is still what the writer means by it.
    fn harmless(&self) -> Result<(), String> {
        let mut reader = Interpreter::new(self.clone());
        let mut actions = Vec::new();
        for line in self.header.iter().chain(&self.footer) {
            reader.line(line, &mut actions).map_err(|e| format!("header, footer: “{line}”: {}", e.what))?;
        }
        if !actions.is_empty() || reader.left_on() != (false, false) || reader.ended() {
            return Err("header, footer: they may neither move nor wait nor light anything, nor end the program".into());
        }
        let mut reader = Interpreter::new(self.clone());
        let probe = [self.opening(), "G0 X10 Y10", "G3 X20 Y10 I5 J0 F100"];
        let lines = self.header.iter().map(String::as_str).chain(probe);
        let same = lines.map(|l| reader.line(l, &mut actions)).all(|read| read.is_ok());
        if same { Ok(()) } else { Err("header: behind it arcs would mean something else (G90.1?)".into()) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shop::{Machine, Shop};

    #[test]
    fn a_machine_s_own_words_are_written_and_the_usual_ones_still_understood() {
        // As earlier versions stored it, beside the dialect.
        let mut stored = serde_json::to_value(&Shop::builtin().machines[0]).expect("written");
        assert!(stored.get("air").is_none(), "the air's words are in one place");
        stored["air"] = serde_json::json!(["M7", "M9"]);
        let machine: Machine = serde_json::from_value(stored).expect("read");
        let dialect = Dialect::of(&machine.modern());
        assert_eq!(dialect.word(Meaning::Air), "M7".parse().ok());
        assert_eq!(dialect.means(Word::new('M', 8.0)), Some(Meaning::Air));
        assert_eq!(dialect.means(Word::new('M', 777.0)), None);
    }

    #[test]
    fn shipped_dialects_read_and_are_written_as_they_read() {
        for (name, text) in Dialect::SHIPPED {
            let dialect: Dialect = text.parse().unwrap_or_else(|e| panic!("{name}: {e}"));
            assert_eq!(dialect.to_string().parse::<Dialect>(), Ok(dialect.clone()), "{name}");
            assert_eq!(Dialect::shipped(name), Some(dialect));
        }
        assert_eq!(Dialect::shipped("none"), None);
    }

    /// Words that other controllers want can be said, and are read back.
    #[test]
    fn words_of_many_controllers_can_be_said() {
        let text = "name = \"a\"\nwait-in = \"ms\"\nheader = [\"O1001\", \"G54 G64\", \"G0 Z5\"]\nfooter = [\"G0 Z20\"]\n[words]\nair-on = [\"M62 P1\"]\nair-off = [\"M63 P1\"]";
        let machine = Machine { dialect: text.parse().expect("it reads"), ..Shop::builtin().machines[0].clone() };
        let program = crate::release::sample(&machine);
        assert!(program.contains("M62 P1") && program.contains("G4 P500") && program.starts_with("O1001"), "{program}");
        let mut reader = Interpreter::new(Dialect::of(&machine));
        let mut actions = Vec::new();
        program.lines().for_each(|l| reader.line(l, &mut actions).expect("it is read back"));
        let waits: f64 = actions.iter().map(|a| if let Action::Wait { seconds, .. } = a { *seconds } else { 0.0 }).sum();
        let air = |a: &Action| matches!(a, Action::Move { air: true, .. });
        assert!(waits > 0.4 && waits < 5.0 && actions.iter().any(air), "{waits}");
    }

    #[test]
    fn what_will_not_do_is_said_with_its_line() {
        for (text, says) in [
            ("name = \"a\"\npower = \"X\"", "capital letter"),
            ("name = \"a\"\npower = \"P\"", "both are P"),
            ("name = \"\"", "has a name"),
            ("name = \"a\"\ndecimals = 9", "use 3 to 6"),
            ("name = \"a\"\nunit = \"inch\"", "too coarse"),
            ("name = \"a\"\n[words]\nlight = [\"M12\"]\ndouse = [\"M12\"]", "stands for two"),
            ("name = \"a\"\n[words]\nlight = [\"M5\"]\ndouse = [\"M3\"]", "something else to every controller"),
            ("name = \"a\"\nheader = [\"G0 Z5 X3\"]", "not understood"),
            ("name = \"a\"\nheader = [\"G55\"]", "G55"),
            ("name = \"a\"\n[words]\nlight = [\"G1\"]", "standard's own"),
            ("name = \"a\"\n[words]\nend = []", "nothing can be cut"),
            ("name = \"a\"\n[words]\nlight = [\"M\"]", "line 3"),
            ("name = \"a\"\n\nspeed = 3", "line 3"),
            ("name = \"a\"\nchord = nan", "chord"),
            ("name = \"a\"\nheader = [\"\\n\"]", "plain letters"),
            ("name = \"a\"\nheader = [\"M77\"]", "M77"),
            ("name = \"a\"\nheader = [\"G90.1 G91.1\"]", "G91.1"),
            ("name = \"a\"\nheader = [\"M3 S100\"]", "neither move nor wait"),
            ("name = \"a\"\nfooter = [\"M30\"]", "nor end the program"),
            ("name = \"a\"\nfooter = [\"G0 X5\"]", "neither move nor wait"),
        ] {
            let told = text.parse::<Dialect>().expect_err(text);
            assert!(told.contains(says), "{text}: {told}");
        }
    }
}

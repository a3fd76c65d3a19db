//! Standing rules: what the shop always makes of a look. In order; the first that matches says.

use crate::drawing::{Nature, Style, colour_name};
use crate::geometry::Bounds;
use crate::process::Process;
use serde::{Deserialize, Serialize};

/// Steps of colour at most that a rule may reach.
const FURTHEST: u32 = 120;

/// What a rule looks at; all that is given must hold.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Match {
    /// Line colour, and how many steps of 255 each channel may be off.
    pub stroke: Option<([u8; 3], u32)>,
    /// Layer or group name; `*` stands for anything, `?` for one letter.
    pub layer: Option<String>,
    /// Line type by name or dashes, with `*` and `?`.
    pub line_type: Option<String>,
    /// Line width from and to, mm.
    pub width: Option<(f64, f64)>,
    /// Filled and without a line.
    pub filled: Option<bool>,
    /// Letters.
    pub text: Option<bool>,
    /// A picture.
    pub picture: Option<bool>,
    /// A closed outline.
    pub closed: Option<bool>,
    /// Longest side of the contour's box from and to, mm.
    pub size: Option<(f64, f64)>,
}

/// A standing rule.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rule {
    /// Number that it keeps wherever it stands.
    pub id: u32,
    /// What it looks at.
    pub when: Match,
    /// What it makes of it.
    pub process: Process,
}

impl Match {
    /// A line of exactly this colour.
    pub fn stroke(colour: [u8; 3]) -> Self {
        Self { stroke: Some((colour, 0)), ..Self::default() }
    }
    /// Filled and without a line, in any colour.
    pub fn filled() -> Self {
        Self { filled: Some(true), ..Self::default() }
    }
    /// A layer whose name fits the pattern.
    pub fn layer(pattern: &str) -> Self {
        Self { layer: Some(pattern.into()), ..Self::default() }
    }

    /// True when nothing is looked at, so that everything would match.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// True when a line of these looks is meant, closed or not, in a box of this size.
    pub fn holds(&self, style: &Style, closed: bool, bounds: Bounds) -> bool {
        let size = bounds.width().max(bounds.height());
        self.holds_style(style) && self.closed.is_none_or(|c| c == closed) && self.size.is_none_or(|(from, to)| (from..=to).contains(&size))
    }

    /// True when the looks are meant, whatever the contour.
    pub fn holds_style(&self, style: &Style) -> bool {
        let width = f64::from(style.width) / 1000.0;
        self.stroke.is_none_or(|(c, reach)| style.stroke.is_some_and(|s| steps(c, s) <= reach))
            && self.layer.as_ref().is_none_or(|p| fits(p, &style.layer))
            && self.line_type.as_ref().is_none_or(|p| fits(p, &style.line_type))
            && self.width.is_none_or(|(from, to)| (from..=to).contains(&width))
            && self.filled.is_none_or(|f| f == (style.fill.is_some() && style.stroke.is_none()))
            && self.text.is_none_or(|t| t == (style.text || style.nature == Nature::Writing))
            && self.picture.is_none_or(|p| p == (style.nature == Nature::Picture))
    }

    /// True when whatever the other matches is matched by this too, as far as can be told without a drawing.
    fn covers(&self, other: &Self) -> bool {
        let colour = match (self.stroke, other.stroke) {
            (None, _) => true,
            (Some((a, reach)), Some((b, theirs))) => steps(a, b) + theirs <= reach,
            (Some(_), None) => false,
        };
        let pattern = |mine: &Option<String>, theirs: &Option<String>| match (mine, theirs) {
            (None, _) => true,
            (Some(a), Some(b)) => a == b || !b.contains(['*', '?']) && fits(a, b),
            (Some(_), None) => false,
        };
        let range = |mine: Option<(f64, f64)>, theirs: Option<(f64, f64)>| match (mine, theirs) {
            (None, _) => true,
            (Some(a), Some(b)) => a.0 <= b.0 && b.1 <= a.1,
            (Some(_), None) => false,
        };
        let flag = |mine: Option<bool>, theirs: Option<bool>| mine.is_none() || mine == theirs;
        colour
            && pattern(&self.layer, &other.layer)
            && pattern(&self.line_type, &other.line_type)
            && range(self.width, other.width)
            && range(self.size, other.size)
            && flag(self.filled, other.filled)
            && flag(self.text, other.text)
            && flag(self.picture, other.picture)
            && flag(self.closed, other.closed)
    }

    /// In words.
    pub fn words(&self) -> String {
        let mut words = Vec::new();
        if let Some((colour, reach)) = self.stroke {
            words.push(if reach == 0 {
                format!("line {}", colour_name(colour))
            } else {
                format!("line {} within {reach}", colour_name(colour))
            });
        }
        if let Some(p) = &self.layer {
            words.push(format!("layer “{p}”"));
        }
        if let Some(p) = &self.line_type {
            words.push(format!("line type “{p}”"));
        }
        if let Some((from, to)) = self.width {
            words.push(format!("width {from} to {to} mm"));
        }
        let mut flag = |value: Option<bool>, yes: &str, no: &str| {
            if let Some(v) = value {
                words.push(if v { yes } else { no }.to_owned());
            }
        };
        flag(self.filled, "filled", "not filled");
        flag(self.text, "letters", "no letters");
        flag(self.picture, "picture", "no picture");
        flag(self.closed, "closed", "open");
        if let Some((from, to)) = self.size {
            words.push(format!("{from} to {to} mm large"));
        }
        if words.is_empty() { "everything".into() } else { words.join(", ") }
    }
}

impl Rule {
    /// Name under which it is stored.
    pub fn key(&self) -> String {
        format!("{:05}", self.id)
    }
    /// The rule in words: “line #e4002b within 6: Cut”.
    pub fn words(&self) -> String {
        format!("{}: {}", self.when.words(), self.process.name())
    }
}

/// What is wrong with a rule of a list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Trouble {
    /// Place of the rule in the order, from 0.
    pub at: usize,
    /// What it comes to.
    pub kind: TroubleKind,
    /// Why, in a sentence.
    pub why: String,
}

/// What a trouble of a rule comes to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TroubleKind {
    /// It matches whatever there is.
    Everything,
    /// It says what cannot be meant.
    Senseless,
    /// One before it always says something already.
    NeverReached,
}

/// What is wrong with a list of rules. Rules that can never say anything because one before them always does are found as well.
pub fn troubles(rules: &[Rule]) -> Vec<Trouble> {
    use TroubleKind::{Everything, NeverReached, Senseless};
    let mut out = Vec::new();
    for (i, rule) in rules.iter().enumerate() {
        let n = i + 1;
        if rule.when.is_empty() {
            out.push(Trouble { at: i, kind: Everything, why: format!("rule {n} matches everything, so no rule after it and no shape would say anything. Give it a colour, a layer or another condition.") });
            continue;
        }
        for (what, range) in [("width", rule.when.width), ("size", rule.when.size)] {
            if range.is_some_and(|(a, b)| !(a.is_finite() && b.is_finite() && 0.0 <= a && a <= b)) {
                out.push(Trouble {
                    at: i,
                    kind: Senseless,
                    why: format!("rule {n} can match nothing: its {what} runs from more to less. Type the smaller one first."),
                });
            }
        }
        if rule.when.stroke.is_some_and(|s| s.1 > FURTHEST) {
            let reach = rule.when.stroke.map_or(0, |s| s.1);
            let why = format!("rule {n} takes colours up to {reach} steps away, which is nearly any. Use at most {FURTHEST}.");
            out.push(Trouble { at: i, kind: Senseless, why });
        }
        if rule.when.layer.as_ref().is_some_and(|l| l.trim().is_empty()) {
            out.push(Trouble {
                at: i,
                kind: Senseless,
                why: format!("rule {n} looks for a layer without a name. Type its name, or * for any."),
            });
        }
        if let Some(k) = rules[..i].iter().position(|before| !before.when.is_empty() && before.when.covers(&rule.when)) {
            let before = &rules[k];
            out.push(Trouble { at: i, kind: NeverReached, why: if before.process == rule.process {
                format!("rule {n} ({}) is never reached: rule {} says the same before it.", rule.when.words(), k + 1)
            } else {
                format!("rule {n} ({}) and rule {} disagree: {} or {}. The first says, so rule {n} is never reached; move it up or take it away.", rule.when.words(), k + 1, rule.process.name(), before.process.name())
            } });
        }
    }
    out
}

/// Largest difference in a channel, in steps of 255.
pub fn steps(a: [u8; 3], b: [u8; 3]) -> u32 {
    a.iter().zip(b).map(|(x, y)| u32::from(x.abs_diff(y))).max().unwrap_or(0)
}

/// True when the name fits a pattern in which `*` stands for any letters and `?` for one.
pub fn fits(pattern: &str, name: &str) -> bool {
    let lower = |t: &str| t.chars().flat_map(char::to_lowercase).collect::<Vec<char>>();
    let (p, n) = (lower(pattern), lower(name));
    let (mut i, mut j) = (0, 0);
    // Where the last star was, and how much of the name it has taken.
    let mut star: Option<(usize, usize)> = None;
    while j < n.len() {
        if i < p.len() && (p[i] == '?' || p[i] == n[j]) && p[i] != '*' {
            (i, j) = (i + 1, j + 1);
        } else if i < p.len() && p[i] == '*' {
            star = Some((i, j));
            i += 1;
        } else if let Some((at, taken)) = star {
            star = Some((at, taken + 1));
            (i, j) = (at + 1, taken + 1);
        } else {
            return false;
        }
    }
    p[i..].iter().all(|c| *c == '*')
}

/// A name without what people write differently by mistake: letter case, spaces, hyphens, underscores.
pub fn loosely(name: &str) -> String {
    name.chars().filter(|c| !c.is_whitespace() && !matches!(c, '-' | '_')).flat_map(char::to_lowercase).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn rule(id: u32, when: Match, process: Process) -> Rule {
        Rule { id, when, process }
    }

    #[test]
    fn patterns_fit_as_people_expect() {
        for (pattern, name, yes) in [
            ("cut", "cut", true),
            ("cut", "Cut", true),
            ("scribe*", "SCRIBE 2", true),
            ("cut*", "cut outer", true),
            ("*cut", "rough cut", true),
            ("c?t", "cot", true),
            ("c?t", "ct", false),
            ("*a*b*", "xxaxxbxx", true),
            ("*a*b", "ab a", false),
            ("", "", true),
            ("*", "", true),
            ("?", "", false),
        ] {
            assert_eq!(fits(pattern, name), yes, "{pattern} {name}");
        }
    }

    #[test]
    fn rules_that_can_say_nothing_are_told() {
        let red = [0xe4, 0, 0x2b];
        let all = vec![
            rule(1, Match { stroke: Some((red, 6)), ..Match::default() }, Process::Cut),
            rule(2, Match::stroke([0xe6, 0, 0x2b]), Process::Score),
            rule(3, Match { layer: Some("notes*".into()), ..Match::default() }, Process::Reference),
            rule(4, Match::layer("notes 2"), Process::Reference),
            rule(5, Match::default(), Process::Cut),
            rule(6, Match { size: Some((9.0, 3.0)), ..Match::default() }, Process::Cut),
            rule(7, Match { closed: Some(true), ..Match::stroke([0, 0, 1]) }, Process::Cut),
        ];
        let told = troubles(&all);
        assert_eq!(told.iter().map(|t| t.at).collect::<Vec<_>>(), [1, 3, 4, 5]);
        assert!(told[0].why.contains("disagree: Score or Cut") && told[1].why.contains("says the same"), "{told:?}");
        assert!(told[2].why.contains("matches everything") && told[3].why.contains("smaller one first"));
    }

    proptest! {
        /// A star in front of and behind any piece of a name fits the name.
        #[test]
        fn stars_take_what_is_around(name in "[a-c ]{0,12}", from in 0..12_usize, length in 0..6_usize) {
            let letters: Vec<char> = name.chars().collect();
            let from = from.min(letters.len());
            let piece: String = letters[from..(from + length).min(letters.len())].iter().collect();
            let starred = format!("*{piece}*");
            prop_assert!(fits(&starred, &name));
            prop_assert!(fits(&name.replace('a', "?"), &name));
            prop_assert_eq!(fits(&name, &format!("{name}x")), false);
        }
    }
}

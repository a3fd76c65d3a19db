//! The words of a program's line, and their numbers.

use super::Dialect;

/// Characters of one line at most.
const LONGEST_LINE: usize = 256;
/// Words of one line at most.
const MOST_WORDS: usize = 16;

/// The words of a line, in place: programs have tens of millions of lines.
#[derive(Default)]
pub(super) struct Words {
    words: [(char, f64); MOST_WORDS],
    count: usize,
}

impl Words {
    /// Letters with numbers, comments in brackets or behind a semicolon left out.
    pub(super) fn read(text: &str) -> Result<Self, String> {
        if text.len() > LONGEST_LINE {
            return Err(format!("the line is longer than {LONGEST_LINE} characters"));
        }
        let mut words = Self::default();
        let bytes = text.as_bytes();
        let blank = |b: u8| b == b' ' || b == b'\t' || b == b'\r';
        let mut at = 0;
        while at < bytes.len() {
            let letter = bytes[at];
            match letter {
                _ if blank(letter) => at += 1,
                b';' => break,
                b'(' => at += text[at..].find(')').ok_or("a comment is not closed")? + 1,
                b'A'..=b'Z' | b'a'..=b'z' => {
                    let from = (at + 1..bytes.len()).find(|i| !blank(bytes[*i])).unwrap_or(bytes.len());
                    let digit = |i: &usize| !matches!(bytes[*i], b'0'..=b'9' | b'.' | b'-' | b'+');
                    let end = (from..bytes.len()).find(digit).unwrap_or(bytes.len());
                    let letter = char::from(letter.to_ascii_uppercase());
                    let value = number(&text[from..end]).ok_or_else(|| format!("{letter} has no number"))?;
                    if !words.push((letter, value)) {
                        return Err(format!("the line has more than {MOST_WORDS} words"));
                    }
                    at = end;
                }
                _ => {
                    let strange = text[at..].chars().next().unwrap_or('?');
                    return Err(format!("“{strange}” is not understood"));
                }
            }
        }
        Ok(words)
    }

    /// False when there is no room.
    fn push(&mut self, word: (char, f64)) -> bool {
        let Some(place) = self.words.get_mut(self.count) else { return false };
        *place = word;
        self.count += 1;
        true
    }
    pub(super) fn as_slice(&self) -> &[(char, f64)] {
        &self.words[..self.count]
    }
}

/// A program without its comments, which say what it is and nothing of what it does: what is left of each line, lines of which nothing
/// is left out.
///
/// ```
/// # use boustrophe_core::dialect::without_comments;
/// assert_eq!(without_comments("(sheet 1; of 2)\nG0 X1 (over) Y2 ; again\n\nM2"), "G0 X1Y2\nM2\n");
/// ```
pub fn without_comments(program: &str) -> String {
    let mut out = String::with_capacity(program.len());
    for line in program.lines() {
        let (mut rest, before) = (line, out.len());
        while let Some(at) = rest.find(['(', ';']) {
            out.push_str(rest[..at].trim());
            rest = if rest[at..].starts_with('(') { rest[at..].split_once(')').map_or("", |c| c.1) } else { "" };
        }
        out.push_str(rest.trim());
        if out.len() > before {
            out.push('\n');
        }
    }
    out
}

/// A letter stands once in a line, and of words that exclude each other there is one.
pub(super) fn each_once(words: &[(char, f64)], dialect: &Dialect) -> Result<(), String> {
    let get = |letter: char| words.iter().find(|w| w.0 == letter).map(|w| w.1);
    // Of each kind of words that exclude each other, which one was there.
    let kind = |letter: char, value: f64| -> Option<u32> {
        let code = (value * 10.0).round() as i64;
        Some(match (letter, code) {
            ('G', 0 | 10 | 20 | 30 | 800) => 1,
            ('G', 170 | 180 | 190) => 2,
            ('G', 200 | 210) => 3,
            ('G', 900 | 910) => 4,
            ('G', 901 | 911) => 5,
            ('G', 930 | 940 | 950) => 6,
            ('G' | 'M', _) => 7 + dialect.means_in(letter, value, &get)?.1.group(),
            (letter, _) => 100 + u32::from(letter),
        })
    };
    for (i, (letter, value)) in words.iter().enumerate() {
        let own = kind(*letter, *value);
        let twice = |other: &(char, f64)| own.is_some() && kind(other.0, other.1) == own || (other.0, other.1) == (*letter, *value);
        if let Some(other) = words[..i].iter().find(|w| twice(w)) {
            return Err(format!("{}{} and {letter}{value} stand in one line: controllers take the one or the other", other.0, other.1));
        }
    }
    Ok(())
}

/// A decimal number. Up to fifteen digits, which is all that programs have, its digits and its power of ten are exact, and
/// so is their quotient; what is longer goes the slow way.
fn number(text: &str) -> Option<f64> {
    let (sign, digits) = match text.as_bytes() {
        [b'-', rest @ ..] => (-1.0, rest),
        [b'+', rest @ ..] => (1.0, rest),
        all => (1.0, all),
    };
    if digits.len() > 15 {
        return text.parse().ok();
    }
    let (mut value, mut scale, mut point, mut any) = (0_u64, 1_u64, false, false);
    for b in digits {
        match b {
            b'0'..=b'9' => {
                value = value * 10 + u64::from(b - b'0');
                scale *= if point { 10 } else { 1 };
                any = true;
            }
            b'.' if !point => point = true,
            _ => return None,
        }
    }
    any.then(|| sign * (value as f64 / scale as f64))
}

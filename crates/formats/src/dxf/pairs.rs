//! Group codes with their values, a pair of lines each.

use super::binary::{self, Bytes};
use crate::ReadError;
use boustrophe_core::drawing::Drawing;
use std::borrow::Cow;

/// A code and its value.
pub(crate) struct Pair<'a> {
    pub(crate) code: i32,
    pub(crate) value: Cow<'a, str>,
    /// Line of the code, from 1.
    pub(crate) line: usize,
}

/// Code of a pair that stands for damage: what was read of the present record is not to be believed.
pub(crate) const DAMAGE: i32 = i32::MIN;

/// Reads pairs one after the other, without keeping them. Over damage it goes on at the next record and notes the place.
pub(crate) struct Pairs<'a> {
    file: String,
    rest: &'a [u8],
    binary: Option<Bytes<'a>>,
    line: usize,
    /// A pair that was handed back.
    again: Option<Pair<'a>>,
    /// The last thing read may not be whole: the file ends within a pair, or within a line.
    pub(crate) broken_off: bool,
    /// What is wrong with the file, in sentences with their lines.
    pub(crate) damage: Vec<(usize, String)>,
}

impl<'a> Pairs<'a> {
    /// Refuses data that is not text.
    pub(crate) fn new(file: &str, bytes: &'a [u8]) -> Result<Self, ReadError> {
        if let Some(at) = binary::begin(bytes) {
            return Ok(Self {
                file: file.into(),
                rest: &[],
                binary: Some(Bytes::new(&bytes[at..])),
                line: 0,
                again: None,
                broken_off: false,
                damage: Vec::new(),
            });
        }
        let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
        let pairs = Self { file: file.into(), rest: bytes, binary: None, line: 0, again: None, broken_off: false, damage: Vec::new() };
        if bytes[..bytes.len().min(4096)].contains(&0) {
            return Err(pairs.broken("this is binary data, but no DXF. Export the drawing as DXF."));
        }
        Ok(pairs)
    }

    /// Hands a pair back: the next one read is this one.
    pub(crate) fn hand_back(&mut self, pair: Pair<'a>) {
        self.again = Some(pair);
    }

    /// Notes damage at the present line.
    pub(crate) fn note(&mut self, what: String) {
        if self.damage.len() < Drawing::MOST_BROKEN {
            self.damage.push((self.line.max(1), what));
        }
    }

    /// The next pair, or `None` at the end of the file. After damage comes a pair of the code [`DAMAGE`], then the next record.
    pub(crate) fn next_pair(&mut self) -> Option<Pair<'a>> {
        if let Some(pair) = self.again.take() {
            return Some(pair);
        }
        if let Some(bytes) = &mut self.binary {
            if bytes.is_empty() {
                return None;
            }
            self.line += 1;
            let line = self.line;
            let Some((code, value)) = bytes.next() else {
                // Values of binary pairs are not told apart once one is lost: the rest cannot be followed.
                self.binary = Some(Bytes::new(&[]));
                self.broken_off = true;
                return None;
            };
            let value = Cow::Owned(if code == 1 || code == 3 { value } else { value.trim().to_owned() });
            return Some(Pair { code, value, line });
        }
        let code = self.take_line()?;
        let line = self.line;
        let digits = code.trim_ascii();
        if digits.is_empty() && self.rest.trim_ascii().is_empty() {
            return None;
        }
        let Some(code) = parse_code(digits) else {
            let shown: String = String::from_utf8_lossy(digits).chars().take(24).collect();
            self.note(format!("a group code, a whole number, was expected, but there is “{shown}”."));
            self.skip_to_record();
            return Some(self.damaged());
        };
        let value = self.take_line().or_else(|| {
            self.broken_off = true;
            None
        })?;
        let value = value.strip_suffix(b"\r").unwrap_or(value);
        let value = match std::str::from_utf8(value) {
            Ok(text) => Cow::Borrowed(if code == 1 || code == 3 { text } else { text.trim() }),
            // Older files are in a code page; Latin letters come out right, and geometry is plain ASCII.
            Err(_) => Cow::Owned(value.iter().map(|b| *b as char).collect()),
        };
        Some(Pair { code, value, line })
    }

    fn damaged(&self) -> Pair<'a> {
        Pair { code: DAMAGE, value: Cow::Borrowed(""), line: self.line }
    }

    /// Goes on to before the next line that says 0 and has the name of a record after it.
    fn skip_to_record(&mut self) {
        while !self.rest.is_empty() {
            let mut ahead = self.rest.split(|b| *b == b'\n');
            let (first, second) = (ahead.next().unwrap_or_default().trim_ascii(), ahead.next().unwrap_or_default().trim_ascii());
            let name = |b: &u8| b.is_ascii_uppercase() || b.is_ascii_digit() || *b == b'_';
            if first == b"0" && second.first().is_some_and(u8::is_ascii_alphanumeric) && second.len() < 40 && second.iter().all(name) {
                return;
            }
            self.take_line();
        }
    }

    fn take_line(&mut self) -> Option<&'a [u8]> {
        if self.rest.is_empty() {
            return None;
        }
        self.line += 1;
        let end = self.rest.iter().position(|b| *b == b'\n');
        self.broken_off |= end.is_none();
        let end = end.unwrap_or(self.rest.len());
        let line = &self.rest[..end];
        self.rest = &self.rest[(end + 1).min(self.rest.len())..];
        Some(line)
    }

    /// An error at the present line.
    pub(crate) fn broken(&self, what: &str) -> ReadError {
        ReadError::Broken { file: self.file.clone(), line: self.line.max(1), what: what.into() }
    }
}

fn parse_code(digits: &[u8]) -> Option<i32> {
    std::str::from_utf8(digits).ok()?.parse().ok().filter(|c| (-5..=1071).contains(c))
}

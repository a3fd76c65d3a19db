//! Group codes with their values, a pair of lines each.

use super::binary::{self, Bytes};
use crate::ReadError;
use std::borrow::Cow;

/// A code and its value.
pub(crate) struct Pair<'a> {
    pub(crate) code: i32,
    pub(crate) value: Cow<'a, str>,
    /// Line of the code, from 1.
    pub(crate) line: usize,
}

/// Reads pairs one after the other, without keeping them.
pub(crate) struct Pairs<'a> {
    file: String,
    rest: &'a [u8],
    binary: Option<Bytes<'a>>,
    line: usize,
}

impl<'a> Pairs<'a> {
    /// Refuses data that is not text.
    pub(crate) fn new(file: &str, bytes: &'a [u8]) -> Result<Self, ReadError> {
        if let Some(at) = binary::begin(bytes) {
            return Ok(Self { file: file.into(), rest: &[], binary: Some(Bytes::new(&bytes[at..])), line: 0 });
        }
        let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
        let pairs = Self { file: file.into(), rest: bytes, binary: None, line: 0 };
        if bytes[..bytes.len().min(4096)].contains(&0) {
            return Err(pairs.broken("this is binary data, but no DXF. Export the drawing as DXF."));
        }
        Ok(pairs)
    }

    /// The next pair, or `None` at the end of the file.
    pub(crate) fn next_pair(&mut self) -> Result<Option<Pair<'a>>, ReadError> {
        if let Some(bytes) = &mut self.binary {
            if bytes.is_empty() {
                return Ok(None);
            }
            self.line += 1;
            let (code, value) = match bytes.next() {
                Some(pair) => pair,
                None => return Err(self.cut_off("a pair")),
            };
            return Ok(Some(Pair {
                code,
                value: Cow::Owned(if code == 1 || code == 3 { value } else { value.trim().to_owned() }),
                line: self.line,
            }));
        }
        let Some(code) = self.take_line() else { return Ok(None) };
        let line = self.line;
        let digits = code.trim_ascii();
        if digits.is_empty() && self.rest.trim_ascii().is_empty() {
            return Ok(None);
        }
        let Some(code) = parse_code(digits) else {
            let shown: String = String::from_utf8_lossy(digits).chars().take(24).collect();
            return Err(self.broken(&format!(
                "a group code, a whole number, was expected, but there is “{shown}”. The file is damaged or no DXF; export it again."
            )));
        };
        let Some(value) = self.take_line() else { return Err(self.cut_off("a pair of lines")) };
        let value = value.strip_suffix(b"\r").unwrap_or(value);
        let value = match std::str::from_utf8(value) {
            Ok(text) => Cow::Borrowed(if code == 1 || code == 3 { text } else { text.trim() }),
            // Older files are in a code page; Latin letters come out right, and geometry is plain ASCII.
            Err(_) => Cow::Owned(value.iter().map(|b| *b as char).collect()),
        };
        Ok(Some(Pair { code, value, line }))
    }

    fn take_line(&mut self) -> Option<&'a [u8]> {
        if self.rest.is_empty() {
            return None;
        }
        self.line += 1;
        let end = self.rest.iter().position(|b| *b == b'\n').unwrap_or(self.rest.len());
        let line = &self.rest[..end];
        self.rest = &self.rest[(end + 1).min(self.rest.len())..];
        Some(line)
    }

    /// An error at the present line.
    pub(crate) fn broken(&self, what: &str) -> ReadError {
        ReadError::Broken { file: self.file.clone(), line: self.line.max(1), what: what.into() }
    }
    /// The file ended too early.
    pub(crate) fn cut_off(&self, within: &str) -> ReadError {
        self.broken(&format!("the file ends in the middle of {within}. It was cut off on its way; export or send it again."))
    }
}

fn parse_code(digits: &[u8]) -> Option<i32> {
    std::str::from_utf8(digits).ok()?.parse().ok().filter(|c| (-5..=1071).contains(c))
}

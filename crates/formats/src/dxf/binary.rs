//! Binary DXF: the same pairs of group code and value, as bytes.

/// The header ends so; what stands before is the writer's affair.
const MARK: &[u8] = b" Binary DXF\r\n\x1a\x00";
/// Longest header.
const HEAD: usize = 40;

/// Where the pairs begin in a binary DXF; `None` for any other file.
pub(super) fn begin(bytes: &[u8]) -> Option<usize> {
    let head = &bytes[..bytes.len().min(HEAD)];
    head.windows(MARK.len()).position(|w| w == MARK).map(|at| at + MARK.len())
}

/// Reads pairs of a binary file.
pub(super) struct Bytes<'a> {
    rest: &'a [u8],
    /// Codes take two bytes since R13, one before.
    wide: bool,
}

impl<'a> Bytes<'a> {
    pub(super) fn new(rest: &'a [u8]) -> Self {
        Self { rest, wide: rest.get(1) == Some(&0) }
    }
    pub(super) fn is_empty(&self) -> bool {
        self.rest.is_empty()
    }

    /// The next code and its value as text; `None` when the bytes end within it.
    pub(super) fn next(&mut self) -> Option<(i32, String)> {
        let code = if self.wide { i32::from(i16::from_le_bytes(self.take()?)) } else { self.narrow()? };
        let value = match code {
            10..=59 | 110..=149 | 210..=239 | 460..=469 | 1010..=1059 => f64::from_le_bytes(self.take()?).to_string(),
            60..=79 | 170..=179 | 270..=289 | 370..=389 | 400..=409 | 1060..=1070 => i16::from_le_bytes(self.take()?).to_string(),
            90..=99 | 420..=429 | 440..=459 | 1071 => i32::from_le_bytes(self.take()?).to_string(),
            160..=169 => i64::from_le_bytes(self.take()?).to_string(),
            290..=299 => self.take::<1>()?[0].to_string(),
            310..=319 | 1004 => {
                let length = usize::from(self.take::<1>()?[0]);
                self.rest = self.rest.get(length..)?;
                String::new()
            }
            _ => self.text()?,
        };
        Some((code, value))
    }

    fn narrow(&mut self) -> Option<i32> {
        match self.take::<1>()?[0] {
            255 => Some(i32::from(i16::from_le_bytes(self.take()?))),
            code => Some(i32::from(code)),
        }
    }

    fn take<const N: usize>(&mut self) -> Option<[u8; N]> {
        let (head, rest) = self.rest.split_first_chunk::<N>()?;
        self.rest = rest;
        Some(*head)
    }

    fn text(&mut self) -> Option<String> {
        let end = self.rest.iter().position(|b| *b == 0)?;
        let text = &self.rest[..end];
        self.rest = &self.rest[end + 1..];
        Some(match std::str::from_utf8(text) {
            Ok(t) => t.to_owned(),
            Err(_) => text.iter().map(|b| *b as char).collect(),
        })
    }
}

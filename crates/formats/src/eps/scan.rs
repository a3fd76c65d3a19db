//! PostScript's words: numbers, names, strings, procedures.

use std::rc::Rc;

/// Something on PostScript's stacks or in its procedures.
#[derive(Clone, Debug, PartialEq)]
pub enum Object {
    /// A number, whole or real alike.
    Number(f64),
    /// Truth.
    Bool(bool),
    /// A name to be done.
    Name(Rc<str>),
    /// A name to be kept.
    Literal(Rc<str>),
    /// Characters.
    Text(Rc<str>),
    /// What is to be done later.
    Procedure(Rc<Vec<Self>>),
    /// Values in a row.
    Array(Rc<Vec<Self>>),
    /// A dictionary, by its number.
    Dict(usize),
    /// Where an array begins.
    Mark,
    /// What is saved, and nothing else.
    Null,
}

/// Words one by one, with the line that each is in.
pub struct Scanner<'a> {
    bytes: &'a [u8],
    at: usize,
    pub line: usize,
}

/// Procedures within procedures at most, and characters of a string.
const DEEPEST: usize = 60;
const LONGEST: usize = 1 << 20;

impl<'a> Scanner<'a> {
    pub fn new(bytes: &'a [u8]) -> Self {
        Self { bytes, at: 0, line: 1 }
    }

    fn peek(&self) -> Option<u8> {
        self.bytes.get(self.at).copied()
    }

    fn take(&mut self) -> Option<u8> {
        let b = self.peek()?;
        self.at += 1;
        // A line ends by LF, by CR, or by both.
        if b == b'\n' || b == b'\r' && self.peek() != Some(b'\n') {
            self.line += 1;
        }
        Some(b)
    }

    /// Leaves out data that stands in the file itself up to its end mark.
    pub fn skip_data(&mut self, end: &[u8]) {
        while self.at < self.bytes.len() && !self.bytes[self.at..].starts_with(end) {
            self.take();
        }
        for _ in 0..end.len() {
            self.take();
        }
    }

    /// The next object; none at the end.
    pub fn next(&mut self) -> Result<Option<Object>, String> {
        match self.within(0)? {
            Some(Object::Name(n)) if &*n == "}" => Err("a procedure ends that was not begun".into()),
            found => Ok(found),
        }
    }

    fn within(&mut self, depth: usize) -> Result<Option<Object>, String> {
        loop {
            match self.peek() {
                None => return Ok(None),
                Some(b'%') => while self.take().is_some_and(|b| b != b'\n' && b != b'\r') {},
                Some(b) if b.is_ascii_whitespace() || b == 0 => {
                    self.take();
                }
                Some(_) => break,
            }
        }
        let Some(first) = self.take() else { return Ok(None) };
        let object = match first {
            b'{' => {
                if depth >= DEEPEST {
                    return Err(format!("its procedures lie more than {DEEPEST} deep in each other"));
                }
                let mut body = Vec::new();
                loop {
                    match self.within(depth + 1)? {
                        None => return Err("a procedure has no end: the file was cut off".into()),
                        Some(Object::Name(n)) if &*n == "}" => break,
                        Some(o) => body.push(o),
                    }
                }
                Object::Procedure(Rc::new(body))
            }
            b'}' => Object::Name("}".into()),
            b'[' => Object::Mark,
            b']' => Object::Name("]".into()),
            b'(' => self.string()?,
            b'<' if self.peek() == Some(b'<') => {
                self.take();
                Object::Mark
            }
            b'>' if self.peek() == Some(b'>') => {
                self.take();
                Object::Name(">>".into())
            }
            b'<' => {
                while self.take().is_some_and(|b| b != b'>') {}
                Object::Text("".into())
            }
            b'>' | b')' => return Err(format!("“{}” stands where nothing was begun", char::from(first))),
            b'/' => {
                // Two strokes ask for the value at once: no more is needed of it here.
                if self.peek() == Some(b'/') {
                    self.take();
                }
                Object::Literal(self.word().into())
            }
            _ => {
                self.at -= 1;
                let word = self.word();
                number(&word).map_or_else(|| Object::Name(word.as_str().into()), Object::Number)
            }
        };
        Ok(Some(object))
    }

    fn word(&mut self) -> String {
        let mut out = String::new();
        while let Some(b) = self.peek().filter(|b| !b.is_ascii_whitespace() && !b"()<>[]{}/%\0".contains(b)) {
            out.push(char::from(b));
            self.at += 1;
        }
        out
    }

    fn string(&mut self) -> Result<Object, String> {
        let (mut out, mut depth) = (String::new(), 1);
        while let Some(b) = self.take() {
            match b {
                b'\\' => out.extend(self.take().map(char::from)),
                b'(' => depth += 1,
                b')' => depth -= 1,
                _ => {}
            }
            if depth == 0 {
                return Ok(Object::Text(out.as_str().into()));
            }
            if b != b'\\' {
                out.push(char::from(b));
            }
            if out.len() > LONGEST {
                return Err("a string in it is too long".into());
            }
        }
        Err("a string has no end: the file was cut off".into())
    }
}

/// A number, also to another base as `16#FF`.
fn number(word: &str) -> Option<f64> {
    if let Some((base, digits)) = word.split_once('#') {
        let base = base.parse().ok().filter(|b| (2..=36).contains(b))?;
        return i64::from_str_radix(digits, base).ok().map(|v| v as f64);
    }
    let digit = word.bytes().any(|b| b.is_ascii_digit()) && word.bytes().all(|b| b"+-.0123456789eE".contains(&b));
    word.parse::<f64>().ok().filter(|v| digit && v.is_finite())
}

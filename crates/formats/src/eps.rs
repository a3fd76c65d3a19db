//! PostScript that holds paths only (EPS as drawing programs export it), by a small interpreter of the drawing operators.
//!
//! The language is one for programs: what runs here is bounded in steps, in depth and in memory, and knows the operators that make
//! paths, set how they look, and do the sums between (PostScript Language Reference, third edition, chapters 3 and 8). What it does
//! not know is told with its name; nothing is made up for it.

mod dicts;
mod draw;
mod flow;
mod looks;
mod machine;
mod scan;
#[cfg(test)]
mod tests;

use crate::ReadError;
use boustrophe_core::drawing::{Drawing, FileUnits};

/// Points in an inch: PostScript's unit.
const POINTS: f64 = 72.0;

/// True for what begins as PostScript does, with or without the binary head that previews bring (EPS, appendix).
pub fn is_postscript(head: &[u8]) -> bool {
    head.starts_with(b"%!") || head.starts_with(&[0xc5, 0xd0, 0xd3, 0xc6])
}

/// The PostScript of a file: all of it, or what a binary head says is text.
fn text(bytes: &[u8]) -> &[u8] {
    let word = |at: usize| bytes.get(at..at + 4).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]) as usize);
    if bytes.starts_with(&[0xc5, 0xd0, 0xd3, 0xc6])
        && let (Some(from), Some(length)) = (word(4), word(8))
        && let Some(found) = from.checked_add(length).and_then(|to| bytes.get(from..to))
    {
        return found;
    }
    bytes
}

/// Reads what a PostScript file draws.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let drawing = Drawing::new(file, FileUnits::Scale(25.4 / POINTS));
    let mut machine = machine::Machine::new(drawing);
    machine.run(text(bytes)).map_err(|(line, what)| ReadError::Broken {
        file: file.into(),
        line,
        what: format!("{what}. If it holds more than plain lines and areas, export it as PDF or SVG instead."),
    })?;
    let drawing = machine.drawn();
    if drawing.entities.is_empty() {
        let what = "it draws no lines or areas that could be cut. Export it as PDF or SVG instead.".to_owned();
        return Err(ReadError::Broken { file: file.into(), line: 1, what });
    }
    Ok(drawing)
}

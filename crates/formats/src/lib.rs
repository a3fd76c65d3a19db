//! Drawings in, programs and drawings out: bytes in, bytes out, nothing read from or written to disk.
//!
//! [`read`] looks at a file's name and first bytes and calls the reader of its format. Every reader bounds what it takes
//! ([`MOST_BYTES`], [`MOST_ENTITIES`]) and answers a file that it cannot use with a [`ReadError`] that says where and what.

pub mod bitmap;
pub mod chart;
mod clipping;
pub mod dxf;
pub mod eps;
pub mod jig;
pub mod panels;
pub mod pdf;
pub mod plate;
pub mod print;
pub mod sheet;
pub mod stl;
pub mod svg;
pub mod table;
#[cfg(test)]
mod tests;

use boustrophe_core::drawing::Drawing;

/// Largest file taken, bytes.
pub const MOST_BYTES: usize = 160 << 20;
/// Most strokes of one drawing, blocks and references expanded.
pub const MOST_ENTITIES: usize = 3_000_000;
/// Most entities that references to blocks, arrays of arrays among them, are drawn out to: a file of a thousand bytes may say millions.
pub const MOST_DRAWN_OUT: usize = 400_000;

/// Why a file cannot be read. The message names the file, the place and what to do.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error, serde::Serialize, serde::Deserialize)]
pub enum ReadError {
    /// Nothing in it.
    #[error("{file} is empty. Export it again, or check that it was copied whole.")]
    Empty {
        /// File name.
        file: String,
    },
    /// Over [`MOST_BYTES`].
    #[error("{file} has {megabytes} MB; the limit is {limit} MB. Leave out pictures and hidden layers, or split it.", limit = MOST_BYTES >> 20)]
    TooLarge {
        /// File name.
        file: String,
        /// Its size.
        megabytes: usize,
    },
    /// Over [`MOST_ENTITIES`], or [`MOST_DRAWN_OUT`] of blocks.
    #[error("{file} holds more than {most} lines once its blocks are drawn out. Split it, or leave out what is not to be cut.")]
    TooMany {
        /// File name.
        file: String,
        /// The limit.
        most: usize,
    },
    /// A format that is not read.
    #[error("{file} is no drawing that is read here ({what}). Export it as DXF, SVG, PDF, EPS, PNG, JPEG or STL.")]
    Unknown {
        /// File name.
        file: String,
        /// What it looks like.
        what: String,
    },
    /// Of a known format, but wrong.
    #[error("{file}, line {line}: {what}")]
    Broken {
        /// File name.
        file: String,
        /// Line, from 1.
        line: usize,
        /// What is wrong and what to do.
        what: String,
    },
}

/// Reads a drawing by its name and content.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let file_name = || file.to_owned();
    if bytes.len() > MOST_BYTES {
        return Err(ReadError::TooLarge { file: file_name(), megabytes: bytes.len() >> 20 });
    }
    if bytes.iter().all(u8::is_ascii_whitespace) {
        return Err(ReadError::Empty { file: file_name() });
    }
    let lower = file.to_lowercase();
    let head = &bytes[..bytes.len().min(4096)];
    if lower.ends_with(".svg") || head.windows(4).any(|w| w == b"<svg") {
        return svg::read(file, bytes);
    }
    if lower.ends_with(".dxf") || looks_like_dxf(head) {
        return dxf::read(file, bytes);
    }
    match head {
        [b'%', b'P', b'D', b'F', ..] => return pdf::read(file, bytes),
        _ if eps::is_postscript(head) => return eps::read(file, bytes),
        [0x89, b'P', b'N', b'G', ..] | [0xff, 0xd8, ..] => return bitmap::read(file, bytes),
        _ if lower.ends_with(".stl") => return stl::read(file, bytes),
        _ => {}
    }
    if lower.ends_with(boustrophe_core::panels::ENDING) {
        return panels::read(file, bytes);
    }
    if lower.ends_with(boustrophe_core::plate::ENDING) {
        return plate::read(file, bytes);
    }
    if lower.ends_with(jig::ENDING) {
        return jig::read(file, bytes);
    }
    let what = if head.contains(&0) { "it is binary data" } else { "it is some other text" };
    Err(ReadError::Unknown { file: file_name(), what: what.into() })
}

fn looks_like_dxf(head: &[u8]) -> bool {
    let text = String::from_utf8_lossy(head);
    let mut lines = text.lines().map(str::trim);
    matches!((lines.next(), lines.next()), (Some("0"), Some("SECTION")) | (Some("999"), _))
}

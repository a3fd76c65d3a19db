//! Faces of the shop's own: TrueType and OpenType files of its book, known by what is in them.

use crate::print;
use rustybuzz::Face;
use serde::{Deserialize, Serialize};
use std::sync::{PoisonError, RwLock};

/// Faces that are kept at most.
pub const MOST_OWN: usize = 60;
/// Largest file of a face, bytes.
const MOST_BYTES: usize = 24 << 20;

/// A face by the digest of its file: the same letters wherever it is known.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct OwnFace(pub u64);

/// A face as it is known: its name, and its file. Faces are read for as long as the program runs, whatever becomes of the book: what
/// is being worked out may need them.
struct Known {
    face: OwnFace,
    name: String,
    bytes: &'static [u8],
    offered: bool,
}

static KNOWN: RwLock<Vec<Known>> = RwLock::new(Vec::new());

/// Learns a face from its file. The message says why it cannot be.
pub fn learn(name: &str, bytes: &[u8]) -> Result<OwnFace, String> {
    let name = name.trim();
    let plain = !name.is_empty() && name.chars().count() <= 40 && !name.contains(['"', '“', '”']) && !name.contains(char::is_control);
    if !plain || super::Face::SHIPPED.iter().any(|f| f.name().eq_ignore_ascii_case(name)) {
        return Err(format!("a face cannot be called “{name}”; use 1 to 40 letters that no shipped face is called by"));
    }
    if bytes.len() > MOST_BYTES {
        return Err(format!("the file is larger than {} MB; take a face with fewer letters", MOST_BYTES >> 20));
    }
    let parsed = Face::from_slice(bytes, 0).ok_or("this is no TrueType or OpenType face; choose a file that ends in .ttf or .otf")?;
    if parsed.capital_height().or(Some(parsed.ascender())).is_none_or(|h| h <= 0) || parsed.glyph_index('A').is_none() {
        return Err("this face has no letters from A to Z".into());
    }
    let face = OwnFace(print::name(bytes));
    let mut known = KNOWN.write().unwrap_or_else(PoisonError::into_inner);
    if let Some(k) = known.iter_mut().find(|k| k.face == face) {
        (k.name, k.offered) = (name.to_owned(), true);
        return Ok(face);
    }
    if known.len() >= MOST_OWN {
        return Err(format!("there are {MOST_OWN} faces; remove one that is not used"));
    }
    known.push(Known { face, name: name.to_owned(), bytes: Box::leak(bytes.to_vec().into_boxed_slice()), offered: true });
    Ok(face)
}

/// A face of this name is not offered any more.
pub fn forget(name: &str) {
    let mut known = KNOWN.write().unwrap_or_else(PoisonError::into_inner);
    known.iter_mut().filter(|k| k.name == name).for_each(|k| k.offered = false);
}

/// The faces that are offered, with their names.
pub fn known() -> Vec<(OwnFace, String)> {
    let known = KNOWN.read().unwrap_or_else(PoisonError::into_inner);
    known.iter().filter(|k| k.offered).map(|k| (k.face, k.name.clone())).collect()
}

/// The face of a name.
pub fn find(name: &str) -> Option<OwnFace> {
    known().into_iter().find(|k| k.1.eq_ignore_ascii_case(name)).map(|k| k.0)
}

/// The file of a face, whether it is offered or not.
pub(super) fn bytes(face: OwnFace) -> Option<&'static [u8]> {
    KNOWN.read().unwrap_or_else(PoisonError::into_inner).iter().find(|k| k.face == face).map(|k| k.bytes)
}

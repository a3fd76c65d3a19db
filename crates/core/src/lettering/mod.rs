//! Lines of writing as outlines or as single strokes: in a face, set in lines, spaced, fitted, round a circle.
//!
//! Five faces of outlines are shipped, each under the SIL Open Font License (`fonts/LICENSE-*`), put together from the subsets of
//! their packages: Commissioner Medium (@fontsource/commissioner 5.3.0), Sofia Sans Condensed SemiBold
//! (@fontsource/sofia-sans-condensed), Vollkorn Medium (@fontsource/vollkorn), Big Shoulders Stencil Bold
//! (@fontsource/big-shoulders-stencil-text) and Pacifico (@fontsource/pacifico). A shop adds its own. The
//! stroke face is ours: letters of lines and quarter circles on a grid, for scores, scales and part numbers.

mod outline;
mod own;
mod setting;
mod stroke;
#[cfg(test)]
mod tests;

pub use outline::FONT;
pub use own::{MOST_OWN, OwnFace, find, forget, known, learn};
pub use setting::{Align, Setting, set};

use crate::geometry::{Affine, Path, Vec2};
use serde::{Deserialize, Serialize};
use std::ops::Range;
use unicode_normalization::UnicodeNormalization;

/// Which letters.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Face {
    /// Areas without serifs, for engraving or cutting.
    Outline,
    /// Lines, for scoring.
    #[default]
    Stroke,
    /// Areas, narrow.
    Condensed,
    /// Areas with serifs.
    Serif,
    /// Areas whose counters are held by bridges.
    Stencil,
    /// Areas that run into each other.
    Script,
    /// One of the shop's own.
    Own(OwnFace),
}

impl Face {
    /// Those that are shipped.
    pub const SHIPPED: [Self; 6] = [Self::Outline, Self::Condensed, Self::Serif, Self::Stencil, Self::Script, Self::Stroke];

    /// True where letters are areas.
    pub fn is_area(self) -> bool {
        self != Self::Stroke
    }
    /// What it is called when it is typed, and in forms.
    pub fn name(self) -> String {
        match self {
            Self::Outline => "outline".into(),
            Self::Stroke => "stroke".into(),
            Self::Condensed => "condensed".into(),
            Self::Serif => "serif".into(),
            Self::Stencil => "stencil".into(),
            Self::Script => "script".into(),
            Self::Own(own) => known().into_iter().find(|k| k.0 == own).map_or_else(|| "a face that is gone".into(), |k| k.1),
        }
    }
    /// The face of a name.
    ///
    /// ```
    /// # use boustrophe_core::lettering::Face;
    /// assert_eq!(Face::named("Serif"), Some(Face::Serif));
    /// assert_eq!(Face::named("gothic"), None);
    /// ```
    pub fn named(name: &str) -> Option<Self> {
        Self::SHIPPED.into_iter().find(|f| f.name().eq_ignore_ascii_case(name)).or_else(|| find(name).map(Self::Own))
    }
    /// All that there are, with the shop's own behind those that are shipped.
    pub fn all() -> Vec<Self> {
        Self::SHIPPED.into_iter().chain(known().into_iter().map(|k| Self::Own(k.0))).collect()
    }
}

/// A line of writing, its base line along x from 0, 0.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Line {
    /// The letters, in mm.
    pub paths: Vec<Path>,
    /// Advance of all letters, mm.
    pub width: f64,
    /// Letters that the face lacks: there is room for them and nothing in it. Who sets them says so.
    pub missing: Vec<char>,
    /// Where each letter stands.
    pub letters: Vec<Letter>,
}

/// A letter of a line, or several that are one.
#[derive(Clone, Debug, PartialEq)]
pub struct Letter {
    /// Which of the line's paths.
    pub paths: Range<usize>,
    /// Where it begins along the line, mm.
    pub at: f64,
    /// Its advance, mm.
    pub width: f64,
}

/// The letters of a text that a face lacks, each once, in order.
///
/// ```
/// # use boustrophe_core::lettering::*;
/// assert!(lacks("Łukasz, Čeněk, Nguyễn, Jörg", Face::Stroke).is_empty());
/// assert_eq!(lacks("Ωhm 中", Face::Stroke), ['Ω', '中']);
/// ```
pub fn lacks(text: &str, face: Face) -> Vec<char> {
    let has = |c: char| match face {
        Face::Stroke => stroke::letter(c).is_some(),
        _ => c.is_whitespace() || outline::has(c, face),
    };
    let mut all: Vec<char> = Vec::new();
    // Marks that stand behind their letter belong to it.
    for c in text.nfc().filter(|c| !has(*c)) {
        if !all.contains(&c) {
            all.push(c);
        }
    }
    all
}

/// A sentence on letters that are not there, and where; `None` where there are none.
pub fn told(missing: &[char], of: &str) -> Option<String> {
    let shown: Vec<String> = missing.iter().take(8).map(|c| format!("“{c}”")).collect();
    let more = if missing.len() > 8 { format!(" and {} more", missing.len() - 8) } else { String::new() };
    let list = shown.join(", ") + &more;
    (!missing.is_empty())
        .then(|| format!("{of}: the letters' face has no {list}; nothing is burned there. Write it otherwise, or take another face."))
}

/// `text` with capitals `height` mm high. Letters that the face lacks are left out and listed.
pub fn line(text: &str, height: f64, face: Face) -> Line {
    match face {
        Face::Stroke => strokes(text, height),
        _ => outline::line(text, height, face),
    }
}

/// `text` in single strokes, capitals `height` mm high.
pub fn strokes(text: &str, height: f64) -> Line {
    let size = height / stroke::CAPITAL;
    let mut line = Line::default();
    for c in text.nfc() {
        let Some((paths, width)) = stroke::letter(c) else {
            line.missing.push(c);
            line.width += stroke::CAPITAL * 0.6 * size;
            continue;
        };
        let place = Affine::translate(Vec2::new(line.width, 0.0)) * Affine::scale(size);
        let first = line.paths.len();
        line.paths.extend(paths.iter().map(|p| p.transformed(place)));
        line.letters.push(Letter { paths: first..line.paths.len(), at: line.width, width: width * size });
        line.width += width * size;
    }
    // No room behind the last letter.
    line.width = (line.width - stroke::BETWEEN * size).max(0.0);
    line
}

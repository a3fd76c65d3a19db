//! Lines of writing as outlines or as single strokes.
//!
//! The outline face is Commissioner (SIL Open Font License, see `fonts/LICENSE`), a static instance at weight 500, put together from
//! the subsets of the package @fontsource/commissioner 5.3.0 without their layout tables; the
//! stroke face is ours: letters of lines and quarter circles on a grid, for scores, scales and part numbers.

mod outline;
mod stroke;

pub use outline::FONT;

use crate::geometry::{Affine, Path, Vec2};
use serde::{Deserialize, Serialize};
use unicode_normalization::UnicodeNormalization;

/// Which letters.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Face {
    /// Areas, for engraving or cutting.
    Outline,
    /// Lines, for scoring.
    #[default]
    Stroke,
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
}

/// The letters of a text that a face lacks, each once, in order.
///
/// ```
/// # use boustrophe_core::lettering::*;
/// assert!(lacks("Łukasz, Čeněk, Nguyễn, Jörg", Face::Stroke).is_empty());
/// assert_eq!(lacks("Ωhm 中", Face::Stroke), ['Ω', '中']);
/// ```
pub fn lacks(text: &str, face: Face) -> Vec<char> {
    let known = |c: char| match face {
        Face::Outline => c.is_whitespace() || outline::has(c),
        Face::Stroke => stroke::letter(c).is_some(),
    };
    let mut all: Vec<char> = Vec::new();
    // Marks that stand behind their letter belong to it.
    for c in text.nfc().filter(|c| !known(*c)) {
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
        .then(|| format!("{of}: the letters' face has no {list}; nothing is burned there. Write it otherwise, or take the other face."))
}

/// `text` with capitals `height` mm high. Letters that the face lacks are left out and listed.
pub fn line(text: &str, height: f64, face: Face) -> Line {
    match face {
        Face::Outline => outline::line(text, height),
        Face::Stroke => strokes(text, height),
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
        line.paths.extend(paths.iter().map(|p| p.transformed(place)));
        line.width += width * size;
    }
    // No room behind the last letter.
    line.width = (line.width - stroke::BETWEEN * size).max(0.0);
    line
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Bounds;

    fn bounds(line: &Line) -> Bounds {
        line.paths.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()))
    }

    #[test]
    fn letters_have_the_height_asked_for() {
        for face in [Face::Outline, Face::Stroke] {
            let b = bounds(&line("HIVE", 10.0, face));
            assert!((b.height() - 10.0).abs() < 0.15 && b.min.y.abs() < 0.1, "{face:?} {b:?}");
            let twice = line("HIVEHIVE", 10.0, face).width;
            assert!(twice > 1.9 * line("HIVE", 10.0, face).width);
        }
    }

    #[test]
    fn outlines_enclose_and_strokes_do_not() {
        let o = line("O", 10.0, Face::Outline);
        assert_eq!(o.paths.len(), 2, "an outline and its opening");
        assert!(o.paths.iter().all(|p| p.closed) && o.paths[0].area() * o.paths[1].area() < 0.0, "wound against each other");
        assert!(line("L", 10.0, Face::Stroke).paths.iter().all(|p| !p.closed));
        let odd = line("Ω中", 10.0, Face::Stroke);
        assert!(odd.paths.is_empty() && odd.missing == ['Ω', '中'] && odd.width > 5.0, "no box is burned for what is missing");
        assert!(line("", 5.0, Face::Outline).paths.is_empty());
    }

    #[test]
    fn every_stroke_letter_is_whole() {
        for c in ('!'..='~').chain(['°', '×']) {
            let (paths, width) = stroke::letter(c).expect("a letter");
            assert!(!paths.is_empty() && width > 0.0, "{c}");
            for p in paths {
                assert!(p.segments.iter().all(|s| s.length() > 0.0), "{c}: {p:?}");
                let b = p.bounds();
                assert!(b.min.x > -1.5 && b.max.x < 11.0 && b.min.y > -4.0 && b.max.y < 12.0, "{c}: {b:?}");
            }
        }
    }

    /// Names as they are written in twenty tongues.
    const NAMES: &str = "Łukasz Żółć Čeněk Ďáblice Ľuboš Nguyễn Đặng Jörg Müller Straße Ångström Ærøskøbing Œuvre Garçon Señor İstanbul \
        Şimşek Ğıcır Győző Szűcs Ștefan Țepeș Ģirts Ķēniņš Žydrūnas Šarūnas Jānis Þór Ðór Ħamrun Ġorġ Ċetta Ŵyn Ŷ Ĉiu Ŝi Ŭ";

    #[test]
    fn names_of_many_tongues_are_written_in_both_faces() {
        for face in [Face::Outline, Face::Stroke] {
            assert_eq!(lacks(NAMES, face), Vec::<char>::new(), "{face:?}");
            // Written with marks of their own it is the same.
            let apart: String = NAMES.nfd().collect();
            assert_eq!(line(&apart, 7.0, face), line(NAMES, 7.0, face), "{face:?}");
        }
        assert_eq!(lacks("Αθήνα Москва Київ", Face::Outline), Vec::<char>::new());
        assert_eq!(lacks("ok 東京 😀 東", Face::Outline), ['東', '京', '😀']);
    }

    #[test]
    fn marks_stand_over_and_under_their_letters() {
        let top = |text: &str| bounds(&line(text, 10.0, Face::Stroke)).max.y;
        let foot = |text: &str| bounds(&line(text, 10.0, Face::Stroke)).min.y;
        for (plain, over) in [("e", "é"), ("E", "Ě"), ("o", "ö"), ("u", "ű"), ("s", "š"), ("ê", "ế")] {
            assert!(top(over) > top(plain) + 0.5, "{over}");
        }
        for (plain, under) in [("s", "ş"), ("e", "ę"), ("a", "ạ"), ("T", "Ț")] {
            assert!(foot(under) < foot(plain) - 0.5, "{under}");
        }
        // The dot of an i gives way.
        assert_eq!(line("í", 10.0, Face::Stroke).paths.len(), 2);
        let different = |a: &str, b: &str| line(a, 10.0, Face::Stroke).paths != line(b, 10.0, Face::Stroke).paths;
        assert!(different("l", "ł") && different("o", "ø") && different("d", "đ") && different("e", "é") && different("è", "é"));
    }
}

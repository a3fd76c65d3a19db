//! What the words of a note say.

use super::stuff::is_stuff;
use crate::drawing::Unit;
use crate::quantity;

/// Copies that are believed.
const MOST: u32 = 5000;
/// Thicknesses that are believed, mm.
const THICK: std::ops::RangeInclusive<f64> = 0.1..=100.0;

/// What a note says.
#[derive(Clone, Debug, PartialEq)]
pub enum Said {
    /// So many of it.
    Copies(u32),
    /// So thick, mm, and the words for what it is of.
    Thickness(f64, String),
    /// The grain runs along the writing, or across it.
    Grain {
        /// Across the writing.
        across: bool,
    },
    /// One of it as drawn, and one the other way round.
    Handed,
}

/// What the words of a note say; mostly nothing.
pub fn understood(text: &str) -> Vec<Said> {
    let lower = text.to_lowercase().replace('×', "x").replace(['’', '′'], "'");
    let words: Vec<&str> = lower.split([' ', ',', ';', '(', ')', '\n', '\t', '[', ']', '|']).filter(|w| !w.is_empty()).collect();
    let mut out = Vec::new();
    // Each of its clauses by itself: “6 off, 4 holes Ø6” is six of it.
    let clauses = || lower.split([',', ';', '\n', '|']).map(|c| clause(c).collect::<Vec<&str>>());
    let copies = bracketed(&lower).or_else(|| clauses().filter(|c| !is_of_features(c)).find_map(|c| copies(&c)));
    out.extend(copies.filter(|n| (1..=MOST).contains(n)).map(Said::Copies));
    if let Some((mm, of)) = clauses().find_map(|c| thickness(&c)) {
        out.push(Said::Thickness(mm, of));
    }
    if words.iter().any(|w| matches!(w.trim_matches(['-', '>', '<', '.', ':', '→', '←', '↔']), "grain" | "fibre" | "fiber")) {
        out.push(Said::Grain { across: text.contains(['↑', '↓', '↕']) });
    }
    if words.iter().any(|w| matches!(*w, "mirror" | "mirrored" | "handed" | "l&r" | "lh&rh" | "l/r" | "lh/rh"))
        || lower.contains("opposite hand")
    {
        out.push(Said::Handed);
    }
    out
}

fn clause(text: &str) -> impl Iterator<Item = &str> {
    text.split([' ', '(', ')', '\t', '[', ']']).filter(|w| !w.is_empty())
}

/// More than that in brackets is a dimension for reference.
const BRACKETED: u32 = 12;

/// A note that is nothing but a small figure in brackets.
fn bracketed(text: &str) -> Option<u32> {
    text.trim().strip_prefix('(')?.strip_suffix(')').and_then(|n| whole(n.trim())).filter(|n| *n <= BRACKETED)
}

/// What is made in a part or put into it: its counts are none of the part.
const FEATURES: [&str; 38] = [
    "hole",
    "holes",
    "slot",
    "slots",
    "fold",
    "folds",
    "bend",
    "bends",
    "insert",
    "inserts",
    "rivet",
    "rivets",
    "screw",
    "screws",
    "bolt",
    "bolts",
    "nut",
    "nuts",
    "pin",
    "pins",
    "tap",
    "tapped",
    "thread",
    "csk",
    "cbore",
    "deep",
    "thru",
    "dia",
    "pcd",
    "corner",
    "corners",
    "tab",
    "tabs",
    "notch",
    "notches",
    "bohrung",
    "bohrungen",
    "trous",
];

/// True for a clause about what is in a part, or about places on it.
fn is_of_features(words: &[&str]) -> bool {
    let of = |w: &&str| {
        let w = w.trim_matches(['.', ':', '-', '+']);
        let figure = |rest: &str| rest.starts_with(|c: char| c.is_ascii_digit());
        FEATURES.contains(&w)
            || w.starts_with(['ø', '⌀'])
            || ["r", "m", "y"].iter().any(|k| w.strip_prefix(k).is_some_and(figure))
            // Compounds of a tongue that writes them in one word.
            || w.starts_with("gewinde") || w.starts_with("bohr") || w.starts_with("trou")
    };
    words.iter().any(of)
}

fn whole(word: &str) -> Option<u32> {
    let digits = word.trim_matches(['.', ':', '-', '+']);
    if digits.is_empty() || digits.len() > 5 || !digits.bytes().all(|b| b.is_ascii_digit()) { None } else { digits.parse().ok() }
}

/// `x6`, `6x`, `6 off`, `2 req'd`, `qty 4`, `make 4`; the clause is none of features.
fn copies(words: &[&str]) -> Option<u32> {
    let after = |i: usize| words.get(i + 1).and_then(|w| whole(w));
    for (i, word) in words.iter().enumerate() {
        let w = word.trim_end_matches(['.', ':']);
        // 40x20 and M6x20 are sizes.
        let figure = |k: usize| words.get(k).is_some_and(|next| next.starts_with(|c: char| c.is_ascii_digit()));
        if let Some(n) = w.strip_prefix('x').and_then(whole)
            && !(i > 0 && whole(words[i - 1]).is_some())
        {
            return Some(n);
        }
        if let Some(n) = w.strip_suffix('x').and_then(whole)
            && !figure(i + 1)
        {
            return Some(n);
        }
        match w {
            "qty" | "quantity" | "quant" | "make" | "count" | "qté" | "qte" | "quantité" | "anzahl" | "menge" | "nombre" | "stückzahl"
            | "cut" | "off" | "stück" | "st" | "stk" | "pcs" | "ea"
                if i.checked_sub(1).is_none_or(|k| whole(words[k]).is_none()) =>
            {
                // “cut 4 mm deep” and “st 37” are none.
                let measured = words.get(i + 2).is_some_and(|w| matches!(*w, "mm" | "cm" | "in" | "deep"));
                if let Some(n) = after(i).filter(|_| !measured && w != "st") {
                    return Some(n);
                }
            }
            "off" | "of" | "req'd" | "reqd" | "req" | "required" | "pieces" | "pcs" | "pcs." | "pc" | "nos" | "no" | "stk" | "stück"
            | "st" | "stck" | "ea" | "each" | "pièces" | "pieces." | "pièce" | "exemplaires" => {
                // “1 of 3” is a page.
                let page = w == "of" && after(i).is_some();
                if let Some(n) = i.checked_sub(1).and_then(|k| whole(words[k])).filter(|_| !page && w != "of") {
                    return Some(n);
                }
            }
            "x" => {
                // “x 6” and “6 x”, but not “40 x 20”.
                let (before, behind) = (i.checked_sub(1).and_then(|k| whole(words[k])), after(i));
                match (before, behind) {
                    (None, Some(n)) => return Some(n),
                    (Some(n), None) if !figure(i + 1) => return Some(n),
                    _ => {}
                }
            }
            _ => {
                if let Some((k, v)) = w.split_once([':', '='])
                    && matches!(k, "qty" | "quantity" | "quant" | "qté" | "qte" | "anzahl" | "menge" | "stk")
                    && let Some(n) = whole(v)
                {
                    return Some(n);
                }
                if let Some(n) = w.strip_suffix("off").or_else(|| w.strip_suffix("pcs")).and_then(whole) {
                    return Some(n);
                }
            }
        }
    }
    None
}

/// `4 mm poplar`, `t=3`, `3mm thick`, `1/8in ply`: a length with a word behind it that says what it is of.
pub(super) fn thickness(words: &[&str]) -> Option<(f64, String)> {
    for (i, word) in words.iter().enumerate() {
        let label = word.split([':', '=']).next().unwrap_or("").trim_end_matches('.');
        let is_label = matches!(label, "t" | "thk" | "thickness" | "dicke" | "stärke" | "ép" | "ep" | "épaisseur" | "epaisseur");
        // “t=4”, “t = 4”, “thk 5”, “ép. 6”: the figure may stand apart.
        let marked = is_label.then(|| word.split_once([':', '=']).map(|w| w.1).filter(|f| !f.is_empty())).flatten();
        let apart = words.get(i + 1).filter(|w| matches!(**w, "=" | ":")).map_or(i + 1, |_| i + 2);
        let (figure, mut next) = match marked {
            Some(figure) => (figure.to_owned(), i + 1),
            // A t alone needs its sign.
            None if is_label && (label != "t" || apart > i + 1 || word.ends_with(['=', ':'])) => match words.get(apart) {
                Some(figure) => ((*figure).to_owned(), apart + 1),
                None => continue,
            },
            None => ((*word).to_owned(), i + 1),
        };
        let marked = marked.is_some() || is_label;
        let figure =
            if figure.ends_with(|c: char| c.is_ascii_digit()) && words.get(next).is_some_and(|w| matches!(*w, "mm" | "in" | "inch")) {
                next += 1;
                format!("{figure}{}", if words[next - 1] == "inch" { "in" } else { words[next - 1] })
            } else {
                figure
            };
        let unit = figure.ends_with("mm") || figure.ends_with("in") || figure.ends_with('"');
        if !(unit || marked) || !figure.starts_with(|c: char| c.is_ascii_digit()) {
            continue;
        }
        let Some(mm) = quantity::length(&figure, Unit::Mm).ok().filter(|v| THICK.contains(v)) else { continue };
        let of: Vec<&str> = words[next.min(words.len())..]
            .iter()
            .take_while(|w| w.chars().all(|c| c.is_alphabetic() || c == '-') && whole(w).is_none())
            .take(3)
            .copied()
            .collect();
        let thick =
            of.iter().any(|w| matches!(*w, "thick" | "thk")) || words[..i].iter().any(|w| matches!(*w, "thick" | "thickness" | "thk"));
        let of: Vec<&str> =
            of.into_iter().filter(|w| !matches!(*w, "thick" | "thk" | "off" | "req'd" | "reqd" | "grain" | "mirror")).collect();
        // What it is of may stand before it: “Sperrholz 4 mm”. What something is for, or goes into it, is not what it is of.
        let of = if of.is_empty() { words[..i].iter().rev().take_while(|w| is_stuff(w)).copied().collect::<Vec<_>>() } else { of };
        if words[..i].last().is_some_and(|w| matches!(*w, "for" | "für" | "pour" | "from"))
            || is_of_features(&words[next.min(words.len())..])
        {
            continue;
        }
        // A figure alone is a dimension.
        if marked || thick || of.iter().any(|w| is_stuff(w)) {
            return Some((mm, of.join(" ")));
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn notes_are_understood_and_dimensions_are_none() {
        for (text, n) in [
            ("x6", 6),
            ("X 6", 6),
            ("6x", 6),
            ("6 x", 6),
            ("6 off", 6),
            ("6 OFF", 6),
            ("2 REQ'D", 2),
            ("2 reqd", 2),
            ("2 REQ’D", 2),
            ("qty 4", 4),
            ("QTY: 4", 4),
            ("qty:4", 4),
            ("Qty=12", 12),
            ("plate x4", 4),
            ("gusset, 3 required", 3),
            ("12 pcs", 12),
            ("make 2", 2),
            ("side panel (x2)", 2),
            ("×8", 8),
            ("4off", 4),
            ("x4 4 mm poplar", 4),
            ("4 mm poplar x2", 2),
            ("5 Stück", 5),
            ("3 Stk", 3),
            ("7 St.", 7),
            ("Qté 6", 6),
            ("Anzahl: 8", 8),
            ("9 pcs", 9),
            ("4 EA", 4),
            ("NO. OFF 5", 5),
            ("CUT 4", 4),
            ("(4)", 4),
            ("6 off, 4 holes Ø6", 6),
        ] {
            let said = understood(text);
            assert!(said.contains(&Said::Copies(n)), "{text}: {said:?}");
        }
        for text in [
            "40 x 20",
            "40x20",
            "M6x20",
            "600 X 400 MM",
            "4x ø6",
            "4 x M6",
            "2x holes",
            "sheet 1 of 3",
            "scale 1:2",
            "40",
            "R12",
            "page 2",
            "6 holes",
            "rev 3",
            "40 mm",
            "120.5",
            "tolerance 0.1 mm",
            "drawn 2026-11-28",
            "x",
            "off",
            "box",
            "extra",
            "no 4711 drawn",
            "120 mm wide",
            "Ø6 4X",
            "4 OFF Ø6 HOLES",
            "R5 4X",
            "12 PCS M3 INSERT",
            "2x FOLD",
            "X20 Y30",
            "FOR 4 mm STEEL PIN",
            "4 x 3 mm steel bolts",
            "cut 4 mm deep",
            "St 37",
            "4 Bohrungen Ø8",
            "(60)",
        ] {
            assert_eq!(understood(text), [], "{text}");
        }
        assert_eq!(understood("4 mm poplar"), [Said::Thickness(4.0, "poplar".into())]);
        assert_eq!(understood("3mm birch ply, 6 off"), [Said::Copies(6), Said::Thickness(3.0, "birch ply".into())]);
        assert_eq!(understood("t=6"), [Said::Thickness(6.0, String::new())]);
        assert!(matches!(understood("1/8in ply")[..], [Said::Thickness(mm, _)] if (mm - 3.175).abs() < 1e-9));
        for (text, mm, of) in [
            ("t = 4", 4.0, ""),
            ("THK 5", 5.0, ""),
            ("Dicke 4", 4.0, ""),
            ("ép. 6", 6.0, ""),
            ("Sperrholz 4 mm", 4.0, "sperrholz"),
            ("contreplaqué 5 mm", 5.0, "contreplaqué"),
            ("2 mm BRASS", 2.0, "brass"),
        ] {
            assert_eq!(understood(text), [Said::Thickness(mm, of.into())], "{text}");
        }
        assert_eq!(understood("3 mm thick"), [Said::Thickness(3.0, String::new())]);
        assert_eq!(understood("grain →"), [Said::Grain { across: false }]);
        assert_eq!(understood("GRAIN ↑"), [Said::Grain { across: true }]);
        assert_eq!(understood("mirror"), [Said::Handed]);
        assert_eq!(understood("1 as drawn, 1 opposite hand"), [Said::Handed]);
    }

    proptest! {
        /// Whatever is written is read or left alone, and counts are kept within what is believed.
        #[test]
        fn strange_words_do_no_harm(text in "\\PC{0,60}", n in 0..200_000_u32) {
            for said in understood(&text).into_iter().chain(understood(&format!("{n} off"))).chain(understood(&format!("x{n}"))) {
                match said {
                    Said::Copies(n) => prop_assert!((1..=MOST).contains(&n)),
                    Said::Thickness(mm, _) => prop_assert!(THICK.contains(&mm)),
                    _ => {}
                }
            }
        }
    }
}

//! Sections: an outline that is hatched with its name by it, `SECTION A-A`, shows what is sawn through and is no part.

use super::strokes::ON;
use super::writing::{Line, gap};
use super::{Kind, Plan};
use crate::geometry::Bounds;
use std::collections::BTreeSet;

/// Its name is no further under or over it than so many heights, and where only its hatching makes it one, than the second.
const NAMED: (f64, f64) = (3.0, 8.0);
/// What a section is called by, in the languages that plans come in.
const WORDS: [&str; 8] = ["section", "sect", "schnitt", "coupe", "corte", "sezione", "doorsnede", "snitt"];

/// How surely a line of writing names a section.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Named {
    /// `SECTION B-B`: nothing else is called so.
    Surely,
    /// `A - A` or `Schnitt 2`: what is hatched by it is one.
    Perhaps,
}

/// Whether a line of writing names a section.
pub(super) fn names_section(says: &str) -> Option<Named> {
    let lower = says.trim().to_lowercase();
    let mut words = lower.split(|c: char| c.is_whitespace()).map(|w| w.trim_matches(|c: char| !c.is_alphanumeric()));
    let word = words.any(|w| WORDS.contains(&w));
    let letters: Vec<char> = lower.chars().filter(|c| !c.is_whitespace()).collect();
    let pair = |p: &[char]| matches!(*p, [a, '-' | '–' | '—', b] if a == b && a.is_alphabetic());
    let (only, ends) = (pair(&letters), letters.len() > 3 && pair(&letters[letters.len() - 3..]));
    match (word, only || ends) {
        (true, true) => Some(Named::Surely),
        (true, false) => Some(Named::Perhaps),
        (false, _) => only.then_some(Named::Perhaps),
    }
}

impl Plan<'_> {
    pub(super) fn sections(&mut self) {
        let named = |l: &Line| Some((names_section(l.says?)?, Bounds { min: l.middle, max: l.middle }.grown(l.height / 2.0), l.height));
        let names: Vec<(Named, Bounds, f64)> = self.lines.iter().filter_map(named).collect();
        if names.is_empty() {
            return;
        }
        let hatched = self.hatched();
        for (named, name, h) in names {
            let away = |i: &usize| gap(self.contours[*i].bounds, name);
            let reach = NAMED.1 * h;
            let shows = |i: &usize| {
                let b = self.contours[*i].bounds;
                let over = (b.min.x..=b.max.x).contains(&name.center().x) && away(i) <= NAMED.0 * h;
                let free = self.found[*i].is_none() && self.path(*i).closed && away(i) <= reach;
                free && (named == Named::Surely && over || hatched.contains(i))
            };
            let Some(nearest) = self.near(name.grown(reach)).filter(shows).min_by(|a, b| away(a).total_cmp(&away(b))) else { continue };
            let b = self.contours[nearest].bounds.grown(1e-3);
            let within: Vec<usize> = self.near(b).filter(|i| b.holds(&self.contours[*i].bounds)).collect();
            within.into_iter().for_each(|i| self.take(i, Kind::Section));
        }
    }

    /// Outlines that lines of a hatching end on.
    fn hatched(&self) -> BTreeSet<usize> {
        let lines =
            (0..self.contours.len()).filter(|i| self.found[*i] == Some(Kind::Hatching)).filter_map(|i| self.path(i).segments.first());
        let ends = lines.flat_map(|s| [s.start, s.end]);
        ends.flat_map(|end| self.touching(end, ON)).filter(|i| self.path(*i).closed).collect()
    }
}

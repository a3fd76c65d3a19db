//! Name plates: letters welded together, a backing round them, and a ring to hang it by.

use crate::geometry::{Bounds, Corners, Path, Point, Region};
use crate::lettering::{Face, line};
use serde::{Deserialize, Serialize};

/// What files of a name plate's figures end in.
pub const ENDING: &str = ".plate";
/// Layers of the two parts.
pub const LAYERS: [&str; 2] = ["top", "backing"];
/// Welded outlines are followed by lines and arcs within this, mm.
const CLOSE: f64 = 0.01;

/// Figures of a name plate, mm.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct NamePlate {
    /// What it says.
    pub text: String,
    /// Height of its capitals.
    pub height: f64,
    /// Further apart than the face has them; less than nothing to weld them together.
    pub spacing: f64,
    /// How far the backing stands out all round.
    pub offset: f64,
    /// The ring's diameter and its hole's; none where nothing.
    pub ring: (f64, f64),
}

impl Default for NamePlate {
    fn default() -> Self {
        Self { text: "Odile".into(), height: 25.0, spacing: -1.5, offset: 4.0, ring: (12.0, 5.0) }
    }
}

/// A name plate's outlines.
#[derive(Clone, Debug, PartialEq)]
pub struct Drawn {
    /// Edges and openings of the letters.
    pub top: Vec<Path>,
    /// The backing's edge.
    pub backing: Path,
    /// The ring's hole.
    pub hole: Option<Path>,
}

impl NamePlate {
    /// The figures as a file: TOML.
    pub fn to_text(&self) -> String {
        toml::to_string(self).unwrap_or_default()
    }
    /// Figures from a file. The message says what is wrong.
    pub fn from_text(text: &str) -> Result<Self, String> {
        let plate: Self = toml::from_str(text).map_err(|e| e.message().to_owned())?;
        plate.checked()?;
        Ok(plate)
    }

    /// Refuses what no plate can be made of.
    pub fn checked(&self) -> Result<(), String> {
        let within = |what: &str, v: f64, least: f64, most: f64| {
            if v.is_finite() && (least..=most).contains(&v) {
                Ok(())
            } else {
                Err(format!("{what} of {v} mm will not do; use {least} to {most}"))
            }
        };
        let letters = self.text.chars().filter(|c| !c.is_whitespace()).count();
        if letters == 0 || self.text.chars().count() > 60 || self.text.contains(char::is_control) {
            return Err("a plate says 1 to 60 letters in one line".into());
        }
        if let Some(sentence) = crate::lettering::told(&crate::lettering::lacks(&self.text, Face::Outline), "The plate cannot say that") {
            return Err(sentence);
        }
        within("a height", self.height, 3.0, 1000.0)?;
        within("a spacing", self.spacing, -0.5 * self.height, 2.0 * self.height)?;
        within("a backing's offset", self.offset, 0.5, 200.0)?;
        if self.ring != (0.0, 0.0) {
            within("a ring", self.ring.0, 3.0, 200.0)?;
            within("a ring's hole", self.ring.1, 0.5, self.ring.0 - 2.0)?;
        }
        Ok(())
    }

    /// Its outlines. Refuses a backing that falls into pieces.
    pub fn drawn(&self) -> Result<Drawn, String> {
        self.checked()?;
        let mut x = 0.0;
        let mut letters: Vec<Region> = Vec::new();
        for c in self.text.chars() {
            let letter = line(&c.to_string(), self.height, Face::Outline);
            let lies: Vec<Path> = letter.paths.iter().map(|p| p.transformed(crate::geometry::Affine::translate((x, 0.0)))).collect();
            letters.extend(inked(&lies));
            x += letter.width + self.spacing;
        }
        let top: Vec<Path> = Region::union(letters).outlines().iter().map(|p| p.refitted(CLOSE)).collect();
        // Openings are covered by the backing: what counts is the outer edges.
        let outer = top.iter().filter(|p| p.area() > 0.0).flat_map(|p| p.grown(self.offset, Corners::Round));
        let mut whole = Region::union(outer.map(|p| Region::within(&[&p])));
        let pieces = whole.outlines().into_iter().filter(|p| p.area() > 0.0).count();
        if pieces != 1 {
            return Err(format!("the backing falls into {pieces} pieces: make the offset larger, or the letters closer"));
        }
        let bounds = top.iter().fold(Bounds::EMPTY, |b, p| b.union(p.bounds()));
        let (ring, hole) = self.ring;
        let hole = (ring > 0.0).then(|| {
            // Beside the first letter, its hole clear of the backing.
            let at = Point::new(bounds.min.x - self.offset - hole / 2.0 - ring * 0.04, bounds.center().y);
            let edge = Path::circle(at, ring / 2.0);
            whole = Region::union([std::mem::replace(&mut whole, Region::within(&[])), Region::within(&[&edge])]);
            Path::circle(at, hole / 2.0)
        });
        let edge = whole.outlines().into_iter().filter(|p| p.area() > 0.0).max_by(|a, b| a.area().total_cmp(&b.area()));
        let backing = edge.ok_or_else(|| "nothing is left of the backing".to_owned())?.refitted(CLOSE);
        if hole.as_ref().is_some_and(|h| h.segments.iter().any(|s| !backing.contains(s.start))) {
            return Err("the ring does not reach the backing: make the ring or the offset larger".into());
        }
        Ok(Drawn { top, backing, hole })
    }
}

/// The area of a letter: what is wound as its largest outline is, without what is wound against it. Its strokes may overlap.
fn inked(letter: &[Path]) -> Option<Region> {
    let largest = letter.iter().max_by(|a, b| a.area().abs().total_cmp(&b.area().abs()))?;
    let (ink, open): (Vec<&Path>, Vec<&Path>) = letter.iter().partition(|p| p.area() * largest.area() > 0.0);
    let all = |paths: Vec<&Path>| Region::union(paths.into_iter().map(|p| Region::within(&[p])));
    Some(all(ink).minus(&all(open)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        /// Whatever is written: all letters lie on the backing, at least its offset inside its edge, and the hole in its ring.
        #[test]
        fn letters_lie_on_their_backing(text in "[A-Za-z0-9&.]{1,12}( [A-Z][a-z]{1,6})?", height in 8.0..60.0_f64, spacing in -3.0..1.0_f64, offset in 2.0..12.0_f64, ring in prop_oneof![Just((0.0, 0.0)), Just((12.0, 5.0)), Just((20.0, 8.0))]) {
            let plate = NamePlate { text, height, spacing: spacing.max(-height * 0.4), offset, ring };
            let drawn = match plate.drawn() {
                Ok(drawn) => drawn,
                Err(told) => {
                    prop_assert!(told.contains("pieces") || told.contains("reach"), "{told}");
                    return Ok(());
                }
            };
            for p in &drawn.top {
                for s in &p.segments {
                    prop_assert!(drawn.backing.contains(s.start));
                    prop_assert!(drawn.backing.nearest(s.start).distance > offset - 0.1, "{}", drawn.backing.nearest(s.start).distance);
                }
            }
            if let Some(hole) = drawn.hole {
                let wall = (ring.0 - ring.1) / 2.0;
                let edge = hole.points(0.01).into_iter().map(|p| drawn.backing.nearest(p).distance).fold(f64::INFINITY, f64::min);
                prop_assert!(edge > wall - 0.1, "{edge} of {wall}");
                prop_assert!(drawn.top.iter().all(|p| hole.points(0.1).into_iter().all(|q| !p.contains(q))));
            }
            prop_assert_eq!(NamePlate::from_text(&plate.to_text()), Ok(plate));
        }
    }

    #[test]
    fn close_letters_are_one_piece_and_wide_ones_are_told() {
        let plate = |spacing: f64, offset: f64| NamePlate { text: "HIVE".into(), spacing, offset, ..NamePlate::default() };
        let edges = |p: NamePlate| p.drawn().map(|d| d.top.iter().filter(|p| p.area() > 0.0).count());
        assert_eq!(edges(plate(0.0, 4.0)), Ok(4));
        assert_eq!(edges(plate(-9.0, 4.0)), Ok(1));
        assert!(edges(plate(40.0, 2.0)).expect_err("in pieces").contains("4 pieces"));
        assert!(plate(0.0, -1.0).drawn().is_err() && NamePlate { text: "  ".into(), ..NamePlate::default() }.drawn().is_err());
    }
}

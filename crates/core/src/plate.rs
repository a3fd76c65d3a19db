//! Name plates: letters welded together, dots and letters that stand apart joined by bars, a backing round them, and a ring to hang
//! it by.

use crate::geometry::{Corners, Path, Point, Region, Vec2};
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
    /// Where the ring is.
    pub hung: Hung,
    /// Which letters.
    pub face: Face,
    /// Dots and letters that stand apart are joined by bars so wide; left apart where it is 0, to be glued on the backing.
    pub bridge: f64,
}

/// Where a name plate's ring is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Hung {
    /// Beside the first letter.
    #[default]
    Left,
    /// Beside the last letter.
    Right,
    /// Over the middle.
    Top,
}

impl Hung {
    /// All, with what they are called.
    pub const ALL: [(Self, &'static str); 3] = [(Self::Left, "left"), (Self::Top, "top"), (Self::Right, "right")];
}

impl Default for NamePlate {
    fn default() -> Self {
        Self {
            text: "Odile".into(),
            height: 25.0,
            spacing: -1.5,
            offset: 4.0,
            ring: (12.0, 5.0),
            hung: Hung::Left,
            face: Face::Outline,
            bridge: 0.0,
        }
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
        if let Some(sentence) = crate::lettering::told(&crate::lettering::lacks(&self.text, self.face), "The plate cannot say that") {
            return Err(sentence);
        }
        if !self.face.is_area() {
            return Err("letters of a plate are areas: take another face than strokes".into());
        }
        if self.bridge != 0.0 {
            within("a bridge", self.bridge, 0.3, self.height / 2.0)?;
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

    /// Its outlines. Refuses what no backing can be made of.
    pub fn drawn(&self) -> Result<Drawn, String> {
        self.checked()?;
        let set = line(&self.text, self.height, self.face);
        let letters = set.letters.iter().enumerate().filter_map(|(k, letter)| {
            let by = crate::geometry::Affine::translate((k as f64 * self.spacing, 0.0));
            let lies: Vec<Path> = set.paths[letter.paths.clone()].iter().map(|p| p.transformed(by)).collect();
            inked(&lies)
        });
        let mut ink = Region::union(letters);
        if self.bridge > 0.0 {
            ink = bridged(ink, self.bridge);
        }
        let top: Vec<Path> = ink.outlines().iter().map(|p| p.refitted(CLOSE)).collect();
        // Openings are covered by the backing: what counts is the outer edges.
        let outer = top.iter().filter(|p| p.area() > 0.0).flat_map(|p| p.grown(self.offset, Corners::Round));
        // Where letters stand so far apart that it would fall into pieces, bars as wide as what stands out hold it.
        let mut whole = bridged(Region::union(outer.map(|p| Region::within(&[&p]))), 2.0 * self.offset);
        let pieces = whole.outlines().into_iter().filter(|p| p.area() > 0.0).count();
        if pieces != 1 {
            return Err(format!("the backing falls into {pieces} pieces: make the offset larger, or the letters closer"));
        }
        let hole = self.hung_on(&mut whole)?;
        let edge = whole.outlines().into_iter().filter(|p| p.area() > 0.0).max_by(|a, b| a.area().total_cmp(&b.area()));
        let backing = edge.ok_or_else(|| "nothing is left of the backing".to_owned())?.refitted(CLOSE);
        if hole.as_ref().is_some_and(|h| h.segments.iter().any(|s| !backing.contains(s.start))) {
            return Err("the ring does not reach the backing: make the ring or the offset larger".into());
        }
        Ok(Drawn { top, backing, hole })
    }

    /// Adds the ring to a backing; its hole, clear of what was there.
    fn hung_on(&self, whole: &mut Region) -> Result<Option<Path>, String> {
        let (ring, hole) = self.ring;
        if ring <= 0.0 {
            return Ok(None);
        }
        let outlines = whole.outlines();
        let edge = outlines.iter().filter(|p| p.area() > 0.0).max_by(|a, b| a.area().total_cmp(&b.area()));
        let edge = edge.ok_or_else(|| "nothing is left of the backing".to_owned())?;
        let b = edge.bounds();
        let out = match self.hung {
            Hung::Left => Vec2::new(-1.0, 0.0),
            Hung::Right => Vec2::new(1.0, 0.0),
            Hung::Top => Vec2::new(0.0, 1.0),
        };
        // In from outside, until its hole is as near to the edge as it may be.
        let clear = hole / 2.0 + ring * 0.04;
        let mut at = b.center() + out * (b.width() + b.height() + ring);
        for _ in 0..200 {
            let left = edge.nearest(at).distance - clear;
            if left < 1e-3 {
                break;
            }
            at -= out * left;
        }
        *whole = Region::union([std::mem::replace(whole, Region::within(&[])), Region::within(&[&Path::circle(at, ring / 2.0)])]);
        Ok(Some(Path::circle(at, hole / 2.0)))
    }
}

/// Bars that join the pieces of an area, each to the nearest of those that are joined already.
fn bridged(area: Region, wide: f64) -> Region {
    let outer: Vec<Path> = area.outlines().into_iter().filter(|p| p.area() > 0.0).collect();
    if outer.len() < 2 {
        return area;
    }
    let points: Vec<Vec<Point>> = outer.iter().map(|p| p.points(wide / 20.0)).collect();
    let mut joined = vec![0];
    let mut bars = Vec::new();
    while joined.len() < outer.len() {
        let mut best: Option<(f64, Point, Point, usize)> = None;
        for i in (0..outer.len()).filter(|i| !joined.contains(i)) {
            for j in &joined {
                // From the corners of either to the other's edge.
                let there = points[i].iter().map(|p| (*p, outer[*j].nearest(*p).point));
                let back = points[*j].iter().map(|p| (outer[i].nearest(*p).point, *p));
                let near = there.chain(back).map(|(p, q)| (p.distance(q), p, q)).min_by(|a, b| a.0.total_cmp(&b.0));
                if let Some((d, p, q)) = near
                    && best.as_ref().is_none_or(|b| d < b.0)
                {
                    best = Some((d, p, q, i));
                }
            }
        }
        let Some((d, p, q, i)) = best else { break };
        // Into both by half its width, so that it holds along all of it.
        let along = if d > 1e-9 { (q - p) / d } else { Vec2::new(1.0, 0.0) };
        let (side, into) = (along.turn_90() * (wide / 2.0), along * (wide / 2.0));
        bars.push(Path::polygon(&[p - into - side, q + into - side, q + into + side, p - into + side]));
        joined.push(i);
    }
    Region::union(std::iter::once(area).chain(bars.iter().map(|b| Region::within(&[b]))))
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
        #![proptest_config(ProptestConfig::with_cases(boustrophe_house::played(64)))]
        /// Whatever is written: all letters lie on the backing, at least its offset inside its edge, and the hole in its ring.
        #[test]
        fn letters_lie_on_their_backing(text in "[A-Za-z0-9&.]{1,12}( [A-Z][a-z]{1,6})?", height in 8.0..60.0_f64, spacing in -3.0..1.0_f64, offset in 2.0..12.0_f64, ring in prop_oneof![Just((0.0, 0.0)), Just((12.0, 5.0)), Just((20.0, 8.0))], hung in prop::sample::select(&Hung::ALL[..]), face in prop::sample::select(&Face::SHIPPED[..5]), bridge in prop_oneof![Just(0.0), 0.8..2.0_f64]) {
            let plate = NamePlate { text, height, spacing: spacing.max(-height * 0.4), offset, ring, hung: hung.0, face, bridge };
            let drawn = match plate.drawn() {
                Ok(drawn) => drawn,
                Err(told) => {
                    prop_assert!(told.contains("reach"), "{told}");
                    return Ok(());
                }
            };
            let pieces = drawn.top.iter().filter(|p| p.area() > 0.0).count();
            prop_assert!(bridge == 0.0 || pieces == 1, "{pieces} pieces");
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
    fn close_letters_are_one_piece_and_wide_ones_are_held() {
        let plate = |spacing: f64, offset: f64| NamePlate { text: "HIVE".into(), spacing, offset, ..NamePlate::default() };
        let edges = |p: NamePlate| p.drawn().map(|d| d.top.iter().filter(|p| p.area() > 0.0).count());
        assert_eq!(edges(plate(0.0, 4.0)), Ok(4));
        assert_eq!(edges(plate(-9.0, 4.0)), Ok(1));
        // What stands far apart is held by the backing's bars, and by bridges where they are wanted.
        assert_eq!(edges(plate(40.0, 2.0)), Ok(4));
        assert_eq!(edges(NamePlate { bridge: 2.0, ..plate(40.0, 2.0) }), Ok(1));
        assert!(plate(0.0, -1.0).drawn().is_err() && NamePlate { text: "  ".into(), ..NamePlate::default() }.drawn().is_err());
    }

    /// Names as people are called, in twenty tongues.
    const NAMES: &str = "Odile Bram Wilhelmina Ada Theophil Juliette Ian Lili Iris Illia Emil Jiří Ján Mia Noah Liam Émilie Zoë Chloé \
        Jörg Jürgen Björn Åsa Søren Øyvind Łukasz Michał Paweł Małgorzata Čeněk Šárka Žaneta Ľuboš Ágnes Győző Őrs Ferenc Ștefan \
        Ioana Mihai Nguyễn Phượng Hiếu Ġorġ Þór Ðóra Eiríkur Ķerts Jānis Žydrūnas Šarūnas Aino Väinö Ülle Jüri Ömer İpek Şule Çağla \
        Iñaki José María Íñigo João Inês Conceição Núria Lluís Siân Rhŷs Niamh Seán Aoife Giulia Niccolò François Maëlys Loïc \
        Anna Ben Clara David Emma Felix Greta Hannes Ida Jakob Klara Lukas Marie Niklas Olga Peter Quentin Rosa Simon Tina Ulla Viktor \
        Wanda Xaver Yvonne Zacharias Aaron Bella Cedric Dora Elias Fiona Gustav Helena Igor Jana Karl Lena Max Nina Oskar Paula Robin \
        Sofia Tom Ursula Vera Willi Yusuf Zita Amélie Bastian Cora Dylan Ella Fabian Gwen Henry Isla Jack Kim Leo Mona Nils Otto Pia \
        Rafael Stella Theo Uwe Vito Will Yara Zoe Agnieszka Bartłomiej Dominika Grzegorz Krzysztof Zbigniew Wojciech Stanisław Jędrzej \
        Tijl Ijsbrand Jij Jil Lil Ili J.J. A.I. Mr.I Kit Till Jill Filip Ivo Ivi Pij Li Io I J Ö Alma Berta Carl Dieter Edith Franz \
        Gisela Heinz Inge Joachim Konrad Lotte Martin Norbert Ottilie Philipp Rosalie Sebastian Tobias Ulrich Veronika Walter";

    #[test]
    fn the_usual_figures_do_for_names() {
        let mut n = 0;
        for name in NAMES.split_whitespace() {
            for face in [Face::Outline, Face::Script, Face::Serif] {
                for bridge in [0.0, 2.0] {
                    let plate = NamePlate { text: name.into(), face, bridge, ..NamePlate::default() };
                    let drawn = plate.drawn().unwrap_or_else(|e| panic!("{name} {face:?}: {e}"));
                    assert!(
                        drawn.hole.is_some() && (bridge == 0.0 || drawn.top.iter().filter(|p| p.area() > 0.0).count() == 1),
                        "{name} {face:?}"
                    );
                    n += 1;
                }
            }
        }
        assert!(n >= 200 * 6, "{n}");
    }
}

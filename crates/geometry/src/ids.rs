//! Names that outlive what they name: contours, parts, copies, places on an edge, batches. No index of a list crosses a
//! module's border; these do.

use crate::Path;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::fmt;
use std::str::FromStr;

/// Name of a contour; sixteen hexadecimal digits in text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ContourId(pub u64);

impl fmt::Display for ContourId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:016x}", self.0)
    }
}

impl FromStr for ContourId {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        u64::from_str_radix(s, 16).map(Self).map_err(|_| format!("“{s}” does not name a contour"))
    }
}

impl Serialize for ContourId {
    fn serialize<S: Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for ContourId {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        let text = String::deserialize(d)?;
        text.parse().map_err(serde::de::Error::custom)
    }
}

/// A part within its job: it is named after its outer contour.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct PartId(pub ContourId);

impl fmt::Display for PartId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl FromStr for PartId {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        s.parse().map(Self).map_err(|_: String| format!("“{s}” does not name a part"))
    }
}

/// One copy of a part: a copy keeps its number through nests, drags and undo. `part-number` in text, numbers from 1.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct CopyId {
    /// Which part.
    pub part: PartId,
    /// Number among the part's copies in its batch, from 1.
    pub number: u32,
}

impl fmt::Display for CopyId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}-{}", self.part, self.number)
    }
}

impl FromStr for CopyId {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        let wrong = || format!("“{s}” does not name a copy");
        let (part, number) = s.split_once('-').ok_or_else(wrong)?;
        Ok(Self { part: part.parse()?, number: number.parse().map_err(|_| wrong())? })
    }
}

impl Serialize for CopyId {
    fn serialize<S: Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for CopyId {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        String::deserialize(d)?.parse().map_err(serde::de::Error::custom)
    }
}

/// One cut: the contour whose edge it makes, in which copy; of several cuts that make one contour (common edges do) which.
/// `contour@copy`, and `.n` behind it for the others than the first, in text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct CutId {
    /// In which copy.
    pub copy: CopyId,
    /// Whose edge.
    pub contour: ContourId,
    /// Which of those, from 0.
    pub nth: u32,
}

impl fmt::Display for CutId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}@{}", self.contour, self.copy)?;
        if self.nth > 0 { write!(f, ".{}", self.nth) } else { Ok(()) }
    }
}

impl FromStr for CutId {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        let wrong = || format!("“{s}” does not name a cut");
        let (contour, rest) = s.split_once('@').ok_or_else(wrong)?;
        let (copy, nth) = rest.split_once('.').unwrap_or((rest, "0"));
        Ok(Self { copy: copy.parse()?, contour: contour.parse()?, nth: nth.parse().map_err(|_| wrong())? })
    }
}

impl Serialize for CutId {
    fn serialize<S: Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for CutId {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        String::deserialize(d)?.parse().map_err(serde::de::Error::custom)
    }
}

/// A place on a contour as drawn. It stays where it was put when the part is turned, mirrored or nested anew, and when the
/// drawing is revised without changing the contour.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum EdgePlace {
    /// On this segment, counted from 0, at this share of its length, 0 to 1.
    On {
        /// Which segment.
        segment: u32,
        /// Where on it.
        share: f64,
    },
    /// At this share of the whole length, 0 to 1: as jobs of earlier versions have it.
    Along(f64),
}

impl EdgePlace {
    /// The place at a distance along a path, mm.
    ///
    /// ```
    /// # use boustrophe_geometry::*;
    /// # use boustrophe_geometry::ids::EdgePlace;
    /// let plate = Path::rectangle(0.0, 0.0, 80.0, 50.0);
    /// let place = EdgePlace::at(&plate, 90.0);
    /// assert_eq!(place, EdgePlace::On { segment: 1, share: 0.2 });
    /// assert_eq!(place.along(&plate), 90.0);
    /// ```
    pub fn at(path: &Path, along: f64) -> Self {
        let mut before = 0.0;
        for (i, s) in path.segments.iter().enumerate() {
            let length = s.length();
            if along <= before + length || i + 1 == path.segments.len() {
                let share = if length > 0.0 { ((along - before) / length).clamp(0.0, 1.0) } else { 0.0 };
                return Self::On { segment: i as u32, share };
            }
            before += length;
        }
        Self::On { segment: 0, share: 0.0 }
    }

    /// Its distance along a path, mm; that of the end where the path has fewer segments now.
    pub fn along(self, path: &Path) -> f64 {
        match self {
            Self::Along(share) => share * path.length(),
            Self::On { segment, share } => {
                let before: f64 = path.segments.iter().take(segment as usize).map(crate::Segment::length).sum();
                before + path.segments.get(segment as usize).map_or(0.0, |s| s.length() * share)
            }
        }
    }

    /// False where it names no place at all.
    pub fn is_sane(self) -> bool {
        match self {
            Self::Along(share) | Self::On { share, .. } => (0.0..=1.0).contains(&share),
        }
    }
}

/// What is made on one machine of one material: a job may have several.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct BatchId(pub u32);

impl BatchId {
    /// The batch that every job has.
    pub const FIRST: Self = Self(1);

    /// True for the batch that every job has.
    pub fn is_first(&self) -> bool {
        *self == Self::FIRST
    }
}

impl Default for BatchId {
    fn default() -> Self {
        Self::FIRST
    }
}

impl fmt::Display for BatchId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl FromStr for BatchId {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        s.parse().map(Self).map_err(|_| format!("“{s}” is no batch"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Affine, Point};
    use proptest::prelude::*;

    proptest! {
        /// A place on an outline is the same point however the outline is turned, moved or mirrored.
        #[test]
        fn a_place_moves_with_its_outline(along in 0.0..100.0_f64, turn in 0.0..6.3_f64, mirror in prop::bool::ANY) {
            let path = Path::polygon(&[Point::ZERO, Point::new(30.0, 0.0), Point::new(30.0, 20.0), Point::new(0.0, 20.0)]);
            let place = EdgePlace::at(&path, along);
            prop_assert!((place.along(&path) - along).abs() < 1e-9);
            let motion = Affine::rotate(turn) * if mirror { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY };
            let lying = path.transformed(motion);
            let (p, q) = (lying.at(place.along(&lying)).0, motion * path.at(along).0);
            prop_assert!(p.distance(q) < 1e-9);
            let written = serde_json::to_string(&place).expect("written");
            let read: EdgePlace = serde_json::from_str(&written).expect("read");
            prop_assert!((read.along(&path) - along).abs() < 1e-9);
        }
    }

    #[test]
    fn names_read_as_they_are_written() {
        let copy = CopyId { part: PartId(ContourId(0xabc)), number: 12 };
        assert_eq!(copy.to_string(), "0000000000000abc-12");
        assert_eq!(copy.to_string().parse(), Ok(copy));
        for nth in [0, 3] {
            let cut = CutId { copy, contour: ContourId(0xde), nth };
            assert_eq!(cut.to_string().parse(), Ok(cut));
        }
        assert!("00de".parse::<CutId>().is_err());
        assert!("abc".parse::<CopyId>().is_err() && "abc-x".parse::<CopyId>().is_err() && "x-1".parse::<CopyId>().is_err());
        assert_eq!(serde_json::from_str::<EdgePlace>("0.25").ok(), Some(EdgePlace::Along(0.25)));
    }
}

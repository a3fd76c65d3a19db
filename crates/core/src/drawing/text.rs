//! Writing of a drawing: what it says and where it stands.

use crate::geometry::{Point, Vec2};
use serde::{Deserialize, Serialize};

/// What of a line of writing stands where it was put.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum Anchor {
    /// Its begin.
    #[default]
    Begin,
    /// Its middle.
    Middle,
    /// Its end.
    End,
}

impl Anchor {
    /// How far along the line it is, as a share of its width.
    pub fn share(self) -> f64 {
        match self {
            Self::Begin => 0.0,
            Self::Middle => 0.5,
            Self::End => 1.0,
        }
    }
}

/// A line of writing: kept as reference, or what letters say.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Text {
    /// Left end of the base line.
    pub at: Point,
    /// Height of capitals.
    pub height: f64,
    /// Direction of the base line, radians.
    pub angle: f64,
    /// What it says.
    pub value: String,
    /// What of it stays in its place where it says something else.
    #[serde(default)]
    pub anchor: Anchor,
    /// Number of the element ([`super::Entity::compound`]) whose outlines are its letters; 0 where it is reference only.
    #[serde(default)]
    pub compound: u32,
}

/// Width of a letter as a share of its height, in most faces.
const LETTER: f64 = 0.65;

impl Text {
    /// Writing whose anchor is put at `p`, so many of its heights over its base line.
    pub fn anchored(p: Point, (anchor, up): (Anchor, f64), height: f64, angle: f64, value: String) -> Self {
        let mut text = Self { at: p, height, angle, value, anchor, compound: 0 };
        let along = Vec2::from_angle(angle);
        text.at = p - along * (anchor.share() * text.width()) - along.turn_90() * (up * height);
        text
    }
    /// About how wide it is, in the units of its height: its face is not known.
    pub fn width(&self) -> f64 {
        self.height * LETTER * self.value.chars().count() as f64
    }
    /// About where its middle is.
    pub fn middle(&self) -> Point {
        let along = Vec2::from_angle(self.angle);
        self.at + along * (self.width() / 2.0) + along.turn_90() * (self.height / 2.0)
    }
}

//! Boxes and trays of flat sheet, from their figures: each panel with its joints, ready to be cut and put together.
//!
//! The outer box is thought of as its slabs: each panel's own volume, the bars along the edges where two of them would overlap, and
//! the cubes at the corners where three would. Every bar is divided into an odd number of equal stretches that belong to the two
//! panels by turns, the outermost to the one of higher rank; every cube belongs to the panel of highest rank that meets there. What a
//! panel owns is its outline; so nothing is owned twice, and nothing by nobody.

mod outline;
mod picture;
#[cfg(test)]
mod tests;

pub use picture::picture;

use crate::geometry::{Path, Point};
use serde::{Deserialize, Serialize};

/// What is above.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Top {
    /// Nothing.
    #[default]
    Open,
    /// A panel, jointed as the others are.
    Closed,
    /// A plate that lies on it, with another under it that fits inside.
    Lid,
}

/// Figures of a box, mm.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct BoxSpec {
    /// What it is called.
    pub name: String,
    /// Width (left to right), depth (front to back), height.
    pub size: (f64, f64, f64),
    /// The size is that of the room inside.
    pub inner: bool,
    /// What is above.
    pub top: Top,
    /// Thickness as measured: of the base and what is above, of left and right, of front and back.
    pub thickness: (f64, f64, f64),
    /// Room in every joint, mm; less than nothing to be pressed together.
    pub clearance: f64,
    /// Wanted width of the fingers; it is made to fit.
    pub finger: f64,
    /// Dividers from front to back, and from left to right.
    pub dividers: (u32, u32),
    /// A slot for a hand, left and right: its length and height; none where nothing.
    pub handle: (f64, f64),
    /// Height of feet under the walls; none where nothing.
    pub feet: f64,
    /// Numbers of the joints are written beside them.
    pub numbers: bool,
}

impl Default for BoxSpec {
    fn default() -> Self {
        Self {
            name: "Box".into(),
            size: (200.0, 150.0, 80.0),
            inner: false,
            top: Top::Open,
            thickness: (3.0, 3.0, 3.0),
            clearance: 0.1,
            finger: 15.0,
            dividers: (0, 0),
            handle: (0.0, 0.0),
            feet: 0.0,
            numbers: true,
        }
    }
}

/// One of the box's panels, as it lies flat.
#[derive(Clone, Debug, PartialEq)]
pub struct Panel {
    /// Its place.
    pub name: String,
    /// Its edge.
    pub outline: Path,
    /// Holes in it.
    pub holes: Vec<Path>,
    /// Numbers of its joints: what, its height, and where its middle is.
    pub numbers: Vec<(String, f64, Point)>,
    /// Where it stands in the box: its corner, and the directions of its x and its y; it is thick in the third.
    pub stands: Stands,
}

/// Where a panel stands: the corner of its own 0, 0 on its outer side, its x, its y, and how thick it is inward, mm.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stands {
    /// Its 0, 0.
    pub at: [f64; 3],
    /// Which way its x runs: 0, 1 or 2 for the box's width, depth and height.
    pub x: usize,
    /// Which way its y runs.
    pub y: usize,
    /// From its face to the other one, along the axis that is left.
    pub thick: f64,
}

/// What files of a box's figures end in.
pub const ENDING: &str = ".box";

/// Largest box, mm, and most dividers each way.
const LARGEST: f64 = 5000.0;
const MOST_DIVIDERS: u32 = 40;

impl BoxSpec {
    /// The figures as a file: TOML.
    pub fn to_text(&self) -> String {
        toml::to_string(self).unwrap_or_default()
    }
    /// Figures from a file. The message says what is wrong.
    pub fn from_text(text: &str) -> Result<Self, String> {
        let spec: Self = toml::from_str(text).map_err(|e| e.message().to_owned())?;
        spec.checked()?;
        Ok(spec)
    }

    /// Outer width, depth, height.
    pub fn outer(&self) -> [f64; 3] {
        let (w, d, h) = self.size;
        if !self.inner {
            return [w, d, h];
        }
        let above = if self.top == Top::Closed { self.thickness.0 } else { 0.0 };
        [w + 2.0 * self.thickness.1, d + 2.0 * self.thickness.2, h + self.thickness.0 + above]
    }

    /// Refuses what no box can be made of.
    pub fn checked(&self) -> Result<(), String> {
        let within = |what: &str, v: f64, least: f64, most: f64| {
            if v.is_finite() && (least..=most).contains(&v) {
                Ok(())
            } else {
                // In thousandths: limits are reckoned from other figures.
                let r = |v: f64| (v * 1000.0).round() / 1000.0;
                Err(format!("{what} of {v} mm will not do; use {} to {}", r(least), r(most)))
            }
        };
        let (a, b, c) = self.thickness;
        for t in [a, b, c] {
            within("a thickness", t, 0.3, 60.0)?;
        }
        let most = a.max(b).max(c);
        let outer = self.outer();
        for (what, v) in ["a width", "a depth", "a height"].into_iter().zip(outer) {
            within(what, v, 6.0 * most, LARGEST)?;
        }
        within("a finger", self.finger, 1.0, 1000.0)?;
        within("a clearance", self.clearance, -0.5 * most, 0.4 * most)?;
        if self.dividers.0 > MOST_DIVIDERS || self.dividers.1 > MOST_DIVIDERS {
            return Err(format!("{MOST_DIVIDERS} dividers each way are the most"));
        }
        let rooms = (outer[0] - 2.0 * b - f64::from(self.dividers.0) * b, outer[1] - 2.0 * c - f64::from(self.dividers.1) * b);
        let least = |room: f64, n: u32| room / f64::from(n + 1);
        if least(rooms.0, self.dividers.0) < 2.0 * most || least(rooms.1, self.dividers.1) < 2.0 * most {
            return Err("so many dividers leave no room between them; take fewer, or a larger box".into());
        }
        within("a foot", self.feet, 0.0, outer[2])?;
        if self.handle != (0.0, 0.0) {
            within("a handle's length", self.handle.0, 10.0, outer[1] - 4.0 * most)?;
            within("a handle's height", self.handle.1, 5.0, (outer[2] / 3.0).min(self.handle.0))?;
        }
        if self.name.chars().count() > 60 {
            return Err("a name has 60 letters at most".into());
        }
        Ok(())
    }

    /// The panels, in a fixed order.
    pub fn panels(&self) -> Result<Vec<Panel>, String> {
        self.checked()?;
        Ok(outline::panels(self))
    }
}

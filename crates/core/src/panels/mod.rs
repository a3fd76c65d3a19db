//! Boxes and trays of flat sheet, from their figures: each panel with its joints, ready to be cut and put together.
//!
//! The outer box is thought of as its slabs: each panel's own volume, the bars along the edges where two of them would overlap, and
//! the cubes at the corners where three would. Every bar is divided into an odd number of equal stretches that belong to the two
//! panels by turns, the outermost to the one of higher rank; every cube belongs to the panel of highest rank that meets there. What a
//! panel owns is its outline; so nothing is owned twice, and nothing by nobody.

mod frame;
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

/// What is made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// A box or a tray.
    #[default]
    Box,
    /// A tray with a low front, its sides rising from there at an angle.
    Sloped,
    /// Rails round an opening of the width and depth.
    Frame,
}

/// Figures of a box, mm.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct BoxSpec {
    /// What it is called.
    pub name: String,
    /// What is made.
    pub form: Form,
    /// Of a sloped tray: the front's height, mm, and the angle at which the sides rise from it, degrees.
    pub slope: (f64, f64),
    /// Of a frame: the width of its rails, and how much the rails behind are set back for what lies in it, mm; 0 without those.
    pub rails: (f64, f64),
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
            form: Form::Box,
            slope: (30.0, 45.0),
            rails: (30.0, 6.0),
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
        if self.form == Form::Frame {
            return self.frame_checked();
        }
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
        if self.form == Form::Sloped {
            let (front, angle) = self.slope;
            within("the front's height", front, 5.0 * most, outer[2] - most)?;
            if !(10.0..=80.0).contains(&angle) {
                return Err(format!("a slope of {angle}° will not do; use 10 to 80"));
            }
            let run = (outer[2] - front) / angle.to_radians().tan();
            if c + run > outer[1] - c - most {
                return Err(format!(
                    "at {angle}° the sides would be {run:.0} mm long before they are as high as the back; make the tray deeper, or the slope steeper"
                ));
            }
            if self.top != Top::Open || self.handle != (0.0, 0.0) {
                return Err("a sloped tray is open above and has no handles in its sides".into());
            }
        }
        self.named()
    }

    fn named(&self) -> Result<(), String> {
        if self.name.chars().count() > 60 { Err("a name has 60 letters at most".into()) } else { Ok(()) }
    }

    /// Refuses what no frame can be made of.
    fn frame_checked(&self) -> Result<(), String> {
        let within = |what: &str, v: f64, least: f64, most: f64| {
            if v.is_finite() && (least..=most).contains(&v) {
                Ok(())
            } else {
                Err(format!("{what} of {v} mm will not do; use {least} to {most}"))
            }
        };
        within("an opening's width", self.size.0, 10.0, LARGEST)?;
        within("an opening's depth", self.size.1, 10.0, LARGEST)?;
        within("a rail", self.rails.0, 9.0, 500.0)?;
        within("what the rails behind are set back", self.rails.1, 0.0, self.rails.0 - 6.0)?;
        within("a thickness", self.thickness.0, 0.3, 60.0)?;
        within("a clearance", self.clearance, -0.5, 1.0)?;
        within("a finger", self.finger, 1.0, 1000.0)?;
        self.named()
    }

    /// The panels, in a fixed order.
    pub fn panels(&self) -> Result<Vec<Panel>, String> {
        self.checked()?;
        Ok(if self.form == Form::Frame { frame::panels(self) } else { outline::panels(self) })
    }
}

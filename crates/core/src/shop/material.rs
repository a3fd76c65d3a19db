//! Materials: how they look, what they cost, how their parts are held.

use serde::{Deserialize, Serialize};

/// A material's own rule of nicks; what is `None` is the shop's.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct NickRule {
    /// Material left, mm.
    pub width: Option<f64>,
    /// Outline for each, mm.
    pub pitch: Option<f64>,
    /// Fewest and most of a contour.
    pub count: Option<(u32, u32)>,
}

/// A material and how it looks on the stage.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Material {
    /// Short id.
    pub id: String,
    /// Name.
    pub name: String,
    /// Colour of its face, `#rrggbb`.
    pub tone: String,
    /// True when its grain runs along the sheet's width and is drawn.
    pub grain: bool,
    /// Price of a square metre per mm of thickness.
    pub price: f64,
    /// The usual sheet: width, height in mm.
    pub sheet: (f64, f64),
    /// Colour of what is engraved, `#rrggbb`: darker, or the lighter ground that engraving uncovers.
    #[serde(default = "burnt")]
    pub engraved: String,
    /// Weight of a cubic metre, kg.
    #[serde(default)]
    pub density: f64,
    /// How its parts are held.
    #[serde(default)]
    pub nicks: NickRule,
    /// How much wider than the sheet a slot is that holds it, mm, as a coupon has shown.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clearance: Option<f64>,
}

fn burnt() -> String {
    "#5b3a1e".into()
}

impl Material {
    /// What is wrong with it; nothing where it will do.
    pub fn troubles(&self) -> Vec<String> {
        let mut out = Vec::new();
        let colour = |c: &str| c.len() == 7 && c.starts_with('#') && c[1..].bytes().all(|b| b.is_ascii_hexdigit());
        for (what, c) in [("tone", &self.tone), ("engraved tone", &self.engraved)] {
            if !colour(c) {
                out.push(format!("the {what} “{c}” is no colour; write it like #dcc397"));
            }
        }
        let mut within = |what: &str, v: f64, least: f64, most: f64| {
            if !(v.is_finite() && (least..=most).contains(&v)) {
                out.push(format!("a {what} of {v} will not do; use {least} to {most}"));
            }
        };
        within("price", self.price, 0.0, 100_000.0);
        within("density", self.density, 0.0, 30_000.0);
        within("sheet width", self.sheet.0, 10.0, 20_000.0);
        within("sheet height", self.sheet.1, 10.0, 20_000.0);
        within("clearance", self.clearance.unwrap_or(0.0), -3.0, 3.0);
        within("nick width", self.nicks.width.unwrap_or(1.0), 0.05, 20.0);
        within("nick pitch", self.nicks.pitch.unwrap_or(100.0), 5.0, 10_000.0);
        if self.nicks.count.is_some_and(|(least, most)| least > most || most > 400) {
            out.push("fewest and most nicks run from 0 to 400, the fewest first".into());
        }
        out
    }
    /// True where engraving comes out lighter than the face.
    pub fn engraves_light(&self) -> bool {
        let light = |c: &str| (1..7).step_by(2).filter_map(|i| u32::from_str_radix(c.get(i..i + 2)?, 16).ok()).sum::<u32>();
        light(&self.engraved) > light(&self.tone)
    }
}

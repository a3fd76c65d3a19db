//! What a reader makes of a file: every drawable entity, in the file's own units, with its looks.

mod text;

pub use text::{Anchor, Text};

use crate::geometry::{Affine, Bounds, Clip, Curve, Point};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;
use std::str::FromStr;
use std::sync::Arc;

/// A unit of length a drawing may be in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// Millimetres.
    Mm,
    /// Centimetres.
    Cm,
    /// Metres.
    M,
    /// Inches of 25.4 mm.
    In,
    /// Feet of 304.8 mm.
    Ft,
}

impl Unit {
    /// All of them, in the order in which they are offered when nothing else decides.
    pub const ALL: [Self; 5] = [Self::Mm, Self::In, Self::Cm, Self::M, Self::Ft];

    /// Millimetres in one unit.
    pub fn mm(self) -> f64 {
        match self {
            Self::Mm => 1.0,
            Self::Cm => 10.0,
            Self::M => 1000.0,
            Self::In => 25.4,
            Self::Ft => 304.8,
        }
    }
    /// Short name, as typed.
    pub fn symbol(self) -> &'static str {
        match self {
            Self::Mm => "mm",
            Self::Cm => "cm",
            Self::M => "m",
            Self::In => "in",
            Self::Ft => "ft",
        }
    }
}

impl fmt::Display for Unit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.symbol())
    }
}

impl FromStr for Unit {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        Self::ALL.into_iter().find(|u| u.symbol() == s).ok_or_else(|| format!("“{s}” is not a unit; use mm, cm, m, in or ft"))
    }
}

/// What the file says of its size.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub enum FileUnits {
    /// One drawing unit is this.
    Known(Unit),
    /// One drawing unit is this many mm (an SVG with a physical width and a viewBox).
    Scale(f64),
    /// Pixels of an unstated density.
    Pixels,
    /// Nothing.
    Unsaid,
}

/// The looks of an entity: what the drawing key tells apart.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Style {
    /// Layer or named group.
    pub layer: String,
    /// Line colour, `None` for no stroke.
    pub stroke: Option<[u8; 3]>,
    /// Fill colour, `None` for no fill.
    pub fill: Option<[u8; 3]>,
    /// Line type by name, or the dash pattern; empty for a plain line.
    pub line_type: String,
    /// Line width in micrometres, 0 when not given.
    pub width: u32,
    /// Letters, whether as text or as marked outlines.
    pub text: bool,
    /// Filled by winding number rather than even-odd: overlaps of one fill stay filled.
    pub winding: bool,
    /// On a layer that was frozen, switched off or not for plotting.
    pub hidden: bool,
    /// What it was drawn for, where the file says so.
    pub nature: Nature,
    /// Not of the file: an operation at Clean added it. It is what its nature says, whatever the colour that it was given.
    #[serde(default)]
    pub added: bool,
}

/// What something was drawn for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Nature {
    /// Not said.
    #[default]
    Plain,
    /// An area: a hatch, a solid.
    Area,
    /// Dimensions, leaders: about the drawing, not of it.
    Annotation,
    /// Letters of single strokes: a closed one is no hole.
    Writing,
    /// A picture.
    Picture,
    /// A point: a place that may want a centre mark.
    Centre,
}

/// `#rrggbb`.
pub fn colour_name(c: [u8; 3]) -> String {
    format!("#{:02x}{:02x}{:02x}", c[0], c[1], c[2])
}

impl Style {
    /// True for what is reference from the start: hidden in the file, or about the drawing. Nothing in it needs mending.
    pub fn aside(&self) -> bool {
        self.hidden || self.nature == Nature::Annotation
    }
    /// The key under which decisions about this style are kept.
    pub fn key(&self) -> String {
        let mut key = format!("layer={}", self.layer);
        let mut add = |name: &str, value: String| key.push_str(&format!("|{name}={value}"));
        if let Some(c) = self.stroke {
            add("stroke", colour_name(c));
        }
        if let Some(c) = self.fill {
            add("fill", colour_name(c));
        }
        if !self.line_type.is_empty() {
            add("type", self.line_type.clone());
        }
        if self.width > 0 {
            add("width", self.width.to_string());
        }
        if self.text {
            add("text", "yes".into());
        }
        if self.hidden {
            add("hidden", "yes".into());
        }
        if self.added {
            add("added", "yes".into());
        }
        match self.nature {
            Nature::Plain => {}
            Nature::Area => add("area", "yes".into()),
            Nature::Annotation => add("annotation", "yes".into()),
            Nature::Writing => add("writing", "yes".into()),
            Nature::Picture => add("picture", "yes".into()),
            Nature::Centre => add("centre", "yes".into()),
        }
        key
    }

    /// The key as it was before widths of lines were told apart: decisions of that time are kept under it.
    pub fn key_without_width(&self) -> Option<String> {
        (self.width > 0).then(|| Self { width: 0, ..self.clone() }.key())
    }

    /// In words, for the drawing key's row.
    pub fn words(&self) -> String {
        let mut words = Vec::new();
        if !self.layer.is_empty() {
            words.push(self.layer.clone());
        }
        if let Some(c) = self.stroke {
            words.push(format!("line {}", colour_name(c)));
        }
        if let Some(c) = self.fill {
            words.push(format!("fill {}", colour_name(c)));
        }
        if !self.line_type.is_empty() {
            words.push(self.line_type.to_lowercase());
        }
        if self.width > 0 {
            words.push(format!("{} mm wide", f64::from(self.width) / 1000.0));
        }
        if self.text {
            words.push("letters".into());
        }
        if self.hidden {
            words.push("hidden in the file".into());
        }
        if self.added {
            words.push("added at Clean".into());
        }
        match self.nature {
            Nature::Plain => {}
            Nature::Area => words.push("hatched area".into()),
            Nature::Annotation => words.push("dimensions and leaders".into()),
            Nature::Writing => words.push("single-stroke writing".into()),
            Nature::Picture => words.push("picture".into()),
            Nature::Centre => words.push("centre marks".into()),
        }
        words.join(", ")
    }
}

/// The shape of an entity, in drawing units.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub enum Shape {
    /// Curves end to start.
    Path {
        /// The curves in order.
        curves: Vec<Curve>,
        /// True when the file says that it is an outline.
        closed: bool,
    },
    /// Writing.
    Text(Text),
    /// A picture that lies in the drawing.
    Picture(Picture),
}

/// A picture in its place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Picture {
    /// What it shows.
    pub bitmap: Arc<Bitmap>,
    /// From the unit square, lower left corner at 0, 0, to the drawing.
    pub place: Affine,
}

/// One stroke of the drawing.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Entity {
    /// Index into [`Drawing::styles`].
    pub style: usize,
    /// Its shape.
    pub shape: Shape,
    /// Number of the element that it was drawn with: outlines of one number are filled together. 0 for what stands alone.
    pub compound: u32,
}

impl Entity {
    /// An entity that stands alone.
    pub fn new(style: usize, shape: Shape) -> Self {
        Self { style, shape, compound: 0 }
    }
}

/// A picture in grey levels.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Bitmap {
    /// Pixels in a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// Grey levels, 0 black to 255 white, row by row from the top.
    #[serde(with = "serde_bytes")]
    pub grey: Vec<u8>,
}

impl Bitmap {
    /// The picture with paper wherever the clip, in drawing units, does not show it. `place` maps the unit square to the
    /// drawing.
    pub fn clipped(&self, place: Affine, clip: &Clip) -> Self {
        let (w, h) = (self.width as f64, self.height as f64);
        let grey = self.grey.iter().enumerate().map(|(i, g)| {
            let (x, y) = ((i % self.width) as f64 + 0.5, (i / self.width) as f64 + 0.5);
            if clip.has(place * Point::new(x / w, 1.0 - y / h)) { *g } else { 255 }
        });
        Self { grey: grey.collect(), ..*self }
    }
}

/// A drawing as read, before any decision.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawing {
    /// The file's name.
    pub file: String,
    /// What the file says of its units.
    pub units: FileUnits,
    /// What it leans to where it does not say: metric or imperial.
    pub leans: Option<Unit>,
    /// All looks that occur.
    pub styles: Vec<Style>,
    /// All strokes, in the file's order. A block reference or compound path may give several.
    pub entities: Vec<Entity>,
    /// Drawable entities of the file that were used; a block reference counts once.
    pub read: usize,
    /// Entities left aside, by kind.
    pub skipped: BTreeMap<String, usize>,
    /// Sentences on how something was read, for a person to know.
    pub remarks: Vec<String>,
    /// Pages of the file as they lie in the drawing, where it has pages.
    pub pages: Vec<Bounds>,
    /// A picture, where the file is one; one unit is a pixel, its lower left corner at 0, 0.
    pub bitmap: Option<Arc<Bitmap>>,
    /// Sentences on entities that could not be used as they are: where and what. At most [`Drawing::MOST_BROKEN`].
    pub broken: Vec<String>,
    /// Sentences on damage to the file itself, each of which may have cost something that was drawn: where and what. At most
    /// [`Drawing::MOST_BROKEN`].
    pub damage: Vec<String>,
    /// The solid that the file is of: its faces may be drawn otherwise.
    pub solid: Option<Arc<crate::mesh::Solid>>,
    /// What outlines say that were set as letters when it was read.
    #[serde(default)]
    pub lettered: Vec<Text>,
}

impl Drawing {
    /// Broken entities that are told one by one.
    pub const MOST_BROKEN: usize = 20;
    /// Coordinates beyond this are no drawing's, whatever its unit.
    pub const LARGEST_NUMBER: f64 = 1e12;

    /// An empty drawing for a reader to fill.
    pub fn new(file: &str, units: FileUnits) -> Self {
        Self {
            file: file.into(),
            units,
            leans: None,
            styles: Vec::new(),
            entities: Vec::new(),
            read: 0,
            skipped: BTreeMap::new(),
            remarks: Vec::new(),
            pages: Vec::new(),
            bitmap: None,
            broken: Vec::new(),
            damage: Vec::new(),
            solid: None,
            lettered: Vec::new(),
        }
    }
    /// Index of a style, added when it is new.
    pub fn style(&mut self, style: &Style) -> usize {
        self.styles.iter().rposition(|s| s == style).unwrap_or_else(|| {
            self.styles.push(style.clone());
            self.styles.len() - 1
        })
    }
    /// Leaves an entity aside because it makes no sense, and says so.
    pub fn refuse(&mut self, kind: &str, sentence: String) {
        self.skip(kind);
        if self.broken.len() < Self::MOST_BROKEN {
            self.broken.push(sentence);
        }
    }
    /// Counts an entity that is left aside.
    pub fn skip(&mut self, kind: &str) {
        *self.skipped.entry(kind.into()).or_insert(0) += 1;
    }
}

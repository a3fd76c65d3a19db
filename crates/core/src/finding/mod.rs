//! What the software noticed: where, how bad, and what would mend it.

mod code;

pub use crate::words::counted;
pub use code::Code;

use crate::decisions::Edit;
use crate::geometry::Point;
use crate::ids::{BatchId, ContourId};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;

/// The eight stations of the route, in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Station {
    /// Drawings in, at true size.
    Intake,
    /// Geometry a machine can follow.
    Clean,
    /// What each line is.
    Assign,
    /// Parts on sheets.
    Nest,
    /// What is cut when.
    Order,
    /// Nicks, leads, kerf.
    Hold,
    /// See it before it is burned.
    Proof,
    /// Files and machines.
    Release,
}

impl Station {
    /// All, in the order of the route.
    pub const ALL: [Self; 8] = [Self::Intake, Self::Clean, Self::Assign, Self::Nest, Self::Order, Self::Hold, Self::Proof, Self::Release];

    /// Name as shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Intake => "Intake",
            Self::Clean => "Clean",
            Self::Assign => "Assign",
            Self::Nest => "Nest",
            Self::Order => "Order",
            Self::Hold => "Hold",
            Self::Proof => "Proof",
            Self::Release => "Release",
        }
    }
    /// Name in addresses and reports.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Intake => "intake",
            Self::Clean => "clean",
            Self::Assign => "assign",
            Self::Nest => "nest",
            Self::Order => "order",
            Self::Hold => "hold",
            Self::Proof => "proof",
            Self::Release => "release",
        }
    }
    /// The station with this slug.
    pub fn from_slug(slug: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|s| s.slug() == slug)
    }
}

/// How bad a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// No program until it is settled.
    Stop,
    /// A person has to look and accept or mend.
    Look,
    /// Good to know.
    Note,
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Stop => "stop",
            Self::Look => "look",
            Self::Note => "note",
        })
    }
}

/// What the stage shows for a finding.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Place {
    /// Contours concerned.
    pub contours: Vec<ContourId>,
    /// Points concerned: in the drawing's mm before the nest, on `sheet` after it. At most [`Place::MOST_POINTS`].
    pub points: Vec<Point>,
    /// Which sheet the points are on.
    pub sheet: Option<usize>,
    /// Which drawing they are on.
    pub drawing: Option<u32>,
    /// Which batch it concerns, where one alone.
    pub batch: Option<BatchId>,
}

impl Place {
    /// Points kept for showing; the finding's count tells the whole number.
    pub const MOST_POINTS: usize = 400;
}

/// A button that settles a finding.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Remedy {
    /// What the button says.
    pub label: String,
    /// What it comes to, in columns beside the label: the sizes that a unit gives. Mostly empty.
    #[serde(default)]
    pub comes_to: Vec<String>,
    /// What it does.
    pub edit: Edit,
    /// True when it may be taken without asking where `look` findings are accepted wholesale.
    pub safe: bool,
    /// It leaves out what would be made: never the first that is offered, and never taken by a key.
    #[serde(default)]
    pub loses: bool,
}

/// Something that was noticed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    /// Stable name for programs, such as `doubled-lines`.
    pub code: Code,
    /// How bad.
    pub severity: Severity,
    /// Station that noticed.
    pub station: Station,
    /// How many of them.
    pub count: usize,
    /// A sentence: what, where, what it would do.
    pub text: String,
    /// Where.
    pub place: Place,
    /// What would mend it, the best first.
    pub remedies: Vec<Remedy>,
}

impl Finding {
    /// A finding without place or remedy.
    pub fn new(station: Station, severity: Severity, code: Code, count: usize, text: impl Into<String>) -> Self {
        Self { code, severity, station, count, text: text.into(), place: Place::default(), remedies: Vec::new() }
    }
    /// Where it is, by names that stay the same while nothing there changes, and how often at each: contours where it is on
    /// contours, else points to a tenth of a millimetre, else what it says.
    pub fn places(&self) -> BTreeMap<String, u32> {
        let mut out = BTreeMap::new();
        // Places of the first batch are named as they were before there were others.
        let batch = self.place.batch.filter(|b| !b.is_first()).map_or_else(String::new, |b| format!("batch {b}: "));
        let mut put = |name: String| *out.entry(format!("{batch}{name}")).or_insert(0) += 1;
        if !self.place.contours.is_empty() {
            self.place.contours.iter().for_each(|c| put(c.to_string()));
        } else if !self.place.points.is_empty() {
            let whose = self.place.drawing.map_or_else(String::new, |d| format!("{d}:"));
            self.place.points.iter().for_each(|p| put(format!("{whose}{:.1},{:.1}", p.x, p.y)));
        } else {
            put(self.text.clone());
        }
        // Beyond what is kept for showing the number alone tells.
        let kept = self.place.contours.len().max(self.place.points.len());
        if kept >= Place::MOST_POINTS {
            out.insert(format!("of {}", self.count), 1);
        }
        out
    }
    /// The edit that accepts it where it is.
    pub fn acceptance(&self) -> Edit {
        Edit::Accept { code: self.code.to_string(), places: self.places() }
    }
    /// With a button that accepts it where it is.
    pub fn acceptable(self, label: impl Into<String>) -> Self {
        let code = self.code.to_string();
        self.choice(label, Edit::Accept { code, places: BTreeMap::new() })
    }
    /// Fills in where what its buttons accept lies.
    pub fn placed(&mut self) {
        let acceptance = self.acceptance();
        for r in self.remedies.iter_mut().filter(|r| matches!(r.edit, Edit::Accept { .. })) {
            r.edit = acceptance.clone();
        }
    }
    /// Of this batch, and its buttons change this batch.
    pub fn of_batch(mut self, batch: BatchId) -> Self {
        self.place.batch = Some(batch);
        self.remedies = self.remedies.into_iter().map(|r| Remedy { edit: r.edit.on(batch), ..r }).collect();
        self
    }
    /// With a mend that is safe to take unseen.
    pub fn mend(mut self, label: impl Into<String>, edit: Edit) -> Self {
        self.remedies.push(Remedy { label: label.into(), comes_to: Vec::new(), edit, safe: true, loses: false });
        self
    }
    /// With one of several answers, for a person to choose.
    pub fn choice(mut self, label: impl Into<String>, edit: Edit) -> Self {
        self.remedies.push(Remedy { label: label.into(), comes_to: Vec::new(), edit, safe: false, loses: false });
        self
    }
    /// With a way on that leaves out what would be made: behind all others.
    pub fn leaving_out(mut self, label: impl Into<String>, edit: Edit) -> Self {
        self.remedies.push(Remedy { label: label.into(), comes_to: Vec::new(), edit, safe: false, loses: true });
        self
    }
    /// What the last remedy comes to, in columns.
    pub fn coming_to(mut self, columns: impl IntoIterator<Item = String>) -> Self {
        if let Some(last) = self.remedies.last_mut() {
            last.comes_to = columns.into_iter().collect();
        }
        self
    }
    /// At these points of a drawing.
    pub fn at(mut self, drawing: u32, points: impl IntoIterator<Item = Point>) -> Self {
        self.place.drawing = Some(drawing);
        self.place.points = points.into_iter().take(Place::MOST_POINTS).collect();
        self
    }
    /// On these contours.
    pub fn on(mut self, contours: impl IntoIterator<Item = ContourId>) -> Self {
        self.place.contours = contours.into_iter().take(Place::MOST_POINTS).collect();
        self
    }
    /// At these points of a sheet, counted from 0.
    pub fn on_sheet(mut self, sheet: usize, points: impl IntoIterator<Item = Point>) -> Self {
        self.place.sheet = Some(sheet);
        self.place.points = points.into_iter().take(Place::MOST_POINTS).collect();
        self
    }
}

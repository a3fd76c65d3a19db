//! Station 3: what each line is, and which lines make a part.

mod containment;
mod key;
mod numbers;
mod parts;
#[cfg(test)]
mod tests;
mod thin;

pub use containment::parents;
pub use key::KeyRow;
pub use parts::{Part, PartId};

use crate::clean::{Cleaned, Contour, ContourId};
use crate::decisions::Decisions;
use crate::edit::Edit;
use crate::finding::{Finding, Severity, Station, counted};
use crate::shop::Shop;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// What is done along a contour.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Process {
    /// A bitmap swept in rows.
    Picture,
    /// Its area is swept in rows.
    Engrave,
    /// A tool other than beam or torch.
    Mark,
    /// A shallow line.
    Score,
    /// Through the sheet.
    #[default]
    Cut,
    /// Seen, never sent.
    Reference,
}

impl Process {
    /// Those a person chooses from.
    pub const ALL: [Self; 6] = [Self::Cut, Self::Score, Self::Engrave, Self::Picture, Self::Mark, Self::Reference];

    /// Name as shown.
    pub fn name(self) -> &'static str {
        match self {
            Self::Picture => "Picture",
            Self::Engrave => "Engrave",
            Self::Mark => "Mark",
            Self::Score => "Score",
            Self::Cut => "Cut",
            Self::Reference => "Reference",
        }
    }
    /// Name in addresses and data.
    pub fn slug(self) -> &'static str {
        match self {
            Self::Picture => "picture",
            Self::Engrave => "engrave",
            Self::Mark => "mark",
            Self::Score => "score",
            Self::Cut => "cut",
            Self::Reference => "reference",
        }
    }
    /// The process with this slug.
    pub fn from_slug(slug: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|p| p.slug() == slug)
    }
}

/// Why a contour is what it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Why {
    /// Chosen by hand on this contour.
    Hand,
    /// Chosen in the drawing key.
    Key,
    /// The shop's standing rule of this number, from 1.
    Rule(usize),
    /// Hidden in the file.
    Hidden,
    /// Dimensions and leaders.
    Annotation,
    /// A hatched area.
    Area,
    /// Letters of single strokes.
    Writing,
    /// An operation at Clean added it.
    Added,
    /// A picture.
    Picture,
    /// A point that is to be marked.
    Centre,
    /// A number that parts get.
    Number,
    /// A closed outline.
    Closed,
    /// A closed outline inside another.
    Hole,
    /// An open line.
    Open,
    /// Letters.
    Letters,
}

impl Why {
    /// In words, with those of the shop's rule where one says.
    pub fn told(self, shop: &Shop) -> String {
        match self {
            Self::Rule(n) => shop.rules.get(n - 1).map_or_else(|| self.words(), |r| format!("rule {n}: {}", r.when.words())),
            _ => self.words(),
        }
    }

    /// In words.
    pub fn words(self) -> String {
        match self {
            Self::Hand => "by hand".into(),
            Self::Key => "by the drawing key".into(),
            Self::Rule(n) => format!("by the shop's rule {n}"),
            Self::Hidden => "hidden in the file".into(),
            Self::Annotation => "it tells about the drawing".into(),
            Self::Area => "hatched area".into(),
            Self::Writing => "single-stroke writing".into(),
            Self::Added => "as what it was added".into(),
            Self::Picture => "a picture".into(),
            Self::Centre => "a point".into(),
            Self::Number => "the part's number".into(),
            Self::Closed => "closed outline".into(),
            Self::Hole => "hole inside an outline".into(),
            Self::Open => "open line".into(),
            Self::Letters => "letters".into(),
        }
    }
}

/// A contour with its process.
#[derive(Clone, Debug)]
pub struct Item {
    /// The contour.
    pub contour: Arc<Contour>,
    /// What it is.
    pub process: Process,
    /// Why.
    pub why: Why,
    /// The job's own setting that it is done with, where not the chart's.
    pub setting: Option<u32>,
}

/// Every contour with its process, and the parts they make.
#[derive(Clone, Debug, Default)]
pub struct Work {
    /// All contours of all drawings.
    pub items: Vec<Item>,
    /// The parts.
    pub parts: Vec<Part>,
    /// The drawing key.
    pub key: Vec<KeyRow>,
}

impl Work {
    /// The part with this id.
    pub fn part(&self, id: PartId) -> Option<&Part> {
        self.parts.iter().find(|p| p.id == id)
    }
}

/// Gives every contour its process and gathers parts.
pub fn run(drawings: &[Arc<Cleaned>], decisions: &Decisions, shop: &Shop) -> (Work, Vec<Finding>) {
    let mut findings = Vec::new();
    let mut items = Vec::new();
    let mut parts = Vec::new();
    let key = key::rows(drawings, decisions, shop, &mut findings);
    for drawing in drawings {
        let first = items.len();
        items.extend(drawing.contours.iter().map(|c| {
            let (process, why) = key::process_of(c, decisions, shop);
            Item { contour: Arc::clone(c), process, why, setting: key::setting_of(c, process, decisions) }
        }));
        let made: Vec<_> = items[first..].iter().filter(|i| i.process != Process::Reference).map(|i| Arc::clone(&i.contour)).collect();
        findings.extend(crate::clean::leftovers(drawing, &made));
        let quantity = decisions.drawing(drawing.drawing).map_or(1, |d| d.quantity);
        let gathered = parts::gather(&items, first, drawing, |id| decisions.parts.get(&id).and_then(|p| p.quantity).unwrap_or(quantity));
        for hole in gathered.parts.iter().flat_map(|p| &p.holes) {
            if items[*hole].why == Why::Closed {
                items[*hole].why = Why::Hole;
            }
        }
        parts.extend(gathered.parts);
        if !gathered.outside.is_empty() {
            let n = gathered.outside.len();
            let text = format!(
                "{} in {} {} outside every part and will not be made.",
                counted(n, "line", "lines"),
                drawing.name,
                if n == 1 { "lies" } else { "lie" }
            );
            findings.push(
                Finding::new(Station::Assign, Severity::Look, "outside-parts", n, text)
                    .on(gathered.outside.iter().copied())
                    .mend("Make them reference", Edit::SetContours { contours: gathered.outside, process: Some(Process::Reference) }),
            );
        }
    }
    if let Some(n) = &decisions.numbers {
        findings.extend(numbers::add(&mut items, &mut parts, n));
    }
    findings.extend(bereft(&items, decisions));
    let spot = shop.machine(&decisions.batch.machine).map_or(0.1, |m| m.spot);
    findings.extend(drawings.iter().filter_map(|d| slots_as_thick(d, decisions.batch.thickness)));
    findings.extend(thin::open(&items, spot));
    findings.extend(thin::thin(&items, spot));
    findings.extend(coarse_pictures(&items, decisions, shop));
    findings.extend(missing_rows(&items, decisions, shop));
    if parts.is_empty() && !drawings.is_empty() {
        findings.push(
            Finding::new(
                Station::Assign,
                Severity::Stop,
                "no-parts",
                1,
                "Nothing is to be made: every line is reference. Give a line in the drawing key a process.",
            )
            .offering_cuts(&key, decisions),
        );
    }
    let none: usize = parts.iter().filter(|p| p.quantity == 0).count();
    if none > 0 && none == parts.len() {
        findings.push(
            Finding::new(
                Station::Nest,
                Severity::Stop,
                "no-copies",
                none,
                "Every part has quantity 0; nothing would be cut. Give a part a quantity of at least 1.",
            )
            .choice("One of each", Edit::All { edits: parts.iter().map(|p| Edit::SetQuantity { part: p.id, quantity: 1 }).collect() }),
        );
    }
    (Work { items, parts, key }, findings)
}

impl Finding {
    /// With a button for each look that has outlines: to cut it; where there is none, to score its lines. Where nothing is
    /// left to be either, to take what was left out again, or to remove the drawings.
    fn offering_cuts(self, key: &[KeyRow], decisions: &Decisions) -> Self {
        let (outlines, lines): (Vec<_>, Vec<_>) = key.iter().partition(|k| k.closed > 0);
        let (verb, process, rows) =
            if outlines.is_empty() { ("Score", Process::Score, lines) } else { ("Cut", Process::Cut, outlines) };
        let offered = rows.into_iter().take(3).fold(self, |f, k| {
            // What a hand said of single contours stands above the key: it is taken back.
            let edits = vec![
                Edit::SetContours { contours: decisions.contours.keys().copied().collect(), process: None },
                Edit::SetKey { key: k.key.clone(), process: Some(process) },
            ];
            f.choice(format!("{verb} {}", k.style.words()), Edit::All { edits })
        });
        if !key.is_empty() {
            return offered;
        }
        let narrowed: Vec<Edit> = decisions
            .drawings
            .iter()
            .filter(|d| !d.regions.is_empty())
            .map(|d| Edit::SetRegions { drawing: d.id, regions: Vec::new() })
            .collect();
        let offered = if narrowed.is_empty() { offered } else { offered.choice("Take all of the drawings again", Edit::All { edits: narrowed }) };
        let edits = decisions.drawings.iter().map(|d| Edit::RemoveDrawing { drawing: d.id }).collect();
        offered.choice("Remove the drawings", Edit::All { edits })
    }
}

/// Decisions on contours that are not there any more, by a new revision or an operation: they wait for their contours to come
/// back, and are told.
fn bereft(items: &[Item], decisions: &Decisions) -> Option<Finding> {
    let there: std::collections::BTreeSet<ContourId> = items.iter().map(|i| i.contour.id).collect();
    let gone = |ids: &mut dyn Iterator<Item = &ContourId>| ids.filter(|id| !there.contains(id)).count();
    let told: Vec<String> = [
        (gone(&mut decisions.contours.keys()), "process chosen by hand", "processes chosen by hand"),
        (gone(&mut decisions.parts.keys()), "quantity", "quantities"),
        (gone(&mut decisions.starts.keys()), "start", "starts"),
        (gone(&mut decisions.pictures.keys()), "tone of a picture", "tones of pictures"),
    ]
    .iter()
    .filter(|t| t.0 > 0)
    .map(|t| counted(t.0, t.1, t.2))
    .collect();
    let text = format!(
        "{} belong to contours that are not in the drawings any more. They are kept, and hold again when the contours come back.",
        told.join(", ")
    );
    (!told.is_empty() && !items.is_empty()).then(|| Finding::new(Station::Assign, Severity::Note, "bereft", told.len(), text))
}

/// Slots and tabs as wide as the sheet is meant to be thick: worth fitting once it has been measured.
fn slots_as_thick(drawing: &Cleaned, thickness: f64) -> Option<Finding> {
    use crate::clean::operate::slots::{Kind, find};
    let found = find(&drawing.contours, thickness);
    let n = |kind| found.iter().filter(|f| f.kind == kind).count();
    let text = format!(
        "{} and {} in {} are {thickness} mm wide, as the sheet is meant to be thick. If it measures otherwise, fit them.",
        counted(n(Kind::Slot), "slot end", "slot ends"),
        counted(n(Kind::Tab), "tab", "tabs"),
        drawing.name
    );
    let at = found.iter().map(|f| f.at);
    (!found.is_empty()).then(|| Finding::new(Station::Clean, Severity::Note, "slots", found.len(), text).at(drawing.drawing, at))
}

/// Pictures with fewer pixels than rows: their pixels will be seen.
fn coarse_pictures(items: &[Item], decisions: &Decisions, shop: &Shop) -> Option<Finding> {
    let pitch = shop.row_for(decisions, Process::Picture, None)?.pitch;
    let coarse: Vec<(ContourId, f64)> = items
        .iter()
        .filter(|i| i.process == Process::Picture)
        .filter_map(|i| Some((i, i.contour.picture.as_ref()?, i.contour.picture_place()?)))
        .map(|(i, bitmap, place)| (i.contour.id, bitmap.width as f64 / place.as_coeffs()[0].hypot(place.as_coeffs()[1])))
        .filter(|(_, per_mm)| *per_mm < 0.6 / pitch)
        .collect();
    let (n, least) = (coarse.len(), coarse.iter().map(|c| c.1).fold(f64::INFINITY, f64::min));
    let text = format!(
        "{} {} only {least:.1} pixels to the mm where rows stand {:.0} to the mm: single pixels will be seen. A smaller size or a finer picture helps.",
        counted(n, "picture", "pictures"),
        if n == 1 { "has" } else { "have" },
        1.0 / pitch
    );
    (n > 0).then(|| Finding::new(Station::Assign, Severity::Note, "coarse-picture", n, text).on(coarse.into_iter().map(|c| c.0)))
}

/// Processes without a row in the cut chart: a row for the nearest thickness is proposed. Rows that are proposed are told as
/// unproved.
fn missing_rows(items: &[Item], decisions: &Decisions, shop: &Shop) -> Vec<Finding> {
    let batch = &decisions.batch;
    let mut used: Vec<Process> = items.iter().map(|i| i.process).filter(|p| *p != Process::Reference).collect();
    used.sort_unstable();
    used.dedup();
    let material = shop.material(&batch.material).map_or(batch.material.as_str(), |m| m.name.as_str());
    let machine = shop.machine(&batch.machine).map_or(batch.machine.as_str(), |m| m.name.as_str());
    let mut findings = Vec::new();
    for process in used {
        let name = process.name().to_lowercase();
        if let Some(row) = shop.row_for(decisions, process, None) {
            if row.unproved {
                let text = format!(
                    "The {name} settings for {material} {} mm on {machine} are unproved: {:.0} mm/min, {:.0} %. Try them on scrap, and keep them once a run has come out well.",
                    batch.thickness, row.feed, row.power
                );
                findings.push(Finding::new(Station::Assign, Severity::Look, "unproved", 1, text).acceptable("Go on with them"));
            }
            continue;
        }
        let text = format!("The cut chart has no {name} settings for {material} {} mm on {machine}.", batch.thickness);
        let mut finding = Finding::new(Station::Assign, Severity::Stop, "chart-missing", 1, text);
        if let Some((row, from)) = shop.proposed(&batch.machine, &batch.material, batch.thickness, process) {
            let label = format!("Try {:.0} mm/min, {:.0} %, from {from} mm", row.feed, row.power);
            finding = finding.choice(label, Edit::ProposeRow { row: Box::new(row) });
        }
        for thickness in shop.thicknesses(&batch.machine, &batch.material) {
            if shop.row(&batch.machine, &batch.material, thickness, process).is_some() {
                let edit = Edit::SetBatch { machine: batch.machine.clone(), material: batch.material.clone(), thickness };
                finding = finding.choice(format!("Use {thickness} mm"), edit);
            }
        }
        let contours: Vec<ContourId> = items.iter().filter(|i| i.process == process).map(|i| i.contour.id).collect();
        let label = format!("Leave {} out", counted(contours.len(), "such line", "such lines"));
        findings.push(finding.choice(label, Edit::SetContours { contours, process: Some(Process::Reference) }));
    }
    findings
}

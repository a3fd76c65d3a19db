//! Station 3: what each line is, and which lines make a part.

mod chart;
mod given;
mod key;
mod notes;
mod numbers;
mod parts;
mod sides;
mod small;
#[cfg(test)]
mod tests;
mod thin;

pub use crate::decisions::Process;
pub use crate::geometry::parents;
pub use crate::ids::PartId;
pub use chart::{bereft, charted};
pub use given::{Customs, Decided, Given, StockCustoms, Wanted};
pub use key::KeyRow;
pub use parts::Part;

use crate::clean::{Cleaned, Contour};
use crate::decisions::{AssignEdit, Edit, IntakeEdit, NestEdit};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::ids::{BatchId, ContourId};
use crate::shop::Shop;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Why a contour is what it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
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
#[derive(Clone, Debug, Serialize, Deserialize)]
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
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Work {
    /// All contours of all drawings.
    pub items: Arc<Vec<Item>>,
    /// The parts.
    pub parts: Vec<Part>,
    /// The drawing key.
    pub key: Vec<KeyRow>,
}

impl Work {
    /// The work of one batch: the same lines, and the parts that are wanted in it.
    pub fn of_batch(&self, batch: BatchId) -> Self {
        let parts = self.parts.iter().filter_map(|p| Some(Part { quantity: *p.wanted.get(&batch)?, ..p.clone() })).collect();
        Self { items: Arc::clone(&self.items), parts, key: Vec::new() }
    }
    /// The part with this id.
    pub fn part(&self, id: PartId) -> Option<&Part> {
        self.parts.iter().find(|p| p.id == id)
    }
}

/// Gives every contour its process and gathers parts.
pub fn run(drawings: &[Arc<Cleaned>], given: &Given) -> (Work, Vec<Finding>) {
    let decisions = &given.decisions;
    let mut findings = Vec::new();
    let mut items = Vec::new();
    let mut parts = Vec::new();
    let mut plain = Vec::new();
    let key = key::rows(drawings, given, &mut findings);
    for drawing in drawings {
        let first = items.len();
        items.extend(drawing.contours.iter().map(|c| {
            let (process, why) = key::process_of(c, given);
            Item { contour: Arc::clone(c), process, why, setting: key::setting_of(c, process, decisions) }
        }));
        let made: Vec<_> = items[first..].iter().filter(|i| i.process.burns()).map(|i| Arc::clone(&i.contour)).collect();
        let left = crate::clean::leftovers(drawing, &made);
        let paper = left.iter().find(|f| f.code == Code::PaperBorder).map(|f| f.place.contours.clone());
        findings.extend(left);
        // What a plan says is tied to its parts, not to its paper.
        if let Some(paper) = paper.filter(|_| !drawing.texts.is_empty()) {
            let paper: BTreeSet<_> = paper.iter().collect();
            let mut bare = items[first..].to_vec();
            bare.iter_mut().filter(|i| paper.contains(&i.contour.id)).for_each(|i| i.process = Process::Reference);
            let gathered = parts::gather(&bare, 0, drawing, |id| given.wanted.copies(drawing.drawing, id));
            findings.extend(notes::told(drawing, &gathered.parts, &bare, given));
        } else {
            plain.push(drawing);
        }
        let gathered = parts::gather(&items, first, drawing, |id| given.wanted.copies(drawing.drawing, id));
        for hole in gathered.parts.iter().flat_map(|p| &p.holes) {
            if items[*hole].why == Why::Closed {
                items[*hole].why = Why::Hole;
            }
        }
        parts.extend(gathered.parts);
        findings.extend(marked_holes(&drawing.name, &gathered.marked));
        if !gathered.outside.is_empty() {
            let n = gathered.outside.len();
            let text = format!(
                "{} in {} {} outside every part and will not be made.",
                counted(n, "line", "lines"),
                drawing.name,
                if n == 1 { "lies" } else { "lie" }
            );
            findings.push(
                Finding::new(Station::Assign, Severity::Look, Code::OutsideParts, n, text).on(gathered.outside.iter().copied()).mend(
                    if n == 1 { "Make it reference" } else { "Make them reference" },
                    Edit::Assign(AssignEdit::SetContours { contours: gathered.outside, process: Some(Process::Reference) }),
                ),
            );
        }
    }
    findings.extend(plain.into_iter().flat_map(|d| notes::told(d, &parts, &items, given)));
    if let Some(n) = &decisions.numbers {
        findings.extend(numbers::add(&mut items, &mut parts, n));
    }
    let customs = |drawing: u32| given.customs.stock(given.wanted.batch(drawing));
    findings.extend(drawings.iter().filter_map(|d| slots_as_thick(d, customs(d.drawing).thickness)));
    // The narrowest beam that there is tells what is too thin for it; a wider one is asked about where its rows are planned.
    let spot = drawings.iter().map(|d| customs(d.drawing).spot).fold(f64::INFINITY, f64::min);
    let spot = if spot.is_finite() { spot } else { StockCustoms::default().spot };
    findings.extend(thin::open(&items, spot));
    findings.extend(thin::thin(&items, spot));
    findings.extend(small::leave_out(&mut items, &parts, spot));
    if parts.is_empty() && !drawings.is_empty() {
        findings.push(
            Finding::new(
                Station::Assign,
                Severity::Stop,
                Code::NoParts,
                1,
                "Nothing is to be made: every line is reference. Give a line in the drawing key a process.",
            )
            .offering_cuts(&key, given),
        );
    }
    let none: usize = parts.iter().filter(|p| p.quantity == 0).count();
    // What lies with other jobs is made there.
    let away = given.wanted.parts.values().any(|p| !p.elsewhere.is_empty());
    if none > 0 && none == parts.len() && !away {
        findings.push(
            Finding::new(
                Station::Nest,
                Severity::Stop,
                Code::NoCopies,
                none,
                "Every part has quantity 0; nothing would be cut. Give a part a quantity of at least 1.",
            )
            .choice(
                "One of each",
                Edit::All {
                    edits: parts
                        .iter()
                        .flat_map(|p| p.wanted.keys().map(|b| NestEdit::SetQuantity { part: p.id, quantity: 1 }.on(*b)))
                        .collect(),
                },
            ),
        );
    }
    findings.extend(left_out(&items));
    (Work { items: Arc::new(items), parts, key }, findings)
}

/// What a hand has left out stays told where the programs are proved and released.
fn left_out(items: &[Item]) -> Option<Finding> {
    let left: Vec<_> = items.iter().filter(|i| i.why == Why::Hand && !i.process.burns()).map(|i| i.contour.id).collect();
    let text = format!("{} left out by hand: seen, and never sent.", counted(left.len(), "line is", "lines are"));
    (!left.is_empty()).then(|| Finding::new(Station::Proof, Severity::Note, Code::LeftOut, left.len(), text).on(left))
}

impl Finding {
    /// With a button for each look that has outlines: to cut it; where there is none, to score its lines. Where nothing is
    /// left to be either, to take what was left out again, or to remove the drawings.
    fn offering_cuts(self, key: &[KeyRow], given: &Given) -> Self {
        let (outlines, lines): (Vec<_>, Vec<_>) = key.iter().partition(|k| k.closed > 0);
        let (verb, process, rows) = if outlines.is_empty() { ("Score", Process::Score, lines) } else { ("Cut", Process::Cut, outlines) };
        let offered = rows.into_iter().take(3).fold(self, |f, k| {
            // What a hand said of single contours stands above the key: it is taken back.
            let edits = vec![
                Edit::Assign(AssignEdit::SetContours { contours: given.decisions.contours.keys().copied().collect(), process: None }),
                Edit::Assign(AssignEdit::SetKey { key: k.key.clone(), process: Some(process) }),
            ];
            f.choice(format!("{verb} {}", k.style.words()), Edit::All { edits })
        });
        if !key.is_empty() {
            return offered;
        }
        let drawings = &given.wanted.drawings;
        let narrowed: Vec<Edit> = drawings
            .iter()
            .filter(|(_, d)| d.2)
            .map(|(id, _)| Edit::Intake(IntakeEdit::SetRegions { drawing: *id, regions: Vec::new() }))
            .collect();
        let offered =
            if narrowed.is_empty() { offered } else { offered.choice("Use the whole drawings again", Edit::All { edits: narrowed }) };
        let edits = drawings.keys().map(|id| Edit::Intake(IntakeEdit::RemoveDrawing { drawing: *id })).collect();
        offered.choice("Remove the drawings", Edit::All { edits })
    }
}

/// Holes with marks in them: cut, they would take the marks along.
fn marked_holes(name: &str, marked: &[(ContourId, Vec<ContourId>)]) -> Option<Finding> {
    let lines: usize = marked.iter().map(|m| m.1.len()).sum();
    let n = marked.len();
    if n == 0 {
        return None;
    }
    let text = format!(
        "{} in {name} {} in {}, which would be cut out with them. Is it a line of the marks?",
        counted(lines, "mark", "marks"),
        if lines == 1 { "lies" } else { "lie" },
        counted(n, "hole", "holes"),
    );
    let holes = || marked.iter().map(|m| m.0).collect::<Vec<_>>();
    let marks = || marked.iter().flat_map(|m| m.1.iter().copied()).collect::<Vec<_>>();
    let set = |contours: Vec<ContourId>, process| Edit::Assign(AssignEdit::SetContours { contours, process: Some(process) });
    Some(
        Finding::new(Station::Assign, Severity::Look, Code::MarksInHole, n, text)
            .on(holes())
            .mend(if n == 1 { "Score it as well" } else { "Score them as well" }, set(holes(), Process::Score))
            .leaving_out("Cut it out, without its marks", set(marks(), Process::Reference)),
    )
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
    (!found.is_empty()).then(|| Finding::new(Station::Clean, Severity::Note, Code::Slots, found.len(), text).at(drawing.drawing, at))
}

//! What a program does otherwise than was meant, place by place: the figures that are said and those that were meant, and the line.
//! Findings and differences are made of it.

use super::Difference;
use crate::finding::{Code, Finding, Severity, Station};
use crate::geometry::Point;
use std::collections::BTreeMap;

/// One thing that a program does otherwise, at one place.
#[derive(Clone, Debug)]
pub(super) struct Told {
    at: Point,
    /// Line of the program, from 1; 0 where nothing is done that should be.
    line: usize,
    /// What it says and what was meant: “feed 1800, 1200 mm/min were meant”. Empty where there is no figure to it.
    figures: String,
}

impl Told {
    pub(super) fn new(at: Point, line: usize, figures: String) -> Self {
        Self { at, line, figures }
    }
}

/// A kind of fault, and where it is.
#[derive(Clone, Debug)]
pub(super) enum Fault {
    /// The program differs: code, what it does in words, and where.
    Differs {
        /// Kind.
        code: Code,
        /// Goes on behind how many there are.
        what: String,
        /// Where.
        at: Vec<Told>,
    },
    /// A finding of its own making.
    Found(Finding),
}

/// Faults of a sheet's program as they are gathered.
pub(super) struct Faults {
    sheet: usize,
    faults: Vec<Fault>,
}

/// A figure with no more digits than it needs.
pub(super) fn figure(v: f64) -> String {
    let rounded = (v * 1000.0).round() / 1000.0;
    // Nought has no sign.
    format!("{}", rounded + 0.0)
}

impl Faults {
    pub(super) fn new(sheet: usize) -> Self {
        Self { sheet, faults: Vec::new() }
    }

    pub(super) fn add(&mut self, code: Code, at: &[Point], what: &str) {
        self.told(code, at.iter().map(|p| Told::new(*p, 0, String::new())).collect(), what);
    }

    pub(super) fn told(&mut self, code: Code, at: Vec<Told>, what: &str) {
        if !at.is_empty() {
            self.faults.push(Fault::Differs { code, what: what.to_owned(), at });
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.faults.is_empty()
    }

    pub(super) fn extend(&mut self, found: Vec<Finding>) {
        self.faults.extend(found.into_iter().map(Fault::Found));
    }

    pub(super) fn all(self) -> Vec<Fault> {
        let _ = self.sheet;
        self.faults
    }
}

impl Fault {
    /// As a finding on a sheet, from 0.
    pub(super) fn finding(self, sheet: usize) -> Finding {
        match self {
            Self::Found(finding) => finding,
            Self::Differs { code, what, at } => {
                let first = at.iter().find(|t| !t.figures.is_empty());
                let first = first.map_or_else(String::new, |t| {
                    if t.line > 0 { format!(" ({}, line {})", t.figures, t.line) } else { format!(" ({})", t.figures) }
                });
                let text = format!("On sheet {} {} {what}{first}. The program is not released.", sheet + 1, at.len());
                Finding::new(Station::Proof, Severity::Stop, code, at.len(), text).on_sheet(sheet, at.iter().map(|t| t.at))
            }
        }
    }

    /// As differences, gathered by what is said: the first line of each, and how many more are alike. `near` finds the line for a place.
    pub(super) fn differences(self, near: impl Fn(Point) -> usize) -> Vec<Difference> {
        let (code, at) = match self {
            Self::Differs { code, at, .. } => (code, at),
            Self::Found(f) => {
                let at: Vec<Told> = f.place.points.iter().map(|p| Told::new(*p, 0, String::new())).collect();
                let at = if at.is_empty() { vec![Told::new(Point::ZERO, 0, String::new())] } else { at };
                (f.code, at)
            }
        };
        let mut alike: BTreeMap<String, Vec<(usize, Point)>> = BTreeMap::new();
        for told in at {
            let line = if told.line > 0 { told.line } else { near(told.at) };
            alike.entry(told.figures).or_default().push((line, told.at));
        }
        let gathered = |(figures, mut places): (String, Vec<(usize, Point)>)| {
            places.sort_by_key(|p| p.0);
            let mut lines: Vec<usize> = places.iter().map(|p| p.0).collect();
            lines.dedup();
            let (line, at) = places[0];
            let more = match lines.len() - 1 {
                0 => String::new(),
                1 => " (1 more line alike)".into(),
                n => format!(" ({n} more lines alike)"),
            };
            let figures = if figures.is_empty() { String::new() } else { format!(": {figures}") };
            let text = format!("At {:.2}, {:.2} mm it {}{figures}{more}.", at.x, at.y, words(code));
            Difference { code, line, x: at.x, y: at.y, text }
        };
        alike.into_iter().map(gathered).collect()
    }
}

/// What a program does, by the code of its fault, as a sentence goes on.
fn words(code: Code) -> &'static str {
    match code {
        Code::BurnedAstray => "burns where nothing is to be burned",
        Code::BurnedTwice => "burns what is burned already",
        Code::NotBurned => "should burn here and does not, or not all the way",
        Code::PictureWrong => "burns a row of a picture otherwise than it is toned",
        Code::OffBed => "leaves the machine's bed",
        Code::FeedOver => "goes faster than the machine can",
        Code::PowerOver => "asks for more power than the machine has",
        Code::OuterFirst => "works within an outline that is cut by then: the part may have moved",
        Code::BridgeBurned => "leaves less of a bridge than was meant",
        Code::TravelOver => "goes over what is cut free without lifting",
        Code::Gouge => "comes into a part that is to stay whole",
        Code::WrongFeed => "burns at another feed than chart and job say",
        Code::WrongPower => "burns with another power than chart and job say",
        Code::WrongTool => "works with another tool in the holder than was meant",
        Code::WrongAir => "burns with the assist air switched otherwise than chart and job say",
        Code::WrongWait => "waits longer or shorter than chart and machine ask",
        Code::WrongHeight => "cuts without the torch's height being held, or holds it while it travels or pierces",
        Code::WrongStay => "stands with the beam on for longer or shorter than was meant",
        Code::WrongWay => "cuts the other way round: the bevel comes on to the part",
        Code::WrongWord => "uses another word than the machine is spoken to with",
        Code::NoRunUp => "burns a row's end while the head still comes up to speed, or brakes already",
        Code::LeftOn => "ends with the beam or the air on",
        Code::UnsafeStart => "moves before it has said its units, absolute positions and the beam off",
        Code::EdgesNotOnce => "makes an edge of a part never, or twice",
        Code::NotCutOut => "leaves on the part what should be cut away",
        Code::BurnedAway => "burns some of the part away",
        _ => "differs from what was meant",
    }
}

//! What becomes of a piece once it is cut free: it falls between the slats, tips on one of them, or stays where it lies.
//!
//! Slats run along y of the bed, a pitch apart. A piece rests on those under it where it has material; its centre of mass has to lie
//! within what it rests on.

use super::{Bench, Op, SheetPath, nicks};
use crate::cuts::{Line, SheetCuts};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Bounds, Path, Point, Segment, meetings};
use serde::{Deserialize, Serialize};

/// What a piece does once it is free.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Fate {
    /// No slat is under it.
    Falls,
    /// Its centre of mass lies beyond the slats that it rests on.
    Tips,
    /// It rests.
    Stays,
    /// Nicks hold it.
    Held,
}

/// A piece that comes free.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Piece {
    /// Index of the operation that frees it, among the sheet's.
    pub op: usize,
    /// Its centre of mass.
    pub at: Point,
    /// What it does.
    pub fate: Fate,
    /// It is what a hole leaves, not a part.
    pub slug: bool,
}

/// What a hole leaves falls where it is smaller than this share of the slats' pitch.
const SLIPS: f64 = 0.6;
/// A slat carries a piece that reaches this far over it, and its middle this far beside it, mm.
const CARRIES: f64 = 0.5;
/// Slats under one piece that are looked at.
const MOST_SLATS: f64 = 2000.0;

/// The bed's slats, which run along y: one every `pitch` mm, the first `offset` mm from the bed's corner.
#[derive(Clone, Copy, Debug)]
pub struct Slats {
    /// Distance, mm.
    pub pitch: f64,
    /// Of the first from the bed's corner, mm.
    pub offset: f64,
}

/// The fate of a piece as it lies on the bed: its outline, then its openings, and its centre of mass. What it rests on are the
/// stretches of its material over slats; its centre has to lie between them, along the slats as across.
///
/// ```
/// # use boustrophe_core::geometry::{Path, Point};
/// # use boustrophe_core::hold::{Fate, Slats, fate};
/// let slats = Slats { pitch: 40.0, offset: 0.0 };
/// let plate = Path::rectangle(30.0, 0.0, 60.0, 20.0);
/// assert_eq!(fate(&[plate], Point::new(60.0, 10.0), slats), Fate::Stays);
/// ```
pub fn fate(material: &[Path], centre: Point, slats: Slats) -> Fate {
    let Some(outline) = material.first() else { return Fate::Falls };
    let b = outline.bounds();
    let first = ((b.min.x + CARRIES - slats.offset) / slats.pitch).ceil();
    let last = ((b.max.x - CARRIES - slats.offset) / slats.pitch).floor();
    let count = (last - first).clamp(-1.0, MOST_SLATS) as i64;
    let resting = (0..=count).flat_map(|k| on_slat(material, &b, slats.offset + (first + k as f64) * slats.pitch));
    let resting: Vec<Point> = resting.collect();
    if resting.is_empty() {
        Fate::Falls
    } else if nicks::margin(&resting, centre) > -CARRIES {
        Fate::Stays
    } else {
        Fate::Tips
    }
}

/// The ends of the stretches of a piece's material over the slat at `x`.
fn on_slat(material: &[Path], b: &Bounds, x: f64) -> Vec<Point> {
    let line = Segment::line(Point::new(x, b.min.y - 1.0), Point::new(x, b.max.y + 1.0));
    let crossed = material.iter().flat_map(|p| &p.segments).filter(|s| s.bounds().meets(&line.bounds()));
    let mut at: Vec<f64> = crossed.flat_map(|s| meetings(s, &line, 1e-9)).map(|m| line.at(m.on_second).y).collect();
    at.sort_by(f64::total_cmp);
    let solid = |y: f64| {
        let p = Point::new(x, y);
        material[0].contains(p) && !material[1..].iter().any(|h| h.contains(p))
    };
    let over = at.windows(2).filter(|w| w[1] - w[0] > 1e-6 && solid(f64::midpoint(w[0], w[1])));
    over.flat_map(|w| [Point::new(x, w[0]), Point::new(x, w[1])]).collect()
}

/// Centre of mass of an area with openings.
fn centre(outline: &Path, openings: &[Path]) -> Point {
    let whole = outline.area().abs();
    let parts = openings.iter().map(|o| (-o.area().abs(), o.centroid()));
    let all: Vec<(f64, Point)> = std::iter::once((whole, outline.centroid())).chain(parts).collect();
    let area: f64 = all.iter().map(|a| a.0).sum();
    let sum = all.iter().fold(crate::geometry::Vec2::ZERO, |s, (a, c)| s + c.to_vec2() * *a);
    if area.abs() < 1e-9 { outline.centroid() } else { (sum / area).to_point() }
}

/// All pieces of a sheet that come free, in the order in which they do.
pub(super) fn pieces(bench: &Bench, ops: &[Op]) -> Vec<Piece> {
    let Bench { work, layout, cuts, .. } = *bench;
    let (machine, to_bed) = (bench.given.machine, bench.pose.to_bed());
    let slats = Slats { pitch: machine.slat_pitch, offset: machine.slat_offset };
    let piece = |(i, op): (usize, &Op)| {
        let cut = cuts.cuts.get(op.cut).filter(|c| c.line == Line::Drawn && c.path.closed && c.process.frees())?;
        let placed = layout.placed.get(op.placement)?;
        let part = work.part(placed.copy.part)?;
        let slug = part.outer != Some(op.item);
        let holes: Vec<Path> = part.holes.iter().map(|h| work.items[*h].contour.path.transformed(placed.affine())).collect();
        let at = if slug { cut.path.centroid() } else { centre(&cut.path, &holes) };
        let free = op.line().nicks.is_empty();
        // A slug that small slips through beside the slat that it struck.
        let slips = slug && cut.path.bounds().width().max(cut.path.bounds().height()) < machine.slat_pitch * SLIPS;
        let fate = if free && slips {
            Fate::Falls
        } else if free {
            let openings = holes.iter().filter(|_| !slug);
            let material: Vec<Path> = std::iter::once(&cut.path).chain(openings).map(|p| p.transformed(to_bed)).collect();
            fate(&material, to_bed * at, slats)
        } else {
            Fate::Held
        };
        Some(Piece { op: i, at, fate, slug })
    };
    ops.iter().enumerate().filter_map(piece).collect()
}

/// Parts that tip and are travelled over after that; only a word about it where a hand has said that parts are not to be held.
pub(super) fn struck(sheet: usize, path: &SheetPath, cuts: &SheetCuts, unheld: bool) -> Option<Finding> {
    let ways: Vec<(usize, Segment)> = (1..path.ops.len())
        .filter_map(|i| {
            let (a, b) = (path.ops[i - 1].end()?, path.ops[i].start()?);
            let by = &path.ops[i].line().approach.by;
            let stops: Vec<Point> = std::iter::once(a).chain(by.iter().copied()).chain([b]).collect();
            Some(stops.windows(2).map(|w| (i, Segment::line(w[0], w[1]))).collect::<Vec<_>>())
        })
        .flatten()
        .collect();
    let over = |piece: &&Piece| {
        let outline = &cuts.cuts[path.ops[piece.op].cut].path;
        let lifted = |i: usize| path.ops[i].line().approach.lifted;
        let strikes = |s: &Segment| (1..10).any(|k| outline.contains(s.at(f64::from(k) / 10.0)));
        ways.iter().any(|(i, s)| *i > piece.op && !lifted(*i) && s.bounds().meets(&outline.bounds()) && strikes(s))
    };
    let found: Vec<&Piece> = path.pieces.iter().filter(|p| p.fate == Fate::Tips && !p.slug).filter(over).collect();
    let n = found.len();
    let text = format!(
        "{} on sheet {} {} when cut free, as no slat is under {} far side, and the head travels over {} later.",
        counted(n, "part", "parts"),
        sheet + 1,
        if n == 1 { "tips" } else { "tip" },
        if n == 1 { "its" } else { "their" },
        if n == 1 { "it" } else { "them" }
    );
    let hold = super::HoldEdit::SetNicks { on: true }.on(crate::ids::BatchId::FIRST);
    let severity = if unheld { Severity::Note } else { Severity::Look };
    let finding = Finding::new(Station::Hold, severity, Code::TipsUnderWay, n, text);
    (n > 0).then(|| finding.on_sheet(sheet, found.iter().map(|p| p.at)).choice("Hold parts with nicks", hold).acceptable("Let them tip"))
}

//! Station 1: drawings in, at true size.

use crate::decisions::{DrawingDecisions, Edit, IntakeEdit};
use crate::drawing::{Drawing, FileUnits, Shape, Unit};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Affine, Bounds, LARGEST_COORDINATE, Point};
use crate::shop::Bed;
use serde::Serialize;

#[cfg(test)]
mod tests;

/// Densities that drawing programs have written, the standard one first.
pub const DENSITIES: [f64; 3] = [96.0, 90.0, 72.0];

/// How a drawing is laid on the bench.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Intake {
    /// From drawing units to mm, turned and mirrored as decided. The turn is about the drawing's origin.
    pub transform: Affine,
    /// The unit, in words: `mm`, `in`, `px at 96 per inch`.
    pub units: String,
    /// False while the size is a guess that a person has to confirm.
    pub sure: bool,
    /// Size in drawing units, before any decision.
    pub raw: Bounds,
    /// What it would be in each unit.
    pub candidates: Vec<Candidate>,
}

impl Intake {
    /// mm of one drawing unit, as decided.
    pub fn mm(&self) -> f64 {
        self.transform.determinant().abs().sqrt()
    }
}

/// One answer to “which unit?”.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Candidate {
    /// In words.
    pub name: String,
    /// Width and height that it gives, mm.
    pub size: (f64, f64),
    /// The answer.
    pub edit: Edit,
    /// mm of one drawing unit.
    pub mm: f64,
}

/// Finds the drawing's size: from the file, from the decisions, or by asking.
pub fn run(drawing: &Drawing, decisions: &DrawingDecisions, bed: &Bed) -> (Intake, Vec<Finding>) {
    let raw = raw_bounds(drawing);
    let mut findings = skipped(drawing);
    findings.extend(damaged(drawing, decisions));
    let candidates = candidates(drawing, decisions.id, raw, bed);
    let chosen = decisions.unit.map(|u| (u.mm(), u.symbol().to_owned())).or(match (drawing.units, decisions.ppi) {
        (FileUnits::Known(unit), _) => Some((unit.mm(), unit.symbol().to_owned())),
        (FileUnits::Scale(mm), _) => Some((mm, "mm".to_owned())),
        (FileUnits::Pixels, Some(ppi)) => Some((25.4 / ppi, format!("px at {ppi} per inch"))),
        _ => None,
    });
    let sure = chosen.is_some();
    let (mm, units) = chosen.or_else(|| candidates.first().map(|c| (c.mm, format!("{}?", c.name)))).unwrap_or((1.0, "mm?".into()));
    if !sure && !raw.is_empty() {
        findings.push(ask(drawing, &candidates));
    }
    let mirror = if decisions.mirrored { Affine::scale_non_uniform(-1.0, 1.0) } else { Affine::IDENTITY };
    let transform = Affine::rotate(decisions.angle.to_radians()) * mirror * Affine::scale(mm * decisions.scale);
    let (transform, moved) = brought_near(transform, raw);
    findings.extend(moved.map(|by| {
        let text = format!("{} is drawn {:.1} km from its origin; it was moved there.", drawing.file, by / 1e6);
        Finding::new(Station::Intake, Severity::Note, Code::Remark, 1, text)
    }));
    if raw.is_empty() {
        findings.push(
            Finding::new(
                Station::Intake,
                Severity::Stop,
                Code::NothingDrawn,
                1,
                format!("{} has no lines that could be cut. Export it again with its outlines, or remove it.", drawing.file),
            )
            .choice("Remove it", Edit::Intake(IntakeEdit::RemoveDrawing { drawing: decisions.id })),
        );
    } else {
        findings.extend(size_trouble(drawing, decisions, &Sized { raw, mm: mm * decisions.scale, candidates: &candidates }, bed));
    }
    (Intake { transform, units, sure, raw, candidates }, findings)
}

/// What is drawn further from its origin than anything is cut, in the coordinates of a map, with its lower left corner at whole mm
/// next to the origin, and by how much that is moved, mm. Size is another matter.
fn brought_near(transform: Affine, raw: Bounds) -> (Affine, Option<f64>) {
    let corners = [raw.min, Point::new(raw.max.x, raw.min.y), raw.max, Point::new(raw.min.x, raw.max.y)].map(|p| transform * p);
    let b = Bounds::of(corners);
    let far = [b.min.x, b.min.y, b.max.x, b.max.y].into_iter().fold(0.0, |far: f64, v| far.max(v.abs()));
    let is_sized = far.is_finite() && b.width().max(b.height()) <= LARGEST_COORDINATE;
    if raw.is_empty() || !is_sized || far <= LARGEST_COORDINATE * 10.0 {
        return (transform, None);
    }
    let by = Point::new(b.min.x.floor(), b.min.y.floor()).to_vec2();
    (Affine::translate(-by) * transform, Some(by.hypot()))
}

fn raw_bounds(drawing: &Drawing) -> Bounds {
    let mut all = Bounds::EMPTY;
    if let Some(b) = &drawing.bitmap {
        all = all.with(Point::ZERO).with(Point::new(b.width as f64, b.height as f64));
    }
    for entity in &drawing.entities {
        let curves = match &entity.shape {
            Shape::Path { curves, .. } => curves,
            Shape::Picture(p) => {
                all = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)].iter().fold(all, |b, (x, y)| b.with(p.place * Point::new(*x, *y)));
                continue;
            }
            Shape::Text(_) => continue,
        };
        all = curves.iter().map(crate::geometry::Curve::bounds).fold(all, Bounds::union);
    }
    all
}

/// The possible sizes, the most plausible first.
fn candidates(drawing: &Drawing, id: u32, raw: Bounds, bed: &Bed) -> Vec<Candidate> {
    let size = |mm: f64| (raw.width() * mm, raw.height() * mm);
    let mut all: Vec<Candidate> = Unit::ALL
        .into_iter()
        .map(|unit| Candidate {
            name: unit.symbol().into(),
            size: size(unit.mm()),
            edit: Edit::Intake(IntakeEdit::SetUnit { drawing: id, unit }),
            mm: unit.mm(),
        })
        .collect();
    if drawing.units == FileUnits::Pixels {
        // The order of the densities is that of the standard; a pixel file is rarely in true units.
        let pixels = DENSITIES.map(|ppi| {
            let mm = 25.4 / ppi;
            Candidate { name: format!("{ppi} px/in"), size: size(mm), edit: Edit::Intake(IntakeEdit::SetPpi { drawing: id, ppi }), mm }
        });
        all.truncate(1);
        return pixels.into_iter().chain(all).collect();
    }
    // What the file leans to decides between sizes that are equally likely.
    let odd = |c: &Candidate| implausibility(c.size, bed) - if drawing.leans.is_some_and(|l| l.mm() == c.mm) { 0.2 } else { 0.0 };
    all.sort_by(|a, b| odd(a).total_cmp(&odd(b)));
    all
}

/// How odd a size is for work on this machine: 0 for something between a palm and the bed, more the further off.
fn implausibility(size: (f64, f64), bed: &Bed) -> f64 {
    let (long, short) = (size.0.max(size.1), size.0.min(size.1));
    let (bed_long, bed_short) = (bed.width.max(bed.height), bed.width.min(bed.height));
    let over = (long / bed_long).max(short / bed_short);
    if over > 1.0 {
        return 10.0 + over.log10();
    }
    let least = 40.0;
    if long < least { (least / long.max(1e-9)).log10() } else { 0.0 }
}

fn ask(drawing: &Drawing, candidates: &[Candidate]) -> Finding {
    let pixels = drawing.units == FileUnits::Pixels;
    let (severity, code, text) = if pixels {
        (
            Severity::Look,
            Code::PixelSize,
            format!("{} is in pixels and does not say how many make an inch. 96 is the standard; older files used 90 or 72.", drawing.file),
        )
    } else {
        (
            Severity::Stop,
            Code::UnitsUnsaid,
            format!("{} does not say which unit it is drawn in. Choose the size that is right.", drawing.file),
        )
    };
    let mut finding = Finding::new(Station::Intake, severity, code, 1, text);
    for (i, c) in candidates.iter().enumerate() {
        let (w, h) = c.size;
        finding = if pixels && i == 0 { finding.mend(&c.name, c.edit.clone()) } else { finding.choice(&c.name, c.edit.clone()) }
            .coming_to(sizes(w, h));
    }
    finding
}

/// A size in mm and in inches; what is absurdly large in metres and feet, in as few figures.
fn sizes(w: f64, h: f64) -> [String; 2] {
    let pair = |w: f64, h: f64, figures: usize, unit: &str| format!("{w:.figures$} × {h:.figures$} {unit}");
    let metric = match w.max(h) {
        0.0..1000.0 => pair(w, h, 1, "mm"),
        1000.0..10_000.0 => pair(w, h, 0, "mm"),
        _ => pair(w / 1000.0, h / 1000.0, 0, "m"),
    };
    let (w, h) = (w / 25.4, h / 25.4);
    let imperial = match w.max(h) {
        0.0..100.0 => pair(w, h, 2, "in"),
        100.0..1000.0 => pair(w, h, 0, "in"),
        _ => pair(w / 12.0, h / 12.0, 0, "ft"),
    };
    [metric, imperial]
}

/// A file that is not whole: what could be read of it is taken, and a person says whether that will do.
fn damaged(drawing: &Drawing, decisions: &DrawingDecisions) -> Option<Finding> {
    let first = drawing.damage.first()?;
    let more = match drawing.damage.len() - 1 {
        0 => String::new(),
        n => format!(" There is more damage in {}.", counted(n, "other place", "other places")),
    };
    let text = format!(
        "{} is damaged: {first}{more} What could be read was taken, {} in all; something may be missing. Compare it with the original, or have it sent again.",
        drawing.file,
        counted(drawing.read, "entity", "entities"),
    );
    let finding = Finding::new(Station::Intake, Severity::Look, Code::DamagedFile, drawing.damage.len(), text);
    Some(
        finding
            .acceptable("Continue with what was read")
            .choice("Remove it", Edit::Intake(IntakeEdit::RemoveDrawing { drawing: decisions.id })),
    )
}

fn skipped(drawing: &Drawing) -> Vec<Finding> {
    let total: usize = drawing.skipped.values().sum();
    let remark = |r: &String| Finding::new(Station::Intake, Severity::Note, Code::Remark, 1, format!("{}: {r}", drawing.file));
    let mut findings: Vec<Finding> = drawing.remarks.iter().map(remark).collect();
    if total == 0 {
        return findings;
    }
    if let Some(first) = drawing.broken.first() {
        let text = format!(
            "{}: {first} {} left out.",
            drawing.file,
            if drawing.broken.len() == 1 { "It is" } else { "It and others like it are" }
        );
        findings.push(
            Finding::new(Station::Intake, Severity::Look, Code::BrokenEntity, drawing.broken.len(), text).acceptable("Continue without it"),
        );
    }
    let kinds: Vec<String> = drawing.skipped.iter().map(|(kind, n)| format!("{n} {kind}")).collect();
    findings.push(Finding::new(
        Station::Intake,
        Severity::Note,
        Code::Skipped,
        total,
        format!("{}: {} read, {} skipped: {}.", drawing.file, drawing.read, total, kinds.join(", ")),
    ));
    findings
}

/// Sizes over this many times the bed, or under this many mm, are asked about, also where the file says its unit.
const ODD: (f64, f64) = (3.0, 3.0);

/// What a drawing's size is, where it may be another.
struct Sized<'a> {
    /// Its box in the file's figures.
    raw: Bounds,
    /// mm that one of these is.
    mm: f64,
    /// Units that would do.
    candidates: &'a [Candidate],
}

fn size_trouble(drawing: &Drawing, decisions: &DrawingDecisions, sized: &Sized, bed: &Bed) -> Vec<Finding> {
    let Sized { raw, mm, candidates } = *sized;
    let (w, h) = (raw.width() * mm, raw.height() * mm);
    // Other sizes that would do, each with what it comes to.
    let offering = |mut finding: Finding| {
        let (w, h) = (decisions.scale * raw.width(), decisions.scale * raw.height());
        let other = |c: &&Candidate| (c.mm * decisions.scale - mm).abs() > mm * 1e-6 && c.mm * w.max(h) < LARGEST_COORDINATE;
        for c in candidates.iter().filter(other) {
            finding = finding.choice(&c.name, c.edit.clone()).coming_to(sizes(c.mm * w, c.mm * h));
        }
        let own = mm / decisions.scale;
        if decisions.scale != 1.0 && own * raw.width().max(raw.height()) < LARGEST_COORDINATE {
            let edit = Edit::Intake(IntakeEdit::SetScale { drawing: decisions.id, scale: 1.0 });
            finding = finding.choice("Ignore its scale", edit).coming_to(sizes(own * raw.width(), own * raw.height()));
        }
        finding
    };
    if !(w.is_finite() && h.is_finite()) || w.max(h) > LARGEST_COORDINATE {
        let text = format!(
            "{} would be {:.3e} × {:.3e} mm. Nothing over 100 m can be cut: choose another unit or remove the stray lines in the file.",
            drawing.file, w, h
        );
        let finding = Finding::new(Station::Intake, Severity::Stop, Code::TooLarge, 1, text);
        return vec![offering(finding).choice("Remove it", Edit::Intake(IntakeEdit::RemoveDrawing { drawing: decisions.id }))];
    }
    let longest = bed.width.max(bed.height);
    let asked = decisions.unit.is_some() || decisions.ppi.is_some() || decisions.scale != 1.0;
    // A page at the scale that it is drawn to is as large as a room; its parts are told where they fit no sheet.
    let paper = !drawing.pages.is_empty() && decisions.scale != 1.0;
    let (code, text) = if w.max(h) < 0.5 || w.max(h) < ODD.1 && !asked {
        (Code::Tiny, format!("{} is only {w:.3} × {h:.3} mm. Is its unit right?", drawing.file))
    } else if (w.max(h) > longest * 20.0 || w.max(h) > longest * ODD.0 && !asked) && !paper {
        let times = w.max(h) / longest;
        (
            Code::Huge,
            format!("{} is {:.0} × {:.0} mm, {times:.0} times {}'s bed. Is its unit or scale right?", drawing.file, w, h, bed.name),
        )
    } else {
        return Vec::new();
    };
    vec![offering(Finding::new(Station::Intake, Severity::Look, code, 1, text)).acceptable("It is right")]
}

/// The sentence on what was read: “812 read, 3 hatches skipped”.
pub fn account(drawing: &Drawing) -> String {
    let skipped: usize = drawing.skipped.values().sum();
    if skipped == 0 {
        format!("{} read", counted(drawing.read, "entity", "entities"))
    } else {
        format!("{} read, {skipped} skipped", drawing.read)
    }
}

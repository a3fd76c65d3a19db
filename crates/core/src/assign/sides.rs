//! Side views: a bar as long as a plate beside it, in line with it and as thick as sheets are. It shows how thick the plate is and
//! is no part.

use super::{Item, Part, Process};
use crate::clean::Cleaned;
use crate::decisions::{AssignEdit, Edit};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Bounds, Path, Point};

/// Thicknesses that sheets are sold in, mm, and how far off one may be drawn.
const SHEETS: [f64; 19] = [0.8, 1.0, 1.2, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 9.0, 10.0, 12.0, 15.0, 16.0, 18.0, 20.0, 25.0];
const OFF: f64 = 0.03;
/// It is at least so many times as long as thick.
const LONG: f64 = 4.0;
/// It is as long as the plate, and in line with it, within this share.
const LEVEL: f64 = 0.004;
/// It lies no further from the plate than so many times its own length.
const AWAY: f64 = 1.5;

/// A part that is another's side view.
pub(super) struct Side<'a> {
    /// The bar.
    pub bar: &'a Part,
    /// What it shows.
    pub plate: &'a Part,
    /// Thickness, mm.
    pub thickness: f64,
}

/// The side views among a plan's parts.
pub(super) fn views<'a>(drawing: &Cleaned, parts: &'a [Part]) -> Vec<Side<'a>> {
    let of: Vec<&Part> = parts.iter().filter(|p| p.drawing == drawing.drawing).collect();
    let shows = |bar: &&'a Part| {
        let b = bar.bounds;
        let upright = b.width() < b.height();
        let (thick, long) = if upright { (b.width(), b.height()) } else { (b.height(), b.width()) };
        let thickness = *SHEETS.iter().find(|t| (*t - thick).abs() <= OFF)?;
        if long < LONG * thick || !bar.holes.is_empty() || !is_bar(&bar.outline) {
            return None;
        }
        let span = |b: Bounds| if upright { (b.min.y, b.max.y) } else { (b.min.x, b.max.x) };
        let (from, to) = span(b);
        let plates = of.iter().filter(|p| p.id != bar.id).filter(|p| {
            let (low, high) = span(p.bounds);
            let across = if upright { p.bounds.width() } else { p.bounds.height() };
            (low - from).abs().max((high - to).abs()) <= LEVEL * long && across > 2.0 * thick
        });
        let gap = |p: &Part| {
            let (a, b) = if upright {
                (p.bounds.min.x - b.max.x, b.min.x - p.bounds.max.x)
            } else {
                (p.bounds.min.y - b.max.y, b.min.y - p.bounds.max.y)
            };
            a.max(b)
        };
        let near = plates.map(|p| (gap(p), *p)).filter(|(d, _)| (0.0..=AWAY * long).contains(d)).min_by(|a, b| a.0.total_cmp(&b.0))?;
        Some(Side { bar, plate: near.1, thickness })
    };
    let all: Vec<Side> = of.iter().filter_map(shows).collect();
    // Several bars alike in line are parts.
    let like = |s: &Side| all.iter().filter(|o| o.plate.id == s.plate.id && (o.thickness - s.thickness).abs() < OFF).count();
    let single: Vec<bool> = all.iter().map(|s| like(s) <= 2).collect();
    all.into_iter().zip(single).filter(|(_, s)| *s).map(|(s, _)| s).collect()
}

/// A rectangle of four lines.
fn is_bar(path: &Path) -> bool {
    let b = path.bounds();
    path.closed
        && path.segments.len() == 4
        && path.segments.iter().all(|s| s.is_line())
        && (path.area().abs() - b.width() * b.height()).abs() < 1e-6 * b.width() * b.height()
}

/// Asks whether what looks like a side view is one; `thickness` makes the plates as thick as they show.
pub(super) fn told(drawing: &Cleaned, sides: &[Side], items: &[Item], thickness: Vec<Edit>) -> Option<Finding> {
    let n = sides.len();
    let words: Vec<String> = sides
        .iter()
        .take(4)
        .map(|s| format!("{:.0} x {} mm, in line with {}", s.bar.bounds.width().max(s.bar.bounds.height()), s.thickness, s.plate.name))
        .collect();
    let text = format!(
        "{} in {} {} as long as a plate beside it and as thick as a sheet ({}). Is it a side view? That is no part.",
        counted(n, "bar", "bars"),
        drawing.name,
        if n == 1 { "is" } else { "are each" },
        words.join("; ")
    );
    let contours: Vec<_> = sides.iter().flat_map(|s| s.bar.items()).filter_map(|i| items.get(i)).map(|i| i.contour.id).collect();
    let points: Vec<Point> = sides.iter().map(|s| s.bar.bounds.center()).collect();
    let thicker = if thickness.is_empty() {
        ""
    } else if n == 1 {
        ", the plate as thick"
    } else {
        ", the plates as thick"
    };
    let label = format!("{}{thicker}", if n == 1 { "Make it reference" } else { "Make them reference" });
    let aside = Edit::Assign(AssignEdit::SetContours { contours, process: Some(Process::Reference) });
    let edit = Edit::All { edits: std::iter::once(aside).chain(thickness).collect() };
    let found = Finding::new(Station::Assign, Severity::Look, Code::SideView, n, text).at(drawing.drawing, points);
    // What may be a part stays one until somebody says otherwise.
    (n > 0).then(|| found.acceptable(if n == 1 { "It is a part" } else { "They are parts" }).choice(label, edit))
}

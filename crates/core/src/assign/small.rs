//! Numbers on the edges of a solid's faces that would come out too small to be read: left out, with a word.

use super::{Item, Part, Why};
use crate::decisions::Process;
use crate::drawing::Nature;
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::Bounds;
use crate::ids::ContourId;

/// Layers that readers write joints' numbers on.
const LAYERS: [&str; 2] = ["edge numbers", "joint numbers"];
/// Letters lower than this cannot be read, mm, nor those lower than so many widths of the beam.
const READABLE: (f64, f64) = (1.5, 10.0);
/// Strokes of one number are no further apart than this share of the larger one.
const TOGETHER: f64 = 0.7;
/// A number wider than this many times its height has several digits.
const WIDE: f64 = 1.15;

/// Leaves out the numbers of joints that cannot be read; what a hand or the key has said of them stands.
pub(super) fn leave_out(items: &mut [Item], parts: &[Part], spot: f64) -> Option<Finding> {
    let least = READABLE.0.max(READABLE.1 * spot);
    let mut gone: Vec<ContourId> = Vec::new();
    let mut lowest = f64::INFINITY;
    let mut numbers = 0;
    for part in parts {
        let own = |i: &usize| {
            let item = &items[*i];
            item.why == Why::Added && item.contour.style.nature == Nature::Writing && LAYERS.contains(&item.contour.style.layer.as_str())
        };
        let strokes: Vec<usize> = part.inside.iter().copied().filter(own).collect();
        for number in clusters(&strokes, items) {
            let b = number.iter().fold(Bounds::EMPTY, |b, i| b.union(items[*i].contour.bounds));
            let height = if b.width() > WIDE * b.height() { b.height() } else { b.height().max(b.width()) };
            if height < least {
                numbers += 1;
                lowest = lowest.min(height);
                gone.extend(number.iter().map(|i| items[*i].contour.id));
                number.iter().for_each(|i| items[*i].process = Process::Reference);
            }
        }
    }
    let text = format!(
        "{} of joints would be {lowest:.1} mm high and more; under {least:.1} mm nothing can be read: left out. Make the solid larger, or tell its faces apart by the key.",
        counted(numbers, "number", "numbers")
    );
    (numbers > 0).then(|| Finding::new(Station::Assign, Severity::Note, Code::NumbersSmall, numbers, text).on(gone))
}

/// Strokes that stand together, each number for itself.
fn clusters(strokes: &[usize], items: &[Item]) -> Vec<Vec<usize>> {
    let size = |b: &Bounds| b.width().max(b.height());
    let mut out: Vec<(Bounds, Vec<usize>)> = Vec::new();
    for i in strokes {
        let b = items[*i].contour.bounds;
        let near = |other: &Bounds| b.grown(TOGETHER * size(&b).max(size(other)) / 2.0).meets(other);
        // All that it touches become one with it.
        let (with, apart): (Vec<_>, Vec<_>) = out.into_iter().partition(|(o, _)| near(o));
        let joined = with.into_iter().fold((b, vec![*i]), |(b, mut all), (o, others)| {
            all.extend(others);
            (b.union(o), all)
        });
        out = apart;
        out.push(joined);
    }
    out.into_iter().map(|c| c.1).collect()
}

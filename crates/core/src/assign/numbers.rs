//! Numbers on parts: each gets a running number or label, inside where there is most room.

use super::{Item, Part, Why};
use crate::clean::{Contour, ContourId};
use crate::decisions::Numbers;
use crate::drawing::{Nature, Style};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Affine, Path, Point, Vec2};
use crate::lettering::{self, Face};
use std::collections::BinaryHeap;
use std::sync::Arc;

/// Room left between a number and whatever is round it, as a share of the free circle's radius.
const CLEAR: f64 = 0.12;
/// Cells that are looked at for one part.
const MOST_CELLS: usize = 4000;

/// Adds a number to each part, as items inside it, and says which parts have no room for one.
pub(super) fn add(items: &mut Vec<Item>, parts: &mut [Part], numbers: &Numbers) -> Vec<Finding> {
    let mut without: Vec<ContourId> = Vec::new();
    let style = Arc::new(Style {
        layer: "part numbers".into(),
        text: numbers.face == Face::Outline,
        fill: (numbers.face == Face::Outline).then_some([0; 3]),
        winding: true,
        nature: if numbers.face == Face::Outline { Nature::Plain } else { Nature::Writing },
        ..Style::default()
    });
    for (n, part) in parts.iter_mut().enumerate() {
        let label = format!("{}{}", numbers.prefix, numbers.first as usize + n);
        let edges: Vec<&Path> =
            std::iter::once(&part.outline).chain(part.holes.iter().chain(&part.inside).map(|i| &items[*i].contour.path)).collect();
        let holes: Vec<&Path> = part.holes.iter().map(|i| &items[*i].contour.path).collect();
        let (middle, radius) = freest(&part.outline, &holes, &edges);
        let unit = lettering::line(&label, 1.0, numbers.face);
        // The label's box of w × h for capitals 1 mm high fits the circle when half its diagonal does.
        let height = (radius * (1.0 - CLEAR) / (unit.width / 2.0).hypot(0.5)).min(numbers.tallest);
        if height < numbers.smallest {
            without.push(part.id.0);
            continue;
        }
        let line = lettering::line(&label, height, numbers.face);
        let place = Affine::translate(middle.to_vec2() - Vec2::new(line.width, height) / 2.0);
        for (k, path) in line.paths.iter().enumerate() {
            let id = ContourId(part.id.0.0.rotate_left(23) ^ (0x6e75_6d62_6572_0000 + k as u64));
            let path = path.transformed(place);
            let contour = Contour::of_label(id, path, &style, part.drawing);
            part.inside.push(items.len());
            items.push(Item { contour: Arc::new(contour), process: numbers.process, why: Why::Number, setting: None });
        }
    }
    let mut findings: Vec<Finding> = Vec::new();
    let lacking = lettering::lacks(&numbers.prefix, numbers.face);
    findings.extend(lettering::told(&lacking, "Numbers on parts").map(|text| {
        Finding::new(Station::Assign, Severity::Look, Code::LettersMissing, lacking.len(), text).acceptable("Leave those letters out")
    }));
    let n = without.len();
    let text = format!(
        "{} {} no room for a number {} mm high and {} without.",
        counted(n, "part", "parts"),
        if n == 1 { "has" } else { "have" },
        numbers.smallest,
        if n == 1 { "goes" } else { "go" }
    );
    findings.extend((n > 0).then(|| Finding::new(Station::Assign, Severity::Note, Code::NoRoomForNumber, n, text).on(without)));
    findings
}

/// A square of the search: its middle, half its side, the distance at its middle, and the most any point of it can have.
struct Cell {
    middle: Point,
    half: f64,
    distance: f64,
}

impl Cell {
    fn most(&self) -> f64 {
        self.distance + self.half * std::f64::consts::SQRT_2
    }
}

impl PartialEq for Cell {
    fn eq(&self, other: &Self) -> bool {
        self.most() == other.most()
    }
}
impl Eq for Cell {}
impl PartialOrd for Cell {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Cell {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.most().total_cmp(&other.most())
    }
}

/// Middle and radius of the largest circle inside an outline that meets none of the edges: the pole of inaccessibility,
/// by halving squares, the most promising first (Garcia-Castellanos and Lombardo, "Poles of inaccessibility", 2007, made
/// exact by the bound that no point of a square is further from an edge than its middle by more than half its diagonal).
pub(super) fn freest(outline: &Path, holes: &[&Path], edges: &[&Path]) -> (Point, f64) {
    let b = outline.bounds();
    let inside = |p: Point| outline.contains(p) && !holes.iter().any(|h| h.contains(p));
    let distance = |p: Point| {
        let near = edges.iter().map(|e| e.nearest(p).distance).fold(f64::INFINITY, f64::min);
        if inside(p) { near } else { -near }
    };
    let cell = |middle: Point, half: f64| Cell { middle, half, distance: distance(middle) };
    let side = b.width().min(b.height()).max(1e-3);
    let mut heap = BinaryHeap::new();
    let (columns, rows) = ((b.width() / side).ceil().clamp(1.0, 32.0) as usize, (b.height() / side).ceil().clamp(1.0, 32.0) as usize);
    let half = (b.width() / columns as f64).max(b.height() / rows as f64) / 2.0;
    for i in 0..columns * rows {
        let at = b.min + Vec2::new((i % columns) as f64 * 2.0 * half + half, (i / columns) as f64 * 2.0 * half + half);
        heap.push(cell(at, half));
    }
    let mut best = cell(outline.centroid(), 0.0);
    let fine = (side * 0.005).max(0.01);
    let mut looked = 0;
    while let Some(c) = heap.pop() {
        // Where several places are as free, the first one stands: the middle of the part.
        if c.distance > best.distance + 1e-6 {
            best = Cell { half: 0.0, ..c };
        }
        looked += 1;
        if c.most() - best.distance <= fine || looked > MOST_CELLS {
            break;
        }
        let half = c.half / 2.0;
        for (dx, dy) in [(-half, -half), (half, -half), (-half, half), (half, half)] {
            heap.push(cell(c.middle + Vec2::new(dx, dy), half));
        }
    }
    (best.middle, best.distance.max(0.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_freest_place_of_plain_shapes_is_known() {
        let square = Path::rectangle(0.0, 0.0, 20.0, 10.0);
        let (_, r) = freest(&square, &[], &[&square]);
        assert!((r - 5.0).abs() < 0.06, "{r}");
        let circle = Path::circle(Point::new(3.0, 4.0), 8.0);
        let (p, r) = freest(&circle, &[], &[&circle]);
        assert!((r - 8.0).abs() < 0.06 && p.distance(Point::new(3.0, 4.0)) < 0.1);
        // A ring: between its circles.
        let hole = Path::circle(Point::new(3.0, 4.0), 4.0);
        let (p, r) = freest(&circle, &[&hole], &[&circle, &hole]);
        assert!((r - 2.0).abs() < 0.06 && (p.distance(Point::new(3.0, 4.0)) - 6.0).abs() < 0.1);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        /// No point of a fine grid is freer than the place that was found.
        #[test]
        fn nowhere_is_freer(radii in prop::collection::vec(8.0..40.0_f64, 4..12), hx in -10.0..10.0_f64, hr in 0.5..6.0_f64) {
            let n = radii.len() as f64;
            let points: Vec<Point> = radii.iter().enumerate().map(|(i, r)| (*r * Vec2::from_angle(i as f64 / n * std::f64::consts::TAU)).to_point()).collect();
            let outline = Path::polygon(&points);
            let hole = Path::circle(Point::new(hx * 0.3, 0.0), hr);
            let (_, found) = freest(&outline, &[&hole], &[&outline, &hole]);
            for i in 0..900 {
                let p = Point::new(f64::from(i % 30) * 2.7 - 40.0, f64::from(i / 30) * 2.7 - 40.0);
                if outline.contains(p) && !hole.contains(p) {
                    let free = outline.nearest(p).distance.min(hole.nearest(p).distance);
                    prop_assert!(free <= found + 0.4, "{free} over {found}");
                }
            }
        }
    }
}

//! What every panel of a box owns, as its outline.

use super::{BoxSpec, Form, Panel, Stands, Top};
use crate::geometry::{Path, Point, Region, Segment};

/// Height of the joints' numbers, and how far from the joint they stand, mm.
const NUMBERS: (f64, f64) = (4.0, 2.0);
/// A divider's tab through a wall lies between these shares of its height, and one through the base takes this share of its room.
const TAB: (f64, f64) = (0.15, 0.45);
const BASE_TAB: f64 = 0.5;
/// A finger reaches so far into its panel's own room, mm.
const INTO: f64 = 0.4;
/// Between a handle and the box's upper edge, mm at least.
const OVER_HANDLE: f64 = 8.0;

/// A slab of the outer box.
#[derive(Clone, Copy)]
struct Slab {
    name: &'static str,
    /// The axis that it is thick in, and where along it its low face is.
    axis: usize,
    low: f64,
    thick: f64,
    rank: usize,
}

impl Slab {
    /// At the low end of its axis.
    fn is_low(&self) -> bool {
        self.low == 0.0
    }
    /// Its own x and y.
    fn plane(&self) -> (usize, usize) {
        match self.axis {
            0 => (1, 2),
            1 => (0, 2),
            _ => (0, 1),
        }
    }
}

fn slabs(spec: &BoxSpec) -> Vec<Slab> {
    let [w, d, h] = spec.outer();
    let (flat, side, front) = spec.thickness;
    let mut out = vec![
        Slab { name: "base", axis: 2, low: 0.0, thick: flat, rank: 0 },
        Slab { name: "left", axis: 0, low: 0.0, thick: side, rank: 1 },
        Slab { name: "right", axis: 0, low: w - side, thick: side, rank: 1 },
        Slab { name: "front", axis: 1, low: 0.0, thick: front, rank: 2 },
        Slab { name: "back", axis: 1, low: d - front, thick: front, rank: 2 },
    ];
    if spec.top == Top::Closed {
        out.push(Slab { name: "top", axis: 2, low: h - flat, thick: flat, rank: 0 });
    }
    out
}

/// Where the slab at an end of an axis ends, seen from that end: 0 where there is none.
fn taken(slabs: &[Slab], axis: usize, low: bool) -> f64 {
    slabs.iter().find(|s| s.axis == axis && s.is_low() == low).map_or(0.0, |s| s.thick)
}

/// Stretches of a bar of this length with fingers of about this width: an odd number, three at least.
pub(super) fn stretches(length: f64, finger: f64) -> usize {
    let n = (length / finger).floor().clamp(3.0, 999.0) as usize;
    if n.is_multiple_of(2) { n - 1 } else { n }
}

/// Grows a panel's outline from rectangles in its own coordinates.
struct Sketch {
    plane: (usize, usize),
    full: Vec<Path>,
    holes: Vec<Path>,
}

impl Sketch {
    /// A rectangle by its ranges along two axes of the box.
    fn rect(&self, a: (usize, f64, f64), b: (usize, f64, f64)) -> Path {
        let of = |axis: usize| if a.0 == axis { (a.1, a.2) } else { (b.1, b.2) };
        let ((x0, x1), (y0, y1)) = (of(self.plane.0), of(self.plane.1));
        Path::rectangle(x0, y0, x1 - x0, y1 - y0)
    }
    fn add(&mut self, a: (usize, f64, f64), b: (usize, f64, f64)) {
        self.full.push(self.rect(a, b));
    }
    fn cut(&mut self, a: (usize, f64, f64), b: (usize, f64, f64)) {
        let hole = self.rect(a, b);
        self.holes.push(hole);
    }
    fn area(&self) -> Region {
        Region::union(self.full.iter().map(|p| Region::within(&[p])))
    }
}

/// The largest outline of an area, straight on where it is straight.
pub(super) fn largest(area: &Region) -> Path {
    straight(&area.outlines().into_iter().max_by(|a, b| a.area().abs().total_cmp(&b.area().abs())).unwrap_or_default())
}

/// Without corners that are none, counterclockwise.
fn straight(path: &Path) -> Path {
    let points: Vec<Point> = path.segments.iter().map(|s| s.start).collect();
    let n = points.len();
    let is_corner = |i: usize| {
        let (a, b) = (points[i] - points[(i + n - 1) % n], points[(i + 1) % n] - points[i]);
        a.cross(b).abs() > 1e-7 * (1.0 + a.hypot() * b.hypot())
    };
    let ring = Path::polygon(&(0..n).filter(|i| is_corner(*i)).map(|i| points[i]).collect::<Vec<_>>());
    if ring.area() < 0.0 { ring.reversed() } else { ring }
}

pub(super) fn panels(spec: &BoxSpec) -> Vec<Panel> {
    let slabs = slabs(spec);
    let outer = spec.outer();
    let mut out: Vec<Panel> = Vec::new();
    let joints = joints(&slabs);
    let dividers = dividers(spec);
    for (i, slab) in slabs.iter().enumerate() {
        let (u, v) = slab.plane();
        let mut sketch = Sketch { plane: slab.plane(), full: Vec::new(), holes: Vec::new() };
        let low_front = spec.form == Form::Sloped && slab.axis == 1 && slab.is_low();
        let upper = |axis: usize| if axis == 2 && low_front { spec.slope.0 } else { outer[axis] };
        let room = |axis: usize| (axis, taken(&slabs, axis, true), upper(axis) - taken(&slabs, axis, false));
        sketch.add(room(u), room(v));
        let mut numbers = Vec::new();
        for (number, (a, b)) in joints.iter().enumerate().filter(|(_, j)| j.0 == i || j.1 == i) {
            let other = &slabs[if *a == i { *b } else { *a }];
            side(spec, &slabs, slab, other, &mut sketch);
            if spec.numbers {
                let mut outer = outer;
                outer[2] = height(spec, slab, other);
                numbers.push(numbered(number + 1, slab, other, &outer));
            }
        }
        if slab.axis == 0 && spec.handle != (0.0, 0.0) {
            sketch.holes.push(handle(spec, outer));
        }
        for d in &dividers {
            d.slots(spec, slab, &mut sketch);
        }
        let mut at = [0.0; 3];
        at[slab.axis] = slab.low;
        // The sides of a sloped tray lack what lies above its slope.
        let whole = sketch.area();
        let whole = if slab.axis == 0 && spec.form == Form::Sloped { whole.minus(&above_slope(spec)) } else { whole };
        out.push(Panel {
            name: slab.name.into(),
            outline: largest(&whole),
            holes: sketch.holes,
            numbers,
            stands: Stands { at, x: u, y: v, thick: slab.thick },
        });
    }
    out.extend(dividers.iter().map(|d| d.panel(spec, &dividers)));
    if spec.top == Top::Lid {
        out.extend(lid(spec));
    }
    out
}

/// What of a side lies above the front's upper edge and the slope that rises behind it, in the side's own coordinates.
fn above_slope(spec: &BoxSpec) -> Region {
    let ([_, d, h], t) = (spec.outer(), spec.thickness.2);
    let (front, angle) = spec.slope;
    let run = (h - front) / angle.to_radians().tan();
    let p = Point::new;
    Region::within(&[&Path::polygon(&[
        p(-1.0, front),
        p(t, front),
        p((t + run).min(d), h),
        p((t + run).min(d), h + 1.0),
        p(-1.0, h + 1.0),
    ])])
}

/// How high the walls are along which a slab and another meet: the front of a sloped tray is low.
fn height(spec: &BoxSpec, slab: &Slab, other: &Slab) -> f64 {
    let front = [slab, other].iter().any(|s| s.axis == 1 && s.is_low());
    if spec.form == Form::Sloped && front { spec.slope.0 } else { spec.outer()[2] }
}

/// Pairs of slabs that meet along an edge; the numbers of their joints run in this order.
fn joints(slabs: &[Slab]) -> Vec<(usize, usize)> {
    let pairs = (0..slabs.len()).flat_map(|a| (a + 1..slabs.len()).map(move |b| (a, b)));
    pairs.filter(|(a, b)| slabs[*a].axis != slabs[*b].axis).collect()
}

/// A panel's fingers along the edge where it meets another.
fn side(spec: &BoxSpec, slabs: &[Slab], slab: &Slab, other: &Slab, sketch: &mut Sketch) {
    let mut outer = spec.outer();
    outer[2] = height(spec, slab, other);
    let along = 3 - slab.axis - other.axis;
    let (from, to) = (taken(slabs, along, true), outer[along] - taken(slabs, along, false));
    let n = stretches(to - from, spec.finger);
    let width = (to - from) / n as f64;
    let first = usize::from(slab.rank < other.rank);
    let owns_corner = slab.rank == 2;
    // From the other's outer face a little into the panel's own room, so that it hangs together; in a corner no further than the
    // narrowest stretch beside it.
    let (near, far) = if other.is_low() { (0.0, other.thick + INTO) } else { (other.low - INTO, other.low + other.thick) };
    for i in (first..n).step_by(2) {
        let gap = spec.clearance / 2.0;
        let begin = match i {
            0 if from == 0.0 || owns_corner => 0.0,
            _ => from + width * i as f64 + gap,
        };
        let end = match i {
            _ if i + 1 == n && (to == outer[along] || owns_corner) => outer[along],
            _ => from + width * (i + 1) as f64 - gap,
        };
        sketch.add((other.axis, near, far), (along, begin, end));
        // Feet go on down from the outermost fingers into the base.
        if spec.feet > 0.0 && other.axis == 2 && other.is_low() && (i == 0 || i + 1 == n) {
            sketch.add((2, -spec.feet, other.thick + INTO), (along, begin, end));
        }
    }
}

/// The number of a joint: in the middle of the edge, inside of it.
fn numbered(n: usize, slab: &Slab, other: &Slab, outer: &[f64; 3]) -> (String, f64, Point) {
    let along = 3 - slab.axis - other.axis;
    let height = NUMBERS.0.min(outer[other.axis] / 10.0).min(outer[along] / 10.0);
    let off = other.thick + NUMBERS.1.min(height) + height / 2.0;
    let across = if other.is_low() { off } else { other.low - (off - other.thick) };
    let of = |axis: usize| if axis == along { outer[along] / 2.0 } else { across };
    let (u, v) = slab.plane();
    (n.to_string(), height, Point::new(of(u), of(v)))
}

/// A slot with round ends for a hand, in the middle of a side near its upper edge.
fn handle(spec: &BoxSpec, [_, d, h]: [f64; 3]) -> Path {
    let (length, high) = spec.handle;
    let (r, y) = (high / 2.0, h - spec.thickness.0 - OVER_HANDLE.max(high * 0.4) - high / 2.0);
    let (a, b) = (d / 2.0 - length / 2.0 + r, d / 2.0 + length / 2.0 - r);
    let p = Point::new;
    let arc = |start, end| Segment { start, end, bulge: 1.0 };
    let mut segments = vec![arc(p(b, y - r), p(b, y + r))];
    if b - a > 1e-9 {
        segments.push(Segment::line(p(b, y + r), p(a, y + r)));
    }
    segments.push(arc(p(a, y + r), p(a, y - r)));
    if b - a > 1e-9 {
        segments.push(Segment::line(p(a, y - r), p(b, y - r)));
    }
    Path::new(segments, true)
}

/// A wall within the box.
struct Divider {
    name: String,
    /// The axis that it is thick in, and its low face.
    axis: usize,
    low: f64,
}

fn dividers(spec: &BoxSpec) -> Vec<Divider> {
    let outer = spec.outer();
    let t = spec.thickness.1;
    let mut out = Vec::new();
    for (axis, n, wall, word) in [(0, spec.dividers.0, spec.thickness.1, "across"), (1, spec.dividers.1, spec.thickness.2, "along")] {
        let room = (outer[axis] - 2.0 * wall - f64::from(n) * t) / f64::from(n + 1);
        out.extend((0..n).map(|i| Divider {
            name: format!("divider {word} {}", i + 1),
            axis,
            low: wall + room * f64::from(i + 1) + t * f64::from(i),
        }));
    }
    out
}

impl Divider {
    /// The axis that it runs along, with its ends at the walls' inner faces.
    fn run(&self, spec: &BoxSpec) -> (usize, f64, f64) {
        let along = 1 - self.axis;
        let wall = if along == 0 { spec.thickness.1 } else { spec.thickness.2 };
        (along, wall, spec.outer()[along] - wall)
    }
    /// From the base up to what is above.
    fn rise(&self, spec: &BoxSpec) -> (f64, f64) {
        let above = match spec.top {
            Top::Open => 0.0,
            Top::Closed => spec.thickness.0,
            Top::Lid => spec.thickness.0 + spec.clearance.max(0.0),
        };
        let upper = if spec.form == Form::Sloped { spec.slope.0 } else { spec.outer()[2] };
        (spec.thickness.0, upper - above)
    }
    fn tab(&self, spec: &BoxSpec) -> (f64, f64) {
        let (from, to) = self.rise(spec);
        (from + (to - from) * TAB.0, from + (to - from) * TAB.1)
    }
    /// Ranges of its tabs through the base: one in every room that others part it into.
    fn base_tabs(&self, spec: &BoxSpec, others: &[Self]) -> Vec<(f64, f64)> {
        let (along, from, to) = self.run(spec);
        let mut ends = vec![from];
        let mut crossing: Vec<f64> = others.iter().filter(|o| o.axis == along).map(|o| o.low).collect();
        crossing.sort_by(f64::total_cmp);
        for low in crossing {
            ends.extend([low, low + spec.thickness.1]);
        }
        ends.push(to);
        ends.chunks(2)
            .map(|room| {
                let (a, b) = (room[0], room[1]);
                let side = (b - a) * (1.0 - BASE_TAB) / 2.0;
                (a + side, b - side)
            })
            .collect()
    }

    /// What it needs cut in a slab of the box.
    fn slots(&self, spec: &BoxSpec, slab: &Slab, sketch: &mut Sketch) {
        let (gap, t) = (spec.clearance / 2.0, spec.thickness.1);
        let (along, ..) = self.run(spec);
        let across = (self.axis, self.low - gap, self.low + t + gap);
        if slab.axis == along {
            let (from, to) = self.tab(spec);
            sketch.cut(across, (2, from - gap, to + gap));
        }
        if slab.name == "base" {
            for (from, to) in self.base_tabs(spec, &dividers(spec)) {
                sketch.cut(across, (along, from - gap, to + gap));
            }
        }
    }

    fn panel(&self, spec: &BoxSpec, all: &[Self]) -> Panel {
        let (along, from, to) = self.run(spec);
        let (low, high) = self.rise(spec);
        let (gap, t, outer) = (spec.clearance / 2.0, spec.thickness.1, spec.outer());
        let mut sketch = Sketch { plane: (along, 2), full: Vec::new(), holes: Vec::new() };
        sketch.add((along, from, to), (2, low, high));
        let (a, b) = self.tab(spec);
        sketch.add((along, 0.0, from + t), (2, a, b));
        sketch.add((along, to - t, outer[along]), (2, a, b));
        for (a, b) in self.base_tabs(spec, all) {
            sketch.add((along, a, b), (2, 0.0, low + t));
        }
        // Where it crosses others it is slotted half way: these from above, those from below.
        let half = f64::midpoint(low, high);
        let slots: Vec<Path> = all
            .iter()
            .filter(|o| o.axis == along)
            .map(|o| {
                let z = if self.axis == 0 { (2, half, high + 1.0) } else { (2, low - 1.0, half) };
                sketch.rect((along, o.low - gap, o.low + t + gap), z)
            })
            .collect();
        let mut whole = sketch.area();
        for s in &slots {
            whole = whole.minus(&Region::within(&[s]));
        }
        let mut at = [0.0; 3];
        at[self.axis] = self.low;
        Panel {
            name: self.name.clone(),
            outline: largest(&whole),
            holes: Vec::new(),
            numbers: Vec::new(),
            stands: Stands { at, x: along, y: 2, thick: t },
        }
    }
}

/// A plate that lies on the box, and one under it that fits inside.
fn lid(spec: &BoxSpec) -> [Panel; 2] {
    let [w, d, h] = spec.outer();
    let (flat, side, front) = spec.thickness;
    let play = spec.clearance.max(0.0);
    let plate = |name: &str, at: [f64; 3], x: f64, y: f64, w: f64, d: f64| Panel {
        name: name.into(),
        outline: Path::rectangle(x, y, w, d),
        holes: Vec::new(),
        numbers: Vec::new(),
        stands: Stands { at, x: 0, y: 1, thick: flat },
    };
    [
        plate("lid", [0.0, 0.0, h], 0.0, 0.0, w, d),
        plate("lid, under it", [0.0, 0.0, h - flat], side + play, front + play, w - 2.0 * (side + play), d - 2.0 * (front + play)),
    ]
}

//! Jobs of random drawings from end to end, and their programs against the parts as drawn: by points along flattened
//! outlines, which know nothing of offsets, leads, nicks or strokes.

use crate::controller;
use crate::job::Job;
use boustrophe_core::assign::{Process, Why, Work};
use boustrophe_core::decisions::{AssignEdit, Edit, HoldEdit, IntakeEdit, NestEdit, OrderEdit, Stock};
use boustrophe_core::finding::Severity;
use boustrophe_core::geometry::{Path, Point, Segment};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ids::EdgePlace;
use boustrophe_core::nest::Placement;
use boustrophe_core::route::Route;
use boustrophe_house::played;
use proptest::prelude::*;
use std::collections::HashMap;
use std::fmt::Write as _;

/// Flattening and the program's three decimals may be off by this much, mm.
const HAIR: f64 = 0.02;

/// What its edges are: straight, bulging arcs, hollow arcs.
const EDGES: [&str; 3] = ["L", "A90 90 0 0 1 ", "A200 200 0 0 0 "];

/// A plate of the random drawing.
#[derive(Clone, Debug)]
pub struct Plate {
    /// Of its corners, round its middle.
    radii: Vec<f64>,
    edge: usize,
    middle: Middle,
    line: bool,
    field: bool,
}

#[derive(Clone, Debug)]
enum Middle {
    Full,
    Hole(f64),
    /// A hole with a disc in it, which is a part of its own. Nothing else has room there.
    Disc(f64),
}

impl Plate {
    fn parts(&self) -> usize {
        if matches!(self.middle, Middle::Disc(_)) { 2 } else { 1 }
    }
}

pub fn plate() -> impl Strategy<Value = Plate> {
    let radii = prop::collection::vec(26.0..60.0_f64, 3..9);
    let middle = prop_oneof![Just(Middle::Full), (2.5..7.0_f64).prop_map(Middle::Hole), (2.0..4.5_f64).prop_map(Middle::Disc)];
    (radii, 0..EDGES.len(), middle, any::<bool>(), any::<bool>()).prop_map(|(radii, edge, middle, line, field)| Plate {
        radii,
        edge,
        middle,
        line,
        field,
    })
}

/// The plates in a row, as SVG: red outlines, a blue line across, a black field.
pub fn drawn(plates: &[Plate]) -> String {
    let width = plates.len() * 140;
    let mut svg = format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="{width}mm" height="140mm" viewBox="0 0 {width} 140">"#);
    for (i, plate) in plates.iter().enumerate() {
        let middle = (70.0 + 140.0 * i as f64, 70.0);
        let corner = |k: usize| {
            let turn = std::f64::consts::TAU * k as f64 / plate.radii.len() as f64;
            let r = plate.radii[k % plate.radii.len()];
            format!("{:.4} {:.4}", middle.0 + r * turn.cos(), middle.1 + r * turn.sin())
        };
        let edges: String = (1..=plate.radii.len()).map(|k| format!("{}{}", EDGES[plate.edge], corner(k))).collect();
        let _ = write!(svg, r#"<path fill="none" stroke="red" d="M{}{edges}Z"/>"#, corner(0));
        let mut circle = |r: f64| {
            let _ = write!(svg, r#"<circle fill="none" stroke="red" cx="{}" cy="{}" r="{r:.3}"/>"#, middle.0 - 2.0, middle.1 + 1.0);
        };
        // Triangles are narrow: their inner circle has less than half of the smallest corner radius.
        match plate.middle {
            Middle::Full => {}
            Middle::Hole(r) => circle(r),
            Middle::Disc(r) => [r, 7.0].into_iter().for_each(&mut circle),
        }
        if plate.line {
            let _ = write!(svg, r#"<path fill="none" stroke="blue" d="M{} 60 h6 l2 3"/>"#, middle.0 - 4.0);
        }
        if plate.field {
            let _ = write!(svg, r#"<rect fill="black" x="{}" y="78.5" width="7" height="2"/>"#, middle.0 - 3.0);
        }
    }
    svg + "</svg>"
}

/// A job over one drawing, so many of each part.
pub fn job(svg: &str, stock: Stock, quantity: u32) -> Job {
    let mut job = Job::of(&[("plates.svg", svg.as_bytes().to_vec())], stock);
    job.decisions.drawings[0].quantity = quantity;
    job
}

/// An outline as points a tenth of a millimetre apart, where it lies on the sheet.
fn points(path: &Path, placed: &Placement) -> Vec<Point> {
    let way = placed.affine();
    path.segments.iter().flat_map(|s| spread(*s)).map(|p| way * p).collect()
}

fn spread(s: Segment) -> impl Iterator<Item = Point> {
    let n = (s.length() / 0.1).ceil().max(1.0) as usize;
    (0..=n).map(move |i| s.at(i as f64 / n as f64))
}

/// True inside a polygon, by the number of its edges that a ray to the right meets.
pub fn inside(p: Point, polygon: &[Point]) -> bool {
    let edges = polygon.iter().zip(polygon.iter().cycle().skip(1));
    edges.filter(|(a, b)| (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x)).count() % 2 == 1
}

/// Points with a number each, found by where they are.
struct Cells {
    size: f64,
    cells: HashMap<(i64, i64), Vec<(Point, usize)>>,
}

impl Cells {
    fn new(size: f64, points: impl IntoIterator<Item = (Point, usize)>) -> Self {
        let mut made = Self { size, cells: HashMap::new() };
        for (p, n) in points {
            made.cells.entry(made.cell(p)).or_default().push((p, n));
        }
        made
    }
    fn cell(&self, p: Point) -> (i64, i64) {
        ((p.x / self.size).floor() as i64, (p.y / self.size).floor() as i64)
    }
    /// Those no further than the size of a cell, with their distance.
    fn around(&self, p: Point) -> impl Iterator<Item = (f64, usize)> {
        let (x, y) = self.cell(p);
        let cells = (x - 1..=x + 1).flat_map(move |x| (y - 1..=y + 1).map(move |y| (x, y)));
        cells.filter_map(|c| self.cells.get(&c)).flatten().map(move |(q, n)| (p.distance(*q), *n)).filter(|n| n.0 <= self.size)
    }
}

/// A part as it lies: its outline, its holes, and what is drawn on it.
struct Lying {
    outline: Vec<Point>,
    holes: Vec<Vec<Point>>,
    lines: Vec<Point>,
    fields: Vec<Vec<Point>>,
}

impl Lying {
    fn new(work: &Work, placed: &Placement) -> Self {
        let part = work.part(placed.copy.part).expect("a part");
        let of = |i: &usize| points(&work.items[*i].contour.path, placed);
        let done = |process: Process| part.inside.iter().filter(move |i| work.items[**i].process == process);
        Self {
            outline: part.outer.iter().flat_map(of).collect(),
            holes: part.holes.iter().map(of).collect(),
            lines: done(Process::Score).flat_map(of).collect(),
            fields: done(Process::Engrave).map(of).collect(),
        }
    }
    /// In the material that is to stay.
    fn keeps(&self, p: Point) -> bool {
        inside(p, &self.outline) && !self.holes.iter().any(|h| inside(p, h))
    }
}

/// Points along everything that a program burns, in its order.
fn burned(program: &str) -> Vec<Point> {
    controller::moves(program).into_iter().filter(|m| m.lit).flat_map(|m| m.spread(0.1).chain([m.to])).collect()
}

/// What is wrong with a burned sheet, in words: nothing, one hopes.
fn wrong(parts: &[Lying], burned: &[Point], kerf: f64, nicks: Option<(f64, f64)>, leads: bool) -> Vec<String> {
    let mut wrong = Vec::new();
    // In an inner corner the round beam stays a little further from the line.
    let reach = kerf / 2.0 * 1.3 + 0.1;
    let index = Cells::new(reach.max(0.5), burned.iter().enumerate().map(|(i, p)| (*p, i)));
    let first = |points: &[Point]| points.iter().flat_map(|p| index.around(*p)).filter(|n| n.0 <= reach).map(|n| n.1).min();
    for (k, part) in parts.iter().enumerate() {
        let outline = first(&part.outline);
        for ring in part.holes.iter().chain([&part.outline]) {
            let bare = |p: &Point| index.around(*p).all(|n| n.0 > reach);
            let gaps: Vec<&[Point]> = ring.chunk_by(|a, b| bare(a) == bare(b)).filter(|run| bare(&run[0])).collect();
            let most = nicks.filter(|_| std::ptr::eq(ring, &raw const part.outline)).map_or((0, 0.0), |(width, pitch)| {
                // A nick at the outline's first point is seen as two.
                ((ring.len() as f64 * 0.1 / pitch).ceil().max(3.0) as usize + 1, width)
            });
            if gaps.len() > most.0 || gaps.iter().any(|g| g.len() as f64 * 0.1 > most.1 + 0.3) {
                wrong.push(format!("part {k}: {} gaps, the longest {:?} mm", gaps.len(), gaps.iter().map(|g| g.len() / 10).max()));
            }
        }
        for hole in &part.holes {
            if first(hole) >= outline {
                wrong.push(format!("part {k}: a hole after its outline"));
            }
        }
        let mut drawn = part.lines.iter().chain(part.fields.iter().flatten());
        if drawn.any(|p| index.around(*p).filter(|n| n.0 < 0.3).map(|n| n.1).min().is_none_or(|i| Some(i) >= outline)) {
            wrong.push(format!("part {k}: what is drawn on it comes too late, or not at all"));
        }
    }
    let edges = parts.iter().enumerate().flat_map(|(k, part)| part.holes.iter().flatten().chain(&part.outline).map(move |p| (*p, k)));
    let edges = Cells::new(reach.max(0.5), edges);
    let lines = Cells::new(0.5, parts.iter().flat_map(|p| &p.lines).map(|p| (*p, 0)));
    let mut astray = 0;
    for p in burned {
        let on_edge = edges.around(*p).map(|n| n.0).fold(f64::INFINITY, f64::min);
        let on_line = lines.around(*p).any(|n| n.0 < 0.06);
        if on_line || parts.iter().any(|part| part.fields.iter().any(|f| inside(*p, f) || f.iter().any(|q| q.distance(*p) < 0.1))) {
            continue;
        }
        if on_edge < kerf / 2.0 - HAIR || parts.iter().any(|part| part.keeps(*p)) {
            wrong.push(format!("{p:?} is burned into a part"));
        }
        astray += usize::from(on_edge > reach);
    }
    let rings: usize = parts.iter().map(|p| 1 + p.holes.len()).sum();
    // A lead a contour, and one behind each nick of an outline.
    let restarts = if nicks.is_some() { parts.len() * 8 * 80 } else { 0 };
    if astray > if leads { rings * 150 + restarts } else { 0 } {
        wrong.push(format!("{} mm are burned far from any edge", astray / 10));
    }
    wrong
}

proptest! {
    #![proptest_config(ProptestConfig { cases: played(16), max_shrink_iters: 40, ..ProptestConfig::default() })]

    /// Whatever plates are drawn: they lie apart, and each comes out at its size, whole, holes first, marked before it drops.
    #[test]
    fn every_part_comes_out_as_drawn(plates in prop::collection::vec(plate(), 1..4), quantity in 1..3_u32, plasma in any::<bool>(), nicks in any::<bool>(), seed in 0..9_u64) {
        let batch = if plasma { Stock { machine: "anvil".into(), material: "mild-steel".into(), thickness: 6.0 } } else { Stock::default() };
        let mut job = job(&drawn(&plates), batch.clone(), quantity);
        if plasma {
            // This machine only cuts.
            let aside: Vec<String> = job.route().work.key.iter().filter(|k| k.process != Process::Cut).map(|k| k.key.clone()).collect();
            for key in aside {
                job.edit(&Edit::Assign(AssignEdit::SetKey { key, process: Some(Process::Reference) }));
            }
        }
        job.edit(&HoldEdit::SetNicks { on: nicks }.on(BatchId::FIRST));
        job.edit(&HoldEdit::SetNickWidth { width: Some(0.8) }.on(BatchId::FIRST));
        job.edit(&HoldEdit::SetNickPitch { pitch: Some(120.0) }.on(BatchId::FIRST));
        let layout = job.nest(seed, 2);
        let route = job.settled();
        prop_assert!(route.released(), "{:?}", route.findings.iter().filter(|f| f.severity != Severity::Note).collect::<Vec<_>>());
        prop_assert_eq!(layout.sheets.iter().map(|s| s.placed.len()).sum::<usize>(), plates.iter().map(Plate::parts).sum::<usize>() * quantity as usize);
        let kerf = job.shop.row(&batch.machine, &batch.material, batch.thickness, Process::Cut).expect("a row").kerf;
        let spacing = job.terms().spacing;
        for (i, sheet) in layout.sheets.iter().enumerate() {
            let burned = burned(&job.text(&route, i));
            let parts: Vec<Lying> = sheet.placed.iter().map(|p| Lying::new(&route.work, p)).collect();
            let found = wrong(&parts, &burned, kerf, nicks.then_some((0.8, 120.0)), plasma);
            prop_assert!(found.is_empty(), "sheet {i}: {:?}", &found[..found.len().min(5)]);
            let all = Cells::new(spacing, parts.iter().enumerate().flat_map(|(k, p)| p.outline.iter().map(move |q| (*q, k))));
            for (k, part) in parts.iter().enumerate() {
                let closest = part.outline.iter().flat_map(|p| all.around(*p)).filter(|n| n.1 != k).map(|n| n.0).fold(f64::INFINITY, f64::min);
                prop_assert!(closest > spacing - HAIR, "part {k} comes within {closest} mm of another");
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(12)))]
    /// A drawing is found to be of another size, turned or mirrored after all else was decided: what was decided stays.
    #[test]
    fn what_was_decided_outlives_another_size(plate in plate(), scale in 0.3..3.0_f64, degrees in -180.0..180.0_f64, mirror in any::<bool>()) {
        let mut job = job(&drawn(&[Plate { line: true, ..plate }]), Stock::default(), 1);
        let work = job.route().work;
        let line = work.items.iter().find(|i| i.process == Process::Score).expect("the line").contour.id;
        let outline = work.parts.iter().max_by(|a, b| a.area.total_cmp(&b.area)).expect("a part").id;
        let size = work.part(outline).expect("it").area;
        let place = |route: &Route| {
            let path = &route.work.items.iter().find(|i| i.contour.id == outline.0).expect("it").contour.path;
            route.drawings[0].intake.transform.inverse() * path.at(0.3 * path.length()).0
        };
        let chosen = place(&job.route());
        for edit in [
            Edit::Assign(AssignEdit::SetContours { contours: vec![line], process: Some(Process::Reference) }),
            NestEdit::SetQuantity { part: outline, quantity: 4 }.on(BatchId::FIRST),
            OrderEdit::SetStart { contour: outline.0, at: Some(EdgePlace::Along(0.3)), copy: None }.on(BatchId::FIRST),
        ] {
            job.edit(&edit);
        }
        let before = job.decisions.clone();
        job.edit(&Edit::Intake(IntakeEdit::SetScale { drawing: 1, scale }));
        job.edit(&Edit::Intake(IntakeEdit::TurnDrawing { drawing: 1, degrees }));
        if mirror {
            job.edit(&Edit::Intake(IntakeEdit::MirrorDrawing { drawing: 1 }));
        }
        let route = job.route();
        prop_assert!(place(&route).distance(chosen) < 1e-6, "{:?} for {chosen:?}", place(&route));
        let work = route.work;
        let part = work.part(outline).expect("the same part");
        prop_assert!((part.area - size * scale * scale).abs() < 1e-6 * size * scale * scale, "{} for {size} at {scale}", part.area);
        prop_assert_eq!(part.quantity, 4);
        let kept = work.items.iter().find(|i| i.contour.id == line).expect("the same line");
        prop_assert_eq!((kept.process, kept.why), (Process::Reference, Why::Hand));
        job.nest(1, 2);
        let route = job.settled();
        let starts: Vec<f64> = route.first().sequence.sheets.iter().flat_map(|s| &s.steps).filter(|s| route.work.items[s.item].contour.id == outline.0).map(|s| s.start).collect();
        prop_assert!(!starts.is_empty() && starts.iter().all(|s| (s - 0.3).abs() < 1e-6), "{starts:?}");
        prop_assert_eq!((&job.decisions.assign.contours, &job.decisions.parts, &job.decisions.first().order.starts), (&before.assign.contours, &before.parts, &before.first().order.starts));
    }
}

//! How dense the nest gets, and how soon: `cargo bench -p boustrophe-core --bench nest [-- SECONDS [CASE]]`.
//!
//! Every line is a case with a figure: for puzzles how much longer than the rectangle that was cut up the strip is that the pieces are
//! laid in; for quantities and mixtures the yield. Each case gets 30 s unless told otherwise, on all cores there are. With
//! `CHART=file.svg` the yields over time of the cases that were run are drawn into it.

mod by_chance;
mod chart;
mod counts;
mod puzzles;

use boustrophe_core::assign::{self, Customs, Decided, Given, Wanted, Work};
use boustrophe_core::clean;
use boustrophe_core::decisions::{Decisions, DrawingDecisions};
use boustrophe_core::drawing::{Drawing, Entity, FileUnits, Shape, Style, Unit};
use boustrophe_core::geometry::{Corners, Curve, Path, Point, Segment, Tolerance, Vec2};
use boustrophe_core::intake;
use boustrophe_core::nest::{Control, Layout, Problem, Sheet, Terms, Turn, densest_lattice, faults, places_priced, search};
use boustrophe_core::shop::Shop;
use puzzles::{Cut, puzzle};
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use std::sync::Arc;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// Parts to be nested, each drawn so often. They are drawn apart from each other.
fn work(parts: &[(Vec<Path>, u32)]) -> Work {
    let shop = Shop::builtin();
    let mut decisions = Decisions::default();
    let mut all = Vec::new();
    for (n, (paths, quantity)) in parts.iter().enumerate() {
        let mut drawing = Drawing::new(&format!("part-{n}.dxf"), FileUnits::Known(Unit::Mm));
        let style = drawing.style(&Style { stroke: Some([0; 3]), ..Style::default() });
        for path in paths {
            let curves = path.segments.iter().map(Curve::segment).collect();
            drawing.entities.push(Entity::new(style, Shape::Path { curves, closed: true }));
        }
        let decided = DrawingDecisions { quantity: *quantity, ..DrawingDecisions::new(n as u32 + 1, "", &drawing.file) };
        let (taken, _) = intake::run(&drawing, &decided, &shop.machines[0].bed());
        let (cleaned, _) = clean::run(&drawing, &taken, &decided, &shop.tolerance);
        all.push(Arc::new(cleaned));
        decisions.drawings.push(decided);
    }
    let given =
        Given { decisions: Decided::of(&decisions.assign), wanted: &Wanted::of(&decisions), customs: &Customs::of(&decisions, &shop) };
    assign::run(&all, &given).0
}

/// Keeps how a case came on: the area of the parts over the sheets, of the last only as far as it is used.
fn keep(name: &str, work: &Work, found: &Found, (width, height): (f64, f64)) {
    let area: f64 = work.parts.iter().map(|p| p.area * f64::from(p.quantity)).sum();
    let share = |s: &(f64, usize, f64)| (s.0, area / ((s.1 - 1) as f64 * width * height + s.2 * height));
    chart::CURVES.lock().expect("curves").push((name.to_owned(), found.steps.iter().map(share).collect()));
}

struct Found {
    layout: Layout,
    first: f64,
    /// Seconds, sheets, right end of what lies on the last sheet.
    steps: Vec<(f64, usize, f64)>,
    tries: usize,
}

fn nest(work: &Work, terms: &Terms, seconds: f64) -> Found {
    let began = Instant::now();
    let limit = Duration::from_secs_f64(seconds);
    let steps = Mutex::new(Vec::new());
    let tries = AtomicUsize::new(0);
    let problem = Problem::new(work, terms, &Tolerance::default());
    let watch = std::env::var_os("WATCH").is_some();
    let better = |layout: &Layout, tries: usize| {
        if watch {
            println!("  try {tries}: {} laid after {:.2} s", layout.copies().count(), began.elapsed().as_secs_f64());
        }
        steps.lock().expect("steps").push((began.elapsed().as_secs_f64(), layout.sheets.len(), used(work, layout)));
    };
    let tried = |n: usize| {
        tries.store(n, Ordering::Relaxed);
        if watch {
            println!("  try {n} done after {:.2} s", began.elapsed().as_secs_f64());
        }
    };
    let layout =
        search(&problem, &Control { go_on: &|| began.elapsed() < limit, better: &better, tried: &tried, seed: 1, tries: usize::MAX });
    let bad = faults(work, &layout, terms.distances()).count;
    assert_eq!(bad, 0, "parts lie too near");
    let steps = steps.into_inner().expect("steps");
    Found { layout, first: steps.first().map_or(0.0, |s| s.0), steps, tries: tries.into_inner() }
}

/// Right end of what lies on the last sheet, mm.
fn used(work: &Work, layout: &Layout) -> f64 {
    layout.sheets.last().map_or(0.0, |s| {
        s.placed.iter().filter_map(|p| Some(work.part(p.copy.part)?.outline.transformed(p.affine()).bounds().max.x)).fold(0.0, f64::max)
    })
}

fn share(work: &Work, layout: &Layout) -> f64 {
    let placed: f64 = layout.sheets.iter().flat_map(|s| &s.placed).filter_map(|p| work.part(p.copy.part)).map(|p| p.area).sum();
    placed / layout.sheets.iter().map(|s| s.sheet.area()).sum::<f64>()
}

/// Puzzles that the engine was not made with: the largest piece cut each time, pieces inset by 0.3 mm and laid 0.6 mm apart; in a strip,
/// and on one sheet that is a tenth longer than the rectangle.
fn hidden(seconds: f64, case: &str) {
    for (name, n, inset) in [("12-middle", 12, 0.0), ("25-middle", 25, 0.0), ("25-inset", 25, 0.3), ("50-middle", 50, 0.0)] {
        for bounded in [false, true] {
            let name = format!("{name}{}", if bounded { "-sheet" } else { "-strip" });
            if !wanted(name.as_ref(), case) {
                continue;
            }
            for seed in 1..=3 {
                let piece = |p: &Vec<Point>| {
                    let path = Path::polygon(p);
                    let path = if path.area() < 0.0 { path.reversed() } else { path };
                    (if inset > 0.0 { path.grown(-inset, Corners::Mitre) } else { vec![path] }, 1)
                };
                let work = work(&puzzle(n, Cut::Middle, seed).iter().map(piece).collect::<Vec<_>>());
                let sheet =
                    if bounded { Sheet { count: Some(1), ..Sheet::rectangle(440.0, 300.0) } } else { Sheet::rectangle(1600.0, 300.0) };
                let terms = Terms { spacing: 2.0 * inset, margin: 0.0, sheets: vec![sheet], turn: Turn::None, ..Terms::default() };
                let found = nest(&work, &terms, seconds);
                let laid = found.layout.copies().count();
                println!(
                    "{name:24} seed {seed}: {:.4} of the rectangle, {laid} of {n} laid, {} tries",
                    used(&work, &found.layout) / 400.0,
                    found.tries
                );
            }
        }
    }
}

/// Seconds until the layout was first as short as that.
fn since(found: &Found, ratio: f64) -> String {
    let at = found.steps.iter().find(|s| s.1 == 1 && s.2 <= ratio * 400.0 + 1e-3);
    at.map_or_else(|| "-".into(), |s| format!("{:.1} s", s.0))
}

fn cut_up(seconds: f64, case: &str) {
    for (name, n, cut, goal, tight) in [
        ("12-convex", 12, Cut::Straight, 1.01, 1.15),
        ("25-convex", 25, Cut::Straight, 1.10, 1.18),
        ("25-kinked", 25, Cut::Kinked, 1.15, 1.22),
        ("50-kinked", 50, Cut::Kinked, 1.25, 1.30),
        ("25-guillotine", 25, Cut::Square, 1.05, 1.05),
        ("100-guillotine", 100, Cut::Square, 1.05, 1.05),
    ] {
        for (turn, goal) in [(Turn::None, goal), (Turn::Any, tight)] {
            let name = format!("{name}-{}", turn.name());
            if !wanted(name.as_ref(), case) || cut == Cut::Square && turn == Turn::Any {
                continue;
            }
            for seed in 1..=2 {
                let pieces = puzzle(n, cut, seed);
                let parts: Vec<(Vec<Path>, u32)> = pieces.iter().map(|p| (vec![Path::polygon(p)], 1)).collect();
                let work = work(&parts);
                let terms = Terms { spacing: 0.0, margin: 0.0, sheets: vec![Sheet::rectangle(1600.0, 300.0)], turn, ..Terms::default() };
                let found = nest(&work, &terms, seconds);
                keep(&name, &work, &found, (1600.0, 300.0));
                let ratio = used(&work, &found.layout) / 400.0;
                println!(
                    "{name:24} seed {seed}: {ratio:.4} of the rectangle (to reach {goal}), first layout {:.2} s, {} tries; 1.2 after {}, 1.1 after {}",
                    found.first,
                    found.tries,
                    since(&found, 1.2),
                    since(&found, 1.1),
                );
            }
        }
    }
}

fn polygon(points: &[(f64, f64)]) -> Vec<Path> {
    vec![Path::polygon(&points.iter().map(|(x, y)| Point::new(*x, *y)).collect::<Vec<_>>())]
}

fn star(r: f64) -> Vec<Path> {
    let corner =
        |i: usize| (Vec2::from_angle(i as f64 * std::f64::consts::PI / 5.0) * if i.is_multiple_of(2) { r } else { 0.45 * r }).to_point();
    vec![Path::polygon(&(0..10).map(corner).collect::<Vec<_>>())]
}

fn crescent(r: f64) -> Vec<Path> {
    let (a, b) = (Point::new(0.0, -r), Point::new(0.0, r));
    let outer = Segment { start: a, end: b, bulge: 1.0 };
    let inner = Segment { start: b, end: a, bulge: -0.5 };
    vec![Path::new(vec![outer, inner], true)]
}

/// An L, a T, a Y, a triangle and a gusset.
fn repeated() -> [Vec<Path>; 5] {
    let l = polygon(&[(0.0, 0.0), (60.0, 0.0), (60.0, 20.0), (20.0, 20.0), (20.0, 50.0), (0.0, 50.0)]);
    let t = polygon(&[(0.0, 30.0), (0.0, 45.0), (60.0, 45.0), (60.0, 30.0), (38.0, 30.0), (38.0, 0.0), (22.0, 0.0), (22.0, 30.0)]);
    let y = polygon(&[
        (0.0, 60.0),
        (15.0, 60.0),
        (30.0, 38.0),
        (45.0, 60.0),
        (60.0, 60.0),
        (37.0, 26.0),
        (37.0, 0.0),
        (23.0, 0.0),
        (23.0, 26.0),
    ]);
    let triangle = polygon(&[(0.0, 0.0), (70.0, 0.0), (25.0, 55.0)]);
    let gusset = polygon(&[(0.0, 0.0), (80.0, 0.0), (80.0, 12.0), (12.0, 80.0), (0.0, 80.0)]);
    [l, t, y, triangle, gusset]
}

/// The lattices of those, against what chance finds in the time (or in LONG seconds each).
fn lattices(seconds: f64, case: &str) {
    let long = std::env::var("LONG").ok().and_then(|w| w.parse().ok()).unwrap_or(seconds);
    for (name, paths) in ["lattice-l", "lattice-t", "lattice-y", "lattice-triangle", "lattice-gusset"].into_iter().zip(repeated()) {
        if !wanted(name, case) {
            continue;
        }
        let corners: Vec<Vec2> = paths[0].segments.iter().map(|s| s.start.to_vec2()).collect();
        let work = work(&[(paths, 200)]);
        let terms = Terms { spacing: 2.0, margin: 5.0, sheets: vec![Sheet::rectangle(900.0, 600.0)], ..Terms::default() };
        let began = Instant::now();
        let ours = densest_lattice(&Problem::new(&work, &terms, &Tolerance::default())).unwrap_or(f64::INFINITY);
        let took = began.elapsed().as_secs_f64();
        let chance = by_chance::densest(&corners, 2.0, long);
        println!("{name:24} {ours:.1} mm² a copy in {took:.2} s, by chance in {long:.0} s {chance:.1} mm²: {:.4}", ours / chance);
    }
}

fn quantities(seconds: f64, case: &str) {
    let [l, t, y, triangle, gusset] = repeated();
    let flange = {
        let mut all = vec![Path::rectangle(0.0, 0.0, 120.0, 86.0)];
        all.push(Path::circle(Point::new(60.0, 43.0), 20.0));
        all
    };
    let disc = vec![Path::circle(Point::ZERO, 20.0)];
    for (name, parts, width, height, spacing, turn) in [
        ("l-200", vec![(l, 200)], 900.0, 600.0, 2.0, Turn::Quarter),
        ("t-200", vec![(t, 200)], 900.0, 600.0, 2.0, Turn::Quarter),
        ("y-200", vec![(y, 200)], 900.0, 600.0, 2.0, Turn::Quarter),
        ("triangle-200", vec![(triangle, 200)], 900.0, 600.0, 2.0, Turn::Quarter),
        ("gusset-200", vec![(gusset, 200)], 900.0, 600.0, 2.0, Turn::Quarter),
        ("discs-300", vec![(disc, 300)], 900.0, 600.0, 2.0, Turn::None),
        ("flanges-none", vec![(flange.clone(), 4)], 300.0, 200.0, 5.0, Turn::None),
        ("flanges-quarter", vec![(flange.clone(), 4)], 300.0, 200.0, 5.0, Turn::Quarter),
        ("flanges-any", vec![(flange, 4)], 300.0, 200.0, 5.0, Turn::Any),
        ("stars-80", vec![(star(34.0), 80)], 600.0, 400.0, 2.0, Turn::Quarter),
        ("crescents-80", vec![(crescent(36.0), 80)], 600.0, 400.0, 2.0, Turn::Quarter),
        ("stars-and-crescents", vec![(star(34.0), 80), (crescent(36.0), 80)], 600.0, 400.0, 2.0, Turn::Quarter),
    ] {
        if !wanted(name, case) {
            continue;
        }
        let work = work(&parts);
        let terms = Terms { spacing, margin: 5.0, sheets: vec![Sheet::rectangle(width, height)], turn, ..Terms::default() };
        let found = nest(&work, &terms, seconds);
        keep(name, &work, &found, (width, height));
        let sheets: Vec<usize> = found.layout.sheets.iter().map(|s| s.placed.len()).collect();
        println!(
            "{name:24} {} sheets {sheets:?}, yield {:.1} %, {:.0} mm of the last used, first layout {:.2} s, {} tries",
            sheets.len(),
            100.0 * share(&work, &found.layout),
            used(&work, &found.layout),
            found.first,
            found.tries
        );
    }
}

/// Parts of many kinds with holes, as many as asked for.
fn mixture(n: usize) -> Vec<(Vec<Path>, u32)> {
    let mut rng = SmallRng::seed_from_u64(5);
    let kinds = 25;
    (0..kinds)
        .map(|k| {
            let (w, h) = (rng.random_range(25.0..110.0), rng.random_range(20.0..80.0));
            let mut paths = match k % 4 {
                0 => vec![Path::rectangle(0.0, 0.0, w, h)],
                1 => polygon(&[(0.0, 0.0), (w, 0.0), (w, h * 0.4), (w * 0.4, h * 0.4), (w * 0.4, h), (0.0, h)]),
                2 => vec![Path::circle(Point::new(h / 2.0, h / 2.0), h / 2.0)],
                _ => polygon(&[(0.0, 0.0), (w, 0.0), (w * 0.7, h), (w * 0.2, h)]),
            };
            let r = 0.14 * h.min(w);
            paths.push(Path::circle(if k % 4 == 1 { Point::new(w * 0.2, h * 0.2) } else { Point::new(h.min(w) / 2.0, h / 2.0) }, r));
            (paths, (n / kinds) as u32)
        })
        .collect()
}

fn mixtures(seconds: f64, case: &str) {
    for n in [100, 300, 500, 1000, 3000] {
        let name = format!("mixed-{n}");
        if !wanted(name.as_ref(), case) {
            continue;
        }
        let work = work(&mixture(n));
        let terms = Terms { spacing: 2.0, margin: 6.0, sheets: vec![Sheet::rectangle(900.0, 600.0)], ..Terms::default() };
        let found = nest(&work, &terms, if n == 500 { 2.0 * seconds } else { seconds });
        let area: f64 = work.parts.iter().map(|p| p.area * f64::from(p.quantity)).sum();
        keep(&name, &work, &found, (900.0, 600.0));
        println!(
            "{name:24} {} sheets (area / 0.85: {:.0}), yield {:.1} %, first layout {:.2} s, {} tries",
            found.layout.sheets.len(),
            (area / 0.85 / 540_000.0).ceil(),
            100.0 * share(&work, &found.layout),
            found.first,
            found.tries
        );
    }
}

/// An offcut with a curved edge and a hole; and how many places a second are priced for parts of thirty edges.
fn others(seconds: f64, case: &str) {
    let round = |n: usize, r: f64| {
        vec![Path::polygon(
            &(0..n)
                .map(|i| (Vec2::from_angle(i as f64 * std::f64::consts::TAU / n as f64) * (r * (1.0 + 0.12 * (i % 3) as f64))).to_point())
                .collect::<Vec<_>>(),
        )]
    };
    if wanted("offcut", case) {
        let edge = Path::new(
            vec![
                Segment::line(Point::ZERO, Point::new(500.0, 0.0)),
                Segment { start: Point::new(500.0, 0.0), end: Point::new(500.0, 300.0), bulge: -0.5 },
                Segment::line(Point::new(500.0, 300.0), Point::new(0.0, 300.0)),
                Segment::line(Point::new(0.0, 300.0), Point::ZERO),
            ],
            true,
        );
        let sheet = Sheet::offcut(vec![edge, Path::circle(Point::new(200.0, 150.0), 60.0)]).expect("an offcut");
        let work = work(&[(round(12, 18.0), 200)]);
        let area = sheet.area();
        let terms = Terms { spacing: 1.0, margin: 2.0, sheets: vec![sheet], ..Terms::default() };
        let found = nest(&work, &terms, seconds);
        let laid = found.layout.copies().count();
        let share = laid as f64 * work.parts[0].area / area;
        println!("{:24} {laid} discs of twelve corners, {:.1} % of it, none over the edge or the hole", "offcut", 100.0 * share);
    }
    if wanted("thirty-edges", case) {
        let parts: Vec<_> = (0..10).map(|k| (round(30, 20.0 + f64::from(k)), 4)).collect();
        let work = work(&parts);
        let terms = Terms { spacing: 1.0, margin: 2.0, sheets: vec![Sheet::rectangle(600.0, 400.0)], ..Terms::default() };
        let problem = Problem::new(&work, &terms, &Tolerance::default());
        let (mut places, began) = (0, Instant::now());
        while began.elapsed().as_secs_f64() < seconds {
            places += places_priced(&problem, 8);
        }
        let cores = std::thread::available_parallelism().map_or(1, usize::from) as f64;
        let each = places as f64 / began.elapsed().as_secs_f64() / cores;
        println!("{:24} {each:.0} places priced a second and core, forty parts of thirty edges", "thirty-edges");
    }
}

/// True for a case that was asked for; several with bars between.
fn wanted(name: &str, case: &str) -> bool {
    case.split('|').any(|c| name.contains(c))
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|a| !a.starts_with('-')).collect();
    let seconds = words.first().and_then(|w| w.parse().ok()).unwrap_or(30.0);
    let case = words.get(1).map_or("", String::as_str);
    cut_up(seconds, case);
    hidden(seconds, case);
    counts::full_sheets(seconds, case);
    counts::boards(seconds, case);
    quantities(seconds, case);
    lattices(seconds, case);
    mixtures(seconds, case);
    others(seconds, case);
    if let Some(to) = std::env::var_os("CHART") {
        chart::drawn(&to.to_string_lossy(), seconds);
    }
}

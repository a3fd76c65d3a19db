//! How long the stations take. `cargo bench -p boustrophe-core`; quote ratios, machines differ.

use boustrophe_core::assign::{self, Customs, Decided, Given, Wanted, Work};
use boustrophe_core::clean;
use boustrophe_core::decisions::{Decisions, DrawingDecisions};
use boustrophe_core::drawing::{Bitmap, Drawing, Entity, FileUnits, Shape, Style, Unit};
use boustrophe_core::geometry::{Affine, Curve, Nurbs, Path, Point, Segment, Tolerance, Vec2, fit_curves};
use boustrophe_core::intake;
use boustrophe_core::nest::{Control, Layout, Problem, Sheet, Terms, Turn, search};
use boustrophe_core::picture::{Dither, Tone, raster};
use boustrophe_core::shop::Shop;
use boustrophe_core::{cuts, hold, order};
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use kurbo::CubicBez;
use std::hint::black_box;
use std::sync::Arc;
use std::time::Duration;

fn drawing(paths: impl IntoIterator<Item = (Vec<Curve>, bool)>) -> Drawing {
    let mut d = Drawing::new("bench.dxf", FileUnits::Known(Unit::Mm));
    let style = d.style(&Style { stroke: Some([0; 3]), ..Style::default() });
    d.entities.extend(paths.into_iter().map(|(curves, closed)| Entity::new(style, Shape::Path { curves, closed })));
    d
}

/// Outlines of ten loose lines each, drawn in no order.
fn loose(lines: usize) -> Drawing {
    let side = ((lines / 10) as f64).sqrt().ceil() as usize;
    let mut all: Vec<(Vec<Curve>, bool)> = (0..lines)
        .map(|i| {
            let (outline, edge) = (i / 10, i % 10);
            let at = |k: usize| {
                Point::new((outline % side) as f64 * 10.0, (outline / side) as f64 * 10.0)
                    + 4.0 * Vec2::from_angle(k as f64 * std::f64::consts::TAU / 10.0)
            };
            (vec![Curve::Line(at(edge), at(edge + 1))], false)
        })
        .collect();
    // A fixed shuffle: every seventh, then the next.
    let n = all.len();
    let mut order: Vec<usize> = (0..n).collect();
    order.sort_by_key(|i| (i * 7919) % n);
    let mut shuffled = Vec::with_capacity(n);
    order.into_iter().for_each(|i| shuffled.push(std::mem::take(&mut all[i])));
    drawing(shuffled)
}

fn cleaned(d: &Drawing, quantity: u32) -> (Arc<clean::Cleaned>, Decisions) {
    let shop = Shop::builtin();
    let decided = DrawingDecisions { quantity, ..DrawingDecisions::new(1, "", &d.file) };
    let (intake, _) = intake::run(d, &decided, &shop.machines[0].bed());
    let (cleaned, _) = clean::run(d, &intake, &decided, &shop.tolerance);
    (Arc::new(cleaned), Decisions { drawings: vec![decided], ..Decisions::default() })
}

fn cleaning(c: &mut Criterion) {
    let mut group = c.benchmark_group("clean loose lines");
    group.sample_size(10).measurement_time(Duration::from_secs(8));
    for lines in [10_000, 100_000, 1_000_000] {
        let d = loose(lines);
        group.bench_with_input(BenchmarkId::from_parameter(lines), &d, |b, d| b.iter(|| black_box(cleaned(d, 1).0.contours.len())));
    }
    group.finish();
}

/// Rows of lines that each lie partly on the one before: every second is found by its overlap.
fn overlapping(c: &mut Criterion) {
    let mut group = c.benchmark_group("lines partly on each other");
    group.sample_size(10).measurement_time(Duration::from_secs(8));
    for lines in [10_000_usize, 100_000, 1_000_000] {
        let side = (lines as f64).sqrt().ceil() as usize;
        let line = |i: usize| {
            let at = Point::new((i % side) as f64 * 6.0, (i / side) as f64 * 5.0);
            (vec![Curve::Line(at, at + Vec2::new(8.0, 0.0))], false)
        };
        let d = drawing((0..lines).map(line));
        group.bench_with_input(BenchmarkId::from_parameter(lines), &d, |b, d| b.iter(|| black_box(cleaned(d, 1).0.contours.len())));
    }
    group.finish();
}

fn fitting(c: &mut Criterion) {
    let splines: Vec<Curve> = (0..1000)
        .filter_map(|i| {
            let points: Vec<Point> =
                (0..8).map(|k| Point::new(((i * 37 + k * 91) % 200) as f64, ((i * 53 + k * 29) % 150) as f64)).collect();
            let knots = vec![0.0, 0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 5.0, 5.0, 5.0];
            Nurbs::new(3, knots, &points, &[]).map(|n| Curve::Spline(Arc::new(n)))
        })
        .collect();
    c.bench_function("fit 1000 splines", |b| {
        b.iter(|| splines.iter().map(|c| fit_curves(std::slice::from_ref(c), 0.02).len()).sum::<usize>());
    });
    let ellipses: Vec<Curve> = (0..1000)
        .map(|i| {
            let turn = Vec2::from_angle(f64::from(i));
            let (u, v) = (turn * (20.0 + f64::from(i % 71)), turn.turn_90() * (8.0 + f64::from(i % 13)));
            Curve::Ellipse { center: Point::ZERO, u, v, from: 0.3, sweep: std::f64::consts::TAU }
        })
        .collect();
    c.bench_function("fit 1000 ellipses", |b| {
        b.iter(|| ellipses.iter().map(|c| fit_curves(std::slice::from_ref(c), 0.02).len()).sum::<usize>());
    });
    let curves: Vec<Curve> = (0..1000)
        .map(|i| {
            let p = |k: usize| Point::new(((i * 37 + k * 91) % 200) as f64, ((i * 53 + k * 29) % 150) as f64);
            Curve::Cubic(CubicBez::new(p(0), p(1), p(2), p(3)))
        })
        .collect();
    c.bench_function("fit 1000 Beziers", |b| {
        b.iter(|| curves.iter().map(|c| fit_curves(std::slice::from_ref(c), 0.02).len()).sum::<usize>());
    });
}

/// Plates with holes and angles, as many as asked for.
fn mixed(copies: u32) -> Work {
    let outline = |points: &[(f64, f64)]| {
        let path = Path::polygon(&points.iter().map(|(x, y)| Point::new(*x, *y)).collect::<Vec<_>>());
        (path.segments.iter().map(Curve::segment).collect::<Vec<_>>(), true)
    };
    let circle = |x: f64, y: f64, r: f64| (Segment::circle(Point::new(x, y), r).iter().map(Curve::segment).collect::<Vec<_>>(), true);
    let d = drawing([
        outline(&[(0.0, 0.0), (80.0, 0.0), (80.0, 50.0), (0.0, 50.0)]),
        circle(20.0, 25.0, 8.0),
        circle(60.0, 25.0, 8.0),
        outline(&[(100.0, 0.0), (160.0, 0.0), (160.0, 20.0), (120.0, 20.0), (120.0, 60.0), (100.0, 60.0)]),
        circle(220.0, 30.0, 25.0),
    ]);
    let (cleaned, decisions) = cleaned(&d, copies);
    let shop = Shop::builtin();
    let given =
        Given { decisions: Decided::of(&decisions.assign), wanted: &Wanted::of(&decisions), customs: &Customs::of(&decisions, &shop) };
    assign::run(&[cleaned], &given).0
}

fn terms() -> Terms {
    Terms { spacing: 2.0, margin: 6.0, sheets: vec![Sheet::rectangle(900.0, 600.0)], turn: Turn::Quarter, ..Terms::default() }
}

fn layout(work: &Work, tries: usize) -> Layout {
    let problem = Problem::new(work, &terms(), &Tolerance::default());
    search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries })
}

fn nesting(c: &mut Criterion) {
    let mut group = c.benchmark_group("nest, first layout");
    group.sample_size(10);
    for copies in [10, 40, 160] {
        let work = mixed(copies);
        group
            .bench_with_input(BenchmarkId::from_parameter(copies * 3), &work, |b, work| b.iter(|| black_box(layout(work, 1).sheets.len())));
    }
    group.finish();
}

fn ordering(c: &mut Criterion) {
    let mut group = c.benchmark_group("order and hold");
    group.sample_size(10);
    for copies in [10, 40, 160] {
        let work = mixed(copies);
        let layout = layout(&work, 1);
        let (decisions, shop) = (Decisions::default(), Shop::builtin());
        let batch = decisions.first();
        let (rows, terms) = (shop.rows_for(&decisions.assign, &batch.stock), terms());
        let given = hold::Given {
            poses: &[],
            decisions: &batch.hold,
            thickness: batch.stock.thickness,
            pictures: &decisions.assign.pictures,
            next_setting: decisions.assign.next_setting(),
            rows: &rows,
            terms: &terms,
            machine: &shop.machines[0],
            nick: shop.nicks(&batch.stock.material),
            web: (shop.web_kerfs, shop.web_share),
        };
        group.bench_with_input(BenchmarkId::from_parameter(copies * 5), &work, |b, work| {
            b.iter(|| {
                let plan = cuts::plan(work, &layout, None);
                let task = order::Task { work, layout: &layout, plan: &plan, decisions: &batch.order, turns: &[] };
                let (sequence, _) = order::run(&task);
                black_box(hold::run(work, &layout, &plan, &sequence, &given).0.sheets.len())
            });
        });
    }
    group.finish();
}

/// A picture of 600 × 400 mm at ten rows a millimetre, laid on the sheet in each way: 24 million pixels.
fn pictures(c: &mut Criterion) {
    let mut group = c.benchmark_group("picture 600 x 400 mm, 10 rows/mm");
    group.sample_size(10);
    let (width, height) = (3000, 2000);
    let grey = (0..width * height).map(|i| ((i % width) * 255 / width) as u8 ^ ((i / width / 7) % 64) as u8).collect();
    let bitmap = Bitmap { width, height, grey };
    let place = Affine::translate((20.0, 20.0)) * Affine::scale_non_uniform(600.0, 400.0);
    for dither in [Dither::Grey, Dither::Diffused, Dither::Newsprint] {
        let tone = Tone { dither, ..Tone::default() };
        group.bench_function(dither.name(), |b| b.iter(|| black_box(raster(&bitmap, place, &tone, None, 0.1).map(|r| r.burn.len()))));
    }
    group.finish();
}

criterion_group!(benches, cleaning, overlapping, fitting, nesting, ordering, pictures);
criterion_main!(benches);

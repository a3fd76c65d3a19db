//! What is printed, measured: the PDF is interpreted by a library that shares nothing with what wrote it.

use crate::job::Job;
use boustrophe_core::decisions::{DrawingDecisions, NestEdit, Stock};
use boustrophe_core::drawing::Shape;
use boustrophe_core::geometry::{Affine, Curve, Point};
use boustrophe_core::ids::BatchId;
use boustrophe_core::ids::CopyId;
use boustrophe_core::nest::{Layout, Placement, Sheet, SheetLayout};
use boustrophe_core::shop::Shop;
use boustrophe_formats::print::{Paper, fitted, tiled};
use boustrophe_formats::read;

/// A page as it was read: its lines, mm from its lower left corner, and its size.
struct Printed {
    lines: Vec<(Point, Point)>,
    size: (f64, f64),
}

fn pages(pdf: &[u8]) -> Vec<Printed> {
    let drawing = read("paper.pdf", pdf).expect("it reads");
    let decisions = DrawingDecisions::new(1, "hash", "paper.pdf");
    let (intake, _) = boustrophe_core::intake::run(&drawing, &decisions, &Shop::builtin().machines[0].bed());
    let mm: Affine = intake.transform;
    let ends = |c: &Curve| c.ends();
    let mut out: Vec<(Point, Printed)> = drawing
        .pages
        .iter()
        .map(|p| {
            let (a, b) = (mm * p.min, mm * p.max);
            (a, Printed { lines: Vec::new(), size: (b.x - a.x, b.y - a.y) })
        })
        .collect();
    for e in &drawing.entities {
        let Shape::Path { curves, .. } = &e.shape else { continue };
        for c in curves {
            let (a, b) = ends(c);
            let (a, b) = (mm * a, mm * b);
            let on = |p: &&mut (Point, Printed)| {
                a.x >= p.0.x - 0.01 && a.x <= p.0.x + p.1.size.0 + 0.01 && a.y >= p.0.y - 0.01 && a.y <= p.0.y + p.1.size.1 + 0.01
            };
            if let Some(page) = out.iter_mut().find(on) {
                let corner = page.0.to_vec2();
                page.1.lines.push((a - corner, b - corner));
            }
        }
    }
    out.into_iter().map(|p| p.1).collect()
}

impl Printed {
    /// Lines of this length along x or along y.
    fn of_length(&self, length: f64, along_x: bool) -> Vec<(Point, Point)> {
        let fits = |(a, b): &&(Point, Point)| {
            let (dx, dy) = ((a.x - b.x).abs(), (a.y - b.y).abs());
            if along_x { dy < 1e-3 && (dx - length).abs() < 0.02 } else { dx < 1e-3 && (dy - length).abs() < 0.02 }
        };
        self.lines.iter().filter(fits).copied().collect()
    }
    /// Middles of the register marks: crosses with arms of 6 mm.
    fn marks(&self) -> Vec<Point> {
        let middles = |along_x| self.of_length(6.0, along_x).into_iter().map(|(a, b)| a.lerp(b, 0.5)).collect::<Vec<_>>();
        let upright = middles(false);
        middles(true).into_iter().filter(|m| upright.iter().any(|u| u.distance(*m) < 0.01)).collect()
    }
}

/// A plate of 160 × 180 mm whose right side lies where two pages of A4 overlap.
fn job() -> Job {
    let svg = r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="220mm" viewBox="0 0 200 220"><g fill="none" stroke="red"><path d="M10 10h160v180h-160z"/><circle cx="60" cy="60" r="20"/></g></svg>"#;
    let mut job = Job::of(&[("plate.svg", svg.as_bytes().to_vec())], Stock::default());
    let part = job.route().work.parts[0].clone();
    let placed = vec![Placement {
        copy: CopyId { part: part.id, number: 1 },
        x: 20.0 - part.bounds.min.x,
        y: 20.0 - part.bounds.min.y,
        angle: 0.0,
        mirrored: false,
    }];
    let layout = Layout { sheets: vec![SheetLayout { sheet: Sheet::rectangle(300.0, 250.0), placed }], ..Layout::default() };
    job.edit(&NestEdit::SetSheets { sheets: vec![Sheet::rectangle(300.0, 250.0)] }.on(BatchId::FIRST));
    job.edit(&NestEdit::KeepLayout { layout }.on(BatchId::FIRST));
    job
}

#[test]
fn tiles_are_at_true_size_and_meet() {
    let route = job().route();
    let first = route.first();
    let pdf = tiled(&first.work, &first.nested.layout.sheets[0], Paper::A4, "Sheet 01").expect("it is printed");
    let pages = pages(&pdf);
    assert_eq!(pages.len(), 3, "a map and two pages");
    for page in &pages {
        assert!((page.size.0 - 210.0).abs() < 0.01 && (page.size.1 - 297.0).abs() < 0.01, "{:?}", page.size);
    }
    for page in &pages[1..] {
        for along_x in [true, false] {
            let bar = page.of_length(100.0, along_x);
            assert_eq!(bar.len(), 1, "one bar each way");
            assert!((bar[0].0.distance(bar[0].1) - 100.0).abs() < 0.005, "{:?}", bar[0]);
        }
    }
    // The plate's right side, 180 mm long, on both pages; cross laid on cross it is one line.
    let side = |page: &Printed| {
        let lines = page.of_length(180.0, false);
        lines.into_iter().max_by(|a, b| a.0.x.total_cmp(&b.0.x)).map(|(a, b)| if a.y < b.y { (a, b) } else { (b, a) }).expect("the side")
    };
    let (left, right) = (side(&pages[1]), side(&pages[2]));
    let (on_left, on_right) = (pages[1].marks(), pages[2].marks());
    assert!(!on_left.is_empty() && on_left.len() == on_right.len(), "{on_left:?} {on_right:?}");
    for (a, b) in on_left.iter().zip(&on_right) {
        let over = *a - *b;
        assert!(
            (right.0 + over).distance(left.0) < 0.1 && (right.1 + over).distance(left.1) < 0.1,
            "{left:?} and {right:?}, laid over by {over:?}"
        );
    }
    // True size on the page too: 160 mm across.
    let across = pages[1].of_length(160.0, true);
    assert!(across.len() >= 2, "upper and lower side: {across:?}");
}

#[test]
fn one_page_says_that_it_is_not_to_scale_and_too_many_are_refused() {
    let route = job().route();
    let first = route.first();
    let layout = &first.nested.layout.sheets[0];
    let pdf = fitted(&first.work, layout, Paper::Letter, "Sheet 01");
    assert!(pages(&pdf).len() == 1 && String::from_utf8_lossy(&pdf).contains("not to scale"));
    let huge = SheetLayout { sheet: Sheet::rectangle(20_000.0, 20_000.0), placed: layout.placed.clone() };
    let told = tiled(&first.work, &huge, Paper::A4, "Sheet 01").expect_err("nobody glues so many");
    assert!(told.contains("larger paper"), "{told}");
}

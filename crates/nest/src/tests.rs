use crate::check::faults;
use crate::geometry::{Affine, Bounds, Path, Point, Segment, Tolerance, Vec2, parents};
use crate::ids::{ContourId, CopyId, PartId};
use crate::*;
use boustrophe_house::played;
use proptest::prelude::*;
use std::sync::Mutex;

mod aims;
mod dense;
mod exact;
mod hand;
mod kits;
mod lattices;
mod rest;
mod snap;
mod stock;

/// Parts as drawn: what lies within an outline is its holes, or engraved on it.
struct Work {
    parts: Vec<Drawn>,
}

struct Drawn {
    id: PartId,
    outline: Path,
    bounds: Bounds,
    quantity: u32,
    holes: Vec<Path>,
    engraved: Vec<Path>,
}

impl Work {
    fn part(&self, id: PartId) -> Option<&Drawn> {
        self.parts.iter().find(|p| p.id == id)
    }
}

impl Parts for Work {
    fn parts(&self) -> Vec<Part<'_>> {
        self.parts.iter().filter_map(|p| Parts::part(self, p.id)).collect()
    }
    fn part(&self, id: PartId) -> Option<Part<'_>> {
        let area = |p: &Drawn| p.outline.area().abs() - p.holes.iter().map(|h| h.area().abs()).sum::<f64>();
        self.part(id).map(|p| Part { id, outline: &p.outline, bounds: p.bounds, area: area(p), quantity: p.quantity })
    }
    fn holes(&self, id: PartId) -> Vec<&Path> {
        self.part(id).map(|p| p.holes.iter().collect()).unwrap_or_default()
    }
    fn engraved(&self, id: PartId) -> Vec<&Path> {
        self.part(id).map(|p| p.engraved.iter().collect()).unwrap_or_default()
    }
    fn frame(&self, id: PartId) -> Bounds {
        self.part(id).map_or(Bounds::EMPTY, |p| p.bounds)
    }
}

/// The parts of these closed outlines, each wanted so often.
fn work(paths: &[Path], quantity: u32) -> Work {
    let within = parents(&paths.iter().collect::<Vec<_>>());
    let holes = |i: usize| within.iter().zip(paths).filter(move |(w, _)| **w == Some(i)).map(|(_, p)| p.clone()).collect();
    let outer = (0..paths.len()).filter(|i| within[*i].is_none());
    let drawn = outer.map(|i| Drawn {
        id: PartId(ContourId(i as u64 + 1)),
        outline: paths[i].clone(),
        bounds: paths[i].bounds(),
        quantity,
        holes: holes(i),
        engraved: Vec::new(),
    });
    Work { parts: drawn.collect() }
}

/// The copy of this number of a part.
fn copy(part: PartId, number: u32) -> CopyId {
    CopyId { part, number }
}

fn terms_of(width: f64, height: f64, spacing: f64, margin: f64) -> Terms {
    Terms { spacing, margin, sheets: vec![Sheet::rectangle(width, height)], turn: Turn::Quarter, ..Terms::default() }
}

fn nest(work: &Work, terms: &Terms, tries: usize) -> Layout {
    let problem = Problem::new(work, terms, &Tolerance::default());
    search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed: 7, tries })
}

/// An L: its concave corner takes the foot of another.
fn angle(x: f64, y: f64, size: f64, width: f64) -> Path {
    let p = |dx: f64, dy: f64| Point::new(x + dx, y + dy);
    Path::polygon(&[p(0.0, 0.0), p(size, 0.0), p(size, width), p(width, width), p(width, size), p(0.0, size)])
}

#[test]
fn squares_that_just_fit_do_fit() {
    // Six by four squares of 90 with 6 between, 9 to the edge: 6 · 90 + 5 · 6 + 18 = 588; 4 · 90 + 3 · 6 + 18 = 396.
    let layout = nest(&work(&[Path::rectangle(3.3, 7.1, 90.0, 90.0)], 24), &terms_of(588.0, 396.0, 6.0, 9.0), 20);
    assert_eq!((layout.sheets.len(), layout.unplaced.len()), (1, 0));
    let more = nest(&work(&[Path::rectangle(3.3, 7.1, 90.0, 90.0)], 25), &terms_of(588.0, 396.0, 6.0, 9.0), 20);
    assert_eq!(more.sheets.len(), 2);
}

#[test]
fn angles_interlock_where_boxes_would_not() {
    // The boxes of two 100 mm angles need 204 mm; turned into each other they need far less.
    let layout = nest(&work(&[angle(0.0, 0.0, 100.0, 30.0)], 2), &terms_of(150.0, 140.0, 4.0, 2.0), 300);
    assert_eq!((layout.sheets.len(), layout.unplaced.len()), (1, 0));
}

#[test]
fn a_plug_goes_into_the_hole_it_fits() {
    let frame =
        [Path::rectangle(0.0, 0.0, 196.0, 146.0), Path::rectangle(20.0, 20.0, 150.0, 100.0), Path::rectangle(300.0, 0.0, 120.0, 80.0)];
    let work = work(&frame, 1);
    let terms = terms_of(200.0, 150.0, 2.0, 2.0);
    let layout = nest(&work, &terms, 50);
    assert_eq!((layout.sheets.len(), layout.unplaced.len()), (1, 0), "only the hole has room for the plug");
    assert_eq!(faults(&work, &layout, terms.distances()).count, 0);
}

#[test]
fn an_offcut_is_used_within_its_true_outline() {
    let l = angle(0.0, 0.0, 300.0, 120.0);
    let hole = Path::circle(Point::new(60.0, 200.0), 25.0);
    let offcut = Sheet::offcut(vec![hole, l]).expect("an offcut");
    assert!((offcut.area() - (300.0 * 120.0 + 180.0 * 120.0 - std::f64::consts::PI * 625.0)).abs() < 1e-6);
    let work = work(&[Path::rectangle(0.0, 0.0, 60.0, 40.0)], 14);
    let terms = Terms { sheets: vec![offcut, Sheet::rectangle(400.0, 300.0)], ..terms_of(0.0, 0.0, 2.0, 5.0) };
    let layout = nest(&work, &terms, 40);
    assert!(layout.unplaced.is_empty() && layout.sheets[0].placed.len() > 4);
    assert_eq!(faults(&work, &layout, terms.distances()).count, 0, "neither over the edge nor over the hole");
}

#[test]
fn a_search_is_the_same_for_the_same_seed_on_any_number_of_cores() {
    let work = work(&[angle(0.0, 0.0, 70.0, 20.0), Path::circle(Point::new(200.0, 0.0), 22.0), angle(0.0, 200.0, 55.0, 14.0)], 6);
    let terms = terms_of(300.0, 250.0, 3.0, 5.0);
    let problem = Problem::new(&work, &terms, &Tolerance::default());
    let found = |seed: u64, cores: usize, tries: usize| {
        let better = Mutex::new(0);
        let told = |_: &Layout, _: usize| *better.lock().expect("alone") += 1;
        let control = Control { go_on: &|| true, better: &told, tried: &|_| {}, seed, tries };
        let pool = rayon::ThreadPoolBuilder::new().num_threads(cores).build().expect("threads");
        let layout = pool.install(|| search(&problem, &control));
        (layout, better.into_inner().expect("alone"))
    };
    let one = found(1, 1, 30);
    assert!(one.1 > 2, "it finds better ones on its way: {}", one.1);
    assert_eq!(one, found(1, 3, 30));
    assert!((2..8).any(|seed| found(seed, 2, 30).0 != one.0), "another seed goes another way");
    // Told to stop it keeps what it has: the first layout, which is always finished.
    let stopped = search(&problem, &Control { go_on: &|| false, better: &|_, _| {}, tried: &|_| {}, seed: 1, tries: usize::MAX });
    assert!(stopped.unplaced.is_empty() && faults(&work, &stopped, terms.distances()).count == 0);
}

/// Parts of many kinds: boxes, discs, angles, triangles, rings.
fn part() -> impl Strategy<Value = Vec<Path>> {
    (0..5, 15.0..90.0_f64, 8.0..60.0_f64).prop_map(|(kind, a, b)| {
        let (long, short) = (a.max(b), a.min(b) * 0.6);
        match kind {
            0 => vec![Path::rectangle(0.0, 0.0, a, b)],
            1 => vec![Path::circle(Point::ZERO, b / 2.0)],
            2 => vec![angle(0.0, 0.0, long, short)],
            3 => vec![Path::polygon(&[Point::ZERO, Point::new(a, 0.0), Point::new(a * 0.3, b)])],
            _ => vec![Path::circle(Point::ZERO, a / 2.0), Path::new(Segment::circle(Point::ZERO, a / 2.0 - 4.0).to_vec(), true)],
        }
    })
}

#[test]
fn cracks_between_sums_are_no_room() {
    // Shapes with edges at the same multiples of 15°, whose sums meet along whole edges.
    let kinds = [
        Path::circle(Point::ZERO, 24.814_913_792_619_37),
        angle(200.0, 0.0, 34.297_146_577_196_166, 12.155_228_757_926_08),
        angle(400.0, 0.0, 65.418_977_415_160_41, 6.561_234_404_321_373),
    ];
    let work = work(&kinds, 4);
    let terms = Terms { turn: Turn::Any, ..terms_of(260.0, 210.0, 6.16, 8.652) };
    for seed in 0..12 {
        let problem = Problem::new(&work, &terms, &Tolerance::default());
        let layout = search(&problem, &Control { go_on: &|| true, better: &|_, _| {}, tried: &|_| {}, seed, tries: 4 });
        assert_eq!(faults(&work, &layout, terms.distances()).count, 0, "seed {seed}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(40)))]
    /// Every part lies in the sheet and keeps its distance, and none is lost.
    #[test]
    fn parts_never_overlap_and_lie_in_the_sheet(kinds in prop::collection::vec(part(), 1..6), quantity in 1..6_u32, spacing in 0.0..8.0_f64, margin in 0.0..12.0_f64, turn in 0..4_usize) {
        let mut paths = Vec::new();
        for (i, kind) in kinds.iter().enumerate() {
            let by = Affine::translate(Vec2::new(i as f64 * 200.0, 31.7));
            paths.extend(kind.iter().map(|p| p.transformed(by)));
        }
        let work = work(&paths, quantity);
        let terms = Terms { turn: Turn::ALL[turn], ..terms_of(260.0, 210.0, spacing, margin) };
        let layout = nest(&work, &terms, 3);
        prop_assert_eq!(faults(&work, &layout, Distances::of(spacing, margin)).count, 0);
        let placed: usize = layout.sheets.iter().map(|s| s.placed.len()).sum();
        let unplaced: u32 = layout.unplaced.values().sum();
        prop_assert_eq!(placed + unplaced as usize, work.parts.iter().map(|p| p.quantity as usize).sum::<usize>());
        prop_assert_eq!(unplaced, 0, "each of them fits an empty sheet");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(played(24)))]
    /// An offcut of any outline, with a hole burned into it: every part lies on what is left, its margin away from all edges.
    #[test]
    fn parts_lie_on_what_is_left_of_an_offcut(radii in prop::collection::vec(90.0..220.0_f64, 4..11), hole in 8.0..40.0_f64, kind in part(), spacing in 0.0..6.0_f64, margin in 0.0..10.0_f64, turn in 0..4_usize) {
        let n = radii.len() as f64;
        let corner = |(i, r): (usize, &f64)| Point::new(230.0, 230.0) + Vec2::from_angle(i as f64 / n * std::f64::consts::TAU) * *r;
        let outline = Path::polygon(&radii.iter().enumerate().map(corner).collect::<Vec<_>>());
        let burned = Path::circle(Point::new(245.0, 220.0), hole);
        let offcut = Sheet::offcut(vec![outline.clone(), burned.clone()]).expect("an offcut");
        let area = offcut.area();
        prop_assert!((area - (outline.area().abs() - burned.area().abs())).abs() < 1e-6);
        // An offcut lies with its corner at the origin.
        let moved = offcut.outline.iter().map(Path::bounds).fold(crate::geometry::Bounds::EMPTY, crate::geometry::Bounds::union);
        let by = Affine::translate(moved.min - outline.bounds().min);
        let edges = [outline.transformed(by), burned.transformed(by)];
        let work = work(&kind, 7);
        let terms = Terms { sheets: vec![offcut, Sheet::rectangle(400.0, 300.0)], turn: Turn::ALL[turn], ..terms_of(0.0, 0.0, spacing, margin) };
        let layout = nest(&work, &terms, 3);
        prop_assert!(layout.unplaced.is_empty());
        prop_assert_eq!(faults(&work, &layout, Distances::of(spacing, margin)).count, 0);
        let Some(first) = layout.sheets.iter().find(|s| !s.sheet.outline.is_empty()) else { return Ok(()) };
        for placed in &first.placed {
            let part = work.part(placed.copy.part).expect("a part");
            for s in part.outline.transformed(placed.affine()).segments {
                for p in (0..8).map(|k| s.at(f64::from(k) / 8.0)) {
                    prop_assert!(edges[0].contains(p) && !edges[1].contains(p), "{:?} is off the offcut", p);
                    let near = edges.iter().map(|e| e.nearest(p).distance).fold(f64::INFINITY, f64::min);
                    prop_assert!(near > margin - 0.02, "{near} mm from an edge at {:?}", p);
                }
            }
        }
    }
}

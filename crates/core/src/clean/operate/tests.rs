mod fits;
mod odd;

use super::*;
use crate::drawing::{Nature, Style};
use crate::geometry::{Affine, Bounds, Corners, Path, Point, Segment, Vec2};
use crate::ids::ContourId;
use crate::lettering::{Face, Setting};
use crate::testing::{cleaned, outlines};
use proptest::prelude::*;

fn start(paths: &[Path]) -> (Vec<Arc<Contour>>, Vec<ContourId>) {
    let (drawing, _) = cleaned(&outlines(paths), 1);
    let ids = drawing.contours.iter().map(|c| c.id).collect();
    (drawing.contours.clone(), ids)
}

fn done(contours: &[Arc<Contour>], operations: &[Operation]) -> Vec<Arc<Contour>> {
    operations.iter().for_each(|o| o.checked().expect("it makes sense"));
    let Done { contours: out, lost, .. } = run(contours.to_vec(), operations, Naming::Digest);
    assert!(lost.is_empty(), "{lost:?}");
    out
}

fn areas(contours: &[Arc<Contour>]) -> Vec<f64> {
    let mut all: Vec<f64> = contours.iter().map(|c| (c.area.abs() * 1000.0).round() / 1000.0).collect();
    all.sort_by(f64::total_cmp);
    all
}

fn plate() -> Path {
    Path::rectangle(10.0, 20.0, 100.0, 60.0)
}

#[test]
fn holes_are_placed_from_corners_and_repeated() {
    let (contours, ids) = start(&[plate()]);
    let spot = Spot { anchor: Anchor::LowerLeft, x: 8.0, y: 6.0, repeat: Repeat::Corners };
    let out = done(&contours, &[Operation::Hole { part: ids[0], spot, diameter: 4.0 }]);
    let mut centres: Vec<(f64, f64)> = out[1..].iter().map(|c| (c.bounds.center().x, c.bounds.center().y)).collect();
    centres.sort_by(|a, b| a.partial_cmp(b).expect("numbers"));
    assert_eq!(centres, [(18.0, 26.0), (18.0, 74.0), (102.0, 26.0), (102.0, 74.0)]);
    assert!(out[1..].iter().all(|c| (c.bounds.width() - 4.0).abs() < 1e-9));
    let right = Spot { anchor: Anchor::UpperRight, x: 5.0, y: 7.0, repeat: Repeat::Once };
    let out = done(&contours, &[Operation::Slot { part: ids[0], spot: right, length: 12.0, width: 3.0, angle: 90.0 }]);
    let b = out[1].bounds;
    assert!(
        (b.center().x - 105.0).abs() < 1e-9
            && (b.center().y - 73.0).abs() < 1e-9
            && (b.height() - 12.0).abs() < 1e-9
            && (b.width() - 3.0).abs() < 1e-9
    );
    let middle = Spot { anchor: Anchor::Centre, repeat: Repeat::Corners, ..Spot::default() };
    assert_eq!(done(&contours, &[Operation::Hole { part: ids[0], spot: middle, diameter: 4.0 }]).len(), 2, "in the middle there is one");
}

#[test]
fn areas_are_welded_cut_out_and_shared_and_keep_their_names() {
    let (contours, ids) =
        start(&[Path::rectangle(0.0, 0.0, 50.0, 50.0), Path::rectangle(40.0, 10.0, 30.0, 30.0), Path::circle(Point::new(200.0, 0.0), 5.0)]);
    let welded = done(&contours, &[Operation::Weld { contours: ids.clone() }]);
    assert_eq!(welded.len(), 2, "what does not touch stays apart");
    assert!((areas(&welded)[1] - 3100.0).abs() < 1e-6 && welded.iter().any(|c| c.id == ids[0]));
    let cut = done(&contours, &[Operation::Subtract { from: ids[0], contours: vec![ids[1]] }]);
    assert_eq!(cut.iter().find(|c| c.id == ids[0]).map(|c| c.area.abs().round()), Some(2200.0));
    let shared = done(&contours, &[Operation::Intersect { contours: ids[..2].to_vec() }]);
    assert!(areas(&shared).contains(&300.0));
}

#[test]
fn offsets_make_backing_plates_and_rings() {
    let (contours, ids) = start(&[Path::rectangle(0.0, 0.0, 40.0, 20.0)]);
    let offset = |by, corners, rings, keep| done(&contours, &[Operation::Offset { contours: ids.clone(), by, corners, rings, keep }]);
    assert_eq!(areas(&offset(5.0, Corners::Mitre, 1, true)), [800.0, 1500.0]);
    assert_eq!(
        areas(&offset(-2.0, Corners::Round, 3, true)),
        [224.0 - 0.0, 384.0, 576.0, 800.0].map(|a| if a == 224.0 { 28.0 * 8.0 } else { a })
    );
    let moved = offset(5.0, Corners::Cut, 1, false);
    assert!(moved.len() == 1 && moved[0].id == ids[0]);
    assert!(offset(-11.0, Corners::Round, 1, false).is_empty(), "nothing is left of it");
    let (line, id) = start(&[Path::new(vec![Segment::line(Point::ZERO, Point::new(30.0, 0.0))], false)]);
    let stroke = done(&line, &[Operation::Offset { contours: id, by: 2.0, corners: Corners::Round, rings: 1, keep: false }]);
    assert!((stroke[0].area.abs() - (120.0 + std::f64::consts::PI * 4.0)).abs() < 0.01, "{}", stroke[0].area);
}

#[test]
fn corners_are_rounded_and_cut_as_far_as_there_is_room() {
    let (contours, ids) = start(&[plate()]);
    let corner = |size, shape| done(&contours, &[Operation::Corner { contours: ids.clone(), size, shape }])[0].area.abs();
    assert!((corner(5.0, CornerShape::Round) - (6000.0 - (4.0 - std::f64::consts::PI) * 25.0)).abs() < 1e-6);
    assert!((corner(5.0, CornerShape::Chamfer) - (6000.0 - 50.0)).abs() < 1e-6);
    let most = done(&contours, &[Operation::Corner { contours: ids.clone(), size: 80.0, shape: CornerShape::Round }]);
    assert!(most[0].area.abs() > 5000.0 && most[0].path.closed);
}

#[test]
fn apart_and_together_again() {
    let (contours, ids) = start(&[plate()]);
    let apart = done(&contours, &[Operation::TakeApart { contours: ids.clone() }]);
    assert_eq!((apart.len(), apart.iter().all(|c| !c.path.closed)), (4, true));
    let all: Vec<ContourId> = apart.iter().map(|c| c.id).collect();
    let again = done(&contours, &[Operation::TakeApart { contours: ids.clone() }, Operation::Combine { contours: all }]);
    assert!(again.len() == 1 && again[0].path.closed && (again[0].area.abs() - 6000.0).abs() < 1e-6 && again[0].id == ids[0]);
}

#[test]
fn copies_are_moved_mirrored_arrayed_and_lined_up() {
    let (contours, ids) = start(&[Path::rectangle(0.0, 0.0, 10.0, 5.0), Path::rectangle(40.0, 30.0, 6.0, 6.0)]);
    let array = done(&contours, &[Operation::Array { contours: vec![ids[0]], columns: 3, rows: 2, dx: 15.0, dy: 8.0 }]);
    assert_eq!(array.len(), 7);
    let b = array.iter().filter(|c| c.id != ids[1]).fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
    assert!((b.width() - 40.0).abs() < 1e-9 && (b.height() - 13.0).abs() < 1e-9);
    let mirrored = done(&contours, &[Operation::Mirror { contours: vec![ids[1]], upright: false, keep: true }]);
    assert!((mirrored[2].bounds.min.x - 46.0).abs() < 1e-9);
    let aligned = done(&contours, &[Operation::Align { contours: ids.clone(), edge: Edge::Centre }]);
    assert!(aligned[0].bounds.center().distance(aligned[1].bounds.center()) < 1e-9);
    let turned = done(
        &contours,
        &[Operation::Turn { contours: vec![ids[0]], degrees: 90.0 }, Operation::Move { contours: vec![ids[0]], dx: 1.0, dy: -2.0 }],
    );
    assert!((turned[0].bounds.width() - 5.0).abs() < 1e-9 && (turned[0].bounds.center().x - 6.0).abs() < 1e-9);
    let Done { lost, .. } = run(
        contours,
        &[Operation::Delete { contours: vec![ids[0]] }, Operation::Move { contours: vec![ids[0]], dx: 1.0, dy: 0.0 }],
        Naming::Digest,
    );
    assert_eq!(lost.len(), 1, "what is gone cannot be moved, and that is told");
}

#[test]
fn tabs_marks_and_writing() {
    let (contours, ids) = start(&[plate()]);
    let spot = Spot { anchor: Anchor::Top, x: 0.0, y: 0.0, repeat: Repeat::Once };
    let tab = done(&contours, &[Operation::Tab { part: ids[0], spot, outer: 12.0, hole: 4.0 }]);
    assert!((tab[0].area.abs() - (6000.0 + std::f64::consts::PI * 18.0)).abs() < 1e-6 && tab.len() == 2);
    let scale = Operation::Marks {
        part: ids[0],
        spot: Spot { x: 5.0, y: 5.0, ..Spot::default() },
        pitch: 5.0,
        count: 11,
        length: 3.0,
        numbered: 5,
        angle: 0.0,
        middle: 0,
        by: 0,
        both: false,
    };
    let marks = done(&contours, &[scale]);
    assert_eq!(marks.iter().filter(|c| !c.path.closed && c.path.segments.len() == 1 && c.bounds.width() < 1e-9).count(), 11);
    let write = |face| {
        done(
            &contours,
            &[Operation::Write {
                part: ids[0],
                spot: Spot { anchor: Anchor::Centre, ..Spot::default() },
                text: "BEE 7".into(),
                height: 8.0,
                face,
                angle: 0.0,
                setting: Setting::default(),
            }],
        )
    };
    assert!(write(Face::Outline)[1..].iter().all(|c| c.path.closed && c.style.text));
    let b = write(Face::Stroke)[1..].iter().fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
    assert!((b.center().x - 60.0).abs() < 1.0 && (b.height() - 8.0).abs() < 0.2, "{b:?}");
}

/// A panel with notches of 3 mm in its edge, a slot of 3 mm inside, one of 4 mm, and a tab of 3 mm.
fn panel() -> Vec<Path> {
    let p = |x: f64, y: f64| Point::new(x, y);
    let outline = [
        p(0.0, 0.0),
        p(20.0, 0.0),
        p(20.0, 15.0),
        p(23.0, 15.0),
        p(23.0, 0.0),
        p(100.0, 0.0),
        p(100.0, 40.0),
        p(60.0, 40.0),
        p(60.0, 50.0),
        p(57.0, 50.0),
        p(57.0, 40.0),
        p(0.0, 40.0),
    ];
    vec![Path::polygon(&outline), Path::rectangle(40.0, 10.0, 3.0, 20.0), Path::rectangle(70.0, 10.0, 4.0, 20.0)]
}

#[test]
fn slots_fit_the_sheet_that_was_measured() {
    let (contours, ids) = start(&panel());
    let found = slots::find(&contours, 3.0);
    let kinds = |k: slots::Kind| found.iter().filter(|f| f.kind == k).count();
    assert_eq!((kinds(slots::Kind::Slot), kinds(slots::Kind::Tab)), (3, 1), "a notch, both ends of the slot, a tab: {found:?}");
    let fit = |leave| done(&contours, &[Operation::SlotFit { nominal: 3.0, measured: 2.8, clearance: 0.1, leave }]);
    let out = fit(Vec::new());
    assert!((out[1].bounds.width() - 2.9).abs() < 1e-9 && (out[1].bounds.center().x - 41.5).abs() < 1e-9);
    assert!((out[2].bounds.width() - 4.0).abs() < 1e-12, "4 mm is left alone");
    let notch = |path: &Path| path.segments.iter().filter(|s| (s.length() - 2.9).abs() < 1e-9).count();
    assert_eq!(notch(&out[0].path), 2);
    assert!((out[0].bounds.width() - 100.0).abs() < 1e-9 && (out[0].bounds.height() - 50.0).abs() < 1e-9, "all else stays");
    assert!((fit(vec![ids[1]])[1].bounds.width() - 3.0).abs() < 1e-12);
}

#[test]
fn figures_that_make_no_sense_are_refused() {
    let (_, ids) = start(&[plate()]);
    let bad = [
        Operation::Offset { contours: ids.clone(), by: 0.0, corners: Corners::Round, rings: 1, keep: true },
        Operation::Offset { contours: Vec::new(), by: 2.0, corners: Corners::Round, rings: 1, keep: true },
        Operation::Hole { part: ids[0], spot: Spot::default(), diameter: -3.0 },
        Operation::Hole { part: ids[0], spot: Spot { x: f64::NAN, ..Spot::default() }, diameter: 3.0 },
        Operation::Slot { part: ids[0], spot: Spot::default(), length: 2.0, width: 5.0, angle: 0.0 },
        Operation::Array { contours: ids.clone(), columns: 4000, rows: 4000, dx: 1.0, dy: 1.0 },
        Operation::Write {
            part: ids[0],
            spot: Spot::default(),
            text: "  ".into(),
            height: 5.0,
            face: Face::Stroke,
            angle: 0.0,
            setting: Setting::default(),
        },
        Operation::SlotFit { nominal: 3.0, measured: 9.0, clearance: 0.0, leave: Vec::new() },
        Operation::Weld { contours: ids.clone() },
    ];
    for operation in bad {
        assert!(operation.checked().is_err(), "{operation:?}");
    }
}

#[test]
fn names_outlast_the_taking_back_of_another_operation() {
    let (contours, ids) = start(&[plate()]);
    let hole = |x| Operation::Hole { part: ids[0], spot: Spot { x, y: 5.0, ..Spot::default() }, diameter: 3.0 };
    let both = done(&contours, &[hole(5.0), hole(9.0), hole(9.0)]);
    let one = done(&contours, &[hole(9.0)]);
    assert!(both.iter().any(|c| c.id == one[1].id));
    let mut names: Vec<ContourId> = both.iter().map(|c| c.id).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), 4, "the same done twice has two names");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    /// Whatever is done to whatever: nothing panics, closed paths stay joined up, numbers stay numbers.
    #[test]
    fn operations_leave_whole_geometry(sizes in prop::collection::vec((0.0..60.0_f64, 0.0..60.0_f64, 2.0..30.0_f64, 2.0..30.0_f64), 2..5), size in 0.2..12.0_f64, which in 0..9_usize) {
        let paths: Vec<Path> = sizes.iter().enumerate().map(|(i, (x, y, w, h))| if i % 2 == 0 { Path::rectangle(*x, *y, *w, *h) } else { Path::circle(Point::new(*x, *y), *w) }).collect();
        let (contours, ids) = start(&paths);
        let corners = [Corners::Round, Corners::Mitre, Corners::Cut][which % 3];
        let operation = match which {
            0 => Operation::Weld { contours: ids.clone() },
            1 => Operation::Intersect { contours: ids.clone() },
            2 => Operation::Subtract { from: ids[0], contours: ids[1..].to_vec() },
            3..6 => Operation::Offset { contours: ids.clone(), by: size, corners, rings: 2, keep: true },
            6 => Operation::Offset { contours: ids.clone(), by: -size, corners, rings: 1, keep: false },
            7 => Operation::Corner { contours: ids.clone(), size, shape: CornerShape::Round },
            _ => Operation::TakeApart { contours: ids.clone() },
        };
        let out = run(contours, &[operation], Naming::Digest).contours;
        for c in &out {
            prop_assert!(c.length.is_finite() && c.area.is_finite());
            prop_assert!(c.path.segments.windows(2).all(|w| w[0].end.distance(w[1].start) < 1e-4), "{:?}", c.path);
            if c.path.closed {
                prop_assert!(c.path.segments[c.path.segments.len() - 1].end.distance(c.path.segments[0].start) < 1e-4);
            }
        }
    }
}

#[test]
fn open_lines_get_a_width_or_an_end() {
    let line = Path::new(
        vec![Segment::line(Point::new(0.0, 0.0), Point::new(30.0, 0.0)), Segment::line(Point::new(30.0, 0.0), Point::new(30.0, 20.0))],
        false,
    );
    let (contours, ids) = start(&[line, plate()]);
    let wide = done(&contours, &[Operation::Widen { contours: ids.clone(), width: 2.0 }]);
    let pen: Vec<&Arc<Contour>> = wide.iter().filter(|c| c.compound != 0).collect();
    // 50 mm of line 2 mm wide with a round pen: half a disc at each end.
    let area: f64 = pen.iter().map(|c| c.area).sum::<f64>().abs();
    assert!(pen.iter().all(|c| c.path.closed && c.style.winding) && (area - 103.1).abs() < 0.6, "{area}");
    assert_eq!(wide.len() - pen.len(), 1, "the plate is closed and stays");
    let shut = done(&contours, &[Operation::Close { contours: ids.clone() }]);
    assert_eq!(areas(&shut), [300.0, 6000.0]);
    assert!(Operation::Widen { contours: ids, width: 0.0 }.checked().is_err());
}

#[test]
fn letters_are_set_anew_on_their_base_line_and_as_high() {
    let word = crate::lettering::line("Hog", 8.0, Face::Outline);
    let at = Affine::translate(Vec2::new(25.0, 40.0));
    let mut paths = vec![plate()];
    paths.extend(word.paths.iter().map(|p| p.transformed(at)));
    let (contours, ids) = start(&paths);
    let new = done(&contours, &[Operation::Reletter { contours: ids[1..].to_vec(), text: "HIVE".into(), face: Face::Outline }]);
    assert_eq!(areas(&new).last(), Some(&6000.0), "the plate stays");
    let letters: Vec<Bounds> = new.iter().filter(|c| c.area.abs() < 5999.0).map(|c| c.bounds).collect();
    let all = letters.iter().fold(Bounds::EMPTY, |b, l| b.union(*l));
    // The g hangs below the base line and does not count.
    assert!((all.min.y - 40.0).abs() < 0.15 && (all.height() - 8.0).abs() < 0.3, "{all:?}");
    let before = contours[1..].iter().fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
    assert!((all.min.x - before.min.x).abs() < 1e-6 && letters.len() >= 4, "{all:?} {before:?}");
    let strokes = done(&contours, &[Operation::Reletter { contours: ids[1..].to_vec(), text: "7".into(), face: Face::Stroke }]);
    assert!(strokes.iter().skip(1).all(|c| c.style.nature == Nature::Writing && !c.path.closed));
    assert!(Operation::Reletter { contours: ids, text: "  ".into(), face: Face::Stroke }.checked().is_err());
}

#[test]
fn a_picture_moves_with_its_frame() {
    let mut d = outlines(&[plate()]);
    let style = d.style(&Style { nature: Nature::Picture, ..Style::default() });
    let bitmap = Arc::new(crate::drawing::Bitmap { width: 2, height: 2, grey: vec![0; 4] });
    let place = Affine::translate((20.0, 30.0)) * Affine::scale(10.0);
    d.entities.push(crate::drawing::Entity::new(style, crate::drawing::Shape::Picture(crate::drawing::Picture { bitmap, place })));
    let (drawing, _) = cleaned(&d, 1);
    let id = drawing.contours.iter().find(|c| c.picture.is_some()).expect("the picture").id;
    let moved = done(
        &drawing.contours,
        &[Operation::Move { contours: vec![id], dx: 5.0, dy: -2.0 }, Operation::Turn { contours: vec![id], degrees: 90.0 }],
    );
    let frame = moved.iter().find(|c| c.id == id).expect("it is there");
    let place = frame.picture_place().expect("still a frame");
    // Moved to 25, 28 and turned about its middle at 30, 33: its lower left corner is the lower right one now.
    assert!(
        (place * Point::ZERO).distance(Point::new(35.0, 28.0)) < 1e-9
            && (place * Point::new(1.0, 0.0)).distance(Point::new(35.0, 38.0)) < 1e-9
    );
    let twice = done(&drawing.contours, &[Operation::Array { contours: vec![id], columns: 2, rows: 1, dx: 15.0, dy: 0.0 }]);
    assert_eq!(twice.iter().filter(|c| c.picture_place().is_some()).count(), 2, "a copy has its picture");
}

#[test]
fn new_verbs_are_typed() {
    let ids = [ContourId(1)];
    assert_eq!(words::parse("widen 0.3mm", &ids), Ok(Operation::Widen { contours: ids.to_vec(), width: 0.3 }));
    assert_eq!(words::parse("close", &ids), Ok(Operation::Close { contours: ids.to_vec() }));
    assert_eq!(
        words::parse("reletter \"HIVE 8\" stroke", &ids),
        Ok(Operation::Reletter { contours: ids.to_vec(), text: "HIVE 8".into(), face: Face::Stroke })
    );
    for wrong in ["widen", "widen wide", "close it", "reletter", "reletter HIVE bold"] {
        assert!(words::parse(wrong, &ids).is_err(), "{wrong}");
    }
}

#[test]
fn small_holes_become_centre_marks() {
    let (contours, ids) = start(&[plate(), Path::circle(Point::new(30.0, 20.0), 2.0)]);
    let marked = done(&contours, &[Operation::Centre { contours: vec![ids[1]] }]);
    let arms: Vec<&Arc<Contour>> = marked.iter().filter(|c| c.style.nature == crate::drawing::Nature::Centre).collect();
    let middle = contours[1].bounds.center();
    assert!(arms.len() == 2 && arms.iter().all(|c| !c.path.closed && c.bounds.center().distance(middle) < 1e-9));
    assert!(marked.iter().filter(|c| c.path.closed).count() == 1 && marked.iter().any(|c| c.id == ids[1]), "one arm keeps the name");
}

/// A ruler in millimetres and one in eighths of an inch: three lengths of marks, numbers from both ends, those of the far side upright
/// for who stands there.
#[test]
fn rulers_read_from_both_ends() {
    let (contours, _) = start(&[Path::rectangle(0.0, 0.0, 330.0, 40.0)]);
    for (words, marks, long, last) in [
        ("marks 301 every 1 long 3 middle 5 numbered 10 both at 10,4", 301, 31, "300"),
        ("marks 97 every 1/8in long 3 middle 4 numbered 8 by 1 both at 10,4", 97, 13, "12"),
    ] {
        let operation = words::parse(words, &[contours[0].id]).expect(words);
        let made = done(&contours, &[operation]);
        let lines: Vec<f64> = made
            .iter()
            .filter(|c| !c.path.closed && c.path.segments.len() == 1 && c.bounds.width() < 1e-9 && (c.bounds.min.y - 4.0).abs() < 1e-9)
            .map(|c| c.length)
            .collect();
        assert_eq!(lines.len(), marks, "{words}");
        let of = |length: f64| lines.iter().filter(|l| (**l - length).abs() < 1e-6).count();
        assert_eq!(of(4.8), long, "{words}");
        assert!(of(3.9) > 0 && of(3.0) + of(3.9) + of(4.8) == marks);
        // No number reaches its neighbour.
        let step = if last == "300" { 10.0 } else { 25.4 };
        for c in made.iter().filter(|c| c.style.nature == Nature::Writing) {
            let mark = 10.0 + ((c.bounds.center().x - 10.0) / step).round() * step;
            assert!((c.bounds.min.x - mark).abs().max((c.bounds.max.x - mark).abs()) < 0.4 * step, "{words}: {:?}", c.bounds);
        }
        // Over the first mark stands 0, and behind it the last number the other way round; over the last mark they are exchanged.
        let strokes = |x: f64, from: f64, to: f64| {
            made.iter()
                .filter(|c| {
                    c.style.nature == Nature::Writing && (c.bounds.center().x - x).abs() < 4.9 && (from..to).contains(&c.bounds.center().y)
                })
                .count()
        };
        let letters = |text: &str| crate::lettering::strokes(text, 3.0).paths.len();
        let (near, far) =
            (made.iter().filter(|c| c.style.nature == Nature::Writing).map(|c| c.bounds.min.y).fold(f64::INFINITY, f64::min), 60.0);
        let both = strokes(10.0, near, far);
        assert_eq!(both, letters("0") + letters(last), "{words}: 0 and {last} over the first mark");
    }
}

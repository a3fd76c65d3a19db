use super::{WriteLayer, read, write};
use crate::ReadError;
use boustrophe_core::drawing::{Drawing, FileUnits, Nature, Shape, Unit};
use boustrophe_core::geometry::{Bounds, Path, Point, Segment, fit_curves};
use proptest::prelude::*;
use std::fmt::Write;

mod planes;

/// A file from words: `kind code value code value ...`, one entity after `0`.
fn file(header: &str, tables: &str, blocks: &str, entities: &str) -> String {
    let lines = |words: &str| words.split_whitespace().fold(String::new(), |all, w| all + w + "\n");
    let section = |name: &str, body: &str| format!("0\nSECTION\n2\n{name}\n{}0\nENDSEC\n", lines(body));
    section("HEADER", header) + &section("TABLES", tables) + &section("BLOCKS", blocks) + &section("ENTITIES", entities) + "0\nEOF\n"
}

fn drawing(entities: &str) -> Drawing {
    read("t.dxf", file("9 $INSUNITS 70 4", "", "", entities).as_bytes()).expect("it reads")
}

fn segments(d: &Drawing, i: usize) -> Vec<Segment> {
    match &d.entities[i].shape {
        Shape::Path { curves, .. } => fit_curves(curves, 0.01),
        other => panic!("{other:?}"),
    }
}

fn bounds(d: &Drawing) -> Bounds {
    (0..d.entities.len())
        .filter(|i| matches!(d.entities[*i].shape, Shape::Path { .. }))
        .flat_map(|i| segments(d, i))
        .fold(Bounds::EMPTY, |b, s| b.union(s.bounds()))
}

fn near(p: Point, x: f64, y: f64) -> bool {
    p.distance(Point::new(x, y)) < 1e-6
}

#[test]
fn every_kind_comes_in_where_it_was_drawn() {
    let d = drawing(
        "0 LINE 8 A 10 1 20 2 11 5 21 6
         0 ARC 8 A 10 0 20 0 40 10 50 90 51 180
         0 CIRCLE 8 A 10 50 20 0 40 5
         0 LWPOLYLINE 8 A 90 2 70 0 10 0 20 0 42 1 10 10 20 0
         0 ELLIPSE 8 A 10 0 20 0 11 20 21 0 40 0.5 41 0 42 1.5707963267948966
         0 POLYLINE 8 A 66 1 70 1 0 VERTEX 8 A 10 0 20 0 0 VERTEX 8 A 10 9 20 0 0 VERTEX 8 A 10 9 20 9 0 SEQEND
         0 SPLINE 8 A 70 8 71 3 72 8 73 4 40 0 40 0 40 0 40 0 40 1 40 1 40 1 40 1 10 0 20 0 10 0 20 10 10 10 20 10 10 10 20 0",
    );
    assert_eq!((d.read, d.skipped.len(), d.units), (7, 0, FileUnits::Known(Unit::Mm)));
    let line = segments(&d, 0)[0];
    assert!(near(line.start, 1.0, 2.0) && near(line.end, 5.0, 6.0));
    let arc = segments(&d, 1)[0];
    assert!(near(arc.start, 0.0, 10.0) && near(arc.end, -10.0, 0.0) && (arc.radius() - 10.0).abs() < 1e-9);
    assert_eq!(segments(&d, 2).len(), 2, "a circle is two arcs");
    assert!(near(segments(&d, 3)[0].at(0.5), 5.0, -5.0), "a bulge of 1 turns anticlockwise");
    let ellipse = segments(&d, 4);
    assert!(near(ellipse[0].start, 20.0, 0.0) && near(ellipse[ellipse.len() - 1].end, 0.0, 10.0));
    assert_eq!(segments(&d, 5).len(), 3);
    assert!(segments(&d, 6).iter().any(|s| s.distance(Point::new(5.0, 7.5)) < 0.02), "the middle of the Bezier");
}

#[test]
fn blocks_are_drawn_out_nested_scaled_mirrored_turned_and_arrayed() {
    let blocks = "0 BLOCK 2 HOLE 10 1 20 1 0 CIRCLE 8 0 10 1 20 1 40 2 0 ENDBLK
                  0 BLOCK 2 BAR 10 0 20 0 0 LINE 8 0 62 0 10 0 20 0 11 10 21 0 0 INSERT 8 0 2 HOLE 10 10 20 0 41 2 42 2 0 ENDBLK";
    let d = |insert: &str| read("t.dxf", file("", "0 LAYER 2 TOP 62 1 70 0", blocks, insert).as_bytes()).expect("it reads");
    let turned = d("0 INSERT 8 TOP 62 3 2 BAR 10 100 20 0 50 90");
    let line = segments(&turned, 0)[0];
    assert!(near(line.start, 100.0, 0.0) && near(line.end, 100.0, 10.0));
    assert_eq!(turned.styles[turned.entities[0].style].stroke, Some([0, 255, 0]), "by block");
    assert_eq!(turned.styles[turned.entities[1].style].stroke, Some([255, 0, 0]), "by the layer of the reference");
    let circle = segments(&turned, 1)[0];
    assert!((circle.radius() - 4.0).abs() < 1e-9 && near(circle.center(), 100.0, 10.0), "{circle:?}");
    let mirrored = d("0 INSERT 8 TOP 2 BAR 10 0 20 0 41 -1");
    assert!(near(segments(&mirrored, 0)[0].end, -10.0, 0.0));
    let array = d("0 INSERT 8 TOP 2 BAR 10 0 20 0 70 3 71 2 44 50 45 20");
    assert_eq!((array.read, array.entities.len()), (1, 12));
    let b = bounds(&array);
    assert!((b.max.x - 114.0).abs() < 1e-9 && (b.max.y - 24.0).abs() < 1e-9);
    let stretched = d("0 INSERT 8 TOP 2 BAR 10 0 20 0 41 2 42 1");
    let b = segments(&stretched, 1).iter().fold(Bounds::EMPTY, |b, s| b.union(s.bounds()));
    assert!((b.width() - 16.0).abs() < 0.02 && (b.height() - 8.0).abs() < 0.02, "a circle stretched is an ellipse");
}

#[test]
fn a_block_in_itself_and_a_bomb_of_blocks_are_told() {
    let own = "0 BLOCK 2 X 10 0 20 0 0 INSERT 8 0 2 X 10 1 20 0 0 LINE 8 0 10 0 20 0 11 1 21 0 0 ENDBLK";
    let d = read("t.dxf", file("", "", own, "0 INSERT 8 0 2 X 10 0 20 0").as_bytes()).expect("it reads");
    assert!(d.broken.iter().any(|b| b.contains("holds itself")));
    let mut blocks = "0 BLOCK 2 B0 10 0 20 0 0 LINE 8 0 10 0 20 0 11 1 21 0 0 ENDBLK".to_owned();
    for i in 1..9 {
        let _ = write!(blocks, " 0 BLOCK 2 B{i} 10 0 20 0");
        (0..10).for_each(|_| {
            let _ = write!(blocks, " 0 INSERT 8 0 2 B{} 10 0 20 0", i - 1);
        });
        blocks.push_str(" 0 ENDBLK");
    }
    let bomb = read("bomb.dxf", file("", "", &blocks, "0 INSERT 8 0 2 B8 10 0 20 0").as_bytes());
    assert!(matches!(bomb, Err(ReadError::TooMany { .. })), "{:?}", bomb.map(|d| d.entities.len()));
    // An array of arrays: three million lines in a thousand bytes.
    let arrays = "0 BLOCK 2 A 10 0 20 0 0 LINE 8 0 10 0 20 0 11 1 21 0 0 ENDBLK 0 BLOCK 2 B 10 0 20 0 0 INSERT 8 0 2 A 10 0 20 0 70 100 71 100 44 2 45 2 0 ENDBLK";
    let of = |columns: u32| {
        read("rows.dxf", file("", "", arrays, &format!("0 INSERT 8 0 2 B 10 0 20 0 70 {columns} 71 1 44 300 45 300")).as_bytes())
    };
    assert!(matches!(of(300), Err(ReadError::TooMany { most: crate::MOST_DRAWN_OUT, .. })));
    assert_eq!(of(3).expect("a perforated plate is read").entities.len(), 30_000);
}

#[test]
fn units_and_layers_are_read() {
    for (code, units) in
        [(1, FileUnits::Known(Unit::In)), (4, FileUnits::Known(Unit::Mm)), (6, FileUnits::Known(Unit::M)), (0, FileUnits::Unsaid)]
    {
        let d = read("t.dxf", file(&format!("9 $INSUNITS 70 {code}"), "", "", "").as_bytes()).expect("it reads");
        assert_eq!(d.units, units);
    }
    let tables = "0 LAYER 2 OFF 62 -3 70 0 0 LAYER 2 FROZEN 62 5 70 1 0 LAYER 2 CUT 62 1 70 0 6 DASHED 370 50";
    let entities = "0 LINE 8 OFF 10 0 20 0 11 1 21 0 0 LINE 8 FROZEN 10 0 20 0 11 1 21 0 0 LINE 8 CUT 10 0 20 0 11 1 21 0 0 LINE 8 CUT 420 255 10 0 20 0 11 1 21 0";
    let d = read("t.dxf", file("", tables, "", entities).as_bytes()).expect("it reads");
    let style = |i: usize| &d.styles[d.entities[i].style];
    assert!(style(0).hidden && style(1).hidden && !style(2).hidden);
    assert_eq!((style(2).line_type.as_str(), style(2).width, style(2).stroke), ("DASHED", 500, Some([255, 0, 0])));
    assert_eq!(style(3).stroke, Some([0, 0, 255]), "true colour");
}

#[test]
fn what_is_seen_from_below_is_turned_right_side_round() {
    let d = drawing("0 CIRCLE 8 0 10 20 20 5 40 3 230 -1 0 ARC 8 0 10 0 20 0 40 5 50 0 51 90 230 -1");
    assert!(near(segments(&d, 0)[0].center(), -20.0, 5.0));
    let arc = segments(&d, 1)[0];
    assert!(arc.bounds().max.x < 1e-9 && arc.bounds().max.y > 4.9, "the arc lies on the left: {arc:?}");
}

#[test]
fn texts_are_reference_and_kept_readable() {
    let d = drawing("0 TEXT 8 N 10 5 20 6 40 4 1 GRAIN 0 MTEXT 8 N 10 0 20 0 40 3 1 {\\fArial;two\\Plines}");
    let texts: Vec<&str> =
        d.entities.iter().filter_map(|e| if let Shape::Text(t) = &e.shape { Some(t.value.as_str()) } else { None }).collect();
    assert_eq!(texts, ["GRAIN", "two lines"]);
}

/// Writing stands by its begin, its middle or its end, as its codes say, and its place is the second point then.
#[test]
fn texts_stand_where_their_codes_say() {
    let text = |codes: &str| {
        let d = drawing(&format!("0 TEXT 8 N 10 1 20 2 11 50 21 40 40 4 1 GRAIN {codes}"));
        let Some(Shape::Text(t)) = d.entities.first().map(|e| e.shape.clone()) else { panic!("no text") };
        t
    };
    let (plain, middle, end, fitted, top) = (text(""), text("72 4"), text("72 2"), text("72 5"), text("72 1 73 3"));
    let wide = plain.width();
    assert_eq!((plain.at, fitted.at), (Point::new(1.0, 2.0), Point::new(1.0, 2.0)));
    assert!(middle.at.distance(Point::new(50.0 - wide / 2.0, 38.0)) < 1e-9 && middle.middle().distance(Point::new(50.0, 40.0)) < 1e-9);
    assert!(end.at.distance(Point::new(50.0 - wide, 40.0)) < 1e-9 && top.at.distance(Point::new(50.0 - wide / 2.0, 36.0)) < 1e-9);
    let d = drawing("0 MTEXT 8 N 10 30 20 20 40 4 71 5 11 0 21 1 1 no");
    let Some(Shape::Text(t)) = d.entities.first().map(|e| e.shape.clone()) else { panic!("no text") };
    assert!(t.middle().distance(Point::new(30.0, 20.0)) < 1e-9 && (t.angle.to_degrees() - 90.0).abs() < 1e-9);
}

#[test]
fn every_entity_is_used_or_counted() {
    let d = drawing(
        "0 LINE 8 0 10 0 20 0 11 1 21 1 0 WIPEOUT 8 0 0 REGION 8 0 0 REGION 8 0 0 LINE 8 0 67 1 10 0 20 0 11 1 21 1 0 LINE 8 0 10 nan 20 0 11 1 21 1",
    );
    assert_eq!(d.read, 1);
    let skipped: Vec<(&str, usize)> = d.skipped.iter().map(|(k, n)| (k.as_str(), *n)).collect();
    assert_eq!(skipped, [("LINE", 1), ("LINE in paper space", 1), ("REGION", 2), ("WIPEOUT", 1)]);
    assert!(d.broken[0].contains("“nan”"), "{:?}", d.broken);
}

#[test]
fn damage_is_told_with_its_line() {
    for (text, said) in [
        ("hello\nworld\n", "line 1"),
        ("0\nSECTION\n2\nENTITIES\n0\nLINE\n8\n", "the file ends in the middle"),
        ("0\nSECTION\n2\nENTITIES\nzero\nLINE\n", "line 5"),
        ("999\nonly a comment\n", "no section"),
    ] {
        let error = read("d.dxf", text.as_bytes()).expect_err("it is damaged").to_string();
        assert!(error.starts_with("d.dxf, line") && error.contains(said), "{error}");
    }
}

/// Lines as a writer writes them, one record each.
fn lines(n: usize) -> String {
    (0..n).map(|i| format!("0\nLINE\n8\nCUT\n10\n{i}.0\n20\n0.0\n11\n{i}.5\n21\n7.0\n")).collect()
}

#[test]
fn of_a_damaged_file_what_is_there_is_taken_and_the_rest_told() {
    let (head, end) = ("0\nSECTION\n2\nENTITIES\n", "0\nENDSEC\n0\nEOF\n");
    let blocks = "0\nSECTION\n2\nBLOCKS\n0\nBLOCK\n2\nB\n10\n0\n20\n0\n0\nCIRCLE\n10\n0\n20\n0\n40\n1\n0\nENDBLK\n";
    let n = 60;
    for (name, text, read_of_them, told) in [
        ("no end of a section", format!("0\nSECTION\n2\nTABLES\n0\nLAYER\n2\nCUT\n62\n1\n{head}{}{end}", lines(n)), n, "not ended"),
        ("no ends at all", format!("{head}{}", lines(n)), n, "cut off"),
        ("an end, but none of the section", format!("{head}{}0\nEOF\n", lines(n)), n, "not ended"),
        ("entities in two sections", format!("{head}{}0\nENDSEC\n{head}{}{end}", lines(n), lines(n)), 2 * n, ""),
        ("no section round the entities", format!("0\nSECTION\n2\nHEADER\n0\nENDSEC\n{}{end}", lines(n)), n, "outside of every section"),
        ("a section without a name", format!("0\nSECTION\n{}{end}", lines(n)), n, "has no name"),
        ("entities among the blocks", format!("{blocks}{}{end}", lines(n)), n, "in none of them"),
        ("blocks without end", format!("{blocks}{head}{}{end}", lines(n)), n, "not ended"),
        ("a stray line", format!("{head}{}{end}", lines(n).replacen("8\nCUT\n10\n7.0", "8\n\nCUT\n10\n7.0", 1)), n - 1, "“CUT”"),
        ("a lost line", format!("{head}{}{end}", lines(n).replacen("10\n9.0\n", "10\n", 1)), n - 1, "damaged and was left out"),
        ("cut in a number", format!("{head}{}", &lines(n)[..lines(n).len() - 9]), n - 1, "the middle of a LINE"),
    ] {
        let d = read("d.dxf", text.as_bytes()).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert_eq!(d.read, read_of_them, "{name}: {:?}", d.damage);
        assert!(told.is_empty() && d.damage.is_empty() || d.damage.iter().any(|t| t.contains(told)), "{name}: {:?}", d.damage);
    }
}

proptest! {
    /// Of a file that was cut anywhere all that stands before the cut is there, and the cut is told.
    #[test]
    fn a_file_cut_anywhere_keeps_what_stands_before(n in 2_usize..40, share in 0.0..1.0_f64) {
        let head = "0\nSECTION\n2\nENTITIES\n";
        let text = format!("{head}{}", lines(n));
        let cut = head.len() + ((text.len() - head.len()) as f64 * share) as usize;
        let before = text[..cut].matches("0\nLINE\n").count();
        match read("d.dxf", &text.as_bytes()[..cut]) {
            Ok(d) => prop_assert!((before.saturating_sub(1)..=before).contains(&d.read) && !d.damage.is_empty()),
            Err(_) => prop_assert!(before <= 1),
        }
    }
}

#[test]
fn a_vertex_that_is_no_place_loses_its_polyline_with_a_word() {
    let d = file(
        "",
        "",
        "",
        "0 POLYLINE 8 0 66 1 70 1 0 VERTEX 10 0 20 0 0 VERTEX 10 nan 20 4 0 VERTEX 10 4 20 0 0 SEQEND 0 CIRCLE 10 0 20 0 40 1",
    );
    let d = read("v.dxf", d.as_bytes()).expect("the circle reads");
    assert_eq!((d.read, d.skipped.get("POLYLINE")), (1, Some(&1)));
    assert!(d.broken[0].contains("VERTEX of a POLYLINE"), "{:?}", d.broken);
}

/// An outline of lines and arcs that closes.
fn outline() -> impl Strategy<Value = Path> {
    prop::collection::vec((-400.0..400.0_f64, -400.0..400.0_f64, prop_oneof![Just(0.0), -1.2..1.2_f64]), 3..12).prop_map(|points| {
        let n = points.len();
        let segments = (0..n)
            .map(|i| Segment {
                start: Point::new(points[i].0, points[i].1),
                end: Point::new(points[(i + 1) % n].0, points[(i + 1) % n].1),
                bulge: points[i].2,
            })
            .collect();
        Path::new(segments, true)
    })
}

proptest! {
    #[test]
    fn what_is_written_reads_back_the_same(outlines in prop::collection::vec(outline(), 1..5)) {
        let text = write(&[WriteLayer { name: "cut", colour: 7, paths: outlines.clone() }]);
        let d = read("t.dxf", text.as_bytes()).expect("it reads");
        prop_assert_eq!(d.units, FileUnits::Known(Unit::Mm));
        prop_assert_eq!(d.entities.len(), outlines.len());
        for (i, path) in outlines.iter().enumerate() {
            let back = Path::new(segments(&d, i), true);
            prop_assert!((back.length() - path.length()).abs() < 0.001 * path.segments.len() as f64);
            for s in &path.segments {
                prop_assert!(back.nearest(s.at(0.3)).distance < 0.001);
            }
        }
    }

    /// Whatever the bytes, there is an answer.
    #[test]
    fn nothing_panics(mut cut in 0..9000_usize, edits in prop::collection::vec((0..9000_usize, any::<u8>()), 0..12)) {
        let whole = include_bytes!("../../../../demo/stand-gusset.dxf");
        let mut bytes = whole.to_vec();
        for (at, byte) in edits {
            let n = bytes.len();
            bytes[at % n] = byte;
        }
        cut = cut.min(bytes.len());
        let _ = read("t.dxf", &bytes[..cut]);
    }
}

#[test]
fn hatches_and_solids_are_areas_with_their_openings() {
    let d = drawing(
        "0 HATCH 8 H 62 2 10 0 20 0 30 0 2 SOLID 70 1 71 0 91 2
           92 3 72 0 73 1 93 3 10 0 20 0 10 20 20 0 10 20 20 15 97 0
           92 1 93 2 72 2 10 10 20 5 40 2 50 0 51 180 73 1 72 2 10 10 20 5 40 2 50 180 51 360 73 1 97 0 75 0 76 1 98 0
         0 HATCH 8 H 91 1 92 1 93 1 72 9
         0 SOLID 8 H 10 80 20 10 11 90 21 10 12 80 22 20 13 90 23 20
         0 3DFACE 8 F 10 0 20 0 11 10 21 0 12 10 22 10 13 0 23 10",
    );
    assert_eq!((d.read, d.entities.len(), d.skipped.get("HATCH without boundary")), (3, 4, Some(&1)));
    let area = |i: usize| Path::new(segments(&d, i), true).area().abs();
    assert!(
        (area(0) - 150.0).abs() < 1e-9
            && (area(1) - std::f64::consts::PI * 4.0).abs() < 1e-9
            && (area(2) - 100.0).abs() < 1e-9
            && (area(3) - 100.0).abs() < 1e-9
    );
    let style = &d.styles[d.entities[0].style];
    assert_eq!((style.fill, style.stroke, style.nature), (Some([255, 255, 0]), None, Nature::Area));
}

#[test]
fn dimensions_and_leaders_are_about_the_drawing() {
    let blocks = "0 BLOCK 2 *D1 10 0 20 0 0 LINE 8 0 10 0 20 -5 11 50 21 -5 0 MTEXT 8 0 10 20 20 -4 40 2 1 50 0 ENDBLK";
    let entities = "0 DIMENSION 8 DIM 2 *D1 10 0 20 -5 0 LEADER 8 DIM 76 3 10 0 20 0 10 5 20 5 10 9 20 5 0 DIMENSION 8 DIM 10 0 20 0";
    let d = read("t.dxf", file("9 $INSUNITS 70 4", "", blocks, entities).as_bytes()).expect("it reads");
    assert_eq!((d.read, d.skipped.len()), (2, 1));
    assert!(d.entities.iter().all(|e| d.styles[e.style].nature == Nature::Annotation && d.styles[e.style].aside()));
    assert!(near(segments(&d, 0)[0].end, 50.0, -5.0));
}

#[test]
fn multilines_are_their_parallel_lines() {
    let d = drawing(
        "0 MLINE 8 M 40 1 70 0 71 1 72 2 73 2 11 0 21 0 31 0 12 1 22 0 32 0 13 0 23 1 33 0 74 2 41 0.5 41 0 75 0 74 2 41 -0.5 41 0 75 0
        11 20 21 0 31 0 12 1 22 0 32 0 13 0 23 1 33 0 74 2 41 0.5 41 0 75 0 74 2 41 -0.5 41 0 75 0",
    );
    assert_eq!((d.read, d.entities.len()), (1, 2));
    assert!(near(segments(&d, 0)[0].end, 20.0, 0.5) && near(segments(&d, 1)[0].end, 20.0, -0.5));
}

#[test]
fn lines_without_end_and_points_are_counted_and_attributes_belong_to_their_block() {
    let blocks = "0 BLOCK 2 B 10 0 20 0 0 LINE 8 0 10 0 20 0 11 5 21 0 0 ENDBLK";
    let entities = "0 XLINE 8 0 10 0 20 0 11 1 21 0 0 RAY 8 0 10 0 20 0 11 1 21 0 0 POINT 8 0 10 3 20 3 0 INSERT 8 0 66 1 2 B 10 0 20 0 0 ATTRIB 8 0 10 1 20 1 40 2 1 no.7 0 SEQEND";
    let d = read("t.dxf", file("", "", blocks, entities).as_bytes()).expect("it reads");
    assert_eq!((d.read, d.skipped.values().sum::<usize>()), (2, 2), "four entities in all");
    let point = d.entities.iter().find(|e| d.styles[e.style].nature == Nature::Centre).expect("the point");
    assert!(matches!(&point.shape, Shape::Path { curves, .. } if curves[0].ends().0 == Point::new(3.0, 3.0)));
    assert!(d.entities.iter().any(|e| matches!(&e.shape, Shape::Text(t) if t.value == "no.7")));
}

#[test]
fn what_the_file_leans_to_is_known() {
    for (measurement, leans) in [("0", Unit::In), ("1", Unit::Mm)] {
        let d = read("t.dxf", file(&format!("9 $MEASUREMENT 70 {measurement}"), "", "", "").as_bytes()).expect("it reads");
        assert_eq!((d.units, d.leans), (FileUnits::Unsaid, Some(leans)));
    }
}

/// The same pairs in binary, with codes of one or two bytes.
fn binary(text: &str, wide: bool) -> Vec<u8> {
    let mut out = b"Some Binary DXF\r\n\x1a\x00".to_vec();
    let lines: Vec<&str> = text.lines().collect();
    for pair in lines.chunks_exact(2) {
        let (code, value): (i16, &str) = (pair[0].trim().parse().expect("a code"), pair[1]);
        if wide {
            out.extend(code.to_le_bytes())
        } else {
            out.push(code as u8)
        }
        match code {
            10..=59 => out.extend(value.trim().parse::<f64>().expect("a number").to_le_bytes()),
            60..=79 => out.extend(value.trim().parse::<i16>().expect("a number").to_le_bytes()),
            90..=99 => out.extend(value.trim().parse::<i32>().expect("a number").to_le_bytes()),
            _ => out.extend(value.bytes().chain([0])),
        }
    }
    out
}

#[test]
fn binary_files_read_as_their_text_does() {
    let text = file(
        "9 $INSUNITS 70 1",
        "0 LAYER 2 CUT 62 1 70 0",
        "",
        "0 LWPOLYLINE 8 CUT 90 3 70 1 10 0.5 20 0 10 4 20 0 42 0.3 10 4 20 3 0 CIRCLE 8 CUT 10 1 20 1 40 0.25 0 TEXT 8 CUT 10 0 20 0 40 1 1 BEE",
    );
    let plain = read("t.dxf", text.as_bytes()).expect("it reads");
    for wide in [true, false] {
        let bytes = binary(&text, wide);
        let d = read("t.dxf", &bytes).expect("it reads");
        assert_eq!((&d.entities, &d.styles, d.units, d.read), (&plain.entities, &plain.styles, plain.units, plain.read));
        assert!(read("t.dxf", &bytes[..30]).is_err(), "nothing drawn is left");
        // The outline is whole where the circle is cut off.
        let circle = bytes.windows(6).position(|w| w == b"CIRCLE").expect("it is there");
        let d = read("t.dxf", &bytes[..circle + 20]).expect("the outline reads");
        assert!(d.read == 1 && d.damage.len() == 1 && d.damage[0].contains("the middle of a CIRCLE"), "{:?}", d.damage);
    }
}

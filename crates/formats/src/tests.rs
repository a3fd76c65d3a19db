use boustrophe_core::assign::Process;
use boustrophe_core::decisions::Stock;
use boustrophe_core::drawing::{Drawing, FileUnits, Shape};
use boustrophe_core::geometry::{Bounds, Path, Point, Segment, Vec2, fit_curves};
use boustrophe_core::hold::{AreaSweep, Doing, Op, Row, SheetPath, Track};
use boustrophe_core::release;
use boustrophe_core::release::ProgramOrder;
use boustrophe_core::shop::Shop;
use proptest::prelude::*;

mod printed;
mod swept;

fn op(process: Process, path: &Path) -> Op {
    Op {
        contour: boustrophe_core::clean::ContourId(1),
        placement: 0,
        item: 0,
        process,
        doing: Doing::Line(Track { runs: vec![path.segments.clone()], ..Track::default() }),
        feed: 1200.0,
        power: 65.0,
        passes: 1,
        kerf: 0.2,
        air: true,
        ..Op::default()
    }
}

fn program(machine: usize, ops: Vec<Op>) -> String {
    let shop = Shop::builtin();
    let path = SheetPath { width: 300.0, height: 200.0, ops, ..SheetPath::default() };
    let mut text = Vec::new();
    let order =
        ProgramOrder { path: &path, machine: &shop.machines[machine], sheet: (1, 2), stock: &Stock::default(), pose: Default::default() };
    release::write(&order, &mut text).expect("written");
    String::from_utf8(text).expect("ASCII")
}

#[test]
fn the_laser_program_reads_so() {
    let rows = vec![
        Row {
            way: Vec2::new(1.0, 0.0),
            at: 10.05,
            spans: vec![(20.0, 30.0), (40.0, 50.0)],
            reach: (20.0, 50.0),
            backward: false,
            fast: Vec::new(),
        },
        Row { way: Vec2::new(1.0, 0.0), at: 10.15, spans: vec![(20.0, 50.0)], reach: (20.0, 50.0), backward: true, fast: Vec::new() },
    ];
    let sweep = Op {
        doing: Doing::Sweep(AreaSweep { rows, run_up: 15.0, ..AreaSweep::default() }),
        feed: 18000.0,
        power: 24.0,
        air: false,
        ..op(Process::Engrave, &Path::default())
    };
    let circle = op(Process::Cut, &Path::circle(Point::new(50.0, 50.0), 10.0));
    let twice = Op { passes: 2, ..op(Process::Cut, &Path::new(vec![Segment::line(Point::new(0.0, 5.0), Point::new(8.0, 5.0))], false)) };
    let expected = "\
(Boustrophe Lark sheet 1 of 2)
(birch-ply 3 mm 300 x 200 mm)
G21 G90 G17 G40 G91.1 G94
M5 S0
(1 Engrave)
G0 X5 Y10.05
M3 S0
G1 X20 Y10.05 F18000
S240
G1 X30 Y10.05
S0
G1 X40 Y10.05
S240
G1 X50 Y10.05
S0
G1 X65 Y10.05
G4 P0.01
G0 X65 Y10.15
G1 X50 Y10.15
S240
G1 X20 Y10.15
S0
G1 X5 Y10.15
G4 P0.01
M5
G4 P0.5
(2 Cut)
M8
G0 X60 Y50
M3 S650
G3 X40 Y50 I-10 J0 F1200
G3 X60 Y50 I10 J0
M5
(3 Cut)
G0 X0 Y5
M3 S650
G1 X8 Y5
M5
G0 X0 Y5
M3 S650
G1 X8 Y5
M5
M9
G0 X0 Y0
M2
";
    assert_eq!(program(0, vec![sweep, circle, twice]), expected);
}

#[test]
fn the_plasma_program_pierces_waits_and_leads() {
    let lead = Segment { start: Point::new(68.0, 44.0), end: Point::new(60.0, 50.0), bulge: 0.2 };
    let runs = vec![Path::circle(Point::new(50.0, 50.0), 10.0).segments];
    let doing = Doing::Line(Track { lead_in: vec![lead], runs, ..Track::default() });
    let circle = Op { doing, pierce: 0.8, feed: 1900.0, ..op(Process::Cut, &Path::default()) };
    let text = program(1, vec![circle]);
    let lines: Vec<&str> = text.lines().skip(5).collect();
    // Behind the pierce the torch's height is held, until it is put out.
    assert_eq!(lines[..5], ["M8", "G0 X68 Y44", "M3 S650", "G4 P1.6", "M62"], "{text}");
    assert!(lines[5].starts_with("G3 X60 Y50 I") && lines[5].ends_with("F1900"), "{text}");
    assert_eq!(lines[6..], ["G3 X40 Y50 I-10 J0", "G3 X60 Y50 I10 J0", "M63", "M5", "G4 P0.8", "M9", "G0 X0 Y0", "M2"], "{text}");
}

#[test]
fn files_are_known_by_their_content() {
    let dxf = b"0\nSECTION\n2\nENTITIES\n0\nENDSEC\n0\nEOF\n";
    assert!(crate::read("drawing.txt", dxf).is_ok());
    assert!(crate::read("drawing", br#"<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg"/>"#).is_ok());
    for (bytes, what) in [(&b"\x00\x01"[..], "binary"), (b"hello", "text")] {
        assert!(crate::read("x", bytes).expect_err("refused").to_string().contains(what));
    }
}

/// A PDF of pages with these content streams, 200 × 100 points each.
pub(crate) fn pdf(pages: &[&str]) -> Vec<u8> {
    pdf_with(pages, "")
}

/// The same with more resources on each page.
fn pdf_with(pages: &[&str], resources: &str) -> Vec<u8> {
    let mut out = b"%PDF-1.4\n".to_vec();
    let mut places = Vec::new();
    let mut object = |out: &mut Vec<u8>, body: &str| {
        places.push(out.len());
        out.extend(format!("{} 0 obj\n{body}\nendobj\n", places.len()).bytes());
    };
    let kids: Vec<String> = (0..pages.len()).map(|i| format!("{} 0 R", 4 + i * 2)).collect();
    object(&mut out, "<< /Type /Catalog /Pages 2 0 R >>");
    object(&mut out, &format!("<< /Type /Pages /Kids [{}] /Count {} >>", kids.join(" "), pages.len()));
    object(&mut out, "<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>");
    for (i, content) in pages.iter().enumerate() {
        let page = format!(
            "<< /Type /Page /Parent 2 0 R /MediaBox [0 0 200 100] /Contents {} 0 R /Resources << /Font << /F1 3 0 R >> {resources} >> >>",
            5 + i * 2
        );
        object(&mut out, &page);
        object(&mut out, &format!("<< /Length {} >>\nstream\n{content}\nendstream", content.len()));
    }
    let xref = out.len();
    out.extend(format!("xref\n0 {}\n0000000000 65535 f \n", places.len() + 1).bytes());
    places.iter().for_each(|p| out.extend(format!("{p:010} 00000 n \n").bytes()));
    out.extend(format!("trailer << /Size {} /Root 1 0 R >>\nstartxref\n{xref}\n%%EOF\n", places.len() + 1).bytes());
    out
}

fn bounds(d: &Drawing, i: usize) -> Bounds {
    let Shape::Path { curves, .. } = &d.entities[i].shape else { panic!("a text") };
    fit_curves(curves, 0.01).iter().fold(Bounds::EMPTY, |b, s| b.union(s.bounds()))
}

#[test]
fn a_pdf_gives_its_lines_by_page_in_points() {
    let first = "1 0 0 RG 0.5 w 10 20 60 30 re S q 1 0 0 1 100 0 cm 0 0 m 20 0 l 20 20 l h f Q 1 1 1 rg 0 0 200 100 re f";
    let second = "0 0 50 50 re W n 0 G 10 10 m 40 10 l S 150 10 m 180 10 l S";
    let d = crate::read("plan.pdf", &pdf(&[first, second])).expect("it reads");
    assert!(matches!(d.units, FileUnits::Scale(mm) if (mm - 25.4 / 72.0).abs() < 1e-12));
    assert_eq!((d.pages.len(), d.read), (2, 3), "{:?}", d.skipped);
    let b = bounds(&d, 0);
    assert!((b.min.x - 10.0).abs() < 1e-4 && (b.min.y - 20.0).abs() < 1e-4 && (b.width() - 60.0).abs() < 1e-4, "y points up: {b:?}");
    let style = &d.styles[d.entities[0].style];
    assert_eq!((style.stroke, style.layer.as_str(), style.width), (Some([255, 0, 0]), "page 1", 176));
    assert!((bounds(&d, 1).min.x - 100.0).abs() < 1e-4 && d.styles[d.entities[1].style].fill == Some([0, 0, 0]));
    assert!(d.pages[1].has(bounds(&d, 2).min), "the second page lies beside the first");
    assert_eq!((d.skipped.get("path outside its clip"), d.skipped.get("white or invisible area")), (Some(&1), Some(&1)));
}

/// Ligatures and words that a writer shows by themselves are one line; what stands apart, lower or larger is another.
#[test]
fn writing_shown_in_pieces_is_one_line() {
    let shown = "BT /F1 12 Tf 20 30 Td (2 o) Tj ET BT /F1 12 Tf 33.6 30 Td (ff) Tj ET BT /F1 12 Tf 120 30 Td (QTY) Tj ET BT /F1 12 Tf 148 30 Td (4) Tj ET \
                 BT /F1 12 Tf 20 90 Td (rail) Tj ET BT /F1 12 Tf 20 76 Td (x3) Tj ET BT /F1 18 Tf 34 76 Td (A) Tj ET";
    let d = crate::read("plan.pdf", &pdf(&[shown])).expect("it reads");
    let lines: Vec<&str> =
        d.entities.iter().filter_map(|e| if let Shape::Text(t) = &e.shape { Some(t.value.as_str()) } else { None }).collect();
    assert_eq!(lines, ["2 off", "QTY 4", "rail", "x3", "A"]);
}

#[test]
fn writing_in_a_pdf_stays_readable() {
    let d = crate::read("plan.pdf", &pdf(&["BT /F1 12 Tf 20 30 Td (Shelf 3x) Tj ET"])).expect("it reads");
    if let Some(Shape::Text(t)) = d.entities.first().map(|e| &e.shape) {
        assert_eq!(t.value.trim(), "Shelf 3x");
        assert!(t.at.distance(Point::new(20.0, 30.0)) < 1e-3 && (t.height - 8.4).abs() < 1.0, "{t:?}");
    } else {
        // Without the font's glyphs there is nothing to place; it must at least not be cut.
        assert!(d.entities.is_empty());
    }
}

#[test]
fn damaged_pdfs_are_told() {
    let whole = pdf(&["0 0 m 10 10 l S"]);
    for bytes in [&b"%PDF-1.4"[..], b"%PDF-1.7\n%%EOF", &whole[..20]] {
        assert!(crate::read("x.pdf", bytes).expect_err("refused").to_string().contains("damaged"));
    }
}

#[test]
fn a_pdf_that_was_cut_off_says_so_and_gives_the_pages_that_are_there() {
    let whole = pdf(&["0 0 m 10 10 l S", "0 0 m 20 10 l S 0 1 m 20 11 l S", "0 0 m 30 10 l S"]);
    assert!(crate::read("x.pdf", &whole).expect("it reads").damage.is_empty());
    for share in [45, 60, 75] {
        let Ok(d) = crate::read("x.pdf", &whole[..whole.len() * share / 100]) else { panic!("at {share} %") };
        let missing = 3 - d.pages.len();
        assert_eq!(d.damage.len(), 1, "{share} %");
        assert!(
            d.read >= 1 && d.damage[0].contains("3 pages") || missing == 0 && d.damage[0].contains("cut off"),
            "{share} %: {:?}",
            d.damage
        );
    }
    // Whole to look at, but a page of its list is nowhere.
    let text = String::from_utf8(whole).expect("plain").replace("/Count 3", "/Count 5");
    let d = crate::read("x.pdf", text.as_bytes()).expect("it reads");
    assert!(d.damage[0].contains("5 pages, but only 3 pages"), "{:?}", d.damage);
}

#[test]
fn a_jpeg_that_was_cut_off_says_how_much_is_missing() {
    let picture = image::GrayImage::from_fn(160, 120, |x, y| image::Luma([((x * 7 + y * 13 + x * y / 5) % 251) as u8]));
    let mut whole = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut whole, image::ImageFormat::Jpeg).expect("written");
    let whole = whole.into_inner();
    assert!(crate::read("bee.jpg", &whole).expect("it reads").damage.is_empty());
    // Others write behind its end.
    assert!(crate::read("bee.jpg", &[&whole[..], b"\0\0some note"].concat()).expect("it reads").damage.is_empty());
    let d = crate::read("bee.jpg", &whole[..whole.len() * 35 / 100]).expect("what is there is read");
    let percent: f64 = d.damage[0].split_whitespace().find_map(|w| w.parse().ok()).expect("a figure");
    assert!((50.0..80.0).contains(&percent), "{:?}", d.damage);
    let bitmap = d.bitmap.expect("a picture");
    let same = bitmap.grey[..160 * 8].iter().zip(picture.as_raw()).filter(|(a, b)| a.abs_diff(**b) < 60).count();
    assert!(same > 900, "the top is there: {same} of {}", 160 * 8);
}

/// A box as ASCII STL: 12 triangles.
pub(crate) fn box_stl(w: f64, d: f64, h: f64) -> String {
    let v = |i: usize| [if i & 1 == 1 { w } else { 0.0 }, if i & 2 == 2 { d } else { 0.0 }, if i & 4 == 4 { h } else { 0.0 }];
    let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let mut out = "solid box\n".to_owned();
    for q in quads {
        for t in [[q[0], q[1], q[2]], [q[0], q[2], q[3]]] {
            out.push_str("facet normal 0 0 0\nouter loop\n");
            t.map(v).iter().for_each(|p| out.push_str(&format!("vertex {} {} {}\n", p[0], p[1], p[2])));
            out.push_str("endloop\nendfacet\n");
        }
    }
    out + "endsolid box\n"
}

#[test]
fn the_faces_of_a_box_are_laid_flat_by_kind() {
    let d = crate::read("box.stl", box_stl(60.0, 40.0, 25.0).as_bytes()).expect("it reads");
    assert_eq!((d.units, d.read), (FileUnits::Unsaid, 6));
    let faces: Vec<(&str, Bounds)> = d
        .entities
        .iter()
        .enumerate()
        .filter(|(_, e)| d.styles[e.style].layer.starts_with("face"))
        .map(|(i, e)| (d.styles[e.style].layer.as_str(), bounds(&d, i)))
        .collect();
    assert_eq!(faces.len(), 6);
    assert!(faces[0].0.starts_with("face A × 2, 60.00 × 40.00"), "{}", faces[0].0);
    for (i, (_, a)) in faces.iter().enumerate() {
        assert!(faces[..i].iter().all(|(_, b)| !a.meets(b)), "none lies on another");
    }
    // Twelve edges, each numbered on both its faces.
    let numbers = d.entities.iter().filter(|e| d.styles[e.style].layer == "edge numbers").count();
    assert!(numbers >= 24, "{numbers}");
    // The same in binary.
    let mut binary = vec![0_u8; 80];
    binary.extend(1_u32.to_le_bytes());
    [0.0_f32, 0.0, 1.0, 0.0, 0.0, 0.0, 30.0, 0.0, 0.0, 0.0, 20.0, 0.0].iter().for_each(|v| binary.extend(v.to_le_bytes()));
    binary.extend([0, 0]);
    let d = crate::read("corner.stl", &binary).expect("it reads");
    assert_eq!(d.read, 1);
    assert!(crate::read("bad.stl", b"solid nothing\nendsolid").is_err() && crate::read("bad.stl", &binary[..100]).is_err());
}

/// A picture as PNG.
pub(crate) fn png(width: u32, height: u32, dark: impl Fn(u32, u32) -> bool) -> Vec<u8> {
    let picture = image::GrayImage::from_fn(width, height, |x, y| image::Luma([if dark(x, y) { 20 } else { 240 }]));
    let mut out = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut out, image::ImageFormat::Png).expect("written");
    out.into_inner()
}

#[test]
fn pictures_are_grey_levels_with_transparent_paper() {
    let d = crate::read("bee.png", &png(40, 30, |x, y| x < 10 && y < 5)).expect("it reads");
    let b = d.bitmap.as_ref().expect("a picture");
    assert_eq!((b.width, b.height, b.grey[0], b.grey[39]), (40, 30, 20, 240));
    assert_eq!(d.units, FileUnits::Pixels);
    let whole = png(40, 30, |_, _| true);
    assert!(crate::read("half.png", &whole[..whole.len() / 2]).is_err());
    assert!(crate::read("fake.jpg", &[0xff, 0xd8, 0xff, 0xe0, 1, 2, 3]).is_err());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// Every reader answers whatever comes, and what it cannot read it names.
    #[test]
    fn mutilated_files_are_answered(kind in 0..4_usize, edits in prop::collection::vec((any::<u16>(), any::<u8>()), 0..10), cut in any::<u16>()) {
        let (name, mut bytes) = match kind {
            0 => ("plan.pdf", pdf(&["1 0 0 RG 10 20 60 30 re S BT /F1 12 Tf 20 30 Td (x) Tj ET"])),
            1 => ("box.stl", box_stl(3.0, 4.0, 5.0).into_bytes()),
            2 => ("bee.png", png(16, 12, |x, y| x > y)),
            _ => ("plan.pdf", pdf(&["q 0 0 50 50 re W n 0 0 m 1 2 3 4 5 6 c f Q", "/OC /x BDC 1 w EMC"])),
        };
        let n = bytes.len();
        for (at, byte) in edits {
            bytes[usize::from(at) % n] = byte;
        }
        bytes.truncate(n - usize::from(cut) % n / 4);
        if let Err(told) = crate::read(name, &bytes) {
            prop_assert!(told.to_string().to_lowercase().contains(name), "{}", told);
        }
    }
}

#[test]
fn pictures_in_a_pdf_are_taken_and_clipped_lines_end_at_their_clip() {
    let inline = "q 40 0 0 20 30 50 cm BI /W 2 /H 2 /CS /G /BPC 8 /F /AHx ID 0000FFFF> EI Q";
    let d = crate::read("plan.pdf", &pdf(&[inline])).expect("it reads");
    let Some(Shape::Picture(p)) = d.entities.first().map(|e| &e.shape) else { panic!("a picture: {:?}", d.skipped) };
    assert_eq!((p.bitmap.width, p.bitmap.grey.clone()), (2, vec![0, 0, 255, 255]), "the upper row is black");
    assert!(
        (p.place * Point::new(0.0, 0.0)).distance(Point::new(30.0, 50.0)) < 1e-3
            && (p.place * Point::new(1.0, 1.0)).distance(Point::new(70.0, 70.0)) < 1e-3
    );
    let d = crate::read("plan.pdf", &pdf(&["q 0 0 50 50 re W n 0 G 10 10 m 90 10 l S 20 20 60 10 re f Q"])).expect("it reads");
    assert!((bounds(&d, 0).max.x - 50.0).abs() < 1e-3, "the line ends at the clip");
    let area = bounds(&d, 1);
    assert!((area.width() - 30.0).abs() < 1e-3 && (area.height() - 10.0).abs() < 1e-3, "and so does the area");
}

#[test]
fn optional_content_of_a_pdf_is_its_layer() {
    let content = "/OC /Cuts BDC 10 20 m 60 20 l S EMC 10 40 m 60 40 l S";
    let d = crate::read("plan.pdf", &pdf_with(&[content], "/Properties << /Cuts << /Type /OCG /Name (Cut lines) >> >>")).expect("it reads");
    let layers: Vec<&str> = d.entities.iter().map(|e| d.styles[e.style].layer.as_str()).collect();
    assert_eq!(layers, ["Cut lines", "page 1"]);
}

use super::{WriteGroup, path_data, read, write};
use boustrophe_core::drawing::{Drawing, FileUnits, Shape, Unit};
use boustrophe_core::geometry::{Bounds, Curve, Path, Point, Segment, fit_curves};
use proptest::prelude::*;

fn page(attributes: &str, body: &str) -> Drawing {
    let text = format!(r#"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" {attributes}>{body}</svg>"#);
    read("t.svg", text.as_bytes()).expect("it reads")
}

fn mm(body: &str) -> Drawing {
    page(r#"width="100mm" height="50mm" viewBox="0 0 100 50""#, body)
}

fn segments(d: &Drawing, i: usize) -> Vec<Segment> {
    match &d.entities[i].shape {
        Shape::Path { curves, .. } => fit_curves(curves, 0.01),
        other => panic!("{other:?}"),
    }
}

fn bounds(d: &Drawing, i: usize) -> Bounds {
    segments(d, i).iter().fold(Bounds::EMPTY, |b, s| b.union(s.bounds()))
}

fn is(b: Bounds, x0: f64, y0: f64, x1: f64, y1: f64) -> bool {
    [b.min.x - x0, b.min.y - y0, b.max.x - x1, b.max.y - y1].iter().all(|d| d.abs() < 1e-6)
}

#[test]
fn the_page_gives_the_size() {
    let rect = r#"<rect x="10" y="5" width="20" height="10" stroke="red" fill="none"/>"#;
    let d = mm(rect);
    assert_eq!(d.units, FileUnits::Known(Unit::Mm));
    assert!(is(bounds(&d, 0), 10.0, 35.0, 30.0, 45.0), "y up: {:?}", bounds(&d, 0));
    let d = page(r#"width="4in" height="2in" viewBox="0 0 400 200""#, rect);
    assert!(is(bounds(&d, 0), 2.54, 50.8 - 15.0 * 0.254, 7.62, 50.8 - 5.0 * 0.254));
    let d = page(r#"width="200" height="100" viewBox="0 0 100 50""#, rect);
    assert_eq!(d.units, FileUnits::Pixels);
    assert!(is(bounds(&d, 0), 20.0, 70.0, 60.0, 90.0));
    // The viewBox is fitted into the middle of a wider page, unless it says otherwise.
    let d = page(r#"width="200mm" height="50mm" viewBox="0 0 100 50""#, rect);
    assert!(is(bounds(&d, 0), 60.0, 35.0, 80.0, 45.0));
    let d = page(r#"width="200mm" height="50mm" viewBox="0 0 100 50" preserveAspectRatio="none""#, rect);
    assert!(is(bounds(&d, 0), 20.0, 35.0, 60.0, 45.0));
    let d = page(r#"width="200mm" height="50mm" viewBox="0 0 100 50" preserveAspectRatio="xMinYMin""#, rect);
    assert!(is(bounds(&d, 0), 10.0, 35.0, 30.0, 45.0));
}

#[test]
fn circles_and_arcs_stay_arcs() {
    let d = mm(
        r#"<g stroke="black" fill="none"><circle cx="50" cy="25" r="10"/><path d="M10 10 A5 5 0 0 1 20 10"/><rect x="0" y="0" width="30" height="20" rx="4"/><ellipse cx="50" cy="25" rx="10" ry="10"/></g>"#,
    );
    assert_eq!(segments(&d, 0).len(), 2);
    assert_eq!(segments(&d, 1).len(), 1);
    assert!((segments(&d, 1)[0].radius() - 5.0).abs() < 1e-9);
    assert_eq!(segments(&d, 2).iter().filter(|s| !s.is_line()).count(), 4, "round corners");
    assert_eq!(segments(&d, 3).len(), 2, "an even ellipse is a circle");
    let turned = mm(r#"<circle cx="10" cy="0" r="3" stroke="black" transform="translate(40 25) rotate(30) scale(2)"/>"#);
    assert_eq!(segments(&turned, 0).len(), 2);
    assert!((segments(&turned, 0)[0].radius() - 6.0).abs() < 1e-9);
}

#[test]
fn looks_come_from_attributes_styles_sheets_and_groups() {
    let d = mm(r##"<style>.c{stroke:#e4002b;fill:none} #b{stroke:blue} rect.k{stroke:lime}</style>
        <g id="engrave" fill="#333" stroke="none"><path d="M0 0h5v5z"/><path style="fill:none;stroke:rgb(1,2,3)" d="M0 0h5v5z"/></g>
        <rect class="c" width="4" height="4"/><rect id="b" fill="none" width="4" height="4"/><rect class="c k" width="4" height="4"/>
        <g style="display:none"><rect class="c" width="4" height="4"/></g><rect class="c" visibility="hidden" width="4" height="4"/>
        <rect fill="none" width="4" height="4"/>"##);
    let style = |i: usize| &d.styles[d.entities[i].style];
    assert_eq!((style(0).fill, style(0).stroke, style(0).layer.as_str()), (Some([0x33; 3]), None, "engrave"));
    assert_eq!((style(1).fill, style(1).stroke), (None, Some([1, 2, 3])));
    assert_eq!(style(2).stroke, Some([0xe4, 0, 0x2b]));
    assert_eq!(style(3).stroke, Some([0, 0, 255]));
    assert_eq!(style(4).stroke, Some([0, 255, 0]), "the narrower selector wins");
    assert!(style(5).hidden);
    assert_eq!((d.entities.len(), d.read, d.skipped.values().sum::<usize>()), (6, 6, 1), "what has neither line nor fill draws nothing");
}

#[test]
fn references_are_drawn_where_they_point() {
    let d = mm(
        r##"<defs><rect id="r" width="4" height="2" stroke="black"/><symbol id="s" viewBox="0 0 10 10"><circle cx="5" cy="5" r="5" stroke="black"/></symbol></defs>
        <use href="#r" x="10" y="20"/><use xlink:href="#s" x="50" y="20" width="20" height="20"/><use href="#gone"/>
        <g id="loop"><use href="#loop"/></g>"##,
    );
    assert!(is(bounds(&d, 0), 10.0, 28.0, 14.0, 30.0));
    assert!(is(bounds(&d, 1), 50.0, 10.0, 70.0, 30.0));
    assert!(d.skipped.keys().any(|k| k.contains("not in the file")), "{:?}", d.skipped);
    assert!(d.broken.iter().any(|b| b.contains("perhaps in itself")), "{:?}", d.broken);
}

#[test]
fn paths_follow_the_grammar() {
    let d = mm(r#"<path fill="none" stroke="black" d="M10,10 h10 v5 H10z m0 20 l5 0 c0 2 2 4 4 4 s4-2 4-4 q2 4 4 0 t4 0 L40-1"/>"#);
    assert_eq!(d.entities.len(), 2);
    assert!(
        matches!(d.entities[0].shape, Shape::Path { closed: true, .. }) && matches!(d.entities[1].shape, Shape::Path { closed: false, .. })
    );
    let end = segments(&d, 1).last().map(|s| s.end).expect("an end");
    assert!(end.distance(Point::new(40.0, 51.0)) < 1e-6);
    let broken = mm(r#"<path stroke="black" d="M10 10 L20"/>"#);
    assert_eq!((broken.read, broken.broken.len()), (0, 1));
}

#[test]
fn texts_become_outlines_where_they_stand_and_it_is_said() {
    let d =
        mm(r#"<text x="10" y="40" font-size="10">HI</text><text x="50" y="20" font-size="10" text-anchor="middle" fill="red">O</text>"#);
    assert_eq!((d.read, d.remarks.len()), (2, 1));
    assert!(d.remarks[0].starts_with("2 texts were set"));
    // A letter may be of several outlines; the two texts differ in their fill.
    let all = |fill: [u8; 3]| {
        let mine = (0..d.entities.len()).filter(|i| d.styles[d.entities[*i].style].fill == Some(fill));
        mine.map(|i| bounds(&d, i)).fold(Bounds::EMPTY, Bounds::union)
    };
    let (hi, o) = (all([0; 3]), all([255, 0, 0]));
    assert!((hi.min.y - 10.0).abs() < 0.1 && (hi.height() - 7.0).abs() < 0.15 && hi.min.x >= 10.0 && hi.max.x < 25.0, "{hi:?}");
    assert!((o.center().x - 50.0).abs() < 0.3, "about its middle: {o:?}");
    assert!(d.styles.iter().all(|s| s.text && s.stroke.is_none()));
}

/// Lines of a text stand each in its own place, by the word that says what of it does; and what they say is known.
#[test]
fn lines_of_a_text_stand_in_their_places_and_can_be_read() {
    let d = mm(
        r#"<style>.m{text-anchor:middle}</style><text class="m" y="20" font-size="10"><tspan x="50">one</tspan><tspan x="50" dy="1.2em">two <tspan dy="-3" font-size="6">3</tspan></tspan></text>
        <text x="90" y="60" style="font: bold 10pt/1.5 serif; text-anchor: end; dominant-baseline: central">end</text>
        <text x="10" y="80" font-size="200%">   </text><text style="font-size:4mm" transform="translate(10 90) rotate(-90)">up</text>"#,
    );
    let said: Vec<(&str, f64, f64, i64)> = d
        .lettered
        .iter()
        .map(|t| {
            (t.value.as_str(), (t.middle().x * 2.0).round() / 2.0, (t.at.y * 100.0).round() / 100.0, t.angle.to_degrees().round() as i64)
        })
        .collect();
    let pt = 10.0 * 96.0 / 72.0;
    let low = -10.0 - 0.35 * pt;
    assert_eq!(said[..2], [("one", 50.0, 30.0, 0), ("two 3", 50.0, 18.0, 0)]);
    assert!(
        said[2].0 == "end" && (said[2].2 - low).abs() < 0.01 && (d.lettered[2].at.x + d.lettered[2].width() - 90.0).abs() < 1e-6,
        "{said:?}"
    );
    assert!(said[3].0 == "up" && said[3].3 == 90 && (d.lettered[3].height - 0.7 * 4.0 * 96.0 / 25.4).abs() < 1e-9, "{said:?}");
    assert_eq!((d.read, d.skipped.get("text without letters")), (3, Some(&1)));
    // A writer that places every word leaves one line.
    let words = mm(
        r#"<text font-size="6"><tspan x="20" y="40">6</tspan><tspan x="25" y="40">off</tspan><tspan x="70" y="40">x</tspan><tspan x="73.4" y="40">4</tspan></text>"#,
    );
    let said: Vec<&str> = words.lettered.iter().map(|t| t.value.as_str()).collect();
    assert_eq!(said, ["6 off", "x4"]);
    assert!(words.entities.iter().all(|e| words.lettered.iter().any(|t| t.compound == e.compound)));
    let far = mm(r#"<text x="1e300" y="4">far</text><text font-size="1e300px">large</text><rect width="5" height="5" stroke="black"/>"#);
    assert_eq!((far.read, far.broken.len(), far.lettered.len()), (1, 2, 0), "{:?}", far.broken);
    // Its letters are where it says that they are.
    for t in &d.lettered {
        let own = (0..d.entities.len()).filter(|i| d.entities[*i].compound == t.compound).map(|i| bounds(&d, i));
        let own = own.fold(Bounds::EMPTY, Bounds::union);
        let away = own.center().distance(t.middle());
        assert!(away < 0.5 * t.height.max(0.4 * t.width()), "{}: {own:?} {:?}", t.value, t.middle());
    }
}

/// Letters along a half circle stand on it upright, each at its own middle; those beyond its end are told. Truth by the circle alone.
#[test]
fn letters_on_a_path_follow_it() {
    let arc = r##"<path id="way" fill="none" d="M10 50A40 40 0 0 1 90 50"/>"##;
    let text = |attributes: &str, words: &str| mm(&format!(r##"<defs>{arc}</defs><text font-size="6" {attributes}>{words}</text>"##));
    // Where each letter's foot and head are, from the circle's middle: the page's y points down, the drawing's up.
    let middle = Point::new(50.0, 0.0);
    let letters = |d: &Drawing| -> Vec<(f64, f64, f64)> {
        (0..d.entities.len())
            .map(|i| {
                let points: Vec<Point> = segments(d, i).iter().map(|s| s.start).collect();
                let radii = points.iter().map(|p| p.distance(middle));
                let (near, far) = radii.fold((f64::MAX, 0.0_f64), |(a, b), r| (a.min(r), b.max(r)));
                let at = bounds(d, i).center() - middle;
                (near, far, at.y.atan2(at.x).to_degrees())
            })
            .collect()
    };
    let half = text("", r##"<textPath href="#way" startOffset="50%" text-anchor="middle">IIIII</textPath>"##);
    let set = letters(&half);
    assert_eq!(set.len(), 5, "{:?}", half.skipped);
    for (near, far, _) in &set {
        assert!((near - 40.0).abs() < 0.05 && (far - 44.2).abs() < 0.15, "foot on the circle, head outside it: {near} {far}");
    }
    assert!((set[2].2 - 90.0).abs() < 0.1, "the middle one at the top: {set:?}");
    for k in 0..2 {
        assert!((set[k].2 + set[4 - k].2 - 180.0).abs() < 0.1 && set[k].2 > set[k + 1].2 + 1.0, "from left to right, alike on both sides");
    }
    // So far along it as is said: 10 of 125.7 mm are 14.3 degrees.
    let begun = letters(&text("", r##"<textPath href="#way" startOffset="10">I</textPath>"##));
    let own = letters(&text("", r##"<textPath href="#way">I</textPath>"##));
    assert!((own[0].2 - begun[0].2 - (10.0_f64 / 40.0).to_degrees()).abs() < 0.05, "{own:?} {begun:?}");
    let long = text("", r##"<textPath href="#way" startOffset="120">IIIIIIII</textPath>"##);
    assert!(long.entities.len() < 8 && long.skipped.contains_key("letter beyond the end of its path"), "{:?}", long.skipped);
    // What it names and is not there sets nothing on a path, and is not lost in silence.
    let lost = text("x='10' y='20'", r##"<textPath href="#gone">II</textPath>"##);
    assert!(!lost.entities.is_empty() || !lost.broken.is_empty() || !lost.skipped.is_empty(), "{lost:?}");
}

/// A value that nobody can read takes nothing along of what stands behind it, in a style or in a sheet.
#[test]
fn strange_values_take_nothing_along() {
    let d = mm(r##"<style>/* .a{fill:lime} */ @media print { .b{ fill: red } }
        .a { font: 12px/1.5 "a;b", serif; --gap: 1/2; fill: none; stroke: #00f !important } .b{filter:progid:x.y(z=1)/2;fill:none;stroke:lime}</style>
        <path class="a" d="M0 0h10v10z"/><path style="font:12px/1.2 'x;y';background:url(data:a;b);fill:none;stroke:red" d="M0 20h10v10z"/>"##);
    let looks: Vec<_> = d.entities.iter().map(|e| (d.styles[e.style].stroke, d.styles[e.style].fill)).collect();
    assert_eq!(looks, [(Some([0, 0, 255]), None), (Some([255, 0, 0]), None)]);
    let d = mm(r##"<style>.b{filter:progid:x.y(z=1)/2;fill:none;stroke:lime}</style><path class="b" d="M0 0h10v10z"/>"##);
    assert_eq!((d.styles[0].stroke, d.styles[0].fill), (Some([0, 255, 0]), None));
}

#[test]
fn scripts_and_bombs_do_nothing() {
    let d = mm(r#"<script>alert(1)</script><rect width="5" height="5" stroke="black" onclick="x()"/>"#);
    assert_eq!((d.read, d.skipped.get("script")), (1, Some(&1)));
    let bomb = r#"<!DOCTYPE s [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;&b;&b;"><!ENTITY d "&c;&c;&c;&c;&c;&c;&c;&c;&c;&c;"><!ENTITY e "&d;&d;&d;&d;&d;&d;&d;&d;&d;&d;"><!ENTITY f "&e;&e;&e;&e;&e;&e;&e;&e;&e;&e;">]><svg xmlns="http://www.w3.org/2000/svg"><text>&f;</text></svg>"#;
    assert!(read("bomb.svg", bomb.as_bytes()).is_err());
    for text in ["<svg", "<html></html>", "\u{1}", "<svg xmlns='http://www.w3.org/2000/svg'><g></svg>"] {
        assert!(read("t.svg", text.as_bytes()).is_err(), "{text}");
    }
}

#[test]
fn a_sheet_is_written_as_expected() {
    let ring = [Path::rectangle(10.0, 5.0, 20.0, 10.0), Path::circle(Point::new(20.0, 10.0), 2.5)];
    let text = write(
        100.0,
        50.0,
        &[
            WriteGroup { name: "engrave", stroke: "#8a5a2b", filled: true, paths: ring.to_vec() },
            WriteGroup { name: "cut", stroke: "#22292b", filled: false, paths: ring.to_vec() },
        ],
    );
    let expected = r##"<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="50mm" viewBox="0 0 100 50">
<g id="engrave" fill="#8a5a2b" fill-rule="evenodd" stroke="none">
<path d="M10 45L30 45L30 35L10 35Z M22.5 40A2.5 2.5 0 0 0 17.5 40A2.5 2.5 0 0 0 22.5 40Z"/>
</g>
<g id="cut" fill="none" stroke="#22292b" stroke-width="0.1">
<path d="M10 45L30 45L30 35L10 35Z"/>
<path d="M22.5 40A2.5 2.5 0 0 0 17.5 40A2.5 2.5 0 0 0 22.5 40Z"/>
</g>
</svg>
"##;
    assert_eq!(text, expected);
}

proptest! {
    #[test]
    fn what_is_written_reads_back_the_same(points in prop::collection::vec((0.0..400.0_f64, 0.0..300.0_f64, prop_oneof![Just(0.0), -1.5..1.5_f64]), 3..12)) {
        let n = points.len();
        let at = |i: usize| Point::new(points[i % n].0, points[i % n].1);
        let path = Path::new((0..n).map(|i| Segment { start: at(i), end: at(i + 1), bulge: points[i].2 }).collect(), true);
        let text = write(400.0, 300.0, &[WriteGroup { name: "cut", stroke: "#22292b", filled: false, paths: vec![path.clone()] }]);
        let d = read("t.svg", text.as_bytes()).expect("it reads");
        prop_assert!(!path_data(&path, 300.0).contains("NaN"));
        let back = Path::new(segments(&d, 0), true);
        prop_assert!((back.length() - path.length()).abs() < 0.001 * n as f64);
        for s in &path.segments {
            prop_assert!(back.nearest(s.at(0.3)).distance < 0.001);
        }
    }

    /// Whatever the bytes, there is an answer.
    #[test]
    fn nothing_panics(cut in 0..6000_usize, edits in prop::collection::vec((0..6000_usize, any::<u8>()), 0..12)) {
        let mut bytes = include_bytes!("../../../../demo/honey-sign.svg").to_vec();
        let n = bytes.len();
        for (at, byte) in edits {
            bytes[at % n] = byte;
        }
        let _ = read("t.svg", &bytes[..n - cut.min(n)]);
    }
}

/// A 4 × 2 picture, black on its left half, as data for an `image`.
fn embedded() -> String {
    use base64::Engine;
    let bytes = crate::tests::png(4, 2, |x, _| x < 2);
    format!("data:image/png;base64,{}", base64::engine::general_purpose::STANDARD.encode(bytes))
}

#[test]
fn clip_paths_are_honoured_in_every_way_they_are_named() {
    let clip = r#"<defs><clipPath id="k"><rect width="10" height="10"/></clipPath><clipPath id="half" clipPathUnits="objectBoundingBox"><rect width="0.5" height="1"/></clipPath>
        <clipPath id="ring" clip-path="url(#k)"><circle cx="10" cy="10" r="5"/></clipPath></defs>"#;
    let line = r#"<line x1="-5" y1="5" x2="25" y2="5" stroke="red"/>"#;
    let length = |attributes: &str, style: &str| {
        let d = mm(&format!(r#"{clip}<style>.c {{ clip-path: url(#k) }}</style><g {attributes}><g {style}>{line}</g></g>"#));
        d.entities
            .iter()
            .filter_map(|e| {
                if let Shape::Path { curves, .. } = &e.shape {
                    Some(curves.iter().map(|c| c.ends().0.distance(c.ends().1)).sum::<f64>())
                } else {
                    None
                }
            })
            .sum::<f64>()
    };
    let near = |a: f64, b: f64| (a - b).abs() < 1e-3;
    assert!(near(length("", ""), 30.0));
    assert!(
        near(length(r#"clip-path="url(#k)""#, ""), 10.0)
            && near(length(r#"class="c""#, ""), 10.0)
            && near(length("", r#"style="clip-path:url('#k')""#), 10.0)
    );
    assert!(near(length(r#"clip-path="url(#k)" transform="translate(-8 0)""#, ""), 10.0), "the clip moves with its element");
    assert!(near(length(r#"clip-path="url(#ring)""#, ""), 0.0), "a clip that is clipped");
    let d = mm(&format!(r#"{clip}<rect x="0" y="0" width="20" height="6" clip-path="url(#half)"/>"#));
    let Shape::Path { curves, closed: true } = &d.entities[0].shape else { panic!("an outline") };
    let xs: Vec<f64> = curves.iter().map(|c| c.ends().0.x).collect();
    assert!(near(xs.iter().copied().fold(f64::NEG_INFINITY, f64::max) - xs.iter().copied().fold(f64::INFINITY, f64::min), 10.0));
    let d = mm(&format!(
        r#"{clip}<line x1="15" y1="15" x2="25" y2="25" stroke="red" clip-path="url(#k)"/><line x1="0" y1="0" x2="1" y2="1" stroke="red" clip-path="url(#nowhere)" mask="url(#m)"/>"#
    ));
    assert_eq!(
        (d.read, d.skipped.get("what its clip hides"), d.skipped.get("clip path that is not in the file"), d.skipped.get("mask")),
        (1, Some(&1), Some(&1), Some(&1))
    );
}

#[test]
fn pictures_in_a_drawing_lie_where_they_were_put() {
    let d = mm(&format!(
        r#"<g transform="translate(10 20)"><image x="5" y="5" width="40" height="40" href="{}"/></g><image href="elsewhere.png" width="3" height="3"/><image href="data:image/png;base64,AAAA" width="3" height="3"/>"#,
        embedded()
    ));
    assert_eq!((d.read, d.skipped.get("picture in a file of its own"), d.broken.len()), (1, Some(&1), 1));
    let Shape::Picture(p) = &d.entities[0].shape else { panic!("a picture") };
    assert_eq!((p.bitmap.width, p.bitmap.height, p.bitmap.grey[0], p.bitmap.grey[3]), (4, 2, 20, 240));
    // Twice as wide as high, it lies in the middle of its square frame; the page of these tests is 50 high.
    let corner = |x: f64, y: f64| p.place * Point::new(x, y);
    assert!(
        corner(0.0, 0.0).distance(Point::new(15.0, 50.0 - 55.0)) < 1e-9 && corner(1.0, 1.0).distance(Point::new(55.0, 50.0 - 35.0)) < 1e-9,
        "{:?}",
        corner(0.0, 0.0)
    );
    assert_eq!(d.styles[d.entities[0].style].nature, boustrophe_core::drawing::Nature::Picture);
}

#[test]
fn shares_of_the_page_are_lengths() {
    let d = crate::read("x.svg", br##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><rect x="10%" y="10%" width="50%" height="50%" stroke="#000" fill="none"/></svg>"##).expect("it reads");
    let Shape::Path { curves, .. } = &d.entities[0].shape else { panic!("an outline") };
    let b = curves.iter().map(Curve::bounds).fold(Bounds::EMPTY, Bounds::union);
    assert!((b.width() - 100.0).abs() < 1e-9 && (b.height() - 50.0).abs() < 1e-9 && (b.min.x - 20.0).abs() < 1e-9);
}

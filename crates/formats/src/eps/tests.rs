use crate::ReadError;
use crate::eps::read;
use boustrophe_core::drawing::{Drawing, Shape};
use boustrophe_core::geometry::{Bounds, Point};
use proptest::prelude::*;

fn ok(body: &str) -> Drawing {
    read("a.eps", format!("%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 100 100\n{body}\nshowpage\n%%EOF\n").as_bytes())
        .unwrap_or_else(|e| panic!("{e}"))
}

fn refused(body: &str) -> String {
    read("a.eps", format!("%!PS\n{body}\n").as_bytes()).expect_err("refused").to_string()
}

/// Boxes of what is drawn, in points.
fn boxes(d: &Drawing) -> Vec<[f64; 4]> {
    let of = |s: &Shape| match s {
        Shape::Path { curves, .. } => curves.iter().map(boustrophe_core::geometry::Curve::bounds).fold(Bounds::EMPTY, Bounds::union),
        _ => Bounds::EMPTY,
    };
    d.entities.iter().map(|e| of(&e.shape)).map(|b| [b.min.x, b.min.y, b.max.x, b.max.y].map(|v| (v * 1e3).round() / 1e3)).collect()
}

#[test]
fn lines_areas_and_arcs_are_where_they_are_drawn() {
    let d = ok("1 0 0 setrgbcolor newpath 10 20 moveto 60 20 lineto 60 50 lineto closepath stroke\n\
         0 setgray gsave 2 2 scale 10 10 translate 90 rotate 0 0 20 5 rectfill grestore\n\
         newpath 50 50 25 0 360 arc closepath stroke");
    assert_eq!(boxes(&d), [[10.0, 20.0, 60.0, 50.0], [10.0, 20.0, 20.0, 60.0], [25.0, 25.0, 75.0, 75.0]]);
    let style = |i: usize| &d.styles[d.entities[i].style];
    assert_eq!((style(0).stroke, style(1).fill, style(1).winding), (Some([255, 0, 0]), Some([0; 3]), true));
    assert!(d.entities.iter().all(|e| matches!(&e.shape, Shape::Path { closed: true, .. })));
}

#[test]
fn a_program_that_draws_is_followed() {
    // Procedures, a loop, a dictionary, a choice, sums: a comb of seven teeth.
    let d = ok("/tooth { /h exch def gsave 0 0 moveto 0 h rlineto 6 0 rlineto 0 h neg rlineto closepath stroke grestore } bind def\n\
         10 dict begin /pitch 9 def 0 1 6 { dup 2 mod 0 eq { 20 } { 12 } ifelse tooth pop pitch 0 translate } for end");
    let found = boxes(&d);
    assert_eq!(found.len(), 7);
    assert_eq!((found[0], found[3]), ([0.0, 0.0, 6.0, 20.0], [27.0, 0.0, 33.0, 12.0]));
    // Short names for operators, as programs write them.
    let d = ok("/m /moveto load def /l { lineto } bind def /S /stroke load def 0 0 m 30 40 l S [3 2] 0 setdash 5 5 m 5 9 l S");
    assert_eq!(boxes(&d).len(), 2);
    assert_eq!(d.styles[d.entities[1].style].line_type, "3 2");
    // A font is given other letters, as programs that write plans do before they draw.
    let d = ok(
        "/RE { findfont begin currentdict dup length dict begin { 1 index /FID ne { def } { pop pop } ifelse } forall /FontName exch def \
         dup length 0 ne { /Encoding Encoding 256 array copy def 0 exch { dup type /nametype eq { Encoding 2 index 2 index put pop 1 add } { exch pop } ifelse } forall } if pop \
         currentdict dup end end /FontName get exch definefont pop } bind def \
         [39/quotesingle 96/grave] /Helvetica /Helvetica RE (Helvetica) findfont 10 scalefont setfont 10 10 moveto 60 10 lineto stroke",
    );
    assert_eq!(boxes(&d), [[10.0, 10.0, 60.0, 10.0]]);
    // What a clip hides is not drawn; writing is kept as such.
    let d = ok(
        "gsave 0 0 50 50 rectclip 10 25 moveto 90 25 lineto stroke grestore /Helvetica findfont 12 scalefont setfont 5 60 moveto (6 off) show",
    );
    assert_eq!(boxes(&d)[0], [10.0, 25.0, 50.0, 25.0]);
    assert!(d.entities.iter().any(|e| matches!(&e.shape, Shape::Text(t) if t.value == "6 off" && (t.height - 8.4).abs() < 1e-9)));
}

#[test]
fn a_font_is_chosen_by_a_matrix_too() {
    // As writers do that turn the page over: a font of 14 by a matrix, and letters by words of their own.
    let d = ok(
        "/store { /py exch def /px exch def } def /choose { fm aload pop pop pop 0 0 6 array astore fo exch selectfont px py moveto } bind def \
         /Tf { pop /fo exch def /fm where { pop choose } if } bind def /Tm { 2 copy 8 2 roll 6 array astore /fm exch def store /fo where { pop choose } if } bind def \
         1 0 0 -1 0 200 6 array astore concat 20 20 moveto 220 20 lineto stroke 14 0 0 -14 120 80 Tm /Helvetica findfont 1 Tf (4 off) show",
    );
    let text = d.entities.iter().find_map(|e| if let Shape::Text(t) = &e.shape { Some(t) } else { None }).expect("it is read");
    assert!(text.value == "4 off" && (text.height - 9.8).abs() < 0.1 && text.at.distance(Point::new(120.0, 120.0)) < 1e-6, "{text:?}");
    assert_eq!(boxes(&d)[0], [20.0, 180.0, 220.0, 180.0]);
}

#[test]
fn matrices_of_their_own_move_nothing() {
    let d = ok("2 3 matrix scale 0 get /sx exch def 10 20 5 7 matrix translate transform /y exch def /x exch def \
         x y moveto x sx 10 mul add y lineto stroke 1 0 90 matrix rotate matrix invertmatrix dtransform moveto 8 0 rlineto stroke");
    assert_eq!(boxes(&d)[0], [15.0, 27.0, 35.0, 27.0]);
    let end = boxes(&d)[1];
    assert!(end[0].abs() < 1e-9 && (end[1] + 1.0).abs() < 1e-9 && (end[2] - 8.0).abs() < 1e-9, "{end:?}");
    // Flags are whole numbers.
    assert_eq!(boxes(&ok("6 3 and 2 eq 5 1 or 5 eq and { 0 0 moveto 9 9 lineto stroke } if")).len(), 1);
}

#[test]
fn colours_have_as_many_figures_as_their_space() {
    for (set, colour) in [
        ("/DeviceRGB setcolorspace 1 0 0 setcolor", [255, 0, 0]),
        ("[/DeviceCMYK] setcolorspace 0 1 1 0 setcolor", [255, 0, 0]),
        ("/DeviceGray setcolorspace 0.2 setcolor", [51, 51, 51]),
        ("1 0 0 setrgbcolor /DeviceGray setcolorspace", [0, 0, 0]),
        ("[/Pattern] setcolorspace 3 dict setcolor", [0, 0, 0]),
    ] {
        let d = ok(&format!("{set} 0 0 moveto 9 9 lineto stroke"));
        assert_eq!(d.styles[d.entities[0].style].stroke, Some(colour), "{set}");
    }
}

#[test]
fn a_line_of_writing_stays_one_with_its_letters_moved() {
    let text = "/xyshow where { pop } { dance } ifelse /Helvetica findfont 10 scalefont setfont";
    for shown in ["(6 off) [5 0 5 0 5 0 5 0 5 0] xyshow", "(6 off) [5 5 5 5 5] xshow", "1 0 (6 off) ashow", "1 0 32 0 0 (6 off) awidthshow"]
    {
        let d = ok(&format!("{text} 10 10 moveto {shown} currentpoint lineto 40 40 lineto stroke"));
        let texts: Vec<&str> =
            d.entities.iter().filter_map(|e| if let Shape::Text(t) = &e.shape { Some(t.value.as_str()) } else { None }).collect();
        assert_eq!(texts, ["6 off"], "{shown}");
    }
}

#[test]
fn what_is_no_drawing_is_told_with_its_line() {
    assert!(refused("{ } loop").contains("runs on and on"));
    assert!(refused("/a { a } def a").contains("deep"));
    assert!(refused("10 20 lineto stroke").contains("goes on from nowhere"));
    assert!(refused("1 2 sub dance").contains("“dance” is not understood") && refused("\n\n9 dance").starts_with("a.eps, line 4:"));
    assert!(refused("0 0 moveto 1 0 lineto stroke 8 8 1 matrix { } image").contains("holds a picture"));
    assert!(refused("newpath 1 1 moveto").contains("draws no lines"));
    assert!(refused("0 0 moveto { 5 5 lineto stroke").contains("cut off"));
    assert!(refused("1 0 div").contains("no answer") && refused("1 1 moveto 1e300 0 rlineto stroke").contains("no place"));
    assert!(refused("{ 1 dup } loop").contains("more than it takes up") || refused("{ 1 dup } loop").contains("on and on"));
    assert!(matches!(read("a.eps", b"%!PS\n"), Err(ReadError::Broken { .. })));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    /// Whatever stands in it: a drawing or a sentence, soon.
    #[test]
    fn nothing_panics_and_nothing_hangs(words in prop::collection::vec("(-?[0-9]{1,3}|/[a-c]|[a-c]|\\{|\\}|\\[|\\]|\\(x\\)|moveto|lineto|curveto|arc|stroke|fill|clip|def|dup|exch|pop|copy|index|roll|for|repeat|loop|if|ifelse|exit|gsave|grestore|translate|scale|rotate|concat|matrix|begin|end|dict|forall|exec|get|put|load|where|add|div|mark|array|astore|aload|cvx|stopped|stop)", 0..60)) {
        let _ = read("r.eps", format!("%!PS\n/languagelevel 2 def 0 0 moveto\n{}", words.join(" ")).as_bytes());
    }

    /// A path comes out where sums done here put it.
    #[test]
    fn places_add_up(x in -200.0..200.0_f64, y in -200.0..200.0_f64, turn in 0.0..360.0_f64, scale in 0.2..4.0_f64, w in 1.0..90.0_f64) {
        let d = ok(&format!("{x} {y} translate {turn} rotate {scale} dup scale newpath 0 0 moveto {w} 0 lineto stroke"));
        let (sin, cos) = turn.to_radians().sin_cos();
        let end = (x + w * scale * cos, y + w * scale * sin);
        let b = boxes(&d)[0];
        prop_assert!((b[0] - x.min(end.0)).abs() < 2e-3 && (b[2] - x.max(end.0)).abs() < 2e-3 && (b[1] - y.min(end.1)).abs() < 2e-3 && (b[3] - y.max(end.1)).abs() < 2e-3);
    }
}

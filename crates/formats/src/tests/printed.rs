//! What a PDF prints: areas with their edges, white on white, pages in larger units.

use super::*;

#[test]
fn an_area_and_the_line_along_it_are_one_outline() {
    let outlines = |content: &str| {
        let d = crate::read("plan.pdf", &pdf(&[content])).expect("it reads");
        let styles: Vec<(bool, bool)> =
            d.entities.iter().map(|e| &d.styles[e.style]).map(|s| (s.fill.is_some(), s.stroke.is_some())).collect();
        (d.read, styles)
    };
    let both = vec![(true, true)];
    assert_eq!(outlines("0.5 g 1 0 0 RG 0.5 w 10 20 60 30 re B"), (1, both.clone()));
    assert_eq!(outlines("0.5 g 10 20 60 30 re f 1 0 0 RG 0.5 w 10 20 60 30 re S"), (1, both));
    // A line along another place, and one that is drawn later on, are lines of their own.
    assert_eq!(outlines("0.5 g 10 20 60 30 re f 10 20 61 30 re S"), (2, vec![(true, false), (false, true)]));
    assert_eq!(outlines("0.5 g 10 20 60 30 re f 0 0 m 9 9 l S 10 20 60 30 re S"), (3, vec![(true, false), (false, true), (false, true)]));
}

#[test]
fn white_lines_do_not_show() {
    let d = crate::read("plan.pdf", &pdf(&["0 G 10 10 100 50 re S 1 1 1 RG 30 20 20 20 re S"])).expect("it reads");
    assert_eq!(d.entities.iter().map(|e| d.styles[e.style].hidden).collect::<Vec<_>>(), [false, true]);
}

#[test]
fn pages_in_units_of_their_own_have_their_true_size() {
    let plain = pdf(&["10 20 60 30 re S"]);
    let text = String::from_utf8_lossy(&plain).replace("/MediaBox [0 0 200 100]", "/UserUnit 2.5 /MediaBox [0 0 200 100]");
    let d = crate::read("plan.pdf", text.as_bytes()).expect("it reads");
    let b = bounds(&d, 0);
    assert!((b.width() - 150.0).abs() < 1e-3 && (b.min.x - 25.0).abs() < 1e-3, "{b:?}");
    assert!((d.pages[0].width() - 500.0).abs() < 1e-3);
}

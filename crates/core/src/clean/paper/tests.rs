use super::dimension::is_figure;
use super::section::{Named, names_section};
use super::strokes::chain_dotted;

#[test]
fn figures_are_told_from_words_and_counts() {
    for figure in ["120", "12.5", "Ø6", "R12", "40 mm", "3 1/2\"", "4x ø6", "2 x 45°", "±0.1", "(60)", "80 TYP", "1'-6\"", "M6 thru"] {
        assert!(is_figure(figure), "{figure}");
    }
    for word in ["x6", "6x", "X 4", "shelf", "6 off", "Rev B", "1:1", "grain", "A", "", "3 mm birch ply", "sheet 1 of 3"] {
        assert!(!is_figure(word), "{word}");
    }
}

#[test]
fn long_and_short_dashes_in_turn_are_a_centre_line() {
    for dotted in ["CENTER", "Centre2", "DASHDOT", "17 4.25 4.25 4.25", "6,1.5,0.5,1.5", "12.7 -3.2 0 -3.2"] {
        assert!(chain_dotted(dotted), "{dotted}");
    }
    for plain in ["", "CONTINUOUS", "DASHED", "3 3", "2 1 2 1", "4"] {
        assert!(!chain_dotted(plain), "{plain}");
    }
}

#[test]
fn sections_are_told_by_their_names() {
    for (says, named) in [
        ("SECTION A-A", Some(Named::Surely)),
        ("Schnitt B – B", Some(Named::Surely)),
        ("A-A", Some(Named::Perhaps)),
        ("Section 2", Some(Named::Perhaps)),
        ("A-B", None),
        ("intersection", None),
        ("shelf x2", None),
        ("", None),
    ] {
        assert_eq!(names_section(says), named, "{says}");
    }
}

use super::room::Room;
use crate::clean::{Contour, ContourId};
use crate::decisions::table::Table;
use crate::drawing::{Anchor, Style, Text};
use crate::geometry::{Path, Point};
use std::sync::Arc;

fn text(x: f64, value: &str) -> Text {
    Text::anchored(Point::new(x, 10.0), (Anchor::Begin, 0.0), 5.0, 0.0, value.into())
}

#[test]
fn columns_are_found_however_the_drawing_marks_them() {
    let table = Table { columns: vec!["Name".into(), " no ".into()], ..Table::default() };
    for (said, column) in
        [("name", Some(0)), ("{NAME}", Some(0)), ("<No>", Some(1)), ("# no #", Some(1)), ("nom", None), ("", None), ("{}", None)]
    {
        assert_eq!(table.column(said), column, "{said}");
    }
}

#[test]
fn a_field_has_room_up_to_what_is_drawn_beside_it() {
    let style = Arc::new(Style::default());
    let drawn = |path| Arc::new(Contour::of_label(ContourId(1), path, &style, 1));
    // A plate of 80, a hole at its right end, and something above that is not at the field's height.
    let all = [Path::rectangle(0.0, 0.0, 80.0, 30.0), Path::circle(Point::new(70.0, 12.0), 4.0), Path::rectangle(30.0, 20.0, 10.0, 5.0)]
        .map(drawn);
    let left = Room::of(&text(12.0, "no"), &all);
    // From where it begins to 0.35 of its height before the hole.
    assert!((left.begins(10.0)).abs() < 1e-9 && (left.width() - (66.0 - 12.0 - 0.35 * 5.0)).abs() < 0.1, "{left:?}");
    // In the middle between edge and hole it stands in the middle, however wide its words are.
    let middle = Room::of(&text(33.0 - 7.0, "name"), &all);
    let at = |width: f64| 26.0 + middle.begins(width) + width / 2.0;
    assert!((at(10.0) - 33.0).abs() < 0.1 && (at(40.0) - 33.0).abs() < 0.1, "{middle:?} {}", at(10.0));
}

#[test]
fn letters_that_are_not_there_and_errors_of_a_spreadsheet_are_told_and_not_burned() {
    use super::filled;
    use crate::clean::Cleaned;
    use crate::finding::Code;
    let style = Arc::new(Style::default());
    let plate = Arc::new(Contour::of_label(ContourId(1), Path::rectangle(0.0, 0.0, 80.0, 30.0), &style, 1));
    let bounds = plate.bounds;
    let drawn = Cleaned {
        drawing: 1,
        name: "plate.dxf".into(),
        contours: vec![plate],
        texts: vec![text(10.0, "{name}")],
        pages: Vec::new(),
        areas: Vec::new(),
        bounds,
        gaps: Vec::new(),
        rows: Vec::new(),
    };
    let fill = |words: &[&str]| {
        let table = Table { columns: vec!["name".into()], rows: words.iter().map(|w| vec![(*w).to_owned()]).collect(), ..Table::default() };
        let (filled, findings) = filled(drawn.clone(), &table);
        let letters = filled.contours.iter().filter(|c| c.style.text).count();
        let told = |code| findings.iter().filter(|f| f.code == code).map(|f| (f.count, f.text.clone())).collect::<Vec<_>>();
        (letters, told(Code::LettersMissing), told(Code::CellsInError))
    };
    let (letters, missing, wrong) = fill(&["Łukasz", "Čeněk", "Nguyễn"]);
    assert!(letters > 16 && missing.is_empty() && wrong.is_empty(), "{missing:?} {wrong:?}");
    let (letters, missing, _) = fill(&["東京"]);
    assert!(letters == 0 && missing[0].0 == 2 && missing[0].1.contains("“東”"));
    let (letters, _, wrong) = fill(&["#REF!", "", "#N/A"]);
    assert!(letters == 0 && wrong[0].0 == 2 && wrong[0].1.contains("row 1") && wrong[1].0 == 1, "{wrong:?}");
}

//! Three hundred names of more than twenty tongues, by table, by plate and written: each is burned as it is written, or what is
//! missing is told. What a face has, and how much ink that is, is read from its file by another way than letters are set.

use super::*;
use crate::clean::operate::{Operation, Spot, words};
use crate::decisions::table::Table;
use crate::lettering::Face;
use crate::plate::NamePlate;
use crate::testing::outlines;
use std::collections::BTreeSet;
use ttf_parser::OutlineBuilder;
use unicode_normalization::UnicodeNormalization;

const NAMES: &str = include_str!("../../lettering/names.txt");
const FILES: [(Face, &[u8]); 3] = [
    (Face::Outline, include_bytes!("../../../fonts/sans.ttf")),
    (Face::Condensed, include_bytes!("../../../fonts/condensed.ttf")),
    (Face::Serif, include_bytes!("../../../fonts/serif.ttf")),
];
const HEIGHT: f64 = 10.0;

/// Twice the area under the lines of an outline; curves by twenty chords.
#[derive(Default)]
struct Ink {
    sum: f64,
    at: (f64, f64),
    first: (f64, f64),
}

impl Ink {
    fn to(&mut self, x: f64, y: f64) {
        self.sum += self.at.0 * y - x * self.at.1;
        self.at = (x, y);
    }
}

impl OutlineBuilder for Ink {
    fn move_to(&mut self, x: f32, y: f32) {
        self.at = (f64::from(x), f64::from(y));
        self.first = self.at;
    }
    fn line_to(&mut self, x: f32, y: f32) {
        self.to(f64::from(x), f64::from(y));
    }
    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let ((x0, y0), (x1, y1), (x, y)) = (self.at, (f64::from(x1), f64::from(y1)), (f64::from(x), f64::from(y)));
        for k in 1..=20 {
            let t = f64::from(k) / 20.0;
            let mix = |a: f64, b: f64, c: f64| (1.0 - t) * (1.0 - t) * a + 2.0 * t * (1.0 - t) * b + t * t * c;
            self.to(mix(x0, x1, x), mix(y0, y1, y));
        }
    }
    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        let _ = (x1, y1, x2, y2);
        self.line_to(x, y);
    }
    fn close(&mut self) {
        let (x, y) = self.first;
        self.to(x, y);
    }
}

/// The letters of a name that a font lacks, and the ink of the others, mm² with capitals of `HEIGHT`.
fn truth(name: &str, font: &ttf_parser::Face) -> (BTreeSet<char>, f64) {
    let unit = HEIGHT / f64::from(font.capital_height().expect("it says how high its capitals are"));
    let (mut missing, mut ink) = (BTreeSet::new(), 0.0);
    for c in name.nfc() {
        let Some(glyph) = font.glyph_index(c) else {
            missing.insert(c);
            continue;
        };
        let mut pen = Ink::default();
        font.outline_glyph(glyph, &mut pen);
        ink += (pen.sum / 2.0 * unit * unit).abs();
    }
    (missing, ink)
}

fn inked(contours: &[Arc<Contour>]) -> f64 {
    contours.iter().filter(|c| c.style.text).map(|c| c.area).sum::<f64>().abs()
}

/// A plate with the field `name`, as a drawing.
fn plate() -> Drawing {
    use crate::drawing::{Anchor, Entity, Shape, Text};
    let mut d = outlines(&[Path::rectangle(0.0, 0.0, 400.0, 40.0)]);
    let style = d.style(&Style { text: true, ..Style::default() });
    d.entities.push(Entity::new(style, Shape::Text(Text::anchored(p(10.0, 10.0), (Anchor::Begin, 0.0), HEIGHT, 0.0, "name".into()))));
    d
}

#[test]
fn names_are_burned_as_they_are_written_or_told() {
    let names: Vec<&str> = NAMES.lines().collect();
    assert!(names.len() >= 300);
    let mut told = 0;
    for (face, bytes) in FILES {
        let font = ttf_parser::Face::parse(bytes, 0).expect("a font");
        for name in &names {
            let (missing, ink) = truth(name, &font);
            let close = |burned: f64| (burned - ink).abs() <= 0.02 * ink + 0.05;
            told += usize::from(!missing.is_empty());
            // By table.
            let table = Table { columns: vec!["name".into()], rows: vec![vec![(*name).to_owned()]], face, ..Table::default() };
            let (cleaned, findings) = clean(&plate(), |d| d.table = Some(table.clone()));
            assert!(close(inked(&cleaned.contours)), "{face:?} {name} by table: {} of {ink}", inked(&cleaned.contours));
            let said = has(&findings, "letters-missing");
            assert_eq!(said.is_some(), !missing.is_empty(), "{face:?} {name} by table");
            assert!(said.is_none_or(|f| missing.iter().all(|c| f.text.contains(*c))), "{face:?} {name}");
            // Written.
            let (cleaned, _) = clean(&plate(), |_| {});
            let part = cleaned.contours[0].id;
            let write = Operation::Write {
                part,
                spot: Spot::default(),
                text: (*name).into(),
                height: HEIGHT,
                face,
                angle: 0.0,
                setting: Default::default(),
            };
            let (cleaned, findings) = clean(&plate(), |d| d.operations.push(write.clone()));
            assert!(close(inked(&cleaned.contours)), "{face:?} {name} written: {} of {ink}", inked(&cleaned.contours));
            assert_eq!(has(&findings, "letters-missing").is_some(), !missing.is_empty(), "{face:?} {name} written");
            // As a plate: refused in words where a letter is not there.
            let plate = NamePlate { text: (*name).into(), face, height: HEIGHT, ..NamePlate::default() };
            match plate.checked() {
                Ok(()) => assert!(missing.is_empty(), "{face:?} {name} on a plate"),
                Err(why) => assert!(missing.iter().all(|c| why.contains(*c)) && !missing.is_empty(), "{face:?} {name}: {why}"),
            }
        }
    }
    assert!(told > 30, "some tongues are written with what no face has: {told}");
    // Strokes write every Latin name, and tell of the rest.
    for name in names {
        let latin = name.chars().all(|c| c.is_alphabetic() && (c < '\u{370}' || ('\u{1e00}'..='\u{1eff}').contains(&c)));
        assert!(!latin || crate::lettering::lacks(name, Face::Stroke).is_empty(), "{name} in strokes");
        let line = crate::lettering::line(name, HEIGHT, Face::Stroke);
        assert_eq!(line.missing.is_empty(), crate::lettering::lacks(name, Face::Stroke).is_empty(), "{name}");
    }
    let typed = words::parse("write \"Łukasz\" 8 serif", &[ContourId(1)]);
    assert!(matches!(typed, Ok(Operation::Write { face: Face::Serif, .. })));
}

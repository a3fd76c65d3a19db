//! A table that fills the writing of a drawing: one copy a row, in the order of the table.
//!
//! What the drawing says where a column's name stands is replaced by what the row says. Writing keeps the height that it was
//! drawn with; what is too long for its room is narrowed, then set in two lines, and at last told.

mod room;
#[cfg(test)]
mod tests;

use crate::clean::{Cleaned, Contour};
use crate::decisions::table::{Table, TableEdit};
use crate::decisions::{Edit, IntakeEdit};
use crate::drawing::{Nature, Style, Text};
use crate::finding::{Code, Finding, Severity, Station, counted};
use crate::geometry::{Affine, Bounds, Path, Point, Vec2};
use crate::ids::ContourId;
use crate::lettering::{self, Face};
use room::Room;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Between copies on the bench, mm.
const APART: f64 = 8.0;
/// Two lines in the place of one: each is so high, and the base lines of the upper and of the lower one stand so far up, as
/// shares of the one's height.
const HALF: (f64, f64, f64) = (0.56, 0.64, -0.2);
/// No letters lower than this are set, mm: nobody reads them.
const LOWEST: f64 = 1.2;
/// Words narrowed to less than this share are read with trouble.
const READABLE: f64 = 0.55;
/// Rows that are told one by one.
const TOLD: usize = 4;

/// A field: a line of the drawing's writing in whose place a column's words stand.
struct Field {
    column: usize,
    at: Text,
    room: Room,
}

/// The drawing once a row, each with its words, and what is to be said of it.
pub(crate) fn filled(drawn: Cleaned, table: &Table) -> (Cleaned, Vec<Finding>) {
    let cleaned = without_letters(&drawn, |t| table.column(&t.value).is_some());
    let (fields, rest): (Vec<(Option<usize>, Text)>, Vec<_>) =
        cleaned.texts.iter().map(|t| (table.column(&t.value), t.clone())).partition(|(c, _)| c.is_some());
    let fields: Vec<Field> =
        fields.into_iter().filter_map(|(column, at)| Some(Field { column: column?, room: Room::of(&at, &cleaned.contours), at })).collect();
    let mut findings = unmatched(&cleaned, table, &fields);
    if fields.is_empty() || table.rows.is_empty() {
        return (drawn, findings);
    }
    let box_of = fields.iter().fold(cleaned.bounds, |b, f| b.with(f.at.at));
    let (w, h) = (box_of.width() + APART, box_of.height() + APART);
    let columns = ((table.rows.len() as f64 * h / w).sqrt().ceil() as usize).clamp(1, table.rows.len());
    let mut contours = Vec::with_capacity(cleaned.contours.len() * table.rows.len());
    let mut tight: Vec<(usize, String, f64)> = Vec::new();
    let mut lacking: Vec<char> = Vec::new();
    let style = looks(table.face, &fields[0].at, &cleaned.contours);
    let kept = |i: &usize| !table.left_out.contains(&(*i as u32));
    for (at, i) in (0..table.rows.len()).filter(kept).enumerate() {
        // In reading order: to the right, then down.
        let by = Vec2::new((at % columns) as f64 * w, -((at / columns) as f64 * h));
        let place = Affine::translate(by);
        for c in &cleaned.contours {
            contours.push(Arc::new(copied(c, c.path.transformed(place), i, 0)));
        }
        let mut made = 0;
        for field in &fields {
            let words = table.rows[i].get(field.column).map_or("", |w| w.trim());
            let words = if is_error(words) { "" } else { words };
            for letter in lettering::lacks(words, table.face) {
                if !lacking.contains(&letter) {
                    lacking.push(letter);
                }
            }
            let set = field.set(words, table);
            if set.narrowed < table.narrowest - 1e-9 || set.lowest < LOWEST {
                tight.push((i, words.to_owned(), set.narrowed));
            }
            for path in set.paths {
                made += 1;
                let letter = Contour::of_label(ContourId(0), path.transformed(place), &style, cleaned.drawing);
                contours.push(Arc::new(copied(&letter, letter.path.clone(), i, made)));
            }
        }
    }
    findings.extend(told(&cleaned, table, &tight));
    findings.extend(lettering::told(&lacking, &format!("The table of {}", cleaned.name)).map(|text| {
        Finding::new(Station::Clean, Severity::Look, Code::LettersMissing, lacking.len(), text).acceptable("Leave those letters out")
    }));
    findings.extend(in_error(&cleaned.name, table, &fields));
    findings.extend(supposed(&cleaned.name, table));
    let bounds = contours.iter().fold(Bounds::EMPTY, |b, c| b.union(c.bounds));
    let texts = rest.into_iter().map(|(_, t)| t).collect();
    let rows = table.rows.iter().map(|r| r.first().map_or_else(String::new, |w| w.trim().to_owned())).collect();
    (Cleaned { contours, bounds, texts, rows, ..cleaned }, findings)
}

/// True for what a spreadsheet writes where a formula of its has come to nothing.
fn is_error(words: &str) -> bool {
    const ERRORS: [&str; 9] = ["#REF!", "#N/A", "#NAME?", "#VALUE!", "#DIV/0!", "#NULL!", "#NUM!", "#SPILL!", "#ERROR!"];
    ERRORS.iter().any(|e| words.eq_ignore_ascii_case(e)) || words.starts_with("Err:5")
}

/// Letters of a table that did not say how it is encoded: those beyond A to Z may be others.
fn supposed(name: &str, table: &Table) -> Option<Finding> {
    let encoding = table.supposed.as_ref()?;
    let odd: Vec<&String> = table.rows.iter().flatten().filter(|w| !w.is_ascii()).collect();
    let words: Vec<String> = odd.iter().take(TOLD).map(|w| format!("“{w}”")).collect();
    let text = format!(
        "The table of {name} does not say how its letters are encoded; they were read as {encoding}: {}. If they are wrong, save it as CSV in UTF-8.",
        words.join(", ")
    );
    let found = Finding::new(Station::Clean, Severity::Look, Code::EncodingSupposed, odd.len(), text);
    (!odd.is_empty()).then(|| found.acceptable("They are right"))
}

/// Cells that hold a spreadsheet's error, which nobody wants engraved, and cells that hold nothing.
fn in_error(name: &str, table: &Table, fields: &[Field]) -> Vec<Finding> {
    let used = |i: usize| fields.iter().map(move |f| (i, f.column));
    let cell = |(i, column): (usize, usize)| table.rows[i].get(column).map_or("", |w| w.trim());
    let all = || (0..table.rows.len()).filter(|i| !table.left_out.contains(&(*i as u32))).flat_map(used);
    let place = |(i, column): &(usize, usize)| format!("row {}, “{}”", i + 1, table.columns.get(*column).map_or("", |c| c.trim()));
    let places = |cells: &[(usize, usize)]| {
        let more = if cells.len() > 4 { format!(" and {} more", cells.len() - 4) } else { String::new() };
        cells.iter().take(4).map(place).collect::<Vec<_>>().join("; ") + &more
    };
    let (wrong, empty): (Vec<_>, Vec<_>) =
        (all().filter(|c| is_error(cell(*c))).collect(), all().filter(|c| cell(*c).is_empty()).collect());
    let mut out = Vec::new();
    if let n @ 1.. = wrong.len() {
        let holds = if n == 1 { "cell of the table holds an error" } else { "cells of the table hold errors" };
        let text = format!("{n} {holds} of the spreadsheet and no words ({}): nothing is written there in {name}.", places(&wrong));
        out.push(Finding::new(Station::Clean, Severity::Look, Code::CellsInError, n, text).acceptable("Leave them empty"));
    }
    if let n @ 1.. = empty.len() {
        let text = format!(
            "{} of the table {} empty ({}): nothing is written there.",
            counted(n, "cell", "cells"),
            if n == 1 { "is" } else { "are" },
            places(&empty)
        );
        out.push(Finding::new(Station::Clean, Severity::Note, Code::CellsInError, n, text));
    }
    out
}

/// The drawing without the letters of such writing: others stand in their place.
fn without_letters(drawn: &Cleaned, goes: impl Fn(&Text) -> bool) -> Cleaned {
    let gone: Vec<u32> = drawn.texts.iter().filter(|t| t.compound > 0 && goes(t)).map(|t| t.compound).collect();
    let mut left = drawn.clone();
    left.contours.retain(|c| !c.style.text || !gone.contains(&c.compound));
    left
}

/// A contour of row `i`; `made` tells its letters apart.
fn copied(c: &Contour, path: Path, i: usize, made: u64) -> Contour {
    let row = i as u64 + 1;
    let id = crate::clean::row_name(c.id, row << 32 | made);
    let compound = if c.compound == 0 { 0 } else { c.compound ^ (row as u32).wrapping_mul(0x9e37_79b1) | 1 };
    Contour { row: row as u32, compound, ..c.copied(id, path) }
}

/// How letters look: areas to be engraved, or strokes to be scored, on the layer that the field stands on.
fn looks(face: Face, at: &Text, contours: &[Arc<Contour>]) -> Arc<Style> {
    let layer = contours.iter().find(|c| c.bounds.has(at.at)).map_or_else(String::new, |c| c.style.layer.clone());
    Arc::new(if face.is_area() {
        Style { layer, fill: Some([0; 3]), text: true, winding: true, added: true, ..Style::default() }
    } else {
        Style { layer, stroke: Some([0; 3]), nature: Nature::Writing, added: true, ..Style::default() }
    })
}

/// Words set in a field.
struct Set {
    paths: Vec<Path>,
    /// By how much they had to be narrowed; 1 where not.
    narrowed: f64,
    /// Height of their letters, mm.
    lowest: f64,
}

impl Field {
    /// Sets words in one line, narrowed where they are long; in two lines where that takes less; within no less than is allowed
    /// where that does.
    fn set(&self, words: &str, table: &Table) -> Set {
        if words.is_empty() {
            return Set { paths: Vec::new(), narrowed: 1.0, lowest: self.at.height };
        }
        let one = self.line(words, self.at.height, 0.0, table);
        if one.narrowed >= table.narrowest || !table.two_lines {
            return one;
        }
        let height = self.at.height * HALF.0;
        let breaks = words.match_indices(' ').map(|(k, _)| (&words[..k], &words[k + 1..]));
        let two = breaks.map(|(a, b)| {
            let (upper, lower) =
                (self.line(a, height, self.at.height * HALF.1, table), self.line(b, height, self.at.height * HALF.2, table));
            let narrowed = upper.narrowed.min(lower.narrowed);
            Set { paths: upper.paths.into_iter().chain(lower.paths).collect(), narrowed, lowest: height }
        });
        let best = two.max_by(|a, b| a.narrowed.total_cmp(&b.narrowed));
        // Where two lines will not do either the one that is read more easily stands.
        best.filter(|two| two.narrowed >= table.narrowest && two.lowest >= LOWEST || two.narrowed > one.narrowed).unwrap_or(one)
    }

    /// One line of a height, its base line so far up from the field's.
    fn line(&self, words: &str, height: f64, up: f64, table: &Table) -> Set {
        let line = lettering::line(words, height, table.face);
        let room = self.room.width();
        let narrowed = if line.width > room { (room / line.width).max(0.01) } else { 1.0 };
        let width = line.width * narrowed;
        let place =
            self.room.home(&self.at) * Affine::translate(Vec2::new(self.room.begins(width), up)) * Affine::scale_non_uniform(narrowed, 1.0);
        Set { paths: line.paths.iter().filter_map(|p| narrower(p, place, narrowed)).collect(), narrowed, lowest: height }
    }
}

/// A letter moved to its place; arcs that are narrowed are no arcs any more and are followed by short lines.
fn narrower(path: &Path, place: Affine, narrowed: f64) -> Option<Path> {
    const CLOSE: f64 = 0.01;
    if narrowed > 1.0 - 1e-9 {
        return Some(path.transformed(place));
    }
    let points: Vec<Point> = path.points(CLOSE).into_iter().map(|p| place * p).collect();
    let segments = points.windows(2).map(|w| crate::geometry::Segment::line(w[0], w[1]));
    if path.closed { (points.len() > 2).then(|| Path::polygon(&points)) } else { Some(Path::new(segments.collect(), false)) }
}

/// Columns that the drawing has no place for, and a table that nothing of the drawing is filled by.
fn unmatched(cleaned: &Cleaned, table: &Table, fields: &[Field]) -> Vec<Finding> {
    let used: BTreeSet<usize> = fields.iter().map(|f| f.column).collect();
    let without: Vec<String> =
        table.columns.iter().enumerate().filter(|(i, _)| !used.contains(i)).map(|(_, c)| format!("“{}”", c.trim())).collect();
    if without.is_empty() {
        return Vec::new();
    }
    let texts: Vec<String> = cleaned.texts.iter().take(8).map(|t| format!("“{}”", t.value.trim())).collect();
    let said = if texts.is_empty() { "it has no writing that is text".to_owned() } else { format!("it says {}", texts.join(", ")) };
    if fields.is_empty() {
        let text = format!(
            "Nothing in {} is called as a column of its table: the columns are {}, and {said}. Name the columns as the drawing does.",
            cleaned.name,
            without.join(", ")
        );
        let edit = Edit::Intake(IntakeEdit::Table { drawing: cleaned.drawing, edit: TableEdit::Set { table: None } });
        return vec![
            Finding::new(Station::Clean, Severity::Stop, Code::TableUnmatched, without.len(), text).choice("Take the table off", edit),
        ];
    }
    let text = format!(
        "{} of the table {} no place in {}: {said}.",
        without.join(", "),
        if without.len() == 1 { "has" } else { "have" },
        cleaned.name
    );
    vec![Finding::new(Station::Clean, Severity::Note, Code::ColumnUnused, without.len(), text)]
}

/// Rows whose words are too long for their room.
fn told(cleaned: &Cleaned, table: &Table, tight: &[(usize, String, f64)]) -> Option<Finding> {
    let rows: BTreeSet<u32> = tight.iter().map(|t| t.0 as u32).collect();
    let n = rows.len();
    let named: Vec<String> = tight
        .iter()
        .take(TOLD)
        .map(|(i, words, share)| format!("“{words}” in row {} ({:.0} % of its width)", i + 1, share * 100.0))
        .collect();
    let more = if tight.len() > TOLD { format!(" and {} more", tight.len() - TOLD) } else { String::new() };
    let text = format!(
        "{} of the table {} too long for {} even narrowed to {:.0} %{}: {}{more}.",
        counted(n, "row", "rows"),
        if n == 1 { "is" } else { "are" },
        cleaned.name,
        table.narrowest * 100.0,
        if table.two_lines { " and in two lines" } else { "" },
        named.join(", ")
    );
    let least = tight.iter().map(|t| t.2).fold(1.0, f64::min);
    let edit = |edit: TableEdit| Edit::Intake(IntakeEdit::Table { drawing: cleaned.drawing, edit });
    let mut finding = Finding::new(Station::Clean, Severity::Stop, Code::RowTooLong, n, text);
    if !table.two_lines && tight.iter().any(|t| t.1.contains(' ')) {
        finding = finding.choice("Set long ones in two lines", edit(TableEdit::TwoLines { on: true }));
    }
    let to = (least * 100.0).floor() / 100.0;
    let narrow = |f: Finding| f.choice(format!("Narrow them to {:.0} %", to * 100.0), edit(TableEdit::Narrowest { share: to }));
    // What would hardly be read is offered last.
    if to >= READABLE {
        finding = narrow(finding);
    }
    finding =
        finding.choice(format!("Leave {} out", if n == 1 { "it".into() } else { format!("the {n}") }), edit(TableEdit::LeaveOut { rows }));
    if (Table::NARROWEST..READABLE).contains(&to) {
        finding = narrow(finding);
    }
    (n > 0).then_some(finding)
}

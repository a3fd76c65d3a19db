//! Parts lists: a table of items with how many there are of each, how thick and of what, tied to parts by the item numbers that
//! lead to them and by their names.

use super::heads::{Column, heads};
use super::words::{Said, thickness, understood};
use super::{Tied, tied};
use crate::assign::{Item, Part};
use crate::clean::Cleaned;
use crate::drawing::{Text, Unit};
use crate::geometry::{Bounds, Point, Vec2};
use crate::quantity;

/// Writing of one row lies within this share of its height on one line.
const LEVEL: f64 = 0.7;
/// Rows of a table are no further apart than so many heights.
const PITCH: f64 = 6.0;
/// A line leads from a number where it begins no further from it than so many heights, and its other end lies in a part or this near.
const LEADS: (f64, f64) = (4.0, 1.0);
/// Rows that are told one by one.
const TOLD: usize = 6;
/// Copies that are believed.
const MOST: u32 = 5000;
/// Writing that is looked through: more is no plan.
const MOST_WRITING: usize = 4000;

/// One row of a list.
struct Row<'a> {
    item: String,
    name: String,
    said: Vec<Said>,
    /// What stands under the heading for the count and cannot be read as one.
    unread: Option<String>,
    /// Its first word, for where it stands.
    first: &'a Text,
}

impl Row<'_> {
    /// `item 3 “shelf”`.
    fn called(&self) -> String {
        match (self.item.is_empty(), self.name.is_empty()) {
            (false, false) => format!("item {} “{}”", self.item, self.name),
            (false, true) => format!("item {}", self.item),
            _ => format!("“{}”", self.name),
        }
    }
}

/// The lists of a drawing as they are tied.
#[derive(Default)]
pub(super) struct Listed<'a> {
    /// What rows say, with their parts.
    pub tied: Vec<Tied<'a>>,
    /// Rows that no part, or more than one, is tied to, or whose count cannot be read: what they are called, why, and where they stand.
    pub astray: Vec<(String, String, Point)>,
    /// All writing of the lists: it is no note.
    pub writing: Vec<&'a Text>,
}

impl Listed<'_> {
    /// What could not be tied, in a sentence.
    pub(super) fn told(&self) -> Option<String> {
        let words: Vec<String> = self.astray.iter().take(TOLD).map(|(called, why, _)| format!("{called} {why}")).collect();
        let more = if self.astray.len() > TOLD { format!(", and {} more", self.astray.len() - TOLD) } else { String::new() };
        (!words.is_empty()).then(|| format!("{}{more}", words.join("; ")))
    }
}

/// A line of writing in its own direction: left and right end and base line, mm.
struct Word<'a> {
    text: &'a Text,
    left: f64,
    right: f64,
    base: f64,
}

/// Reads the lists of a drawing and ties their rows to its parts.
pub(super) fn read<'a>(drawing: &'a Cleaned, parts: &'a [Part], items: &[Item]) -> Listed<'a> {
    let mut out = Listed::default();
    if drawing.texts.len() > MOST_WRITING {
        return out;
    }
    let mut rows = Vec::new();
    for angle in [0.0, std::f64::consts::FRAC_PI_2] {
        let words = words(&drawing.texts, angle);
        for head in headings(&words) {
            let (found, writing) = below(&words, &head);
            if !found.is_empty() {
                out.writing.extend(writing);
                rows.extend(found);
            }
        }
    }
    let listed = |t: &Text| out.writing.iter().any(|w| std::ptr::eq(*w, t));
    let notes: Vec<&Text> = drawing.texts.iter().filter(|t| !listed(t)).collect();
    let of: Vec<&Part> = parts.iter().filter(|p| p.drawing == drawing.drawing).collect();
    for row in rows {
        let mut home = led_to(&row, &notes, &of, drawing.drawing, items);
        if home.is_empty() {
            home = named(&row, &notes, parts, drawing.drawing);
        }
        let (called, unread, at) = (row.called(), row.unread.clone(), row.first.middle());
        match home.as_slice() {
            [part] => {
                let words = format!("{}{} in the list", row.called(), of_what(&row.said));
                let tie = |said: Said| Tied {
                    text: Some(row.first),
                    middle: row.first.middle(),
                    part,
                    said,
                    angle: 0.0,
                    words: words.clone(),
                    listed: true,
                };
                out.tied.extend(row.said.into_iter().map(tie));
            }
            [] => out.astray.push((row.called(), "leads to no part".into(), row.first.middle())),
            _ => out.astray.push((row.called(), "leads to several parts".into(), row.first.middle())),
        }
        if let Some(words) = &unread {
            let why =
                if words.is_empty() { "says no count".into() } else { format!("has the count “{words}”, which is not one number") };
            out.astray.push((called, why, at));
        }
    }
    out
}

/// `, 4 of it, 6 mm birch ply`.
fn of_what(said: &[Said]) -> String {
    let one = |s: &Said| match s {
        Said::Copies(n) => format!(", {n} of it"),
        Said::Thickness(mm, of) if of.is_empty() => format!(", {mm} mm"),
        Said::Thickness(mm, of) => format!(", {mm} mm {of}"),
        _ => String::new(),
    };
    said.iter().map(one).collect()
}

/// Writing that runs in a direction, by its base line.
fn words<'a>(texts: &'a [Text], angle: f64) -> Vec<Word<'a>> {
    let along = Vec2::from_angle(angle);
    let runs =
        |t: &&Text| t.height > 0.0 && (t.angle - angle).sin().abs() < 0.05 && (t.angle - angle).cos() > 0.0 && !t.value.trim().is_empty();
    let word = |text: &'a Text| {
        let Text { at, .. } = *text;
        let left = along.dot(at.to_vec2());
        Word { text, left, right: left + text.width(), base: along.cross(at.to_vec2()) }
    };
    let mut words: Vec<Word> = texts.iter().filter(runs).map(word).collect();
    words.sort_by(|a, b| a.base.total_cmp(&b.base).then(a.left.total_cmp(&b.left)));
    words
}

/// A heading: its words with what they head, from left to right.
type Heading<'a, 'w> = Vec<(Column, &'w Word<'a>)>;

/// Rows of words of which at least a count, and an item or a name, are headed.
fn headings<'a, 'w>(words: &'w [Word<'a>]) -> Vec<Heading<'a, 'w>> {
    let mut out = Vec::new();
    for mut line in lines(words) {
        line.sort_by(|a, b| a.left.total_cmp(&b.left));
        // Lists stand side by side where pages do: what is headed twice begins another.
        let mut several: Vec<Heading> = vec![Vec::new()];
        for (column, w) in line.iter().filter_map(|w| Some((heads(&w.text.value)?, *w))) {
            if several.last().is_some_and(|h| h.iter().any(|k| k.0 == column)) {
                several.push(Vec::new());
            }
            if let Some(last) = several.last_mut() {
                last.push((column, w));
            }
        }
        out.extend(several.into_iter().filter(|h| is_heading(h, &line)));
    }
    out
}

/// True where enough is headed, and most of what stands between heads something.
fn is_heading(heading: &[(Column, &Word)], line: &[&Word]) -> bool {
    let (Some(first), Some(last)) = (heading.first(), heading.last()) else { return false };
    let has = |c: Column| heading.iter().any(|h| h.0 == c);
    let enough = has(Column::Copies) && (has(Column::Item) || has(Column::Name)) || has(Column::Item) && has(Column::Thickness);
    let between = line.iter().filter(|w| w.left >= first.1.left && w.right <= last.1.right).count();
    enough && heading.len() * 2 >= between
}

/// Words on one base line each.
fn lines<'a, 'w>(words: &'w [Word<'a>]) -> Vec<Vec<&'w Word<'a>>> {
    let mut out: Vec<Vec<&Word>> = Vec::new();
    for w in words {
        match out.last_mut() {
            Some(line) if w.base - line[0].base <= LEVEL * line[0].text.height => line.push(w),
            _ => out.push(vec![w]),
        }
    }
    out
}

/// The rows on whichever side of a heading has more of them, with all the writing that they and it are made of.
fn below<'a>(words: &[Word<'a>], heading: &[(Column, &Word<'a>)]) -> (Vec<Row<'a>>, Vec<&'a Text>) {
    let (Some(first), Some(last)) = (heading.first(), heading.last()) else { return (Vec::new(), Vec::new()) };
    let h = first.1.text.height;
    let mut upward = Vec::new();
    let mut downward = Vec::new();
    for line in lines(words) {
        let within: Vec<&Word> =
            line.into_iter().filter(|w| w.right > first.1.left - 2.0 * h && w.left < last.1.right + 12.0 * h).collect();
        let Some(base) = within.first().map(|w| w.base) else { continue };
        if base > first.1.base + LEVEL * h {
            upward.push(within)
        } else if base < first.1.base - LEVEL * h {
            downward.push(within)
        }
    }
    downward.reverse();
    let of = |lines: Vec<Vec<&Word<'a>>>| {
        let (mut rows, mut writing): (Vec<Row>, Vec<&Text>) = (Vec::new(), Vec::new());
        let (mut at, mut pitch) = (first.1.base, PITCH * h);
        for line in lines {
            let away = (line[0].base - at).abs();
            if away > pitch {
                break;
            }
            if let Some(row) = row(&line, heading) {
                pitch = if rows.is_empty() { (2.2 * away).max(1.5 * h) } else { pitch };
                at = line[0].base;
                writing.extend(line.iter().map(|w| w.text));
                rows.push(row);
            }
        }
        (rows, writing)
    };
    let (up, down) = (of(upward), of(downward));
    let (rows, mut writing) = if up.0.len() > down.0.len() { up } else { down };
    writing.extend(heading.iter().map(|h| h.1.text));
    (rows, writing)
}

/// A line of words under a heading; `None` where it says neither what nor how many.
fn row<'a>(line: &[&Word<'a>], heading: &[(Column, &Word<'a>)]) -> Option<Row<'a>> {
    let mut cells: Vec<(Column, String)> = Vec::new();
    for w in line {
        let middle = |w: &Word| f64::midpoint(w.left, w.right);
        let away = |head: &Word| (w.left - head.left).abs().min((middle(w) - middle(head)).abs()).min((w.right - head.right).abs());
        let (column, _) = heading.iter().min_by(|a, b| away(a.1).total_cmp(&away(b.1)))?;
        match cells.iter_mut().find(|c| c.0 == *column) {
            Some(cell) => cell.1 = format!("{} {}", cell.1, w.text.value.trim()),
            None => cells.push((*column, w.text.value.trim().to_owned())),
        }
    }
    let cell = |c: Column| cells.iter().find(|k| k.0 == c).map_or("", |k| k.1.as_str());
    let bare = |words: &str| words.trim_matches(['.', ':', ' ']).to_owned();
    let (item, name) = (bare(cell(Column::Item)), cell(Column::Name).to_owned());
    if item.chars().count() > 8 || item.is_empty() && name.is_empty() || heads(&item).is_some() {
        return None;
    }
    let mut said = Vec::new();
    let counted = cell(Column::Copies);
    let copies = count(counted);
    let unread = (copies.is_none() && heading.iter().any(|h| h.0 == Column::Copies)).then(|| counted.to_owned());
    said.extend(copies);
    let material = cell(Column::Material).to_lowercase();
    let within = thickness(&material.split_whitespace().collect::<Vec<_>>());
    let figure = cell(Column::Thickness).to_lowercase().replace("t=", "");
    let thick = quantity::length(figure.trim(), Unit::Mm).ok().filter(|mm| *mm > 0.0);
    let of: String =
        material.split_whitespace().filter(|w| !w.contains(|c: char| c.is_ascii_digit()) && *w != "mm").collect::<Vec<_>>().join(" ");
    said.extend(thick.or(within.map(|w| w.0)).map(|mm| Said::Thickness(mm, of)));
    let says = !said.is_empty() || !counted.is_empty();
    says.then_some(Row { item, name, said, unread, first: line[0].text })
}

/// How many a cell says: `4`, `4x`, `4 pcs`, `4 Stk.`, or as a note would; `None` where it is not one number, such as `2+2`, `1.5` or `as req'd`.
fn count(cell: &str) -> Option<Said> {
    let rest = cell.trim_start_matches(|c: char| c.is_ascii_digit());
    let is_word = |c: char| c.is_alphabetic() || matches!(c, '.' | '×' | '\'' | ' ');
    if rest.len() == cell.len() || !rest.chars().all(is_word) || rest.starts_with('.') && rest.len() > 1 {
        let one = cell.matches(|c: char| c.is_ascii_digit()).count() > 0 && !cell.contains(['+', '/', '.', ',']);
        return understood(cell).into_iter().find(|s| one && matches!(s, Said::Copies(_)));
    }
    cell[..cell.len() - rest.len()].parse().ok().filter(|n| (1..=MOST).contains(n)).map(Said::Copies)
}

/// The parts that lines lead to from the item's number, wherever it stands.
fn led_to<'a>(row: &Row, notes: &[&Text], parts: &[&'a Part], drawing: u32, items: &[Item]) -> Vec<&'a Part> {
    let mut out: Vec<&Part> = Vec::new();
    let numbers =
        notes.iter().filter(|t| !row.item.is_empty() && t.value.trim().trim_matches(['.', '(', ')']).eq_ignore_ascii_case(&row.item));
    for t in numbers {
        let (at, h) = (t.middle(), t.height);
        let around = Bounds { min: at, max: at }.grown(LEADS.0 * h);
        let ends = items
            .iter()
            .filter(|i| i.contour.drawing == drawing && !i.contour.path.closed && !i.process.burns() && i.contour.bounds.meets(&around));
        let led = ends.filter_map(|i| {
            let (a, b) = (i.contour.path.segments.first()?.start, i.contour.path.segments.last()?.end);
            let (near, far) = if a.distance(at) < b.distance(at) { (a, b) } else { (b, a) };
            (near.distance(at) <= LEADS.0 * h && far.distance(at) > near.distance(at) + h).then_some((near.distance(at), far))
        });
        let Some((_, far)) = led.min_by(|a, b| a.0.total_cmp(&b.0)) else { continue };
        let within = parts.iter().filter(|p| p.outline.contains(far)).min_by(|a, b| a.area.total_cmp(&b.area));
        let by = || {
            parts
                .iter()
                .map(|p| (p.outline.nearest(far).distance, p))
                .filter(|(d, _)| *d <= LEADS.1 * h)
                .min_by(|a, b| a.0.total_cmp(&b.0))
                .map(|n| n.1)
        };
        if let Some(part) = within.or_else(by)
            && !out.iter().any(|p| p.id == part.id)
        {
            out.push(part);
        }
    }
    out
}

/// The parts that the row's name stands by, or its item's number where nothing leads from it to elsewhere.
fn named<'a>(row: &Row, notes: &[&Text], parts: &'a [Part], drawing: u32) -> Vec<&'a Part> {
    let same = |t: &Text| {
        let says = t.value.trim();
        !row.name.is_empty() && says.eq_ignore_ascii_case(row.name.trim()) || !row.item.is_empty() && is_numbered(says, &row.item)
    };
    let mut out: Vec<&Part> = Vec::new();
    for part in notes.iter().filter(|t| same(t)).filter_map(|t| tied(t, parts, drawing)) {
        if !out.iter().any(|p| p.id == part.id) {
            out.push(part);
        }
    }
    out
}

/// `ITEM 3`, `Pos. 3`, `Rep 3`, `(3)`.
fn is_numbered(says: &str, item: &str) -> bool {
    let says = says.trim_matches(['(', ')']);
    let mut words = says.rsplitn(2, [' ', '.', ':']);
    let (last, before) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
    last.eq_ignore_ascii_case(item) && (before.is_empty() && says.len() == item.len() || heads(before) == Some(Column::Item))
}

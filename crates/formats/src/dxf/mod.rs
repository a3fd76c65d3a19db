//! DXF, ASCII and binary, R12 and later.

mod areas;
mod binary;
mod colour;
mod entities;
mod expand;
mod pairs;
#[cfg(test)]
mod tests;
mod write;

pub use write::{WriteBlock, WriteLayer, write, write_with};

use crate::ReadError;
use boustrophe_core::drawing::{Drawing, FileUnits, Unit};
use entities::{Gathering, Raw};
use pairs::{DAMAGE, Pair, Pairs};
use std::collections::HashMap;

/// A layer of the file.
#[derive(Clone, Debug, Default)]
pub(crate) struct Layer {
    pub(crate) colour: [u8; 3],
    pub(crate) line_type: String,
    pub(crate) width: u32,
    /// What is on it is hidden.
    pub(crate) off: bool,
    /// So is all of a block that is put on it.
    pub(crate) frozen: bool,
}

/// A block: a drawing within the drawing.
#[derive(Clone, Debug, Default)]
pub(crate) struct Block {
    pub(crate) base: (f64, f64),
    pub(crate) entities: Vec<Raw>,
}

/// Tables and blocks of the file.
#[derive(Default)]
pub(crate) struct Tables {
    pub(crate) layers: HashMap<String, Layer>,
    pub(crate) blocks: HashMap<String, Block>,
}

/// Reads a DXF file. Every entity of its ENTITIES section is used or counted as skipped.
///
/// Of a damaged file what is there is taken: a section without its end or its name, records outside of any section, lines
/// that are out of step, an end in the middle. Each such place is told in [`Drawing::damage`]. Fails where nothing can be read.
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let mut pairs = Pairs::new(file, bytes)?;
    let mut found = Found { tables: Tables::default(), drawing: Drawing::new(file, FileUnits::Unsaid), drawn: Gathering::default() };
    let mut any = false;
    while let Some(pair) = pairs.next_pair() {
        match (pair.code, pair.value.as_ref()) {
            (0, "EOF") => break,
            (0, "ENDSEC") | (999, _) => {}
            (0, "SECTION") => {
                any = true;
                match pairs.next_pair() {
                    Some(Pair { code: 2, value, .. }) => found.section(&value, &mut pairs),
                    other => {
                        pairs.note("a section has no name.".into());
                        other.into_iter().for_each(|pair| pairs.hand_back(pair));
                        found.strays(&mut pairs);
                    }
                }
            }
            (0, _) => {
                any = true;
                pairs.note(format!("a {} stands outside of every section.", pair.value));
                pairs.hand_back(pair);
                found.strays(&mut pairs);
            }
            _ if !any && pair.code != DAMAGE => {
                return Err(pairs.broken("this is not a DXF file: it does not begin with a section. Export the drawing as DXF."));
            }
            _ => {}
        }
    }
    let Found { tables, mut drawing, drawn } = found;
    if let n @ 1.. = drawn.tilted {
        let them = if n == 1 { "1 entity lies".to_owned() } else { format!("{n} entities lie") };
        drawing
            .remarks
            .push(format!("{them} in planes that are tilted or stand upright: they are drawn as seen from above, shorter than they are."));
    }
    let (raw, skipped) = drawn.finish();
    if raw.is_empty()
        && let Some((line, what)) = pairs.damage.first()
    {
        let what = format!("{what} Nothing could be read; export or send it again.");
        return Err(ReadError::Broken { file: file.into(), line: *line, what });
    }
    if !any {
        return Err(pairs.broken("there is no section in it, so no drawing. Export the file again."));
    }
    drawing.damage = pairs.damage.iter().map(|(line, what)| format!("line {line}: {what}")).collect();
    for (kind, why) in skipped {
        match why {
            Some(sentence) => drawing.refuse(&kind, sentence),
            None => drawing.skip(&kind),
        }
    }
    expand::expand(raw, &tables, &mut drawing)?;
    Ok(drawing)
}

/// What was found of a file so far.
struct Found {
    tables: Tables,
    drawing: Drawing,
    drawn: Gathering,
}

impl Found {
    fn section(&mut self, name: &str, pairs: &mut Pairs) {
        match name {
            "HEADER" => header(pairs, &mut self.drawing),
            "TABLES" => each_record(pairs, |kind, groups, _| {
                if kind == "LAYER" {
                    let (name, layer) = layer(groups);
                    self.tables.layers.insert(name.to_lowercase(), layer);
                }
            }),
            "BLOCKS" => self.blocks(pairs),
            "ENTITIES" => self.strays(pairs),
            _ => each_record(pairs, |_, _, _| {}),
        }
    }

    /// Records up to the next section, as drawn.
    fn strays(&mut self, pairs: &mut Pairs) {
        each_record(pairs, |kind, groups, line| self.drawn.take(kind, groups, line));
    }

    fn blocks(&mut self, pairs: &mut Pairs) {
        // The block that is open: its name, base and what is drawn in it.
        let mut open: Option<(String, (f64, f64), Gathering)> = None;
        let mut outside = None;
        each_record(pairs, |kind, groups, line| match (kind, &mut open) {
            ("BLOCK", _) => {
                let text = |code: i32| groups.iter().find(|g| g.0 == code).map(|g| g.1.as_ref());
                let number = |code: i32| text(code).and_then(|t| t.trim().parse::<f64>().ok()).unwrap_or(0.0);
                let begun = (text(2).unwrap_or("").to_owned(), (number(10), number(20)), Gathering::default());
                // One that was not ended ends here.
                if let Some((name, base, drawn)) = open.replace(begun) {
                    self.tables.blocks.insert(name.to_lowercase(), Block { base, entities: drawn.finish().0 });
                }
            }
            ("ENDBLK", _) => {
                if let Some((name, base, drawn)) = open.take() {
                    self.tables.blocks.insert(name.to_lowercase(), Block { base, entities: drawn.finish().0 });
                }
            }
            (_, Some((_, _, drawn))) => drawn.take(kind, groups, line),
            (_, None) => {
                outside.get_or_insert_with(|| kind.to_owned());
                self.drawn.take(kind, groups, line);
            }
        });
        if let Some(kind) = outside {
            pairs.note(format!("a {kind} stands among the blocks, but in none of them."));
        }
    }
}

fn header(pairs: &mut Pairs, drawing: &mut Drawing) {
    let mut variable = String::new();
    loop {
        let Some(pair) = pairs.next_pair() else { return pairs.note(cut_off("the header")) };
        match pair.code {
            0 if pair.value == "ENDSEC" => return,
            0 => return pairs.hand_back(pair),
            9 => variable = pair.value.into_owned(),
            70 if variable == "$INSUNITS" => {
                drawing.units = match pair.value.trim().parse::<i32>() {
                    Ok(1) => FileUnits::Known(Unit::In),
                    Ok(2) => FileUnits::Known(Unit::Ft),
                    Ok(4) => FileUnits::Known(Unit::Mm),
                    Ok(5) => FileUnits::Known(Unit::Cm),
                    Ok(6) => FileUnits::Known(Unit::M),
                    Ok(8) => FileUnits::Scale(25.4e-6),
                    Ok(9) => FileUnits::Scale(0.0254),
                    Ok(10) => FileUnits::Scale(914.4),
                    Ok(13) => FileUnits::Scale(0.001),
                    Ok(14) => FileUnits::Scale(100.0),
                    _ => FileUnits::Unsaid,
                };
            }
            70 if variable == "$MEASUREMENT" => drawing.leans = Some(if pair.value.trim() == "0" { Unit::In } else { Unit::Mm }),
            _ => {}
        }
    }
}

fn cut_off(within: &str) -> String {
    format!("the file ends in the middle of {within}. It was cut off on its way.")
}

/// Group code and value of a record, in order.
pub(crate) type Groups<'a> = Vec<(i32, std::borrow::Cow<'a, str>)>;

/// Calls `take` with each record up to ENDSEC: its kind, groups and line. A section that is not ended ends where the next one
/// begins, or with the file; a record that is damaged, or cut off before it is whole, is told and not taken.
fn each_record(pairs: &mut Pairs, mut take: impl FnMut(&str, &Groups, usize)) {
    let mut groups: Groups = Vec::with_capacity(32);
    let mut kind: Option<(String, usize)> = None;
    loop {
        let Some(pair) = pairs.next_pair() else {
            match &kind {
                Some((k, line)) if !pairs.broken_off && whole(k, &groups) => {
                    take(k, &groups, *line);
                    pairs.note(cut_off("a section"));
                }
                Some((k, _)) => pairs.note(cut_off(&format!("a {k}, which was left out"))),
                None => pairs.note(cut_off("a section")),
            }
            return;
        };
        if pair.code == DAMAGE {
            if let Some((k, line)) = kind.take() {
                pairs.note(format!("the {k} that begins at line {line} is damaged and was left out."));
            }
            groups.clear();
        } else if pair.code == 0 {
            if let Some((k, line)) = &kind {
                take(k, &groups, *line);
            }
            groups.clear();
            match pair.value.as_ref() {
                "ENDSEC" => return,
                "SECTION" | "EOF" => {
                    pairs.note("a section is not ended.".into());
                    return pairs.hand_back(pair);
                }
                _ => kind = Some((pair.value.into_owned(), pair.line)),
            }
        } else if kind.is_some() && groups.len() < 4_000_000 {
            groups.push((pair.code, pair.value));
        }
    }
}

/// True when the last record of a file that ends too early has all that makes it what it is.
fn whole(kind: &str, groups: &Groups) -> bool {
    let has = |code: i32| groups.iter().any(|g| g.0 == code);
    let count = |code: i32| groups.iter().filter(|g| g.0 == code).count();
    match kind {
        "LINE" => [10, 20, 11, 21].into_iter().all(has),
        "CIRCLE" => [10, 20, 40].into_iter().all(has),
        "ARC" => [10, 20, 40, 50, 51].into_iter().all(has),
        "LWPOLYLINE" => groups.iter().find(|g| g.0 == 90).is_some_and(|g| g.1.trim().parse() == Ok(count(20)) && count(10) == count(20)),
        "SEQEND" | "ENDBLK" => true,
        _ => false,
    }
}

fn layer(groups: &Groups) -> (String, Layer) {
    let text = |code: i32| groups.iter().find(|g| g.0 == code).map(|g| g.1.as_ref());
    let number = |code: i32| text(code).and_then(|t| t.trim().parse::<i64>().ok());
    let index = number(62).unwrap_or(7);
    let name = text(2).unwrap_or("0").to_owned();
    let colour = number(420).map_or_else(|| colour::indexed(index.unsigned_abs() as usize), colour::packed);
    let frozen = number(70).unwrap_or(0) & 1 == 1;
    let off = index < 0 || number(290) == Some(0) || name.eq_ignore_ascii_case("defpoints");
    let width = number(370).filter(|w| *w > 0).map_or(0, |w| w as u32 * 10);
    (name, Layer { colour, line_type: entities::line_type(text(6).unwrap_or("")), width, off, frozen })
}

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

pub use write::{WriteLayer, write};

use crate::ReadError;
use boustrophe_core::drawing::{Drawing, FileUnits, Unit};
use entities::{Gathering, Raw};
use pairs::{Pair, Pairs};
use std::collections::HashMap;

/// A layer of the file.
#[derive(Clone, Debug, Default)]
pub(crate) struct Layer {
    pub(crate) colour: [u8; 3],
    pub(crate) line_type: String,
    pub(crate) width: u32,
    pub(crate) hidden: bool,
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
pub fn read(file: &str, bytes: &[u8]) -> Result<Drawing, ReadError> {
    let mut pairs = Pairs::new(file, bytes)?;
    let mut tables = Tables::default();
    let mut drawing = Drawing::new(file, FileUnits::Unsaid);
    let mut raw: Vec<Raw> = Vec::new();
    let mut any = false;
    while let Some(pair) = pairs.next_pair()? {
        match (pair.code, pair.value.as_ref()) {
            (0, "EOF") => break,
            (0, "SECTION") => {
                any = true;
                match pairs.next_pair()? {
                    Some(Pair { code: 2, value, .. }) => section(&value, &mut pairs, &mut tables, &mut drawing, &mut raw)?,
                    _ => return Err(pairs.broken("a section has no name. Export the file again.")),
                }
            }
            (999, _) => {}
            _ if !any => return Err(pairs.broken("this is not a DXF file: it does not begin with a section. Export the drawing as DXF.")),
            _ => {}
        }
    }
    if !any {
        return Err(pairs.broken("there is no section in it, so no drawing. Export the file again."));
    }
    expand::expand(raw, &tables, &mut drawing)?;
    Ok(drawing)
}

fn section(name: &str, pairs: &mut Pairs, tables: &mut Tables, drawing: &mut Drawing, raw: &mut Vec<Raw>) -> Result<(), ReadError> {
    match name {
        "HEADER" => header(pairs, drawing),
        "TABLES" => records(pairs, |kind, groups| {
            if kind == "LAYER" {
                let (name, layer) = layer(groups);
                tables.layers.insert(name, layer);
            }
        }),
        "BLOCKS" => blocks(pairs, tables),
        "ENTITIES" => {
            let mut gathering = Gathering::default();
            each_record(pairs, |kind, groups, line| gathering.take(kind, groups, line))?;
            let (found, skipped) = gathering.finish();
            *raw = found;
            for (kind, why) in skipped {
                match why {
                    Some(sentence) => drawing.refuse(&kind, sentence),
                    None => drawing.skip(&kind),
                }
            }
            Ok(())
        }
        _ => records(pairs, |_, _| {}),
    }
}

fn header(pairs: &mut Pairs, drawing: &mut Drawing) -> Result<(), ReadError> {
    let mut variable = String::new();
    loop {
        let Some(pair) = pairs.next_pair()? else { return Err(pairs.cut_off("the header")) };
        match pair.code {
            0 => return Ok(()),
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

/// Group code and value of a record, in order.
pub(crate) type Groups<'a> = Vec<(i32, std::borrow::Cow<'a, str>)>;

fn records(pairs: &mut Pairs, mut take: impl FnMut(&str, &Groups)) -> Result<(), ReadError> {
    each_record(pairs, |kind, groups, _| take(kind, groups))
}

/// Calls `take` with each record up to ENDSEC: its kind, groups and line.
fn each_record(pairs: &mut Pairs, mut take: impl FnMut(&str, &Groups, usize)) -> Result<(), ReadError> {
    let mut groups: Groups = Vec::with_capacity(32);
    let mut kind: Option<(String, usize)> = None;
    loop {
        let Some(pair) = pairs.next_pair()? else {
            let within = kind.map_or_else(|| "a section".to_owned(), |(k, _)| format!("a {k}"));
            return Err(pairs.cut_off(&within));
        };
        if pair.code == 0 {
            if let Some((k, line)) = &kind {
                take(k, &groups, *line);
            }
            groups.clear();
            if pair.value == "ENDSEC" {
                return Ok(());
            }
            kind = Some((pair.value.into_owned(), pair.line));
        } else if groups.len() < 4_000_000 {
            groups.push((pair.code, pair.value));
        }
    }
}

fn layer(groups: &Groups) -> (String, Layer) {
    let text = |code: i32| groups.iter().find(|g| g.0 == code).map(|g| g.1.as_ref());
    let number = |code: i32| text(code).and_then(|t| t.trim().parse::<i64>().ok());
    let index = number(62).unwrap_or(7);
    let name = text(2).unwrap_or("0").to_owned();
    let colour = number(420).map_or_else(|| colour::indexed(index.unsigned_abs() as usize), colour::packed);
    let frozen = number(70).unwrap_or(0) & 1 == 1;
    let hidden = index < 0 || frozen || number(290) == Some(0) || name.eq_ignore_ascii_case("defpoints");
    let width = number(370).filter(|w| *w > 0).map_or(0, |w| w as u32 * 10);
    (name, Layer { colour, line_type: entities::line_type(text(6).unwrap_or("")), width, hidden })
}

fn blocks(pairs: &mut Pairs, tables: &mut Tables) -> Result<(), ReadError> {
    let mut name = String::new();
    let mut block = Block::default();
    let mut gathering = Gathering::default();
    each_record(pairs, |kind, groups, line| match kind {
        "BLOCK" => {
            let text = |code: i32| groups.iter().find(|g| g.0 == code).map(|g| g.1.as_ref());
            let number = |code: i32| text(code).and_then(|t| t.trim().parse::<f64>().ok()).unwrap_or(0.0);
            name = text(2).unwrap_or("").to_owned();
            block = Block { base: (number(10), number(20)), entities: Vec::new() };
            gathering = Gathering::default();
        }
        "ENDBLK" => {
            block.entities = std::mem::take(&mut gathering).finish().0;
            tables.blocks.insert(std::mem::take(&mut name), std::mem::take(&mut block));
        }
        _ => gathering.take(kind, groups, line),
    })
}

//! What was typed for `prep`, checked.

use super::options::{Command, Reading, number, reading, text};
use crate::failure::Failure;
use boustrophe_core::decisions::{Stock, Strategy};
use boustrophe_core::drawing::Unit;
use boustrophe_core::nest::{Aim, Grain, Sheet, Turn};
use boustrophe_core::quantity;
use boustrophe_core::release::Dialect;
use boustrophe_core::shop;
use boustrophe_formats::print::Paper;
use lexopt::prelude::*;
use std::path::PathBuf;

/// Options of `prep`.
#[derive(Clone, Debug)]
pub struct Prep {
    pub drawings: Vec<PathBuf>,
    pub out: PathBuf,
    pub reading: Reading,
    pub stock: Stock,
    /// Drawings, by the names they were given under, whose parts are other batches.
    pub stocks: Vec<(PathBuf, Stock)>,
    pub sheets: Vec<Sheet>,
    pub offcuts: Vec<PathBuf>,
    pub quantity: u32,
    pub turn: Turn,
    pub mirror: bool,
    pub common_edges: bool,
    pub aim: Aim,
    pub strategy: Strategy,
    /// Outline for each nick, and its width, mm.
    pub nick_every: Option<f64>,
    pub nick_width: Option<f64>,
    pub grain: Option<Grain>,
    pub spacing: Option<f64>,
    pub margin: Option<f64>,
    pub nest_seconds: f64,
    pub nicks: bool,
    pub leads: bool,
    pub accept: bool,
    /// How the controller is spoken to, where not as the machine's own.
    pub dialect: Option<Dialect>,
    /// Every sheet at 1:1 on this paper.
    pub paper: Option<Paper>,
    /// A setup sheet each.
    pub setup: bool,
    pub seed: u64,
}

/// `FILE=MACHINE,MATERIAL,THICKNESS`.
fn stock(typed: &str) -> Result<(PathBuf, Stock), Failure> {
    let wrong = || Failure::Usage(format!("--stock {typed} will not do; use FILE=MACHINE,MATERIAL,THICKNESS."));
    let (file, stock) = typed.rsplit_once('=').ok_or_else(wrong)?;
    let mut words = stock.split(',').map(str::trim);
    let (Some(machine), Some(material), Some(thickness), None) = (words.next(), words.next(), words.next(), words.next()) else {
        return Err(wrong());
    };
    let mm = quantity::length(thickness, Unit::Mm).and_then(shop::thickness);
    let mm = mm.map_err(|e| Failure::Usage(format!("--stock {typed}: {e}.")))?;
    Ok((PathBuf::from(file), Stock { machine: machine.into(), material: material.into(), thickness: mm }))
}

/// A dialect that comes with the application, or a file.
fn dialect(name: &str) -> Result<Dialect, Failure> {
    if let Some(known) = Dialect::shipped(name) {
        return Ok(known);
    }
    if !name.contains(['.', '/', '\\']) {
        return Err(Failure::Usage(format!("--dialect {name} will not do; use laser, plasma, chords or a file.")));
    }
    let hint = "Use laser, plasma, chords, or a file as in docs/dialects.md.";
    let text = std::fs::read_to_string(name).map_err(|error| Failure::File { path: name.into(), error, hint })?;
    text.parse().map_err(|e| Failure::Usage(format!("--dialect {name}: {e}.")))
}

pub(super) fn prep(parser: &mut lexopt::Parser) -> Result<Command, Failure> {
    let mut p = Prep {
        drawings: Vec::new(),
        out: PathBuf::new(),
        reading: Reading::default(),
        stock: Stock::default(),
        stocks: Vec::new(),
        sheets: Vec::new(),
        offcuts: Vec::new(),
        quantity: 1,
        turn: Turn::default(),
        mirror: false,
        common_edges: false,
        aim: Aim::Rest,
        strategy: Strategy::Least,
        nick_every: None,
        nick_width: None,
        grain: None,
        spacing: None,
        margin: None,
        nest_seconds: 5.0,
        nicks: true,
        leads: true,
        accept: false,
        dialect: None,
        paper: None,
        setup: false,
        seed: 1,
    };
    let (mut material, mut thickness) = (None, None);
    while let Some(arg) = parser.next().map_err(|e| Failure::Usage(format!("{e}.")))? {
        let flag = match arg {
            Value(path) => {
                p.drawings.push(PathBuf::from(path));
                continue;
            }
            Long(flag) => flag.to_owned(),
            other @ Short(_) => return Err(Failure::Usage(format!("{}.", other.unexpected()))),
        };
        match flag.as_str() {
            "out" => p.out = PathBuf::from(text(parser)?),
            "machine" => p.stock.machine = text(parser)?,
            "material" => material = Some(text(parser)?),
            "thickness" => thickness = Some(number(parser, "--thickness", 0.05, 200.0)?),
            "stock" => p.stocks.push(stock(&text(parser)?)?),
            "sheet" => p.sheets.push(sheet(&text(parser)?)?),
            "offcut" => p.offcuts.push(PathBuf::from(text(parser)?)),
            "quantity" => {
                let typed = text(parser)?;
                p.quantity = quantity::count(&typed, 1, boustrophe_core::decisions::MOST_COPIES)
                    .map_err(|e| Failure::Usage(format!("--quantity: {e}.")))?;
            }
            "turn" => {
                let word = text(parser)?;
                p.turn = Turn::from_word(&word)
                    .ok_or_else(|| Failure::Usage(format!("--turn {word} will not do; use none, 180, 90 or any.")))?;
            }
            "mirror" => p.mirror = true,
            "common-edges" => p.common_edges = true,
            "strategy" => {
                let word = text(parser)?;
                p.strategy = Strategy::from_word(&word).ok_or_else(|| {
                    Failure::Usage(format!("--strategy {word} will not do; use least, parts, rows, spread, fragile or corner."))
                })?;
            }
            "nick-every" => p.nick_every = Some(number(parser, "--nick-every", 5.0, 10_000.0)?),
            "nick-width" => p.nick_width = Some(number(parser, "--nick-width", 0.05, 20.0)?),
            "aim" => p.aim = crate::edits::aim(&text(parser)?).map_err(|e| Failure::Usage(format!("--aim: {e}.")))?,
            "grain" => {
                let word = text(parser)?;
                let grain = Grain::from_word(&word);
                p.grain = Some(grain.ok_or_else(|| Failure::Usage(format!("--grain {word} will not do; use along or across.")))?);
            }
            "spacing" => p.spacing = Some(number(parser, "--spacing", 0.0, 500.0)?),
            "margin" => p.margin = Some(number(parser, "--margin", 0.0, 500.0)?),
            "nest-seconds" => p.nest_seconds = number(parser, "--nest-seconds", 0.0, 36_000.0)?,
            "no-nicks" => p.nicks = false,
            "no-leads" => p.leads = false,
            "accept" => p.accept = true,
            "setup" => p.setup = true,
            "paper" => p.paper = Some(text(parser)?.parse().map_err(|e| Failure::Usage(format!("--paper: {e}.")))?),
            "dialect" => p.dialect = Some(dialect(&text(parser)?)?),
            "seed" => {
                let typed = text(parser)?;
                p.seed = typed.parse().map_err(|_| Failure::Usage(format!("--seed {typed} will not do; use a whole number.")))?;
            }
            other => {
                if !reading(parser, other, &mut p.reading)? {
                    return Err(Failure::Usage(format!("--{other} is no option of prep.")));
                }
            }
        }
    }
    if p.drawings.is_empty() {
        return Err(Failure::Usage("prep needs at least one drawing.".into()));
    }
    if p.out.as_os_str().is_empty() {
        return Err(Failure::Usage("prep needs --out DIR, where the programs and the report go.".into()));
    }
    let plasma = p.stock.machine == "anvil";
    p.stock.material = material.unwrap_or_else(|| if plasma { "mild-steel" } else { "birch-ply" }.into());
    p.stock.thickness = thickness.unwrap_or(match p.stock.material.as_str() {
        "card" => 1.5,
        "mild-steel" => 6.0,
        _ => 3.0,
    });
    Ok(Command::Prep(Box::new(p)))
}

/// `WxH` or `N@WxH` in mm.
fn sheet(typed: &str) -> Result<Sheet, Failure> {
    let wrong = || Failure::Usage(format!("--sheet {typed} will not do; use WxH or N@WxH in mm, such as 600x400 or 3@600x400."));
    let (count, size) = match typed.split_once('@') {
        Some((n, size)) => (Some(quantity::count(n, 1, 10_000).map_err(|_| wrong())?), size),
        None => (None, typed),
    };
    let (w, h) = size.split_once(['x', 'X', '×']).ok_or_else(wrong)?;
    let side = |t: &str| quantity::length(t, Unit::Mm).map_err(|_| wrong());
    let sheet = Sheet { count, ..Sheet::rectangle(side(w)?, side(h)?) };
    sheet.checked().map_err(|e| Failure::Usage(format!("--sheet: {e}.")))?;
    Ok(sheet)
}

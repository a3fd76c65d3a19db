//! What was typed for `prep`, checked.

use super::options::{Reading, ReadingWords, number, number_of};
use crate::failure::Failure;
use boustrophe_core::decisions::{Stock, Strategy};
use boustrophe_core::drawing::Unit;
use boustrophe_core::nest::{Aim, Grain, Sheet, Turn};
use boustrophe_core::quantity;
use boustrophe_core::release::Dialect;
use boustrophe_core::shop;
use boustrophe_formats::print::Paper;
use clap::{Args, ValueHint};
use std::path::PathBuf;

/// Tries of a nest at most.
const MOST_STEPS: u32 = 100_000;
/// A try takes no longer than that on a slow machine, s.
const LONGEST_STEP: f64 = 6.0;

/// How long each batch is nested.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum NestFor {
    /// By the clock.
    Seconds(f64),
    /// By tries: the same layout on any machine.
    Steps(u32),
}

impl NestFor {
    /// What it takes at most on the clock, s.
    pub fn seconds(self) -> f64 {
        match self {
            Self::Seconds(s) => s,
            Self::Steps(n) => f64::from(n) * LONGEST_STEP,
        }
    }
}

/// Options of `prep`.
#[derive(Clone, Debug)]
pub struct Prep {
    pub drawings: Vec<PathBuf>,
    pub out: PathBuf,
    pub reading: Reading,
    /// Folder of the shop whose book and rack are taken.
    pub data: Option<PathBuf>,
    /// Machine and material as they were typed, thickness, mm; as usual where nothing was.
    pub machine: Option<String>,
    pub material: Option<String>,
    pub thickness: Option<f64>,
    /// Drawings, and the tables that fill them.
    pub tables: Vec<(PathBuf, PathBuf)>,
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
    pub nest_for: NestFor,
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

/// What is typed for `prep`.
#[derive(Args)]
#[command(args_override_self = true, allow_negative_numbers = true)]
pub struct PrepWords {
    /// The drawings.
    #[arg(value_name = "DRAWING", value_hint = ValueHint::FilePath)]
    drawings: Vec<PathBuf>,
    /// Where programs and report go.
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    out: Option<PathBuf>,
    #[command(flatten)]
    reading: ReadingWords,
    /// Takes book, charts, rules and rack of the shop in DIR; nothing is changed there.
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    data: Option<PathBuf>,
    /// Machine by its id or name: lark (laser), anvil (plasma).
    #[arg(long, value_name = "ID")]
    machine: Option<String>,
    /// Material by its id: birch-ply, acrylic, card, mild-steel.
    #[arg(long, value_name = "ID")]
    material: Option<String>,
    /// Thickness of the material.
    #[arg(long, value_name = "MM")]
    thickness: Option<String>,
    /// That drawing's parts are another batch; repeatable.
    #[arg(long = "stock", value_name = "FILE=MACHINE,MATERIAL,THICKNESS")]
    stocks: Vec<String>,
    /// A table fills the drawing's writing, one copy a row; FILE= where there are several drawings.
    #[arg(long = "table", value_name = "[FILE=]CSV")]
    tables: Vec<String>,
    /// A sheet, mm; repeatable, as many as needed of the last.
    #[arg(long = "sheet", value_name = "WxH|N@WxH")]
    sheets: Vec<String>,
    /// A closed outline, taken first; repeatable.
    #[arg(long = "offcut", value_name = "FILE", value_hint = ValueHint::FilePath)]
    offcuts: Vec<PathBuf>,
    /// Copies of each drawing's parts.
    #[arg(long, value_name = "N", default_value = "1")]
    quantity: String,
    /// Turns that parts may take: none, 180, 90, any.
    #[arg(long, value_name = "TURN")]
    turn: Option<String>,
    /// Parts may be mirrored.
    #[arg(long)]
    mirror: bool,
    /// Grain of the parts along or across the sheet's x.
    #[arg(long, value_name = "WAY")]
    grain: Option<String>,
    /// Neighbours share cuts.
    #[arg(long)]
    common_edges: bool,
    /// What is aimed at on as many sheets: rest, rows, cuts.
    #[arg(long, value_name = "AIM")]
    aim: Option<String>,
    /// Distance between parts.
    #[arg(long, value_name = "MM")]
    spacing: Option<String>,
    /// Distance from the sheet's edge.
    #[arg(long, value_name = "MM")]
    margin: Option<String>,
    /// How long is nested.
    #[arg(long, value_name = "S", default_value = "5")]
    nest_seconds: String,
    /// How many tries the nest takes, instead of seconds: the same layout on any machine.
    #[arg(long, value_name = "N", conflicts_with = "nest_seconds")]
    nest_steps: Option<String>,
    /// How the machine goes over a sheet: least, parts, rows, spread[:MM], fragile, corner[:lower-left ...].
    #[arg(long, value_name = "NAME")]
    strategy: Option<String>,
    /// No nicks.
    #[arg(long)]
    no_nicks: bool,
    /// No leads.
    #[arg(long)]
    no_leads: bool,
    /// Outline for each nick.
    #[arg(long, value_name = "MM")]
    nick_every: Option<String>,
    /// Width of a nick.
    #[arg(long, value_name = "MM")]
    nick_width: Option<String>,
    /// Releases in spite of findings to look at.
    #[arg(long)]
    accept: bool,
    /// How the controller is spoken to: laser, plasma, chords, or a file as in docs/dialects.md.
    #[arg(long, value_name = "NAME")]
    dialect: Option<String>,
    /// Every sheet at 1:1 as PDF on a4, a3 or letter.
    #[arg(long, value_name = "PAPER")]
    paper: Option<String>,
    /// A setup sheet each.
    #[arg(long)]
    setup: bool,
    /// Start of the nest's random sequence.
    #[arg(long, value_name = "N", default_value = "1")]
    seed: String,
}

/// A word of a list behind a flag.
fn word<T: Default>(flag: &str, typed: Option<&String>, known: impl Fn(&str) -> Option<T>, all: &str) -> Result<T, Failure> {
    let read = |w: &String| known(w).ok_or_else(|| Failure::Usage(format!("{flag} {w} will not do; use {all}.")));
    typed.map_or_else(|| Ok(T::default()), read)
}

impl PrepWords {
    /// What was typed, checked.
    pub(super) fn prep(self) -> Result<Prep, Failure> {
        let usage = |flag: &str, e: &dyn std::fmt::Display| Failure::Usage(format!("{flag}: {e}."));
        if self.drawings.is_empty() {
            return Err(Failure::Usage("prep needs at least one drawing.".into()));
        }
        let out = self.out.ok_or_else(|| Failure::Usage("prep needs --out DIR, where the programs and the report go.".into()))?;
        let copies = quantity::count(&self.quantity, 1, boustrophe_core::decisions::MOST_COPIES);
        let seed = self.seed.parse().map_err(|_| Failure::Usage(format!("--seed {} will not do; use a whole number.", self.seed)));
        let strategies = "least, parts, rows, spread, fragile or corner";
        Ok(Prep {
            out,
            reading: self.reading.reading()?,
            data: self.data,
            machine: self.machine,
            material: self.material,
            thickness: number_of("--thickness", self.thickness.as_ref(), (0.05, 200.0))?,
            stocks: self.stocks.iter().map(|t| stock(t)).collect::<Result<_, _>>()?,
            tables: self.tables.iter().map(|t| table(t, &self.drawings)).collect::<Result<_, _>>()?,
            sheets: self.sheets.iter().map(|t| sheet(t)).collect::<Result<_, _>>()?,
            offcuts: self.offcuts,
            quantity: copies.map_err(|e| usage("--quantity", &e))?,
            turn: word("--turn", self.turn.as_ref(), Turn::from_word, "none, 180, 90 or any")?,
            mirror: self.mirror,
            common_edges: self.common_edges,
            aim: self.aim.as_deref().map_or(Ok(Aim::Rest), crate::stations::nest::edits::aim).map_err(|e| usage("--aim", &e))?,
            strategy: word("--strategy", self.strategy.as_ref(), Strategy::from_word, strategies)?,
            nick_every: number_of("--nick-every", self.nick_every.as_ref(), (5.0, 10_000.0))?,
            nick_width: number_of("--nick-width", self.nick_width.as_ref(), (0.05, 20.0))?,
            grain: word("--grain", self.grain.as_ref(), |w| Grain::from_word(w).map(Some), "along or across")?,
            spacing: number_of("--spacing", self.spacing.as_ref(), (0.0, 500.0))?,
            margin: number_of("--margin", self.margin.as_ref(), (0.0, 500.0))?,
            nest_for: match &self.nest_steps {
                Some(steps) => NestFor::Steps(quantity::count(steps, 1, MOST_STEPS).map_err(|e| usage("--nest-steps", &e))?),
                None => NestFor::Seconds(number("--nest-seconds", &self.nest_seconds, (0.0, 36_000.0))?),
            },
            nicks: !self.no_nicks,
            leads: !self.no_leads,
            accept: self.accept,
            dialect: self.dialect.as_deref().map(dialect).transpose()?,
            paper: self.paper.map(|p| p.parse()).transpose().map_err(|e| usage("--paper", &e))?,
            setup: self.setup,
            seed: seed?,
            drawings: self.drawings,
        })
    }
}

/// `FILE=CSV`, or a table alone where there is one drawing.
fn table(typed: &str, drawings: &[PathBuf]) -> Result<(PathBuf, PathBuf), Failure> {
    match (typed.rsplit_once('='), drawings) {
        (Some((file, csv)), _) => Ok((PathBuf::from(file), PathBuf::from(csv))),
        (None, [one]) => Ok((one.clone(), PathBuf::from(typed))),
        (None, _) => Err(Failure::Usage(format!("--table {typed}: there are several drawings; use FILE=CSV to say which it fills."))),
    }
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

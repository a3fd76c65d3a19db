//! What was typed, checked. The flags are a contract: extend, never rename.

use crate::server::{Controller, Opening};
use boustrophe_core::decisions::{DrawingDecisions, Stock, Strategy};
use boustrophe_core::drawing::Unit;
use boustrophe_core::nest::{Aim, Grain, Sheet, Turn};
use boustrophe_core::quantity;
use boustrophe_machine::Link;
use lexopt::prelude::*;
use std::ffi::OsString;
use std::path::PathBuf;

/// Help.
pub const USAGE: &str = "\
boustrophe demo  [--listen 127.0.0.1:7878] [--data DIR]   demo shop with its data and simulated machines
boustrophe serve [--listen ADDR] [--data DIR]             an empty or existing shop
  --machine-speed N        how much faster than real time the simulated machines run, default 10
  --host NAME              a further name under which browsers reach the shop, repeatable
  --connect ID=ADDR,TOKEN  a machine whose controller answers elsewhere, repeatable
boustrophe controller ID --token T [--listen ADDR] [--machine-speed N]   a simulated machine by itself
boustrophe prep DRAWING... --out DIR [options]            drawings in, programs and report out
boustrophe check DRAWING... [--json]                      findings of intake and clean

Options of prep:
  --units mm|cm|m|in|ft    where a file does not say     --ppi 96|90|72      pixels per inch of an SVG in pixels
  --scale R                drawing size x R = true size   --machine ID        lark (laser), anvil (plasma)
  --material ID            birch-ply, acrylic, card, mild-steel
  --thickness MM           --quantity N                   --turn none|180|90|any
  --sheet WxH | N@WxH      repeatable, mm                 --offcut FILE       a closed outline, repeatable
  --spacing MM             --margin MM                    --nest-seconds S    default 5
  --no-nicks               --no-leads                     --seed N
  --nick-every MM          --nick-width MM
  --strategy least|parts|rows|spread[:MM]|fragile|corner[:lower-left ...]   how the machine goes over a sheet
  --common-edges           neighbours share cuts          --aim rest|rows|cuts   on as many sheets, nest for
  --mirror                 parts may be mirrored          --grain along|across   of the sheet's x
  --accept                 release in spite of findings to look at
  --stock FILE=MACHINE,MATERIAL,THICKNESS   that drawing's parts are another batch, repeatable

Exit: 0 done; 1 findings hold it up, report written, no program; 2 usage or unreadable input.";

/// Why a command did not run: one line for standard error, exit 2.
#[derive(Debug, thiserror::Error)]
pub enum Failure {
    /// A wrong word on the command line.
    #[error("{0} Try `boustrophe --help`.")]
    Usage(String),
    /// A file that cannot be read.
    #[error("{0}")]
    Read(#[from] boustrophe_formats::ReadError),
    /// A file that cannot be opened or written.
    #[error("{path}: {error}. {hint}")]
    File {
        /// Which.
        path: String,
        /// What the system says.
        error: std::io::Error,
        /// What to do.
        hint: &'static str,
    },
    /// Anything else, in a sentence.
    #[error("{0}")]
    Other(String),
}

/// How sizes are to be read where files do not say.
#[derive(Clone, Debug, Default)]
pub struct Reading {
    pub units: Option<Unit>,
    pub ppi: Option<f64>,
    pub scale: Option<f64>,
}

impl Reading {
    /// The decisions on a drawing that follow from the flags.
    pub fn decide(&self, id: u32, name: &str, drawing: &boustrophe_core::drawing::Drawing) -> DrawingDecisions {
        use boustrophe_core::drawing::FileUnits;
        let mut d = DrawingDecisions::new(id, "", name);
        // A file that says its unit is believed; pixels go by --ppi first.
        match drawing.units {
            FileUnits::Unsaid => d.unit = self.units,
            FileUnits::Pixels if self.ppi.is_some() => d.ppi = self.ppi,
            FileUnits::Pixels => d.unit = self.units,
            _ => {}
        }
        d.scale = self.scale.unwrap_or(1.0);
        d
    }
}

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
    pub seed: u64,
}

/// What is to be done.
pub enum Command {
    Help,
    Open(Box<Opening>),
    Controller(Box<Controller>),
    ReadDrawing(String),
    Prep(Box<Prep>),
    Check { drawings: Vec<PathBuf>, reading: Reading, json: bool },
}

/// Reads the command line.
pub fn parse(args: impl IntoIterator<Item = OsString>) -> Result<Command, Failure> {
    let mut parser = lexopt::Parser::from_iter(args);
    let usage = |e: lexopt::Error| Failure::Usage(format!("{e}."));
    let command = match parser.next().map_err(usage)? {
        None | Some(Short('h') | Long("help")) => return Ok(Command::Help),
        Some(Value(v)) => v.to_string_lossy().into_owned(),
        Some(other) => return Err(usage(other.unexpected())),
    };
    match command.as_str() {
        "demo" => open(&mut parser, true),
        "serve" => open(&mut parser, false),
        "controller" => controller(&mut parser),
        crate::reading::COMMAND => Ok(Command::ReadDrawing(text(&mut parser)?)),
        "prep" => prep(&mut parser),
        "check" => check(&mut parser),
        "help" => Ok(Command::Help),
        other => Err(Failure::Usage(format!("“{other}” is not a command; there are demo, serve, prep and check."))),
    }
}

fn text(parser: &mut lexopt::Parser) -> Result<String, Failure> {
    parser.value().map(|v| v.to_string_lossy().into_owned()).map_err(|e| Failure::Usage(format!("{e}.")))
}

/// A length or number behind a flag, within limits.
fn number(parser: &mut lexopt::Parser, flag: &str, least: f64, most: f64) -> Result<f64, Failure> {
    let typed = text(parser)?;
    let value = quantity::length(&typed, Unit::Mm).map_err(|e| Failure::Usage(format!("{flag}: {e}.")))?;
    if (least..=most).contains(&value) {
        Ok(value)
    } else {
        Err(Failure::Usage(format!("{flag} {typed} will not do; use {least} to {most}.")))
    }
}

/// Flags that say how sizes are read; false for a flag that is none of them.
fn reading(parser: &mut lexopt::Parser, flag: &str, reading: &mut Reading) -> Result<bool, Failure> {
    match flag {
        "units" => reading.units = Some(text(parser)?.parse().map_err(|e| Failure::Usage(format!("--units: {e}.")))?),
        "ppi" => reading.ppi = Some(number(parser, "--ppi", 1.0, 10_000.0)?),
        "scale" => reading.scale = Some(number(parser, "--scale", 1e-6, 1e6)?),
        _ => return Ok(false),
    }
    Ok(true)
}

/// `FILE=MACHINE,MATERIAL,THICKNESS`.
fn stock(typed: &str) -> Result<(PathBuf, Stock), Failure> {
    let wrong = || Failure::Usage(format!("--stock {typed} will not do; use FILE=MACHINE,MATERIAL,THICKNESS."));
    let (file, stock) = typed.rsplit_once('=').ok_or_else(wrong)?;
    let mut words = stock.split(',').map(str::trim);
    let (Some(machine), Some(material), Some(thickness), None) = (words.next(), words.next(), words.next(), words.next()) else {
        return Err(wrong());
    };
    let mm = quantity::length(thickness, Unit::Mm).map_err(|e| Failure::Usage(format!("--stock {typed}: {e}.")))?;
    if !(0.05..=200.0).contains(&mm) {
        return Err(Failure::Usage(format!("--stock {typed}: a thickness of {mm} mm will not do; use 0.05 to 200.")));
    }
    Ok((PathBuf::from(file), Stock { machine: machine.into(), material: material.into(), thickness: mm }))
}

/// `demo` and `serve`.
fn open(parser: &mut lexopt::Parser, demo: bool) -> Result<Command, Failure> {
    let mut opening = Opening {
        listen: std::net::SocketAddr::from(([127, 0, 0, 1], 7878)),
        data: PathBuf::from(if demo { "data/demo" } else { "data/shop" }),
        demo,
        machine_speed: 10.0,
        hosts: Vec::new(),
        connect: Vec::new(),
    };
    while let Some(arg) = parser.next().map_err(|e| Failure::Usage(format!("{e}.")))? {
        match arg {
            Long("listen") => {
                let typed = text(parser)?;
                opening.listen = typed.parse().map_err(|_| {
                    Failure::Usage(format!("--listen {typed} will not do; use an address and port such as 127.0.0.1:7878."))
                })?;
            }
            Long("data") => opening.data = PathBuf::from(text(parser)?),
            Long("machine-speed") => opening.machine_speed = number(parser, "--machine-speed", 0.01, 100_000.0)?,
            Long("host") => opening.hosts.push(text(parser)?),
            Long("connect") => {
                let typed = text(parser)?;
                let link = typed.split_once('=').and_then(|(id, at)| Some((id, at.split_once(',')?)));
                let (id, (address, token)) =
                    link.ok_or_else(|| Failure::Usage(format!("--connect {typed} will not do; use ID=HOST:PORT,TOKEN.")))?;
                opening.connect.push((id.to_owned(), Link { address: address.to_owned(), token: token.to_owned() }));
            }
            other => return Err(Failure::Usage(format!("{}.", other.unexpected()))),
        }
    }
    Ok(Command::Open(Box::new(opening)))
}

/// `controller`.
fn controller(parser: &mut lexopt::Parser) -> Result<Command, Failure> {
    let mut c =
        Controller { id: String::new(), listen: std::net::SocketAddr::from(([127, 0, 0, 1], 0)), token: String::new(), speed: 10.0 };
    while let Some(arg) = parser.next().map_err(|e| Failure::Usage(format!("{e}.")))? {
        match arg {
            Value(id) => c.id = id.to_string_lossy().into_owned(),
            Long("listen") => {
                let typed = text(parser)?;
                c.listen = typed.parse().map_err(|_| Failure::Usage(format!("--listen {typed} will not do; use an address and port.")))?;
            }
            Long("token") => c.token = text(parser)?,
            Long("machine-speed") => c.speed = number(parser, "--machine-speed", 0.01, 100_000.0)?,
            other => return Err(Failure::Usage(format!("{}.", other.unexpected()))),
        }
    }
    if c.id.is_empty() || c.token.is_empty() || c.token.contains(char::is_whitespace) {
        return Err(Failure::Usage("controller needs a machine's id and --token with a word without blanks.".into()));
    }
    Ok(Command::Controller(Box::new(c)))
}

fn check(parser: &mut lexopt::Parser) -> Result<Command, Failure> {
    let (mut drawings, mut how, mut json) = (Vec::new(), Reading::default(), false);
    while let Some(arg) = parser.next().map_err(|e| Failure::Usage(format!("{e}.")))? {
        match arg {
            Value(path) => drawings.push(PathBuf::from(path)),
            Long("json") => json = true,
            Long(flag) => {
                let flag = flag.to_owned();
                if !reading(parser, &flag, &mut how)? {
                    return Err(Failure::Usage(format!("--{flag} is no option of check.")));
                }
            }
            other @ Short(_) => return Err(Failure::Usage(format!("{}.", other.unexpected()))),
        }
    }
    if drawings.is_empty() {
        return Err(Failure::Usage("check needs at least one drawing.".into()));
    }
    Ok(Command::Check { drawings, reading: how, json })
}

fn prep(parser: &mut lexopt::Parser) -> Result<Command, Failure> {
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

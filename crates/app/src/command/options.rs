//! What was typed, checked. The flags are a contract: extend, never rename.

use super::preparing::{Prep, prep};
use crate::failure::Failure;
use crate::server::{Controller, Opening};
use boustrophe_core::decisions::DrawingDecisions;
use boustrophe_core::drawing::Unit;
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
  --connect ID=ADDR,TOKEN  a machine whose controller answers elsewhere, repeatable; TOKEN is @FILE or env:NAME
boustrophe controller ID --token T [--listen ADDR] [--machine-speed N]   a simulated machine by itself
boustrophe prep DRAWING... --out DIR [options]            drawings in, programs and report out
boustrophe check DRAWING... [--json]                      findings of intake and clean
boustrophe prove PROGRAM --job DIR [--sheet N] [--json]   any program against the job that prep wrote to DIR

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
  --dialect NAME           laser, plasma, chords, or a file as in docs/dialects.md
  --paper a4|a3|letter     every sheet at 1:1 as PDF      --setup             a setup sheet each

Exit of prove: 0 same work, 1 differences, 2 unreadable. Exit: 0 done; 1 findings hold it up, report written, no program; 2 usage or unreadable input.";

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

/// What is to be done.
pub enum Command {
    Help,
    Open(Box<Opening>),
    Controller(Box<Controller>),
    ReadDrawing(String),
    Prep(Box<Prep>),
    Check { drawings: Vec<PathBuf>, reading: Reading, json: bool },
    Prove { program: PathBuf, job: PathBuf, sheet: Option<usize>, json: bool },
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
        boustrophe_shop::reading::COMMAND => Ok(Command::ReadDrawing(text(&mut parser)?)),
        "prep" => prep(&mut parser),
        "check" => check(&mut parser),
        "prove" => prove(&mut parser),
        "help" => Ok(Command::Help),
        other => Err(Failure::Usage(format!("“{other}” is not a command; there are demo, serve, prep, check and prove."))),
    }
}

pub(super) fn text(parser: &mut lexopt::Parser) -> Result<String, Failure> {
    parser.value().map(|v| v.to_string_lossy().into_owned()).map_err(|e| Failure::Usage(format!("{e}.")))
}

/// A length or number behind a flag, within limits.
pub(super) fn number(parser: &mut lexopt::Parser, flag: &str, least: f64, most: f64) -> Result<f64, Failure> {
    let typed = text(parser)?;
    let value = quantity::length(&typed, Unit::Mm).map_err(|e| Failure::Usage(format!("{flag}: {e}.")))?;
    if (least..=most).contains(&value) {
        Ok(value)
    } else {
        Err(Failure::Usage(format!("{flag} {typed} will not do; use {least} to {most}.")))
    }
}

/// Flags that say how sizes are read; false for a flag that is none of them.
pub(super) fn reading(parser: &mut lexopt::Parser, flag: &str, reading: &mut Reading) -> Result<bool, Failure> {
    match flag {
        "units" => reading.units = Some(text(parser)?.parse().map_err(|e| Failure::Usage(format!("--units: {e}.")))?),
        "ppi" => reading.ppi = Some(number(parser, "--ppi", 1.0, 10_000.0)?),
        "scale" => reading.scale = Some(number(parser, "--scale", 1e-6, 1e6)?),
        _ => return Ok(false),
    }
    Ok(true)
}

/// A controller's token: in a file (`@FILE`), in the environment (`env:NAME`), or as it stands, where whoever lists the processes of
/// this computer sees it.
fn secret(typed: &str) -> Result<String, Failure> {
    let read = match (typed.strip_prefix('@'), typed.strip_prefix("env:")) {
        (Some(file), _) => std::fs::read_to_string(file).map_err(|error| Failure::File {
            path: file.to_owned(),
            error,
            hint: "It holds the controller's token, and nothing else.",
        })?,
        (_, Some(name)) => std::env::var(name).map_err(|_| Failure::Usage(format!("there is no {name} in the environment.")))?,
        _ => typed.to_owned(),
    };
    Ok(read.trim().to_owned())
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
                opening.connect.push((id.to_owned(), Link::new(address, secret(token)?)));
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
            Long("token") => c.token = secret(&text(parser)?)?,
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

fn prove(parser: &mut lexopt::Parser) -> Result<Command, Failure> {
    let (mut program, mut job, mut sheet, mut json) = (None, None, None, false);
    while let Some(arg) = parser.next().map_err(|e| Failure::Usage(format!("{e}.")))? {
        match arg {
            Value(path) if program.is_none() => program = Some(PathBuf::from(path)),
            Long("job") => job = Some(PathBuf::from(text(parser)?)),
            Long("sheet") => {
                let typed = text(parser)?;
                let n = quantity::count(&typed, 1, 100_000).map_err(|e| Failure::Usage(format!("--sheet: {e}.")))?;
                sheet = Some(n as usize);
            }
            Long("json") => json = true,
            other => return Err(Failure::Usage(format!("{}.", other.unexpected()))),
        }
    }
    let program = program.ok_or_else(|| Failure::Usage("prove needs a program.".into()))?;
    let job = job.ok_or_else(|| Failure::Usage("prove needs --job DIR, the folder that prep wrote.".into()))?;
    Ok(Command::Prove { program, job, sheet, json })
}

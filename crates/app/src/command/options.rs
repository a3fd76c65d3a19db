//! What was typed, checked. The flags are a contract: extend, never rename.

use super::preparing::{Prep, PrepWords};
use super::prove::Asked;
use crate::failure::Failure;
use crate::server::{Controller, Opening};
use boustrophe_core::decisions::DrawingDecisions;
use boustrophe_core::drawing::Unit;
use boustrophe_core::quantity;
use boustrophe_machine::Link;
use clap::error::{ContextKind, ContextValue, ErrorKind};
use clap::{Args, CommandFactory, Parser, Subcommand, ValueHint};
use std::ffi::OsString;
use std::net::SocketAddr;
use std::path::PathBuf;

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
    Say(String),
    Open(Box<Opening>),
    Controller(Box<Controller>),
    ReadDrawing { name: String, seconds: u64 },
    Prep(Box<Prep>),
    Check { drawings: Vec<PathBuf>, reading: Reading, data: Option<PathBuf>, json: bool },
    Prove(Asked),
}

/// From drawings to programs for laser and plasma.
#[derive(Parser)]
#[command(name = "boustrophe", version, disable_help_subcommand = false, infer_long_args = false, after_help = EXITS)]
struct Line {
    #[command(subcommand)]
    command: Option<Words>,
}

const EXITS: &str = "Exit: 0 done; 1 findings hold it up, report written, no program; 2 usage or unreadable input.\nExit of prove: 0 same work, 1 differences, 2 unreadable.";

#[derive(Subcommand)]
enum Words {
    /// Opens the demo shop with its data and simulated machines.
    Demo(OpenWords),
    /// Opens an empty or existing shop.
    Serve(OpenWords),
    /// Runs a simulated machine by itself.
    Controller(ControllerWords),
    /// Drawings in, programs and report out.
    Prep(Box<PrepWords>),
    /// Prints the findings of intake and clean.
    Check(CheckWords),
    /// Compares any program with the job that prep wrote to DIR.
    Prove(ProveWords),
    /// Prints completions for a shell.
    Completions {
        /// Which shell.
        shell: clap_complete::Shell,
    },
    /// Prints the manual as a man page.
    Man,
    #[command(name = boustrophe_shop::reading::COMMAND, hide = true)]
    ReadDrawing { seconds: u64, name: String },
}

#[derive(Args)]
#[command(args_override_self = true, allow_negative_numbers = true)]
struct OpenWords {
    /// Address to listen on.
    #[arg(long, value_name = "ADDR", default_value = "127.0.0.1:7878")]
    listen: String,
    /// Folder of the shop's data; data/demo or data/shop unless said.
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    data: Option<PathBuf>,
    /// How much faster than real time the simulated machines run.
    #[arg(long, value_name = "N", default_value = "10")]
    machine_speed: String,
    /// Processor seconds that the reading of a small drawing may take; the largest may take two and a half times as long.
    #[arg(long, value_name = "S", default_value = "12")]
    reading_seconds: String,
    /// A further name under which browsers reach the shop; repeatable.
    #[arg(long = "host", value_name = "NAME")]
    hosts: Vec<String>,
    /// A machine whose controller answers elsewhere; repeatable. TOKEN is @FILE or env:NAME.
    #[arg(long, value_name = "ID=ADDR,TOKEN")]
    connect: Vec<String>,
}

#[derive(Args)]
#[command(args_override_self = true, allow_negative_numbers = true)]
struct ControllerWords {
    /// The machine's id.
    id: Option<String>,
    /// What it is greeted with: @FILE or env:NAME.
    #[arg(long, value_name = "T")]
    token: Option<String>,
    /// Address to listen on.
    #[arg(long, value_name = "ADDR", default_value = "127.0.0.1:0")]
    listen: String,
    /// Machine seconds that pass in a second.
    #[arg(long, value_name = "N", default_value = "10")]
    machine_speed: String,
}

/// How sizes are to be read where files do not say.
#[derive(Args)]
#[command(args_override_self = true, allow_negative_numbers = true)]
pub struct ReadingWords {
    /// Unit where a file does not say: mm, cm, m, in, ft.
    #[arg(long, value_name = "UNIT")]
    units: Option<String>,
    /// Pixels per inch of an SVG in pixels: 96, 90, 72.
    #[arg(long, value_name = "N")]
    ppi: Option<String>,
    /// Drawing size times R is the true size.
    #[arg(long, value_name = "R")]
    scale: Option<String>,
}

#[derive(Args)]
#[command(args_override_self = true, allow_negative_numbers = true)]
struct CheckWords {
    /// The drawings.
    #[arg(value_name = "DRAWING", value_hint = ValueHint::FilePath)]
    drawings: Vec<PathBuf>,
    #[command(flatten)]
    reading: ReadingWords,
    /// Takes book, charts and rules of the shop in DIR.
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    data: Option<PathBuf>,
    /// For programs.
    #[arg(long)]
    json: bool,
}

#[derive(Args)]
#[command(args_override_self = true, allow_negative_numbers = true)]
struct ProveWords {
    /// The program.
    #[arg(value_name = "PROGRAM", value_hint = ValueHint::FilePath)]
    program: Option<PathBuf>,
    /// The folder that prep wrote, or a job.json.
    #[arg(long, value_name = "DIR", value_hint = ValueHint::AnyPath)]
    job: Option<PathBuf>,
    /// Which sheet, where the program does not say.
    #[arg(long, value_name = "N")]
    sheet: Option<String>,
    /// Takes machines and charts of the shop in DIR instead of those that the job was made with.
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    data: Option<PathBuf>,
    /// For programs.
    #[arg(long)]
    json: bool,
}

/// Reads the command line.
pub fn parse(args: impl IntoIterator<Item = OsString>) -> Result<Command, Failure> {
    let line = match Line::try_parse_from(args) {
        Ok(line) => line,
        Err(e) if matches!(e.kind(), ErrorKind::DisplayHelp | ErrorKind::DisplayVersion) => return Ok(Command::Say(e.to_string())),
        Err(e) => return Err(Failure::Usage(sentence(&e))),
    };
    match line.command {
        None => Ok(Command::Say(Line::command().render_long_help().to_string())),
        Some(Words::Demo(words)) => words.opening(true),
        Some(Words::Serve(words)) => words.opening(false),
        Some(Words::Controller(words)) => words.controller(),
        Some(Words::Prep(words)) => Ok(Command::Prep(Box::new(words.prep()?))),
        Some(Words::Check(words)) => {
            if words.drawings.is_empty() {
                return Err(Failure::Usage("check needs at least one drawing.".into()));
            }
            Ok(Command::Check { drawings: words.drawings, reading: words.reading.reading()?, data: words.data, json: words.json })
        }
        Some(Words::Prove(words)) => words.asked().map(Command::Prove),
        Some(Words::Completions { shell }) => {
            let mut out = Vec::new();
            clap_complete::generate(shell, &mut Line::command(), "boustrophe", &mut out);
            Ok(Command::Say(String::from_utf8_lossy(&out).into_owned()))
        }
        Some(Words::Man) => manual().map(Command::Say).map_err(|e| Failure::Other(e.to_string())),
        Some(Words::ReadDrawing { name, seconds }) => Ok(Command::ReadDrawing { name, seconds }),
    }
}

/// The manual: the whole, then each command.
fn manual() -> std::io::Result<String> {
    let mut out = Vec::new();
    let line = Line::command();
    clap_mangen::Man::new(line.clone()).render(&mut out)?;
    for one in line.get_subcommands().filter(|c| !c.is_hide_set()) {
        let named = one.clone().display_name(format!("boustrophe-{}", one.get_name()));
        clap_mangen::Man::new(named).render(&mut out)?;
    }
    Ok(String::from_utf8_lossy(&out).into_owned())
}

/// What is wrong with the words of a command, in one line.
fn sentence(error: &clap::Error) -> String {
    let said = |kind| match error.get(kind) {
        Some(ContextValue::String(s)) => s.clone(),
        Some(ContextValue::Strings(all)) => all.join(", "),
        _ => String::new(),
    };
    // `--sheet <WxH>` is the flag with what it takes.
    let flag = said(ContextKind::InvalidArg).split([' ', '=']).next().unwrap_or_default().to_owned();
    let meant = said(ContextKind::SuggestedArg);
    let meant = if meant.is_empty() { String::new() } else { format!(" Is {meant} meant?") };
    match error.kind() {
        ErrorKind::UnknownArgument => format!("{flag} is no option here.{meant}"),
        ErrorKind::InvalidSubcommand => {
            format!("“{}” is not a command; there are demo, serve, prep, check and prove.", said(ContextKind::InvalidSubcommand))
        }
        ErrorKind::TooFewValues | ErrorKind::WrongNumberOfValues | ErrorKind::NoEquals => format!("{flag} needs a value behind it."),
        ErrorKind::InvalidValue if said(ContextKind::InvalidValue).is_empty() => format!("{flag} needs a value behind it."),
        ErrorKind::InvalidValue => {
            let known = said(ContextKind::ValidValue);
            format!("{flag} {} will not do; use {known}.", said(ContextKind::InvalidValue))
        }
        ErrorKind::MissingRequiredArgument => format!("it needs {} behind it.", said(ContextKind::InvalidArg)),
        ErrorKind::ArgumentConflict => match said(ContextKind::PriorArg).split_whitespace().next() {
            Some(other) if !flag.starts_with(other) => format!("{flag} and {other} cannot both be given; leave one out."),
            _ => format!("{flag} is given twice; leave one out."),
        },
        ErrorKind::TooManyValues => format!("{flag} takes no value."),
        _ => error.to_string().lines().next().unwrap_or_default().trim_start_matches("error: ").to_owned() + ".",
    }
}

/// A length or number behind a flag, within limits.
pub(super) fn number(flag: &str, typed: &str, (least, most): (f64, f64)) -> Result<f64, Failure> {
    let value = quantity::length(typed, Unit::Mm).map_err(|e| Failure::Usage(format!("{flag}: {e}.")))?;
    if (least..=most).contains(&value) {
        Ok(value)
    } else {
        Err(Failure::Usage(format!("{flag} {typed} will not do; use {least} to {most}.")))
    }
}

/// The same where it was typed.
pub(super) fn number_of(flag: &str, typed: Option<&String>, range: (f64, f64)) -> Result<Option<f64>, Failure> {
    typed.map(|t| number(flag, t, range)).transpose()
}

impl ReadingWords {
    /// How sizes are to be read.
    pub(super) fn reading(&self) -> Result<Reading, Failure> {
        let units = self.units.as_ref().map(|u| u.parse()).transpose();
        Ok(Reading {
            units: units.map_err(|e| Failure::Usage(format!("--units: {e}.")))?,
            ppi: number_of("--ppi", self.ppi.as_ref(), (1.0, 10_000.0))?,
            scale: number_of("--scale", self.scale.as_ref(), (1e-6, 1e6))?,
        })
    }
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

fn address(typed: &str) -> Result<SocketAddr, Failure> {
    typed.parse().map_err(|_| Failure::Usage(format!("--listen {typed} will not do; use an address and port such as 127.0.0.1:7878.")))
}

/// How fast simulated machines may run.
const SPEEDS: (f64, f64) = (0.01, 100_000.0);

/// What reading may take, s.
const READING: (f64, f64) = (1.0, 600.0);

impl OpenWords {
    fn opening(self, demo: bool) -> Result<Command, Failure> {
        let connect = |typed: &String| {
            let link = typed.split_once('=').and_then(|(id, at)| Some((id, at.split_once(',')?)));
            let (id, (address, token)) =
                link.ok_or_else(|| Failure::Usage(format!("--connect {typed} will not do; use ID=HOST:PORT,TOKEN.")))?;
            Ok((id.to_owned(), Link::new(address, secret(token)?)))
        };
        Ok(Command::Open(Box::new(Opening {
            listen: address(&self.listen)?,
            data: self.data.unwrap_or_else(|| PathBuf::from(if demo { "data/demo" } else { "data/shop" })),
            demo,
            machine_speed: number("--machine-speed", &self.machine_speed, SPEEDS)?,
            reading_seconds: number("--reading-seconds", &self.reading_seconds, READING)? as u64,
            hosts: self.hosts,
            connect: self.connect.iter().map(connect).collect::<Result<_, Failure>>()?,
        })))
    }
}

impl ControllerWords {
    fn controller(self) -> Result<Command, Failure> {
        let token = self.token.as_deref().map(secret).transpose()?.unwrap_or_default();
        let id = self.id.unwrap_or_default();
        if id.is_empty() || token.is_empty() || token.contains(char::is_whitespace) {
            return Err(Failure::Usage("controller needs a machine's id and --token with a word without blanks.".into()));
        }
        let speed = number("--machine-speed", &self.machine_speed, SPEEDS)?;
        Ok(Command::Controller(Box::new(Controller { id, listen: address(&self.listen)?, token, speed })))
    }
}

impl ProveWords {
    fn asked(self) -> Result<Asked, Failure> {
        let program = self.program.ok_or_else(|| Failure::Usage("prove needs a program.".into()))?;
        let job = self.job.ok_or_else(|| Failure::Usage("prove needs --job DIR, the folder that prep wrote.".into()))?;
        let sheet = self.sheet.map(|typed| quantity::count(&typed, 1, 100_000).map_err(|e| Failure::Usage(format!("--sheet: {e}."))));
        Ok(Asked { program, job, sheet: sheet.transpose()?.map(|n| n as usize), data: self.data, json: self.json })
    }
}

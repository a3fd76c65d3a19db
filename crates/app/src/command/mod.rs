//! The command line: `demo`, `serve`, `prep`, `check`, `prove`.

mod book;
mod check;
mod options;
mod prep;
mod preparing;
mod prove;
mod reading;

use crate::failure::Failure;
use options::Command;
use std::ffi::OsString;
use std::io::Write;
use std::process::ExitCode;

/// Runs what was asked for.
pub fn run(args: impl IntoIterator<Item = OsString>) -> Result<ExitCode, Failure> {
    match options::parse(args)? {
        Command::Say(text) => {
            // Whoever reads it may have seen enough.
            let _ = write!(std::io::stdout(), "{text}");
            Ok(ExitCode::SUCCESS)
        }
        Command::Open(opening) => crate::server::run(&opening),
        Command::Controller(controller) => crate::server::run_machine(&controller),
        Command::ReadDrawing { name, seconds } => reading::run(&name, seconds),
        Command::Prep(options) => {
            // Each batch is nested for so long.
            bound(LONGEST + options.nest_for.seconds() * (1 + options.stocks.len()) as f64);
            prep::run(&options)
        }
        Command::Prove(asked) => {
            bound(LONGEST);
            prove::run(&asked)
        }
        Command::Check { drawings, reading, data, json } => {
            bound(LONGEST);
            check::run(&drawings, &reading, data.as_deref(), json)
        }
    }
}

/// How long one command may take on the clock beside its nests, s: what a drawing that is still worked on then asks for is no drawing.
const LONGEST: f64 = 1200.0;
/// Address space of one command at most, bytes.
const MOST_MEMORY: u64 = 12 << 30;

/// Bounds what this command may take; past its time it ends with a sentence. Files are read in children with bounds of their own.
fn bound(seconds: f64) {
    let _ = rlimit::setrlimit(rlimit::Resource::AS, MOST_MEMORY, MOST_MEMORY);
    std::thread::spawn(move || {
        std::thread::sleep(std::time::Duration::from_secs_f64(seconds.clamp(1.0, 1e6)));
        eprintln!(
            "boustrophe: this takes longer than {seconds:.0} s and was ended; split the drawing, or leave out what is not to be cut."
        );
        std::process::exit(2);
    });
}

//! The command line: `demo`, `serve`, `prep`, `check`, `prove`.

mod check;
mod options;
mod prep;
mod preparing;
mod prove;

pub use options::Failure;

use options::Command;
use std::ffi::OsString;
use std::io::Write;
use std::process::ExitCode;

/// Runs what was asked for.
pub fn run(args: impl IntoIterator<Item = OsString>) -> Result<ExitCode, Failure> {
    match options::parse(args)? {
        Command::Help => {
            // Whoever reads it may have seen enough.
            let _ = writeln!(std::io::stdout(), "{}", options::USAGE);
            Ok(ExitCode::SUCCESS)
        }
        Command::Open(opening) => crate::server::run(&opening),
        Command::Controller(controller) => crate::server::run_machine(&controller),
        Command::ReadDrawing(name) => crate::reading::run(&name),
        Command::Prep(options) => prep::run(&options),
        Command::Prove { program, job, sheet, json } => prove::run(&program, &job, sheet, json),
        Command::Check { drawings, reading, json } => check::run(&drawings, &reading, json),
    }
}

//! `boustrophe`: the shop in the browser and on the command line.

mod command;
mod report;
mod writer;

use std::process::ExitCode;

fn main() -> ExitCode {
    match command::run(std::env::args_os()) {
        Ok(code) => code,
        Err(failure) => {
            eprintln!("boustrophe: {failure}");
            ExitCode::from(2)
        }
    }
}

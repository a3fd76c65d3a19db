//! `boustrophe`: the shop in the browser and on the command line.

mod assets;
mod command;
mod conflict;
mod damage;
mod edits;
mod error;
mod failure;
mod guard;
mod laying;
mod pages;
mod server;
mod serving;
mod uploads;
mod view;

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

//! `boustrophe`: the shop in the browser and on the command line.

// A page and its form are read beside each other: what a field means stands in the template.
#![allow(missing_docs)]

mod asking;
mod assets;
mod command;
mod conflict;
mod damage;
mod error;
mod failure;
mod guard;
mod server;
mod serving;
mod stations;
mod things;
mod typed;
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

//! `boustrophe`: the shop in the browser and on the command line.

mod assets;
mod command;
mod demo;
mod edits;
mod error;
mod names;
mod pages;
mod report;
mod runs;
mod searches;
mod server;
mod settings;
mod shop;
mod view;
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

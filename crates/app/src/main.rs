//! `boustrophe`: the shop in the browser and on the command line.

mod aside;
mod assets;
mod changing;
mod command;
mod damage;
mod demo;
mod edits;
mod error;
mod floor_cards;
mod guard;
mod guests;
mod incoming;
mod laying;
mod machines;
mod miniature;
mod names;
mod pages;
mod papers;
mod rack;
mod reading;
mod releases;
mod report;
mod searches;
mod server;
mod serving;
mod settings;
mod shop;
#[cfg(test)]
mod simulation;
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

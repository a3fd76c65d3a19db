//! A drawing read for the command line: in a child with limits, and the child itself.

use crate::failure::Failure;
use boustrophe_core::drawing::Drawing;
use boustrophe_formats::MOST_BYTES;
use boustrophe_shop::error::ShopError;
use boustrophe_shop::reading::{Limits, Readers};
use std::io::{Read, Write};
use std::path::Path;
use std::process::ExitCode;

/// Niceness of a child, whoever started it: pages go first.
const NICE: i32 = 10;

/// Reads a file for the command line, in a child and with the same bounds.
pub fn read_file(name: &str, path: &Path) -> Result<Drawing, Failure> {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(|e| Failure::Other(e.to_string()))?;
    runtime.block_on(Readers::of_this_program(Limits::default()).read(name, path)).map_err(|e| match e {
        ShopError::Read(error) => Failure::Read(error),
        other => Failure::Other(other.to_string()),
    })
}

/// The child: reads standard input and writes what came of it.
pub fn run(name: &str, seconds: u64) -> Result<ExitCode, Failure> {
    let failed = |e: std::io::Error| Failure::Other(format!("{name}: {e}"));
    let mut input = std::io::stdin().lock();
    let mut bytes = Vec::new();
    input.by_ref().take(MOST_BYTES as u64 + 1).read_to_end(&mut bytes).map_err(failed)?;
    Limits::of(seconds).set_here(bytes.len() as u64);
    let _ = rustix::process::setpriority_process(None, NICE);
    let answer = match boustrophe_formats::read(name, &bytes) {
        Ok(drawing) => {
            drop(bytes);
            postcard::to_extend(&drawing, vec![0])
        }
        Err(error) => postcard::to_extend(&error, vec![1]),
    };
    let answer = answer.map_err(|e| Failure::Other(format!("{name}: {e}")))?;
    std::io::stdout().lock().write_all(&answer).map_err(failed)?;
    Ok(ExitCode::SUCCESS)
}

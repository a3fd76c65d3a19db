//! Station 8: what is handed over. The order of a program's lines, and the words of a controller.

mod again;
mod lines;
mod number;
mod program;
mod rest;
mod rows;
mod sample;

pub use crate::dialect::{Dialect, Meaning, PowerIn, ProgramUnit, Remarks, WaitUnit, Word, Words};
pub use again::only;
pub use lines::Lines;
pub use program::{write, write_lines};
pub use rest::{GoOn, Joint, Relit, Still, rest};
pub use sample::sample;

use crate::decisions::{Pose, Stock};
use crate::hold::SheetPath;
use crate::shop::Machine;
use std::io;
use std::sync::Arc;

/// What is to be written.
#[derive(Clone, Copy)]
pub struct ProgramOrder<'a> {
    /// What the head does.
    pub path: &'a SheetPath,
    /// For which machine.
    pub machine: &'a Machine,
    /// Sheet number from 1, and how many there are, over all batches.
    pub sheet: (usize, usize),
    /// Machine, material and thickness.
    pub stock: &'a Stock,
    /// Where the sheet lies, and where its zero is.
    pub pose: Pose,
}

/// What writes programs. It fails only where what it writes to fails.
pub type Writer = dyn Fn(&ProgramOrder, &mut dyn io::Write) -> io::Result<()> + Sync;

/// The program of a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Program {
    /// Its text.
    Kept(Arc<str>),
    /// With pictures it is long: it was read as it was written, and is written anew for whoever wants it.
    Streamed,
}

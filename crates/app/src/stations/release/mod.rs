//! Station 8: papers and programs.

pub mod docket;
pub mod edits;
pub mod laying;
pub mod papers;

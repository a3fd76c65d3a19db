//! Station 2: lines without faults.

pub mod docket;
pub mod edits;
pub mod trying;

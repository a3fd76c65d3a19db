//! Station 7: the program, read back.

pub mod docket;
pub mod outside;

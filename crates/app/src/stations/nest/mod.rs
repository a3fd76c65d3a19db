//! Station 4: parts on sheets.

pub mod blanks;
mod compare;
pub mod copies;
pub mod docket;
pub mod edits;
mod kits;
pub mod rows;
pub mod searching;

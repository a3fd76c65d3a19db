//! Station 4: parts on sheets.

pub mod blanks;
pub mod copies;
pub mod docket;
pub mod edits;
pub mod rows;
pub mod searching;

//! Station 6: nicks, leads, rows.

pub mod docket;
pub mod edits;
pub mod places;
pub mod thin;
